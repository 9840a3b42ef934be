"""Places of lights and cameras by angles and distance."""

import math
from typing import TypeVar

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.place import Place

_Facing = TypeVar("_Facing", Light, Camera)


def place_of(thing: Light | Camera) -> Place:
    """Position of a light or a camera, from what it faces.

    Parameters
    ----------
    thing : Light or Camera
        It.

    Returns
    -------
    Place
    """
    x, y, z = np.subtract(thing.position, thing.target).astype(np.float64)
    distance = math.sqrt(x * x + y * y + z * z)
    low, high = Place.limits("distance")
    return Place(
        azimuth=math.degrees(math.atan2(x, z)),
        height=math.degrees(math.asin(min(max(y / distance, -1), 1))),
        distance=min(max(distance, low), high),
    )


def put_at(thing: _Facing, place: Place) -> _Facing:
    """A light or camera that stands elsewhere and faces the same point.

    Parameters
    ----------
    thing : Light or Camera
        It.
    place : Place
        Its position then.

    Returns
    -------
    Light or Camera
    """
    azimuth, height = math.radians(place.azimuth), math.radians(place.height)
    level = math.cos(height)
    way = np.array([math.sin(azimuth) * level, math.sin(height), math.cos(azimuth) * level])
    position = np.add(thing.target, way * place.distance)
    return thing.with_(position=tuple(round(float(x), 4) for x in position))
