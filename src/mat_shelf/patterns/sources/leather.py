"""Leather grain."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, fractal, smooth
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.patterns.sources.cells import deep_cell, flat_cell
from mat_shelf.patterns.step import Source, StepInput, seed


class Leather(Source):
    """Pebbles of skin between creases, with pores. Its size is that of the larger pebbles."""

    label = "Leather"
    tip = "Grain of leather and of its imitations. Height 0.05 to 0.3 mm."
    span = 8.0
    usual = Placement(size=1.5, projection="box")

    kind: Literal["leather"] = "leather"
    crease: float = number(0.8, 0.05, 1, label="Crease", tip="Width of the creases between pebbles.")
    fine: float = number(0.4, 0, 1, label="Fine grain", tip="Smaller pebbles inside the large ones.")
    pores: float = number(0.4, 0, 1, label="Pores", tip="Small pits along the creases.")
    seed: int = seed()

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        hide(at.coordinates, at.is_deep, F(self.crease), F(self.fine), F(self.pores), U(self.seed), out)
        return out


@inline
def _pillow(border, width):
    """A round-shouldered rise from a border in, [0, 1]."""
    inside = min(max(border / width, F(0)), F(1))
    return math.sqrt(F(1) - (F(1) - inside) * (F(1) - inside))


@kernel
def hide(coordinates, is_deep, crease, fine, pores, seed, out):
    """Height of pebbles, smaller ones on them, and pores, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    is_deep : bool
        Whether the third coordinate counts.
    crease : float32
        Width of the creases.
    fine : float32
        Strength of fine detail.
    pores : float32
        Number of pores, [0, 1].
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    none = np.int32(0)
    for i in range(xs.shape[0]):
        x, y, z = xs[i], ys[i], zs[i]
        sx, sy, sz = F(0.8) * x, F(0.8) * y, F(0.8) * z
        bx = x + F(0.42) * (fractal(sx, sy, sz, 2, F(0.5), U(seed + U(1))) - F(0.5))
        by = y + F(0.42) * (fractal(sx, sy, sz, 2, F(0.5), U(seed + U(14))) - F(0.5))
        bz = z
        if is_deep:
            bz = z + F(0.42) * (fractal(sx, sy, sz, 2, F(0.5), U(seed + U(27))) - F(0.5))
            _, _, large, _ = deep_cell(bx, by, bz, F(0.95), none, seed)
            _, _, small, _ = deep_cell(bx * F(2.7), by * F(2.7), bz * F(2.7), F(0.95), none, U(seed + U(5)))
        else:
            _, _, large, _ = flat_cell(bx, by, F(0.95), none, seed)
            _, _, small, _ = flat_cell(bx * F(2.7), by * F(2.7), F(0.95), none, U(seed + U(5)))
        large, small = F(2) * large, F(2) * small
        depth = F(0.5) + F(0.5) * smooth(
            F(0.35), F(0.6), fractal(F(0.45) * x, F(0.45) * y, F(0.45) * z, 2, F(0.5), U(seed + U(3)))
        )
        height = F(1) - (F(1) - _pillow(large, crease)) * depth
        height *= F(1) - F(0.35) * fine * (F(1) - _pillow(small, min(F(1.2) * crease, F(1))))
        if pores > F(0):
            pit = smooth(F(0.72), F(0.9), fractal(bx * F(7), by * F(7), bz * F(7), 1, F(0.5), U(seed + U(29))))
            height -= F(0.35) * pores * pit * smooth(F(0.75), F(0.3), large)
        out[i] = min(max(height, F(0)), F(1))
