"""Paint on a part: soft strokes, kept as lines in the part's own frame, in mm."""

import math
from functools import cached_property
from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator

from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen, number
from mat_shelf.numerics.interpolation import smoothstep
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.memory import floats1, floats2, ints1
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.points import part_salt
from mat_shelf.patterns.step import Source, StepInput, Value

MOST_STROKES, MOST_POINTS, MOST_STROKE_POINTS = 2000, 50_000, 5000
_MARGIN = 1.15
"""How much wider than what is painted a thumbnail is."""

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Triple = tuple[Coordinate, Coordinate, Coordinate]


class Brush(Frozen):
    """Settings of a stroke.

    Attributes
    ----------
    fades : bool
        Whether a stroke comes from nothing and ends in nothing, as a crease does.
    """

    width: float = number(
        3.0,
        0.01,
        1000,
        label="Diameter",
        unit="mm",
        tip="Diameter of the brush on the part.",
        usual=(0.1, 50),
        log=True,
    )
    softness: float = number(1.0, 0, 1, label="Softness", tip="1 fades from the centre, 0 has a hard edge.")
    strength: float = number(0.6, 0, 1, label="Strength", tip="Amount added, or erased.")
    fades: bool = Field(True, title="Fading ends", description="Fades in and out along the stroke, like a crease.")
    erases: bool = Field(False, title="Erase", description="Erases what was painted.")


class Stroke(Frozen):
    """One stroke of a brush.

    Attributes
    ----------
    part : str
        Id of the part it is painted on; other parts of the same material do not show it.
    points : tuple of (3,) mm
        Along its middle, in the part's frame, from the middle of its box.
    normals : tuple of (3,) float
        Of the surface there: what looks away from them, as the back of a sheet does, stays clean.
    """

    part: Id
    brush: Brush = Brush()
    points: tuple[Triple, ...] = Field(min_length=1, max_length=MOST_STROKE_POINTS)
    normals: tuple[Triple, ...] = Field(min_length=1, max_length=MOST_STROKE_POINTS)

    @model_validator(mode="after")
    def _every_point_has_a_normal(self) -> Self:
        if len(self.points) != len(self.normals):
            raise ValueError("a stroke has another number of normals than of points")
        return self


class _Lines(NamedTuple):
    """Strokes as arrays: S lines between neighbouring points, K strokes.

    start, end, normal : (S, 3) float32
    along, length : (S,) float32, mm; way along the stroke at the start, and length of the line
    first : (K + 1,) int32; salt : (K,) int32
    box : (K, 6) float32, low and high corner of what the stroke reaches
    brush : (K, 5) float32, radius, softness, strength (below zero it erases), length in mm, fading length
    """

    start: np.ndarray
    end: np.ndarray
    normal: np.ndarray
    along: np.ndarray
    length: np.ndarray
    first: np.ndarray
    salt: np.ndarray
    box: np.ndarray
    brush: np.ndarray


