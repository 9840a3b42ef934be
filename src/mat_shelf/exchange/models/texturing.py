"""Textures of materials from elsewhere: an image becomes a pattern that lies by the UVs and feeds an input."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import degrees, isfinite

import numpy as np

from mat_shelf.document.ids import new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief, Step
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.sources import Pictured

UPRIGHT = Placement(projection="whole uv", size=1.0)
"""Once over the UVs from 0 to 1."""
NORMAL_HEIGHT = 0.01
"""Height of a row of relief at which an image of normals is as steep as it says."""


@dataclass(frozen=True)
class Texture:
    """An image and how it lies.

    Attributes
    ----------
    ends : {"repeat", "mirror", "hold"}
        What is beyond its edge.
    """

    image: ImageRef
    placement: Placement = UPRIGHT
    ends: str = "repeat"


def transformed(offset=(0.0, 0.0), rotation: float = 0.0, scale=(1.0, 1.0)) -> Placement:
    """Placement of a texture whose coordinates, v downwards, are scaled, then rotated, then shifted.

    Parameters
    ----------
    offset : (2,) float
        Along u and v.
    rotation : float
        Radians, counter-clockwise as one sees it.
    scale : (2,) float
        Along u and v.

    Returns
    -------
    Placement

    References
    ----------
    Khronos KHR_texture_transform.
    """
    u, v = (float(x) if isfinite(x) else 0.0 for x in offset)
    wide, tall = (float(np.clip(x if isfinite(x) else 1.0, -1000, 1000)) for x in scale)
    angle = float(rotation) if isfinite(rotation) else 0.0
    # Ours counts v upwards: v' = 1 - v, so the shift takes up what the turn about the other corner moves.
    along = u + np.sin(angle) * tall
    across = 1 - v - np.cos(angle) * tall
    shift = tuple(round(-float(np.clip(x, -1e4, 1e4)), 6) + 0.0 for x in (along, across))
    turn = round(-degrees(angle) % 360, 4)
    return UPRIGHT.with_(turn=turn - 360 if turn > 180 else turn + 0.0, shift=shift, repeat=(wide, tall))


class Textured:
    """A recipe that is being given textures.

    Parameters
    ----------
    recipe : Recipe
        Its constants.

    Attributes
    ----------
    recipe : Recipe
        As it is by now.
    """

    def __init__(self, recipe: Recipe):
        self.recipe = recipe
        self._known: dict[tuple, str] = {}

    def pattern(self, name: str, texture: Texture, shown: str, is_color: bool, steps: Sequence[Step] = ()) -> str:
        """Adds a pattern of a texture, or finds the one that is there.

        Parameters
        ----------
        name : str
            Name of the pattern.
        texture : Texture
            The texture.
        shown : str
            "colour", or one channel: "red", "green", "blue", "alpha", "grey".
        is_color : bool
            Whether its numbers are sRGB rather than linear.
        steps : sequence of Step
            What follows the image.

        Returns
        -------
        str
            Its id.
        """
        key = (texture, shown, is_color, tuple(steps))
        if key not in self._known:
            space = "colour" if is_color else "plain"
            source = Pictured(picture=texture.image, shown=shown, space=space, ends=texture.ends)
            made = Pattern(id=new_id("pattern"), name=name, steps=(source, *steps), placement=texture.placement)
            self.recipe = self.recipe.with_pattern(made)
            self._known[key] = made.id
        return self._known[key]

    def feed(self, name: str, pattern: str, low, high) -> None:
        """Feeds an input.

        Parameters
        ----------
        name : str
            The input.
        pattern : str
            Id of the pattern.
        low, high : float or (3,) float
            Values of the input where the pattern is 0 and 1.
        """
        self.recipe = self.recipe.with_feed(Feed(input=name, pattern=pattern, low=low, high=high))

    def feed_color(self, name: str, label: str, texture: Texture, high=(1.0, 1.0, 1.0)) -> None:
        """Feeds a colour with an image whose numbers are sRGB.

        Parameters
        ----------
        name : str
            The input.
        label : str
            Name of the pattern.
        texture : Texture
            The texture.
        high : (3,) float
            What its colours are scaled by.
        """
        self.feed(name, self.pattern(label, texture, "colour", True), (0.0, 0.0, 0.0), tuple(map(float, high)))

    def feed_number(self, name: str, label: str, texture: Texture, shown: str, low=0.0, high=1.0) -> None:
        """Feeds a number with one channel of an image.

        Parameters
        ----------
        name : str
            The input.
        label : str
            Name of the pattern.
        texture : Texture
            The texture.
        shown : str
            The channel.
        low, high : float
            Values of the input where the channel is 0 and 1.
        """
        self.feed(name, self.pattern(label, texture, shown, False), float(low), float(high))

    def bend(self, texture: Texture, strength: float = 1.0, is_green_down: bool = False) -> None:
        """Adds an image of normals as a row of relief.

        Parameters
        ----------
        texture : Texture
            The texture.
        strength : float
            By which its slopes are scaled.
        is_green_down : bool
            Whether its green points down.
        """
        height = float(np.clip(NORMAL_HEIGHT * strength, -1000, 1000))
        kind = "normal, green down" if is_green_down else "normal"
        pattern = self.pattern("Normals", texture, "colour", False)
        self.recipe = self.recipe.with_relief(Relief(id=new_id("relief"), pattern=pattern, kind=kind, height=height))


def within(**values) -> dict:
    """Values of a recipe, brought into the ranges that it accepts; what is no number is left out.

    Parameters
    ----------
    **values : float or (3,) float
        By name of the field.

    Returns
    -------
    dict
    """
    kept = {}
    for name, value in values.items():
        if not np.isfinite(value).all():
            continue
        if isinstance(value, tuple | list | np.ndarray):
            kept[name] = tuple(float(c) for c in np.clip(value, 0, 1))
        else:
            bounds = {type(b).__name__: b for b in Recipe.model_fields[name].metadata}
            kept[name] = float(min(max(value, bounds["Ge"].ge), bounds["Le"].le))
    return kept


def without_images(recipe: Recipe, digests: set[str]) -> Recipe:
    """A recipe without the patterns that show some images, and without what they feed.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    digests : set of str
        SHA-256 of the images.

    Returns
    -------
    Recipe
    """
    gone = {
        pattern.id
        for pattern in recipe.patterns
        if any(image.digest in digests for step in pattern.steps for image in step.pictures())
    }
    if not gone:
        return recipe
    return recipe.with_(
        feeds=tuple(feed for feed in recipe.feeds if feed.pattern not in gone),
        relief=tuple(row for row in recipe.relief if row.pattern not in gone),
        patterns=tuple(pattern for pattern in recipe.patterns if pattern.id not in gone),
    )
