"""Marks that hands and cloths leave."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, fractal, smooth
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.patterns.sources.grain import grain_at
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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        dabs(at.coordinates, F(self.cover), F(self.streaks), U(self.seed), out)
        return out


@kernel
def dabs(coordinates, cover, streaks, seed, out):
    """Dragged dabs, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    cover : (N,) float32
        Counts of paths that are scattered first.
    streaks : float32
        Length of the streaks.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    slow = F(0.7)
    for i in range(xs.shape[0]):
        x, y, z = xs[i], ys[i], zs[i]
        bx = x + F(1.2) * (fractal(x * slow, y * slow, z * slow, 2, F(0.5), U(seed + U(11))) - F(0.5))
        by = y + F(1.2) * (fractal(x * slow, y * slow, z * slow, 2, F(0.5), U(seed + U(23))) - F(0.5))
        dab = fractal(bx, by, z, 3, F(0.4), seed)
        dab = smooth(F(0.62) - F(0.34) * cover, F(0.80) - F(0.30) * cover, dab)
        if dab <= F(0):
            out[i] = F(0)
            continue
        lines = fractal(bx * F(0.8), by * F(9), z * F(9), 3, F(0.5), U(seed + U(5)))
        mottle = fractal(x * F(6), y * F(6), z * F(6), 3, F(0.5), U(seed + U(7)))
        value = F(0.45) + F(0.35) * mottle + (lines - F(0.5)) * F(1.1) * streaks
        out[i] = dab * min(max(value, F(0)), F(1))


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

    def finest(self, size: float) -> float:
        return size / (3 * self.fineness)

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        strokes(at.coordinates, F(self.cover), F(self.bend), F(self.fineness), U(self.seed), out)
        return out


@kernel
def strokes(coordinates, cover, bend, fineness, seed, out):
    """Three layers of bent strokes of fine lines, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    cover : (N,) float32
        Counts of paths that are scattered first.
    bend : float32
        Curvature of the strokes.
    fineness : float
        Longest side of a triangle, mm.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    for i in range(xs.shape[0]):
        most = F(0)
        for layer in range(3):
            angle = F(np.int32(seed)) * F(1.7) + F(2.4) * F(layer)
            c, s = math.cos(angle), math.sin(angle)
            x, y, z = c * xs[i] + s * ys[i], c * ys[i] - s * xs[i], zs[i]
            key = U(seed + U(layer))
            far = F(5) * F(layer)
            y += (
                F(5)
                * bend
                * (fractal(F(0.12) * x + far, F(0.12) * y + far, F(0.12) * z + far, 1, F(0.5), key) - F(0.5))
            )
            mask = fractal(x * F(0.12), y * F(0.9), z * F(0.9), 2, F(0.5), U(key + U(40)))
            mask = smooth(F(0.66) - F(0.3) * cover, F(0.78) - F(0.2) * cover, mask)
            if mask > most:
                lines = grain_at(x * fineness, y * fineness, z * fineness, F(90), 3, F(0.7), key)
                most = max(most, mask * smooth(F(0.35), F(0.9), lines))
        out[i] = most
