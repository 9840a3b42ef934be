"""Light as it is shown: the tone curve, and its inverse."""

import math

import numpy as np

from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.set import ToneCurve
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import encode_srgb
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.rendering.pixel_blocks import BLOCK, load_block, new_block, sound
from mat_shelf.system.processors import in_parts

START_COMPRESSION = F(0.8 - 0.04)
EXACT_UP_TO = F(0.8)
"""Up to where exact colours stay as they are."""
DESATURATION = F(0.15)
KINDS: dict[ToneCurve, int] = {"neutral": 0, "exact": 1, "filmic": 2}
"""Numbers of the tone curves in kernels."""
_TO_FILM = np.array([[0.59719, 0.35458, 0.04823], [0.07600, 0.90834, 0.01566], [0.02840, 0.13383, 0.83777]], np.float32)
_FROM_FILM = np.array(
    [[1.60475, -0.53108, -0.07367], [-0.10208, 1.10813, -0.00605], [-0.00327, -0.07276, 1.07602]], np.float32
)
_BACK_FROM_FILM, _BACK_TO_FILM = (
    np.linalg.inv(m.astype(np.float64)).astype(np.float32) for m in (_TO_FILM, _FROM_FILM)
)
_1, _2 = np.uint64(BLOCK), np.uint64(2 * BLOCK)
_GREY_GAIN = F(1.4619)
"""Of the light before the filmic curve, by which a grey of 0.18 stays as it is."""


@inline
def _neutral(r, g, b, is_exact):
    """Without branches, which would keep loops from becoming vector instructions."""
    low = min(r, min(g, b))
    offset = low - F(6.25) * low * low if low < F(0.08) else F(0.04)
    offset = F(0) if is_exact else offset
    r, g, b = r - offset, g - offset, b - offset
    peak = max(r, max(g, b))
    start = EXACT_UP_TO if is_exact else START_COMPRESSION
    d, bright = F(1) - start, max(peak, start)
    new_peak = F(1) - d * d / (bright + d - start)
    keep = F(1) / (DESATURATION * (bright - new_peak) + F(1))
    squeeze, toward = new_peak / bright * keep, new_peak * (F(1) - keep)
    squeeze, toward = (squeeze if peak >= start else F(1)), (toward if peak >= start else F(0))
    return r * squeeze + toward, g * squeeze + toward, b * squeeze + toward


@inline
def _film(v):
    return (v * (v + F(0.0245786)) - F(0.000090537)) / (v * (F(0.983729) * v + F(0.4329510)) + F(0.238081))


@inline
def _light_on_film(y):
    """The inverse of `_film`, which is the root of a quadratic."""
    a, b, c = F(1) - F(0.983729) * y, F(0.0245786) - F(0.4329510) * y, F(0.000090537) + F(0.238081) * y
    return (math.sqrt(b * b + F(4) * a * c) - b) / (F(2) * a)


@inline
def _mixed(m, r, g, b):
    return (
        m[0, 0] * r + m[0, 1] * g + m[0, 2] * b,
        m[1, 0] * r + m[1, 1] * g + m[1, 2] * b,
        m[2, 0] * r + m[2, 1] * g + m[2, 2] * b,
    )


@inline
def _filmic(r, g, b):
    r, g, b = _mixed(_TO_FILM, r * _GREY_GAIN, g * _GREY_GAIN, b * _GREY_GAIN)
    r, g, b = _mixed(_FROM_FILM, _film(max(r, F(0))), _film(max(g, F(0))), _film(max(b, F(0))))
    return min(max(r, F(0)), F(1)), min(max(g, F(0)), F(1)), min(max(b, F(0)), F(1))


@inline
def _shown(r, g, b, kind):
    if kind == 2:
        return _filmic(r, g, b)
    return _neutral(r, g, b, kind == 1)


@inline
def _light_of(r, g, b, kind):
    """The inverse of `_shown`, for values below 1."""
    if kind == 2:
        r, g, b = _mixed(_BACK_TO_FILM, r, g, b)
        top = F(0.999)
        r, g, b = min(max(r, F(0)), top), min(max(g, F(0)), top), min(max(b, F(0)), top)
        r, g, b = _mixed(_BACK_FROM_FILM, _light_on_film(r), _light_on_film(g), _light_on_film(b))
        return max(r, F(0)) / _GREY_GAIN, max(g, F(0)) / _GREY_GAIN, max(b, F(0)) / _GREY_GAIN
    return _light_of_neutral(r, g, b, kind == 1)


