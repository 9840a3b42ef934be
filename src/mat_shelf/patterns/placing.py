"""Placements: from points on a part to a pattern's own coordinates, in multiples of its size."""

import math

import numpy as np

from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, again, unit
from mat_shelf.numerics.interpolation import smoothstep
from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.patterns.operation import PACKET

_AXES = {"x": 0, "y": 1, "z": 2}
_SOLID, _PLANAR, _CYLINDER, _SPHERE, _BOX, _UV, _WHOLE_UV, _FLAT = range(8)
_WAYS = {
    "solid": _SOLID,
    "planar": _PLANAR,
    "cylinder": _CYLINDER,
    "sphere": _SPHERE,
    "box": _BOX,
    "uv": _UV,
    "whole uv": _WHOLE_UV,
}
_SHEETS = {"cylinder": 2, "sphere": 2, "box": 3}
"""How often a point can lie in the layout: on both sides of a seam, or on three sides of a box."""


def projection_of(placement: Placement, is_flat: bool) -> tuple[int, int, int, int]:
    """Numbers that `lay_packet` takes of a placement: projection, axis, whether it runs over the product, sheets.

    Parameters
    ----------
    placement : Placement
        Placement of the pattern.
    is_flat : bool
        Whether it lies on a sheet rather than on a part.

    Returns
    -------
    way, axis, over, sheets : int
    """
    blends = placement.projection == "box" or placement.blend > 0
    sheets = _SHEETS.get(placement.projection, 1) if blends and not is_flat else 1
    way = _FLAT if is_flat else _WAYS[placement.projection]
    return way, _AXES[placement.axis], int(placement.over == "product"), sheets


def layout_constants(placement: Placement) -> tuple[float, ...]:
    """Constants that `lay_packet` takes of a placement.

    Parameters
    ----------
    placement : Placement
        Placement of the pattern.

    Returns
    -------
    tuple of 11 float
    """
    return (
        math.radians(placement.turn),
        *placement.shift,
        1 / (placement.size * placement.stretch),
        1 / placement.size,
        placement.shuffle,
        math.radians(placement.shuffle_turn),
        math.radians(placement.seam),
        placement.blend,
        *placement.repeat,
    )


@apart
def lay_packet(position, packet, uv, frames, count, padded, values, way, axis, over):
    """Writes the layout of a packet into its `places`, `index` and `weight`.

    Where sides or ends run into each other a point lies in the layout more than once: its first place has the point's
    own number, the further ones follow from column `PACKET` on. The weights of one point sum to 1.

    Parameters
    ----------
    position : (PACKET, 3) float32
        Positions, mm.
    packet : interpreter.Packet
        The points; its memory is written.
    uv : (PACKET, 2) float32
        Texture coordinates.
    frames : Frames
        Frames of the parts.
    count, padded : int
        Number of points, without and with those that fill the packet up.
    values : (11,) float32
        As `layout_constants` has them.
    way, axis, over : int
        As `projection_of` has them.

    Returns
    -------
    int
        How many further places there are.
    """
    out, index, weight, part = packet.places, packet.index, packet.weight, packet.part
    laid = PACKET
    seam, blend = values[7], values[8]
    product = frames.salt.shape[0] - 1
    for i in range(padded):
        index[i] = i
        weight[i] = F(1)
        shown = part[i]
        if way == _UV:
            a, b, c = uv[i, 0] * frames.per_uv[shown, 0], uv[i, 1] * frames.per_uv[shown, 1], F(0)
        elif way == _WHOLE_UV:
            a, b, c = uv[i, 0] * values[9] / values[4], uv[i, 1] * values[10] / values[4], F(0)
        elif way == _FLAT:
            a, b, c = position[i, 0], position[i, 1], position[i, 2]
            shown = np.int32(0)
        else:
            g = product if over else shown
            turn, shift, centre = frames.turn, frames.shift, frames.centre
            dx, dy, dz = position[i, 0] - shift[g, 0], position[i, 1] - shift[g, 1], position[i, 2] - shift[g, 2]
            x = turn[g, 0, 0] * dx + turn[g, 1, 0] * dy + turn[g, 2, 0] * dz - centre[g, 0]
            y = turn[g, 0, 1] * dx + turn[g, 1, 1] * dy + turn[g, 2, 1] * dz - centre[g, 1]
            z = turn[g, 0, 2] * dx + turn[g, 1, 2] * dy + turn[g, 2, 2] * dz - centre[g, 2]
            if way == _BOX:
                dx, dy, dz = packet.normal[i, 0], packet.normal[i, 1], packet.normal[i, 2]
                nx = abs(turn[g, 0, 0] * dx + turn[g, 1, 0] * dy + turn[g, 2, 0] * dz)
                ny = abs(turn[g, 0, 1] * dx + turn[g, 1, 1] * dy + turn[g, 2, 1] * dz)
                nz = abs(turn[g, 0, 2] * dx + turn[g, 1, 2] * dy + turn[g, 2, 2] * dz)
                least = max(nx, max(ny, nz)) * (F(1) - max(F(0.5) * blend, F(0.01)))
                wx, wy, wz = max(nx - least, F(0)), max(ny - least, F(0)), max(nz - least, F(0))
                total, j = wx + wy + wz, i
                for side in range(3):
                    w = wx if side == 0 else (wy if side == 1 else wz)
                    if w <= F(0) or (j != i and i >= count):
                        continue
                    index[j] = i
                    weight[j] = F(1) if w == total else w / total
                    a, b, _ = _flat(x, y, z, side)
                    # Each side shows another piece of a pattern that has depth.
                    _fit(a, b, F(17.3) * F(side) / values[4], shown, frames, values, out, j)
                    laid += 0 if j == i else 1
                    j = laid
                continue
            if way == _SOLID:
                a, b, c = (x, y, z) if axis == 0 else ((y, z, x) if axis == 1 else (z, x, y))
            elif way == _PLANAR:
                a, b, c = _flat(x, y, z, axis)
            else:
                # Angle 0 is the front, +z, or +x for the axis z; it grows to the right.
                along, front, right = (x, z, -y) if axis == 0 else ((y, z, x) if axis == 1 else (z, x, y))
                share = (math.atan2(right, front) - seam) / F(2 * math.pi)
                share -= F(math.floor(share))
                off = math.sqrt(front * front + right * right)
                radius = frames.radius[g, axis if way == _CYLINDER else 3]
                b = along if way == _CYLINDER else math.atan2(along, off) * radius
                c = off if way == _CYLINDER else math.sqrt(off * off + along * along)
                a = (share - F(0.5)) * F(2 * math.pi) * radius
                to_seam = min(share, F(1) - share)
                if blend > F(0) and to_seam < F(0.25) * blend and i < count:
                    # Towards the seam the same pattern from half a turn away, which has none there, takes over.
                    weight[i] = smoothstep(to_seam / (F(0.25) * blend))
                    index[laid] = i
                    weight[laid] = F(1) - weight[i]
                    away = (share if share < F(0.5) else share - F(1)) * F(2 * math.pi) * radius
                    _fit(away, b, c, shown, frames, values, out, laid)
                    laid += 1
        _fit(a, b, c, shown, frames, values, out, i)
    return laid - PACKET


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
    turn, along, across, per_length = values[0], values[1], values[2], values[3]
    per_width, shuffle, shuffle_turn = values[4], values[5], values[6]
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
