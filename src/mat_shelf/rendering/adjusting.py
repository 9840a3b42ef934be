"""Adjustments of light: white, contrast, shadows and highlights, the curve and saturation, everywhere or by a mask."""

import numpy as np

from mat_shelf.document.finish import STRAIGHT, Adjustment
from mat_shelf.numerics.interpolation import curve_table
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.color import black_body, decode_srgb, encode_srgb
from mat_shelf.rendering.finish_kernels import PER_ROOT, ROOTS, adjust, read_shares
from mat_shelf.rendering.pixel_blocks import new_block
from mat_shelf.system.processors import in_parts

MIDDLE_GREY = 0.18
"""Luminance that contrast leaves as it is (common practice)."""
_PLAIN_WHITE = 6504.0
_SHADOWS_END, _HIGHLIGHTS_END = -5.0, 4.0
"""Stops from a middle grey at which shadows and highlights are moved by all that is asked for."""
_SHADOW_STOPS, _HIGHLIGHT_STOPS = (-3.5, -1.0), (0.3, 2.0)
"""Stops from a middle grey where all is shadow, and nothing any more; nothing yet is highlight, and all."""
_LEAST = 1e-6
_CURVE_PLACES = 1024


def white_shift(warmth: float, tint: float) -> np.ndarray:
    """Gains of the three channels that make a picture warmer, of luminance 1.

    Parameters
    ----------
    warmth : float
        Mired; the reciprocal temperature of the light grows by as much.
    tint : float
        As `document.light.Light.tint` has it.

    Returns
    -------
    (3,) float32
    """
    if warmth == 0 and tint == 0:
        return np.ones(3, np.float32)
    warmer = black_body(1e6 / (1e6 / _PLAIN_WHITE + warmth), tint)
    return (np.maximum(warmer, 0.02) / np.maximum(black_body(_PLAIN_WHITE), 0.02)).astype(np.float32)


def tone_gains(adjustment: Adjustment) -> np.ndarray:
    """Gains of light for contrast, shadows, highlights and the curve, by the fourth root of its luminance.

    The stops from a middle grey are stretched by the contrast; then those below and above are moved, the more the
    further away they are, and never past each other; then the curve is followed.

    Parameters
    ----------
    adjustment : Adjustment
        Its contrast, shadows, highlights and curve.

    Returns
    -------
    (4096,) float32
    """
    root = np.arange(ROOTS, dtype=np.float64) / PER_ROOT
    stops = np.log2(np.maximum(root**4, _LEAST) / MIDDLE_GREY)
    stretched = stops * adjustment.contrast
    moved = stretched + adjustment.shadows * _eased(stretched / _SHADOWS_END)
    moved += adjustment.highlights * _eased(stretched / _HIGHLIGHTS_END)
    gains = np.exp2(moved - stops)
    return (gains * _curve_gains(adjustment, MIDDLE_GREY * np.exp2(moved))).astype(np.float32)


def _curve_gains(adjustment: Adjustment, shown: np.ndarray) -> np.ndarray:
    """Gains of luminances by the curve; all that is brighter than white has that of white."""
    if adjustment.curve == STRAIGHT:
        return np.ones(1)
    within = np.clip(shown, _LEAST, 1)
    places = encode_srgb(within) * (_CURVE_PLACES - 1)
    table = curve_table(adjustment.curve, _CURVE_PLACES)
    return decode_srgb(np.interp(places, np.arange(_CURVE_PLACES), table)) / within


def _eased(share: np.ndarray) -> np.ndarray:
    """0 up to 0, 1 from 1, smooth between (a cubic, whose slope is at most 1.5)."""
    share = np.clip(share, 0, 1)
    return share * share * (3 - 2 * share)


def adjusted(
    light: np.ndarray, adjustment: Adjustment, mask: np.ndarray | None = None, out: np.ndarray | None = None
) -> np.ndarray:
    """Light with an adjustment.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear, exposed.
    adjustment : Adjustment
        What is changed.
    mask : (H, W) float32, optional
        Where, from 0 to 1.
    out : (H, W, 3) float32, optional
        Taken for the result; it may be the light itself.

    Returns
    -------
    (H, W, 3) float32
        The same array where nothing changes.
    """
    if adjustment == Adjustment():
        return light
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    share = np.zeros(0, np.float32) if mask is None else np.ascontiguousarray(mask, np.float32).reshape(-1)
    made = np.empty_like(flat) if out is None else out.reshape(-1, 3)
    asked = kernel_values(adjustment)

    def run(first: int, last: int) -> None:
        """Adjust some pixels.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        adjust(flat, asked, share, first, last, new_block(), made)

    in_parts(len(flat), run)
    return made.reshape(light.shape)


def kernel_values(adjustment: Adjustment) -> tuple:
    """An adjustment as kernels take it; with an empty table where nothing changes.

    Parameters
    ----------
    adjustment : Adjustment
        The adjustment.

    Returns
    -------
    (3,) float32, (R,) float32, float32, float32
        Gains of the channels, gains by `tone_gains`, saturation, and that of muted colours.
    """
    gains = (white_shift(adjustment.warmth, adjustment.tint) * 2.0**adjustment.exposure).astype(np.float32)
    tones = np.empty(0, np.float32) if adjustment == Adjustment() else tone_gains(adjustment)
    return gains, tones, F(adjustment.saturation), F(adjustment.muted)


def tone_mask(light: np.ndarray, tones: str) -> np.ndarray:
    """Share of each pixel that is of a range of tone; the three of them sum to 1.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear, exposed.
    tones : str
        Key of `document.finish.TONES`; of any other, nothing is.

    Returns
    -------
    (H, W) float32
    """
    root = np.arange(ROOTS, dtype=np.float64) / PER_ROOT
    stops = np.log2(np.maximum(root**4, _LEAST) / MIDDLE_GREY)
    dark = _eased((_SHADOW_STOPS[1] - stops) / (_SHADOW_STOPS[1] - _SHADOW_STOPS[0]))
    bright = _eased((stops - _HIGHLIGHT_STOPS[0]) / (_HIGHLIGHT_STOPS[1] - _HIGHLIGHT_STOPS[0]))
    tables = {"shadows": dark, "highlights": bright, "middle": 1 - dark - bright}
    table = tables.get(tones, np.zeros(ROOTS)).astype(np.float32)
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty(len(flat), np.float32)
    in_parts(len(flat), lambda first, last: read_shares(flat, table, first, last, out))
    return out.reshape(light.shape[:2])