@inline
def _light_of_neutral(r, g, b, is_exact):
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
def _unmap(shown, kind, out):
    for i in range(shown.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _light_of(shown[i, 0], shown[i, 1], shown[i, 2], kind)


def light_shown_as(shown, tone_curve: ToneCurve = "neutral") -> np.ndarray:
    """Light that `tone_map` shows as some display-linear values, (..., 3) float32 in [0, 1] to (..., 3) float32.

    Parameters
    ----------
    shown : (..., 3) float32
        Display-linear values; those of 0.999 and above have no light of their own.
    tone_curve : {"neutral", "exact", "filmic"}
        As for `tone_map`.

    Returns
    -------
    (..., 3) float32
    """
    flat = np.ascontiguousarray(shown, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _unmap(flat, KINDS[tone_curve], out)
    return out.reshape(np.shape(shown))


@kernel
def _develop(light, gain, codes, kind, begin, end, block, out):
    for start in range(begin, end, BLOCK):
        count, first = min(BLOCK, end - start), np.uint64(start)
        load_block(light, start, count, block)
        if kind == 2:
            for i in range(count):
                at = np.uint64(i)
                r, g, b = _filmic(block[at] * gain, block[at + _1] * gain, block[at + _2] * gain)
                block[at] = r
                block[at + _1] = g
                block[at + _2] = b
        else:
            for i in range(count):
                at = np.uint64(i)
                r, g, b = _neutral(block[at] * gain, block[at + _1] * gain, block[at + _2] * gain, kind == 1)
                block[at] = r
                block[at + _1] = g
                block[at + _2] = b
        for i in range(3 * BLOCK):  # apart from the look-up, which takes one value at a time
            at = np.uint64(i)
            block[at] = _code_place(codes, block[at])
        for i in range(count):
            at = np.uint64(i)
            out[first + at, 0] = codes[np.uint32(block[at])]
            out[first + at, 1] = codes[np.uint32(block[at + _1])]
            out[first + at, 2] = codes[np.uint32(block[at + _2])]


@inline
def _code_place(codes, x):
    return min(sound(x), F(1)) * F(codes.shape[0] - 1) + F(0.5)


@kernel
def _levels(shown, codes, begin, end, out):
    for i in range(begin, end):
        for c in range(3):
            out[i, c] = codes[np.uint32(_code_place(codes, shown[i, c]))]


@kernel
def _tone_map(light, gain, kind, begin, end, out):
    for i in range(begin, end):
        r, g, b = light[i, 0] * gain, light[i, 1] * gain, light[i, 2] * gain
        out[i, 0], out[i, 1], out[i, 2] = _shown(r, g, b, kind)


def tone_map(light, tone_curve: ToneCurve = "neutral", exposure: float = 0.0) -> np.ndarray:
    """Display-linear values of scene-linear light, (..., 3) float32 to (..., 3) float32 in [0, 1].

    Parameters
    ----------
    light : (..., 3) float32
        Scene-linear light.
    tone_curve : {"neutral", "exact", "filmic"}
        Of the exact one, colours below `EXACT_UP_TO` stay as they are, and only what is brighter is squeezed. The
        filmic one has more contrast, and bright colours fade towards white; middle grey stays.
    exposure : float
        Stops; +1 doubles the light.

    Returns
    -------
    array

    References
    ----------
    Khronos PBR Neutral Tone Mapper specification, 2024. The filmic one is S. Hill's fit of the reference rendering and
    output transforms of the Academy Color Encoding System (2016; numbers from memory).
    """
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    gain = F(2.0**exposure)
    in_parts(len(flat), lambda begin, end: _tone_map(flat, gain, KINDS[tone_curve], begin, end, out))
    return out.reshape(np.shape(light))


_CODES = np.round(encode_srgb(np.linspace(0, 1, 1 << 14)) * 255).astype(np.uint8)


def develop(light, exposure: float = 0.0, tone_curve: ToneCurve = "neutral", *tables: ColorTable | None) -> np.ndarray:
    """An 8-bit sRGB picture of scene-linear light.

    Parameters
    ----------
    light : (H, W, 3) float32
    exposure : float
        Stops; +1 doubles the light.
    tone_curve : {"neutral", "exact", "filmic"}
        As for `tone_map`.
    *tables : ColorTable or None
        What is shown is looked up in one after the other.

    Returns
    -------
    (H, W, 3) uint8
    """
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out, kind = np.empty(flat.shape, np.uint8), KINDS[tone_curve]
    tables = [table for table in tables if table is not None]
    if not tables:
        gain = F(2.0**exposure)
        in_parts(len(flat), lambda begin, end: _develop(flat, gain, _CODES, kind, begin, end, new_block(), out))
    else:
        shown = tone_map(np.maximum(flat, F(0)), tone_curve, exposure)
        for table in tables:
            shown = looked_up(shown, table)
        in_parts(len(flat), lambda begin, end: _levels(shown, _CODES, begin, end, out))
    return out.reshape(light.shape)
