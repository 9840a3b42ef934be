"""Artwork on marks: how much of it is anywhere and in what colour, and how high it makes a stamp."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.ndimage import distance_transform_edt

from mat_shelf.numerics.interpolation import smoothsteps
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.mipmap import Mipmap, decoding, texel_at

_STAMP_PIXELS = 1024
"""Width of the height field of a stamp: its slopes are smooth, so it need not be as fine as the art."""


class Artwork:
    """A picture with alpha, looked up without halos: where it is clear it has the colours that stand beside.

    Parameters
    ----------
    picture : Pyramid
    crop : (4,) float
        As `Mark.crop`.
    """

    def __init__(self, picture: Mipmap, crop: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)):
        self._picture = picture
        self._crop = crop
        self.has_alpha = picture.channels in (2, 4)
        self.width, self.height = picture.width, picture.height

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
        left, right, top, bottom = self._crop
        if any(self._crop):
            s, t = F(left) + s * F(1 - left - right), F(bottom) + t * F(1 - top - bottom)
        outside = (s < 0) | (s > 1) | (t < 0) | (t > 1) if min(self._crop) < 0 else None
        if max(self._crop) > 0:  # what is taken off has no say in the colours beside it
            across, tall = 0.5 / self.width, 0.5 / self.height
            s = np.clip(s, F(left + across), F(1 - right - across)) if max(left, right) > 0 else s
            t = np.clip(t, F(bottom + tall), F(1 - top - tall)) if max(top, bottom) > 0 else t
        pixels = self._picture.levels[0]
        art_kernel(pixels, decoding(pixels.dtype.name, True), self.has_alpha, s, t, color, alpha)
        if outside is not None:
            alpha[outside] = 0
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
def art_kernel(pixels, table, has_alpha, s, t, color, alpha):
    """Linear colours, (N, 3), and coverage, (N,), between pixels: those that are clear have no say in the colour.

    Parameters
    ----------
    pixels : (H, W, C) array
        Pixels.
    table : array
        Table.
    has_alpha : bool
        Whether there is an alpha.
    s : (N,) float32
        Places along the width, [0, 1].
    t : (N,) float32
        Places along the height, [0, 1], from the foot.
    color : (3,) float
        Linear Rec.709.
    alpha : (H, W, 1) float32, optional
        Alpha.
    """
    height, width, channels = pixels.shape
    whole = F(max(table.shape[0] - 1, 1))
    last = channels - 1
    for i in range(s.shape[0]):
        x = min(max(s[i], F(0)), F(1)) * F(width) - F(0.5)
        y = (F(1) - min(max(t[i], F(0)), F(1))) * F(height) - F(0.5)
        c0, r0 = int(math.floor(x)), int(math.floor(y))
        u, v = x - F(c0), y - F(r0)
        cover, red, green, blue = F(0), F(0), F(0), F(0)
        for corner in range(4):
            row = min(max(r0 + corner // 2, 0), height - 1)
            column = min(max(c0 + corner % 2, 0), width - 1)
            weight = (v if corner // 2 else F(1) - v) * (u if corner % 2 else F(1) - u)
            if has_alpha:
                weight *= min(max(F(pixels[row, column, last]) / whole, F(0)), F(1))
            cover += weight
            red += weight * texel_at(pixels, table, row, column, 0)
            green += weight * texel_at(pixels, table, row, column, 1 if channels > 2 else 0)
            blue += weight * texel_at(pixels, table, row, column, 2 if channels > 2 else 0)
        per = F(1) / max(cover, F(1e-4))
        color[i, 0] = min(max(red * per, F(0)), F(1))
        color[i, 1] = min(max(green * per, F(0)), F(1))
        color[i, 2] = min(max(blue * per, F(0)), F(1))
        alpha[i] = min(cover, F(1))


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

    def slope(self, s, t) -> np.ndarray:
        """Rise per mm to the right and upwards, (2, N) float32, over one pixel.

        Parameters
        ----------
        s : (N,) float32
            Places along the width, [0, 1].
        t : (N,) float32
            Places along the height, [0, 1], from the foot.

        Returns
        -------
        (2, N) float32
        """
        out, before = np.empty((2, len(s)), np.float32), np.empty(len(s), np.float32)
        for k, (right, up) in enumerate(((0.5, 0), (0, 0.5))):
            height_kernel(self.heights, s, t, F(right), F(up), out[k])
            height_kernel(self.heights, s, t, F(-right), F(-up), before)
            out[k] -= before
            out[k] /= F(self.step[k])
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
    rows, columns = heights.shape
    for i in range(s.shape[0]):
        x = min(max(s[i] * F(columns) - F(0.5) + right, F(0)), F(columns - 1))
        y = min(max(t[i] * F(rows) - F(0.5) + up, F(0)), F(rows - 1))
        j, k = min(int(x), columns - 2), min(int(y), rows - 2)
        u, v = x - F(j), y - F(k)
        low = heights[k, j] * (F(1) - u) + heights[k, j + 1] * u
        out[i] = low * (F(1) - v) + (heights[k + 1, j] * (F(1) - u) + heights[k + 1, j + 1] * u) * v


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
