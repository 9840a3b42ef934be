"""Sources without chance: a constant, gradients, a checker."""

import math
from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import floor
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput

_SHAPES, _ENDS = ("linear", "around", "radial", "spherical"), ("hold", "repeat", "mirror")


class Constant(Source):
    """One value everywhere."""

    label = "Constant"
    tip = "One value, to mix others with."

    kind: Literal["constant"] = "constant"
    value: float = number(0.5, 0, 1, label="Value", tip="Black is 0, white is 1.")

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (self.value,)

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            out[0, i] = c[0]


class Gradient(Source):
    """An even run from 0 to 1. Its size is the length of the run."""

    label = "Gradient"
    tip = "Fades along, around or outwards from a point; limits other patterns to a region."
    span = 1.5

    kind: Literal["gradient"] = "gradient"
    shape: Literal["linear", "around", "radial", "spherical"] = Field(
        "linear", title="Shape", description="Linear, around the centre, or outwards from it."
    )
    ends: Literal["hold", "repeat", "mirror"] = Field(
        "hold", title="Ends", description="Beyond the end: hold the value, repeat, or mirror."
    )

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return _SHAPES.index(self.shape), _ENDS.index(self.ends)

    @operation
    def run(c, n, coordinates, before, out, at):
        shape, ends = int(c[0]), int(c[1])
        for i in range(n):
            x, y, z = coordinates[0, i], coordinates[1, i], coordinates[2, i]
            if shape == 0:
                t = x
            elif shape == 1:
                t = math.atan2(y, x) / F(2 * math.pi) + F(0.5)
            elif shape == 2:
                t = math.sqrt(x * x + y * y)
            else:
                t = math.sqrt(x * x + y * y + z * z)
            if ends == 0:
                out[0, i] = min(max(t, F(0)), F(1))
            elif ends == 1:
                out[0, i] = t - F(math.floor(t))
            else:
                out[0, i] = F(1) - abs(t - F(2) * F(math.floor(F(0.5) * t)) - F(1))


_DIGITS = np.array(
    [
        [7, 5, 5, 5, 7],
        [2, 6, 2, 2, 7],
        [7, 1, 7, 4, 7],
        [7, 1, 3, 1, 7],
        [5, 5, 7, 1, 1],
        [7, 4, 7, 1, 7],
        [7, 4, 7, 5, 7],
        [7, 1, 1, 2, 2],
        [7, 5, 7, 5, 7],
        [7, 5, 7, 1, 7],
    ],
    np.int32,
)
"""Figures of three by five dots: rows from the top, bits from the left."""


class Checker(Source):
    """Squares of its size, with their numbers if wanted; cubes where it runs through the part."""

    label = "Checker"
    tip = "Shows stretch and true size; each square is one size wide."
    span = 6.0

    kind: Literal["checker"] = "checker"
    numbers: bool = Field(False, title="Numbers", description="Writes the position of each square into it.")

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return at.is_solid, self.numbers

    @operation
    def run(c, n, coordinates, before, out, at):
        is_solid, numbers = c[0] > F(0), c[1] > F(0)
        xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
        for i in range(n):
            xi, yi = floor(xs[i]), floor(ys[i])
            zi = floor(zs[i]) if is_solid else np.int32(0)
            value = F(0.8) if (np.int32(xi + yi + zi) & np.int32(1)) == 0 else F(0.2)
            if numbers:
                column = np.int32((xs[i] - F(xi)) * F(13)) - np.int32(1)
                row = np.int32((F(1) - ys[i] + F(yi)) * F(13)) - np.int32(4)
                if 0 <= row < 5 and 0 <= column < 11 and column % 4 < 3:
                    place = column // 4
                    k = abs(xi) % 10 if place == 0 else (abs(yi) // 10 % 10 if place == 1 else abs(yi) % 10)
                    if (_DIGITS[k, row] >> (2 - column % 4)) & 1:
                        value = F(1) - value
            out[0, i] = value
