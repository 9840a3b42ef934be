"""The lights of a set, made ready for kernels: its room seen as a latitude-longitude picture, and a row of each light.

Lights do not hide each other or anything else: a ray gathers from each one it crosses on its way. So a softbox can
stand before the camera, and turning the lights never rebuilds the scene.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Protocol

import numpy as np

from mat_shelf.document.light import Light, PartLight
from mat_shelf.document.set import Set
from mat_shelf.numerics.alias_table import alias_table
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.scene.light_faces import WIDTH, Lights
from mat_shelf.scene.light_table import axes_of, distributions_of, pictures_of, row_of
from mat_shelf.scene.part_lights import part_gain
from mat_shelf.scene.rooms import room_of
from mat_shelf.scene.sky import sun_of


class LightSupplies(Protocol):
    """Files that lights need of those of a project.

    Attributes
    ----------
    rooms : mapping from SHA-256 to (H, 2H, 3) float32
    pictures : mapping from SHA-256 to Mipmap
    distributions : mapping from SHA-256 to (181, 121) float32
    """

    rooms: Mapping[str, np.ndarray]
    pictures: Mapping[str, Mipmap]
    distributions: Mapping[str, np.ndarray]


def make_lights(room, lights=(), pictures=(), distributions=(), parts=(), part_lights=()) -> Lights:
    """Lights from a room picture and rows of lights.

    Parameters
    ----------
    room : (H, 2H, 3) array
        Radiance, 1 = 1000 cd/m2.
    lights : sequence of Light
    pictures : sequence of (H, W, 3) float32 or None
        The image of each light; none where it is empty.
    distributions : sequence of (181, 121) float32 or None
        The distribution of each light; none where it is empty.
    parts : sequence of str
        Ids of the parts in the order of the geometry.
    part_lights : sequence of PartLight
        Parts that glow otherwise than their materials say; each has a layer of its own where lights are kept apart.

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
    pictures = list(pictures) or [None] * len(lights)
    distributions = list(distributions) or [None] * len(lights)
    rows = [row_of(light, picture) for light, picture in zip(lights, pictures, strict=True)]
    slots, texels, grids = np.full((len(lights), 4), -1, np.int32), [np.ones((1, 3), np.float32)], []
    first = 1
    for k, (picture, grid) in enumerate(zip(pictures, distributions, strict=True)):
        if picture is not None:
            slots[k, :3] = first, picture.shape[1], picture.shape[0]
            texels.append(picture.reshape(-1, 3))
            first += picture.shape[0] * picture.shape[1]
        if grid is not None:
            slots[k, 3] = len(grids)
            grids.append(grid)
    return Lights(
        room,
        _borders(room).astype(np.float32),
        *_aim(room, is_whole=False),
        np.array(rows, np.float32).reshape(-1, WIDTH),
        slots,
        np.concatenate(texels).astype(np.float32),
        np.array(grids or np.zeros((1, 181, 121)), np.float32),
        _lit_parts(lights, parts),
        *_glow(part_lights, parts, len(lights)),
    )


def aimed_at_all(lights: Lights) -> Lights:
    """Lights whose room is aimed at wherever light comes from, for rays that alone bring it.

    Parameters
    ----------
    lights : Lights
        As `make_lights` makes them, whose room is aimed at only where chance does not find it as well.

    Returns
    -------
    Lights
    """
    density, keep, alias, weight = _aim(lights.room, is_whole=True)
    return lights._replace(density=density, keep=keep, alias=alias, room_weight=weight)


def _borders(room: np.ndarray) -> np.ndarray:
    """Height (cosine from straight up) of the borders of the rows of a room, (H + 1,) float64."""
    return np.cos(np.arange(len(room) + 1) / len(room) * np.pi)


def _aim(room: np.ndarray, is_whole: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.float32]:
    """The way that a room is aimed at: density, alias table, and the light that is aimed at, as `Lights` has them.

    What is even all around is found as well by the directions in which surfaces send light, so it is aimed at only
    where it is brighter than its mean; and not at all where nothing is twice as bright as that.

    References
    ----------
    Karlik, Sik, Vevoda, Skrivan and Krivanek 2019, MIS Compensation: Optimizing Sampling Techniques in Multiple
    Importance Sampling.
    """
    height, width = room.shape[:2]
    borders = _borders(room)
    solid_angle = ((borders[:-1] - borders[1:]) * (2 * np.pi / width))[:, None]
    bright = _mean_in_texels(luminance(room))
    if is_whole:
        bright += np.float32(1e-6)
    else:
        mean = float(bright.sum(axis=1, dtype=np.float64) @ solid_angle[:, 0]) / (4 * np.pi)
        bright = np.maximum(bright - mean, 0) if bright.max() > 2 * mean else np.zeros_like(bright)
    weight = bright * solid_angle
    whole = float(weight.sum())
    if whole <= 0:
        return np.zeros(bright.shape, np.float32), np.ones(1, np.float32), np.zeros(1, np.int32), F(0)
    weight /= whole
    return (weight / solid_angle).astype(np.float32), *alias_table(weight.ravel()), F(whole)


