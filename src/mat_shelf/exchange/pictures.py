"""Pictures as files."""

import io
import os
from pathlib import Path

import numpy as np
import OpenEXR
from PIL import Image, ImageOps

from mat_shelf.exchange.atomic import write_atomically
from mat_shelf.rendering.film import develop

ENDINGS = (".png", ".exr", ".tiff", ".jpg")


class PictureError(ValueError):
    """A picture that cannot be written; the message says why and what to do."""


def ending_of(path: Path) -> str:
    """The kind of picture a path asks for. Raises PictureError for any other."""
    ending = {".tif": ".tiff", ".jpeg": ".jpg"}.get(path.suffix.lower(), path.suffix.lower())
    if ending not in ENDINGS:
        raise PictureError(f"'{path.name}' must end in {', '.join(ENDINGS[:-1])} or {ENDINGS[-1]}")
    return ending


KINDS = {"PNG": "png", "JPEG": "jpg", "TIFF": "tiff", "WEBP": "webp"}
"""Pictures that are read, by Pillow's name."""
MOST_PIXELS = 100_000_000


def _opened(data: bytes) -> Image.Image:
    try:
        picture = Image.open(io.BytesIO(data), formats=list(KINDS))
    except Image.DecompressionBombError:
        raise PictureError(_TOO_LARGE) from None
    except Exception as fault:  # damage ends in whatever the reader of that kind raises
        raise PictureError("this is no PNG, JPEG, TIFF or WebP picture, or it is damaged") from fault
    if picture.width * picture.height > MOST_PIXELS:
        raise PictureError(_TOO_LARGE)
    return picture


_TOO_LARGE = f"the picture has more than {MOST_PIXELS // 1_000_000} million pixels; make it smaller"


def picture_kind(data: bytes) -> str:
    """Ending of the kind of picture this is; it is decoded to be sure. Raises PictureError."""
    read_picture(data)
    return KINDS[_opened(data).format]


def read_picture(data: bytes) -> np.ndarray:
    """A picture from bytes that come from anywhere, (H, W, 3) uint8, sRGB, turned as its camera says.

    Raises
    ------
    PictureError
        If it is no picture, is damaged or too large.
    """
    picture = _opened(data)
    try:
        return np.asarray(ImageOps.exif_transpose(picture).convert("RGB"))
    except Exception as fault:  # as above
        raise PictureError("the picture is damaged and cannot be shown") from fault


def write_picture(path: Path, light: np.ndarray) -> None:
    """Writes scene-linear light, exposure applied: EXR as it is, the others tone-mapped to 8-bit sRGB.

    Parameters
    ----------
    light : (H, W, 3) float32

    Raises
    ------
    PictureError
        For an unknown ending.
    OSError
        If the place cannot be written; an older picture there stays whole.
    """
    ending = ending_of(path)

    def write(temporary: Path) -> None:
        if ending == ".exr":
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            with OpenEXR.File(header, {"RGB": np.ascontiguousarray(light, np.float32)}) as file:
                file.write(str(temporary))
            if not temporary.exists() or not os.path.getsize(temporary):
                raise OSError(f"{path} could not be written")
            return
        kind = {".png": "PNG", ".tiff": "TIFF", ".jpg": "JPEG"}[ending]
        options = {"quality": 95, "subsampling": 0} if kind == "JPEG" else {}
        Image.fromarray(develop(light)).save(temporary, kind, **options)

    write_atomically(path, write)
