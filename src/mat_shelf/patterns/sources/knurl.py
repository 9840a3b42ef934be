"""Knurling."""

import math
from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.kernels import F, inline, kernel
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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        grooves(at.coordinates, _CUTS.index(self.cut), F(math.radians(self.angle)), F(self.flat), out)
        return out


@inline
def _ridge(x, flat):
    away = abs(x - math.floor(x) - F(0.5)) * F(2)
    return min((F(1) - away) / max(F(1) - flat, F(0.01)), F(1))


@kernel
def grooves(coordinates, cut, angle, flat, out):
    """Height over V-shaped grooves a pitch apart, (3, N) to (N,) in [0, 1].

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    cut : int
        Row that the camera does not see.
    angle : float32
        Angle of the grooves against the axis, radians.
    flat : float32
        Share of the pitch left uncut.
    out : (N,) float32
        Receives the values.
    """
    xs, ys = coordinates[0], coordinates[1]
    lean = math.tan(angle)
    for i in range(xs.shape[0]):
        if cut == 1:
            out[i] = _ridge(xs[i], flat)
        else:
            out[i] = min(_ridge(xs[i] + lean * ys[i], flat), _ridge(xs[i] - lean * ys[i], flat))
