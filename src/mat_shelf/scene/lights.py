"""The lights of a set: a room seen as a latitude-longitude picture, and rectangular softboxes.

Lights do not hide each other or anything else: a ray gathers from each one it crosses on its way. So a softbox can
stand before the camera, and turning the lights never rebuilds the scene.
"""

import math
from collections import namedtuple
from collections.abc import Mapping
from types import MappingProxyType

import numpy as np

from mat_shelf.document.set import Set, Softbox
from mat_shelf.numerics.kernels import PI, F, inline, kernel
from mat_shelf.numerics.vectors import add, dot, row3, scale, sub
from mat_shelf.optics.color import black_body, luminance
from mat_shelf.optics.parameters import WHITE

Lights = namedtuple("Lights", "room rows density keep alias room_pick boxes box_pick")
"""What kernels read.

room : (H, 2H, 3) float32, radiance by direction, as seen from its middle: row 0 is straight up, the middle column
+z, the left half +x
rows : (H + 1,) float32, height (cosine from straight up) of the rows' borders
density : (H, 2H) float32, 1/sr, with which a direction in each texel is sampled, `room_pick` included
keep, alias : (2H * H,) float32 and int32, alias table over the texels (Walker 1977, Vose 1991)
room_pick : float32, chance to sample the room rather than a softbox
boxes : (L, 16) float32: centre, half width axis, half height axis, normal (unit), radiance, area
box_pick : (L,) float32, chance to sample each softbox
"""

TWO_PI = F(2 * math.pi)


def make_lights(room, softboxes=()) -> Lights:
    """Lights from a room picture and softboxes.

    Parameters
    ----------
    room : (H, 2H, 3) array
        Radiance, 1 = 1000 cd/m2.
    softboxes : sequence of Softbox

    Returns
    -------
    Lights

    Raises
    ------
    ValueError
        If the room is not twice as wide as high, or holds a value that is negative or no number.
    """
    room = np.ascontiguousarray(room, np.float32)
    if room.ndim != 3 or room.shape[2] != 3 or room.shape[1] != 2 * room.shape[0]:
        raise ValueError("an environment must be twice as wide as high, in three channels")
    if not np.isfinite(room).all() or room.min() < 0:
        raise ValueError("the environment holds values that are negative or not numbers")
    height, width = room.shape[:2]
    edges = np.cos(np.arange(height + 1) / height * np.pi)
    solid_angle = (edges[:-1] - edges[1:]) * (2 * np.pi / width)
    weight = (luminance(room) + 1e-6) * solid_angle[:, None]
    chance = weight / weight.sum()
    keep, alias = np.empty(chance.size, np.float32), np.empty(chance.size, np.int32)
    _fill_alias(chance.ravel() * chance.size, keep, alias, np.empty(chance.size, np.int64))
    boxes = np.array([_box_row(box) for box in softboxes], np.float32).reshape(-1, 16)
    room_power = max(float(weight.sum()), 1e-6)
    # A softbox a metre away or so: its share of the light is about luminance times solid angle.
    box_power = np.array([luminance(row[12:15]) * row[15] / 5e5 for row in boxes])
    whole = room_power + box_power.sum()
    return Lights(
        room,
        edges.astype(np.float32),
        (chance / solid_angle[:, None] * (room_power / whole)).astype(np.float32),
        keep,
        alias,
        F(room_power / whole),
        boxes,
        (box_power / whole).astype(np.float32),
    )


def set_lights(studio: Set, rooms: Mapping[str, np.ndarray] = MappingProxyType({})) -> Lights:
    """The lights of a set, turned as it says.

    Parameters
    ----------
    studio : Set
        The set.
    rooms : mapping from SHA-256 to (H, 2H, 3) float32
        The room pictures. Raises KeyError where the set's own is not among them.

    Returns
    -------
    Lights
    """
    if studio.room is None:
        room = plain_room(studio.surround, studio.ground)
    else:
        picture = rooms[studio.room.digest]
        # Column 0 looks to -z and columns run to the viewer's right, so a positive turn carries them back.
        room = np.roll(picture, -round(studio.turn / 360 * picture.shape[1]), axis=1)
        room = room * np.float32(studio.room_luminance / WHITE)
    return make_lights(room, [carried_round(box, studio.turn) for box in studio.softboxes if box.is_on])


LOUPE_LIGHT_DISTANCE, LOUPE_LIGHT_SIZE = 300.0, 60.0
"""mm. Small and near, as a hand lamp held beside the work."""


