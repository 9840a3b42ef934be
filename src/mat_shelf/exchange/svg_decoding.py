"""Drawings (SVG) as pictures. Called in a process of its own, by `image_reading`."""

import re
from xml.parsers import expat

import resvg_py

from mat_shelf.exchange.image_decoding import ImageError

DRAWN_PIXELS = 4096
"""Longer side of the picture that a drawing becomes."""
_LARGEST = 20_000_000
_PX = {"": 1, "px": 1, "in": 96, "mm": 96 / 25.4, "cm": 96 / 2.54, "q": 24 / 25.4, "pt": 96 / 72, "pc": 16}
"""Pixels, of which an inch has 96, in each unit of length."""
_LENGTH = re.compile(r"\s*([0-9.]+(?:e[+-]?[0-9]+)?)\s*([a-z]*)\s*", re.IGNORECASE)
_STYLE_LINK = re.compile(r"url\(\s*[\"']?\s*(?!#)|@import", re.IGNORECASE)
_DECLARATION = re.compile(r"^\s*<\?xml.*?\?>", re.DOTALL)
_REFUSED = {"script", "foreignobject"}


def decode_svg(svg: bytes) -> bytes:
    """A drawing as a PNG with alpha, its longer side `DRAWN_PIXELS` long.

    Parameters
    ----------
    svg : bytes
        Text of the SVG.

    Returns
    -------
    bytes

    Raises
    ------
    ImageError
        If it is no drawing, is too large, or refers to what lies outside of it.
    """
    if len(svg) > _LARGEST:
        raise ImageError("the drawing is larger than 20 MB; simplify it")
    wide, tall = _checked_size(svg)
    if max(wide, tall) > DRAWN_PIXELS * min(wide, tall):
        raise ImageError("the drawing has no width")
    across, up = (max(round(DRAWN_PIXELS * side / max(wide, tall)), 1) for side in (wide, tall))
    try:
        inner = _DECLARATION.sub("", svg.decode("utf-8-sig"), count=1)
        # In a frame of whole pixels, since the renderer rounds the size of the outermost drawing first.
        frame = f'<svg xmlns="http://www.w3.org/2000/svg" width="{across}" height="{up}" viewBox="0 0 {wide} {tall}">'
        return bytes(resvg_py.svg_to_bytes(svg_string=f"{frame}{inner}</svg>", dpi=96.0))
    except UnicodeDecodeError:
        raise ImageError("the drawing is not written in UTF-8; save it as UTF-8") from None
    except ValueError as fault:
        raise ImageError(f"the drawing cannot be read ({str(fault)[:80]})") from None


def _checked_size(svg: bytes) -> tuple[float, float]:
    """Width and height, in its own pixels, of a drawing that refers to nothing outside of it. Raises ImageError."""
    parser = expat.ParserCreate()
    root: dict[str, str] = {}

    def refuse(*_):
        raise ImageError("the drawing holds entities; save it as plain SVG")

    def start(name: str, attributes: dict[str, str]) -> None:
        plain = name.rpartition(":")[2].lower()
        if not root:
            if plain != "svg":
                raise ImageError("the drawing cannot be read")
            root.update(attributes, svg="")
        if plain in _REFUSED:
            raise ImageError("the drawing holds scripts or foreign parts; save it as plain SVG")
        for key, value in attributes.items():
            if key.rpartition(":")[2].lower() == "href":
                _check_link(value.strip().lower())
            elif _STYLE_LINK.search(value):
                raise ImageError(_OUTSIDE)

    def text(data: str) -> None:
        if _STYLE_LINK.search(data):
            raise ImageError(_OUTSIDE)

    parser.buffer_text = True
    parser.StartDoctypeDeclHandler = parser.EntityDeclHandler = refuse
    parser.ProcessingInstructionHandler = lambda target, data: refuse() if "style" in target.lower() else None
    parser.StartElementHandler, parser.CharacterDataHandler = start, text
    try:
        parser.Parse(svg, True)
    except expat.ExpatError as fault:
        raise ImageError(f"the drawing cannot be read ({fault})") from None
    return _size(root)


_OUTSIDE = "the drawing refers to another file; embed it"


def _check_link(link: str) -> None:
    if link.startswith("data:image/svg"):
        raise ImageError("the drawing holds another drawing as an image; ungroup or flatten it")
    if link and not link.startswith(("#", "data:image/")):
        raise ImageError(_OUTSIDE)


def _size(root: dict[str, str]) -> tuple[float, float]:
    sides = [_LENGTH.fullmatch(root.get(name, "")) for name in ("width", "height")]
    if all(side and side[2].lower() in _PX for side in sides):
        size = tuple(float(side[1]) * _PX[side[2].lower()] for side in sides)
    else:
        try:
            size = tuple(float(x) for x in re.split(r"[\s,]+", root.get("viewBox", "").strip())[2:4])
        except ValueError:
            size = ()
    if len(size) != 2 or not all(0 < side < 1e9 for side in size):
        raise ImageError("the drawing does not say how large it is; give it a size")
    return size
