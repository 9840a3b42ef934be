"""Light as it is shown: the tone curve, and its inverse."""

import math

import numpy as np

from mat_shelf.document.color_table import ColorTable
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import encode_srgb
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.system.processors import in_parts

START_COMPRESSION = F(0.8 - 0.04)
EXACT_UP_TO = F(0.8)
"""Up to where exact colours stay as they are."""
DESATURATION = F(0.15)


@inline
def _neutral(r, g, b, is_exact):
    if not is_exact:
        low = min(r, min(g, b))
        offset = low - F(6.25) * low * low if low < F(0.08) else F(0.04)
        r -= offset
        g -= offset
        b -= offset
    peak = max(r, max(g, b))
    start = EXACT_UP_TO if is_exact else START_COMPRESSION
    if peak < start:
        return r, g, b
    d = F(1) - start
    new_peak = F(1) - d * d / (peak + d - start)
    squeeze = new_peak / peak
    toward = F(1) - F(1) / (DESATURATION * (peak - new_peak) + F(1))
    keep = F(1) - toward
    return (
        r * squeeze * keep + new_peak * toward,
        g * squeeze * keep + new_peak * toward,
        b * squeeze * keep + new_peak * toward,
    )


@inline
def _light_of(r, g, b, is_exact):
    """The inverse of `_neutral`, for values below 1."""
    peak = max(r, max(g, b))
    start = EXACT_UP_TO if is_exact else START_COMPRESSION
    if peak > start:
        d = F(1) - start
        peak = min(peak, F(0.999))
        old = d * d / (F(1) - peak) - d + start
        toward = F(1) - F(1) / (DESATURATION * (old - peak) + F(1))
        keep = F(1) - toward
        grow = old / peak
        r = max((r - peak * toward) / keep, F(0)) * grow
        g = max((g - peak * toward) / keep, F(0)) * grow
        b = max((b - peak * toward) / keep, F(0)) * grow
    if not is_exact:
        low = max(min(r, min(g, b)), F(0))
        offset = math.sqrt(low / F(6.25)) - low if low < F(0.04) else F(0.04)
        r += offset
        g += offset
        b += offset
    return r, g, b


@kernel
def _unmap(shown, is_exact, out):
    for i in range(shown.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _light_of(shown[i, 0], shown[i, 1], shown[i, 2], is_exact)


def light_shown_as(shown, is_exact: bool = False) -> np.ndarray:
    """Light that `tone_map` shows as some display-linear values, (..., 3) float32 in [0, 1] to (..., 3) float32.

    Parameters
    ----------
    shown : (..., 3) float32
        Display-linear values; those of 0.999 and above have no light of their own.
    is_exact : bool
        As for `tone_map`.

    Returns
    -------
    (..., 3) float32
    """
    flat = np.ascontiguousarray(shown, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _unmap(flat, is_exact, out)
    return out.reshape(np.shape(shown))


@kernel
def _develop(light, gain, curve, is_exact, begin, end, out):
    for i in range(begin, end):
        r, g, b = max(light[i, 0], F(0)) * gain, max(light[i, 1], F(0)) * gain, max(light[i, 2], F(0)) * gain
        r, g, b = _neutral(r, g, b, is_exact)
        out[i, 0], out[i, 1], out[i, 2] = _level(curve, r), _level(curve, g), _level(curve, b)


@inline
def _level(curve, x):
    return curve[int(min(max(x, F(0)), F(1)) * F(curve.shape[0] - 1) + F(0.5))]


@kernel
def _levels(shown, curve, begin, end, out):
    for i in range(begin, end):
        for c in range(3):
            out[i, c] = _level(curve, shown[i, c])


@kernel
def _tone_map(light, gain, is_exact, begin, end, out):
    for i in range(begin, end):
        r, g, b = light[i, 0] * gain, light[i, 1] * gain, light[i, 2] * gain
        out[i, 0], out[i, 1], out[i, 2] = _neutral(r, g, b, is_exact)


def tone_map(light, is_exact: bool = False, exposure: float = 0.0) -> np.ndarray:
    """Display-linear values of scene-linear light, (..., 3) float32 to (..., 3) float32 in [0, 1].

    Parameters
    ----------
    light : (..., 3) float32
        Scene-linear light.
    is_exact : bool
        Whether colours below `EXACT_UP_TO` stay as they are, and only what is brighter is squeezed.
    exposure : float
        Stops; +1 doubles the light.

    Returns
    -------
    array

    References
    ----------
    Khronos PBR Neutral Tone Mapper specification, 2024.
    """
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    gain = F(2.0**exposure)
    in_parts(len(flat), lambda begin, end: _tone_map(flat, gain, is_exact, begin, end, out))
    return out.reshape(np.shape(light))


_CURVE = np.round(encode_srgb(np.linspace(0, 1, 1 << 14)) * 255).astype(np.uint8)


def develop(light, exposure: float = 0.0, is_exact: bool = False, table: ColorTable | None = None) -> np.ndarray:
    """An 8-bit sRGB picture of scene-linear light.

    Parameters
    ----------
    light : (H, W, 3) float32
    exposure : float
        Stops; +1 doubles the light.
    is_exact : bool
        As for `tone_map`.
    table : ColorTable, optional
        That what is shown is looked up in.

    Returns
    -------
    (H, W, 3) uint8
    """
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty(flat.shape, np.uint8)
    if table is None:
        in_parts(len(flat), lambda begin, end: _develop(flat, F(2.0**exposure), _CURVE, is_exact, begin, end, out))
    else:
        shown = looked_up(tone_map(np.maximum(flat, F(0)), is_exact, exposure), table)
        in_parts(len(flat), lambda begin, end: _levels(shown, _CURVE, begin, end, out))
    return out.reshape(light.shape)
