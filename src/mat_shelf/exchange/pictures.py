"""Pictures as files."""

import os
from pathlib import Path

import numpy as np
import OpenEXR
from PIL import Image

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
