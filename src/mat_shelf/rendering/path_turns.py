"""Turns of a path: where it leaves a surface, which way it may go, whether it goes on."""

import math

import numpy as np

from mat_shelf.numerics.circle import circle_point
from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.low_discrepancy import draw
from mat_shelf.numerics.vectors import (
    add,
    cross,
    dot,
    frame,
    largest,
    mul,
    normalize,
    row3,
    row3_at,
    scale,
    store3,
    sub,
    to_world,
)
from mat_shelf.optics import parameters as P
from mat_shelf.rendering.path_state import ALONE, UNAIMED, pack_state
from mat_shelf.rendering.wave_state import SOFT
from mat_shelf.scene.interior_list import (
    copy_interior,
    interior_index,
    times_inside,
    update_interior,
)

ROULETTE_FROM = 6
"""Bounces after which dim paths may be ended."""
LONG_FROM = 16
"""Bounces after which what is still bright wanders about in glass, or in a white room."""
MOST_GOING, MOST_LONG = F(0.97), F(0.999)
"""Share of bright paths that goes on at each bounce, and from `LONG_FROM` on. There must not be more of them ended by
chance than leave a dense body that is clear in part: the few that are left would weigh so much that their mean is never
seen."""


@inline
def _lifted(x, n):
    if abs(x) < F(1.0 / 32.0):
        return x + F(1.0 / 65536.0) * n
    step = np.int32(F(256) * n)
    bits = F(x).view(np.int32)
    return np.int32(bits - step if x < F(0) else bits + step).view(np.float32)


@inline
def lifted(p, n):
    """A point moved off its surface along n by more than the error of its coordinates.

    Parameters
    ----------
    p : float32 triple
        Point, mm.
    n : float32 triple
        Unit normal.

    Returns
    -------
    float32 triple

    References
    ----------
    Wachter and Binder 2019, A Fast and Robust Method for Avoiding Self-Intersection, Ray Tracing Gems ch. 6.
    """
    return (_lifted(p[0], n[0]), _lifted(p[1], n[1]), _lifted(p[2], n[2]))


@inline
def matt_direction(u, v):
    """A direction as a matt surface gives it, by the cosine; its density is that over pi.

    Parameters
    ----------
    u, v : float32
        In [0, 1).

    Returns
    -------
    float32 triple
        About the normal z.
    """
    across, along = circle_point(v)
    aside = math.sqrt(u)
    return aside * across, aside * along, math.sqrt(max(F(1) - u, F(1e-8)))


@inline
def survival_chance(throughput, within, bounces):
    """Chance to go on: radiance is squeezed inside denser bodies, which is no reason to end there.

    Parameters
    ----------
    throughput : float32 triple
        Of the path.
    within : float32
        Index of what the path is inside of.
    bounces : int
        Bounces so far.

    Returns
    -------
    float32
    """
    most_going = MOST_GOING if bounces < LONG_FROM else MOST_LONG
    return min(max(largest(throughput) * within * within, F(0.05)), most_going)


@inline
def facing_viewer(normal, facing, wo):
    """The shading normal, bent no further from the viewer than the horizon.

    Parameters
    ----------
    normal : float32 triple
        Shading normal.
    facing : float32 triple
        Normal of the face, on the same side.
    wo : float32 triple
        Direction towards the viewer.

    Returns
    -------
    float32 triple
    """
    behind = dot(normal, wo)
    if behind > F(0.01):
        return normal
    bent = normalize(add(normal, scale(wo, F(0.02) - behind)))
    return bent if dot(bent, facing) > F(0) else facing


@inline
def brushed_tangents(block, look, position, normal, frames, part):
    """Two tangents of a brushed surface, across the brushing and along it; any two at the foot of its axis.

    Parameters
    ----------
    block : (M, WIDTH) float32
        Parameter block.
    look : int
        Row of the point.
    position : float32 triple
        The point, mm.
    normal : float32 triple
        Shading normal.
    frames : Frames
        Frames of the parts.
    part : int
        The geometry.

    Returns
    -------
    across, along : float32 triple
    """
    g = min(part, frames.salt.shape[0] - 1)
    way = int(block[look, P.BRUSH_WAY])
    k = way % 3
    turn, shift, centre = frames.turn, frames.shift, frames.centre
    axis = (turn[g, 0, k], turn[g, 1, k], turn[g, 2, k])
    along = axis
    if way < 3:
        x, y, z = centre[g, 0], centre[g, 1], centre[g, 2]
        middle = (
            shift[g, 0] + turn[g, 0, 0] * x + turn[g, 0, 1] * y + turn[g, 0, 2] * z,
            shift[g, 1] + turn[g, 1, 0] * x + turn[g, 1, 1] * y + turn[g, 1, 2] * z,
            shift[g, 2] + turn[g, 2, 0] * x + turn[g, 2, 1] * y + turn[g, 2, 2] * z,
        )
        along = cross(axis, sub(position, middle))
    along = sub(along, scale(normal, dot(along, normal)))
    if dot(along, along) < F(1e-10):
        return frame(normal)
    along = normalize(along)
    across = cross(along, normal)
    angle = block[look, P.BRUSH_TURN]
    if angle != F(0):
        c, s = math.cos(angle), math.sin(angle)
        along, across = add(scale(along, c), scale(across, s)), sub(scale(across, c), scale(along, s))
    return across, along


