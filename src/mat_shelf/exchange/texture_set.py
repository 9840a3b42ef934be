"""Texture sets: several pictures of one surface, told apart by their names and by what is in them."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from mat_shelf.document.ids import new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.sources import Pictured
from mat_shelf.patterns.steps import Invert

ROLES = {
    "color": "Base colour",
    "roughness": "Roughness",
    "gloss": "Gloss, inverted to roughness",
    "metal": "Metalness",
    "normal": "Normals, green up",
    "normal down": "Normals, green down",
    "height": "Height",
    "opacity": "Opacity, left out",
    "occlusion": "Occlusion, left out",
    "glow": "Emission",
    "none": "Left out",
}
"""What a picture can be, and the words for it."""
_WORDS = {
    "color": "basecolor base color colour albedo diffuse diff col alb bc",
    "roughness": "roughness rough rgh",
    "gloss": "gloss glossiness glossy smoothness smooth",
    "metal": "metal metallic metalness metallicity mtl",
    "normal": "normal normals nrm nor norm normalgl nrmgl ngl",
    "normal down": "normaldx nrmdx ndx",
    "height": "height heightmap displacement disp bump depth",
    "opacity": "opacity alpha transparency mask",
    "occlusion": "occlusion ao ambientocclusion cavity",
    "glow": "emission emissive glow emit",
}
_BY_WORD = {word: role for role, words in _WORDS.items() for word in words.split()}
_USED = ("color", "roughness", "gloss", "metal", "normal", "normal down", "height", "glow")
"""Roles that a recipe has an input for."""


@dataclass(frozen=True)
class Taken:
    """An image of a set, with its role.

    Attributes
    ----------
    picture : ImageRef
    role : str
        One of `ROLES`.
    reason : str
        Why, in a few words.
    """

    picture: ImageRef
    role: str
    reason: str


def recognised(picture: ImageRef, pyramid: Mipmap) -> Taken:
    """Role of an image, by its name, else by its content; of normals also the convention of green.

    Parameters
    ----------
    picture : ImageRef
        The image.
    pyramid : Mipmap
        The image.

    Returns
    -------
    Taken
    """
    role, reason = _role_and_reason(picture.name)
    looks = _by_content(pyramid)
    if role is None:
        role, reason = looks, "by its content"
    elif role in ("normal", "normal down") and looks != "normal":
        role, reason = "none", f"{reason}, but it holds no normals"
    if role == "normal" and pyramid.channels >= 3:
        down = points_down(pyramid)
        if down is not None:
            role = "normal down" if down else "normal"
            reason += ", green by its slopes"
    return Taken(picture, role, reason)


def role_of_name(name: str) -> str | None:
    """Role of an image by its name alone.

    Parameters
    ----------
    name : str
        Of its file.

    Returns
    -------
    str or None
        A key of `ROLES`.
    """
    return _role_and_reason(name)[0]


def _role_and_reason(name: str) -> tuple[str | None, str]:
    """The last word of a file's name that says what it is."""
    stem = Path(name).stem
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", stem)
    words = [word for word in re.split(r"[^a-z]+", spaced.lower()) if word]
    joined = ["".join(pair) for pair in zip(words, words[1:], strict=False)]
    for word in [*reversed(joined), *reversed(words)]:
        if word in _BY_WORD:
            return _BY_WORD[word], f"'{word}' in the file name"
    return None, ""


def _small(pyramid: Mipmap, most: int = 256) -> np.ndarray:
    """The largest level that is small enough, plain values, (h, w, C) float32 in [0, 1]."""
    level = next((p for p in pyramid.levels if max(p.shape[:2]) <= most), pyramid.levels[-1])
    scale = {"uint8": 255, "uint16": 65535}.get(level.dtype.name, 1)
    return level.astype(np.float32) / np.float32(scale)


def _by_content(pyramid: Mipmap) -> str:
    pixels = _small(pyramid)
    if pixels.shape[2] < 3 or np.abs(np.ptp(pixels[..., :3], axis=2)).mean() < 0.01:
        return "height"
    vectors = 2 * pixels[..., :3] - 1
    lengths = np.linalg.norm(vectors, axis=2)
    is_unit = np.abs(lengths - 1).mean() < 0.12
    return "normal" if is_unit and vectors[..., 2].mean() > 0.6 else "color"


