"""A photograph in the place of the backdrop: what it is as light, and the set without the product, to compare with."""

from dataclasses import replace

import numpy as np
from scipy.ndimage import map_coordinates

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.document.set import Plate, Set
from mat_shelf.optics.color import decode_srgb, encode_srgb
from mat_shelf.rendering.camera import make_camera_view, ray_through, white_gains
from mat_shelf.rendering.denoise import clean_share, denoise_film
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.photon_map import turns_sharply
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tone import light_shown_as
from mat_shelf.rendering.wave_state import KINDS, SHADOW
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_map_lookup import geometry_map_lookup
from mat_shelf.scene.material_table import MaterialTable, project_material_table
from mat_shelf.scene.project_geometry import project_geometry
from mat_shelf.scene.relighting import layer_gains
from mat_shelf.scene.rooms import room_of, seen_in

_GREY = (0.5, 0.5, 0.5)
"""Dim enough that no tone curve changes it."""
SEEN_THROUGH = 400
"""Rows of a backplate as it is seen through glass and in mirrors."""


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
    return plain_plate(studio, supplies, camera, width, height) * plate_gain(studio, camera)


def plate_gain(studio: Set, camera: Camera) -> np.ndarray:
    """Factor of `plain_plate` by which a photograph stays as it is, however the set is exposed and balanced.

    Parameters
    ----------
    studio : Set
        A set with a plate.
    camera : Camera
        The camera.

    Returns
    -------
    (3,) float32
    """
    if studio.plate.is_surround:
        return np.ones(3, np.float32)
    return (1 / (white_gains(camera) * np.float32(2.0**studio.exposure))).astype(np.float32)


def film_gains(lit: Set | None, studio: Set, camera: Camera, by_kind: bool = False) -> np.ndarray:
    """Factors of the layers of a film.

    Parameters
    ----------
    lit : Set or None
        The set as its lights were rendered, where they were kept apart.
    studio : Set
        The set to show.
    camera : Camera
        The camera.
    by_kind : bool
        As `RenderTask.by_kind`.

    Returns
    -------
    (K, 3) float32
        Those of `layer_gains`, or one for all lights, or one for each kind; then that of the photograph, if there is
        one.
    """
    gains = np.ones((len(KINDS) if by_kind else 1, 3), np.float32) if lit is None else layer_gains(lit, studio)
    if by_kind:
        gains[SHADOW] = 0
    return np.concatenate([gains, plate_gain(studio, camera)[None]]) if has_plate(studio) else gains


def plain_plate(studio: Set, supplies, camera: Camera, width: int, height: int) -> np.ndarray:
    """As `plate_light`, of a set that is neither exposed nor balanced.

    Parameters
    ----------
    studio : Set
        A set with a plate.
    supplies : Supplies
        Its images.
    camera : Camera
        The camera.
    width, height : int
        Pixels.

    Returns
    -------
    (height, width, 3) float32
    """
    plate = studio.plate
    if plate.is_surround:
        return _surround(studio, supplies, camera, width, height)
    cut = _gradient(plate, width, height) if plate.image is None else _cut(supplies, plate, width, height)
    return light_shown_as(np.clip(cut * np.float32(2.0**plate.exposure), 0, 1), studio.tone_curve)


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


def for_shadows(studio: Set) -> Set:
    """The set with an even grey in the place of its backdrop, on which only shadows and reflections are seen.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    Set
    """
    return studio.with_(plate=Plate(lower=_GREY, upper=_GREY), tone_curve="exact")


def cut_with_shadow(film: Film, gains: np.ndarray, is_clean: bool) -> tuple[np.ndarray, np.ndarray]:
    """The product cut out together with its shadow, whatever it is laid on.

    A picture on a plate is its light on black, and of the plate the share that is seen. So both are found from one
    film: the share that all channels let through is what alpha leaves; what one lets through more than another is its
    light on white.

    Parameters
    ----------
    film : Film
        Of the set as `for_shadows` has it.
    gains : (K, 3) float32
        Factors of its layers, as `film_gains` has them.
    is_clean : bool
        Whether noise is removed.

    Returns
    -------
    light : (H, W, 3) float32
        Neither exposed nor balanced, multiplied by alpha.
    alpha : (H, W, 1) float32
    """
    shape, white, lit = (film.height, film.width, 3), gains[-1], gains.copy()
    pictures = []
    for brightness in (0.0, 1.0):
        film.plate = np.broadcast_to(white * np.float32(brightness), shape).astype(np.float32)
        lit[-1] = white * np.float32(brightness / _GREY[0])
        film.mix(lit)
        pictures.append(film.picture())
    share = np.clip((pictures[1] - pictures[0]) / white, 0, 1)
    share = clean_share(film, share) if is_clean else share
    film.plate = np.zeros(shape, np.float32)
    lit[-1] = 0
    film.mix(lit)
    light = denoise_film(film, "high") if is_clean else film.picture()
    share = np.where(film.untouched(), 1, np.clip(share, 0, 1))
    least = share.min(axis=-1, keepdims=True)
    return light + (share - least) * white, 1 - least


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


def on_plate(task: RenderTask, bare: tuple[Geometry, MaterialTable] | None, seen: np.ndarray) -> RenderTask:
    """A task whose backdrop only takes shadows and reflections.

    Parameters
    ----------
    task : RenderTask
        Of the whole scene.
    bare : tuple[Geometry, MaterialTable] or None
        As `bare_scene` has it.
    seen : (H, W, 3) float32
        The photograph as `plain_plate` has it, to be seen through glass.

    Returns
    -------
    RenderTask
    """
    # Where nothing can show it so, another exposure of the photograph needs no new samples.
    caught = replace(task, catches=True, backplate=seen if turns_sharply(task.material_table).any() else None)
    return caught if bare is None else replace(caught, empty=replace(caught, geometry=bare[0], material_table=bare[1]))
