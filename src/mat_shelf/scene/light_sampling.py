"""Directions towards lights, and the densities with which they are picked.

Which light a point aims at is chosen by what each may bring there (Estevez and Kulla 2018, Importance Sampling of
Many Lights, without their tree: sets have some dozens). On it a point is taken evenly: of a softbox by area, of a tube
from the side that is seen, of a spot's ball and of a distant light by solid angle.
"""

import math

import numpy as np

from mat_shelf.numerics.circle import circle_point
from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.vectors import add, cross, dot, frame, row3, row3_at, scale, sub, to_world
from mat_shelf.scene.light_faces import (
    ACROSS,
    AREA,
    BRIGHT,
    DISC,
    DISTANT,
    FACING,
    FAR,
    KIND,
    RADIUS,
    SPOT,
    TUBE,
    TWO_PI,
    UP,
    cross_ball,
    lights_part,
    radiance_at,
    room_row,
    shown,
    thrown,
)

_LEAST = F(0.05)
"""Least cosine that weights count with: a face seen edge-on may still be nearer in part."""


@inline
def power_weight(own, other):
    """Share of one of two ways to find the same light, by the densities of both (power heuristic).

    Parameters
    ----------
    own, other : float32
        Densities.

    Returns
    -------
    float32

    References
    ----------
    Veach and Guibas 1995, Optimally Combining Sampling Techniques for Monte Carlo Rendering.
    """
    a = own * own
    return a / max(a + other * other, F(1e-30))


@inline
def light_weight(lights, k, origin):
    """Light that light k may bring to a point, roughly; 0 only where it brings nothing.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    origin : float32 triple
        The point, mm.

    Returns
    -------
    float32
    """
    table = lights.table
    kind = table[k, KIND]
    weight = table[k, BRIGHT] * table[k, AREA]
    if kind == F(DISTANT):
        return weight
    to = sub(row3(table, k), origin)
    square = dot(to, to)
    if kind <= F(DISC):
        facing = -dot(to, row3_at(table, k, FACING))
        if facing <= F(0):
            return F(0)
        return weight * max(facing / math.sqrt(square), _LEAST) / (square + F(0.3) * table[k, AREA])
    if kind == F(TUBE):
        axis = row3_at(table, k, ACROSS)
        along = dot(to, axis)
        side = max(F(1) - along * along / max(square * dot(axis, axis), F(1e-20)), _LEAST * _LEAST)
        return weight * math.sqrt(side) / (square + F(0.3) * table[k, AREA])
    if square <= table[k, RADIUS] * table[k, RADIUS]:
        return F(0)
    return weight * max(thrown(lights, k, scale(to, F(-1) / math.sqrt(square)))[1], F(0.01)) / square


@apart
def _pdf_of_round(table, k, origin, d, t):
    """Density, 1/sr, of a point of a tube or a ball."""
    to = sub(origin, row3(table, k))
    radius = table[k, RADIUS]
    if table[k, KIND] == F(SPOT):
        share = radius * radius / dot(to, to)
        return (F(1) + math.sqrt(max(F(1) - share, F(0)))) / (TWO_PI * share)
    axis = row3_at(table, k, ACROSS)
    half = math.sqrt(dot(axis, axis))
    axis = scale(axis, F(1) / half)
    radial = sub(to, scale(axis, dot(to, axis)))
    distance = math.sqrt(dot(radial, radial))
    hit = add(to, scale(d, t))
    normal = scale(sub(hit, scale(axis, dot(hit, axis))), F(1) / radius)
    seen = F(4) * half * radius * math.acos(min(radius / distance, F(1)))
    return t * t / max(-dot(d, normal) * seen, F(1e-9))


@inline
def light_pdf(lights, k, origin, d, t):
    """Density, 1/sr, with which a direction towards a point of light k is picked where the light is.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    origin : float32 triple
        Where the ray begins, mm.
    d : float32 triple
        Unit direction.
    t : float32
        Distance, mm.

    Returns
    -------
    float32
    """
    table = lights.table
    kind = table[k, KIND]
    if kind <= F(DISC):
        facing = -dot(d, row3_at(table, k, FACING))
        return t * t / max(facing * table[k, AREA], F(1e-9))
    if kind == F(DISTANT):
        return F(1) / table[k, AREA]
    return _pdf_of_round(table, k, origin, d, t)


@apart
def _point_of_tube(table, k, origin, u, v):
    """A point of the side of a tube that is seen; as good as the point itself from inside of it."""
    axis = row3_at(table, k, ACROSS)
    half = math.sqrt(dot(axis, axis))
    axis = scale(axis, F(1) / half)
    centre = row3(table, k)
    to = sub(origin, centre)
    radial = sub(to, scale(axis, dot(to, axis)))
    distance = math.sqrt(dot(radial, radial))
    radius = table[k, RADIUS]
    if distance <= radius:
        return origin
    radial = scale(radial, F(1) / distance)
    angle = (F(2) * v - F(1)) * math.acos(radius / distance)
    normal = add(scale(radial, math.cos(angle)), scale(cross(axis, radial), math.sin(angle)))
    return add(centre, add(scale(axis, (F(2) * u - F(1)) * half), scale(normal, radius)))


