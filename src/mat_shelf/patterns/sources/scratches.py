"""Scratches and fibres: thin lines of finite length."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, floor, hash3, smooth, unit
from mat_shelf.numerics.kernels import F, inline, kernel
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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        lines(
            at.coordinates,
            F(self.density),
            F(self.width / at.size),
            F(math.radians(self.direction)),
            F(math.radians(self.spread)),
            F(self.curl),
            self.layers,
            U(self.seed),
            out,
        )
        return out


@inline
def line_at(dx, dy, h, width, spread, curl):
    """Height of one line about its middle: 1 along it, 0 beyond its width and its ends.

    Parameters
    ----------
    dx : int
        Shift in columns.
    dy : int
        Shift in rows.
    h : uint32
        Random number of the line.
    width : float32
        Width of the widest line, in sizes.
    spread : float32
        Spread of the directions, radians.
    curl : float32
        Curl, [0, 1].

    Returns
    -------
    float32
    """
    angle = (unit(h) - F(0.5)) * spread
    h = again(h)
    half = F(0.5) * (F(0.25) + F(0.75) * unit(h))
    h = again(h)
    bend = (unit(h) - F(0.5)) * F(4) * curl
    h = again(h)
    thick = width * (F(0.35) + F(0.65) * unit(h))
    strength = F(0.4) + F(0.6) * unit(again(h))
    c, s = math.cos(angle), math.sin(angle)
    along = dx * c + dy * s
    across = dy * c - dx * s - bend * (along * along - F(0.3) * half * half)
    taper = smooth(F(1), F(0.35), abs(along) / half)
    return strength * taper * smooth(F(0.5), F(0.2), abs(across) / max(thick * (F(0.3) + F(0.7) * taper), F(1e-6)))


@inline
def lines_at(x, y, density, width, direction, spread, curl, layers, seed):
    """Height of the highest line at a point, [0, 1].

    Parameters
    ----------
    x, y : float32
        Coordinate, in sizes.
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
    layers : Layers
        Layers of `prepare_layered`.
    seed : uint32
        Number that selects the variation.

    Returns
    -------
    float32
    """
    fan = min(spread / F(layers), F(1))
    reach = F(0.5) * math.sin(F(0.5) * fan) + F(0.35) * curl + width
    rows = np.int32(reach * F(_LOW)) + 1
    most = F(0)
    for layer in range(layers):
        turn = direction + (F(layer) - F(0.5) * F(layers - 1)) * spread / F(layers)
        c, s = math.cos(turn), math.sin(turn)
        key = U(U(seed) * U(0x9E3779B1) + U(layer) * U(0x85EBCA77))
        shift = F(0.618) * F(layer)
        xx = c * x + s * y + shift
        yy = c * y - s * x + shift
        xi, yi = floor(xx), floor(yy * F(_LOW))
        for row in range(-rows, rows + 1):
            cy = np.int32(yi + np.int32(row))
            for j in range(6):
                cx = np.int32(xi + np.int32(j % 3 - 1))
                h = hash3(cx, cy, np.int32(j // 3), key)
                # Eight bits say whether there is a line, the others where: most are ruled out by that alone.
                dx = xx - F(cx) - F(np.int32(h & U(0xFFF))) * F(1 / 4096)
                dy = yy - (F(cy) + F(np.int32((h >> U(12)) & U(0xFFF))) * F(1 / 4096)) * F(1 / _LOW)
                if F(np.int32(h >> U(24))) < density * F(256) and abs(dy) < reach and abs(dx) < F(0.5):
                    most = max(most, line_at(dx, dy, again(h), width, fan, curl))
    return most


@kernel
def lines(coordinates, density, width, direction, spread, curl, layers, seed, out):
    """The highest line over each of (3, N) coordinates, (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
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
    layers : Layers
        Layers of `prepare_layered`.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    for i in range(coordinates.shape[1]):
        out[i] = lines_at(coordinates[0, i], coordinates[1, i], density, width, direction, spread, curl, layers, seed)
