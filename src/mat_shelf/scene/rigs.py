"""Rigs: lights by their roles, as one begins with them, with their ratios in stops."""

import math

import numpy as np

from mat_shelf.document.light import Light

_KEY_LUMINANCE = 5000.0
RIGS: dict[str, tuple[tuple[str, float, float, float, float, dict], ...]] = {
    "Key": (("Key", 45, 45, 1.9, 0.0, {"width": 0.6, "height": 1.2, "temperature": 5200.0}),),
    "Key and fill": (
        ("Key", 45, 45, 1.9, 0.0, {"width": 0.7, "height": 1.2, "temperature": 5200.0}),
        ("Fill", -50, 20, 2.2, -2.0, {"width": 1.4, "height": 1.4, "temperature": 5800.0}),
    ),
    "Key, fill and rim": (
        ("Key", 45, 45, 1.9, 0.0, {"width": 0.6, "height": 1.2, "temperature": 5200.0}),
        ("Fill", -50, 20, 2.2, -2.0, {"width": 1.4, "height": 1.4, "temperature": 5800.0}),
        ("Rim", -145, 30, 1.8, 1.0, {"width": 0.3, "height": 1.4, "is_seen": False}),
    ),
    "Rims": (
        ("Left rim", -140, 25, 1.8, 1.5, {"width": 0.35, "height": 1.6, "is_seen": False}),
        ("Right rim", 140, 25, 1.8, 1.5, {"width": 0.35, "height": 1.6, "is_seen": False}),
    ),
    "Background": (
        (
            "Background",
            180,
            12,
            1.4,
            -0.5,
            {"kind": "disc", "width": 1.3, "height": 1.3, "edge": 0.9, "is_seen": False},
        ),
    ),
    "Glass, diagonal strip": (
        ("Diagonal strip", -35, 35, 2.0, 1.0, {"width": 0.25, "height": 2.2, "roll": 35.0, "edge": 0.2}),
    ),
}
"""By name, each light: its own name, azimuth from the camera and height angle in degrees, distance in longest sides of
the product, strength in stops relative to the key, and its other fields, sizes in longest sides. Ratios are common
practice: a fill two stops below the key, rims one or more above it."""


def rig_lights(name: str, middle, size: float, eye) -> list[Light]:
    """The lights of a rig, around a product.

    Parameters
    ----------
    name : str
        A key of `RIGS`.
    middle : (3,) float
        Middle of the product, mm.
    size : float
        Its longest side, mm.
    eye : (3,) float
        Position of the camera, mm.

    Returns
    -------
    list of Light
    """
    toward = np.subtract(eye, middle)
    from_front = math.atan2(toward[0], toward[2])
    made = []
    for own_name, azimuth, height, distance, stops, fields in RIGS[name]:
        around, rise = from_front + math.radians(azimuth), math.radians(height)
        way = np.array([math.sin(around) * math.cos(rise), math.sin(rise), math.cos(around) * math.cos(rise)])
        place = np.add(middle, way * distance * size)
        sizes = {key: value * size if key in ("width", "height") else value for key, value in fields.items()}
        made.append(
            Light(
                name=own_name,
                position=tuple(round(float(x), 4) for x in place),
                target=tuple(round(float(x), 4) for x in middle),
                luminance=_KEY_LUMINANCE,
                strength=stops,
                **sizes,
            )
        )
    return made
