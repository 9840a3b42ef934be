"""Renders swatches of each family into one sheet, docs/families.png."""

import sys
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.library.thumbnails import standard_scene
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tone import develop

TILE, COLUMNS, GAP, CAPTION, SAMPLES = 220, 6, 14, 24, 48
FONT = Path(__file__).parents[1] / "src/mat_shelf/app/fonts"
SHOWN = (
    "bottle-glass",
    "opal-glass",
    "honey",
    "milk",
    "turned-brass",
    "brushed-steel",
    "weathered-copper",
    "moulded-black",
    "tinted-polypropylene",
    "grip-rubber",
    "saddle-leather",
    "midnight-velvet",
    "wool-felt",
    "oiled-oak",
    "cork",
    "card",
    "green-onyx",
    "tumbled-marble",
    "sealing-wax",
    "beeswax",
    "fruit-jelly",
    "candy-red",
    "worn-enamel",
    "lit-amber",
)


def main(path: Path) -> None:
    swatches = {swatch.id: swatch for swatch in SHIPPED}
    rows = -(-len(SHOWN) // COLUMNS)
    sheet = Image.new("RGB", (COLUMNS * (TILE + GAP) + GAP, rows * (TILE + CAPTION + GAP) + GAP), (236, 236, 236))
    draw = ImageDraw.Draw(sheet)
    font = ImageFont.truetype(str(next(FONT.glob("Inter*"))), 14)
    for place, key in enumerate(SHOWN):
        project, shape = standard_scene(swatches[key].recipe)
        meshes = Assets()
        meshes.take(shape)
        prepare_supplies(project, meshes)
        pixels = develop(render_picture(project, meshes, TILE, TILE, SAMPLES).light)
        x = GAP + place % COLUMNS * (TILE + GAP)
        y = GAP + place // COLUMNS * (TILE + CAPTION + GAP)
        sheet.paste(Image.fromarray(pixels), (x, y))
        draw.text((x, y + TILE + 4), f"{swatches[key].name}", fill=(30, 30, 30), font=font)
    sheet.save(path)


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parents[1] / "docs/families.png")