class Painted(Source):
    """Black, with what is painted on it by hand."""

    label = "Painted"
    tip = "Creases, scuffs and wear placed by hand: switch on the brush and paint on the product."

    is_placed = False

    kind: Literal["painted"] = "painted"
    strokes: tuple[Stroke, ...] = Field(
        (), max_length=MOST_STROKES, title="Brush", description="Paint on the product; each stroke can be undone."
    )

    @model_validator(mode="after")
    def _is_bounded(self) -> Self:
        if sum(len(stroke.points) for stroke in self.strokes) > MOST_POINTS:
            raise ValueError(f"it has more than {MOST_POINTS} points; start another painted pattern")
        return self

    @cached_property
    def _lines(self) -> _Lines:
        return _lines_of(self.strokes, [(np.asarray(s.points), np.asarray(s.normals)) for s in self.strokes])

    @cached_property
    def _flat(self) -> tuple[_Lines, float]:
        """The strokes laid flat, as they are seen from where most of them look, and how wide they are, mm."""
        normal = np.concatenate([np.asarray(s.normals) for s in self.strokes]).mean(axis=0)
        normal /= max(np.linalg.norm(normal), 1e-9)
        up = np.array([0.0, 0.0, -1.0]) if abs(normal[1]) > 0.7 else np.array([0.0, 1.0, 0.0])
        right = np.cross(up, normal)
        right /= max(np.linalg.norm(right), 1e-9)
        axes = np.stack([right, np.cross(normal, right), np.zeros(3)])
        flat = [np.asarray(s.points) @ axes.T for s in self.strokes]
        every = np.concatenate(flat)
        middle = (every.min(axis=0) + every.max(axis=0)) / 2
        reach = max(s.brush.width for s in self.strokes)
        width = float((np.ptp(every, axis=0).max() + reach) * _MARGIN)
        front = np.array([0.0, 0.0, 1.0])
        lines = _lines_of(self.strokes, [(p - middle, np.tile(front, (len(p), 1))) for p in flat])
        return lines._replace(salt=np.zeros(len(self.strokes), np.int32)), width

    def seen(self, size: float) -> float:
        return self._flat[1] if self.strokes else 10.0

    def finest(self, size: float) -> float:
        return min((s.brush.width * max(s.brush.softness, 0.1) for s in self.strokes), default=1.0)

    def emit(self, at: StepInput) -> Value:
        return at.run() if self.strokes else at.code.filled((0.0,))

    def constants(self, at: StepInput) -> tuple[float, ...]:
        lines = self._flat[0] if at.is_flat else self._lines
        row = at.code.resource([column.ctypes.data for column in lines] + [len(self.strokes)], *lines)
        return row, at.is_flat, *at.middle

    @operation
    def run(c, n, coordinates, before, out, at):
        address, is_flat = at.resources[int(c[0])], c[1] > F(0)
        most, strokes = 1 << 30, address[9]
        start, end, normal = floats2(address[0], most, 3), floats2(address[1], most, 3), floats2(address[2], most, 3)
        along, length, first = floats1(address[3], most), floats1(address[4], most), ints1(address[5], most)
        salt, box, brush = ints1(address[6], most), floats2(address[7], most, 6), floats2(address[8], most, 5)
        turn, shift, centre = at.turn, at.shift, at.centre
        for i in range(n):
            g = at.part[i]
            if is_flat:
                x, y, z = at.position[i, 0] - c[2], at.position[i, 1] - c[3], at.position[i, 2] - c[4]
                nx, ny, nz = at.normal[i, 0], at.normal[i, 1], at.normal[i, 2]
            else:
                dx, dy = at.position[i, 0] - shift[g, 0], at.position[i, 1] - shift[g, 1]
                dz = at.position[i, 2] - shift[g, 2]
                x = turn[g, 0, 0] * dx + turn[g, 1, 0] * dy + turn[g, 2, 0] * dz - centre[g, 0]
                y = turn[g, 0, 1] * dx + turn[g, 1, 1] * dy + turn[g, 2, 1] * dz - centre[g, 1]
                z = turn[g, 0, 2] * dx + turn[g, 1, 2] * dy + turn[g, 2, 2] * dz - centre[g, 2]
                dx, dy, dz = at.normal[i, 0], at.normal[i, 1], at.normal[i, 2]
                nx = turn[g, 0, 0] * dx + turn[g, 1, 0] * dy + turn[g, 2, 0] * dz
                ny = turn[g, 0, 1] * dx + turn[g, 1, 1] * dy + turn[g, 2, 1] * dz
                nz = turn[g, 0, 2] * dx + turn[g, 1, 2] * dy + turn[g, 2, 2] * dz
            value = F(0)
            for k in range(strokes):
                if salt[k] != at.salt[g]:
                    continue
                if x < box[k, 0] or y < box[k, 1] or z < box[k, 2] or x > box[k, 3] or y > box[k, 4] or z > box[k, 5]:
                    continue
                radius, softness, strength, whole = brush[k, 0], brush[k, 1], brush[k, 2], brush[k, 3]
                fade, most_shown = brush[k, 4], F(0)
                for s in range(first[k], first[k + 1]):
                    ex, ey, ez = end[s, 0] - start[s, 0], end[s, 1] - start[s, 1], end[s, 2] - start[s, 2]
                    px, py, pz = x - start[s, 0], y - start[s, 1], z - start[s, 2]
                    t = (px * ex + py * ey + pz * ez) / max(length[s] * length[s], F(1e-12))
                    t = min(max(t, F(0)), F(1))
                    px, py, pz = px - t * ex, py - t * ey, pz - t * ez
                    away = math.sqrt(px * px + py * py + pz * pz) / radius
                    if away >= F(1) or nx * normal[s, 0] + ny * normal[s, 1] + nz * normal[s, 2] <= F(0):
                        continue
                    shown = _eased((F(1) - away) / max(softness, F(0.02)))
                    if fade > F(0):
                        on = along[s] + t * length[s]
                        shown *= _eased(min(on, whole - on) / fade)
                    most_shown = max(most_shown, shown)
                if strength > F(0):
                    value = max(value, most_shown * strength)
                else:
                    value *= F(1) + most_shown * strength
            out[0, i] = value

    def with_stroke(self, stroke: Stroke) -> "Painted":
        """A copy with one stroke more.

        Parameters
        ----------
        stroke : Stroke
            The stroke.

        Returns
        -------
        Painted
        """
        return self.with_(strokes=(*self.strokes, stroke))


def _lines_of(strokes: tuple[Stroke, ...], places: list[tuple[np.ndarray, np.ndarray]]) -> _Lines:
    start, end, normal, along, length, first, box, brush = [], [], [], [], [], [0], [], []
    for stroke, (points, normals) in zip(strokes, places, strict=True):
        if len(points) == 1:
            points, normals = np.repeat(points, 2, axis=0), np.repeat(normals, 2, axis=0)
        steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
        whole = float(steps.sum())
        settings, radius = stroke.brush, stroke.brush.width / 2
        start.append(points[:-1])
        end.append(points[1:])
        normal.append(normals[:-1] + normals[1:])
        along.append(np.cumsum([0, *steps[:-1]]))
        length.append(steps)
        first.append(first[-1] + len(steps))
        box.append([*(points.min(axis=0) - radius), *(points.max(axis=0) + radius)])
        strength = -settings.strength if settings.erases else settings.strength
        fade = min(whole / 2, 3 * settings.width) if settings.fades and whole > 0 else 0.0
        brush.append([radius, settings.softness, strength, whole, fade])
    salts = [part_salt(stroke.part) for stroke in strokes]
    arrays = [np.concatenate(some).astype(np.float32) for some in (start, end, normal, along, length)]
    return _Lines(*arrays, np.int32(first), np.int32(salts), np.float32(box), np.float32(brush))


@inline
def _eased(t):
    return smoothstep(min(max(t, F(0)), F(1)))
