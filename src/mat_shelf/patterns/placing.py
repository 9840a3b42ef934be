"""Placements: from points on a part to a pattern's own coordinates, in multiples of its size."""

import math
from typing import NamedTuple

import numpy as np

from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, unit
from mat_shelf.numerics.interpolation import smoothstep
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.patterns.points import Points

_AXES = {"x": 0, "y": 1, "z": 2}
_WAYS = {"solid": 0, "planar": 1, "cylinder": 2, "sphere": 3, "box": 4, "uv": 5, "whole uv": 6}
_SHEETS = {"cylinder": 2, "sphere": 2, "box": 3}
"""How often a point can lie in the layout: on both sides of a seam, or on three sides of a box."""


class Layout(NamedTuple):
    """Points laid out. Where sides or ends run into each other a point lies in the layout more than once.

    Attributes
    ----------
    index : (m,) int32 or None
        Which point each place belongs to; None where each lies there once, in order.
    weight : (m,) float32 or None
        How much each place counts; those of one point sum to 1.
    coordinates : (3, m) float32, C-contiguous
        One row an axis, which is what kernels turn into vector instructions.
    """

    index: np.ndarray | None
    weight: np.ndarray | None
    coordinates: np.ndarray


def lay_out(placement: Placement, points: Points) -> Layout:
    """Lays points out.

    Parameters
    ----------
    placement : Placement
        Placement of the pattern.
    points : Points
        Points on parts.

    Returns
    -------
    Layout
    """
    count = len(points)
    way = 7 if points.is_flat else _WAYS[placement.projection]
    blends = placement.projection == "box" or placement.blend > 0
    most = _SHEETS.get(placement.projection, 1) if blends and not points.is_flat else 1
    out = np.empty((3, count * most), np.float32)
    index = np.empty(count * most if most > 1 else 0, np.int32)
    weight = np.empty(len(index), np.float32)
    frames = points.frames
    whole = len(frames.salt) - 1 if placement.over == "product" else -1
    values = (
        F(math.radians(placement.turn)),
        F(placement.shift[0]),
        F(placement.shift[1]),
        F(1 / (placement.size * placement.stretch)),
        F(1 / placement.size),
        F(placement.shuffle),
        F(math.radians(placement.shuffle_turn)),
        F(math.radians(placement.seam)),
        F(placement.blend),
    )
    laid = lay_kernel(
        points.position,
        points.normal,
        points.uv,
        points.part,
        frames,
        whole,
        way,
        _AXES[placement.axis],
        values,
        index,
        weight,
        out,
    )
    if most == 1:
        return Layout(None, None, out)
    if laid == count:
        return Layout(None, None, np.ascontiguousarray(out[:, :count]))
    return Layout(index[:laid], weight[:laid], np.ascontiguousarray(out[:, :laid]))


def blend_layout(values: np.ndarray, sheet: Layout, count: int) -> np.ndarray:
    """Values at the places of a sheet, brought together for its points.

    Parameters
    ----------
    values : (m,) or (m, 3) float32
        Values at the places.
    sheet : Layout
        Surface map of the mark.
    count : int
        Number of points.

    Returns
    -------
    array
    """
    if sheet.index is None:
        return values
    total = np.zeros((count, *values.shape[1:]), np.float32)
    if values.ndim == 1:
        gather_greys(values, sheet.index, sheet.weight, total)
    else:
        gather_colors(values, sheet.index, sheet.weight, total)
    return total


@kernel
def gather_greys(values, index, weight, total):
    """Adds weighted values, (m,), up over points, (N,).

    Parameters
    ----------
    values : (m,) or (m, 3) float32
        Values at the places.
    index : (m,) int32
        Point of each place.
    weight : float32
        Weight, [0, 1].
    total : (N,) or (N, 3) float32
        Receives the sums.
    """
    for j in range(index.shape[0]):
        total[index[j]] += weight[j] * values[j]


@kernel
def gather_colors(values, index, weight, total):
    """Adds weighted values, (m, 3), up over points, (N, 3).

    Parameters
    ----------
    values : (m,) or (m, 3) float32
        Values at the places.
    index : (m,) int32
        Point of each place.
    weight : float32
        Weight, [0, 1].
    total : (N,) or (N, 3) float32
        Receives the sums.
    """
    for j in range(index.shape[0]):
        for k in range(3):
            total[index[j], k] += weight[j] * values[j, k]