@inline
def carry_on(paths, j, i, origin, direction, throughput, pdf, spread, random, bounces):
    """Writes path i, advanced, as path j <= i.

    Parameters
    ----------
    paths : Paths
        Paths of the wave.
    j, i : int
        Rows.
    origin, direction, throughput : float32 triple
        Of the path from now on.
    pdf, spread : float32
        As in `Paths`.
    random : uint32
        State of the random stream.
    bounces : int
        As `pack_state` has it.
    """
    store3(paths.origin, j, origin)
    store3(paths.direction, j, direction)
    store3(paths.throughput, j, throughput)
    paths.pdf[j] = pdf
    paths.whole[j] = paths.whole[i]
    paths.left[j] = paths.left[i]
    paths.spread[j] = spread
    paths.pixel[j] = paths.pixel[i]
    paths.random[j] = random
    paths.bounces[j] = bounces
    paths.walk[j] = paths.walk[i]
    paths.kind[j] = paths.kind[i]
    if paths.walk[i] >= 0:
        for k in range(SOFT):
            paths.soft[j, k] = paths.soft[i, k]
    copy_interior(paths.inside, i, paths.inside, j)


@inline
def is_opaque(block, row):
    """True if a random walk in a body is stopped by a surface: a wick in wax, paint on it.

    Parameters
    ----------
    block : (M, WIDTH) float32
        Parameter block.
    row : int
        Row of the surface.

    Returns
    -------
    bool
    """
    return (
        block[row, P.TRANSMISSION] <= F(0)
        and block[row, P.SUBSURFACE] <= F(0)
        and block[row, P.THIN] <= F(0)
        and block[row, P.OPACITY] >= F(1)
    )


@inline
def is_way_out(inside, i, body, entering):
    """True if a wall of the soft body that path i wanders about in is its last one; all of them are, inside out.

    Parameters
    ----------
    inside : (N, NESTING) int32
        Interior lists.
    i : int
        The path.
    body : int
        The soft body.
    entering : bool
        Whether the wall is met from outside.

    Returns
    -------
    bool
    """
    pieces = times_inside(inside, i, body)
    return pieces == 0 if entering else pieces <= 1


@apart
def widening(inside, i, bodies, block, body, entering, without):
    """Notes that path i crosses a wall unbent; what its radiance is multiplied by as what is around changes.

    Parameters
    ----------
    inside : (N, NESTING) int32
        Interior lists.
    i : int
        The path.
    bodies : Bodies
        Fillings of the geometries.
    block : (M, WIDTH) float32
        Parameter block.
    body : int
        The body whose wall it is.
    entering : bool
        Whether it goes in.
    without : int
        The body that does not count, because the path wanders about in it; or -1.

    Returns
    -------
    float32
    """
    before = interior_index(inside, i, bodies, block, without)
    update_interior(inside, i, body, entering)
    ratio = before / interior_index(inside, i, bodies, block, without)
    return ratio * ratio


@apart
def turn_back(paths, going, i, position, facing, entering, block, row, bounces, random):
    """Light that wanders about in a body, turned back by what is opaque there as by a matt wall.

    Parameters
    ----------
    paths : Paths
        Paths of the wave.
    going : int
        Row that the path is written to.
    i : int
        The path.
    position, facing : float32 triple
        The point, mm, and the normal of its face.
    entering : bool
        Whether the face is met from outside.
    block : (M, WIDTH) float32
        Parameter block.
    row : int
        Row of the surface.
    bounces : int
        Bounces so far.
    random : uint32
        State of the random stream.

    Returns
    -------
    int
        1 where it goes on.
    """
    throughput = mul(row3(paths.throughput, i), row3_at(block, row, P.BASE_COLOR))
    random, chance = draw(random)
    survival = survival_chance(throughput, F(1), bounces)
    if chance >= survival:
        return 0
    near = facing if entering else scale(facing, F(-1))
    tangent, bitangent = frame(near)
    random, u = draw(random)
    random, v = draw(random)
    out = normalize(to_world(matt_direction(u, v), tangent, bitangent, near))
    throughput = scale(throughput, F(1) / survival)
    number = pack_state(bounces + 1, 1, UNAIMED, ALONE)
    carry_on(paths, going, i, lifted(position, near), out, throughput, F(0), F(1), random, number)
    return 1