def points_down(pyramid: Mipmap) -> bool | None:
    """True if the green of a normal map points down; None where it is too flat to tell.

    The slopes of a height are a gradient, so the change of one along the other's axis equals that of the other along
    its own (a gradient has no curl). With green the wrong way up they are each other's negative.

    Parameters
    ----------
    pyramid : Mipmap
        The image.

    Returns
    -------
    bool or None
    """
    level = next((p for p in pyramid.levels if max(p.shape[:2]) <= 1024), pyramid.levels[-1])
    scale = {"uint8": 255, "uint16": 65535}.get(level.dtype.name, 1)
    x, y, z = np.moveaxis(2 * level[..., :3].astype(np.float32) / np.float32(scale) - 1, 2, 0)
    slope_x, slope_y = -x / np.maximum(z, 0.1), -y / np.maximum(z, 0.1)
    # rows run downwards, so a difference down the rows is one against y
    x_along_y = -(slope_x[2:, 1:-1] - slope_x[:-2, 1:-1])
    y_along_x = slope_y[1:-1, 2:] - slope_y[1:-1, :-2]
    power = float(np.sqrt((x_along_y**2).mean() * (y_along_x**2).mean()))
    if power < 1e-7:
        return None
    agreement = float((x_along_y * y_along_x).mean()) / power
    return None if abs(agreement) < 0.05 else agreement < 0


def image_pattern(taken: Taken) -> Pattern:
    """A pattern of an image alone, called as it is.

    Parameters
    ----------
    taken : Taken
        The image.

    Returns
    -------
    Pattern
    """
    space = "colour" if taken.role in ("color", "glow") else "plain"
    name = Path(taken.picture.name).stem or "Image"
    step = Pictured(picture=taken.picture, space=space)
    return Pattern(id=new_id("pattern"), name=name, steps=(step,), placement=Pictured.usual)


def picture_size(pyramid: Mipmap, per_inch: float) -> float:
    """Width of a picture printed with so many pixels an inch, mm: 300 pixels at 300 per inch are 25.4 mm.

    Parameters
    ----------
    pyramid : Mipmap
        The image.
    per_inch : float
        Pixels per inch.

    Returns
    -------
    float
    """
    return pyramid.width / per_inch * 25.4


def with_set(recipe: Recipe, taken: Sequence[Taken], placement: Placement, relief: float = 0.2) -> Recipe:
    """A recipe that is fed by a texture set.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    taken : sequence of Taken
        Images with their roles.
    placement : Placement
        How all pictures lie.
    relief : float
        mm between black and white of a picture of heights.

    Returns
    -------
    Recipe
    """
    for found in taken:
        if found.role not in _USED:
            continue
        is_color = found.role in ("color", "glow")
        source = Pictured(picture=found.picture, space="colour" if is_color else "plain")
        steps = (source, Invert()) if found.role == "gloss" else (source,)
        name = ROLES[found.role].split(",")[0]
        pattern = Pattern(id=new_id("pattern"), name=name, steps=steps, placement=placement)
        recipe = recipe.with_pattern(pattern)
        if found.role == "height":
            recipe = recipe.with_relief(Relief(id=new_id("relief"), pattern=pattern.id, height=relief))
        elif found.role in ("normal", "normal down"):
            kind = "normal" if found.role == "normal" else "normal, green down"
            recipe = recipe.with_relief(Relief(id=new_id("relief"), pattern=pattern.id, kind=kind))
        else:
            name, low, high = {
                "color": ("base_color", (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)),
                "glow": ("emission_color", (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)),
                "roughness": ("specular_roughness", 0.0, 1.0),
                "gloss": ("specular_roughness", 0.0, 1.0),
                "metal": ("base_metalness", 0.0, 1.0),
            }[found.role]
            recipe = recipe.with_feed(Feed(input=name, pattern=pattern.id, low=low, high=high))
    return recipe
