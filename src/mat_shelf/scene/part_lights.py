"""Parts of the product that glow, as lights of a set."""

import numpy as np

from mat_shelf.document.light import PartLight
from mat_shelf.document.mark import Mark
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import MOST_PART_LIGHTS, Set


def glowing_parts(project: Project) -> tuple[str, ...]:
    """Ids of the parts that are shown and glow somewhere, by a material, an overlay or a mark.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    tuple of str
        In the order of the product, at most as many as a set can hold.
    """
    bright = {material.id for material in project.materials if _glows(material.recipe)}
    lit = {mark.part for mark in project.marks if _is_lit(mark)}
    if not bright and not lit:
        return ()
    shown = (part for part in project.product.parts if not part.is_hidden)
    found = (part.id for part in shown if part.id in lit or not bright.isdisjoint(part.worn()))
    return tuple(found)[:MOST_PART_LIGHTS]


def _glows(recipe: Recipe) -> bool:
    layers = [recipe, *(overlay.recipe for overlay in recipe.shown_overlays())]
    return any(r.emission_luminance > 0 or r.feed("emission_luminance") is not None for r in layers)


def _is_lit(mark: Mark) -> bool:
    return mark.is_on and ((mark.kind == "screen" and mark.luminance > 0) or _glows(mark.recipe))


def part_light_of(studio: Set, part: str) -> PartLight:
    """The glow of a part in a set.

    Parameters
    ----------
    studio : Set
        The set.
    part : str
        Id of the part.

    Returns
    -------
    PartLight
        As the part's materials say, where the set does not say otherwise.
    """
    return next((light for light in studio.part_lights if light.part == part), PartLight(part=part))


def with_part_light(studio: Set, light: PartLight) -> Set:
    """The set in which a part glows so.

    Parameters
    ----------
    studio : Set
        The set.
    light : PartLight
        The part, and how it glows; of those that glow as their materials say none is kept.

    Returns
    -------
    Set
    """
    rest = tuple(other for other in studio.part_lights if other.part != light.part)
    is_plain = light == PartLight(part=light.part)
    return studio.with_(part_lights=rest if is_plain else (*rest, light))


def part_gain(light: PartLight) -> np.ndarray:
    """Factor of the light that a part gives off, (3,) float64.

    Parameters
    ----------
    light : PartLight
        How the part glows.

    Returns
    -------
    (3,) float64
    """
    return np.asarray(light.color, np.float64) * (2.0**light.strength if light.is_on else 0.0)
