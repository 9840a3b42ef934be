"""Separate specks."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, floor, hash3, smooth, unit, wrapped
from mat_shelf.numerics.kernels import F, inline, kernel
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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        specks(
            at.coordinates,
            at.is_deep,
            F(self.density),
            F(self.width),
            F(self.spread),
            F(self.softness),
            self.repeat,
            U(self.seed),
            out,
        )
        return out


@inline
def speck_at(x, y, z, is_deep, density, width, spread, softness, period, seed):
    """Height of the highest speck at a point, [0, 1].

    Parameters
    ----------
    x, y, z : float32
        Coordinate, in sizes.
    is_deep : bool
        Whether the third coordinate counts.
    density : float32
        Density.
    width : float32
        Diameter of the largest specks, in sizes.
    spread : float32
        Variation of the sizes, [0, 1].
    softness : float32
        Softness, [0, 1].
    period : int
        Period in cells; 0 never repeats.
    seed : uint32
        Number that selects the variation.

    Returns
    -------
    float32
    """
    xi, yi = floor(x), floor(y)
    zi = floor(z) if is_deep else np.int32(0)
    most = F(0)
    for j in range(27 if is_deep else 9):
        cx = np.int32(xi + np.int32(j % 3 - 1))
        cy = np.int32(yi + np.int32(j // 3 % 3 - 1))
        cz = np.int32(zi + np.int32(j // 9 - 1)) if is_deep else np.int32(0)
        h = hash3(wrapped(cx, period), wrapped(cy, period), cz, seed)
        if unit(h) >= density:
            continue
        h = again(h)
        radius = F(0.5) * width * (F(1) - spread * unit(h))
        h = again(h)
        dx = F(cx) + unit(h) - x
        h = again(h)
        dy = F(cy) + unit(h) - y
        h = again(h)
        dz = F(cz) + unit(h) - z if is_deep else F(0)
        d = math.sqrt(dx * dx + dy * dy + dz * dz) / radius
        most = max(most, smooth(F(1), min(F(1) - softness, F(0.95)), d))
    return most


@kernel
def specks(coordinates, is_deep, density, width, spread, softness, repeat, seed, out):
    """Height of the highest speck at each of (3, N) coordinates, (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    is_deep : bool
        Whether the third coordinate counts.
    density : float32
        Density.
    width : float32
        Diameter of the largest specks, in sizes.
    spread : float32
        Variation of the sizes, [0, 1].
    softness : float32
        Softness, [0, 1].
    repeat : int
        Period in sizes; 0 never repeats.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    for i in range(xs.shape[0]):
        out[i] = speck_at(xs[i], ys[i], zs[i], is_deep, density, width, spread, softness, np.int32(repeat), seed)
