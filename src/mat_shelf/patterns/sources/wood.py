"""Wood, solid and in boards."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, floor, fractal, random_of, smooth
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.patterns.sources.speckle import speck_at
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

    def finest(self, size: float) -> float:
        return size / 20

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        trunk(at.coordinates, self._made(), U(self.seed), out)
        return out

    def _made(self) -> tuple:
        return F(self.pith), F(self.late), F(self.waver), F(self.fibres), F(self.pores)


@inline
def tone_at(x, y, z, made, seed):
    """Tone of wood whose trunk runs along x, 1 the palest; y and z in rings.

    Parameters
    ----------
    x, y, z : float32
        Coordinate, in sizes.
    made : namedtuple
        Numbers of the wood.
    seed : uint32
        Number that selects the variation.

    Returns
    -------
    float32
    """
    pith, late, waver, fibres, pores = made
    sx, sy, sz = x * F(0.02), y * F(0.13), z * F(0.13)
    bend = fractal(sx, sy, sz, 2, F(0.5), U(seed + U(1))) - F(0.5)
    lean = fractal(sx * F(3), sy * F(3), sz * F(3), 2, F(0.5), U(seed + U(2))) - F(0.5)
    across = pith + z + F(5) * waver * bend
    rings = math.sqrt(y * y * F(0.6) + across * across) + F(0.8) * waver * lean
    year = floor(rings)
    phase = rings - F(year)
    dark = smooth(F(1) - late, F(1) - F(0.15) * late, phase) * smooth(F(1), F(0.97), phase)
    dark += F(0.35) * phase * (F(1) - dark)
    tone = F(0.82) - dark * (F(0.35) + F(0.3) * random_of(year, U(seed + U(4))))
    tone += F(0.34) * fibres * (fractal(x * F(0.06), y * F(5), z * F(5), 3, F(0.5), U(seed + U(6))) - F(0.5))
    if pores > F(0):
        dash = speck_at(
            x * F(0.12), y * F(3), z * F(3), True, F(0.5), F(0.42), F(0.5), F(0.5), np.int32(0), U(seed + U(8))
        )
        tone -= F(0.4) * pores * dash * (F(0.4) + F(0.6) * (F(1) - phase))
    return min(max(tone, F(0)), F(1))


@kernel
def trunk(coordinates, made, seed, out):
    """Tones of solid wood, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    made : namedtuple
        Numbers of the wood.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    for i in range(coordinates.shape[1]):
        out[i] = tone_at(coordinates[0, i], coordinates[1, i], coordinates[2, i], made, seed)


class Boards(Wood):
    """Boards side by side, each cut from another place. Its size is the width of a board."""

    label = "Boards"
    tip = "Planks that differ in tone and grain, with joints."
    span = 3.0
    usual = Placement(size=40, axis="x")

    kind: Literal["boards"] = "boards"
    length: float = number(6, 1, 100, label="Length", tip="Length of a board, in widths.", log=True)
    rings: float = number(14, 1, 100, label="Rings", tip="Rings across a board.", log=True)
    differ: float = number(0.35, 0, 1, label="Variation", tip="Difference in tone between boards.")
    gap: float = number(
        0.3, 0, 20, label="Gap", unit="mm", tip="Width of the joints; black in the pattern.", usual=(0, 3)
    )

    def finest(self, size: float) -> float:
        return size / (20 * self.rings)

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        laid = F(self.length), F(self.rings), F(self.differ), F(self.gap / at.size)
        planks(at.coordinates, self._made(), laid, U(self.seed), out)
        return out


@kernel
def planks(coordinates, made, laid, seed, out):
    """Tones of boards a unit wide, their joints black, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    made : namedtuple
        Numbers of the wood.
    laid : PlacedMark
        The mark on its surface.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    length, rings, differ, gap = laid
    for i in range(coordinates.shape[1]):
        x, y, z = coordinates[0, i], coordinates[1, i], coordinates[2, i]
        row = floor(y)
        along = (x + random_of(row, U(seed + U(1))) * length) / length
        board = floor(along)
        number = np.int32(row + np.int32(57) * board)
        chance, other = random_of(number, seed), random_of(number, U(seed + U(2)))
        to_side = min(y - F(row), F(1) - y + F(row))
        to_end = min(along - F(board), F(1) - along + F(board)) * length
        if min(to_side, to_end) < F(0.5) * gap:
            out[i] = F(0)
            continue
        tone = tone_at(
            (x + chance * F(90)) * rings,
            (y - F(row) - F(0.5)) * rings + (other - F(0.5)) * F(6),
            z * rings + chance * F(40),
            made,
            seed,
        )
        out[i] = tone * (F(1) - differ * other)
