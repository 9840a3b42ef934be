"""Cellular patterns."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import U, again, floor, hash3, unit, wrapped
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed

_SHOWN = ("centres", "second", "borders", "rounded", "tones")

NEAR, SECOND, BORDER, TONE = range(4)
"""Rows of what `find_cells` finds."""
CELL_ROWS = 4


class Cells(Source):
    """Cells about evenly packed, one a size across."""

    label = "Cells"
    tip = "Pebbled, granular, cracked and foamed surfaces."

    kind: Literal["cells"] = "cells"
    shown: Literal["centres", "second", "borders", "tones", "rounded"] = Field(
        "centres",
        title="Output",
        description="Distance to the nearest or second nearest centre, to the border, a tone for each cell, or domes.",
    )
    jitter: float = number(0.9, 0, 1, label="Unevenness", tip="0 is a plain grid, 1 fully random.")
    repeat: int = number(0, 0, 64, label="Repeats after", tip="Period in sizes, without a seam; 0 never repeats.")
    seed: int = seed()
    scratch = CELL_ROWS

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return at.is_deep, self.jitter, self.repeat, self.seed, _SHOWN.index(self.shown)

    @operation
    def run(c, n, coordinates, before, out, at):
        """Distances to centres and borders, or tones.

        References
        ----------
        Worley 1996, A Cellular Texture Basis Function. The distance to a border is that to the line between two
        centres.
        """
        is_deep, jitter, period, seed, shown = c[0] > F(0), c[1], np.int32(c[2]), U(c[3]), int(c[4])
        find_cells(n, coordinates, 0, is_deep, F(1), jitter, period, seed, out, 1)
        for i in range(n):
            near, second, border, tone = out[1 + NEAR, i], out[1 + SECOND, i], out[1 + BORDER, i], out[1 + TONE, i]
            out[0, i] = _shown_as(shown, np.sqrt(near), np.sqrt(second), border, tone)


@inline
def _shown_as(shown, near, second, border, tone):
    if shown == 4:
        return tone
    if shown == 0:
        return near
    if shown == 1:
        return second
    if shown == 2:
        return min(border * F(2), F(1))
    dome = min(border * F(2.6), F(1))
    return np.sqrt(max(F(1) - (F(1) - dome) * (F(1) - dome), F(0)))


@inline
def find_cells(n, places, first, is_deep, scale, jitter, period, seed, out, row):
    """Cells that points lie in: squared distances to the nearest two centres, distance to the border, tone.

    Cell after cell over all points, since only the inner loop becomes vector instructions.

    Parameters
    ----------
    n : int
        Number of points.
    places : (rows, N) float32
        Coordinates, in three rows from `first` on.
    first : int
        The first of these rows.
    is_deep : bool
        Whether the third coordinate counts.
    scale : float32
        What they are multiplied by.
    jitter : float32
        Unevenness of the cells, [0, 1].
    period : int32
        Period in cells; 0 never repeats.
    seed : uint32
        Seed.
    out : (rows, N) float32
        Receives what is found, in rows from `row` on; `CELL_ROWS` of them are written.
    row : int
        The first of these.
    """
    # Numbers that are known when compiling would each be compiled for.
    _find_cells(n, places, np.int64(first), np.int64(is_deep), scale, jitter, period, seed, out, np.int64(row))


@apart
def _find_cells(n, places, first, is_deep, scale, jitter, period, seed, out, row):
    stay_apart()
    near, second, nearest, runner_up = row + NEAR, row + SECOND, row + BORDER, row + TONE
    for i in range(n):
        out[near, i], out[second, i], out[nearest, i], out[runner_up, i] = F(9), F(9), F(0), F(0)
    for j in range(27 if is_deep > 0 else 9):
        number = F(j)
        for i in range(n):
            x, y, z = places[first, i] * scale, places[first + 1, i] * scale, places[first + 2, i] * scale
            dx, dy, dz, _ = _centre(x, y, z, np.int32(j), is_deep, jitter, period, seed)
            d = dx * dx + dy * dy + dz * dz
            least, next_least = out[near, i], out[second, i]
            one, other = out[nearest, i], out[runner_up, i]
            is_nearer, is_second = d < least, d < next_least
            out[second, i] = least if is_nearer else (d if is_second else next_least)
            out[runner_up, i] = one if is_nearer else (number if is_second else other)
            out[near, i] = d if is_nearer else least
            out[nearest, i] = number if is_nearer else one
    for i in range(n):
        x, y, z = places[first, i] * scale, places[first + 1, i] * scale, places[first + 2, i] * scale
        ax, ay, az, h = _centre(x, y, z, np.int32(out[nearest, i]), is_deep, jitter, period, seed)
        bx, by, bz, _ = _centre(x, y, z, np.int32(out[runner_up, i]), is_deep, jitter, period, seed)
        between = (bx - ax) * (bx - ax) + (by - ay) * (by - ay) + (bz - az) * (bz - az)
        out[row + BORDER, i] = F(0.5) * (out[second, i] - out[near, i]) / np.sqrt(max(between, F(1e-12)))
        out[row + TONE, i] = unit(again(h))


@inline
def _centre(x, y, z, j, is_deep, jitter, period, seed):
    """From a point to the centre of the j-th cell about it, and the cell's random number."""
    start = F(0.5) - F(0.5) * jitter
    cx = np.int32(floor(x) + np.int32(j % np.int32(3)) - np.int32(1))
    cy = np.int32(floor(y) + np.int32(j // np.int32(3) % np.int32(3)) - np.int32(1))
    if is_deep > 0:
        cz = np.int32(floor(z) + np.int32(j // np.int32(9)) - np.int32(1))
        h = hash3(wrapped(cx, period), wrapped(cy, period), cz, seed)
        dx = F(cx) + start + jitter * F(np.int32(h & U(0x7FF))) * F(1 / 2048) - x
        dy = F(cy) + start + jitter * F(np.int32((h >> U(11)) & U(0x7FF))) * F(1 / 2048) - y
        return dx, dy, F(cz) + start + jitter * F(np.int32(h >> U(22))) * F(1 / 1024) - z, h
    h = hash3(wrapped(cx, period), wrapped(cy, period), np.int32(0), seed)
    dx = F(cx) + start + jitter * F(np.int32(h & U(0xFFFF))) * F(1 / 65536) - x
    dy = F(cy) + start + jitter * F(np.int32(h >> U(16))) * F(1 / 65536) - y
    return dx, dy, F(0), h
