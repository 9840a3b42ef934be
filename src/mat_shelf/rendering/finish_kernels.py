"""Kernels of the finish: adjustments, bloom, vignette and sharpening."""

import math

import numpy as np

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.rendering.pixel_blocks import BLOCK, load_block, luminance, new_block, sound, store_block

ROOTS, PER_ROOT = 4096, 1024
"""Rows of the table of gains, and how many of them lie in one unit of the fourth root of luminance."""
BAND = 4
"""Rows of a picture that are kept while one is finished: those before and after it too."""
_STRONGEST = 4.0
"""Most that sharpening changes a pixel by."""
_1, _2, _3, _4, _5 = (np.uint64(plane * BLOCK) for plane in range(1, 6))


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
def _adjust_block(block, count, asked, mask, first):
    """Adjusts pixels, by a mask where that is not empty."""
    gains, tones, saturation, muted = asked
    red, green, blue = gains[0], gains[1], gains[2]
    for i in range(count):
        at = np.uint64(i)
        place = _tone_place(luminance(block[at] * red, block[at + _1] * green, block[at + _2] * blue))
        row = np.floor(place)
        block[at + _3] = row
        block[at + _4] = place - row
    for i in range(count):  # apart from all else, since it takes one value at a time
        at = np.uint64(i)
        near = np.uint32(block[at + _3])
        block[at + _3] = tones[near]
        block[at + _4] *= tones[near + np.uint32(1)] - tones[near]
    has_mask = len(mask) > 0
    for i in range(count):
        at = np.uint64(i)
        gain = block[at + _3] + block[at + _4]
        r, g, b = block[at] * red * gain, block[at + _1] * green * gain, block[at + _2] * blue * gain
        y, high = luminance(r, g, b), max(r, max(g, b))
        strong = (high - min(r, min(g, b))) / max(high, F(1e-30))
        colored = saturation * (F(1) + muted * (F(1) - strong))
        share = mask[np.uint64(first) + at] if has_mask else F(1)
        block[at] += (max(y + (r - y) * colored, F(0)) - block[at]) * share
        block[at + _1] += (max(y + (g - y) * colored, F(0)) - block[at + _1]) * share
        block[at + _2] += (max(y + (b - y) * colored, F(0)) - block[at + _2]) * share


