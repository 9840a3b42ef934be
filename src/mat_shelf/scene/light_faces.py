"""Lights as kernels read them, and what a ray sees of them."""

import math
from collections import namedtuple

from mat_shelf.numerics.interpolation import smoothstep
from mat_shelf.numerics.kernels import PI, F, apart, inline, stay_apart
from mat_shelf.numerics.vectors import add, dot, row3, row3_at, row3_flat, scale, sub

Lights = namedtuple(
    "Lights", "room borders density keep alias room_weight table slots texels distributions lit glow glow_layer"
)
"""What kernels read.

room : (H, 2H, 3) float32, radiance by direction, as seen from its middle: row 0 is straight up, the middle column
+z, the left half +x
borders : (H + 1,) float32, height (cosine from straight up) of the borders of its rows
density : (H, 2H) float32, 1/sr, with which a direction in each texel is sampled, where the room is; 0 where the room
is not aimed at
keep, alias : (2H * H,) float32 and int32, alias table over the texels
room_weight : float32, radiance that is aimed at of the room, in all directions together, of which `light_weight` is for
a light; 0 where the room is not aimed at
table : (L, WIDTH) float32, a row of each light, with the columns below
slots : (L, 4) int32: first texel of its image, or -1, columns, rows; place of its distribution, or -1
texels : (T, 3) float32, images of lights, row by row
distributions : (D, 181, 121) float32, share of the brightest direction; rows by degrees from the axis, columns by 3
degrees about it
lit : (L, P + 1) uint8, whether a light lights each part, by its geometry, and as the last what is no part; (L, 0) where
all light all
glow : (P, 3) float32, factor of the light that a part gives off itself, by its geometry; (0, 3) where all give off what
their materials say
glow_layer : (P,) int32, place in `PathLimits.layers` of the layer that it goes to
"""
CENTRE, ACROSS, UP, FACING, RADIANCE = 0, 3, 6, 9, 12
"""First columns of triples: middle, half width and half height axes, mm, unit normal, radiance (1 = 1000 cd/m2)."""
AREA, KIND, BRIGHT, RADIUS, EDGE_ACROSS, EDGE_UP, FADE, GRID, CONE, SEEN = 15, 16, 17, 18, 19, 20, 21, 22, 23, 24
"""Area (mm2) of a face, solid angle of what is distant; kind; mean luminance; radius (mm) of a tube or ball;
soft edge as a share of the half width and half height; gradient; tangent of the grid's angle, or 0; cosine of
half the cone; whether the camera sees it."""
WIDTH = 25
RECTANGLE, DISC, TUBE, SPOT, DISTANT = 0, 1, 2, 3, 4
"""Kinds, as numbers."""
FAR = F(1e30)
"""Distance of the room and of distant lights, mm."""
TWO_PI = F(2 * math.pi)


@inline
def _arc_tangent(y, x):
    """atan2 to 1e-7 (Abramowitz and Stegun 4.4.49); several times quicker than the library's."""
    small = min(abs(x), abs(y))
    t = small / max(max(abs(x), abs(y)), F(1e-30))
    q = t * t
    a = F(-0.0161657367) + q * F(0.0028662257)
    a = F(-0.0752896400) + q * (F(0.0429096138) + q * a)
    a = F(-0.1420889944) + q * (F(0.1065626393) + q * a)
    a = t * (F(1) + q * (F(-0.3333314528) + q * (F(0.1999355085) + q * a)))
    if abs(y) > abs(x):
        a = F(math.pi / 2) - a
    if x < F(0):
        a = PI - a
    return -a if y < F(0) else a


@inline
def glow_of_part(lights, part):
    """Factor of the light that a part gives off, and its place among the layers.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    part : int
        Geometry.

    Returns
    -------
    (gain, place) : (float32 triple, int)
    """
    if part < lights.glow.shape[0]:
        return row3(lights.glow, part), lights.glow_layer[part]
    return (F(1), F(1), F(1)), lights.table.shape[0] + 1


