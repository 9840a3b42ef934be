"""Pressed and matted stuff: cork, paper, ply."""

from typing import Literal

import math

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.optics.kernels import F
from mat_shelf.patterns.lattice import U
from mat_shelf.patterns.sources.cells import deep_cells, flat_cells
from mat_shelf.patterns.sources.scratches import lines
from mat_shelf.patterns.sources.smudges import noise, smoothed
from mat_shelf.patterns.sources.speckle import specks
from mat_shelf.patterns.sources.wood import _random
from mat_shelf.patterns.step import At, Source, seed


class Cork(Source):
    """Granules pressed together, with dark bark between. Its size is that of a granule."""

    label = "Cork"
    tip = "Cork sheet: tones of granules, dark joints, a few pits."
    span = 10.0
    usual = Placement(size=2)

    kind: Literal["cork"] = "cork"
    joints: float = number(0.5, 0, 1, label="Joints", tip="How dark the joints between granules are.")
    bark: float = number(0.3, 0, 1, label="Bark", tip="How many dark flakes and pits there are.")
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates
        bent = c.copy()
        for axis in range(3 if at.is_deep else 2):
            bent[axis] += 0.5 * (noise(c * np.float32(1.5), 3, self.seed + axis) - 0.5)
        cells = deep_cells if at.is_deep else flat_cells
        borders, tones = np.empty((2, len(at)), np.float32)
        cells(bent, F(1), 0, U(self.seed), 2, borders, tones)
        flecks = np.empty(len(at), np.float32)
        specks(bent * np.float32(1.3), at.is_deep, F(0.6 * self.bark), F(0.7), F(0.8), F(0.5), 0, U(self.seed), flecks)
        fine = noise(c * np.float32(5), 3, self.seed + 9)
        tone = 0.45 + 0.4 * tones + 0.3 * (fine - 0.5)
        tone *= 1 - np.float32(0.6 * self.joints) * (1 - smoothed(0.0, 0.22, borders))
        return (tone * (1 - np.float32(0.8) * flecks)).clip(0, 1).astype(np.float32)


class Paper(Source):
    """Matted fibres. Its size is the length of a fibre."""

    label = "Paper fibre"
    tip = "Uncoated paper and card, felt. Height 0.005 to 0.03 mm."
    span = 3.0
    usual = Placement(size=2, projection="box")

    kind: Literal["paper"] = "paper"
    fibres: float = number(0.6, 0, 1, label="Fibres", tip="How clearly single fibres show.")
    cloud: float = number(0.4, 0, 1, label="Cloud", tip="Unevenness of the sheet against the light.")
    seed: int = seed()

    def finest(self, size: float) -> float:
        return size / 40

    def apply(self, at: At) -> np.ndarray:
        c = at.coordinates
        mat = np.zeros(len(at), np.float32)
        lines(c, F(0.9), F(0.05), F(0), F(math.pi), F(0.35), 3, U(self.seed), mat)
        fine = noise(c * np.float32(11), 3, self.seed + 1)
        cloud = noise(c * np.float32(1.4), 3, self.seed + 2)
        value = 0.5 + 0.4 * (fine - 0.5) + np.float32(0.8 * self.cloud) * (cloud - 0.5)
        return (value + np.float32(0.5 * self.fibres) * (mat - 0.3)).clip(0, 1)


class Ply(Source):
    """Sheets glued on each other. Its size is the thickness of a sheet; they lie across the placement."""

    label = "Ply"
    tip = "Edges of plywood and of layered board: strips of alternating tone that follow the edge."
    span = 8.0
    usual = Placement(size=1.5, axis="z")

    kind: Literal["ply"] = "ply"
    contrast: float = number(0.5, 0, 1, label="Contrast", tip="How much neighbouring sheets differ.")
    glue: float = number(0.08, 0, 0.5, label="Glue", tip="Width of the dark line between sheets, in sizes.")
    fibres: float = number(0.4, 0, 1, label="Fibres", tip="Grain in the sheets that run along the edge.")
    seed: int = seed()

    def apply(self, at: At) -> np.ndarray:
        x, y, z = at.coordinates
        sheet = np.floor(y)
        place = y - sheet
        along = (sheet % 2).astype(np.float32)
        tone = 0.5 + np.float32(0.5 * self.contrast) * (along - 0.5 + 0.4 * (_random(sheet, self.seed) - 0.5))
        run = noise(np.stack([x * np.float32(0.3), y * np.float32(7), z * np.float32(0.3)]), 3, self.seed + 1)
        ends = noise(np.stack([x * np.float32(6), y * np.float32(6), z * np.float32(6)]), 2, self.seed + 2)
        tone += np.float32(0.6 * self.fibres) * (np.where(along > 0, run, ends) - 0.5)
        line = np.minimum(place, 1 - place) < np.float32(self.glue / 2)
        return np.where(line, tone * np.float32(0.35), tone).clip(0, 1).astype(np.float32)