@kernel
def lay_kernel(position, normal, uv, part, frames, whole, way, axis, values, index, weight, out):
    """Writes the layout of N points, (3, m), and whose each place is; returns m.

    Each point's first place has the point's own number; the further ones follow behind all of these.

    Parameters
    ----------
    position : (N, 3) float32
        Positions, mm.
    normal : (N, 3) float32
        Unit normals.
    uv : (V, 2) float32
        Texture coordinates.
    part : Part
        The part.
    frames : Frames
        Frames of the parts.
    whole : (N,) float32
        Factors to a whole layout.
    way : int
        Number of the projection.
    axis : int
        Axis: 0, 1, 2 for x, y, z.
    values : (m,) float32
        Receives the weights.
    index : (m,) int32
        Receives the points.
    weight : float32
        Weight, [0, 1].
    out : (3, m) float32
        Receives the layout.

    Returns
    -------
    int
    """
    count = position.shape[0]
    laid = count
    seam, blend = values[7], values[8]
    tells = index.shape[0] > 0
    for i in range(count):
        if tells:
            index[i] = i
            weight[i] = F(1)
        if way >= 5:
            per_uv = frames.per_uv
            if way == 5:
                _fit(
                    uv[i, 0] * per_uv[part[i], 0], uv[i, 1] * per_uv[part[i], 1], F(0), part[i], frames, values, out, i
                )
            elif way == 6:
                _fit(uv[i, 0] / values[4], uv[i, 1] / values[4], F(0), part[i], frames, values, out, i)
            else:
                _fit(position[i, 0], position[i, 1], position[i, 2], 0, frames, values, out, i)
            continue
        g = part[i] if whole < 0 else whole
        turn, shift, centre = frames.turn, frames.shift, frames.centre
        dx, dy, dz = position[i, 0] - shift[g, 0], position[i, 1] - shift[g, 1], position[i, 2] - shift[g, 2]
        x = turn[g, 0, 0] * dx + turn[g, 1, 0] * dy + turn[g, 2, 0] * dz - centre[g, 0]
        y = turn[g, 0, 1] * dx + turn[g, 1, 1] * dy + turn[g, 2, 1] * dz - centre[g, 1]
        z = turn[g, 0, 2] * dx + turn[g, 1, 2] * dy + turn[g, 2, 2] * dz - centre[g, 2]
        if way == 4:
            nx = abs(turn[g, 0, 0] * normal[i, 0] + turn[g, 1, 0] * normal[i, 1] + turn[g, 2, 0] * normal[i, 2])
            ny = abs(turn[g, 0, 1] * normal[i, 0] + turn[g, 1, 1] * normal[i, 1] + turn[g, 2, 1] * normal[i, 2])
            nz = abs(turn[g, 0, 2] * normal[i, 0] + turn[g, 1, 2] * normal[i, 1] + turn[g, 2, 2] * normal[i, 2])
            least = max(nx, max(ny, nz)) * (F(1) - max(F(0.5) * blend, F(0.01)))
            wx, wy, wz = max(nx - least, F(0)), max(ny - least, F(0)), max(nz - least, F(0))
            share = F(1) / (wx + wy + wz)
            is_first = True
            for side in range(3):
                w = (wx if side == 0 else (wy if side == 1 else wz)) * share
                if w <= F(0):
                    continue
                j = i if is_first else laid
                laid += 0 if is_first else 1
                is_first = False
                index[j] = i
                weight[j] = w
                a, b, _ = _flat(x, y, z, side)
                # Each side shows another piece of a pattern that has depth.
                _fit(a, b, F(17.3) * F(side) / values[4], part[i], frames, values, out, j)
            continue
        if way == 0:
            a, b, c = (x, y, z) if axis == 0 else ((y, z, x) if axis == 1 else (z, x, y))
            _fit(a, b, c, part[i], frames, values, out, i)
            continue
        if way == 1:
            a, b, c = _flat(x, y, z, axis)
            _fit(a, b, c, part[i], frames, values, out, i)
            continue
        # Angle 0 is the front, +z, or +x for the axis z; it grows to the right.
        along, front, right = (x, z, -y) if axis == 0 else ((y, z, x) if axis == 1 else (z, x, y))
        share = (math.atan2(right, front) - seam) / F(2 * math.pi)
        share -= math.floor(share)
        off = math.sqrt(front * front + right * right)
        radius = frames.radius[g, axis if way == 2 else 3]
        up = along if way == 2 else math.atan2(along, off) * radius
        off = off if way == 2 else math.sqrt(off * off + along * along)
        _fit((share - F(0.5)) * F(2 * math.pi) * radius, up, off, part[i], frames, values, out, i)
        to_seam = min(share, F(1) - share)
        if blend > F(0) and to_seam < F(0.25) * blend:
            # Towards the seam the same pattern from half a turn away, which has none there, takes over.
            weight[i] = smoothstep(to_seam / (F(0.25) * blend))
            index[laid] = i
            weight[laid] = F(1) - weight[i]
            share = share + F(0.5) if share < F(0.5) else share - F(0.5)
            _fit((share - F(0.5)) * F(2 * math.pi) * radius, up, off, part[i], frames, values, out, laid)
            laid += 1
    return laid


@inline
def _flat(x, y, z, axis):
    """Right, up and towards the viewer, seen against an axis."""
    if axis == 0:
        return -z, y, x
    if axis == 1:
        return x, -z, y
    return x, y, z


@inline
def _fit(x, y, z, part, frames, values, out, j):
    """Turns, shifts and shuffles one place, mm, and divides it by the size."""
    turn, along, across, per_length, per_width, shuffle, shuffle_turn = values[:7]
    dx, dy, dz = F(0), F(0), F(0)
    if shuffle > F(0) or shuffle_turn > F(0):
        h = again(U(frames.salt[part]))
        dx = F(101) * shuffle * unit(h)
        h = again(h)
        dy = F(101) * shuffle * unit(h)
        h = again(h)
        dz = F(53) * shuffle * unit(h)
        turn += (unit(again(h)) - F(0.5)) * F(2) * shuffle_turn
    if turn != F(0):
        c, s = math.cos(turn), math.sin(turn)
        x, y = c * x + s * y, c * y - s * x
    out[0, j] = (x - along) * per_length + dx
    out[1, j] = (y - across) * per_width + dy
    out[2, j] = z * per_width + dz
