"""A photograph in the place of the backdrop: what it is as light, and the set without the product, to compare with."""

from dataclasses import replace

import numpy as np
from scipy.ndimage import map_coordinates

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.document.set import Set
from mat_shelf.rendering.camera import white_gains
from mat_shelf.rendering.film import light_shown_as
from mat_shelf.rendering.tracer import RenderTask
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_map_lookup import geometry_map_lookup
from mat_shelf.scene.material_table import MaterialTable, project_geometry, project_material_table

_MOST = 4096
"""Pixels on the longer side of a photograph that are looked at."""


def plate_light(studio: Set, supplies, camera: Camera, width: int, height: int) -> np.ndarray:
    """Light that is shown as the photograph of a set, cut to the shape of a picture, (height, width, 3) float32.

    Parameters
    ----------
    studio : Set
        A set with a plate. Where its image is missing, it is a middle grey.
    supplies : Supplies
        Its images.
    camera : Camera
        The camera, whose white balance the photograph does not follow.
    width, height : int
        Pixels of the picture.

    Returns
    -------
    (height, width, 3) float32
    """
    kept = supplies.pictures.get(studio.plate.image.digest)
    shown = np.full((2, 2, 3), 0.18, np.float32) if kept is None else kept.colors(_MOST)
    rows, columns = shown.shape[:2]
    scale = min(columns / width, rows / height)
    y = (np.arange(height) + 0.5 - height / 2) * scale + rows / 2 - 0.5
    x = (np.arange(width) + 0.5 - width / 2) * scale + columns / 2 - 0.5
    places = np.meshgrid(y, x, indexing="ij")
    cut = np.stack([map_coordinates(shown[..., k], places, order=1, mode="nearest") for k in range(3)], axis=-1)
    shown = np.clip(cut * np.float32(2.0**studio.plate.exposure), 0, 1)
    light = light_shown_as(shown, studio.exact_colors)
    return (light / (white_gains(camera) * np.float32(2.0**studio.exposure))).astype(np.float32)


def has_plate(studio: Set) -> bool:
    """True if a photograph stands in the place of the backdrop of a set.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    bool
    """
    return studio.plate is not None and studio.backdrop is not None


def bare_scene(project: Project, supplies) -> tuple[Geometry, MaterialTable]:
    """The set of a project without the product.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Its files.

    Returns
    -------
    tuple[Geometry, MaterialTable]
    """
    # Props stand on the photograph as the product does.
    bare = project.with_(product=project.product.with_(parts=()), marks=()).with_set(project.set.with_(props=()))
    geometry = project_geometry(bare, supplies.meshes)
    geometry.shapes = geometry_map_lookup(bare, geometry, supplies.geometry_maps)
    return geometry, project_material_table(bare, supplies)


def on_plate(task: RenderTask, bare: tuple[Geometry, MaterialTable]) -> RenderTask:
    """A task whose backdrop only takes shadows and reflections.

    Parameters
    ----------
    task : RenderTask
        Of the whole scene.
    bare : tuple[Geometry, MaterialTable]
        As `bare_scene` has it.

    Returns
    -------
    RenderTask
    """
    caught = replace(task, catches=True)
    return replace(caught, empty=replace(caught, geometry=bare[0], material_table=bare[1]))
