"""Sources without chance: a constant, gradients, a checker."""

import math
from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import floor
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.patterns.step import Source, StepInput


class Constant(Source):
    """One value everywhere."""

    label = "Constant"
    tip = "One value, to mix others with."

    kind: Literal["constant"] = "constant"
    value: float = number(0.5, 0, 1, label="Value", tip="Black is 0, white is 1.")

    def apply(self, at: StepInput) -> np.ndarray:
        return np.full(len(at), self.value, np.float32)


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

    def apply(self, at: StepInput) -> np.ndarray:
        x, y, z = at.coordinates
        if self.shape == "linear":
            t = x
        elif self.shape == "around":
            t = np.arctan2(y, x) / np.float32(2 * math.pi) + np.float32(0.5)
        elif self.shape == "radial":
            t = np.hypot(x, y)
        else:
            t = np.sqrt(x * x + y * y + z * z)
        if self.ends == "repeat":
            return (t - np.floor(t)).astype(np.float32)
        if self.ends == "mirror":
            return (1 - np.abs(t % 2 - 1)).astype(np.float32)
        return np.clip(t, 0, 1).astype(np.float32)


class Checker(Source):
    """Squares of its size, with their numbers if wanted; cubes where it runs through the part."""

    label = "Checker"
    tip = "Shows stretch and true size; each square is one size wide."
    span = 6.0

    kind: Literal["checker"] = "checker"
    numbers: bool = Field(False, title="Numbers", description="Writes the position of each square into it.")

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        squares(at.coordinates, at.is_solid, self.numbers, _DIGITS, out)
        return out


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


@kernel
def squares(coordinates, is_solid, numbers, digits, out):
    """A checker of unit squares, or of cubes, (3, N) to (N,).

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    is_solid : bool
        Whether it runs through the part.
    numbers : int32
        1 writes the position of each square into it.
    digits : str
        Digits.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    for i in range(xs.shape[0]):
        xi, yi = floor(xs[i]), floor(ys[i])
        zi = floor(zs[i]) if is_solid else np.int32(0)
        value = F(0.8) if (np.int32(xi + yi + zi) & np.int32(1)) == 0 else F(0.2)
        if numbers:
            column = np.int32((xs[i] - F(xi)) * F(13)) - np.int32(1)
            row = np.int32((F(1) - ys[i] + F(yi)) * F(13)) - np.int32(4)
            if 0 <= row < 5 and 0 <= column < 11 and column % 4 < 3:
                place = column // 4
                n = abs(xi) % 10 if place == 0 else (abs(yi) // 10 % 10 if place == 1 else abs(yi) % 10)
                if (digits[n, row] >> (2 - column % 4)) & 1:
                    value = F(1) - value
        out[i] = value