def lamp_lights(studio: Set, point, direction) -> Set:
    """The set with its own lights nearly out, and a small lamp held towards a point.

    Parameters
    ----------
    studio : Set
        The set.
    point : (3,) float, mm
    direction : (3,) float
        From the point to the lamp, of unit length.

    Returns
    -------
    Set
    """
    place = np.add(point, np.multiply(direction, LOUPE_LIGHT_DISTANCE))
    # As much light on the surface, straight on, as from a whole sky of 1000 cd/m2.
    bright = math.pi * 1000 * (LOUPE_LIGHT_DISTANCE / LOUPE_LIGHT_SIZE) ** 2
    lamp = Softbox(
        position=tuple(float(x) for x in place),
        target=tuple(float(x) for x in point),
        width=LOUPE_LIGHT_SIZE,
        height=LOUPE_LIGHT_SIZE,
        luminance=bright,
        temperature=6500,
    )
    return studio.with_(softboxes=(lamp,), room=None, surround=60.0, ground=60.0, turn=0.0)


def carried_round(box: Softbox, degrees: float) -> Softbox:
    """A softbox, carried round the vertical axis through the origin.

    Parameters
    ----------
    box : Softbox
        The light.
    degrees : float
        Angle, as `Set.turn` has it.

    Returns
    -------
    Softbox
    """
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))

    def carried(p):
        """A point, carried round.

        Parameters
        ----------
        p : (3,) float
            The point, mm.

        Returns
        -------
        (3,) float
        """
        return (c * p[0] + s * p[2], p[1], c * p[2] - s * p[0])

    return box.with_(position=carried(box.position), target=carried(box.target))


def light_corners(box: Softbox) -> np.ndarray:
    """Corners of a softbox, one after another, (4, 3) float64, mm.

    Parameters
    ----------
    box : Softbox
        The light.

    Returns
    -------
    (4, 3) float64
    """
    row = _box_row(box).astype(np.float64)
    middle, across, up = row[0:3], row[3:6], row[6:9]
    return np.stack([middle + i * across + j * up for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))])


def plain_room(above: float, below: float, height: int = 64) -> np.ndarray:
    """A room that fades from `above` to `below` (cd/m2) across the horizon, (height, 2 * height, 3) float32.

    Parameters
    ----------
    above, below : float
        Luminance, cd/m2.
    height : int
        Rows.

    Returns
    -------
    array
    """
    up = np.cos((np.arange(height) + 0.5) / height * np.pi)
    share = 1 / (1 + np.exp(-up * 6))
    value = (below + (above - below) * share) / WHITE
    return np.broadcast_to(value[:, None, None], (height, 2 * height, 3)).astype(np.float32)


def _box_row(box: Softbox) -> np.ndarray:
    centre, target = np.array(box.position), np.array(box.target)
    facing = target - centre
    facing = facing / max(np.linalg.norm(facing), 1e-9)
    up = np.array([0, 0, 1.0]) if abs(facing[1]) > 0.999 else np.array([0, 1.0, 0])
    across = np.cross(facing, up)
    across /= np.linalg.norm(across)
    upward = np.cross(across, facing)
    c, s = math.cos(math.radians(box.roll)), math.sin(math.radians(box.roll))
    across, upward = c * across - s * upward, c * upward + s * across
    radiance = black_body(box.temperature) * (box.luminance / WHITE)
    return np.concatenate(
        [
            centre,
            across * box.width / 2,
            upward * box.height / 2,
            facing,
            radiance,
            [box.width * box.height],
        ]
    )


@kernel
def _fill_alias(scaled, keep, alias, work):
    """Vose's alias table. `scaled` is chance times count and is used up; `work` is scratch space of its size."""
    count = scaled.shape[0]
    small = 0
    large = count
    for i in range(count):
        if scaled[i] < 1.0:
            work[small] = i
            small += 1
        else:
            large -= 1
            work[large] = i
    # The stack of small ones grows from the left, that of large ones from the right.
    while small > 0 and large < count:
        small -= 1
        less = work[small]
        more = work[large]
        keep[less] = scaled[less]
        alias[less] = more
        scaled[more] -= 1.0 - scaled[less]
        if scaled[more] < 1.0:
            large += 1
            work[small] = more
            small += 1
    while small > 0:
        small -= 1
        keep[work[small]] = F(1)
        alias[work[small]] = work[small]
    while large < count:
        keep[work[large]] = F(1)
        alias[work[large]] = work[large]
        large += 1


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
def _room_row(room, up):
    """Row, in texels and parts of them, of directions with this height."""
    return _arc_tangent(math.sqrt(max(F(1) - up * up, F(0))), up) / PI * F(room.shape[0])


