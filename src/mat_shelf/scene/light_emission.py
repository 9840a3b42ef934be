"""Rays that leave lights, towards a ball.

They are what `light_sampling` is, the other way round: a point of the light is taken evenly, and a direction evenly in
the cone of all that lead to the ball. What a ray carries is radiance times the area and the solid angle that it stands
for, seen at the slant at which it leaves.
"""

import math

from mat_shelf.numerics.kernels import PI, F, apart
from mat_shelf.numerics.vectors import add, dot, frame, row3, row3_at, scale, sub
from mat_shelf.scene.light_faces import ACROSS, AREA, DISC, DISTANT, FACING, KIND, RADIUS, SPOT, TUBE, TWO_PI, UP, shown
from mat_shelf.scene.light_sampling import in_cone

_AWAY = F(0.01)
"""mm that a ray begins before its light, which is nothing that it could meet."""


@apart
def _towards(origin, centre, radius, u, v):
    """A direction evenly in the cone from a point round a ball, and its solid angle; from inside any direction."""
    to = sub(centre, origin)
    square = dot(to, to)
    share = radius * radius / max(square, F(1e-12))
    if share >= F(1):
        return in_cone((F(0), F(1), F(0)), F(2), u, v), F(2) * TWO_PI
    rest = share / (F(1) + math.sqrt(F(1) - share))
    return in_cone(scale(to, F(1) / math.sqrt(square)), rest, u, v), rest * TWO_PI


@apart
def _beside(middle, d, radius, u, v):
    """A point of the disc round a point that faces a direction."""
    tangent, bitangent = frame(d)
    reach, angle = radius * math.sqrt(u), TWO_PI * v
    return add(middle, add(scale(tangent, reach * math.cos(angle)), scale(bitangent, reach * math.sin(angle))))


@apart
def emitted_ray(lights, k, centre, radius, far, u, v, s, t):
    """A ray from light k towards a ball.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    centre : float32 triple
        Middle of the ball, mm.
    radius : float32
        Radius of the ball, mm.
    far : float32
        Distance, mm, from the middle of the ball at which rays of distant lights begin.
    u, v : float32 in [0, 1)
        Place on the light; of a distant one, and of a spot, its direction.
    s, t : float32 in [0, 1)
        Direction; of a distant light, and of a spot, the place.

    Returns
    -------
    origin, direction : float32 triple
    flux : float32 triple
        What it carries, mm2 of 1000 cd/m2; 0 where none leaves this way.
    """
    table = lights.table
    kind = table[k, KIND]
    middle, normal = row3(table, k), row3_at(table, k, FACING)
    across, upward = row3_at(table, k, ACROSS), row3_at(table, k, UP)
    if kind == F(DISTANT):
        d = in_cone(normal, table[k, AREA] / TWO_PI, u, v)
        origin = sub(_beside(centre, d, radius, s, t), scale(d, far))
        light = shown(lights, k, math.sqrt(u), F(0), scale(d, F(-1)))
        return origin, d, scale(light, table[k, AREA] * PI * radius * radius)
    if kind == F(SPOT):
        own = table[k, RADIUS]
        d, cone = _towards(middle, centre, radius + own, s, t)
        rim = _beside(middle, d, own, u, v)
        light = shown(lights, k, F(0), F(0), scale(d, F(-1)))
        return add(rim, scale(d, own * math.sqrt(max(F(1) - u, F(0))))), d, scale(light, table[k, AREA] * cone)
    if kind == F(TUBE):
        half = math.sqrt(dot(across, across))
        axis = scale(across, F(1) / half)
        one, other = frame(axis)
        angle = TWO_PI * v
        normal = add(scale(one, math.cos(angle)), scale(other, math.sin(angle)))
        place = F(2) * u - F(1)
        origin = add(middle, add(scale(across, place), scale(normal, table[k, RADIUS])))
        d, cone = _towards(origin, centre, radius, s, t)
        light = shown(lights, k, place, F(0), scale(d, F(-1)))
        area = table[k, AREA] * PI
    else:
        a, b = F(2) * u - F(1), F(2) * v - F(1)
        if kind == F(DISC):
            reach, angle = math.sqrt(u), TWO_PI * v
            a, b = reach * math.cos(angle), reach * math.sin(angle)
        origin = add(middle, add(scale(across, a), scale(upward, b)))
        d, cone = _towards(origin, centre, radius, s, t)
        light = shown(lights, k, a, b, scale(d, F(-1)))
        area = table[k, AREA]
    slant = dot(d, normal)
    if slant <= F(0):
        return origin, d, (F(0), F(0), F(0))
    return add(origin, scale(normal, _AWAY)), d, scale(light, slant * area * cone)
