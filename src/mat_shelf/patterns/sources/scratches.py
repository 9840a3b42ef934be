"""Scratches and fibres: thin lines of finite length."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, floor, hash3, layer_seed, smooth, unit
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed

_LOW = 4
"""Rows of cells in a size: cells are low, since their lines lie mostly along them."""


class Scratches(Source):
    """Thin lines with faded ends. Its size is the length of the longest."""

    label = "Scratches"
    tip = "Fine wear, hairlines, grooves. Sharp and thin, never a grey haze."
    span = 1.0
    usual = Placement(size=8, projection="box")

    kind: Literal["scratches"] = "scratches"
    density: float = number(0.5, 0, 1, label="Density", tip="Number of scratches; product renders show few.")
    width: float = number(
        0.05,
        0.001,
        100,
        label="Width",
        unit="mm",
        tip="Width of the widest, in sizes. Hairlines 0.02, deep ones 0.1.",
        usual=(0.005, 1),
        log=True,
    )
    direction: float = number(20, -180, 180, label="Direction", unit="°", tip="Main direction.")
    spread: float = number(40, 0, 180, label="Direction spread", unit="°", tip="180 is every direction.")
    curl: float = number(0.15, 0, 1, label="Curl", tip="0 is straight, as from a cloth along an edge.")
    layers: int = number(3, 1, 12, label="Layers", tip="Layers of scratches, each rotated a little.")
    seed: int = seed()

    def seen(self, size: float) -> float:
        return min(self.span * size, 130 * self.width)

    def finest(self, size: float) -> float:
        return self.width / 2

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (
            self.density,
            self.width / at.size,
            math.radians(self.direction),
            math.radians(self.spread),
            self.curl,
            self.layers,
            self.seed,
        )

    @operation
    def run(c, n, coordinates, before, out, at):
        density, width, direction, spread, curl, layers = c[0], c[1], c[2], c[3], c[4], int(c[5])
        seed = U(c[6])
        lines_row(n, coordinates, 0, density, width, direction, spread, curl, layers, seed, out, 0)


@inline
def _turn(angle):
    """Cosine and sine of a small angle, up to half a radian, to 1e-7: the first terms of their series."""
    square = angle * angle
    cosine = F(1) - square * (F(1 / 2) - square * (F(1 / 24) - square * F(1 / 720)))
    return cosine, angle * (F(1) - square * (F(1 / 6) - square * (F(1 / 120) - square * F(1 / 5040))))


@inline
def _line(dx, dy, h, width, spread, curl):
    """Height of one line about its middle: 1 along it, 0 beyond its width and its ends."""
    c, s = _turn((unit(h) - F(0.5)) * spread)
    h = again(h)
    half = F(0.5) * (F(0.25) + F(0.75) * unit(h))
    h = again(h)
    bend = (unit(h) - F(0.5)) * F(4) * curl
    h = again(h)
    thick = width * (F(0.35) + F(0.65) * unit(h))
    strength = F(0.4) + F(0.6) * unit(again(h))
    along = dx * c + dy * s
    across = dy * c - dx * s - bend * (along * along - F(0.3) * half * half)
    taper = smooth(F(1), F(0.35), abs(along) / half)
    return strength * taper * smooth(F(0.5), F(0.2), abs(across) / max(thick * (F(0.3) + F(0.7) * taper), F(1e-6)))


@inline
def lines_row(n, places, first, density, width, direction, spread, curl, layers, seed, out, row):
    """Height of the highest line at each point, [0, 1].

    Cell after cell over all points, since only the inner loop becomes vector instructions.

    Parameters
    ----------
    n : int
        Number of points.
    places : (rows, N) float32
        Coordinates, in two rows from `first` on, in sizes.
    first : int
        The first of these rows.
    density : float32
        Density.
    width : float32
        Width of the widest line, in sizes.
    direction : float32
        Main direction, radians.
    spread : float32
        Spread of the directions, radians.
    curl : float32
        Curl, [0, 1].
    layers : int
        Layers, each turned a little against the others.
    seed : uint32
        Number that selects the variation.
    out : (rows, N) float32
        Receives the heights, in one row.
    row : int
        That row.
    """
    # Numbers that are known when compiling would each be compiled for.
    _lines_row(
        n, places, np.int64(first), density, width, direction, spread, curl, np.int64(layers), seed, out, np.int64(row)
    )


@apart
def _lines_row(n, places, first, density, width, direction, spread, curl, layers, seed, out, row):
    stay_apart()
    width = min(width, F(1))  # wider than it is long, a line would be looked for in any number of cells
    fan = min(spread / F(layers), F(1))
    reach = F(0.5) * math.sin(F(0.5) * fan) + F(0.35) * curl + width
    rows = np.int32(reach * F(_LOW)) + 1
    for i in range(n):
        out[row, i] = F(0)
    for layer in range(layers):
        turn = direction + (F(layer) - F(0.5) * F(layers - 1)) * spread / F(layers)
        c, s = math.cos(turn), math.sin(turn)
        key = layer_seed(seed, layer)
        shift = F(0.618) * F(layer)
        for up in range(-rows, rows + 1):
            for j in range(4):  # two columns, two lines in a cell; lines are a unit long at most
                for i in range(n):
                    x = c * places[first, i] + s * places[first + 1, i] + shift
                    y = c * places[first + 1, i] - s * places[first, i] + shift
                    cx = np.int32(floor(x - F(0.5)) + np.int32(j % 2))
                    cy = np.int32(floor(y * F(_LOW)) + np.int32(up))
                    h = hash3(cx, cy, np.int32(j // 2), key)
                    # Eight bits say whether there is a line, the others where.
                    dx = x - F(cx) - F(np.int32(h & U(0xFFF))) * F(1 / 4096)
                    dy = y - (F(cy) + F(np.int32((h >> U(12)) & U(0xFFF))) * F(1 / 4096)) * F(1 / _LOW)
                    is_there = F(np.int32(h >> U(24))) < density * F(256) and abs(dy) < reach and abs(dx) < F(0.5)
                    height = _line(dx, dy, again(h), width, fan, curl)
                    out[row, i] = max(out[row, i], height if is_there else F(0))
