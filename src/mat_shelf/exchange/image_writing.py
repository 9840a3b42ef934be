"""Pictures written to files."""

import os
from collections.abc import Mapping
from contextlib import contextmanager
from pathlib import Path
from types import MappingProxyType
from typing import BinaryIO

import numpy as np
import OpenImageIO
from PIL import Image

from mat_shelf.document.set import ToneCurve
from mat_shelf.exchange.color_profiles import LINEAR, encoded, icc_profile
from mat_shelf.exchange.exr_writing import encode_exr
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import LARGEST_SIDE, PLAIN, Form, ending_of
from mat_shelf.exchange.xmp import xmp_packet
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.rendering.tone import develop, tone_map
from mat_shelf.system.file_writer import write_file

_COMPACT = {
    ".jpg": {"format": "jpeg", "quality": 95, "subsampling": 0},
    ".webp": {"format": "webp", "quality": 92},
    ".avif": {"format": "avif", "quality": 90},
}


def write_image(
    path: Path,
    light: np.ndarray,
    alpha: np.ndarray | None = None,
    form: Form = PLAIN,
    layers: Mapping[str, np.ndarray] = MappingProxyType({}),
    tone_curve: ToneCurve = "neutral",
    rest: np.ndarray | None = None,
    inside: tuple[slice, slice] = (slice(None), slice(None)),
) -> None:
    """Writes scene-linear light, exposure applied: EXR and TIFF of 32 bits as it is, the others tone-mapped.

    Parameters
    ----------
    path : Path
        File to write.
    light : (H, W, 3) float32
        Multiplied by alpha, where there is one. An EXR keeps it so; PNG and TIFF get the colour without it.
    alpha : (H, W, 1) float32, optional
    form : Form
        Bits, colour space, resolution and words of the file.
    layers : mapping from name to (H, W, C) float32
        Passes, which become channels ``name.R`` and so on of an EXR.
    tone_curve : str
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
    ending = ending_of(path, alpha is not None and not form.on_white, form.bits, bool(layers))
    with _memory_file() as (file, name):
        if ending == ".exr":
            if form.on_white and alpha is not None:
                light, alpha = light + (1 - alpha), None
            _write_exr(name, light, alpha, form, layers, rest, inside)
        else:
            pixels = encoded_picture(light, alpha, form, tone_curve)
            pixels = pixels if rest is None else _over(rest, pixels, inside)
            if ending in _COMPACT:
                _write_compact(file, ending, pixels, form)
            else:
                _encode(name, ending, _spec(pixels, form), pixels)
        write_file(path, file)


def _write_exr(name: str, light, alpha, form: Form, layers, rest, inside) -> None:
    if rest is not None:
        seen = light if alpha is None else np.concatenate([light, alpha], axis=2)
        rest = np.concatenate([rest[..., :3] * rest[..., 3:], rest[..., 3:]], 2) if rest.shape[2] == 4 else rest
        seen = _over(rest, seen, inside)
        light, alpha = seen[..., :3], seen[..., 3:] if seen.shape[2] == 4 else None
    encode_exr(name, light, alpha, form, layers, _describe)


def _spec(pixels: np.ndarray, form: Form):
    depth = {"float32": "float"}.get(pixels.dtype.name, pixels.dtype.name)
    spec = OpenImageIO.ImageSpec(*pixels.shape[1::-1], pixels.shape[2], depth)
    spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("compression", "zip")
    if pixels.dtype == np.float32:
        spec.attribute("tiff:predictor", 1)  # none: the one for floats is read by few
    profile = np.frombuffer(icc_profile(LINEAR if pixels.dtype == np.float32 else form.space), np.uint8)
    spec.attribute("ICCProfile", OpenImageIO.TypeDesc(f"uint8[{len(profile)}]"), profile)
    _describe(spec, form)
    return spec


def _describe(spec, form: Form) -> None:
    for name in ("XResolution", "YResolution"):
        spec.attribute(name, float(form.dpi))
    spec.attribute("ResolutionUnit", "in")
    spec.attribute("Software", "Mat Shelf")
    if form.about:
        spec.attribute("ImageDescription", "; ".join(f"{name}: {words}" for name, words in form.about))


def _write_compact(file: BinaryIO, ending: str, pixels: np.ndarray, form: Form) -> None:
    """JPEG, WebP and AVIF."""
    if max(pixels.shape[:2]) > LARGEST_SIDE.get(ending, 65535):
        most = LARGEST_SIDE[ending]
        raise ImageError(f"a {ending[1:].upper()} has at most {most} pixels a side; choose another format")
    profile, dpi = icc_profile(form.space), (form.dpi, form.dpi)
    Image.fromarray(pixels).save(file, icc_profile=profile, dpi=dpi, xmp=xmp_packet(form.about), **_COMPACT[ending])
    file.flush()


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


def png_bytes(pixels: np.ndarray, form: Form | None = None) -> bytes:
    """Plain pixels, (H, W) or (H, W, C) uint8 or uint16, as a PNG.

    Parameters
    ----------
    pixels : (H, W, C) array
        Pixels.
    form : Form, optional
        Colour space, resolution and words that it says.

    Returns
    -------
    bytes
    """
    with _encoded_pixels(pixels, ".png", form) as file:
        file.seek(0)
        return file.read()


@contextmanager
def _encoded_pixels(pixels: np.ndarray, ending: str, form: Form | None = None):
    pixels = np.ascontiguousarray(pixels.reshape(*pixels.shape[:2], -1))
    depth = {"float32": "float"}.get(pixels.dtype.name, pixels.dtype.name)
    spec = OpenImageIO.ImageSpec(*pixels.shape[1::-1], pixels.shape[2], depth) if form is None else _spec(pixels, form)
    with _memory_file() as (file, name):
        _encode(name, ending, spec, pixels)
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


def encoded_picture(light: np.ndarray, alpha: np.ndarray | None, form: Form, tone_curve: ToneCurve) -> np.ndarray:
    """Pixels of a file for scene-linear light.

    Parameters
    ----------
    light : (H, W, 3) float32
        Multiplied by alpha, where there is one.
    alpha : (H, W, 1) float32 or None
        Share of each pixel that is covered.
    form : Form
        Bits, colour space and ground of the file.
    tone_curve : str
        As for `tone.tone_map`.

    Returns
    -------
    (H, W, 3 or 4) uint8, uint16 or float32
    """
    color = light if alpha is None else light / np.maximum(alpha, 1e-4)
    if form.bits == 32:
        if form.on_white and alpha is not None:
            return np.ascontiguousarray(light + (1 - alpha), np.float32)
        return np.ascontiguousarray(color if alpha is None else np.concatenate([color, alpha], axis=2), np.float32)
    whole, depth = (65535, np.uint16) if form.bits == 16 else (255, np.uint8)
    if form == PLAIN._replace(dpi=form.dpi, about=form.about, on_white=form.on_white) and not (
        form.on_white and alpha is not None
    ):
        shown = develop(color, tone_curve=tone_curve)
    else:
        linear = tone_map(color, tone_curve)
        linear = linear if form.table is None else looked_up(linear, form.table)
        if form.on_white and alpha is not None:
            linear = linear * alpha + (1 - alpha)
        shown = np.round(encoded(linear, form.space) * whole).astype(depth)
    if alpha is None or form.on_white:
        return np.ascontiguousarray(shown)
    return np.concatenate([shown, np.round(alpha * whole).astype(depth)], axis=2)