@inline
def room_row(room, up):
    """Row, in texels and parts of them, of directions with this height.

    Parameters
    ----------
    room : (H, 2H, 3) float32
        The room.
    up : float32
        Cosine of the angle from straight up.

    Returns
    -------
    float32
    """
    return _arc_tangent(math.sqrt(max(F(1) - up * up, F(0))), up) / PI * F(room.shape[0])


@inline
def radiance_at(room, v, u):
    """Radiance at a place, interpolated between texels.

    Parameters
    ----------
    room : (H, 2H, 3) float32
        The room.
    v, u : float32
        Row and column, in texels and parts of them.

    Returns
    -------
    float32 triple
    """
    height = room.shape[0]
    width = room.shape[1]
    v = max(v - F(0.5), F(0))
    u = u - F(0.5)
    if u < F(0):
        u += F(width)
    i = min(int(v), height - 1)
    j = min(int(u), width - 1)
    below = i + 1 if i + 1 < height else i
    right = j + 1 if j + 1 < width else 0
    a = v - F(i)
    b = u - F(j)
    w00 = (F(1) - a) * (F(1) - b)
    w01 = (F(1) - a) * b
    w10 = a * (F(1) - b)
    w11 = a * b
    return (
        room[i, j, 0] * w00 + room[i, right, 0] * w01 + room[below, j, 0] * w10 + room[below, right, 0] * w11,
        room[i, j, 1] * w00 + room[i, right, 1] * w01 + room[below, j, 1] * w10 + room[below, right, 1] * w11,
        room[i, j, 2] * w00 + room[i, right, 2] * w01 + room[below, j, 2] * w10 + room[below, right, 2] * w11,
    )


@apart
def find_in_room(count, directions, room, places):
    """Places in the room in which directions end: a loop of this alone is done for many of them at once.

    Parameters
    ----------
    count : int
        How many directions.
    directions : (N, 3) float32
        Unit directions.
    room : (H, 2H, 3) float32
        The room.
    places : (N, 2) float32, written
        Row and column, in texels and parts of them.
    """
    stay_apart()
    flat, found = directions.reshape(-1), places.reshape(-1)
    height, width = F(room.shape[0]), F(room.shape[1])
    for i in range(count):
        x, y, z = row3_flat(flat, i)
        found[2 * i] = _arc_tangent(math.sqrt(max(F(1) - y * y, F(0))), y) / PI * height
        found[2 * i + 1] = (_arc_tangent(-x, z) / TWO_PI + F(0.5)) * width


@inline
def room_light(lights, v, u):
    """Radiance at a place in the room, and the density with which `sample_lights` picks it where it picks the room.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    v, u : float32
        Row and column, as `find_in_room` has them.

    Returns
    -------
    radiance : float32 triple
    density : float32
    """
    room = lights.room
    i = min(int(v), room.shape[0] - 1)
    j = min(max(int(u), 0), room.shape[1] - 1)
    return radiance_at(room, v, u), lights.density[i, j]


@apart
def image_at(lights, k, a, b):
    """Colour that the image of light k multiplies the light by, at a place of its face; white where it has none.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    a, b : float32
        Place across and up, [-1, 1].

    Returns
    -------
    float32 triple
    """
    first, width, height = lights.slots[k, 0], lights.slots[k, 1], lights.slots[k, 2]
    x = min(max((a * F(0.5) + F(0.5)) * F(width) - F(0.5), F(0)), F(width - 1))
    y = min(max((F(0.5) - b * F(0.5)) * F(height) - F(0.5), F(0)), F(height - 1))
    j, i = int(x), int(y)
    right, below = min(j + 1, width - 1), min(i + 1, height - 1)
    s, t = x - F(j), y - F(i)
    upper = first + i * width
    lower = first + below * width
    texels = lights.texels
    w00, w01, w10, w11 = (F(1) - s) * (F(1) - t), s * (F(1) - t), (F(1) - s) * t, s * t
    one, two = row3(texels, upper + j), row3(texels, upper + right)
    three, four = row3(texels, lower + j), row3(texels, lower + right)
    return add(add(scale(one, w00), scale(two, w01)), add(scale(three, w10), scale(four, w11)))


