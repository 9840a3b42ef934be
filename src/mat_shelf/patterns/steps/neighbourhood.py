"""Steps that look at a pattern's neighbourhood."""

import math
from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import PatternRef
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import CompiledStep, StepInput, Value

_TAPS = 16
_ANGLES = np.arange(_TAPS) * np.pi * (3 - np.sqrt(5))
_RADII = np.sqrt(-2 * np.log1p(-(np.arange(_TAPS) + 0.5) / _TAPS))
_DISC = np.stack([_RADII * np.cos(_ANGLES), _RADII * np.sin(_ANGLES)], axis=1)
"""Places that stand for a normal distribution of deviation 1, in a spiral (Vogel 1979)."""


class Warp(CompiledStep):
    """Bends a pattern by another one."""

    takes = "grey"

    label = "Warp"
    tip = "Distorts lines and edges by another pattern."

    kind: Literal["warp"] = "warp"
    other: PatternRef = Field(
        None, title="Warp map", description="Pattern that displaces; mid grey leaves all in place."
    )
    amount: float = number(1.0, 0, 1000, label="Amount", unit="mm", tip="Largest displacement.", usual=(0, 10))

    def emit(self, at: StepInput) -> Value:
        pull = at.other(self.other)
        if pull is None:
            return at.before()
        return at.before(at.run(pull, given=3).row)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (2 * self.amount / at.size,)

    @operation
    def run(c, n, coordinates, before, out, at):
        """Coordinates, moved."""
        for i in range(n):
            pull = (before[0, i] - F(0.5)) * c[0]
            out[0, i] = coordinates[0, i] + pull
            out[1, i] = coordinates[1, i] - pull * F(0.7)
            out[2, i] = coordinates[2, i]


class Soften(CompiledStep):
    """Blurs."""

    label = "Blur"
    tip = "Blurs by a radius in mm; turns the cliffs of black and white artwork into slopes."
    asks = _TAPS

    kind: Literal["soften"] = "soften"
    radius: float = number(
        0.2, 0.001, 100, label="Radius", unit="mm", tip="Radius of the blur.", usual=(0.01, 5), log=True
    )

    def emit(self, at: StepInput) -> Value:
        return at.around(_DISC * (self.radius / 2 / at.size), np.full((_TAPS, 1), 1 / _TAPS))

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            out[0, i] = before[0, i]


class Sharpen(CompiledStep):
    """Strengthens what differs from the neighbourhood."""

    label = "Sharpen"
    tip = "Strengthens detail finer than the radius."
    asks = _TAPS + 1

    kind: Literal["sharpen"] = "sharpen"
    radius: float = number(
        0.2, 0.001, 100, label="Radius", unit="mm", tip="Detail finer than this.", usual=(0.01, 5), log=True
    )
    amount: float = number(1.0, 0, 10, label="Amount", tip="Strength.", usual=(0, 4))

    def emit(self, at: StepInput) -> Value:
        places = np.vstack([np.zeros((1, 2)), _DISC * (self.radius / 2 / at.size)])
        weights = np.zeros((1 + _TAPS, 2))
        weights[0, 0], weights[1:, 1] = 1, 1 / _TAPS
        return at.around(places, weights)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (self.amount,)

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            here, around = before[0, i], before[1, i]
            out[0, i] = min(max(here + c[0] * (here - around), F(0)), F(1))


class Steepness(CompiledStep):
    """Rate of change of the values: white on edges, black on flats."""

    label = "Slope"
    tip = "White where the map changes fast: outlines, edges of cells."
    asks = 4

    kind: Literal["steepness"] = "steepness"
    reach: float = number(
        0.1,
        0.001,
        100,
        label="Distance",
        unit="mm",
        tip="Distance over which the slope is taken.",
        usual=(0.01, 5),
        log=True,
    )
    amount: float = number(
        1.0, 0, 20, label="Amount", tip="Scales it; at 1, white changes by 4 within a size.", usual=(0, 5)
    )

    takes = "grey"

    def emit(self, at: StepInput) -> Value:
        step = self.reach / at.size / 2
        places = np.array([[-step, 0], [step, 0], [0, -step], [0, step]])
        return at.around(places, np.array([[-1, 0], [1, 0], [0, -1], [0, 1]]), is_grey=True)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (0.25 * self.amount * at.size / self.reach,)

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            x, y = before[0, i], before[1, i]
            out[0, i] = min(max(c[0] * math.sqrt(x * x + y * y), F(0)), F(1))
