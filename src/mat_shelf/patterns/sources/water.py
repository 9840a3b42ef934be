"""Traces of water: runs and dried edges."""

from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, floor, fractal, hash3, smooth, unit
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed


class Drips(Source):
    """Runs downwards, each ending in a drop. Its size is the distance between them."""

    label = "Drips"
    tip = "Runs of water, ink or lacquer, and streaks under edges."

    usual = Placement(size=8, projection="cylinder")

    kind: Literal["drips"] = "drips"
    density: float = number(0.6, 0, 1, label="Density", tip="Share of cells that have a run.")
    width: float = number(0.18, 0.02, 0.6, label="Width", tip="Width of a run, in sizes.")
    length: float = number(3, 0.3, 20, label="Length", tip="Length of the longest, in sizes.", log=True)
    seed: int = seed()

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.density, self.width, self.length, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        density, width, length, seed = c[0], c[1], c[2], U(c[3])
        xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
        for i in range(n):
            bend = fractal(xs[i] * F(0.8), ys[i] * F(0.8), zs[i] * F(0.8), 2, F(0.5), U(seed + U(3)))
            x, y = xs[i] + F(0.25) * (bend - F(0.5)), ys[i] / length
            xi, yi = floor(x), floor(y)
            most = F(0)
            for j in range(9):
                cx = np.int32(xi + np.int32(j % 3 - 1))
                cy = np.int32(yi + np.int32(j // 3 - 1))
                h = hash3(cx, cy, np.int32(0), seed)
                there = unit(h) < density
                h = again(h)
                px = F(cx) + unit(h)
                h = again(h)
                top = F(cy) + unit(h)
                h = again(h)
                reach = F(0.25) + F(0.75) * unit(h)
                h = again(h)
                half = F(0.5) * width * (F(0.5) + F(0.5) * unit(h))
                down = (top - y) / reach
                dx = abs(x - px)
                fade = smooth(F(0), F(0.3), down) * smooth(F(1), F(0.995), down)
                trail = F(0.65) * fade * smooth(F(1), F(0.1), dx / (half * F(0.7)))
                dy = (y - top + reach) * length
                drop = smooth(half, half * F(0.2), np.sqrt(dx * dx + dy * dy * F(0.5)))
                most = max(most, max(trail, drop) if there else F(0))
            out[0, i] = most


class DriedWater(Source):
    """Pools that dried from their edges in. Its size is that of a pool."""

    label = "Dried water"
    tip = "Rims of dried drops and puddles; barely there on a product."

    usual = Placement(size=8, projection="box")

    kind: Literal["dried"] = "dried"
    density: float = number(0.5, 0, 1, label="Density", tip="Share of cells that have a pool.")
    rim: float = number(0.06, 0.01, 0.4, label="Rim", tip="Width of the rim, in sizes.")
    veil: float = number(0.15, 0, 1, label="Veil", tip="Residue inside the rim.")
    ragged: float = number(0.4, 0, 1, label="Distortion", tip="Departure of rims from circles.")
    seed: int = seed()

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.density, self.rim, self.veil, self.ragged, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        density, rim, veil, ragged, seed = c[0], c[1], c[2], c[3], U(c[4])
        xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
        for i in range(n):
            x, y, z = F(1.1) * xs[i], F(1.1) * ys[i], F(1.1) * zs[i]
            stray_x = fractal(x, y, z, 2, F(0.5), U(seed + U(9))) - F(0.5)
            stray_y = fractal(x, y, z, 2, F(0.5), U(seed + U(10))) - F(0.5)
            x, y = xs[i] + F(0.7) * ragged * stray_x, ys[i] + F(0.7) * ragged * stray_y
            xi, yi = floor(x), floor(y)
            most = F(0)
            for j in range(9):
                cx = np.int32(xi + np.int32(j % 3 - 1))
                cy = np.int32(yi + np.int32(j // 3 - 1))
                h = hash3(cx, cy, np.int32(0), seed)
                there = unit(h) < density
                h = again(h)
                dx = F(cx) + unit(h) - x
                h = again(h)
                dy = F(cy) + unit(h) - y
                h = again(h)
                radius = F(0.12) + F(0.5) * unit(h) * unit(h)
                h = again(h)
                inside = radius - np.sqrt(dx * dx + dy * dy)
                edge = smooth(-F(0.3) * rim, F(0), inside) * smooth(F(1.4) * rim, F(0), inside)
                second = F(0.4) * smooth(F(0.5) * rim, F(0), abs(inside - F(2.6) * rim))
                pool = max(max(edge, second), veil * smooth(F(0), rim, inside)) * (F(0.5) + F(0.5) * unit(h))
                most = max(most, pool if there else F(0))
            if most > F(0):
                most *= F(0.6) + F(0.4) * fractal(xs[i] * F(3), ys[i] * F(3), zs[i] * F(3), 2, F(0.5), U(seed + U(31)))
            out[0, i] = most
