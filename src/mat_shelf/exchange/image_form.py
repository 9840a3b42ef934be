"""Forms that a picture can have in a file."""

from pathlib import Path
from typing import NamedTuple

from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.shot import Packing
from mat_shelf.exchange.color_profiles import COLOR_SPACES, ColorSpace
from mat_shelf.exchange.image_decoding import ImageError

FILE_KINDS = {
    "png": "PNG",
    "tiff": "TIFF",
    "jpg": "JPEG",
    "webp": "WebP",
    "avif": "AVIF",
    "exr": "EXR",
    "ora": "OpenRaster",
}
"""Kinds of files by their endings, and their names."""
IMAGE_ENDINGS = (".png", ".exr", ".tiff", ".jpg", ".webp", ".avif", ".ora")
_MOST_BITS = {".png": 16, ".exr": 32, ".tiff": 32, ".jpg": 8, ".webp": 8, ".avif": 8, ".ora": 16}
LARGEST_SIDE = {".webp": 16383, ".jpg": 65500}


class Form(NamedTuple):
    """Form of a picture in a file.

    Attributes
    ----------
    bits : int
        8, 16 or 32 of each channel. An EXR has halves of 16 bits where that is asked for, else 32. A TIFF of 32 bits
        has linear light too.
    space : ColorSpace
        Colours of all that has no linear light.
    dpi : float
        Pixels per inch, which the file says.
    on_white : bool
        What has an alpha lies on white, and has none any more.
    about : tuple of (str, str)
        What the file says of itself: name and words.
    attributes : tuple of (str, str)
        More attributes of an EXR.
    table : ColorTable or None
        That all which has no linear light is looked up in.
    packing : str
        Of an EXR: ``zip`` loses nothing; ``dwaa`` makes colours several times smaller, and changes them a little.
    has_parts : bool
        Whether each kind of pass of an EXR is a part of its own, which programs read apart from the others.
    """

    bits: int = 8
    space: ColorSpace = COLOR_SPACES["srgb"]
    dpi: float = 72.0
    on_white: bool = False
    about: tuple[tuple[str, str], ...] = ()
    attributes: tuple[tuple[str, str], ...] = ()
    table: ColorTable | None = None
    packing: Packing = "zip"
    has_parts: bool = False


PLAIN = Form()


def ending_of(path: Path, alpha: bool = False, bits: int = 8, layers: bool = False) -> str:
    """The kind of picture a path asks for. Raises ImageError for any other, or one that cannot hold that much.

    Parameters
    ----------
    path : Path
        File to write.
    alpha : bool
        Alpha.
    bits : int
        Bits of each channel.
    layers : bool
        Whether there are passes beside the picture.

    Returns
    -------
    str
    """
    ending = {".tif": ".tiff", ".jpeg": ".jpg"}.get(path.suffix.lower(), path.suffix.lower())
    if ending not in IMAGE_ENDINGS:
        raise ImageError(f"'{path.name}' must end in {', '.join(IMAGE_ENDINGS[:-1])} or {IMAGE_ENDINGS[-1]}")
    if ending == ".jpg" and (alpha or bits > 8):
        raise ImageError("a JPEG has neither alpha nor 16 bits; choose PNG, TIFF or EXR")
    if bits > _MOST_BITS[ending]:
        most = _MOST_BITS[ending]
        raise ImageError(f"a {ending[1:].upper()} has at most {most} bits per channel; choose {most}, TIFF or EXR")
    if layers and ending not in (".exr", ".ora"):
        raise ImageError("passes need an EXR, or layers in an OpenRaster file; give the file the ending .exr or .ora")
    return ending
