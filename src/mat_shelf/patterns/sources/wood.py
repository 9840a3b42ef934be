"""Wood, solid and in boards."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, floor, fractal_row, random_of, smooth
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.sources.speckle import specks_row
from mat_shelf.patterns.step import Source, StepInput, seed


class Wood(Source):
    """A block cut out of a trunk that lies along the placement. Its size is the width of a year's ring.

    Sides show long grain and ends show rings, since it runs through the part.
    """

    label = "Wood"
    tip = "Rings, fibres and pores of solid wood, ends included. Use solid projection, along the grain."
    span = 14.0
    usual = Placement(size=1.6, axis="x")

    kind: Literal["wood"] = "wood"
    pith: float = number(12, 0, 200, label="From the pith", tip="Distance from the trunk's centre, in rings.")
    late: float = number(0.35, 0.05, 0.95, label="Late wood", tip="Share of a ring that is dark.")
    waver: float = number(0.5, 0, 1, label="Distortion", tip="Distortion of the rings.")
    fibres: float = number(0.4, 0, 1, label="Fibres", tip="Strength of the fine lines along the grain.")
    pores: float = number(0.4, 0, 1, label="Pores", tip="Short dark dashes: many in oak and walnut, none in maple.")
    seed: int = seed()
    scratch = 4

    def finest(self, size: float) -> float:
        return size / 20

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.pith, self.late, self.waver, self.fibres, self.pores, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        tones(n, coordinates, 0, (c[0], c[1], c[2], c[3], c[4]), U(c[5]), out, 0)


_TONE_ROWS = 5


@inline
def tones(n, places, first, made, seed, out, row):
    """Tones of wood whose trunk runs along x, 1 the palest.

    Parameters
    ----------
    n : int
        Number of points.
    places : (rows, N) float32
        Coordinates, in three rows from `first` on; y and z in rings.
    first : int
        The first of these rows.
    made : (5,) float32
        Distance from the pith, share of late wood, distortion, strength of fibres and pores.
    seed : uint32
        Number that selects the variation.
    out : (rows, N) float32
        Receives the tones, in one row; the four after it are written too.
    row : int
        That row.
    """
    # Numbers that are known when compiling would each be compiled for.
    _tones(n, places, np.int64(first), made, seed, out, np.int64(row))


@apart
def _tones(n, places, first, made, seed, out, row):
    stay_apart()
    pith, late, waver, fibres, pores = made
    bend, lean, lines, dash, half = row + 1, row + 2, row + 3, row + 4, F(0.5)
    fractal_row(n, places, first, (F(0.02), F(0.13), F(0.13)), 2, half, U(seed + U(1)), out, bend)
    fractal_row(n, places, first, (F(0.06), F(0.39), F(0.39)), 2, half, U(seed + U(2)), out, lean)
    fractal_row(n, places, first, (F(0.06), F(5), F(5)), 3, half, U(seed + U(6)), out, lines)
    if pores > F(0):
        scale, key, none = (F(0.12), F(3), F(3)), U(seed + U(8)), np.int32(0)
        specks_row(n, places, first, True, scale, half, F(0.42), half, half, none, key, out, dash)
    for i in range(n):
        y, z = places[first + 1, i], places[first + 2, i]
        across = pith + z + F(5) * waver * (out[bend, i] - half)
        rings = math.sqrt(y * y * F(0.6) + across * across) + F(0.8) * waver * (out[lean, i] - half)
        year = floor(rings)
        phase = rings - F(year)
        dark = smooth(F(1) - late, F(1) - F(0.15) * late, phase) * smooth(F(1), F(0.97), phase)
        dark += F(0.35) * phase * (F(1) - dark)
        tone = F(0.82) - dark * (F(0.35) + F(0.3) * random_of(year, U(seed + U(4))))
        tone += F(0.34) * fibres * (out[lines, i] - half)
        if pores > F(0):
            tone -= F(0.4) * pores * out[dash, i] * (F(0.4) + F(0.6) * (F(1) - phase))
        out[row, i] = min(max(tone, F(0)), F(1))


class Boards(Wood):
    """Boards side by side, each cut from another place. Its size is the width of a board."""

    label = "Boards"
    tip = "Planks that differ in tone and grain, with joints."
    span = 3.0
    usual = Placement(size=40, axis="x")

    scratch = 3 + _TONE_ROWS

    kind: Literal["boards"] = "boards"
    length: float = number(6, 1, 100, label="Length", tip="Length of a board, in widths.", log=True)
    rings: float = number(14, 1, 100, label="Rings", tip="Rings across a board.", log=True)
    differ: float = number(0.35, 0, 1, label="Variation", tip="Difference in tone between boards.")
    gap: float = number(
        0.3, 0, 20, label="Gap", unit="mm", tip="Width of the joints; black in the pattern.", usual=(0, 3)
    )

    def finest(self, size: float) -> float:
        return size / (20 * self.rings)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return *super().constants(at), self.length, self.rings, self.differ, self.gap / at.size

    @operation
    def run(c, n, coordinates, before, out, at):
        made, seed = (c[0], c[1], c[2], c[3], c[4]), U(c[5])
        length, rings, differ, gap = c[6], c[7], c[8], c[9]
        x, tone, half = 1, 4, F(0.5)  # rows of `out`; those of x, y, z within the trunks
        for i in range(n):
            row = floor(coordinates[1, i])
            along = (coordinates[0, i] + random_of(row, U(seed + U(1))) * length) / length
            number = np.int32(row + np.int32(57) * floor(along))
            chance, other = random_of(number, seed), random_of(number, U(seed + U(2)))
            out[x, i] = (coordinates[0, i] + chance * F(90)) * rings
            out[x + 1, i] = (coordinates[1, i] - F(row) - half) * rings + (other - half) * F(6)
            out[x + 2, i] = coordinates[2, i] * rings + chance * F(40)
            out[0, i] = F(1) - differ * other
            to_side = min(coordinates[1, i] - F(row), F(1) - coordinates[1, i] + F(row))
            share = along - F(floor(along))
            if min(to_side, min(share, F(1) - share) * length) < half * gap:
                out[0, i] = F(0)
        tones(n, out, x, made, seed, out, tone)
        for i in range(n):
            out[0, i] *= out[tone, i]
