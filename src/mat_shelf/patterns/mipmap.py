"""Decoded pictures, at full size and at halves of it, and looking them up between their pixels."""

import math
from functools import lru_cache

import numpy as np

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import decode_srgb

DEPTHS = ("uint8", "uint16", "float32")
"""Kinds of pixels."""


class Mipmap:
    """A picture that patterns show.

    Parameters
    ----------
    pixels : (H, W, C) uint8, uint16 or float32
        C is 1 to 4; rows from the top. Floats are scene-linear.
    most_bytes : int, optional
        The most that it may take; the largest levels are left out where it would take more.

    Attributes
    ----------
    width, height : int
        Pixels across, and from top to bottom, of the picture as it came.
    levels : list of (h, w, C)
        Each half as wide and high as the one before, down to a few pixels. The first is the picture as it came, or the
        largest that there is memory for.
    left_out : int
        How many are left out that would come before.
    """

    def __init__(self, pixels: np.ndarray, most_bytes: int | None = None):
        self.height, self.width = pixels.shape[:2]
        self.left_out = 0
        while most_bytes is not None and pixels.nbytes * 4 // 3 > most_bytes and min(pixels.shape[:2]) >= 8:
            pixels = _halved(np.ascontiguousarray(pixels))
            self.left_out += 1
        self.levels = [np.ascontiguousarray(pixels)]
        while min(self.levels[-1].shape[:2]) >= 8:
            self.levels.append(_halved(self.levels[-1]))
        self._colors: tuple[int, np.ndarray | None] = (0, None)

    @property
    def channels(self) -> int:
        """Number of channels."""
        return self.levels[0].shape[2]

    def level(self, texel: float) -> np.ndarray:
        """The picture to look up, (h, w, C), at full size or smaller, as far as there is memory for it.

        Parameters
        ----------
        texel : float
            How many pixels of the picture as it came one value stands for.

        Returns
        -------
        (h, w, C) array
        """
        return self.levels[min(max(int(math.log2(max(texel, 1))) - self.left_out, 0), len(self.levels) - 1)]

    def colors(self, most: int) -> np.ndarray:
        """The picture as linear colours, at its largest size of so many pixels; the last one asked for is kept.

        Parameters
        ----------
        most : int
            Pixels on its longer side.

        Returns
        -------
        (h, w, 3) float32
        """
        kept_size, made = self._colors
        if made is not None and kept_size == most:
            return made
        pixels = self.level(2.0 ** math.ceil(math.log2(max(self.width, self.height) / most)))
        kept = pixels[..., :3] if pixels.shape[2] >= 3 else np.repeat(pixels[..., :1], 3, axis=2)
        table = decoding(pixels.dtype.name, True)
        made = np.maximum(table[kept] if len(table) > 1 else kept, 0).astype(np.float32)
        self._colors = most, made
        return made


def _halved(pixels: np.ndarray) -> np.ndarray:
    """Means of two by two pixels; an odd last row or column is left out."""
    h, w, c = pixels.shape
    out = np.empty((h // 2, w // 2, c), pixels.dtype)
    _halve(pixels, F(0 if pixels.dtype == np.float32 else 0.5), out)
    return out


@kernel
def _halve(pixels, rounding, out):
    """Fills an (h, w, C) picture with the means of two by two pixels of a larger one."""
    rows, columns, channels = out.shape
    for i in range(rows):
        for j in range(columns):
            for k in range(channels):
                above = F(pixels[2 * i, 2 * j, k]) + F(pixels[2 * i, 2 * j + 1, k])
                below = F(pixels[2 * i + 1, 2 * j, k]) + F(pixels[2 * i + 1, 2 * j + 1, k])
                out[i, j, k] = (above + below) * F(0.25) + rounding


@lru_cache(maxsize=8)
def decoding(kind: str, is_color: bool) -> np.ndarray:
    """Value of each whole number, float32; one zero for floats, which are values themselves.

    Parameters
    ----------
    kind : str
        Name of the dtype.
    is_color : bool
        Whether the image holds colours.

    Returns
    -------
    array
    """
    if kind == "float32":
        return np.zeros(1, np.float32)
    values = np.linspace(0, 1, 256 if kind == "uint8" else 65536, dtype=np.float64)
    return (decode_srgb(values) if is_color else values).astype(np.float32)


@inline
def _within(i, count, ends):
    """A row or column inside the picture."""
    if ends == 0:
        r = i % count
        return r + count if r < 0 else r
    if ends == 1:
        r = i % (2 * count)
        r = r + 2 * count if r < 0 else r
        return 2 * count - 1 - r if r >= count else r
    return min(max(i, 0), count - 1)


@inline
def texel_at(pixels, table, row, column, channel):
    """Value of a number of a pixel, by the table of `decoding`.

    Parameters
    ----------
    pixels : (H, W, C) array
        Pixels.
    table : array
        Table.
    row : (L,) float32
        Table of `decoding`.
    column : int
        Column.
    channel : int
        Channel.

    Returns
    -------
    float32
    """
    if table.shape[0] > 1:
        return table[int(pixels[row, column, channel])]
    return F(pixels[row, column, channel])


@inline
def bilinear(pixels, table, x, y, ends, channel):
    """Value between pixels.

    Parameters
    ----------
    pixels : (H, W, C) array
        Pixels.
    table : array
        Table of `decoding`.
    x, y : float32
        In widths from the left and in heights from the bottom; beyond 1 as `ends` says.
    ends : int
        0 repeats, 1 mirrors, 2 holds the border.
    channel : int
        Channel.

    Returns
    -------
    float32
    """
    height, width, _ = pixels.shape
    x = x * F(width) - F(0.5)
    y = (F(1) - y) * F(height) - F(0.5)
    c0, r0 = int(math.floor(x)), int(math.floor(y))
    u, v = x - F(c0), y - F(r0)
    c1, r1 = _within(c0 + 1, width, ends), _within(r0 + 1, height, ends)
    c0, r0 = _within(c0, width, ends), _within(r0, height, ends)
    top = texel_at(pixels, table, r0, c0, channel) * (F(1) - u) + texel_at(pixels, table, r0, c1, channel) * u
    low = texel_at(pixels, table, r1, c0, channel) * (F(1) - u) + texel_at(pixels, table, r1, c1, channel) * u
    return top * (F(1) - v) + low * v