@inline
def in_cone(way, rest, u, v):
    """A direction evenly in a cone.

    Parameters
    ----------
    way : float32 triple
        Its axis.
    rest : float32
        1 less the cosine of its half angle; 2 for all directions.
    u, v : float32 in [0, 1)

    Returns
    -------
    float32 triple
    """
    less = u * rest
    aside = math.sqrt(max(less * (F(2) - less), F(0)))
    across, along = circle_point(v)
    tangent, bitangent = frame(way)
    local = (aside * across, aside * along, F(1) - less)
    return to_world(local, tangent, bitangent, way)


@apart
def _sample_round(lights, k, origin, u, v):
    """A direction towards light k and the distance, where it is no flat face; no distance where there is none."""
    table = lights.table
    kind = table[k, KIND]
    if kind == F(DISTANT):
        return in_cone(scale(row3_at(table, k, FACING), F(-1)), table[k, AREA] / TWO_PI, u, v), FAR
    if kind == F(TUBE):
        to = sub(_point_of_tube(table, k, origin, u, v), origin)
        distance = math.sqrt(dot(to, to))
        if distance <= F(0):
            return (F(0), F(1), F(0)), F(0)
        return scale(to, F(1) / distance), distance
    to = sub(row3(table, k), origin)
    square = dot(to, to)
    share = table[k, RADIUS] * table[k, RADIUS] / max(square, F(1e-12))
    if share >= F(1):
        return (F(0), F(1), F(0)), F(0)
    d = in_cone(scale(to, F(1) / math.sqrt(square)), share / (F(1) + math.sqrt(F(1) - share)), u, v)
    t = cross_ball(table, k, origin, d)
    return d, t if t > F(0) else math.sqrt(square - table[k, RADIUS] * table[k, RADIUS])


@inline
def sample_lights(lights, origin, part, weights, beside, pick, texel, u, v):
    """A direction towards a light.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    origin : float32 triple
        Origin of the ray, mm.
    part : int
        The geometry that is to be lit.
    weights : (L,) float32
        Scratch space.
    beside : float32
        Weight of what else there is to aim at.
    pick, texel, u, v : float32 in [0, 1)

    Returns
    -------
    direction : float32 triple
    distance : float32, mm; the room is at 1e30
    radiance : float32 triple
    pdf : float32, 1/sr; 0 where the sample failed
    light : int; -1 for the room; -2 for what else there is, of which the density tells how often it is picked
    whole : float32
        Sum of all weights at this point.
    """
    count = lights.table.shape[0]
    whole = lights.room_weight + beside
    for k in range(count):
        weights[k] = light_weight(lights, k, origin) if lights_part(lights, k, part) else F(0)
        whole += weights[k]
    remaining = pick * whole
    for k in range(count):
        if remaining >= weights[k]:
            remaining -= weights[k]
            continue
        chance = weights[k] / whole
        table = lights.table
        kind = table[k, KIND]
        if kind > F(DISC):
            d, distance = _sample_round(lights, k, origin, u, v)
            if distance <= F(0):
                return d, distance, (F(0), F(0), F(0)), F(0), k, whole
            a = F(0)
            if kind == F(DISTANT):
                a = math.sqrt(u)
            return (
                d,
                distance,
                shown(lights, k, a, F(0), d),
                chance * light_pdf(lights, k, origin, d, distance),
                k,
                whole,
            )
        a = F(2) * u - F(1)
        b = F(2) * v - F(1)
        if kind == F(DISC):
            cosine, sine = circle_point(v)
            a, b = math.sqrt(u) * cosine, math.sqrt(u) * sine
        across, upward = row3_at(table, k, ACROSS), row3_at(table, k, UP)
        to = sub(add(row3(table, k), add(scale(across, a), scale(upward, b))), origin)
        distance = math.sqrt(max(dot(to, to), F(1e-12)))
        d = scale(to, F(1) / distance)
        if dot(d, row3_at(table, k, FACING)) >= F(-1e-6):
            return d, distance, (F(0), F(0), F(0)), F(0), k, whole
        return d, distance, shown(lights, k, a, b, d), chance * light_pdf(lights, k, origin, d, distance), k, whole
    if remaining < beside:
        return (F(0), F(1), F(0)), F(0), (F(0), F(0), F(0)), beside / whole, -2, whole
    if lights.room_weight <= F(0):
        return (F(0), F(1), F(0)), F(0), (F(0), F(0), F(0)), F(0), -1, max(whole, F(1e-30))
    remaining -= beside
    room = lights.room
    slots = lights.alias.shape[0]
    slot = min(int(texel * F(slots)), slots - 1)
    if remaining / lights.room_weight >= lights.keep[slot]:
        slot = lights.alias[slot]
    # A division of integers takes as long as dozens of other steps.
    i = int((np.float64(slot) + 0.5) / np.float64(room.shape[1]))
    j = slot - i * room.shape[1]
    # Even in height within the texel, so that the density there is one number.
    up = lights.borders[i] + (lights.borders[i + 1] - lights.borders[i]) * u
    x = F(j) + v
    cosine, sine = circle_point(x / F(room.shape[1]) - F(0.5))
    across_up = math.sqrt(max(F(1) - up * up, F(0)))
    d = (-across_up * sine, up, across_up * cosine)
    chance = lights.room_weight / whole
    return d, FAR, radiance_at(room, room_row(room, up), x), chance * lights.density[i, j], -1, whole
