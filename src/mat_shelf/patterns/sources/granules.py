"""Pressed and matted stuff: cork, paper, ply."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, floor, fractal, random_of, smooth, unit
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.patterns.sources.cells import deep_cell, flat_cell
from mat_shelf.patterns.sources.scratches import lines_at
from mat_shelf.patterns.sources.speckle import speck_at
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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        grains(at.coordinates, at.is_deep, F(self.joints), F(self.bark), U(self.seed), out)
        return out


@kernel
def grains(coordinates, is_deep, joints, bark, seed, out):
    """Tones of pressed granules, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    is_deep : bool
        Whether the third coordinate counts.
    joints : float32
        Darkness of the joints, [0, 1].
    bark : float32
        Number of dark flakes, [0, 1].
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    none = np.int32(0)
    for i in range(xs.shape[0]):
        x, y, z = xs[i], ys[i], zs[i]
        sx, sy, sz = F(1.5) * x, F(1.5) * y, F(1.5) * z
        bx = x + F(0.5) * (fractal(sx, sy, sz, 3, F(0.5), seed) - F(0.5))
        by = y + F(0.5) * (fractal(sx, sy, sz, 3, F(0.5), U(seed + U(1))) - F(0.5))
        bz = z
        if is_deep:
            bz = z + F(0.5) * (fractal(sx, sy, sz, 3, F(0.5), U(seed + U(2))) - F(0.5))
            _, _, border, tone = deep_cell(bx, by, bz, F(1), none, seed)
        else:
            _, _, border, tone = flat_cell(bx, by, F(1), none, seed)
        fine = fractal(x * F(5), y * F(5), z * F(5), 3, F(0.5), U(seed + U(9)))
        value = F(0.45) + F(0.4) * unit(again(tone)) + F(0.3) * (fine - F(0.5))
        value *= F(1) - F(0.6) * joints * (F(1) - smooth(F(0), F(0.22), F(2) * border))
        fleck = speck_at(
            bx * F(1.3), by * F(1.3), bz * F(1.3), is_deep, F(0.6) * bark, F(0.7), F(0.8), F(0.5), none, seed
        )
        out[i] = min(max(value * (F(1) - F(0.8) * fleck), F(0)), F(1))


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

    def finest(self, size: float) -> float:
        return size / 40

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        mat(at.coordinates, F(self.fibres), F(self.cloud), U(self.seed), out)
        return out


@kernel
def mat(coordinates, fibres, cloud, seed, out):
    """Fibres over clouds, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    fibres : float32
        Strength of the fibres, [0, 1].
    cloud : float32
        Unevenness of the sheet.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    for i in range(xs.shape[0]):
        x, y, z = xs[i], ys[i], zs[i]
        lines = lines_at(x, y, F(0.9), F(0.05), F(0), F(math.pi), F(0.35), 2, seed)
        fine = fractal(x * F(11), y * F(11), z * F(11), 3, F(0.5), U(seed + U(1)))
        broad = fractal(x * F(1.4), y * F(1.4), z * F(1.4), 3, F(0.5), U(seed + U(2)))
        value = F(0.5) + F(0.4) * (fine - F(0.5)) + F(0.8) * cloud * (broad - F(0.5))
        out[i] = min(max(value + F(0.5) * fibres * (lines - F(0.3)), F(0)), F(1))


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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        sheets(at.coordinates, F(self.contrast), F(self.glue), F(self.fibres), U(self.seed), out)
        return out


@kernel
def sheets(coordinates, contrast, glue, fibres, seed, out):
    """Tones of sheets a unit thick, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    contrast : float32
        Contrast.
    glue : float32
        Width of the dark line, in sizes.
    fibres : float32
        Strength of the fibres, [0, 1].
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    for i in range(xs.shape[0]):
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
        out[i] = min(max(tone, F(0)), F(1))
