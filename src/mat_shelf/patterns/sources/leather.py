"""Leather grain."""

from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.optics.kernels import F
from mat_shelf.patterns.lattice import U
from mat_shelf.patterns.sources.cells import deep_cells, flat_cells
from mat_shelf.patterns.sources.smudges import noise, smoothed
from mat_shelf.patterns.step import At, Source, seed


class Leather(Source):
    """Pebbles of skin between creases, with pores. Its size is that of the larger pebbles."""

    label = "Leather"
    tip = "Grain of leather and of what imitates it. Height 0.05 to 0.3 mm."
    span = 8.0
    usual = Placement(size=1.5, projection="box")

    kind: Literal["leather"] = "leather"
    crease: float = number(0.8, 0.05, 1, label="Crease", tip="Width of the creases between pebbles.")
    fine: float = number(0.4, 0, 1, label="Fine grain", tip="Smaller pebbles inside the large ones.")
    pores: float = number(0.4, 0, 1, label="Pores", tip="Small pits along the creases.")
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates
        bent = c.copy()
        for axis in range(3 if at.is_deep else 2):
            bent[axis] += 0.42 * (noise(c * np.float32(0.8), 2, self.seed + 13 * axis + 1) - 0.5)
        large = self._borders(bent, at.is_deep, 0)
        small = self._borders(bent * np.float32(2.7), at.is_deep, 5)
        pebbles = _pillow(large, self.crease)
        finer = _pillow(small, min(self.crease * 1.2, 1))
        depth = 0.5 + 0.5 * smoothed(0.35, 0.6, noise(c * np.float32(0.45), 2, self.seed + 3))
        height = 1 - (1 - pebbles) * depth
        height = height * (1 - np.float32(0.35 * self.fine) * (1 - finer))
        pits = smoothed(0.72, 0.9, noise(bent * np.float32(7), 1, self.seed + 29)) * smoothed(0.75, 0.3, large)
        return (height - np.float32(0.35 * self.pores) * pits).clip(0, 1)

    def _borders(self, coordinates: np.ndarray, is_deep: bool, more: int) -> np.ndarray:
        borders, tones = np.empty((2, coordinates.shape[1]), np.float32)
        (deep_cells if is_deep else flat_cells)(coordinates, F(0.95), 0, U(self.seed + more), 2, borders, tones)
        return borders


def _pillow(borders: np.ndarray, width: float) -> np.ndarray:
    """A round-shouldered rise from the borders in, (N,) in [0, 1]."""
    inside = np.clip(borders / np.float32(width), 0, 1)
    return np.sqrt(1 - (1 - inside) ** 2)
