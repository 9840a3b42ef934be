"""Finishing: what is done to the light of a render before the tone curve, as `document.finish` says."""

import math
from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np
from scipy.ndimage import gaussian_filter

from mat_shelf.document.color_table import MOST_NODES
from mat_shelf.document.finish import STRAIGHT, Adjustment, Finish
from mat_shelf.document.set import ToneCurve
from mat_shelf.numerics.interpolation import curve_table
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import black_body, decode_srgb, encode_srgb
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.rendering.pixel_blocks import BLOCK, load_block, luminance, new_block, store_block
from mat_shelf.rendering.retouching import Spot, healed
from mat_shelf.rendering.tone import light_shown_as, tone_map
from mat_shelf.system.processors import in_parts

MIDDLE_GREY = 0.18
"""Luminance that contrast leaves as it is (common practice)."""
_PLAIN_WHITE = 6504.0
_SHADOWS_END, _HIGHLIGHTS_END = -5.0, 4.0
"""Stops from a middle grey at which shadows and highlights are moved by all that is asked for."""
_SHADOW_STOPS, _HIGHLIGHT_STOPS = (-3.5, -1.0), (0.3, 2.0)
"""Stops from a middle grey where all is shadow, and nothing any more; nothing yet is highlight, and all."""
_ROOTS, _PER_ROOT = 4096, 1024
"""Rows of the table of gains, and how many of them lie in one unit of the fourth root of luminance."""
_1, _2, _3, _4, _5, _6 = (np.uint64(plane * BLOCK) for plane in range(1, 7))
_LEAST = 1e-6
_CURVE_PLACES = 1024
_FINEST = 2.0
"""Least width of a blur, in pixels of the smaller picture that it is made in."""
_STRONGEST = 4.0
"""Most that sharpening changes a pixel by."""


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
    root = np.arange(_ROOTS, dtype=np.float64) / _PER_ROOT
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


@inline
def _tone_place(y):
    """Row of the table of gains for a luminance."""
    return min(math.sqrt(math.sqrt(y)) * F(_PER_ROOT), F(_ROOTS - 1.1))


@inline
def _between_rows(table, place):
    """Value of a table at a place between two of its rows."""
    row = np.uint32(place)
    return table[row] + (table[row + np.uint32(1)] - table[row]) * (place - F(row))


@inline
def _adjust_block(block, count, asked):
    gains, tones, saturation, muted = asked
    red, green, blue = gains[0], gains[1], gains[2]
    for i in range(count):
        at = np.uint64(i)
        r, g, b = block[at] * red, block[at + _1] * green, block[at + _2] * blue
        block[at] = r
        block[at + _1] = g
        block[at + _2] = b
        block[at + _3] = _tone_place(luminance(r, g, b))
    for i in range(count):
        at = np.uint64(i)
        block[at + _3] = _between_rows(tones, block[at + _3])
    for i in range(count):
        at = np.uint64(i)
        gain = block[at + _3]
        r, g, b = block[at] * gain, block[at + _1] * gain, block[at + _2] * gain
        y, high = luminance(r, g, b), max(r, max(g, b))
        strong = (high - min(r, min(g, b))) / max(high, F(1e-30))
        colored = saturation * (F(1) + muted * (F(1) - strong))
        block[at] = max(y + (r - y) * colored, F(0))
        block[at + _1] = max(y + (g - y) * colored, F(0))
        block[at + _2] = max(y + (b - y) * colored, F(0))


@kernel
def _adjust(light, asked, mask, has_mask, first, last, block, out):
    for start in range(first, last, BLOCK):
        count = min(BLOCK, last - start)
        load_block(light, start, count, block)
        if has_mask:
            for i in range(count):
                at = np.uint64(i)
                block[at + _4], block[at + _5], block[at + _6] = block[at], block[at + _1], block[at + _2]
        _adjust_block(block, count, asked)
        if has_mask:
            for i in range(count):
                at = np.uint64(i)
                share = mask[np.uint64(start) + at]
                r, g, b = block[at + _4], block[at + _5], block[at + _6]
                block[at] = r + (block[at] - r) * share
                block[at + _1] = g + (block[at + _1] - g) * share
                block[at + _2] = b + (block[at + _2] - b) * share
        store_block(block, start, count, out)