@apart
def thrown(lights, k, d):
    """Light that a spot sends along a direction, as a share of its radiance.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    d : float32 triple
        Unit direction, away from it.

    Returns
    -------
    float32 triple
    """
    table = lights.table
    along = dot(d, row3_at(table, k, FACING))
    across, up = dot(d, row3_at(table, k, ACROSS)), dot(d, row3_at(table, k, UP))
    place = lights.slots[k, 3]
    if place >= 0:
        grid = lights.distributions
        v = _arc_tangent(math.sqrt(across * across + up * up), along) / PI * F(180)
        u = _arc_tangent(up, across) / TWO_PI
        u = (u if u >= F(0) else u + F(1)) * F(120)
        i, j = min(int(v), 179), min(int(u), 119)
        t, s = v - F(i), u - F(j)
        upper = grid[place, i, j] * (F(1) - s) + grid[place, i, j + 1] * s
        lower = grid[place, i + 1, j] * (F(1) - s) + grid[place, i + 1, j + 1] * s
        share = upper * (F(1) - t) + lower * t
        return share, share, share
    cone = table[k, CONE]
    if along <= cone:
        return F(0), F(0), F(0)
    widest = math.sqrt(F(1) - cone * cone) / cone
    a, b = across / along / widest, up / along / widest
    rest = (F(1) - math.sqrt(a * a + b * b)) / max(table[k, EDGE_UP], F(1e-6))
    share = smoothstep(min(max(rest, F(0)), F(1)))
    if lights.slots[k, 0] < 0:
        return share, share, share
    return scale(image_at(lights, k, a, b), share)


@inline
def shown(lights, k, a, b, d):
    """Radiance of a place of light k, as a ray sees it.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    a, b : float32
        Place on it, as `cross_light` has it.
    d : float32 triple
        Unit direction of the ray, towards it.

    Returns
    -------
    float32 triple
    """
    table = lights.table
    kind = table[k, KIND]
    radiance = row3_at(table, k, RADIANCE)
    if kind == F(SPOT):
        x, y, z = thrown(lights, k, scale(d, F(-1)))
        return radiance[0] * x, radiance[1] * y, radiance[2] * z
    if kind == F(TUBE):
        return radiance
    share = F(1)
    if table[k, EDGE_UP] > F(0):
        if kind == F(RECTANGLE):
            share = smoothstep(min((F(1) - abs(a)) / table[k, EDGE_ACROSS], F(1)))
            share *= smoothstep(min((F(1) - abs(b)) / table[k, EDGE_UP], F(1)))
        else:
            rest = (F(1) - math.sqrt(a * a + b * b)) / table[k, EDGE_UP]
            share = smoothstep(min(max(rest, F(0)), F(1)))
    if kind == F(DISTANT):
        return scale(radiance, share)
    share *= F(1) - table[k, FADE] * (F(0.5) - F(0.5) * b)
    if table[k, GRID] > F(0):
        facing = max(-dot(d, row3_at(table, k, FACING)), F(1e-6))
        # What round cells let through: the lens that two circles share.
        x = math.sqrt(max(F(1) - facing * facing, F(0))) / facing / table[k, GRID]
        x = min(x, F(1))
        share *= (math.acos(x) - x * math.sqrt(F(1) - x * x)) * F(2 / math.pi)
    radiance = scale(radiance, share)
    if lights.slots[k, 0] < 0:
        return radiance
    x, y, z = image_at(lights, k, a, b)
    return radiance[0] * x, radiance[1] * y, radiance[2] * z


