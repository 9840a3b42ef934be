"""Artwork on marks: how much of it is anywhere and in what colour, and how high it makes a stamp."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.ndimage import distance_transform_edt

from mat_shelf.numerics.interpolation import smoothsteps
from mat_shelf.numerics.kernels import F, apart, inline, kernel
from mat_shelf.numerics.memory import bytes3, floats1, floats3, shorts3
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.mipmap import DEPTHS, Mipmap, decoding, texel_at

_STAMP_PIXELS = 1024
"""Width of the height field of a stamp: its slopes are smooth, so it need not be as fine as the art."""


class Artwork:
    """A picture with alpha, looked up without halos: where it is clear it has the colours that stand beside.

    Parameters
    ----------
    picture : Mipmap
    crop : (4,) float
        As `Mark.crop`.

    Attributes
    ----------
    record : (8,) int64
        What kernels read: address of the pixels, their rows, columns, channels and depth (`mipmap.DEPTHS`), address
        and length of the table of `mipmap.decoding`, whether there is an alpha.
    crop : (4,) float32
        Shares of the width and the height that are taken off: left, right, top, bottom.
    """

    def __init__(self, picture: Mipmap, crop: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)):
        pixels = picture.levels[0]
        table = decoding(pixels.dtype.name, True)
        self._kept = pixels, table  # their addresses are in the record
        self.has_alpha = picture.channels in (2, 4)
        self.width, self.height = picture.width, picture.height
        self.crop = np.array(crop, np.float32)
        depth = DEPTHS.index(pixels.dtype.name)
        self.record = np.array(
            [pixels.ctypes.data, *pixels.shape, depth, table.ctypes.data, len(table), self.has_alpha], np.int64
        )

    def look_up(self, s, t) -> tuple[np.ndarray, np.ndarray]:
        """Colour and coverage at places.

        Parameters
        ----------
        s, t : (N,) float32
            From the left and from the lower edge, [0, 1].

        Returns
        -------
        color : (N, 3) float32
            Linear Rec.709.
        alpha : (N,) float32
        """
        color, alpha = np.empty((len(s), 3), np.float32), np.empty(len(s), np.float32)
        art_kernel(self.record, self.crop, s, t, color, alpha)
        return color, alpha

    def ink(self, s, t) -> np.ndarray:
        """Coverage of foil or of a stamp, (N,) float32: the alpha, or the darkness of artwork without one.

        Parameters
        ----------
        s : (N,) float32
            Places along the width, [0, 1].
        t : (N,) float32
            Places along the height, [0, 1], from the foot.

        Returns
        -------
        (N,) float32
        """
        color, alpha = self.look_up(s, t)
        return alpha if self.has_alpha else alpha * (1 - luminance(color))


@kernel
def art_kernel(record, crop, s, t, color, alpha):
    """Colours and coverage of artwork at places.

    Parameters
    ----------
    record : (8,) int64
        As `Artwork.record`.
    crop : (4,) float32
        As `Artwork.crop`.
    s : (N,) float32
        Places along the width, [0, 1].
    t : (N,) float32
        Places along the height, [0, 1], from the foot.
    color : (N, 3) float32
        Receives the colours, linear Rec.709.
    alpha : (N,) float32
        Receives the coverage.
    """
    for i in range(s.shape[0]):
        color[i, 0], color[i, 1], color[i, 2], alpha[i] = art_at(record, crop, s[i], t[i])


@apart
def art_at(record, crop, s, t):
    """Colour and coverage of artwork at a place; see `art_kernel`.

    Parameters
    ----------
    record : (8,) int64
        As `Artwork.record`.
    crop : (4,) float32
        As `Artwork.crop`.
    s, t : float32
        Place, from the left and from the lower edge, [0, 1].

    Returns
    -------
    red, green, blue, alpha : float32
    """
    left, right, top, bottom = crop[0], crop[1], crop[2], crop[3]
    height, width, channels = record[1], record[2], record[3]
    s, t = left + s * (F(1) - left - right), bottom + t * (F(1) - top - bottom)
    is_outside = s < F(0) or s > F(1) or t < F(0) or t > F(1)
    # What is taken off has no say in the colours beside it.
    if max(left, right) > F(0):
        half = F(0.5) / F(width)
        s = min(max(s, left + half), F(1) - right - half)
    if max(top, bottom) > F(0):
        half = F(0.5) / F(height)
        t = min(max(t, bottom + half), F(1) - top - half)
    table, has_alpha = floats1(record[5], record[6]), record[7] > 0
    if record[4] == 0:
        found = _mixed(bytes3(record[0], height, width, channels), table, has_alpha, s, t)
    elif record[4] == 1:
        found = _mixed(shorts3(record[0], height, width, channels), table, has_alpha, s, t)
    else:
        found = _mixed(floats3(record[0], height, width, channels), table, has_alpha, s, t)
    red, green, blue, alpha = found
    return red, green, blue, F(0) if is_outside and min(min(left, right), min(top, bottom)) < F(0) else alpha


@inline
def _mixed(pixels, table, has_alpha, s, t):
    """Linear colour and coverage between pixels: those that are clear have no say in the colour."""
    height, width, channels = pixels.shape
    whole = F(max(table.shape[0] - 1, 1))
    x = min(max(s, F(0)), F(1)) * F(width) - F(0.5)
    y = (F(1) - min(max(t, F(0)), F(1))) * F(height) - F(0.5)
    c0, r0 = int(math.floor(x)), int(math.floor(y))
    u, v = x - F(c0), y - F(r0)
    cover, red, green, blue = F(0), F(0), F(0), F(0)
    for corner in range(4):
        row = min(max(r0 + corner // 2, 0), height - 1)
        column = min(max(c0 + corner % 2, 0), width - 1)
        weight = (v if corner // 2 else F(1) - v) * (u if corner % 2 else F(1) - u)
        if has_alpha:
            weight *= min(max(F(pixels[row, column, channels - 1]) / whole, F(0)), F(1))
        cover += weight
        red += weight * texel_at(pixels, table, row, column, 0)
        green += weight * texel_at(pixels, table, row, column, 1 if channels > 2 else 0)
        blue += weight * texel_at(pixels, table, row, column, 2 if channels > 2 else 0)
    per = F(1) / max(cover, F(1e-4))
    red, green, blue = min(max(red * per, F(0)), F(1)), min(max(green * per, F(0)), F(1)), blue * per
    return red, green, min(max(blue, F(0)), F(1)), min(cover, F(1))


@dataclass(frozen=True, eq=False)
class HeightField:
    """Heights of a stamp.

    Attributes
    ----------
    heights : (H, W) float32, mm; rows from the lower edge up
    step : (2,) float, mm
        Between columns and between rows.
    """

    heights: np.ndarray
    step: tuple[float, float]

    def height(self, s, t) -> np.ndarray:
        """mm, (N,) float32.

        Parameters
        ----------
        s : (N,) float32
            Places along the width, [0, 1].
        t : (N,) float32
            Places along the height, [0, 1], from the foot.

        Returns
        -------
        (N,) float32
        """
        out = np.empty(len(s), np.float32)
        height_kernel(self.heights, s, t, F(0), F(0), out)
        return out


@kernel
def height_kernel(heights, s, t, right, up, out):
    """Heights, (N,), between the pixels of a field, at places some pixels to the right and up.

    Parameters
    ----------
    heights : (H, W) float32
        Heights, [0, 1].
    s : (N,) float32
        Places along the width, [0, 1].
    t : (N,) float32
        Places along the height, [0, 1], from the foot.
    right : float32
        Shift to the right, pixels.
    up : float32
        Shift upwards, pixels.
    out : (N,) float32
        Receives the heights.
    """
    for i in range(s.shape[0]):
        out[i] = height_at(heights, s[i], t[i], right, up)


@inline
def height_at(heights, s, t, right, up):
    """Height between the pixels of a field, at a place some pixels to the right and up; see `height_kernel`.

    Parameters
    ----------
    heights : (H, W) float32
        Heights, mm.
    s, t : float32
        Place along the width and along the height, [0, 1], from the foot.
    right, up : float32
        Shift, pixels.

    Returns
    -------
    float32
    """
    rows, columns = heights.shape
    x = min(max(s * F(columns) - F(0.5) + right, F(0)), F(columns - 1))
    y = min(max(t * F(rows) - F(0.5) + up, F(0)), F(rows - 1))
    j, k = min(int(x), columns - 2), min(int(y), rows - 2)
    u, v = x - F(j), y - F(k)
    low = heights[k, j] * (F(1) - u) + heights[k, j + 1] * u
    return low * (F(1) - v) + (heights[k + 1, j] * (F(1) - u) + heights[k + 1, j + 1] * u) * v


@lru_cache(maxsize=64)
def prepare_artwork(picture: Mipmap, crop: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)) -> Artwork:
    """The same artwork for the same picture, so that what is made of it is made once.

    Parameters
    ----------
    picture : Mipmap
        The image.
    crop : tuple[float, float, float, float]
        Shares that are taken off.

    Returns
    -------
    Artwork
    """
    return Artwork(picture, crop)


@lru_cache(maxsize=16)
def stamp_heights(
    art: Artwork | None, width: float, height: float, rise: float, slope: float, profile: str
) -> HeightField:
    """The height field of a stamp.

    Parameters
    ----------
    art : Artwork or None
        Its ink is what is pressed; the whole of the mark where there is none.
    width, height : float, mm
        Of the mark.
    rise : float, mm
    slope : float, mm
        Way over which it rises, inwards from the outline of the ink.
    profile : {"straight", "round", "flat-topped"}

    Returns
    -------
    HeightField
    """
    columns = max(min(_STAMP_PIXELS, round(_STAMP_PIXELS * width / height)), 16)
    rows = max(round(columns * height / width), 16)
    s, t = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
    step = (width / columns, height / rows)
    ink = np.ones((rows, columns), np.float32)
    if art is not None:
        ink = art.ink(s.ravel().astype(np.float32), t.ravel().astype(np.float32)).reshape(rows, columns)
    ink = np.pad(ink, 1)  # the border of the mark is an outline too
    inwards = distance_transform_edt(ink >= 0.5, sampling=step[::-1])[1:-1, 1:-1]
    # Half a pixel lies outside; soft edges of the art say more exactly where the outline is.
    way = np.clip((inwards - 0.5 * min(step)) / slope, 0, 1)
    shape = {
        "straight": way,
        "round": np.sqrt(np.clip(1 - (1 - way) ** 2, 0, 1)),
        "flat-topped": smoothsteps(way),
    }
    return HeightField((rise * shape[profile]).astype(np.float32), step)
