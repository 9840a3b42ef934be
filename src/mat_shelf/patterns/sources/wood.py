"""Wood, solid and in boards."""

from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.optics.kernels import F
from mat_shelf.patterns.lattice import U
from mat_shelf.patterns.sources.smudges import noise, smoothed
from mat_shelf.patterns.sources.speckle import specks
from mat_shelf.patterns.step import At, Source, seed


class Wood(Source):
    """A block cut out of a trunk that lies along the placement. Its size is the width of a year's ring.

    Sides show long grain and ends show rings, since it runs through the part.
    """

    label = "Wood"
    tip = "Rings, fibres and pores of solid wood, ends included. Lay it solid, along the grain."
    span = 14.0
    usual = Placement(size=1.6, axis="x")

    kind: Literal["wood"] = "wood"
    pith: float = number(12, 0, 200, label="From the pith", tip="How far from the trunk's middle it was cut, in rings.")
    late: float = number(0.35, 0.05, 0.95, label="Late wood", tip="Share of a ring that is dark.")
    waver: float = number(0.5, 0, 1, label="Waver", tip="How uneven the rings are.")
    fibres: float = number(0.4, 0, 1, label="Fibres", tip="Strength of the fine lines along the grain.")
    pores: float = number(0.4, 0, 1, label="Pores", tip="Short dark dashes: many in oak and walnut, none in maple.")
    seed: int = seed()

    def finest(self, size: float) -> float:
        return size / 20

    def apply(self, at: At) -> np.ndarray:
        return self.cut(at.coordinates)

    def cut(self, coordinates: np.ndarray) -> np.ndarray:
        """Tone at (3, N) coordinates, along the grain first; (N,) in [0, 1], 1 the palest."""
        x, y, z = coordinates
        slow = np.stack([x * np.float32(0.02), y * np.float32(0.13), z * np.float32(0.13)])
        bend = noise(slow, 2, self.seed + 1) - np.float32(0.5)
        lean = noise(slow * np.float32(3), 2, self.seed + 2) - np.float32(0.5)
        across = np.float32(self.pith) + z + np.float32(5 * self.waver) * bend
        rings = np.sqrt(y * y * np.float32(0.6) + across * across) + np.float32(0.8 * self.waver) * lean
        year = np.floor(rings)
        phase = rings - year
        dark = smoothed(1 - self.late, 1 - 0.15 * self.late, phase) * smoothed(1.0, 0.97, phase)
        dark = dark + 0.35 * phase * (1 - dark)
        every = noise(np.stack([year * np.float32(0.77), year * 0 + 0.5, year * 0]), 1, self.seed + 4)
        tone = 0.82 - dark * (0.35 + 0.3 * every)
        fine = np.stack([x * np.float32(0.06), y * np.float32(5), z * np.float32(5)])
        tone += np.float32(0.34 * self.fibres) * (noise(fine, 3, self.seed + 6) - np.float32(0.5))
        if self.pores > 0:
            dashes = np.empty(len(x), np.float32)
            where = np.stack([x * np.float32(0.12), y * np.float32(3), z * np.float32(3)]).astype(np.float32)
            specks(where, True, F(0.5), F(0.42), F(0.5), F(0.5), 0, U(self.seed + 8), dashes)
            tone -= np.float32(0.4 * self.pores) * dashes * (0.4 + 0.6 * (1 - phase))
        return tone.clip(0, 1).astype(np.float32)


class Boards(Wood):
    """Boards side by side, each cut from another place. Its size is the width of a board."""

    label = "Boards"
    tip = "Planks whose neighbours differ in tone and piece, with their joints."
    span = 3.0
    usual = Placement(size=40, axis="x")

    kind: Literal["boards"] = "boards"
    length: float = number(6, 1, 100, label="Length", tip="Of a board, in widths.", log=True)
    rings: float = number(14, 1, 100, label="Rings", tip="Rings across a board.", log=True)
    differ: float = number(0.35, 0, 1, label="Differ", tip="How much boards differ in tone.")
    gap: float = number(
        0.3, 0, 20, label="Gap", unit="mm", tip="Width of the joints; black in the pattern.", usual=(0, 3)
    )

    def finest(self, size: float) -> float:
        return size / (20 * self.rings)

    def apply(self, at: At) -> np.ndarray:
        x, y, z = at.coordinates
        row = np.floor(y)
        stagger = _random(row, self.seed + 1) * np.float32(self.length)
        board = np.floor((x + stagger) / np.float32(self.length))
        chance = _random(row + np.float32(57) * board, self.seed)
        other = _random(row + np.float32(57) * board, self.seed + 2)
        inside = np.stack([
            (x + chance * np.float32(90)) * np.float32(self.rings),
            (y - row - np.float32(0.5)) * np.float32(self.rings) + (other - np.float32(0.5)) * 6,
            z * np.float32(self.rings) + chance * np.float32(40),
        ]).astype(np.float32)
        tone = self.cut(inside) * (1 - np.float32(self.differ) * other)
        to_side = np.minimum(y - row, 1 - y + row) * at.size
        place = (x + stagger) / np.float32(self.length) - board
        to_end = np.minimum(place, 1 - place) * np.float32(self.length * at.size)
        joint = np.minimum(to_side, to_end) < np.float32(self.gap / 2)
        return np.where(joint, np.float32(0), tone).astype(np.float32)


def _random(whole: np.ndarray, seed: int) -> np.ndarray:
    """A random number in [0, 1] for each whole number, (N,) float32."""
    h = (whole.astype(np.int64) * 0x9E3779B1 + (seed + 1) * 0x85EBCA77).astype(np.uint32)
    h = (h ^ (h >> 15)) * np.uint32(0x2C1B3C6D)
    h = (h ^ (h >> 12)) * np.uint32(0x297A2D39)
    return ((h ^ (h >> 15)) >> 8).astype(np.float32) / np.float32(1 << 24)
