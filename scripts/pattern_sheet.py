"""Draws every source and step into one sheet, docs/patterns.png."""

import sys
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from mat_shelf.document.pattern import Pattern, Placement
from mat_shelf.patterns.sources import SOURCES
from mat_shelf.patterns.sources.painted import Brush, Painted, Stroke
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import STEPS
from mat_shelf.patterns.thumbnail import thumbnail

TILE, COLUMNS, GAP, CAPTION = 200, 6, 14, 24
FONT = Path(__file__).parents[1] / "src/mat_shelf/app/fonts"


def _creases() -> tuple[Stroke, ...]:
    """Three creases as a hand would paint them across the bend of a strap."""
    x = np.linspace(-12, 12, 40)
    strokes = []
    for k, (bow, width, strength) in enumerate(((2.0, 3.4, 0.9), (-1.2, 2.4, 0.7), (0.8, 1.6, 0.8))):
        y = 6 - 6 * k + bow * np.cos(x / 9) + 0.4 * np.sin(x * 0.8 + k)
        places = tuple((float(a), float(b), 0.0) for a, b in zip(x * (1 - 0.12 * k), y, strict=True))
        brush = Brush(width=width, strength=strength)
        strokes.append(Stroke(part="strap", brush=brush, points=places, normals=((0.0, 0.0, 1.0),) * len(places)))
    return tuple(strokes)


def main(path: Path) -> None:
    noise = Pattern(id="noise", name="Noise", steps=(SOURCES[0](),))
    cells = Pattern(id="cells", name="Cells", steps=(SOURCES[1](shown="tones"),), placement=Placement(size=8))
    others = PatternContext({p.id: p for p in (noise, cells)})
    tiles = []
    for source in SOURCES:
        begun = Painted(strokes=_creases()) if source is Painted else source()
        pattern = Pattern(id="p", name=source.label, steps=(begun,), placement=source.usual)
        tiles.append((source.label, thumbnail(pattern, PatternContext(), TILE, TILE)))
    for step in STEPS:
        fields = {name: "cells" for name in step.pattern_fields() if name == "other"}
        pattern = Pattern(id="p", name=step.label, steps=(SOURCES[0](), step(**fields)))
        tiles.append((step.label, thumbnail(pattern, others, TILE, TILE)))
    rows = -(-len(tiles) // COLUMNS)
    sheet = Image.new("RGB", (COLUMNS * (TILE + GAP) + GAP, rows * (TILE + CAPTION + GAP) + GAP), (236, 236, 236))
    draw = ImageDraw.Draw(sheet)
    font = ImageFont.truetype(str(next(FONT.glob("Inter*"))), 14)
    for place, (name, pixels) in enumerate(tiles):
        x = GAP + place % COLUMNS * (TILE + GAP)
        y = GAP + place // COLUMNS * (TILE + CAPTION + GAP)
        sheet.paste(Image.fromarray(pixels), (x, y))
        draw.text((x, y + TILE + 4), name, fill=(30, 30, 30), font=font)
    sheet.save(path)


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parents[1] / "docs/patterns.png")