@inline
def lights_part(lights, k, part):
    """True if light k lights a part.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    part : int
        The geometry; -1 for the camera, which sees all lights.

    Returns
    -------
    bool
    """
    lit = lights.lit
    return part < 0 or lit.shape[1] == 0 or lit[k, min(part, lit.shape[1] - 1)] > 0


@apart
def _cross_tube(table, k, origin, d):
    """Distance to the outside of a tube and place along it, or -1."""
    axis = row3_at(table, k, ACROSS)
    half = math.sqrt(dot(axis, axis))
    axis = scale(axis, F(1) / half)
    rel = sub(origin, row3(table, k))
    radius = table[k, RADIUS]
    along, run = dot(rel, axis), dot(d, axis)
    radial, way = sub(rel, scale(axis, along)), sub(d, scale(axis, run))
    a = dot(way, way)
    b = dot(radial, way)
    if a <= F(1e-12) or b >= F(0) or dot(radial, radial) <= radius * radius:
        return F(-1), F(0)
    t = -b / a
    nearest = add(radial, scale(way, t))
    gap = radius * radius - dot(nearest, nearest)
    if gap <= F(0):
        return F(-1), F(0)
    t -= math.sqrt(gap / a)
    place = (along + t * run) / half
    if t <= F(0) or abs(place) > F(1):
        return F(-1), F(0)
    return t, place


@apart
def cross_ball(table, k, origin, d):
    """Distance to the ball of a spot, or -1.

    Parameters
    ----------
    table : (L, WIDTH) float32
        Rows of lights.
    k : int
        Number of the light.
    origin : float32 triple
        Origin of the ray, mm.
    d : float32 triple
        Unit direction.

    Returns
    -------
    float32
    """
    to = sub(row3(table, k), origin)
    radius = table[k, RADIUS]
    t = dot(to, d)
    if t <= F(0) or dot(to, to) <= radius * radius:
        return F(-1)
    beside = sub(to, scale(d, t))
    gap = radius * radius - dot(beside, beside)
    return t - math.sqrt(gap) if gap > F(0) else F(-1)


@inline
def cross_light(lights, k, origin, d):
    """Place at which a ray meets the shining side of light k.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the light.
    origin : float32 triple
        Origin of the ray, mm.
    d : float32 triple
        Unit direction.

    Returns
    -------
    distance : float32, mm; -1 where it misses it
    a, b : float32
        Place across and up, [-1, 1]; of a distant light from its middle, of a tube along it.
    """
    table = lights.table
    kind = table[k, KIND]
    normal = row3_at(table, k, FACING)
    if kind <= F(DISC):
        facing = dot(d, normal)
        if facing >= F(-1e-6):
            return F(-1), F(0), F(0)
        to_centre = sub(row3(table, k), origin)
        t = dot(to_centre, normal) / facing
        if t <= F(0):
            return F(-1), F(0), F(0)
        offset = sub(scale(d, t), to_centre)
        across, upward = row3_at(table, k, ACROSS), row3_at(table, k, UP)
        a = dot(offset, across) / dot(across, across)
        b = dot(offset, upward) / dot(upward, upward)
        if abs(a) > F(1) or abs(b) > F(1) or (kind == F(DISC) and a * a + b * b > F(1)):
            return F(-1), F(0), F(0)
        return t, a, b
    if kind == F(TUBE):
        t, a = _cross_tube(table, k, origin, d)
        return t, a, F(0)
    if kind == F(SPOT):
        return cross_ball(table, k, origin, d), F(0), F(0)
    # Half the square of their distance is 1 less the cosine, and exact where the light is as small as the sun.
    apart_by = add(d, normal)
    place = dot(apart_by, apart_by) * PI / table[k, AREA]
    return (FAR if place < F(1) else F(-1)), math.sqrt(min(place, F(1))), F(0)
