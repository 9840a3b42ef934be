"""Placements: from points on a part to a pattern's own coordinates, in multiples of its size."""

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from mat_shelf.document.pattern import Placement
from mat_shelf.optics.kernels import F, kernel
from mat_shelf.patterns.points import Points

_AXES = {"x": 0, "y": 1, "z": 2}
_WAYS = {"solid": 0, "planar": 1, "cylinder": 2, "sphere": 3}
_SOFTEST = 0.5
"""Share of the way from one side's middle to the next over which `blend` 1 runs sides into each other."""


class Sheet(NamedTuple):
    """Some of the points, laid out.

    Attributes
    ----------
    index : (n,) int or None
        Which points; None for all.
    weight : (n,) float32 or None
        How much this sheet counts where several lie over each other; None for 1.
    coordinates : (3, n) float32, C-contiguous: one row an axis, which is what kernels turn into vector instructions
    """

    index: np.ndarray | None
    weight: np.ndarray | None
    coordinates: np.ndarray


def lay(placement: Placement, points: Points) -> Iterator[Sheet]:
    """Lays points out. The weights of each point's sheets sum to 1."""
    if points.is_flat:
        yield Sheet(None, None, _fitted(points.position.T, placement, points))
        return
    if placement.projection == "uv":
        flat = np.zeros((3, len(points)), np.float32)
        flat[:2] = points.uv.T
        yield Sheet(None, None, _fitted(flat, placement, points))
        return
    axis = _AXES[placement.axis]
    if placement.projection == "box":
        yield from _box(placement, points)
        return
    around = _spread(placement, points, axis, 0.0)
    if placement.projection in ("cylinder", "sphere") and placement.blend > 0:
        yield from _across_seam(placement, points, axis, around)
        return
    yield Sheet(None, None, _fitted(around[0], placement, points))


def _rows(placement: Placement, points: Points) -> np.ndarray:
    if placement.over == "product":
        return np.full(len(points), len(points.frames.salt) - 1, np.int32)
    return points.part


def _spread(placement: Placement, points: Points, axis: int, turned: float):
    """Millimetres along, across and off the surface, (3, N), and where between the seams, (N,) in [0, 1]."""
    out = np.empty((3, len(points)), np.float32)
    place = np.empty(len(points), np.float32)
    frames = points.frames
    spread_kernel(
        points.position, _rows(placement, points), frames.turn, frames.shift, frames.centre, frames.radius,
        _WAYS[placement.projection], axis, F(math.radians(placement.seam)), F(turned), out, place,
    )
    return out, place


def _across_seam(placement, points, axis, around) -> Iterator[Sheet]:
    """Near the seam, the same pattern from half a turn away lies over it."""
    coordinates, place = around
    reach = 0.25 * placement.blend
    to_seam = np.minimum(place, 1 - place)
    near = np.flatnonzero(to_seam < reach)
    share = np.minimum(0.5 + 0.5 * to_seam / reach, 1)
    weight = (share * share * (3 - 2 * share)).astype(np.float32)
    yield Sheet(None, weight, _fitted(coordinates, placement, points))
    if len(near):
        some = points.take(near)
        other, _ = _spread(placement, some, axis, math.pi)
        yield Sheet(near, 1 - weight[near], _fitted(other, placement, some))


def _box(placement: Placement, points: Points) -> Iterator[Sheet]:
    """Thrown on from the sides along three axes, each where the surface faces it."""
    local = np.empty((3, len(points)), np.float32)
    weights = np.empty((len(points), 3), np.float32)
    frames = points.frames
    box_kernel(
        points.position, points.normal, _rows(placement, points), frames.turn, frames.shift, frames.centre,
        F(max(placement.blend * _SOFTEST, 0.01)), local, weights,
    )
    for axis in range(3):
        index = np.flatnonzero(weights[:, axis] > 0)
        if len(index):
            across, up, turned = ((2, 1, -1), (0, 2, 1), (0, 1, 1))[axis]  # as planar placement along each axis lies
            planes = np.empty((3, len(index)), np.float32)
            planes[0] = local[across, index] * turned
            planes[1] = local[up, index] * (-1 if axis == 1 else 1)
            planes[2] = 17.3 * placement.size * axis  # a pattern in depth shows another piece on each side
            some = points if len(index) == len(points) else points.take(index)
            yield Sheet(index, weights[index, axis], _fitted(planes, placement, some))


def _fitted(spread: np.ndarray, placement: Placement, points: Points) -> np.ndarray:
    """Turns and shifts a layout in mm, (3, N), and divides it by the size."""
    out = np.empty(spread.shape, np.float32)
    salt = np.zeros(1, np.int32) if points.is_flat else points.frames.salt
    fit_kernel(
        spread, points.part, salt, F(math.radians(placement.turn)), F(placement.shift[0]), F(placement.shift[1]),
        F(1 / (placement.size * placement.stretch)), F(1 / placement.size), F(placement.shuffle),
        F(math.radians(placement.shuffle_turn)), out,
    )
    return out


