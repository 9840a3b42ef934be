"""Pictures written to files."""

import os
from collections.abc import Mapping
from contextlib import contextmanager
from pathlib import Path
from types import MappingProxyType
from typing import BinaryIO

import numpy as np
import OpenImageIO

from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.rendering.tone import develop, develop_deep
from mat_shelf.system.file_writer import write_file

IMAGE_ENDINGS = (".png", ".exr", ".tiff", ".jpg")


def ending_of(path: Path, alpha: bool = False, deep: bool = False, layers: bool = False) -> str:
    """The kind of picture a path asks for. Raises ImageError for any other, or one that cannot hold that much.

    Parameters
    ----------
    path : Path
        File to write.
    alpha : bool
        Alpha.
    deep : bool
        Whether 16 bits per channel are written.
    layers : bool
        Layers of `prepare_layered`.

    Returns
    -------
    str
    """
    ending = {".tif": ".tiff", ".jpeg": ".jpg"}.get(path.suffix.lower(), path.suffix.lower())
    if ending not in IMAGE_ENDINGS:
        raise ImageError(f"'{path.name}' must end in {', '.join(IMAGE_ENDINGS[:-1])} or {IMAGE_ENDINGS[-1]}")
    if ending == ".jpg" and (alpha or deep):
        raise ImageError("a JPEG has neither alpha nor 16 bits; choose PNG, TIFF or EXR")
    if layers and ending != ".exr":
        raise ImageError("passes need an EXR; give the file the ending .exr")
    return ending


def write_image(
    path: Path,
    light: np.ndarray,
    alpha: np.ndarray | None = None,
    deep: bool = False,
    layers: Mapping[str, np.ndarray] = MappingProxyType({}),
    is_exact: bool = False,
    rest: np.ndarray | None = None,
    inside: tuple[slice, slice] = (slice(None), slice(None)),
) -> None:
    """Writes scene-linear light, exposure applied: EXR as it is, the others tone-mapped to sRGB.

    Parameters
    ----------
    path : Path
        File to write.
    light : (H, W, 3) float32
        Multiplied by alpha, where there is one. An EXR keeps it so; PNG and TIFF get the colour without it.
    alpha : (H, W, 1) float32, optional
    deep : bool
        16 bits a channel instead of 8, in PNG and TIFF.
    layers : mapping from name to (H, W, C) float32
        Passes, which become channels ``name.R`` and so on of an EXR.
    is_exact : bool
        As for `film.tone_map`.
    rest : (H, W, C) uint8, uint16 or float32, optional
        As `read_map` has the picture that all but some rows and columns are taken from.
    inside : (rows, columns) of slice
        Those.

    Raises
    ------
    ImageError
        For an unknown ending, or one that cannot hold what it should.
    OSError
        If the place cannot be written; an older picture there stays whole.
    """
    ending = ending_of(path, alpha is not None, deep, bool(layers))
    with _memory_file() as (file, name):
        if ending == ".exr":
            if rest is not None:
                seen = light if alpha is None else np.concatenate([light, alpha], axis=2)
                rest = np.concatenate([rest[..., :3] * rest[..., 3:], rest[..., 3:]], 2) if rest.shape[2] == 4 else rest
                seen = _over(rest, seen, inside)
                light, alpha = seen[..., :3], seen[..., 3:] if seen.shape[2] == 4 else None
            planes = _exr_channels(light, alpha, layers)
            spec = OpenImageIO.ImageSpec(*light.shape[1::-1], len(planes), "float")
            spec.channelnames = tuple(planes)
            spec.attribute("compression", "zip")
            _encode(name, ending, spec, np.stack(list(planes.values()), axis=2))
        else:
            pixels = _developed(light, alpha, deep, is_exact)
            pixels = pixels if rest is None else _over(rest, pixels, inside)
            spec = OpenImageIO.ImageSpec(*pixels.shape[1::-1], pixels.shape[2], str(pixels.dtype))
            spec.attribute("oiio:UnassociatedAlpha", 1)
            spec.attribute("oiio:ColorSpace", "sRGB")
            spec.attribute("compression", {".jpg": "jpeg:95", ".tiff": "zip"}.get(ending, "zip"))
            spec.attribute("jpeg:subsampling", "4:4:4")
            _encode(name, ending, spec, pixels)
        write_file(path, file)


