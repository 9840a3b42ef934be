"""Difference of two pictures of one size, as colours and as it is seen."""

from typing import NamedTuple

import numpy as np

from mat_shelf.optics.color import color_difference, decode_srgb, encode_srgb, lab_from_linear, linear_from_lab

_ROWS = 64
JUST_SEEN, CLEARLY_SEEN = 1.0, 3.0
"""CIEDE2000 differences that are just seen, and seen without looking for them (common practice)."""
PIXELS_PER_DEGREE = 67.0
"""Of a screen as FLIP takes it: 0.7 m away, 3840 pixels on 0.7 m."""
_RAMP = np.array([(8, 0, 0), (30, 4, -28), (50, 34, -20), (66, 42, 30), (82, 12, 62), (97, -2, 18)], float)
"""CIELAB from no difference to the most: ever lighter, so that it can be read in grey."""


class PictureDifference(NamedTuple):
    """Two maps.

    Attributes
    ----------
    colors : (H, W) float32
        CIEDE2000 difference of each pixel; 1 is just about seen.
    seen : (H, W) float32
        FLIP difference, [0, 1]: what an eye notices that goes from one picture to the other on the same screen.
    """

    colors: np.ndarray
    seen: np.ndarray

    def numbers(self) -> dict[str, float]:
        """Mean, median, 95th percentile and most of the colour difference, shares of pixels above what is seen, and
        the mean of FLIP.

        Returns
        -------
        dict of float
        """
        colors = self.colors
        middle, high = np.quantile(colors, (0.5, 0.95))
        return {
            "ciede2000_mean": float(colors.mean(dtype=np.float64)),
            "ciede2000_median": float(middle),
            "ciede2000_95": float(high),
            "ciede2000_most": float(colors.max()),
            "share_just_seen": float((colors > JUST_SEEN).mean()),
            "share_clearly_seen": float((colors > CLEARLY_SEEN).mean()),
            "flip_mean": float(self.seen.mean(dtype=np.float64)),
        }


def picture_difference(one: np.ndarray, other: np.ndarray, is_stopped=lambda: False) -> PictureDifference:
    """Difference of two pictures.

    Parameters
    ----------
    one, other : (H, W, 3) uint8
        sRGB; the first is what the other should be like.
    is_stopped : callable () -> bool
        True cancels.

    Returns
    -------
    PictureDifference

    Raises
    ------
    ValueError
        If their sizes differ.
    InterruptedError
        If `is_stopped` said so.

    References
    ----------
    Andersson et al. 2020, FLIP: A Difference Evaluator for Alternating Images, by the authors' own library.
    """
    if one.shape != other.shape:
        raise ValueError("pictures are compared pixel by pixel, and these have different sizes")
    import flip_evaluator  # which takes a while to import, and is of no other use

    colors = np.empty(one.shape[:2], np.float32)
    for first in range(0, len(one), _ROWS):
        if is_stopped():
            raise InterruptedError("cancelled")
        rows = slice(first, first + _ROWS)
        colors[rows] = color_difference(_lab(one[rows]), _lab(other[rows]))
    pictures = [np.ascontiguousarray(each, np.float32) / 255 for each in (one, other)]
    shown = {"ppd": PIXELS_PER_DEGREE}
    seen, _, _ = flip_evaluator.evaluate(*pictures, "LDR", applyMagma=False, computeMeanError=False, parameters=shown)
    return PictureDifference(colors, np.asarray(seen, np.float32).reshape(colors.shape))


def difference_map(values: np.ndarray, most: float) -> np.ndarray:
    """Differences as colours, from dark to light.

    Parameters
    ----------
    values : (H, W) float
        Differences.
    most : float
        Difference that is shown lightest, > 0.

    Returns
    -------
    (H, W, 3) uint8
        sRGB.
    """
    steps = np.linspace(0, 1, 256)
    lab = np.stack([np.interp(steps, np.linspace(0, 1, len(_RAMP)), _RAMP[:, k]) for k in range(3)], axis=-1)
    table = np.round(255 * encode_srgb(linear_from_lab(lab))).astype(np.uint8)
    return table[np.clip(np.nan_to_num(values) / most * 255, 0, 255).astype(np.uint8)]


def _lab(rows: np.ndarray) -> np.ndarray:
    return lab_from_linear(_LINEAR[rows])


_LINEAR = decode_srgb(np.arange(256) / 255)
