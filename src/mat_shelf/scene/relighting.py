"""Lights that are rendered once and mixed afterwards, since light adds up: their brightness, colour and switches."""

import numpy as np

from mat_shelf.document.light import Light, PartLight
from mat_shelf.document.product import Product
from mat_shelf.document.set import Set
from mat_shelf.scene.light_table import radiance_of
from mat_shelf.scene.lights import has_sun, light_key
from mat_shelf.scene.part_lights import part_gain, part_light_of

_PLAIN = {
    "name": "Light",
    "is_on": True,
    "strength": 0.0,
    "luminance": 1000.0,
    "temperature": 6500.0,
    "tint": 0.0,
    "color": (1.0, 1.0, 1.0),
    "keeps_power": False,
}
"""Fields of a light that are mixed afterwards, or that no picture shows."""


def mixing_key(studio: Set, glowing: tuple[str, ...] = ()) -> tuple:
    """All of a set that its lights depend on and that cannot be mixed afterwards.

    Parameters
    ----------
    studio : Set
        The set.
    glowing : tuple of str
        Ids of the parts that glow.

    Returns
    -------
    tuple
    """
    lights = tuple(light.with_(**_PLAIN) for light in studio.lights)
    return ("apart", *light_key(studio.with_(lights=lights, part_lights=(), room_luminance=1.0)), *glowing)


def whole_set(studio: Set, glowing: tuple[str, ...] = ()) -> Set:
    """The set with all lights on, each with some light in every channel, so that any of them can be mixed in.

    Parameters
    ----------
    studio : Set
        The set.
    glowing : tuple of str
        Ids of the parts that glow; each is a light of its own.

    Returns
    -------
    Set
    """
    lights = tuple(_shining(light) for light in studio.lights)
    parts = tuple(_whole_part(part_light_of(studio, part)) for part in glowing)
    return studio.with_(lights=lights, part_lights=parts, room_luminance=studio.room_luminance or 1.0)


def layer_gains(rendered: Set, wanted: Set) -> np.ndarray:
    """Factor of each layer of a film for a set whose lights are otherwise those that it was rendered with.

    Parameters
    ----------
    rendered : Set
        As `whole_set` made it.
    wanted : Set
        The set to show, of the same `mixing_key`.

    Returns
    -------
    (K, 3) float32
        For each light that is on in `rendered`, its sun, the room, what else glows, and each of its part lights.
    """
    gains = [
        radiance_of(now) / radiance_of(then) if now.is_on else np.zeros(3)
        for then, now in zip(rendered.lights, wanted.lights, strict=True)
    ]
    if has_sun(wanted):
        gains.append(np.ones(3))
    room = wanted.room_luminance / rendered.room_luminance if wanted.room is not None and wanted.sky is None else 1.0
    parts = [part_gain(part_light_of(wanted, then.part)) / part_gain(then) for then in rendered.part_lights]
    return np.array([*gains, np.full(3, room), np.ones(3), *parts], np.float32)


def layer_names(studio: Set, product: Product) -> list[str]:
    """Name of each layer of a film that keeps the lights of a set apart, each name once.

    Parameters
    ----------
    studio : Set
        The set.
    product : Product
        The product, whose parts may be lights.

    Returns
    -------
    list of str
    """
    names = [light.name for light in studio.lights if light.is_on]
    names += ["Sun"] if has_sun(studio) else []
    found: list[str] = []
    called = {part.id: part.name for part in product.parts}
    for name in [*names, "Surround", "Emission", *(called[light.part] for light in studio.part_lights)]:
        other, number = name, 2
        while other in found:
            other, number = f"{name} {number}", number + 1
        found.append(other)
    return found


def _shining(light: Light) -> Light:
    if (radiance_of(light) > 0).all():
        return light if light.is_on else light.with_(is_on=True)
    return light.with_(**(_PLAIN | {"name": light.name}))


def _whole_part(light: PartLight) -> PartLight:
    return light if (part_gain(light) > 0).all() else PartLight(part=light.part)
