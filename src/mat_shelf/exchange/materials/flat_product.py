"""A product as exchange formats know it: materials without patterns or overlays, of constants and maps by the UVs."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.materials.direct_images import DirectImage
from mat_shelf.geometry.mesh import Mesh


@dataclass(frozen=True)
class FlatMaterial:
    """A material as one part wears it.

    Attributes
    ----------
    name : str
    recipe : Recipe
        Its constants, without patterns, feeds, relief or overlays.
    maps : mapping of (N, N) or (N, N, 3) float32
        Baked inputs by name, ``normal`` and ``height`` as `rendering.baking` has them. Those that are the same all over
        are constants instead.
    images : mapping of DirectImage
        Images that feed inputs as they are; then nothing is baked.
    original : Material
    """

    name: str
    recipe: Recipe
    original: Material
    maps: Mapping[str, np.ndarray] = field(default_factory=dict)
    images: Mapping[str, DirectImage] = field(default_factory=dict)
    is_double_sided: bool = False

    def is_same(self, other: "FlatMaterial") -> bool:
        """True if another part wears the same: without maps of its own, one stands for both.

        Parameters
        ----------
        other : FlatMaterial
            The other one.

        Returns
        -------
        bool
        """
        if self is other:
            return True
        return (
            self.original.id == other.original.id and not self.maps and not other.maps and self.recipe == other.recipe
        )


@dataclass(frozen=True)
class FlatPart:
    """A part where it stands.

    Attributes
    ----------
    mesh : Mesh
        mm, of the world; unwrapped where its materials need maps.
    worn : list of ((F,) int64 faces, FlatMaterial or None)
        Each face in one of them.
    variants : list of mapping from material id to FlatMaterial
        For each of `worn`, variants of its material.
    zones : list of str
        For each of `worn`, name of the zone; empty for what is in none.
    """

    part: Part
    mesh: Mesh
    worn: list[tuple[np.ndarray, FlatMaterial | None]]
    variants: list[Mapping[str, FlatMaterial]]
    zones: list[str]


@dataclass(frozen=True)
class FlatProduct:
    """The visible parts of a product, and what was noticed on the way.

    Attributes
    ----------
    notes : list of str
    """

    parts: list[FlatPart]
    notes: list[str]


def needs_maps(recipe: Recipe) -> bool:
    """True if a recipe is not the same all over a part.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    bool
    """
    feeds = any(feed.amount > 0 for feed in recipe.feeds)
    return feeds or any(row.is_on and row.height for row in recipe.relief) or bool(recipe.shown_overlays())


def plain(recipe: Recipe) -> Recipe:
    """The constants of a recipe: without patterns, feeds, relief and overlays.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    Recipe
    """
    return recipe.with_(patterns=(), feeds=(), relief=(), overlays=())
