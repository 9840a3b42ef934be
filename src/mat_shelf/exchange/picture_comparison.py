"""Picture files compared with each other."""

import io
from pathlib import Path

import numpy as np
from PIL import Image

from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_reading import read_artwork, read_map
from mat_shelf.rendering.picture_difference import PictureDifference, difference_map, picture_difference
from mat_shelf.rendering.tone import develop
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import write_file

MAPS = {"colour": ("Colour difference", 10.0), "seen": ("Seen difference", 0.5)}
"""Names of the maps, and the difference that each shows lightest: CIEDE2000 and FLIP."""

_SHAPES_APART = 0.01


def read_picture(path: Path) -> np.ndarray:
    """A picture as it is shown: by its colour profile, on white where it is clear; an EXR through the tone curve.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    (H, W, 3) uint8
        sRGB.

    Raises
    ------
    ImageError
        If it is no picture, damaged or too large.
    OSError
        If it cannot be read.
    """
    pixels = read_map(read_artwork(read_file(path)))
    if pixels.shape[2] < 3:
        pixels = np.concatenate([np.repeat(pixels[..., :1], 3, axis=2), pixels[..., 1:]], axis=2)
    if pixels.dtype == np.float32:  # light, multiplied by alpha where it has one
        light = np.nan_to_num(pixels, posinf=0, neginf=0)
        clear = np.clip(1 - light[..., 3:], 0, 1)
        return develop(light[..., :3] + clear if light.shape[2] == 4 else light)
    top = np.iinfo(pixels.dtype).max
    shown = pixels[..., :3].astype(np.float32) / top
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3:].astype(np.float32) / top
        shown = shown * alpha + (1 - alpha)
    return np.round(255 * shown).astype(np.uint8)


def compare_files(one: Path, other: Path) -> PictureDifference:
    """Difference of a picture from another one, at the size of the smaller.

    Parameters
    ----------
    one, other : Path
        Files; the first is what the other should be like.

    Returns
    -------
    PictureDifference

    Raises
    ------
    ImageError
        If one is no picture, or their shapes differ.
    OSError
        If one cannot be read.
    """
    pictures = []
    for path in (one, other):
        try:
            pictures.append(read_picture(path))
        except ImageError as fault:
            raise ImageError(f"{path.name}: {fault}") from fault
    return picture_difference(*at_one_size(*pictures))


def at_one_size(one: np.ndarray, other: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two pictures at the size of the smaller one.

    Parameters
    ----------
    one, other : (H, W, 3) uint8
        Pictures of one shape.

    Returns
    -------
    one, other : (H, W, 3) uint8

    Raises
    ------
    ImageError
        If their shapes differ by more than a hundredth.
    """
    sizes = [(each.shape[1], each.shape[0]) for each in (one, other)]
    shapes = [width / height for width, height in sizes]
    if abs(shapes[0] / shapes[1] - 1) > _SHAPES_APART:
        told = [f"{width} × {height}" for width, height in sizes]
        words = f"one picture has {told[0]} pixels, the other {told[1]}"
        raise ImageError(f"{words}; crop one to the shape of the other, or render it anew")
    size = min(sizes)
    return tuple(
        each if own == size else np.asarray(Image.fromarray(each).resize(size, Image.Resampling.LANCZOS))
        for each, own in zip((one, other), sizes, strict=True)
    )


def write_map(path: Path, difference: PictureDifference, kind: str) -> None:
    """Writes one of the maps as a PNG.

    Parameters
    ----------
    path : Path
        File to write.
    difference : PictureDifference
        The difference.
    kind : str
        Key of `MAPS`.

    Raises
    ------
    ImageError
        If the file is no PNG.
    OSError
        If it cannot be written.
    """
    if path.suffix.lower() != ".png":
        raise ImageError("the map of differences is a PNG; give the file the ending .png")
    out = io.BytesIO()
    Image.fromarray(shown_map(difference, kind)).save(out, "PNG")
    write_file(path, out)


def shown_map(difference: PictureDifference, kind: str) -> np.ndarray:
    """One of the maps as a picture.

    Parameters
    ----------
    difference : PictureDifference
        The difference.
    kind : str
        Key of `MAPS`.

    Returns
    -------
    (H, W, 3) uint8
        sRGB.
    """
    return difference_map(difference.colors if kind == "colour" else difference.seen, MAPS[kind][1])
