"""Combining a pattern with another one."""

from typing import Literal

from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import PatternRef
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import CompiledStep, StepInput, Value

_MODES = ("multiply", "add", "subtract", "screen", "overlay", "lighter", "darker", "difference", "blend")


class Combine(CompiledStep):
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

    def emit(self, at: StepInput) -> Value:
        before, other, mask = at.before(), at.other(self.other), at.other(self.mask)
        if other is None:
            return before
        return at.run(before, other, at.code.filled((1.0,)) if mask is None else at.code.grey(mask))

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return _MODES.index(self.way), self.amount

    @operation
    def run(c, n, coordinates, before, out, at):
        """From the values before, a, to what a mode makes of them and of the other pattern's, b, by the mask."""
        mode, amount = int(c[0]), c[1]
        for i in range(n):
            a, b = before[0, i], before[1, i]
            if mode == 0:
                made = a * b
            elif mode == 1:
                made = a + b
            elif mode == 2:
                made = a - b
            elif mode == 3:
                made = F(1) - (F(1) - a) * (F(1) - b)
            elif mode == 4:
                made = F(2) * a * b if a < F(0.5) else F(1) - F(2) * (F(1) - a) * (F(1) - b)
            elif mode == 5:
                made = max(a, b)
            elif mode == 6:
                made = min(a, b)
            elif mode == 7:
                made = abs(a - b)
            else:
                made = b
            out[0, i] = a + (made - a) * amount * before[2, i]
