"""Makes docs/sets.png: the demo in each shipped set. Run it after a change to sets or lights."""

import sys
import time
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tone import develop

OUT = Path(__file__).parents[1] / "docs" / "sets.png"
FONT = Path(__file__).parents[1] / "src" / "mat_shelf" / "app" / "fonts" / "Inter-Medium.otf"
SIZE, COLUMNS, MARGIN, CAPTION = (420, 280), 4, 12, 26
SAMPLES = 96


def main() -> None:
    wanted, samples = sys.argv[2:], int(sys.argv[1]) if len(sys.argv) > 1 else SAMPLES
    project, assets = demo_project()
    sets = [studio for studio in project.sets if not wanted or studio.id in wanted]
    rows = -(-len(sets) // COLUMNS)
    width, height = SIZE[0] + MARGIN, SIZE[1] + MARGIN + CAPTION
    sheet = Image.new("RGB", (COLUMNS * width + MARGIN, rows * height + MARGIN), (119, 119, 119))
    draw, font = ImageDraw.Draw(sheet), ImageFont.truetype(str(FONT), 15)
    for k, studio in enumerate(sets):
        began = time.monotonic()
        light = render_picture(project.with_(current_set=studio.id), assets, *SIZE, samples).light
        place = MARGIN + k % COLUMNS * width, MARGIN + k // COLUMNS * height
        sheet.paste(Image.fromarray(develop(light)), place)
        draw.text((place[0], place[1] + SIZE[1] + 4), studio.name, (255, 255, 255), font)
        print(f"{studio.name}: mean {np.mean(develop(light)):.0f}, {time.monotonic() - began:.1f} s")
    sheet.save(OUT if not wanted else "/tmp/sets.png")


main()