def _mean_in_texels(values: np.ndarray) -> np.ndarray:
    """Mean in each texel of what is interpolated between their middles, (H, 2H) float32."""
    across = 6 * values
    across[:, 1:] += values[:, :-1]
    across[:, :-1] += values[:, 1:]
    across[:, 0] += values[:, -1]
    across[:, -1] += values[:, 0]
    mean = 6 * across
    mean[1:] += across[:-1]
    mean[:-1] += across[1:]
    mean[0] += across[0]
    mean[-1] += across[-1]
    mean /= 64
    return mean


def _lit_parts(lights, parts) -> np.ndarray:
    """Which parts each light lights, as `Lights.lit` has it."""
    if not any(light.only_parts for light in lights):
        return np.zeros((len(lights), 0), np.uint8)
    rows = [[not light.only_parts or part in light.only_parts for part in (*parts, None)] for light in lights]
    return np.array(rows, np.uint8)


def _glow(part_lights: Sequence[PartLight], parts: Sequence[str], lights: int) -> tuple[np.ndarray, np.ndarray]:
    """Factor of the light of each part, and the place of its layer, after those of the lights and of the room."""
    count = len(parts) if part_lights else 0
    gains, places = np.ones((count, 3), np.float32), np.full(count, lights + 1, np.int32)
    known = {part: g for g, part in enumerate(parts)}
    for place, light in enumerate(part_lights, lights + 2):
        if light.part in known:
            gains[known[light.part]], places[known[light.part]] = part_gain(light), place
    return gains, places


def set_lights(studio: Set, supplies: LightSupplies, parts=()) -> Lights:
    """The lights of a set, turned as it says.

    Parameters
    ----------
    studio : Set
        The set.
    supplies : LightSupplies
        Images and distributions. A missing image is white. Raises KeyError where the set's room is not among them.
    parts : sequence of str
        Ids of the parts that are shown, in the order of the geometry.

    Returns
    -------
    Lights
    """
    lights = shining(studio)
    grids = distributions_of(lights, supplies.distributions)
    images = pictures_of(lights, supplies.pictures)
    return make_lights(room_of(studio, supplies.rooms), lights, images, grids, parts, studio.part_lights)


def light_key(studio: Set) -> tuple:
    """All of a set that its lights depend on.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    tuple
    """
    room = studio.room, studio.room_luminance, studio.room_tilt, studio.room_blur, studio.room_most, studio.sky
    # What names lights, or says how they are edited, shows in no picture, nor do those that are off.
    lights = tuple(light.with_(name="Light", keeps_power=False) for light in studio.lights if light.is_on)
    return (lights, studio.part_lights, studio.surround, studio.ground, studio.turn, *room)


def has_sun(studio: Set) -> bool:
    """True if the sky of a set has a sun that shines.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    bool
    """
    return studio.sky is not None and studio.sky.has_sun and not studio.sky.is_overcast


def shining(studio: Set) -> list[Light]:
    """The lights of a set that are on, the sun last, carried round as it is turned, in their order.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    list of Light
    """
    lights = [light for light in studio.lights if light.is_on]
    if has_sun(studio):
        lights.append(sun_of(studio.sky))
    return [carried_round(light, studio.turn) for light in lights]


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
    lamp = Light(
        position=tuple(float(x) for x in place),
        target=tuple(float(x) for x in point),
        width=LOUPE_LIGHT_SIZE,
        height=LOUPE_LIGHT_SIZE,
        luminance=bright,
        temperature=6500,
    )
    return studio.with_(lights=(lamp,), room=None, surround=60.0, ground=60.0, turn=0.0)


def carried_round(light: Light, degrees: float) -> Light:
    """A light, carried round the vertical axis through the origin.

    Parameters
    ----------
    light : Light
        The light.
    degrees : float
        Angle, as `Set.turn` has it.

    Returns
    -------
    Light
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

    return light.with_(position=carried(light.position), target=carried(light.target))


def light_outline(light: Light) -> np.ndarray:
    """Outline of a light, as it is drawn: corners of a softbox, a round one's rim, a tube's length, a spot's cone.

    Parameters
    ----------
    light : Light
        The light.

    Returns
    -------
    (N, 3) float64
        Points one after another, mm; closed.
    """
    across, up, facing = axes_of(light)
    middle = np.array(light.position, np.float64)
    if light.kind == "rectangle":
        corners = ((-1, -1), (1, -1), (1, 1), (-1, 1))
        return np.stack([middle + i * across * light.width / 2 + j * up * light.height / 2 for i, j in corners])
    if light.kind == "tube":
        return np.stack([middle - across * light.length / 2, middle + across * light.length / 2])
    angle = np.linspace(0, 2 * math.pi, 32, endpoint=False)[:, None]
    if light.kind == "disc":
        half = light.width / 2, light.height / 2
        return middle + np.cos(angle) * across * half[0] + np.sin(angle) * up * half[1]
    # As far as what a spot faces, or a bright part of the sky, seen at its distance.
    distance = float(np.linalg.norm(np.subtract(light.target, light.position)))
    if light.kind == "spot":
        reach = distance * math.tan(math.radians(light.cone / 2))
        return middle + distance * facing + reach * (np.cos(angle) * across + np.sin(angle) * up)
    reach = distance * math.tan(math.radians(min(light.angle, 150) / 2))
    return middle + reach * (np.cos(angle) * across + np.sin(angle) * up)