def _over(rest: np.ndarray, pixels: np.ndarray, inside: tuple[slice, slice]) -> np.ndarray:
    """A picture with some rows and columns of another one of its dtype."""
    count = 4 if 4 in (rest.shape[2], pixels.shape[2]) else 3
    made = _with_channels(rest, count).copy()
    made[inside] = _with_channels(pixels, count)[inside]
    return np.ascontiguousarray(made)


def _with_channels(pixels: np.ndarray, count: int) -> np.ndarray:
    if pixels.shape[2] < 3:
        pixels = np.concatenate([np.repeat(pixels[..., :1], 3, axis=2), pixels[..., 1:]], axis=2)
    if pixels.shape[2] == count:
        return pixels
    whole = {"uint8": 255, "uint16": 65535}.get(pixels.dtype.name, 1)
    return np.concatenate([pixels, np.full((*pixels.shape[:2], 1), whole, pixels.dtype)], axis=2)


def write_pixels(path: Path, pixels: np.ndarray) -> None:
    """Writes plain pixels, (H, W) or (H, W, C) uint8, uint16 or float32, as they are. Raises OSError.

    Parameters
    ----------
    path : Path
        File to write.
    pixels : (H, W, C) array
        Pixels.
    """
    with _encoded_pixels(pixels, path.suffix.lower()) as file:
        write_file(path, file)


def png_bytes(pixels: np.ndarray) -> bytes:
    """Plain pixels, (H, W) or (H, W, C) uint8 or uint16, as a PNG.

    Parameters
    ----------
    pixels : (H, W, C) array
        Pixels.

    Returns
    -------
    bytes
    """
    with _encoded_pixels(pixels, ".png") as file:
        file.seek(0)
        return file.read()


@contextmanager
def _encoded_pixels(pixels: np.ndarray, ending: str):
    pixels = np.ascontiguousarray(pixels.reshape(*pixels.shape[:2], -1))
    depth = {"float32": "float"}.get(pixels.dtype.name, pixels.dtype.name)
    with _memory_file() as (file, name):
        _encode(name, ending, OpenImageIO.ImageSpec(*pixels.shape[1::-1], pixels.shape[2], depth), pixels)
        yield file


@contextmanager
def _memory_file():
    """A file in memory, and a path that libraries can open it by.

    Encoders write there, since on a full disk some truncate in silence and one ends the process.
    """
    file: BinaryIO
    with open(os.memfd_create("picture", os.MFD_CLOEXEC), "r+b") as file:
        yield file, f"/proc/self/fd/{file.fileno()}"


def _encode(name: str, ending: str, spec, pixels: np.ndarray) -> None:
    kind = {".jpg": "jpeg", ".exr": "openexr"}.get(ending, ending[1:])
    output = OpenImageIO.ImageOutput.create(kind)
    if not output.open(name, spec) or not output.write_image(pixels) or not output.close():
        raise OSError(f"the image could not be encoded ({output.geterror().strip() or 'it may be too large'})")


def _developed(light: np.ndarray, alpha: np.ndarray | None, deep: bool, is_exact: bool) -> np.ndarray:
    """(H, W, 3 or 4) uint8 or uint16."""
    color = light if alpha is None else light / np.maximum(alpha, 1e-4)
    color = develop_deep(color, is_exact) if deep else develop(color, is_exact=is_exact)
    if alpha is None:
        return np.ascontiguousarray(color)
    whole = 65535 if deep else 255
    return np.concatenate([color, np.round(alpha * whole).astype(color.dtype)], axis=2)


_CHANNELS = {"normal": "XYZ", "position": "XYZ", "depth": "Z"}


def _exr_channels(light, alpha, layers) -> dict[str, np.ndarray]:
    """Planes by channel name, (H, W) float32."""
    planes = {name: light[..., k] for k, name in enumerate("RGB")}
    if alpha is not None:
        planes["A"] = alpha[..., 0]
    for name, layer in layers.items():
        letters = _CHANNELS.get(name, "RGB" if layer.shape[2] == 3 else "Y")
        # A dot sets a channel apart from its layer, so names of parts must not bring more of them.
        kind, _, rest = name.partition(".")
        plain = f"{kind}.{rest.replace('.', '_')}" if rest else kind
        planes |= {f"{plain}.{letter}": layer[..., k] for k, letter in enumerate(letters)}
    return {name: np.asarray(plane, np.float32) for name, plane in planes.items()}