@kernel
def _shares(light, table, first, last, out):
    for k in range(first, last):
        i = np.uint64(k)
        y = luminance(max(light[i, 0], F(0)), max(light[i, 1], F(0)), max(light[i, 2], F(0)))
        out[i] = _between_rows(table, _tone_place(y))


@kernel
def _above(light, threshold, side, first, last, red, green, blue, out):
    """Light above a threshold of luminance, in its own colour, averaged over squares of some pixels a side; those at
    the border go on as their last pixels. The rows of a square are summed first, for all pixels across.
    """
    high, wide = light.shape[0], light.shape[1]
    for y in range(first, last):
        for i in range(len(red)):
            red[i], green[i], blue[i] = F(0), F(0), F(0)
        for below in range(y * side, (y + 1) * side):
            j = min(below, high - 1)
            for i in range(wide):
                at = np.uint64(i)
                r, g, b = light[j, at, 0], light[j, at, 1], light[j, at, 2]
                share = F(1) - threshold / max(luminance(r, g, b), threshold)
                red[at] += r * share
                green[at] += g * share
                blue[at] += b * share
        for i in range(wide, len(red)):
            red[i], green[i], blue[i] = red[wide - 1], green[wide - 1], blue[wide - 1]
        for x in range(out.shape[1]):
            r, g, b = F(0), F(0), F(0)
            for i in range(x * side, (x + 1) * side):
                r += red[i]
                g += green[i]
                b += blue[i]
            squared = F(side * side)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r / squared, g / squared, b / squared


@kernel
def _spread(light, blurred, side, threshold, amount, left, right, asked, first, last, rows, block, out):
    """Takes a share of what is above the threshold from where it is, and adds it where it is spread to; then adjusts
    all, where that is asked for.

    The small picture of what is spread is interpolated: across once for each of its rows, of which `rows` keeps two,
    and down for each pixel. `left` has the column of it before each pixel, and `right` the share of the next one.
    """
    high, wide = blurred.shape[0], light.shape[1]
    most, made = blurred.shape[1] - 1, -1
    for j in range(first, last):
        v = min(max((F(j) + F(0.5)) / F(side) - F(0.5), F(0)), F(high - 1))
        above = int(v)
        below, share = min(above + 1, high - 1), v - F(above)
        for y in range(max(above, made + 1), below + 1):
            slot = y & 1
            for i in range(wide):
                near = left[i]
                far = min(near + 1, most)
                for k in range(3):
                    mixed = blurred[y, near, k] + (blurred[y, far, k] - blurred[y, near, k]) * right[i]
                    rows[slot, k, i] = amount * mixed
        made = below
        upper, lower = rows[above & 1], rows[below & 1]
        for start in range(0, wide, BLOCK):
            count, first_pixel = min(BLOCK, wide - start), np.uint64(start)
            load_block(light[j], start, count, block)
            for i in range(count):
                at = np.uint64(i)
                r, g, b = block[at], block[at + _1], block[at + _2]
                kept = F(1) - amount * (F(1) - threshold / max(luminance(r, g, b), threshold))
                block[at] = r * kept
                block[at + _1] = g * kept
                block[at + _2] = b * kept
            for k in range(3):
                plane = np.uint64(k * BLOCK)
                for i in range(count):
                    at = np.uint64(i)
                    one, other = upper[k, first_pixel + at], lower[k, first_pixel + at]
                    block[at + plane] += one + (other - one) * share
            if len(asked[1]):
                _adjust_block(block, count, asked)
            store_block(block, start, count, out[j])


@kernel
def _luminances(light, first, last, out):
    for j in range(first, last):
        for i in range(light.shape[1]):
            at = np.uint64(i)
            out[j, at] = luminance(light[j, at, 0], light[j, at, 1], light[j, at, 2])


