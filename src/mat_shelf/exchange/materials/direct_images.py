"""Feeds that are nothing but an image lying by the UVs, which other formats can say as they are."""

from math import cos, radians, sin
from typing import NamedTuple

from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.sources import Pictured


class DirectImage(NamedTuple):
    """An image and how it lies on the UVs.

    Attributes
    ----------
    shown : str
        "colour", "grey" or one channel.
    is_color : bool
        Whether its numbers are sRGB.
    offset, rotation, scale
        As KHR_texture_transform has them: coordinates, v downwards, are scaled, rotated by radians, then shifted.
    """

    image: ImageRef
    shown: str
    is_color: bool
    ends: str
    offset: tuple[float, float]
    rotation: float
    scale: tuple[float, float]

    @property
    def lies(self) -> tuple:
        """All but what is shown of it: two feeds of one image that agree in this share a texture."""
        return self.image.digest, self.ends, self.offset, self.rotation, self.scale


def direct_image(pattern: Pattern) -> DirectImage | None:
    """The image that a pattern is; None where it is more than that.

    Parameters
    ----------
    pattern : Pattern
        The pattern.

    Returns
    -------
    DirectImage or None
    """
    placement, steps = pattern.placement, [step for step in pattern.steps if step.is_on]
    if len(steps) != 1 or not isinstance(steps[0], Pictured) or steps[0].picture is None:
        return None
    if placement.projection != "whole uv" or placement.stretch != 1 or placement.shuffle or placement.shuffle_turn:
        return None
    source = steps[0]
    wide, tall = placement.repeat
    angle = -radians(placement.turn)
    # `texturing.transformed` the other way round.
    across, up = (-shift / placement.size for shift in placement.shift)
    offset = (round(across - sin(angle) * tall, 6) + 0.0, round(1 - cos(angle) * tall - up, 6) + 0.0)
    return DirectImage(
        source.picture,
        source.shown,
        source.space == "colour",
        source.ends,
        offset,
        round(angle, 6) + 0.0,
        (wide, tall),
    )


def direct_feeds(recipe: Recipe) -> dict[str, DirectImage] | None:
    """The images that feed a recipe's inputs, and its normals as "normal"; None where anything is more than an image.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    dict of DirectImage by input, or None
    """
    if recipe.shown_overlays():
        return None
    found: dict[str, DirectImage] = {}
    for feed in recipe.feeds:
        image = direct_image(recipe.pattern(feed.pattern))
        low = feed.low if isinstance(feed.low, tuple) else (feed.low,)
        if image is None or feed.amount != 1 or any(low):
            return None
        found[feed.input] = image
    rows = [row for row in recipe.relief if row.is_on and row.height]
    if len(rows) > 1 or any(row.kind != "normal" or row.is_displaced for row in rows):
        return None
    for row in rows:
        image = direct_image(recipe.pattern(row.pattern))
        if image is None or image.is_color or image.shown != "colour":
            return None
        found["normal"] = image
    return found