@kernel
def spread_kernel(position, row, turn, shift, centre, radius, way, axis, seam, turned, out, place):
    """Lays positions out in mm: 0 solid, 1 planar, 2 round an axis, 3 round a point."""
    b = (axis + 1) % 3
    c = (axis + 2) % 3
    for i in range(position.shape[0]):
        g = row[i]
        x, y, z = position[i, 0] - shift[g, 0], position[i, 1] - shift[g, 1], position[i, 2] - shift[g, 2]
        for k in range(3):  # the transpose turns back
            out[k, i] = turn[g, 0, k] * x + turn[g, 1, k] * y + turn[g, 2, k] * z - centre[g, k]
        place[i] = F(0.5)
        along, one, other = out[axis, i], out[b, i], out[c, i]
        if way == 0:
            out[0, i], out[1, i], out[2, i] = along, one, other
        elif way == 1:
            # seen against the axis, with y up where it can be
            if axis == 0:
                out[0, i], out[1, i], out[2, i] = -other, one, along
            elif axis == 1:
                out[0, i], out[1, i], out[2, i] = other, -one, along
            else:
                out[0, i], out[1, i], out[2, i] = one, other, along
        else:
            # angle 0 is the front, +z, or +x for the axis z; it grows to the right
            front, right = one, other
            if axis == 0:
                front, right = other, -one
            angle = math.atan2(right, front) - seam + turned
            share = angle / F(2 * math.pi)
            share -= F(math.floor(share))
            place[i] = share if turned == F(0) else F(0.5)
            off = math.sqrt(one * one + other * other)
            if way == 2:
                out[0, i] = (share - F(0.5)) * F(2 * math.pi) * radius[g, axis]
                out[1, i] = along
                out[2, i] = off
            else:
                reach = math.sqrt(off * off + along * along)
                out[0, i] = (share - F(0.5)) * F(2 * math.pi) * radius[g, 3]
                out[1, i] = math.atan2(along, off) * radius[g, 3]
                out[2, i] = reach


@kernel
def box_kernel(position, normal, row, turn, shift, centre, softness, local, weights):
    """Positions in their parts' frames, and how much each of the three sides shows."""
    for i in range(position.shape[0]):
        g = row[i]
        x, y, z = position[i, 0] - shift[g, 0], position[i, 1] - shift[g, 1], position[i, 2] - shift[g, 2]
        most = F(0)
        for k in range(3):
            local[k, i] = turn[g, 0, k] * x + turn[g, 1, k] * y + turn[g, 2, k] * z - centre[g, k]
            facing = abs(turn[g, 0, k] * normal[i, 0] + turn[g, 1, k] * normal[i, 1] + turn[g, 2, k] * normal[i, 2])
            weights[i, k] = facing
            most = max(most, facing)
        total = F(0)
        for k in range(3):
            weights[i, k] = max(weights[i, k] - most * (F(1) - softness), F(0))
            total += weights[i, k]
        for k in range(3):
            weights[i, k] /= total


@kernel
def fit_kernel(spread, part, salt, turn, along, across, per_length, per_width, shuffle, shuffle_turn, out):
    """Turn, shift, shuffle and size, on (3, N) mm."""
    c, s = math.cos(turn), math.sin(turn)
    for i in range(spread.shape[1]):
        x, y = spread[0, i], spread[1, i]
        z = spread[2, i]
        cc, ss = c, s
        dx, dy = F(0), F(0)
        dz = F(0)
        if shuffle > F(0) or shuffle_turn > F(0):
            number = np.uint32(salt[part[i] % salt.shape[0]])
            number = np.uint32(number * np.uint32(747796405) + np.uint32(2891336453))
            first = F(number >> np.uint32(8)) * F(1 / 16777216)
            number = np.uint32(number * np.uint32(747796405) + np.uint32(2891336453))
            second = F(number >> np.uint32(8)) * F(1 / 16777216)
            number = np.uint32(number * np.uint32(747796405) + np.uint32(2891336453))
            third = F(number >> np.uint32(8)) * F(1 / 16777216)
            dx, dy, dz = F(101) * shuffle * first, F(101) * shuffle * second, F(53) * shuffle * third
            more = (third - F(0.5)) * F(2) * shuffle_turn
            cc, ss = math.cos(turn + more), math.sin(turn + more)
        out[0, i] = (cc * x + ss * y - along) * per_length + dx
        out[1, i] = (-ss * x + cc * y - across) * per_width + dy
        out[2, i] = z * per_width + dz
