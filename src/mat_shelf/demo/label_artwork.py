"""Artwork of the demo's marks: labels, a foil frame, an emblem, the figures of a display. PNG with alpha."""

import io
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

_FONTS = Path(__file__).parents[1] / "app" / "fonts"
PER_MM = 40
"""Pixels a millimetre: as a good printer sets it."""
INK, PAPER, TEAL = (24, 34, 60, 255), (243, 238, 226, 255), (16, 78, 74, 255)
CLEAR = (0, 0, 0, 0)


def _font(mm: float, weight: str = "Medium") -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(_FONTS / f"Inter-{weight}.otf"), round(mm * PER_MM))


def _sheet(width: float, height: float, color) -> tuple[Image.Image, ImageDraw.ImageDraw]:
    picture = Image.new("RGBA", (round(width * PER_MM), round(height * PER_MM)), color)
    return picture, ImageDraw.Draw(picture)


def _png(picture: Image.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def _spaced(draw, middle_mm, text: str, font, fill, gap_mm: float = 0.0) -> None:
    """A line of text with wider gaps between its letters, about a point."""
    gap = gap_mm * PER_MM
    width = sum(draw.textlength(letter, font=font) + gap for letter in text) - gap
    x, y = middle_mm[0] * PER_MM - width / 2, middle_mm[1] * PER_MM
    for letter in text:
        draw.text((x, y), letter, font=font, fill=fill, anchor="lm")
        x += draw.textlength(letter, font=font) + gap


FRONT = (34.0, 23.0)


def front_label() -> bytes:
    picture, draw = _sheet(*FRONT, CLEAR)
    draw.rounded_rectangle((0, 0, picture.width - 1, picture.height - 1), 1.2 * PER_MM, fill=PAPER)
    _spaced(draw, (17, 6.6), "GANNET & REED", _font(2.9, "SemiBold"), INK, 0.42)
    _spaced(draw, (17, 13.2), "Blue-black", _font(4.0, "Medium"), TEAL, 0.04)
    _spaced(draw, (17, 18.2), "WRITING INK  ·  50 ml", _font(1.45, "Medium"), INK, 0.22)
    return _png(picture)


def front_foil() -> bytes:
    """A double frame and a rule."""
    picture, draw = _sheet(*FRONT, CLEAR)
    for inset, thick, corner in ((0.9, 0.34, 0.8), (1.55, 0.12, 0.5)):
        box = (inset * PER_MM, inset * PER_MM, picture.width - inset * PER_MM, picture.height - inset * PER_MM)
        draw.rounded_rectangle(box, corner * PER_MM, outline=(0, 0, 0, 255), width=round(thick * PER_MM))
    draw.rectangle([round(v * PER_MM) for v in (10.5, 9.35, 23.5, 9.6)], fill=(0, 0, 0, 255))
    return _png(picture)


BACK = (30.0, 22.0)
_SMALL_PRINT = (
    "Water-based ink for fountain pens.",
    "Dries fast, flows evenly, does not fade.",
    "Water, dye, glycerine, preservative.",
    "Keep upright. Keep away from children.",
    "Close the cap after filling.",
)


def back_label() -> bytes:
    """Text on the back of the bottle."""
    picture, draw = _sheet(*BACK, PAPER)
    _spaced(draw, (15, 3.4), "BLUE-BLACK", _font(1.9, "SemiBold"), INK, 0.3)
    for line, text in enumerate(_SMALL_PRINT):
        draw.text((15 * PER_MM, (7.2 + 2.5 * line) * PER_MM), text, font=_font(1.25, "Regular"), fill=INK, anchor="mm")
    _spaced(draw, (15, 20.0), "Gannet & Reed", _font(1.4, "Medium"), TEAL, 0.1)
    return _png(picture)


def back_picture() -> bytes:
    """Picture behind the glass on the back label: reeds before a low sun."""
    picture, draw = _sheet(*BACK, (214, 222, 214, 255))
    w, h = picture.size
    draw.ellipse((w * 0.56, h * 0.14, w * 0.56 + 7 * PER_MM, h * 0.14 + 7 * PER_MM), fill=(232, 178, 92, 255))
    random = np.random.default_rng(4)
    for place in np.linspace(0.02, 0.98, 26):
        foot, lean = place * w + random.normal(0, 8), random.normal(0, 60)
        top = h * random.uniform(0.16, 0.62)
        draw.line((foot, h, foot + lean, top), fill=TEAL, width=round(random.uniform(5, 11)))
        draw.ellipse((foot + lean - 15, top - 62, foot + lean + 15, top + 50), fill=(92, 62, 40, 255))
    return _png(picture)


def emblem() -> bytes:
    """A gannet's head over two reeds in a ring, for a stamp."""
    picture, draw = _sheet(24, 24, CLEAR)
    black, u = (0, 0, 0, 255), PER_MM

    def scaled(*points):
        return [(x * u, y * u) for x, y in points]

    draw.ellipse((0.4 * u, 0.4 * u, 23.6 * u, 23.6 * u), outline=black, width=round(1.3 * u))
    draw.ellipse((8.0 * u, 4.6 * u, 15.4 * u, 11.6 * u), fill=black)  # the head
    draw.polygon(scaled((13.6, 6.2), (20.6, 9.3), (13.4, 10.9)), fill=black)  # the beak
    draw.polygon(scaled((8.2, 8.4), (15.0, 10.2), (12.6, 14.6), (13.4, 19.4), (6.0, 19.4), (7.0, 13.8)), fill=black)
    draw.ellipse((12.0 * u, 7.0 * u, 13.1 * u, 8.1 * u), fill=CLEAR)
    for foot, top in ((15.4, 17.0), (17.2, 19.2)):
        draw.line(scaled((foot, 19.4), (top, 12.6)), fill=black, width=round(0.8 * u))
    return _png(picture)


FIGURES = (26.0, 12.0)


def figures() -> bytes:
    """A display: the warmer's temperature."""
    picture, draw = _sheet(*FIGURES, (0, 0, 0, 255))
    amber = (255, 176, 66, 255)
    draw.text((12.4 * PER_MM, 6.2 * PER_MM), "68", font=_font(9.2, "SemiBold"), fill=amber, anchor="mm")
    draw.text((20.6 * PER_MM, 3.9 * PER_MM), "°C", font=_font(3.0, "Medium"), fill=amber, anchor="mm")
    return _png(picture)
