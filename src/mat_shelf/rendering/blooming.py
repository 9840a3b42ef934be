"""Bloom and glare: light that lenses spread from what is bright, and what is done in the same turn afterwards."""

import math
from functools import lru_cache

import numpy as np
from scipy.fft import irfft2, next_fast_len, rfft2
from scipy.ndimage import gaussian_filter

from mat_shelf.document.finish import Adjustment
from mat_shelf.numerics.kernels import F
from mat_shelf.rendering.adjusting import adjusted, kernel_values
from mat_shelf.rendering.finish_kernels import finish_edges, gather_above, new_memory, spread
from mat_shelf.rendering.pixel_blocks import new_block
from mat_shelf.system.processors import in_parts

_PLAIN_EDGES = F(0), F(0)
_GLARE_ROWS, _STAR_REACH = 400, 5.0
"""Rows of the picture that rays are made in, and their length, of that at which a third of their light is left."""
_FINEST = 2.0
"""Least width of a blur, in pixels of the smaller picture that it is made in."""


def with_bloom(
    light: np.ndarray,
    amount: float,
    threshold: float,
    size: float,
    out: np.ndarray | None = None,
    after: Adjustment | None = None,
    edges: tuple[np.float32, np.float32] = _PLAIN_EDGES,
) -> np.ndarray:
    """Light of which what is above a threshold is spread, its sum kept.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear.
    amount : float
        Share of what is above the threshold, in [0, 1].
    threshold : float
        Luminance.
    size : float
        Standard deviation of the spread, in heights of the picture.
    out : (H, W, 3) float32, optional
        Taken for the result, unless edges are finished; it may be the light itself.
    after : Adjustment, optional
        What is changed afterwards, in the same turn.
    edges : tuple of float32, float32, optional
        Vignette and sharpening, of what comes of that.

    Returns
    -------
    (H, W, 3) float32
    """
    if amount <= 0:
        return _with_edges(adjusted(light, after or Adjustment(), out=out), edges)
    width = max(size * len(light), 0.3)
    side = max(int(width / _FINEST), 1)

    def blur(small: np.ndarray) -> np.ndarray:
        """Blur a picture of what is above the threshold.

        Parameters
        ----------
        small : (h, w, 3) float32
            The picture.

        Returns
        -------
        (h, w, 3) float32
        """
        made = np.empty_like(small)
        for k in range(3):
            gaussian_filter(small[..., k], width / side, output=made[..., k], mode="reflect", truncate=3.0)
        return made

    return _spread(light, amount, threshold, side, blur, out, after or Adjustment(), edges)


def with_glare(
    light: np.ndarray,
    amount: float,
    threshold: float,
    size: float,
    rays: int,
    out: np.ndarray | None = None,
) -> np.ndarray:
    """Light of which what is above a threshold is spread into rays, as by the edges of a diaphragm.

    Along each it falls off with an exponential function, which is common practice; in life it does with the square of
    the distance, and in colours. What goes beyond the picture's border is lost.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear.
    amount : float
        Share of what is above the threshold, in [0, 1].
    threshold : float
        Luminance.
    size : float
        Length at which a ray has a third of its light left, in heights of the picture.
    rays : int
        Number of rays; the first goes up.
    out : (H, W, 3) float32, optional
        As for `with_bloom`.

    Returns
    -------
    (H, W, 3) float32
    """
    if amount <= 0:
        return light
    side = max(len(light) // _GLARE_ROWS, 1)
    star = _star(max(size * len(light) / side, 0.5), rays, -(-max(light.shape[:2]) // side))

    def spread_out(small: np.ndarray) -> np.ndarray:
        """Spread a picture of what is above the threshold.

        Parameters
        ----------
        small : (h, w, 3) float32
            The picture.

        Returns
        -------
        (h, w, 3) float32
        """
        return np.maximum(_convolved(small, star), 0)

    return _spread(light, amount, threshold, side, spread_out, out, Adjustment(), _PLAIN_EDGES)


@lru_cache(maxsize=4)
def _star(length: float, rays: int, most: int) -> np.ndarray:
    """Rays about the middle of a small picture, of sum 1, (2n + 1, 2n + 1) float32."""
    reach = max(min(math.ceil(_STAR_REACH * length), most), 1)
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    made = np.zeros_like(x)
    for k in range(rays):
        turn = math.pi / 2 + 2 * math.pi * k / rays
        along, across = x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn)
        made += np.where(along > -0.5, np.clip(1.2 - np.abs(across), 0, 1) * np.exp(-np.abs(along) / length), 0)
    return made / made.sum()


def _convolved(small: np.ndarray, star: np.ndarray) -> np.ndarray:
    """A small picture in which each pixel is spread like a star; what leaves it is lost."""
    high, wide = small.shape[:2]
    room = [next_fast_len(a + b - 1, real=True) for a, b in zip((high, wide), star.shape, strict=True)]
    spread_out = irfft2(rfft2(small, room, axes=(0, 1)) * rfft2(star, room)[..., None], room, axes=(0, 1))
    top, left = star.shape[0] // 2, star.shape[1] // 2
    return spread_out[top : top + high, left : left + wide]


def _with_edges(light: np.ndarray, edges: tuple[np.float32, np.float32]) -> np.ndarray:
    """Light with a vignette, and sharpened."""
    if edges == _PLAIN_EDGES:
        return light
    light = np.ascontiguousarray(light, np.float32)
    out = np.empty_like(light)
    wide = light.shape[1]
    in_parts(len(light), lambda first, last: finish_edges(light, edges, first, last, new_memory(wide), out))
    return out


def _spread(
    light: np.ndarray, amount: float, threshold: float, side: int, blur, out, after: Adjustment, edges
) -> np.ndarray:
    """Light of which a share above a threshold is spread by a function of a smaller picture of it; then the rest."""
    light = np.ascontiguousarray(light, np.float32)
    high, wide = light.shape[:2]
    small = np.empty((-(-high // side), -(-wide // side), 3), np.float32)

    def gather(first: int, last: int) -> None:
        """Gather what is above the threshold, for some rows of the small picture.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        sums = np.empty((3, small.shape[1] * side), np.float32)
        gather_above(light, F(threshold), side, first, last, new_block(), sums, small)

    in_parts(len(small), gather)
    blurred = blur(small)
    out = np.empty_like(light) if out is None or edges != _PLAIN_EDGES else out
    at = np.clip((np.arange(wide, dtype=np.float32) + 0.5) / side - 0.5, 0, small.shape[1] - 1).astype(np.float32)
    left, asked = at.astype(np.int32), kernel_values(after)
    spreading = side, F(threshold), F(amount), left, (at - left).astype(np.float32)

    def run(first: int, last: int) -> None:
        """Spread the light of some rows.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        spread(light, blurred, spreading, asked, edges, first, last, new_memory(wide), out)

    in_parts(high, run)
    return out
