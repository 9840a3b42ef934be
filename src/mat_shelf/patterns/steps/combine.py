"""Combining a pattern with another one."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import PatternRef, Step
from mat_shelf.patterns.step import StepInput, as_wide, grey

COMBINE_MODES = {
    "multiply": lambda a, b: a * b,
    "add": lambda a, b: a + b,
    "subtract": lambda a, b: a - b,
    "screen": lambda a, b: 1 - (1 - a) * (1 - b),
    "overlay": lambda a, b: np.where(a < 0.5, 2 * a * b, 1 - 2 * (1 - a) * (1 - b)),
    "lighter": np.maximum,
    "darker": np.minimum,
    "difference": lambda a, b: np.abs(a - b),
    "blend": lambda a, b: b,
}
"""What each way makes of the values before, a, and the other pattern's, b. Blending goes from a to b."""


class Combine(Step):
    """Joins another pattern in, where a third one says so if wanted."""

    label = "Combine"
    tip = "Limits a map to patches, adds a finer one, or mixes two by a third."

    kind: Literal["combine"] = "combine"
    way: Literal["multiply", "add", "subtract", "screen", "overlay", "lighter", "darker", "difference", "blend"] = (
        Field(
            "multiply",
            title="Mode",
            description="How both combine. Multiply limits a map to where the other is white.",
        )
    )
    other: PatternRef = Field(None, title="Second map", description="The other pattern.")
    mask: PatternRef = Field(None, title="Mask", description="Pattern that limits the step; none is everywhere.")
    amount: float = number(1.0, 0, 1, label="Amount", tip="Mix between the input (0) and the result (1).")

    def apply(self, at: StepInput) -> np.ndarray:
        before, other, mask = at.before, at.other(self.other), at.other(self.mask)
        if other is None:
            return before
        a, b = as_wide(before, other), as_wide(other, before)
        share = np.float32(self.amount) if mask is None else np.float32(self.amount) * grey(mask)
        if mask is not None and a.ndim == 2:
            share = share[:, None]
        return (a + (COMBINE_MODES[self.way](a, b) - a) * share).astype(np.float32)
