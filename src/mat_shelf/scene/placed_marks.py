"""Marks laid on the parts of a scene, as the renderer needs them; `mark_lookup` finds them at hits."""

from collections.abc import Mapping, Sequence
from functools import lru_cache, partial
from typing import NamedTuple

import numpy as np

from mat_shelf.document.mark import Mark
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.marks.artwork import Artwork, HeightField, prepare_artwork, stamp_heights
from mat_shelf.marks.surface_map import SurfaceMap, SurfaceMapError, map_surface
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.recipe_program import OverlayBinding, bind_overlays
from mat_shelf.system.newest import Newest

_NEAR = 0.06
"""mm, or this share of a mark's size over 20: how far a net may be from the surface that it was laid on."""
_laid = Newest(128)


class PlacedMark(NamedTuple):
    """A mark as the renderer needs it.

    Attributes
    ----------
    mark : Mark
    row : int
        Its row of the parameter block; those of its overlays follow.
    geometry : int
        The geometry that it is on.
    net : Geometry
        Its triangles in Embree.
    near : float
        How far they may be from the surface, mm.
    box : (2, 3) float32, mm
        Round them and all that is so near.
    corners : (T, 6) float32
        Place of three corners of each triangle on the mark, from its left and its lower edge, [0, 1].
    context : PatternContext
        Of its recipe's patterns.
    overlays : tuple of OverlayBinding
        What lies over it, the lowest first.
    art, back : Artwork or None
    relief : HeightField or None
        Of a stamp.
    """

    mark: Mark
    row: int
    geometry: int
    net: Geometry
    near: float
    box: np.ndarray
    corners: np.ndarray
    context: PatternContext
    overlays: tuple[OverlayBinding, ...]
    art: Artwork | None
    back: Artwork | None
    relief: HeightField | None

    @property
    def recipe(self) -> Recipe:
        """Recipe of the mark."""
        return self.mark.recipe


def mark_recipe(mark: Mark) -> Recipe:
    """Recipe of a mark, its artwork aside: no light enters it.

    Parameters
    ----------
    mark : Mark
        The mark.

    Returns
    -------
    Recipe
    """
    recipe = mark.recipe.with_(transmission_weight=0.0).without_feed("transmission_weight")
    if mark.kind == "screen":
        recipe = recipe.with_(emission_luminance=mark.luminance)
    return recipe


def _with_own_recipe(mark: Mark) -> Mark:
    return mark.with_(recipe=mark_recipe(mark))


def place_marks(
    project: Project, meshes: Mapping[str, Mesh], visible: Sequence[int], pictures: Mapping, first_row: int
) -> tuple[PlacedMark, ...]:
    """The marks of a project that can be seen, the lowest first.

    Parameters
    ----------
    project : Project
        The project.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    visible : sequence of int
        Places of the visible parts, in the order of their geometries.
    pictures : Mapping
        Images by SHA-256.
    first_row : int
        From which on their rows of the parameter block are numbered.

    Returns
    -------
    tuple of PlacedMark
    """
    parts = project.product.parts
    geometries = {parts[place].id: number for number, place in enumerate(visible)}
    made: list[PlacedMark] = []
    row = first_row
    for mark in project.marks:
        if not mark.is_on or mark.part not in geometries:
            continue
        part = parts[visible[geometries[mark.part]]]
        try:
            sheet = map_surface(mark, meshes[part.mesh], part.pose)
        except SurfaceMapError:
            continue  # kept in the project; the board says what is wrong
        if not len(sheet.triangles):
            continue  # nothing of it lies on the part, or so little that its net has no mesh there
        art, back = (
            prepare_artwork(pictures[picture.digest], crop)
            if picture is not None and picture.digest in pictures
            else None
            for picture, crop in ((mark.art, mark.crop), (mark.back, (0.0, 0.0, 0.0, 0.0)))
        )
        relief = None
        if mark.kind == "stamp":
            relief = stamp_heights(art, mark.width, mark.height, mark.rise, mark.slope, mark.profile)
        net, box, corners = surface_map_of(sheet)
        near = _NEAR * max(1, mark.width / 20, mark.height / 20)
        laid = _laid((mark,), (), partial(_with_own_recipe, mark))
        recipe = laid.recipe
        overlays = bind_overlays(recipe, pictures, row + 1)
        made.append(
            PlacedMark(
                laid,
                row,
                geometries[mark.part],
                net,
                near,
                box + np.float32([[-near], [near]]),
                corners,
                PatternContext({p.id: p for p in recipe.patterns}, pictures),
                overlays,
                art,
                back,
                relief,
            )
        )
        row += 1 + len(overlays)
    return tuple(made)


@lru_cache(maxsize=64)
def surface_map_of(sheet: SurfaceMap) -> tuple[Geometry, np.ndarray, np.ndarray]:
    """A sheet's triangles in Embree, the box round them, and the places on the mark of their corners.

    Parameters
    ----------
    sheet : SurfaceMap
        Surface map of the mark.

    Returns
    -------
    tuple[Geometry, array, array]
    """
    triangles = sheet.triangles
    used, triangles_used = np.unique(triangles, return_inverse=True)
    net = Mesh(
        sheet.points.reshape(-1, 3)[used],
        np.ascontiguousarray(triangles_used.reshape(-1, 3), np.int32),
        sheet.normals.reshape(-1, 3)[used],
    )
    box = net.bounds if len(used) else np.zeros((2, 3), np.float32)
    return Geometry([net]), box, np.ascontiguousarray(_places(sheet)[triangles].reshape(-1, 6))


def _places(sheet: SurfaceMap) -> np.ndarray:
    rows, columns = sheet.lies.shape
    s, t = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    return np.stack([s, t], axis=-1).reshape(-1, 2).astype(np.float32)
