"""Marks that hands and cloths leave."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, fractal_row, smooth
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.sources.grain import grain_row
from mat_shelf.patterns.step import Source, StepInput, seed


class Smudges(Source):
    """Soft dabs with streaks in them. Its size is that of a dab."""

    label = "Smudges"
    tip = "Finger grease and handling on glass, lacquer and polished metal."

    usual = Placement(size=12)

    kind: Literal["smudges"] = "smudges"
    cover: float = number(0.5, 0, 1, label="Cover", tip="Share of the surface that was touched.")
    streaks: float = number(0.5, 0, 1, label="Streaks", tip="Length of the drag.")
    seed: int = seed()
    scratch = 6

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.cover, self.streaks, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        cover, streaks, seed = c[0], c[1], U(c[2])
        half, slow = F(0.5), (F(0.7), F(0.7), F(0.7))
        x, dab, lines, mottle = 1, 4, 5, 6  # rows of `out`; those of x, y, z after warping
        fractal_row(n, coordinates, 0, slow, 2, half, U(seed + U(11)), out, x)
        fractal_row(n, coordinates, 0, slow, 2, half, U(seed + U(23)), out, x + 1)
        for i in range(n):
            out[x, i] = coordinates[0, i] + F(1.2) * (out[x, i] - half)
            out[x + 1, i] = coordinates[1, i] + F(1.2) * (out[x + 1, i] - half)
            out[x + 2, i] = coordinates[2, i]
        fractal_row(n, out, x, (F(1), F(1), F(1)), 3, F(0.4), seed, out, dab)
        fractal_row(n, out, x, (F(0.8), F(9), F(9)), 3, half, U(seed + U(5)), out, lines)
        fractal_row(n, coordinates, 0, (F(6), F(6), F(6)), 3, half, U(seed + U(7)), out, mottle)
        for i in range(n):
            share = smooth(F(0.62) - F(0.34) * cover, F(0.80) - F(0.30) * cover, out[dab, i])
            value = F(0.45) + F(0.35) * out[mottle, i] + (out[lines, i] - half) * F(1.1) * streaks
            out[0, i] = share * min(max(value, F(0)), F(1))


class WipeMarks(Source):
    """Arcs that a cloth left. Its size is the width of a stroke."""

    label = "Wipe marks"
    tip = "The faint arcs on a wiped surface; keep their range narrow."
    span = 6.0
    usual = Placement(size=8, projection="box")

    kind: Literal["wipes"] = "wipes"
    cover: float = number(0.6, 0, 1, label="Cover", tip="Share of the surface that was wiped.")
    bend: float = number(0.5, 0, 1, label="Bend", tip="Curvature of the strokes.")
    fineness: float = number(12, 2, 60, label="Fineness", tip="Lines across a stroke.", log=True)
    seed: int = seed()
    scratch = 9

    def finest(self, size: float) -> float:
        return size / (3 * self.fineness)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.cover, self.bend, self.fineness, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        cover, bend, fineness, seed = c[0], c[1], c[2], U(c[3])
        half, none = F(0.5), F(0)
        x, far, bow, mask, lines = 1, 4, 7, 8, 9  # rows of `out`; those of x, y, z turned, and far away
        for i in range(n):
            out[0, i] = F(0)
        for layer in range(3):
            angle = F(np.int32(seed)) * F(1.7) + F(2.4) * F(layer)
            cos, sin, key = math.cos(angle), math.sin(angle), U(seed + U(layer))
            for i in range(n):
                across, up = coordinates[0, i], coordinates[1, i]
                out[x, i], out[x + 1, i] = cos * across + sin * up, cos * up - sin * across
                out[x + 2, i] = coordinates[2, i]
                for axis in range(3):
                    out[far + axis, i] = F(0.12) * out[x + axis, i] + F(5) * F(layer)
            fractal_row(n, out, far, (F(1), F(1), F(1)), 1, half, key, out, bow)
            for i in range(n):
                out[x + 1, i] += F(5) * bend * (out[bow, i] - half)
            fractal_row(n, out, x, (F(0.12), F(0.9), F(0.9)), 2, half, U(key + U(40)), out, mask)
            grain_row(n, out, x, fineness, F(90), 3, F(0.7), none, key, out, lines)
            for i in range(n):
                share = smooth(F(0.66) - F(0.3) * cover, F(0.78) - F(0.2) * cover, out[mask, i])
                out[0, i] = max(out[0, i], share * smooth(F(0.35), F(0.9), out[lines, i]))
