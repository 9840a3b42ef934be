"""A photograph in the place of the backdrop: what it is as light, and the set without the product, to compare with."""

from dataclasses import replace

import numpy as np
from scipy.ndimage import map_coordinates

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.document.set import Plate, Set
from mat_shelf.optics.color import decode_srgb, encode_srgb
from mat_shelf.rendering.camera import make_camera_view, ray_through, white_gains
from mat_shelf.rendering.tone import light_shown_as
from mat_shelf.rendering.tracer import RenderTask
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_map_lookup import geometry_map_lookup
from mat_shelf.scene.material_table import MaterialTable, project_geometry, project_material_table
from mat_shelf.scene.rooms import room_of, seen_in


def plate_light(studio: Set, supplies, camera: Camera, width: int, height: int) -> np.ndarray:
    """Light that is shown as the photograph of a set, cut to the shape of a picture, (height, width, 3) float32.

    Parameters
    ----------
    studio : Set
        A set with a plate. Where its photograph is missing, it is a middle grey.
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
    plate = studio.plate
    if plate.is_surround:
        return _surround(studio, supplies, camera, width, height)
    cut = _gradient(plate, width, height) if plate.image is None else _cut(supplies, plate, width, height)
    shown = np.clip(cut * np.float32(2.0**plate.exposure), 0, 1)
    light = light_shown_as(shown, studio.exact_colors)
    return (light / (white_gains(camera) * np.float32(2.0**studio.exposure))).astype(np.float32)


def _surround(studio: Set, supplies, camera: Camera, width: int, height: int) -> np.ndarray:
    """Surround of a set as the camera sees it; below the horizon as it lies on the floor."""
    y, x = np.mgrid[:height, :width] + 0.5
    origin, direction = ray_through(make_camera_view(camera, width, height), x / width, y / height)
    falls = -direction[..., 1:2]
    is_down = (falls > 1e-6) & (origin[..., 1:2] > 0)
    meets = origin + direction * np.where(is_down, origin[..., 1:2] / np.maximum(falls, 1e-6), 0)
    onto_floor = meets - (0, studio.plate.eye, 0)
    onto_floor /= np.maximum(np.linalg.norm(onto_floor, axis=-1, keepdims=True), 1e-9)
    seen = seen_in(room_of(studio, supplies.rooms), np.where(is_down, onto_floor, direction))
    return (seen * np.float32(2.0**studio.plate.exposure)).astype(np.float32)


def _gradient(plate: Plate, width: int, height: int) -> np.ndarray:
    # In encoded values, in which it looks even.
    low, high = encode_srgb(np.array(plate.lower)), encode_srgb(np.array(plate.upper))
    share = ((np.arange(height) + 0.5) / height)[:, None]
    rows = decode_srgb(high + (low - high) * share)
    return np.broadcast_to(rows[:, None, :], (height, width, 3)).astype(np.float32)


def _cut(supplies, plate: Plate, width: int, height: int) -> np.ndarray:
    kept = supplies.pictures.get(plate.image.digest)
    # Little larger than the picture: from more, pixels would be picked instead of averaged.
    shown = np.full((2, 2, 3), 0.18, np.float32) if kept is None else kept.colors(2 * max(width, height))
    rows, columns = shown.shape[:2]
    scale = min(columns / width, rows / height)
    y = (np.arange(height) + 0.5 - height / 2) * scale + rows / 2 - 0.5
    x = (np.arange(width) + 0.5 - width / 2) * scale + columns / 2 - 0.5
    places = np.meshgrid(y, x, indexing="ij")
    return np.stack([map_coordinates(shown[..., k], places, order=1, mode="nearest") for k in range(3)], axis=-1)


def has_plate(studio: Set) -> bool:
    """True if a photograph, or colours, stand in the place of the backdrop of a set.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    bool
    """
    return studio.plate is not None


def bare_scene(project: Project, supplies) -> tuple[Geometry, MaterialTable] | None:
    """The set of a project without the product; None where it has no backdrop.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Its files.

    Returns
    -------
    tuple[Geometry, MaterialTable] or None
    """
    if project.set.backdrop is None:
        return None
    # Props stand on the photograph as the product does.
    bare = project.with_(product=project.product.with_(parts=()), marks=()).with_set(project.set.with_(props=()))
    geometry = project_geometry(bare, supplies.meshes)
    geometry.shapes = geometry_map_lookup(bare, geometry, supplies.geometry_maps)
    return geometry, project_material_table(bare, supplies)


def on_plate(task: RenderTask, bare: tuple[Geometry, MaterialTable] | None) -> RenderTask:
    """A task whose backdrop only takes shadows and reflections.

    Parameters
    ----------
    task : RenderTask
        Of the whole scene.
    bare : tuple[Geometry, MaterialTable] or None
        As `bare_scene` has it.

    Returns
    -------
    RenderTask
    """
    caught = replace(task, catches=True)
    return caught if bare is None else replace(caught, empty=replace(caught, geometry=bare[0], material_table=bare[1]))
