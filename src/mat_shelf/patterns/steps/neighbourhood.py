"""Steps that look at a pattern's neighbourhood."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import PatternRef, Step
from mat_shelf.patterns.step import StepInput, grey

_TAPS = 16
_ANGLES = np.arange(_TAPS) * np.pi * (3 - np.sqrt(5))
_RADII = np.sqrt(-2 * np.log1p(-(np.arange(_TAPS) + 0.5) / _TAPS))
_DISC = np.stack([_RADII * np.cos(_ANGLES), _RADII * np.sin(_ANGLES)], axis=1)
"""Places that stand for a normal distribution of deviation 1, in a spiral (Vogel 1979)."""


class Warp(Step):
    """Bends a pattern by another one."""

    label = "Warp"
    tip = "Distorts lines and edges by another pattern."

    kind: Literal["warp"] = "warp"
    other: PatternRef = Field(
        None, title="Warp map", description="Pattern that displaces; mid grey leaves all in place."
    )
    amount: float = number(1.0, 0, 1000, label="Amount", unit="mm", tip="Largest displacement.", usual=(0, 10))

    def apply(self, at: StepInput) -> np.ndarray:
        pull = at.other(self.other)
        if pull is None:
            return at.before
        pull = (grey(pull) - np.float32(0.5)) * np.float32(2 * self.amount / at.size)
        moved = at.coordinates.copy()
        moved[0] += pull
        moved[1] -= pull * np.float32(0.7)
        return at.before_at(moved)


def _softened(at: StepInput, radius: float) -> np.ndarray:
    """The steps before, averaged over a soft disc of a radius in mm."""
    total = 0
    for x, y in _DISC * (radius / 2 / at.size):
        moved = at.coordinates.copy()
        moved[0] += np.float32(x)
        moved[1] += np.float32(y)
        total = total + at.before_at(moved)
    return total / np.float32(_TAPS)


class Soften(Step):
    """Blurs."""

    label = "Blur"
    tip = "Blurs by a radius in mm; turns the cliffs of black and white artwork into slopes."
    asks = _TAPS

    kind: Literal["soften"] = "soften"
    radius: float = number(
        0.2, 0.001, 100, label="Radius", unit="mm", tip="Radius of the blur.", usual=(0.01, 5), log=True
    )

    def apply(self, at: StepInput) -> np.ndarray:
        return _softened(at, self.radius)


class Sharpen(Step):
    """Strengthens what differs from the neighbourhood."""

    label = "Sharpen"
    tip = "Strengthens detail finer than the radius."
    asks = _TAPS + 1

    kind: Literal["sharpen"] = "sharpen"
    radius: float = number(
        0.2, 0.001, 100, label="Radius", unit="mm", tip="Detail finer than this.", usual=(0.01, 5), log=True
    )
    amount: float = number(1.0, 0, 10, label="Amount", tip="Strength.", usual=(0, 4))

    def apply(self, at: StepInput) -> np.ndarray:
        before = at.before
        return np.clip(before + np.float32(self.amount) * (before - _softened(at, self.radius)), 0, 1)


class Steepness(Step):
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

    def apply(self, at: StepInput) -> np.ndarray:
        step = np.float32(self.reach / at.size / 2)
        scale = np.float32(0.25 * self.amount * at.size / self.reach)
        changes = []
        for axis in (0, 1):
            ends = []
            for way in (-step, step):
                moved = at.coordinates.copy()
                moved[axis] += way
                ends.append(grey(at.before_at(moved)))
            changes.append(ends[1] - ends[0])
        return np.clip(scale * np.hypot(*changes), 0, 1)
