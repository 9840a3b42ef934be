"""Pressed and matted stuff: cork, paper, ply."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, floor, fractal, fractal_row, random_of, smooth
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.sources.cells import BORDER, CELL_ROWS, TONE, find_cells
from mat_shelf.patterns.sources.scratches import lines_row
from mat_shelf.patterns.sources.speckle import specks_row
from mat_shelf.patterns.step import Source, StepInput, seed


class Cork(Source):
    """Granules pressed together, with dark bark between. Its size is that of a granule."""

    label = "Cork"
    tip = "Cork sheet: tones of granules, dark joints, a few pits."
    span = 10.0
    usual = Placement(size=2)

    kind: Literal["cork"] = "cork"
    joints: float = number(0.5, 0, 1, label="Joints", tip="Darkness of the joints between granules.")
    bark: float = number(0.3, 0, 1, label="Bark", tip="Number of dark flakes and pits.")
    seed: int = seed()
    scratch = 5 + CELL_ROWS

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return at.is_deep, self.joints, self.bark, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        is_deep, joints, bark, seed = c[0] > F(0), c[1], c[2], U(c[3])
        none, half = np.int32(0), F(0.5)
        x, fine, flecks, cells = 1, 4, 5, 6  # rows of `out`; those of x, y, z after warping
        for axis in range(3):
            if axis < 2 or is_deep:
                scale = (F(1.5), F(1.5), F(1.5))
                fractal_row(n, coordinates, 0, scale, 3, half, U(seed + U(axis)), out, x + axis)
                for i in range(n):
                    out[x + axis, i] = coordinates[axis, i] + half * (out[x + axis, i] - half)
            else:
                for i in range(n):
                    out[x + axis, i] = coordinates[axis, i]
        find_cells(n, out, x, is_deep, F(1), F(1), none, seed, out, cells)
        fractal_row(n, coordinates, 0, (F(5), F(5), F(5)), 3, half, U(seed + U(9)), out, fine)
        scale = (F(1.3), F(1.3), F(1.3))
        specks_row(n, out, x, is_deep, scale, F(0.6) * bark, F(0.7), F(0.8), half, none, seed, out, flecks)
        for i in range(n):
            value = F(0.45) + F(0.4) * out[cells + TONE, i] + F(0.3) * (out[fine, i] - half)
            value *= F(1) - F(0.6) * joints * (F(1) - smooth(F(0), F(0.22), F(2) * out[cells + BORDER, i]))
            out[0, i] = min(max(value * (F(1) - F(0.8) * out[flecks, i]), F(0)), F(1))


class Paper(Source):
    """Matted fibres. Its size is the length of a fibre."""

    label = "Paper fibre"
    tip = "Uncoated paper and card, felt. Height 0.005 to 0.03 mm."
    span = 3.0
    usual = Placement(size=2, projection="box")

    kind: Literal["paper"] = "paper"
    fibres: float = number(0.6, 0, 1, label="Fibres", tip="Visibility of single fibres.")
    cloud: float = number(0.4, 0, 1, label="Cloud", tip="Unevenness of the sheet against the light.")
    seed: int = seed()
    scratch = 2

    def finest(self, size: float) -> float:
        return size / 40

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.fibres, self.cloud, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        fibres, cloud, seed = c[0], c[1], U(c[2])
        half, fine, broad = F(0.5), 1, 2  # rows of `out`
        fractal_row(n, coordinates, 0, (F(11), F(11), F(11)), 3, half, U(seed + U(1)), out, fine)
        fractal_row(n, coordinates, 0, (F(1.4), F(1.4), F(1.4)), 3, half, U(seed + U(2)), out, broad)
        lines_row(n, coordinates, 0, F(0.9), F(0.05), F(0), F(math.pi), F(0.35), 2, seed, out, 0)
        for i in range(n):
            value = half + F(0.4) * (out[fine, i] - half) + F(0.8) * cloud * (out[broad, i] - half)
            out[0, i] = min(max(value + half * fibres * (out[0, i] - F(0.3)), F(0)), F(1))


class Ply(Source):
    """Sheets glued on each other. Its size is the thickness of a sheet; they lie across the placement."""

    label = "Ply"
    tip = "Edges of plywood and of layered board: strips of alternating tone that follow the edge."
    span = 8.0
    usual = Placement(size=1.5, axis="z")

    kind: Literal["ply"] = "ply"
    contrast: float = number(0.5, 0, 1, label="Contrast", tip="Difference between neighbouring layers.")
    glue: float = number(0.08, 0, 0.5, label="Glue", tip="Width of the dark line between layers, in sizes.")
    fibres: float = number(0.4, 0, 1, label="Fibres", tip="Grain in the layers that run along the edge.")
    seed: int = seed()

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.contrast, self.glue, self.fibres, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        contrast, glue, fibres, seed = c[0], c[1], c[2], U(c[3])
        xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
        for i in range(n):
            x, y, z = xs[i], ys[i], zs[i]
            sheet = floor(y)
            place = y - F(sheet)
            runs_along = (sheet & np.int32(1)) == 0
            side = F(0.5) if runs_along else F(-0.5)
            tone = F(0.5) + F(0.5) * contrast * (side + F(0.4) * (random_of(sheet, seed) - F(0.5)))
            if runs_along:
                fibre = fractal(x * F(0.3), y * F(7), z * F(0.3), 3, F(0.5), U(seed + U(1)))
            else:
                fibre = fractal(x * F(6), y * F(6), z * F(6), 2, F(0.5), U(seed + U(2)))
            tone += F(0.6) * fibres * (fibre - F(0.5))
            if min(place, F(1) - place) < F(0.5) * glue:
                tone *= F(0.35)
            out[0, i] = min(max(tone, F(0)), F(1))