@inline
def _radiance_at(room, v, u):
    """Radiance at a place, in texels, interpolated between them."""
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


@inline
def room_light(lights, d):
    """Radiance from a direction, and the density with which `sample_lights` picks it.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    d : float32 triple
        Unit direction.

    Returns
    -------
    tuple of 2
    """
    room = lights.room
    v = _room_row(room, d[1])
    u = (_arc_tangent(-d[0], d[2]) / TWO_PI + F(0.5)) * F(room.shape[1])
    i = min(int(v), room.shape[0] - 1)
    j = min(max(int(u), 0), room.shape[1] - 1)
    return _radiance_at(room, v, u), lights.density[i, j]


@inline
def cross_box(boxes, k, origin, d):
    """Distance at which a ray meets the front of softbox k, or -1.

    Parameters
    ----------
    boxes : (B, WIDTH) float32
        Softboxes.
    k : int
        Number of the softbox.
    origin : float32 triple
        Origin of the ray, mm.
    d : float32 triple
        Unit direction.

    Returns
    -------
    float32
    """
    normal = (boxes[k, 9], boxes[k, 10], boxes[k, 11])
    facing = dot(d, normal)
    if facing >= F(-1e-6):
        return F(-1)
    to_centre = sub(row3(boxes, k), origin)
    t = dot(to_centre, normal) / facing
    if t <= F(0):
        return F(-1)
    offset = sub(scale(d, t), to_centre)
    across = (boxes[k, 3], boxes[k, 4], boxes[k, 5])
    upward = (boxes[k, 6], boxes[k, 7], boxes[k, 8])
    if abs(dot(offset, across)) > dot(across, across) or abs(dot(offset, upward)) > dot(upward, upward):
        return F(-1)
    return t


@inline
def box_pdf(lights, k, d, t):
    """Density, 1/sr, with which `sample_lights` picks softbox k and the point at distance t along d.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    k : int
        Number of the softbox.
    d : float32 triple
        Unit direction.
    t : float32
        Distance, mm.

    Returns
    -------
    float32
    """
    facing = -(d[0] * lights.boxes[k, 9] + d[1] * lights.boxes[k, 10] + d[2] * lights.boxes[k, 11])
    return lights.box_pick[k] * t * t / max(facing * lights.boxes[k, 15], F(1e-9))


@inline
def sample_lights(lights, origin, pick, texel, u, v):
    """A direction towards a light.

    Parameters
    ----------
    lights : Lights
        Lights of the scene.
    origin : float32 triple
        Origin of the ray, mm.
    pick, texel, u, v : float32 in [0, 1)

    Returns
    -------
    direction : float32 triple
    distance : float32, mm; the room is at 1e30
    radiance : float32 triple
    pdf : float32, 1/sr; 0 where the sample failed
    """
    remaining = pick
    for k in range(lights.boxes.shape[0]):
        if remaining < lights.box_pick[k]:
            boxes = lights.boxes
            a = F(2) * u - F(1)
            b = F(2) * v - F(1)
            across = (boxes[k, 3], boxes[k, 4], boxes[k, 5])
            upward = (boxes[k, 6], boxes[k, 7], boxes[k, 8])
            to = sub(add(row3(boxes, k), add(scale(across, a), scale(upward, b))), origin)
            distance = math.sqrt(max(dot(to, to), F(1e-12)))
            d = scale(to, F(1) / distance)
            facing = -(d[0] * boxes[k, 9] + d[1] * boxes[k, 10] + d[2] * boxes[k, 11])
            if facing <= F(1e-6):
                return d, distance, (F(0), F(0), F(0)), F(0)
            return d, distance, (boxes[k, 12], boxes[k, 13], boxes[k, 14]), box_pdf(lights, k, d, distance)
        remaining -= lights.box_pick[k]
    room = lights.room
    count = lights.alias.shape[0]
    slot = min(int(texel * F(count)), count - 1)
    if remaining / lights.room_pick >= lights.keep[slot]:
        slot = lights.alias[slot]
    i = slot // room.shape[1]
    j = slot - i * room.shape[1]
    # Even in height within the texel, so that the density there is one number.
    up = lights.rows[i] + (lights.rows[i + 1] - lights.rows[i]) * u
    x = F(j) + v
    phi = (x / F(room.shape[1]) - F(0.5)) * TWO_PI
    across_up = math.sqrt(max(F(1) - up * up, F(0)))
    d = (-across_up * math.sin(phi), up, across_up * math.cos(phi))
    return d, F(1e30), _radiance_at(room, _room_row(room, up), x), lights.density[i, j]