@kernel
def adjust(light, asked, mask, first, last, block, out):
    """Adjusts pixels, by a mask where there is one.

    Parameters
    ----------
    light : (N, 3) float32
        Scene-linear light.
    asked : tuple of (3,) float32, (R,) float32, float32, float32
        Gains of the channels, gains by `tone_gains`, saturation, and that of muted colours.
    mask : (N,) float32
        Where, from 0 to 1; empty for everywhere.
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
        _adjust_block(block, count, asked, mask, start)
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
def gather_above(light, threshold, side, first, last, block, sums, out):
    """Light above a threshold of luminance, in its own colour, averaged over squares of some pixels a side.

    Squares at the border go on as their last pixels. The rows of a square are summed first, for some pixels across.

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
    block : (PLANES * BLOCK,) float32
        Memory.
    sums : (3, w * side) float32
        Memory.
    out : (h, w, 3) float32
        Receives the averages.
    """
    high, wide = light.shape[0], light.shape[1]
    for y in range(first, last):
        for start in range(0, wide, BLOCK):
            count = min(BLOCK, wide - start)
            for i in range(3 * BLOCK):
                block[np.uint64(i) + _3] = F(0)
            for below in range(y * side, (y + 1) * side):
                load_block(light[min(below, high - 1)], start, count, block)
                for i in range(count):
                    at = np.uint64(i)
                    r, g, b = block[at], block[at + _1], block[at + _2]
                    share = F(1) - threshold / max(luminance(r, g, b), threshold)
                    block[at + _3] += r * share
                    block[at + _4] += g * share
                    block[at + _5] += b * share
            for i in range(count):
                for k in range(3):
                    sums[k, start + i] = block[np.uint64(i) + np.uint64(k * BLOCK) + _3]
        for i in range(wide, sums.shape[1]):
            for k in range(3):
                sums[k, i] = sums[k, wide - 1]
        for x in range(out.shape[1]):
            r, g, b = F(0), F(0), F(0)
            for i in range(x * side, (x + 1) * side):
                r += sums[0, i]
                g += sums[1, i]
                b += sums[2, i]
            squared = F(side * side)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r / squared, g / squared, b / squared


@inline
def _spread_row(light, j, blurred, spreading, asked, rows, block, band, out):
    """Spreads and adjusts row `j` of the light, into planes of the band or, where that is empty, into row `j` of out.

    The fourth plane of `rows` begins with which row of the small picture the others are.
    """
    side, threshold, amount, left, right = spreading
    everywhere = right[:0]
    high, most = blurred.shape[0], blurred.shape[1] - 1
    v = min(max((F(j) + F(0.5)) / F(side) - F(0.5), F(0)), F(high - 1))
    above = int(v)
    below, share, wide = min(above + 1, high - 1), v - F(above), light.shape[1]
    for y in range(above, below + 1):
        slot = y & 1
        if rows[slot, 3, 0] != F(y):
            rows[slot, 3, 0] = F(y)
            for i in range(wide):
                near = left[i]
                far = min(near + 1, most)
                for k in range(3):
                    mixed = blurred[y, near, k] + (blurred[y, far, k] - blurred[y, near, k]) * right[i]
                    rows[slot, k, i] = amount * mixed
    upper, lower = rows[above & 1], rows[below & 1]
    for start in range(0, wide, BLOCK):
        count, first = min(BLOCK, wide - start), np.uint64(start)
        load_block(light[j], start, count, block)
        for i in range(count):
            at = np.uint64(i)
            x = first + at
            r, g, b = block[at], block[at + _1], block[at + _2]
            kept = F(1) - amount * (F(1) - threshold / max(luminance(r, g, b), threshold))
            block[at] = r * kept + upper[0, x] + (lower[0, x] - upper[0, x]) * share
            block[at + _1] = g * kept + upper[1, x] + (lower[1, x] - upper[1, x]) * share
            block[at + _2] = b * kept + upper[2, x] + (lower[2, x] - upper[2, x]) * share
        if len(asked[1]):
            _adjust_block(block, count, asked, everywhere, start)
        if len(band):
            _keep_block(block, start, count, band[j % len(band)])
        else:
            store_block(block, start, count, out[j])


@inline
def _keep_block(block, start, count, row):
    """Writes pixels as planes of a row, with their luminances as the fourth."""
    first = np.uint64(start)
    for i in range(count):
        at = np.uint64(i)
        r, g, b = block[at], block[at + _1], block[at + _2]
        row[0, first + at] = r
        row[1, first + at] = g
        row[2, first + at] = b
        row[3, first + at] = luminance(r, g, b)


@inline
def _finish_row(j, edges, high, band, column, block, out):
    """Finishes row `j` of a picture of so many, of which the band has that row and those before and after it."""
    vignette, sharpening = edges
    row, wide = band[j % len(band)], out.shape[1]
    above, below = band[max(j - 1, 0) % len(band)], band[min(j + 1, high - 1) % len(band)]
    corner, middle = F(4) / F(high * high + wide * wide), F(wide) / F(2)
    down = F(j) + F(0.5) - F(high) / F(2)
    for i in range(wide):
        at = np.uint64(i)
        column[at + np.uint64(1)] = above[3, at] + F(2) * row[3, at] + below[3, at]
    column[0], column[wide + 1] = column[1], column[wide]
    for start in range(0, wide, BLOCK):
        count, first = min(BLOCK, wide - start), np.uint64(start)
        for i in range(count):
            at = np.uint64(i)
            x = first + at
            right = F(start + i) + F(0.5) - middle
            dimmed = max(F(1) - vignette * (down * down + right * right) * corner, F(0))
            around = column[x] + F(2) * column[x + np.uint64(1)] + column[x + np.uint64(2)]
            sharper = F(16) * row[3, x] / max(around, F(1e-30))
            sharper = F(1) + sharpening * ((sharper if around > F(0) else F(1)) - F(1))
            block[at] = dimmed * min(max(sharper, F(1 / _STRONGEST)), F(_STRONGEST))
        for i in range(count):
            at = np.uint64(i)
            x, gain = first + at, block[at]
            out[j, x, 0] = row[0, x] * gain
            out[j, x, 1] = row[1, x] * gain
            out[j, x, 2] = row[2, x] * gain


@kernel
def spread(light, blurred, spreading, asked, edges, first, last, memory, out):
    """Takes a share of what is above the threshold from where it is, and adds it where it is spread to.

    Then all is adjusted, where that is asked for, and its edges are finished: row by row, so that each is still in the
    processor's cache. The small picture of what is spread is interpolated: across once for each of its rows, of which
    two are kept, and down for each pixel.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    blurred : (h, w, 3) float32
        What is above the threshold, spread.
    spreading : tuple of int, float32, float32, (W,) int32, (W,) float32
        Pixels of the light along a side of one of those; threshold of luminance; the share; column of the small
        picture before each pixel, and the share of the next one.
    asked : tuple of (3,) float32, (R,) float32, float32, float32
        Gains of the channels, gains by `tone_gains` (none where nothing is asked for), saturation, and that of
        muted colours.
    edges : tuple of float32, float32
        Vignette and sharpening, as for `finish_edges`.
    first, last : int
        The first of the rows, and the one behind the last.
    memory : tuple of arrays
        As `new_memory` makes it.
    out : (H, W, 3) float32
        Receives the light; it may not be the light itself where its edges are finished.
    """
    rows, band, column, block = memory
    high, nothing = light.shape[0], band[:0]
    rows[0, 3, 0], rows[1, 3, 0] = F(-1), F(-1)
    if edges[0] == F(0) and edges[1] == F(0):
        for j in range(first, last):
            _spread_row(light, j, blurred, spreading, asked, rows, block, nothing, out)
        return
    made = max(first - 1, 0)
    for j in range(first, last):
        for below in range(made, min(j + 2, high)):
            _spread_row(light, below, blurred, spreading, asked, rows, block, band, out)
        made = j + 2
        _finish_row(j, edges, high, band, column, block, out)


def new_memory(wide: int) -> tuple[np.ndarray, ...]:
    """Memory that rows of a picture are finished in.

    Parameters
    ----------
    wide : int
        Pixels of a row.

    Returns
    -------
    tuple of (2, 4, W), (BAND, 4, W), (W + 2,) and (PLANES * BLOCK,) float32
    """
    shapes = (2, 4, wide), (BAND, 4, wide), wide + 2
    return *(np.empty(shape, np.float32) for shape in shapes), new_block()


@kernel
def finish_edges(light, edges, first, last, memory, out):
    """Vignette by the squared distance from the middle, and sharpening against the mean of 3 by 3 pixels around.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    edges : tuple of float32, float32
        Vignette and sharpening, as `document.finish.Finish` has them.
    first, last : int
        The first of the rows, and the one behind the last.
    memory : tuple of arrays
        As `new_memory` makes it.
    out : (H, W, 3) float32
        Receives the light; it may not be the light itself.
    """
    band, column, block = memory[1], memory[2], memory[3]
    high, wide = light.shape[0], light.shape[1]
    made = max(first - 1, 0)
    for j in range(first, last):
        for below in range(made, min(j + 2, high)):
            for start in range(0, wide, BLOCK):
                count = min(BLOCK, wide - start)
                load_block(light[below], start, count, block)
                _keep_block(block, start, count, band[below % BAND])
        made = j + 2
        _finish_row(j, edges, high, band, column, block, out)