@kernel
def _finish_edges(light, bright, vignette, sharpening, first, last, column, block, out):
    """Vignette by the squared distance from the middle, and sharpening against the mean of 3 by 3 pixels around."""
    high, wide = light.shape[0], light.shape[1]
    corner, middle = F(4) / F(high * high + wide * wide), F(wide) / F(2)
    for j in range(first, last):
        above, below = max(j - 1, 0), min(j + 1, high - 1)
        down = F(j) + F(0.5) - F(high) / F(2)
        if sharpening > F(0):
            for i in range(wide):
                at = np.uint64(i)
                column[at + np.uint64(1)] = bright[above, at] + F(2) * bright[j, at] + bright[below, at]
            column[0], column[wide + 1] = column[1], column[wide]
        for start in range(0, wide, BLOCK):
            count, first_pixel = min(BLOCK, wide - start), np.uint64(start)
            load_block(light[j], start, count, block)
            for i in range(count):
                at = np.uint64(i)
                right = F(start + i) + F(0.5) - middle
                block[at + _3] = max(F(1) - vignette * (down * down + right * right) * corner, F(0))
            if sharpening > F(0):
                for i in range(count):
                    at = np.uint64(i)
                    here = first_pixel + at
                    around = column[here] + F(2) * column[here + np.uint64(1)] + column[here + np.uint64(2)]
                    sharper = F(16) * bright[j, here] / max(around, F(1e-30))
                    sharper = F(1) + sharpening * ((sharper if around > F(0) else F(1)) - F(1))
                    block[at + _3] *= min(max(sharper, F(1 / _STRONGEST)), F(_STRONGEST))
            for i in range(count):
                at = np.uint64(i)
                gain = block[at + _3]
                block[at] *= gain
                block[at + _1] *= gain
                block[at + _2] *= gain
            store_block(block, start, count, out[j])


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
    asked = _asked(adjustment)

    def run(first: int, last: int) -> None:
        """Adjust some pixels.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        _adjust(flat, asked, share, mask is not None, first, last, new_block(), made)

    in_parts(len(flat), run)
    return made.reshape(light.shape)


def _asked(adjustment: Adjustment) -> tuple:
    """An adjustment as kernels take it; with an empty table where nothing changes."""
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
    root = np.arange(_ROOTS, dtype=np.float64) / _PER_ROOT
    stops = np.log2(np.maximum(root**4, _LEAST) / MIDDLE_GREY)
    dark = _eased((_SHADOW_STOPS[1] - stops) / (_SHADOW_STOPS[1] - _SHADOW_STOPS[0]))
    bright = _eased((stops - _HIGHLIGHT_STOPS[0]) / (_HIGHLIGHT_STOPS[1] - _HIGHLIGHT_STOPS[0]))
    tables = {"shadows": dark, "highlights": bright, "middle": 1 - dark - bright}
    table = tables.get(tones, np.zeros(_ROOTS)).astype(np.float32)
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty(len(flat), np.float32)
    in_parts(len(flat), lambda first, last: _shares(flat, table, first, last, out))
    return out.reshape(light.shape[:2])


def with_bloom(
    light: np.ndarray,
    amount: float,
    threshold: float,
    size: float,
    after: Adjustment | None = None,
    out: np.ndarray | None = None,
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
    after : Adjustment, optional
        What is changed afterwards, in the same turn.
    out : (H, W, 3) float32, optional
        Taken for the result; it may be the light itself.

    Returns
    -------
    (H, W, 3) float32
    """
    after = after or Adjustment()
    if amount <= 0:
        return adjusted(light, after, out=out)
    light = np.ascontiguousarray(light, np.float32)
    high, wide = light.shape[:2]
    width = max(size * high, 0.3)
    side = max(int(width / _FINEST), 1)
    small = np.empty((-(-high // side), -(-wide // side), 3), np.float32)

    def gather(first: int, last: int) -> None:
        """Gather what is above the threshold, for some rows of the small picture.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        sums = np.empty((3, small.shape[1] * side), np.float32)
        _above(light, F(threshold), side, first, last, *sums, small)

    in_parts(len(small), gather)
    blurred = np.empty_like(small)
    for k in range(3):
        gaussian_filter(small[..., k], width / side, output=blurred[..., k], mode="reflect", truncate=3.0)
    out = np.empty_like(light) if out is None else out
    at = np.clip((np.arange(wide, dtype=np.float32) + 0.5) / side - 0.5, 0, small.shape[1] - 1).astype(np.float32)
    left, asked = at.astype(np.int32), _asked(after)

    def run(first: int, last: int) -> None:
        """Spread the light of some rows.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        rows, share = np.empty((2, 3, wide), np.float32), (at - left).astype(np.float32)
        _spread(light, blurred, side, F(threshold), F(amount), left, share, asked, first, last, rows, new_block(), out)

    in_parts(high, run)
    return out


def finished(
    light: np.ndarray,
    finish: Finish,
    masks: Mapping[str, np.ndarray] = MappingProxyType({}),
    spots: Sequence[Spot] = (),
    scale: float = 1.0,
) -> np.ndarray:
    """Light of a render with its finish, all but the tone curve and the colour table.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear, balanced and exposed.
    finish : Finish
        The finish.
    masks : mapping from id to (H, W) float32
        Where each masked adjustment of a thing works; those without a mask are passed over.
    spots : sequence of Spot
        What is healed.
    scale : float
        Pixels of the light in one pixel of the render that it stands for; sharpening is left out of smaller ones.

    Returns
    -------
    (H, W, 3) float32
        The same array where nothing changes.
    """
    if finish.changes_nothing:
        return light
    given = light

    def own() -> np.ndarray | None:
        """Memory that may be written to: that of a step before."""
        return None if light is given else light

    light = healed(light, spots)
    for each in finish.working:
        mask = tone_mask(light, each.target) if each.kind == "tones" else masks.get(each.id)
        if mask is not None:
            light = adjusted(light, each.adjustment, mask, own())
    light = with_bloom(light, finish.bloom, finish.bloom_above, finish.bloom_size / 100, finish.whole, own())
    sharpening = finish.sharpening if scale >= 1 else 0.0
    if finish.vignette == 0 and sharpening == 0:
        return light
    light = np.ascontiguousarray(light, np.float32)
    out = np.empty_like(light) if light is given else light
    bright = np.empty(light.shape[:2] if sharpening else (0, 0), np.float32)
    if sharpening:
        in_parts(len(light), lambda first, last: _luminances(light, first, last, bright))
    vignette, sharpening = F(finish.vignette), F(sharpening)

    def run(first: int, last: int) -> None:
        """Finish the edges of some rows.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        column = np.empty(light.shape[1] + 2, np.float32)
        _finish_edges(light, bright, vignette, sharpening, first, last, column, new_block(), out)

    in_parts(len(light), run)
    return out


def baked_colors(finish: Finish, tone_curve: ToneCurve = "neutral", count: int = MOST_NODES) -> np.ndarray:
    """Colours as the whole of a finish and its colour table show them, by colours as they are shown without.

    Parameters
    ----------
    finish : Finish
        The finish.
    tone_curve : str
        As for `tone_map`.
    count : int
        Nodes along each side.

    Returns
    -------
    (N, N, N, 3) float32
        sRGB-coded, by coded red, green and blue.
    """
    side = np.linspace(0, 1, count)
    coded = np.stack(np.meshgrid(side, side, side, indexing="ij"), axis=3)
    light = light_shown_as(decode_srgb(coded).reshape(count, -1, 3), tone_curve)
    shown = tone_map(finished(light, Finish(whole=finish.whole)), tone_curve)
    shown = shown if finish.table is None else looked_up(shown, finish.table)
    return encode_srgb(np.clip(shown, 0, 1)).reshape(coded.shape).astype(np.float32)
