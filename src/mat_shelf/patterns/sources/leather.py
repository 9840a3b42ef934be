"""Leather grain."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, fractal_row, smooth
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.sources.cells import BORDER, CELL_ROWS, find_cells
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
    scratch = 5 + 2 * CELL_ROWS

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return at.is_deep, self.crease, self.fine, self.pores, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        is_deep, crease, fine, pores, seed = c[0] > F(0), c[1], c[2], c[3], U(c[4])
        none, half = np.int32(0), F(0.5)
        x, depth, pits, large, small = 1, 4, 5, 6, 6 + CELL_ROWS  # rows of `out`; those of x, y, z after warping
        for axis in range(3):
            if axis < 2 or is_deep:
                scale, key = (F(0.8), F(0.8), F(0.8)), U(seed + U(1) + U(13) * U(axis))
                fractal_row(n, coordinates, 0, scale, 2, half, key, out, x + axis)
                for i in range(n):
                    out[x + axis, i] = coordinates[axis, i] + F(0.42) * (out[x + axis, i] - half)
            else:
                for i in range(n):
                    out[x + axis, i] = coordinates[axis, i]
        find_cells(n, out, x, is_deep, F(1), F(0.95), none, seed, out, large)
        if fine > F(0):
            find_cells(n, out, x, is_deep, F(2.7), F(0.95), none, U(seed + U(5)), out, small)
        fractal_row(n, coordinates, 0, (F(0.45), F(0.45), F(0.45)), 2, half, U(seed + U(3)), out, depth)
        if pores > F(0):
            fractal_row(n, out, x, (F(7), F(7), F(7)), 1, half, U(seed + U(29)), out, pits)
        for i in range(n):
            border = F(2) * out[large + BORDER, i]
            deep = half + half * smooth(F(0.35), F(0.6), out[depth, i])
            height = F(1) - (F(1) - _pillow(border, crease)) * deep
            if fine > F(0):
                pebble = _pillow(F(2) * out[small + BORDER, i], min(F(1.2) * crease, F(1)))
                height *= F(1) - F(0.35) * fine * (F(1) - pebble)
            if pores > F(0):
                height -= F(0.35) * pores * smooth(F(0.72), F(0.9), out[pits, i]) * smooth(F(0.75), F(0.3), border)
            out[0, i] = min(max(height, F(0)), F(1))


@inline
def _pillow(border, width):
    """A round-shouldered rise from a border in, [0, 1]."""
    inside = min(max(border / width, F(0)), F(1))
    return math.sqrt(F(1) - (F(1) - inside) * (F(1) - inside))
