"""Cloth and carbon fibre."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, floor, gradient_noise, hash3, unit
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed

_WEAVES = ("plain", "twill", "satin")


class Weave(Source):
    """Yarns over and under each other. Its size is the distance from yarn to yarn."""

    label = "Weave"
    tip = "Woven cloth, canvas, twill, carbon fibre."
    span = 8.0
    usual = Placement(size=0.6, projection="box")

    kind: Literal["weave"] = "weave"
    weave: Literal["plain", "twill", "satin"] = Field(
        "plain", title="Weave", description="Each yarn over one, over two (as carbon fibre often is), or over four."
    )
    shown: Literal["height", "direction"] = Field(
        "height", title="Output", description="Height of the cloth; or 0 and 1 for the yarns that run along and across."
    )
    width: float = number(0.9, 0.2, 1, label="Yarn width", tip="In sizes; less leaves holes.")
    fibres: float = number(0.3, 0, 1, label="Fibres", tip="Fine lines along each yarn.")
    uneven: float = number(0.2, 0, 1, label="Unevenness", tip="Difference between yarns.")
    seed: int = seed()

    def finest(self, size: float) -> float:
        return size / 20

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return _WEAVES.index(self.weave), self.shown == "direction", self.width, self.fibres, self.uneven, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        weave, is_direction, width, fibres, uneven, seed = int(c[0]), c[1] > F(0), c[2], c[3], c[4], U(c[5])
        xs, ys = coordinates[0], coordinates[1]
        none = np.int32(0)
        for i in range(n):
            x = xs[i] + F(0.12) * uneven * gradient_noise(xs[i] * F(0.3), ys[i] * F(0.3), F(0.4), seed, none)
            y = ys[i] + F(0.12) * uneven * gradient_noise(xs[i] * F(0.3), ys[i] * F(0.3), F(7.4), seed, none)
            xi, yi = floor(x), floor(y)
            u, v = x - F(xi) - F(0.5), y - F(yi) - F(0.5)
            # Whether the yarn along x is on top in this crossing, and how far it is from where it dives.
            if weave == 0:
                step = np.int32(xi + yi) & np.int32(1)
                along_top, to_dive_x, to_dive_y = step == 0, abs(u), abs(v)
            elif weave == 1:
                phase = np.int32(xi - yi) & np.int32(3)
                along_top = phase < 2
                middle_x = F(0.5) if (phase == 0 or phase == 2) else F(-0.5)
                to_dive_x, to_dive_y = abs(u - middle_x) * F(0.5), abs(v + middle_x) * F(0.5)
            else:
                phase = np.int32((xi + np.int32(2) * yi) % np.int32(5))
                phase = np.int32(phase + np.int32(5)) if phase < 0 else phase
                along_top = phase > 0
                to_dive_x = abs(u + F(phase) - F(2.5)) * F(0.25) if along_top else abs(u)
                to_dive_y = abs(v) if not along_top else F(0.5)
            across, dive = (v, to_dive_x) if along_top else (u, to_dive_y)
            key = hash3(yi if along_top else xi, np.int32(1 if along_top else 0), none, seed)
            half = F(0.5) * width * (F(1) - F(0.3) * uneven * unit(key))
            side = min(abs(across) / half, F(1))
            round_ = np.sqrt(max(F(1) - side * side, F(0)))
            crown = F(1) - F(2) * min(dive, F(0.5)) * F(0.45)
            rise = round_ * crown
            if fibres > F(0) and rise > F(0):
                run = x if along_top else y
                lines = gradient_noise(
                    run * F(0.6), across * F(16) + F(31) * F(yi if along_top else xi), F(0.5), seed, none
                )
                rise = max(rise * (F(1) + F(0.5) * fibres * lines), F(0))
            if is_direction:
                out[0, i] = F(0) if along_top else F(1)
            else:
                out[0, i] = min(rise, F(1))
