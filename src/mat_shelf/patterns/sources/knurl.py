"""Knurling."""

import math
from typing import Literal

from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput

_CUTS = ("diamond", "straight")


class Knurl(Source):
    """Grooves cut for grip. Its size is the pitch; its depth is the height of the relief that it feeds."""

    label = "Knurl"
    tip = "Grip on collars, caps and knobs. Use cylinder projection."
    span = 6.0
    usual = Placement(size=1, projection="cylinder", blend=0)

    kind: Literal["knurl"] = "knurl"
    cut: Literal["diamond", "straight"] = Field("diamond", title="Cut", description="Crossed grooves or straight ones.")
    angle: float = number(30, 5, 60, label="Angle", unit="°", tip="Of crossed grooves against the axis; usually 30.")
    flat: float = number(0.1, 0, 0.9, label="Flat tops", tip="Share of the pitch left uncut; 0 is sharp.")

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return _CUTS.index(self.cut), math.radians(self.angle), self.flat

    @operation
    def run(c, n, coordinates, before, out, at):
        cut, angle, flat = int(c[0]), c[1], c[2]
        xs, ys = coordinates[0], coordinates[1]
        lean = math.tan(angle)
        for i in range(n):
            if cut == 1:
                out[0, i] = _ridge(xs[i], flat)
            else:
                out[0, i] = min(_ridge(xs[i] + lean * ys[i], flat), _ridge(xs[i] - lean * ys[i], flat))


@inline
def _ridge(x, flat):
    away = abs(x - F(math.floor(x)) - F(0.5)) * F(2)
    return min((F(1) - away) / max(F(1) - flat, F(0.01)), F(1))
