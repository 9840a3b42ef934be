"""Marks that hands and cloths leave."""

from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.optics.kernels import F
from mat_shelf.patterns.lattice import U
from mat_shelf.patterns.sources.grain import add_grain
from mat_shelf.patterns.sources.noise import add_noise
from mat_shelf.patterns.step import At, Source, seed


def noise(coordinates: np.ndarray, octaves: int, seed: int, character: int = 0, gain: float = 0.5) -> np.ndarray:
    """Fractal noise at (3, N) coordinates, (N,) in [0, 1]."""
    out = np.zeros(coordinates.shape[1], np.float32)
    add_noise(coordinates, octaves, F(gain), F(2), character, 0, U(seed), out)
    return out


def smoothed(low: float, high: float, values: np.ndarray) -> np.ndarray:
    """0 below one value, 1 above the other, smooth between."""
    t = np.clip((values - np.float32(low)) / np.float32(high - low), 0, 1)
    return t * t * (3 - 2 * t)


class Smudges(Source):
    """Soft dabs with streaks in them. Its size is that of a dab."""

    label = "Smudges"
    tip = "Finger grease and handling on glass, lacquer and polished metal."

    usual = Placement(size=12)

    kind: Literal["smudges"] = "smudges"
    cover: float = number(0.5, 0, 1, label="Cover", tip="Share of the surface that was touched.")
    streaks: float = number(0.5, 0, 1, label="Streaks", tip="How far the dabs were dragged.")
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates
        bent = c.copy()
        bent[0] += 1.2 * (noise(c * np.float32(0.7), 2, self.seed + 11) - 0.5)
        bent[1] += 1.2 * (noise(c * np.float32(0.7), 2, self.seed + 23) - 0.5)
        dabs = smoothed(0.62 - 0.34 * self.cover, 0.80 - 0.30 * self.cover, noise(bent, 3, self.seed, gain=0.4))
        thin = bent * np.array([[0.8], [9.0], [9.0]], np.float32)
        lines = noise(thin, 3, self.seed + 5)
        mottle = noise(c * np.float32(6), 3, self.seed + 7)
        return dabs * (0.45 + 0.35 * mottle + (lines - 0.5) * np.float32(1.1 * self.streaks)).clip(0, 1)


class WipeMarks(Source):
    """Arcs that a cloth left. Its size is the width of a stroke."""

    label = "Wipe marks"
    tip = "The faint arcs on a wiped surface; keep their range narrow."
    span = 6.0
    usual = Placement(size=8, projection="box")

    kind: Literal["wipes"] = "wipes"
    cover: float = number(0.6, 0, 1, label="Cover", tip="Share of the surface that was wiped.")
    bend: float = number(0.5, 0, 1, label="Bend", tip="How round the strokes are.")
    fineness: float = number(12, 2, 60, label="Fineness", tip="Lines across a stroke.", log=True)
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates
        total = np.zeros(len(at), np.float32)
        for stroke in range(3):
            angle = np.float32(self.seed * 1.7 + stroke * 2.4)
            turned = np.stack([
                np.cos(angle) * c[0] + np.sin(angle) * c[1], np.cos(angle) * c[1] - np.sin(angle) * c[0], c[2]
            ])
            reach = np.float32(0.12) * turned + np.float32(stroke * 5)
            turned[1] += np.float32(5 * self.bend) * (noise(reach, 1, self.seed + stroke) - 0.5)
            turned[1] += np.float32(0.05 * self.bend) * (turned[0] % 40 - 20) ** 2 / 20
            lines = np.zeros(len(at), np.float32)
            fine = turned * np.float32(self.fineness)
            add_grain(fine, F(90), 3, F(0.7), F(0), U(self.seed + stroke), lines)
            slow = turned * np.array([[0.12], [0.9], [0.9]], np.float32)
            mask = smoothed(0.66 - 0.3 * self.cover, 0.78 - 0.2 * self.cover, noise(slow, 2, self.seed + 40 + stroke))
            np.maximum(total, mask * smoothed(0.35, 0.9, lines), out=total)
        return total
