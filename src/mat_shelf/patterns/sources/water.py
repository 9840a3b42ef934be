"""What water leaves: runs and dried edges."""

from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.optics.kernels import F, kernel
from mat_shelf.patterns.lattice import U, again, floor, hash3, smooth, unit
from mat_shelf.patterns.sources.smudges import noise
from mat_shelf.patterns.step import At, Source, seed


class Drips(Source):
    """Runs downwards, each ending in a drop. Its size is the distance between them."""

    label = "Drips"
    tip = "Runs of water, ink or lacquer, and streaks under edges."

    usual = Placement(size=8, projection="cylinder")

    kind: Literal["drips"] = "drips"
    density: float = number(0.6, 0, 1, label="Density", tip="How many of the places have a run.")
    width: float = number(0.18, 0.02, 0.6, label="Width", tip="Of a run, in sizes.")
    length: float = number(3, 0.3, 20, label="Length", tip="Of the longest, in sizes.", log=True)
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates.copy()
        c[0] += 0.25 * (noise(at.coordinates * np.float32(0.8), 2, self.seed + 3) - 0.5)
        out = np.empty(len(at), np.float32)
        runs(c, F(self.density), F(self.width), F(self.length), U(self.seed), out)
        return out


@kernel
def runs(coordinates, density, width, length, seed, out):
    """Height of runs that go down y, (3, N) to (N,) in [0, 1]."""
    xs, ys = coordinates[0], coordinates[1]
    for i in range(xs.shape[0]):
        x, y = xs[i], ys[i] / length
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
        out[i] = most


class DriedWater(Source):
    """Pools that dried from their edges in. Its size is that of a pool."""

    label = "Dried water"
    tip = "Rims of dried drops and puddles; barely there on a product."

    usual = Placement(size=8, projection="box")

    kind: Literal["dried"] = "dried"
    density: float = number(0.5, 0, 1, label="Density", tip="How many of the places have a pool.")
    rim: float = number(0.06, 0.01, 0.4, label="Rim", tip="Width of the rim, in sizes.")
    veil: float = number(0.15, 0, 1, label="Veil", tip="What is left inside the rim.")
    ragged: float = number(0.4, 0, 1, label="Ragged", tip="How far rims are from circles.")
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates.copy()
        for axis in (0, 1):
            c[axis] += np.float32(0.7 * self.ragged) * (
                noise(at.coordinates * np.float32(1.1), 2, self.seed + 9 + axis) - 0.5
            )
        out = np.empty(len(at), np.float32)
        pools(c, F(self.density), F(self.rim), F(self.veil), U(self.seed), out)
        return out * (0.6 + 0.4 * noise(at.coordinates * np.float32(3), 2, self.seed + 31))


@kernel
def pools(coordinates, density, rim, veil, seed, out):
    """Rims and insides of round pools, (3, N) to (N,) in [0, 1]."""
    xs, ys = coordinates[0], coordinates[1]
    for i in range(xs.shape[0]):
        x, y = xs[i], ys[i]
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
        out[i] = most
