"""Cellular patterns."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import U, again, floor, hash3, unit, wrapped
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.patterns.step import Source, StepInput, seed

_SHOWN = ("centres", "second", "borders", "rounded", "tones")


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

    def apply(self, at: StepInput) -> np.ndarray:
        out, tones = np.empty((2, len(at)), np.float32)
        coordinates = at.coordinates
        cells = deep_cells if at.is_deep else flat_cells
        cells(coordinates, F(self.jitter), self.repeat, U(self.seed), _SHOWN.index(self.shown), out, tones)
        return tones if self.shown == "tones" else out


@inline
def _shown_as(shown, near, second, border):
    if shown == 0:
        return near
    if shown == 1:
        return second
    if shown == 2:
        return min(border * F(2), F(1))
    dome = min(border * F(2.6), F(1))
    return np.sqrt(max(F(1) - (F(1) - dome) * (F(1) - dome), F(0)))


@inline
def flat_cell(x, y, jitter, period, seed):
    """Squared distances to the nearest and second nearest centre, distance to the border, tone; in two dimensions.

    Parameters
    ----------
    x, y : float32
        Coordinate, in sizes.
    jitter : float32
        Unevenness of the cells, [0, 1].
    period : int
        Period in cells; 0 never repeats.
    seed : uint32
        Seed.

    Returns
    -------
    tuple of 4
    """
    start = F(0.5) - F(0.5) * jitter
    xi, yi = floor(x), floor(y)
    near, second = F(9), F(9)
    near_x, near_y = F(0), F(0)
    second_x, second_y = F(0), F(0)
    tone = U(0)
    for j in range(9):
        cx = np.int32(xi + np.int32(j % 3 - 1))
        cy = np.int32(yi + np.int32(j // 3 - 1))
        h = hash3(wrapped(cx, period), wrapped(cy, period), np.int32(0), seed)
        dx = F(cx) + start + jitter * F(np.int32(h & U(0xFFFF))) * F(1 / 65536) - x
        dy = F(cy) + start + jitter * F(np.int32(h >> U(16))) * F(1 / 65536) - y
        d = dx * dx + dy * dy
        closer = d < near
        between = d < second
        second_x = near_x if closer else (dx if between else second_x)
        second_y = near_y if closer else (dy if between else second_y)
        second = near if closer else (d if between else second)
        near_x = dx if closer else near_x
        near_y = dy if closer else near_y
        tone = h if closer else tone
        near = d if closer else near
    apart_x, apart_y = second_x - near_x, second_y - near_y
    apart = np.sqrt(max(apart_x * apart_x + apart_y * apart_y, F(1e-12)))
    border = F(0.5) * (second - near) / apart
    return near, second, border, tone


@inline
def deep_cell(x, y, z, jitter, period, seed):
    """The same in three dimensions.

    Parameters
    ----------
    x, y, z : float32
        Coordinate, in sizes.
    jitter : float32
        Unevenness of the cells, [0, 1].
    period : int
        Period in cells; 0 never repeats.
    seed : uint32
        Seed.

    Returns
    -------
    tuple of 4
    """
    start = F(0.5) - F(0.5) * jitter
    xi, yi, zi = floor(x), floor(y), floor(z)
    near, second = F(9), F(9)
    nx, ny, nz = F(0), F(0), F(0)
    sx, sy, sz = F(0), F(0), F(0)
    tone = U(0)
    for j in range(27):
        cx = np.int32(xi + np.int32(j % 3 - 1))
        cy = np.int32(yi + np.int32(j // 3 % 3 - 1))
        cz = np.int32(zi + np.int32(j // 9 - 1))
        h = hash3(wrapped(cx, period), wrapped(cy, period), cz, seed)
        dx = F(cx) + start + jitter * F(np.int32(h & U(0x7FF))) * F(1 / 2048) - x
        dy = F(cy) + start + jitter * F(np.int32((h >> U(11)) & U(0x7FF))) * F(1 / 2048) - y
        dz = F(cz) + start + jitter * F(np.int32(h >> U(22))) * F(1 / 1024) - z
        d = dx * dx + dy * dy + dz * dz
        closer = d < near
        between = d < second
        sx = nx if closer else (dx if between else sx)
        sy = ny if closer else (dy if between else sy)
        sz = nz if closer else (dz if between else sz)
        second = near if closer else (d if between else second)
        nx = dx if closer else nx
        ny = dy if closer else ny
        nz = dz if closer else nz
        tone = h if closer else tone
        near = d if closer else near
    ax, ay, az = sx - nx, sy - ny, sz - nz
    apart = np.sqrt(max(ax * ax + ay * ay + az * az, F(1e-12)))
    border = F(0.5) * (second - near) / apart
    return near, second, border, tone


@kernel
def flat_cells(coordinates, jitter, repeat, seed, shown, out, tones):
    """Cells in two dimensions, (3, N) to (N,), and a tone for each.

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    jitter : float32
        Unevenness of the cells, [0, 1].
    repeat : int
        Period in sizes; 0 never repeats.
    seed : uint32
        Seed.
    shown : str
        Output that is asked for.
    out : (N,) float32
        Receives the values.
    tones : int
        Number of tones.

    References
    ----------
    Worley 1996, A Cellular Texture Basis Function. The distance to a border is that to the line between two centres.
    """
    xs, ys = coordinates[0], coordinates[1]
    for i in range(xs.shape[0]):
        near, second, border, tone = flat_cell(xs[i], ys[i], jitter, np.int32(repeat), seed)
        out[i] = _shown_as(shown, np.sqrt(near), np.sqrt(second), border)
        tones[i] = unit(again(tone))


@kernel
def deep_cells(coordinates, jitter, repeat, seed, shown, out, tones):
    """Cells in three dimensions, (3, N) to (N,), and a tone for each.

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    jitter : float32
        Unevenness of the cells, [0, 1].
    repeat : int
        Period in sizes; 0 never repeats.
    seed : uint32
        Seed.
    shown : str
        Output that is asked for.
    out : (N,) float32
        Receives the values.
    tones : int
        Number of tones.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    for i in range(xs.shape[0]):
        near, second, border, tone = deep_cell(xs[i], ys[i], zs[i], jitter, np.int32(repeat), seed)
        out[i] = _shown_as(shown, np.sqrt(near), np.sqrt(second), border)
        tones[i] = unit(again(tone))
