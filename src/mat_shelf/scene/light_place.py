"""Places of lights by angles and distance."""

import math

import numpy as np

from mat_shelf.document.light import Light, LightPlace


def place_of(light: Light) -> LightPlace:
    """Position of a light, from what it faces.

    Parameters
    ----------
    light : Light
        The light.

    Returns
    -------
    LightPlace
    """
    x, y, z = np.subtract(light.position, light.target).astype(np.float64)
    distance = math.sqrt(x * x + y * y + z * z)
    low, high = LightPlace.limits("distance")
    return LightPlace(
        azimuth=math.degrees(math.atan2(x, z)),
        height=math.degrees(math.asin(min(max(y / distance, -1), 1))),
        distance=min(max(distance, low), high),
    )


def put_at(light: Light, place: LightPlace) -> Light:
    """A light that stands elsewhere and faces the same point.

    Parameters
    ----------
    light : Light
        The light.
    place : LightPlace
        Where it stands then.

    Returns
    -------
    Light
    """
    azimuth, height = math.radians(place.azimuth), math.radians(place.height)
    level = math.cos(height)
    way = np.array([math.sin(azimuth) * level, math.sin(height), math.cos(azimuth) * level])
    position = np.add(light.target, way * place.distance)
    return light.with_(position=tuple(round(float(x), 4) for x in position))
