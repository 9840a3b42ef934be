"""Separate specks."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, floor, hash3, smooth, unit, wrapped
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed


class Speckle(Source):
    """Round specks of various sizes, at random places. Its size is the mean distance between places for one."""

    label = "Speckle"
    tip = "Dust, dents, flakes, droplets, specks between foam's cells."
    span = 8.0
    usual = Placement(size=2, projection="box")

    kind: Literal["speckle"] = "speckle"
    density: float = number(0.5, 0, 1, label="Density", tip="Share of cells that have a speck. Dust 0.2.")
    width: float = number(0.35, 0.02, 1, label="Diameter", tip="Diameter of the largest specks, in sizes.")
    spread: float = number(0.6, 0, 1, label="Size spread", tip="0 makes all alike; droplets vary by about 0.4.")
    softness: float = number(0.4, 0, 1, label="Softness", tip="0 is a hard disc, 1 fades from the middle out.")
    repeat: int = number(0, 0, 64, label="Repeats after", tip="Period in sizes, without a seam; 0 never repeats.")
    seed: int = seed()

    def finest(self, size: float) -> float:
        return size * self.width * (1 - self.spread) / 4 + size / 100

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return at.is_deep, self.density, self.width, self.spread, self.softness, self.repeat, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        is_deep, density, width, spread, softness = c[0] > F(0), c[1], c[2], c[3], c[4]
        period, seed = np.int32(c[5]), U(c[6])
        scale = (F(1), F(1), F(1))
        specks_row(n, coordinates, 0, is_deep, scale, density, width, spread, softness, period, seed, out, 0)


@inline
def specks_row(n, places, first, is_deep, scale, density, width, spread, softness, period, seed, out, row):
    """Height of the highest speck at each point, [0, 1].

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
    scale : (3,) float32
        What each of them is multiplied by.
    density : float32
        Density.
    width : float32
        Diameter of the largest specks, in sizes.
    spread : float32
        Variation of the sizes, [0, 1].
    softness : float32
        Softness, [0, 1].
    period : int32
        Period in cells; 0 never repeats.
    seed : uint32
        Number that selects the variation.
    out : (rows, N) float32
        Receives the heights, in one row.
    row : int
        That row.
    """
    # Numbers that are known when compiling would each be compiled for.
    _specks_row(
        n,
        places,
        np.int64(first),
        np.int64(is_deep),
        scale,
        density,
        width,
        spread,
        softness,
        period,
        seed,
        out,
        np.int64(row),
    )


@apart
def _specks_row(n, places, first, is_deep, scale, density, width, spread, softness, period, seed, out, row):
    stay_apart()
    sx, sy, sz = scale
    inner = min(F(1) - softness, F(0.95))
    for i in range(n):
        out[row, i] = F(0)
    for j in range(27 if is_deep > 0 else 9):
        for i in range(n):
            x, y, z = places[first, i] * sx, places[first + 1, i] * sy, places[first + 2, i] * sz
            cx = np.int32(floor(x) + np.int32(j % 3 - 1))
            cy = np.int32(floor(y) + np.int32(j // 3 % 3 - 1))
            cz = np.int32(floor(z) + np.int32(j // 9 - 1)) if is_deep > 0 else np.int32(0)
            h = hash3(wrapped(cx, period), wrapped(cy, period), cz, seed)
            is_there = unit(h) < density
            h = again(h)
            radius = F(0.5) * width * (F(1) - spread * unit(h))
            h = again(h)
            dx = F(cx) + unit(h) - x
            h = again(h)
            dy = F(cy) + unit(h) - y
            h = again(h)
            dz = F(cz) + unit(h) - z if is_deep > 0 else F(0)
            d = math.sqrt(dx * dx + dy * dy + dz * dz) / radius
            height = smooth(F(1), inner, d)
            out[row, i] = max(out[row, i], height if is_there else F(0))
