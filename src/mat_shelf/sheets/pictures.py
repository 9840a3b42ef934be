"""Pictures of a proof sheet, each with the words under it."""

from collections.abc import Callable, Mapping
from typing import NamedTuple

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.render_file import finished_light
from mat_shelf.exchange.shot_files import shot_project
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.optics.measurements import Measurements, measure
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.thumbnail import thumbnail
from mat_shelf.rendering.adaptive import NOISE_LEVELS
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tone import develop
from mat_shelf.sheets.shapes import shape_scene
from mat_shelf.sheets.sheet import SHAPES, Sheet
from mat_shelf.sheets.words import readings_in_words

SQUARE, LYING = 1.0, 16 / 9
"""Widths over heights of pictures: of a shape, and of the whole product."""
_PATTERN_PIXELS = 96
_BESIDE = 4
"""Materials beside each other, where there is one picture of each."""


class Picture(NamedTuple):
    """A picture to be made, and the words under it.

    Attributes
    ----------
    words : tuple of str
        Lines, the first is its name.
    shape : float
        Width over height.
    scene : callable () -> (Project, Assets)
        What is rendered; made when it is its turn.
    has_finish : bool
        Whether the project's finish is applied, as to the product itself.
    """

    words: tuple[str, ...]
    shape: float
    scene: Callable[[], tuple[Project, Assets]]
    has_finish: bool = False


class Entry(NamedTuple):
    """Pictures that belong together.

    Attributes
    ----------
    material : id or None
        What they are of, where that is told of.
    pictures : tuple of Picture
    columns : int
        Pictures beside each other.
    """

    material: str | None
    pictures: tuple[Picture, ...]
    columns: int


def entries(project: Project, assets: Assets, sheet: Sheet, found: Mapping[str, Measurements]) -> list[Entry]:
    """Pictures of a sheet, in their order.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Its files.
    sheet : Sheet
        The sheet.
    found : mapping from id to Measurements
        As `readings` has them.

    Returns
    -------
    list of Entry
    """
    sets = [studio for key in sheet.sets for studio in project.sets if studio.id == key]

    def shaped(material: str, studio, shape: str, *words: str) -> Picture:
        """Gives the picture of a material on a shape.

        Parameters
        ----------
        material : id
            The material.
        studio : Set
            The set.
        shape : str
            The shape.
        *words : str
            Lines under it.

        Returns
        -------
        Picture
        """
        return Picture(words, SQUARE, lambda: shape_scene(project, assets, material, studio, shape))

    def whole(studio, swap, *words: str) -> Picture:
        """Gives the picture of the product in a set.

        Parameters
        ----------
        studio : Set
            The set.
        swap : Swap or None
            What is worn.
        *words : str
            Lines under it.

        Returns
        -------
        Picture
        """
        shot = Shot(id="shot", name="shot", view=project.views[0].id, set=studio.id, swap=swap)
        return Picture(words, LYING, lambda: (shot_project(project, shot), assets), has_finish=True)

    if sheet.kind == "variants":
        names = {material.id: material.name for material in project.materials}
        worn = ["As it is" if swap is None else names.get(swap.variant, "Gone") for swap in sheet.swaps]
        pictures = [
            whole(studio, swap, name, *([studio.name] if len(sets) > 1 else []))
            for swap, name in zip(sheet.swaps, worn, strict=True)
            for studio in sets
        ]
        return [Entry(None, tuple(pictures), len(sets) if len(sets) > 1 else 2)]
    if sheet.kind == "product":
        view, studio = project.views[0], sets[0]
        product = whole(studio, None, f"{view.name} · {studio.name}")
        told = [Entry(key, (shaped(key, studio, "bowl"),), 1) for key in sheet.materials]
        return [Entry(None, (product,), 1), *told]
    if len(sets) == len(sheet.shapes) == 1:
        words = {key: readings_in_words(found[key]) for key in sheet.materials}
        pictures = [
            shaped(key, sets[0], sheet.shapes[0], project.material(key).name, words[key]["gloss"], words[key]["lab"])
            for key in sheet.materials
        ]
        return [Entry(None, tuple(pictures), _BESIDE)]
    by_set = len(sets) > 1
    columns = len(sets) if by_set else len(sheet.shapes)
    made = []
    for key in sheet.materials:
        pictures = [
            shaped(key, studio, shape, SHAPES[shape], *([studio.name] if by_set else []))
            for shape in sheet.shapes
            for studio in sets
        ]
        made.append(Entry(key, tuple(pictures), columns))
    return made


def rendered(picture: Picture, width: int, samples: int, is_stopped: Callable[[], bool]) -> np.ndarray:
    """Pixels of a picture.

    Parameters
    ----------
    picture : Picture
        The picture.
    width : int
        Pixels across.
    samples : int
        Samples of a pixel, at most.
    is_stopped : callable () -> bool
        True cancels.

    Returns
    -------
    (H, W, 3) uint8
        sRGB.

    Raises
    ------
    InterruptedError
        If `is_stopped` said so.
    """
    project, assets = picture.scene()
    prepare_supplies(project, assets, lambda *_: not is_stopped())
    height = max(round(width / picture.shape), 1)
    made = render_picture(project, assets, width, height, samples, noise=NOISE_LEVELS["good"], is_stopped=is_stopped)
    light, table = made.light, None
    if picture.has_finish and not project.finish.changes_nothing:
        light, table = finished_light(project, assets, made), project.finish.table
    return develop(light, 0.0, project.set.tone_curve, table)


def readings(project: Project, sheet: Sheet, told: Callable[[int], bool]) -> dict[str, Measurements]:
    """Measurements of the materials of a sheet, by their ids.

    Parameters
    ----------
    project : Project
        The project.
    sheet : Sheet
        The sheet.
    told : callable (done) -> bool
        Told how many are measured; False cancels.

    Returns
    -------
    dict of Measurements

    Raises
    ------
    InterruptedError
        If `told` said so.
    """
    found = {}
    for done, key in enumerate(sheet.materials if sheet.kind != "variants" else ()):
        if not told(done):
            raise InterruptedError("cancelled")
        found[key] = measure(project.material(key).recipe)
    return found


def pattern_pictures(recipe: Recipe, assets: Assets) -> list[np.ndarray]:
    """Pictures of the patterns of a recipe, each (H, W, 3) uint8.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    assets : Assets
        Images that they show.

    Returns
    -------
    list of array
    """
    context = PatternContext({pattern.id: pattern for pattern in recipe.patterns}, assets.pictures)
    return [thumbnail(pattern, context, _PATTERN_PIXELS, _PATTERN_PIXELS) for pattern in recipe.patterns]
