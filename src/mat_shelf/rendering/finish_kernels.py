"""Kernels of the finish: adjustments, bloom, vignette and sharpening."""

import math

import numpy as np

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.rendering.pixel_blocks import BLOCK, load_block, luminance, sound, store_block

ROOTS, PER_ROOT = 4096, 1024
"""Rows of the table of gains, and how many of them lie in one unit of the fourth root of luminance."""
_STRONGEST = 4.0
"""Most that sharpening changes a pixel by."""
_1, _2, _3, _4, _5, _6 = (np.uint64(plane * BLOCK) for plane in range(1, 7))


@inline
def _tone_place(y):
    """Row of the table of gains for a luminance."""
    return min(math.sqrt(math.sqrt(y)) * F(PER_ROOT), F(ROOTS - 1.1))


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
def adjust(light, asked, mask, has_mask, first, last, block, out):
    """Adjusts pixels, by a mask where there is one.

    Parameters
    ----------
    light : (N, 3) float32
        Scene-linear light.
    asked : tuple of (3,) float32, (R,) float32, float32, float32
        Gains of the channels, gains by `tone_gains`, saturation, and that of muted colours.
    mask : (N,) float32
        Where, from 0 to 1.
    has_mask : bool
        Whether there is one.
    first, last : int
        The first of the pixels, and the one behind the last.
    block : (PLANES * BLOCK,) float32
        Memory.
    out : (N, 3) float32
        Receives what is adjusted; it may be the light itself.
    """
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
def read_shares(light, table, first, last, out):
    """Values of a table at the luminance of pixels.

    Parameters
    ----------
    light : (N, 3) float32
        Scene-linear light.
    table : (R,) float32
        By the fourth root of luminance.
    first, last : int
        The first of the pixels, and the one behind the last.
    out : (N,) float32
        Receives them.
    """
    for k in range(first, last):
        i = np.uint64(k)
        y = luminance(sound(light[i, 0]), sound(light[i, 1]), sound(light[i, 2]))
        out[i] = _between_rows(table, _tone_place(y))


@kernel
def gather_above(light, threshold, side, first, last, red, green, blue, out):
    """Light above a threshold of luminance, in its own colour, averaged over squares of some pixels a side.

    Squares at the border go on as their last pixels. The rows of a square are summed first, for all pixels across.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    threshold : float32
        Luminance.
    side : int
        Pixels along a side of a square.
    first, last : int
        The first of the rows of squares, and the one behind the last.
    red, green, blue : (w * side,) float32
        Memory.
    out : (h, w, 3) float32
        Receives the averages.
    """
    high, wide = light.shape[0], light.shape[1]
    for y in range(first, last):
        for i in range(len(red)):
            red[i], green[i], blue[i] = F(0), F(0), F(0)
        for below in range(y * side, (y + 1) * side):
            j = min(below, high - 1)
            for i in range(wide):
                at = np.uint64(i)
                r, g, b = sound(light[j, at, 0]), sound(light[j, at, 1]), sound(light[j, at, 2])
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
def spread(light, blurred, side, threshold, amount, left, right, asked, first, last, rows, block, out):
    """Takes a share of what is above the threshold from where it is, and adds it where it is spread to.

    Then all is adjusted, where that is asked for. The small picture of what is spread is interpolated: across once for
    each of its rows, of which `rows` keeps two, and down for each pixel.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    blurred : (h, w, 3) float32
        What is above the threshold, spread.
    side : int
        Pixels of the light along a side of one of those.
    threshold : float32
        Luminance.
    amount : float32
        The share.
    left : (W,) int32
        Column of the small picture before each pixel.
    right : (W,) float32
        Share of the next one.
    asked : tuple of (3,) float32, (R,) float32, float32, float32
        Gains of the channels, gains by `tone_gains` (none where nothing is asked for), saturation, and that of
        muted colours.
    first, last : int
        The first of the rows, and the one behind the last.
    rows : (2, 3, W) float32
        Memory.
    block : (PLANES * BLOCK,) float32
        Memory.
    out : (H, W, 3) float32
        Receives the light; it may be the light itself.
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
def read_luminances(light, first, last, out):
    """Luminances of pixels.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    first, last : int
        The first of the rows, and the one behind the last.
    out : (H, W) float32
        Receives them.
    """
    for j in range(first, last):
        for i in range(light.shape[1]):
            at = np.uint64(i)
            out[j, at] = luminance(light[j, at, 0], light[j, at, 1], light[j, at, 2])


@kernel
def finish_edges(light, bright, vignette, sharpening, first, last, column, block, out):
    """Vignette by the squared distance from the middle, and sharpening against the mean of 3 by 3 pixels around.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    bright : (H, W) float32
        Its luminances; empty where nothing is sharpened.
    vignette, sharpening : float32
        As `document.finish.Finish` has them.
    first, last : int
        The first of the rows, and the one behind the last.
    column : (W + 2,) float32
        Memory.
    block : (PLANES * BLOCK,) float32
        Memory.
    out : (H, W, 3) float32
        Receives the light; it may be the light itself.
    """
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
