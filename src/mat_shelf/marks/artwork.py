"""Artwork on marks: how much of it is anywhere and in what colour, and how high it makes a stamp."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.ndimage import distance_transform_edt

from mat_shelf.patterns.pyramid import Pyramid

_HOLD = 2
"""Beyond its border a picture is its border."""
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
_STAMP_PIXELS = 1024
"""Width of the height field of a stamp: its slopes are smooth, so it need not be as fine as the art."""


class Artwork:
    """A picture with alpha, looked up without halos: where it is clear it has the colours that stand beside.

    Parameters
    ----------
    picture : Pyramid
    """

    def __init__(self, picture: Pyramid):
        self._picture = picture
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
        values = _premultiplied(self._picture, s, t) if self.has_alpha else self._picture.look_up(s, t, True, _HOLD)
        alpha = np.ones(len(s), np.float32)
        if self.has_alpha:
            alpha, values = values[:, -1], values[:, :-1]
            values = values / np.maximum(alpha, np.float32(1e-4))[:, None]
        color = np.repeat(values, 3, axis=1) if values.shape[1] == 1 else values[:, :3]
        return np.clip(np.ascontiguousarray(color), 0, 1), np.clip(alpha, 0, 1)

    def ink(self, s, t) -> np.ndarray:
        """How much of foil or of a stamp there is, (N,) float32: the alpha, or the darkness of art without one."""
        color, alpha = self.look_up(s, t)
        return alpha if self.has_alpha else 1 - color @ _LUMINANCE


def _premultiplied(picture: Pyramid, s, t) -> np.ndarray:
    """Bilinear values between pixels, each colour weighted by its alpha, (N, C) float32: pixels that are clear have
    no say in the colour."""
    x, y = s * np.float32(picture.width) - np.float32(0.5), (1 - t) * np.float32(picture.height) - np.float32(0.5)
    column, row = np.floor(x), np.floor(y)
    u, v = x - column, y - row
    found = 0
    for down, across, weight in ((0, 0, (1 - u) * (1 - v)), (0, 1, u * (1 - v)), (1, 0, (1 - u) * v), (1, 1, u * v)):
        at_s = (np.clip(column + across, 0, picture.width - 1) + 0.5) / picture.width
        at_t = 1 - (np.clip(row + down, 0, picture.height - 1) + 0.5) / picture.height
        values = picture.look_up(at_s.astype(np.float32), at_t.astype(np.float32), True, _HOLD)
        alpha = _plain_alpha(picture, values[:, -1])
        values[:, :-1] *= alpha[:, None]
        values[:, -1] = alpha
        found = found + weight.astype(np.float32)[:, None] * values
    return found


def _plain_alpha(picture: Pyramid, decoded: np.ndarray) -> np.ndarray:
    """Alpha is a plain number; looked up with the colours it was taken for one of them."""
    if picture.levels[0].dtype == np.float32:
        return decoded
    low = decoded * np.float32(12.92)
    high = np.float32(1.055) * np.maximum(decoded, np.float32(1e-9)) ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.where(decoded <= 0.0031308, low, high)


@dataclass(frozen=True, eq=False)
class HeightField:
    """How high a stamp stands.

    Attributes
    ----------
    heights : (H, W) float32, mm; rows from the lower edge up
    step : (2,) float, mm
        Between columns and between rows.
    """

    heights: np.ndarray
    step: tuple[float, float]

    def height(self, s, t) -> np.ndarray:
        """mm, (N,) float64."""
        rows, columns = self.heights.shape
        return self._between(s.astype(np.float64) * columns - 0.5, t.astype(np.float64) * rows - 0.5)

    def slope(self, s, t) -> np.ndarray:
        """Rise per mm to the right and upwards, (2, N) float32."""
        rows, columns = self.heights.shape
        # Central differences over one pixel, between the pixels.
        x, y = s * columns - 0.5, t * rows - 0.5
        right = self._between(x + 0.5, y) - self._between(x - 0.5, y)
        above = self._between(x, y + 0.5) - self._between(x, y - 0.5)
        return np.stack([right / self.step[0], above / self.step[1]]).astype(np.float32)

    def _between(self, x, y) -> np.ndarray:
        rows, columns = self.heights.shape
        x, y = np.clip(x, 0, columns - 1.001), np.clip(y, 0, rows - 1.001)
        j, i = x.astype(np.int64), y.astype(np.int64)
        u, v = x - j, y - i
        h = self.heights
        low = h[i, j] * (1 - u) + h[i, j + 1] * u
        return low * (1 - v) + (h[i + 1, j] * (1 - u) + h[i + 1, j + 1] * u) * v


@lru_cache(maxsize=16)
def stamped(art: Artwork | None, width: float, height: float, rise: float, slope: float, profile: str) -> HeightField:
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
        "flat-topped": way * way * (3 - 2 * way),
    }
    return HeightField((rise * shape[profile]).astype(np.float32), step)
