"""Which lights send photons to which parts of a scene, and the photons of a sample, in order."""

from functools import partial
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.numerics.vectors import row3
from mat_shelf.optics import parameters as P
from mat_shelf.optics.color import luminance
from mat_shelf.optics.surface import SHARP
from mat_shelf.rendering.camera import CameraView, pixel_size
from mat_shelf.rendering.photons import Aims, Photons, find_buckets, no_photons
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.interior_list import interior_at
from mat_shelf.scene.light_faces import AREA, CENTRE, DISTANT, KIND, Lights
from mat_shelf.scene.light_sampling import light_weight
from mat_shelf.scene.looks import look_of_row, marks_by_geometry
from mat_shelf.scene.material_table import UNWORN, MaterialTable
from mat_shelf.system.newest import Newest

_looks, _aimings = Newest(2), Newest(2)
SMALL = 0.1
"""sr; what fills less of what a part sees is a small light. Larger ones are found by chance soon enough."""
FEWEST, MOST = 1 << 12, 1 << 17
"""Photons of a sample; between them a quarter of the pixels."""
_WITHIN = 16
"""Photons that a disc should hold at first."""
_LOOKED_AT = 2000
"""Photons whose neighbours are looked at for its size."""
_FARTHEST_OUT = 2.0
"""Pixels that the first disc may measure from its middle at most."""
_EVEN = 0.05
"""Share of the photons that all lights and parts get the same of."""
_SHARPENING = {"specular_roughness", "base_metalness", "transmission_weight"}
"""Inputs by which patterns may make a place turn light sharply."""
_OPENING = _SHARPENING | {"geometry_opacity"}
"""And those by which they may let it pass as well."""


class Aiming(NamedTuple):
    """Lights and parts that photons go from and to.

    Attributes
    ----------
    aims : Aims
        Each light with each part.
    is_small : (L,) bool
    casts : (G,) int32
        As in `Photons`.
    """

    aims: Aims
    is_small: np.ndarray
    casts: np.ndarray


def turns_sharply(material_table: MaterialTable) -> np.ndarray:
    """Parameter rows that may turn light sharply, somewhere at least, (M,) bool: polished metal, clear glass.

    Parameters
    ----------
    material_table : MaterialTable
        Materials of a scene.

    Returns
    -------
    (M,) bool
    """
    block = material_table.parameters
    sharp = block[:, P.ROUGHNESS] ** 2 < SHARP
    sharp &= (block[:, P.COAT] <= 0) | (block[:, P.COAT_ROUGHNESS] ** 2 < SHARP)
    found = sharp & (block[:, P.METALNESS] + block[:, P.TRANSMISSION] > 0.5) & (block[:, P.FUZZ] <= 0)
    for textured in material_table.fed:
        found[textured.row] |= any(feed.input in _SHARPENING for feed in textured.recipe.feeds)
    return found


def sharp_looks(material_table: MaterialTable) -> tuple:
    """Looks of all that decides on the way of photons.

    Parameters
    ----------
    material_table : MaterialTable
        Materials of a scene.

    Returns
    -------
    tuple
        Equal where photons fall alike.
    """
    return _looks((material_table,), (), partial(_sharp_looks, material_table))


def _sharp_looks(material_table: MaterialTable) -> tuple:
    worn = material_table.met_bits != UNWORN
    passes = turns_sharply(material_table) | (material_table.parameters[:, P.OPACITY] < 1)
    for textured in material_table.fed:
        overlays = textured.overlays
        recipes = [textured.recipe, *(lying.overlay.recipe for lying in overlays)]
        passes[textured.row] |= any(feed.input in _OPENING for recipe in recipes for feed in recipe.feeds)
        passes[textured.row] |= any(passes[lying.row] for lying in overlays)
    rows = np.flatnonzero(passes[: worn.shape[1]])
    parts = set(np.flatnonzero(worn[:, rows].any(axis=1)).tolist())
    marks, edges = marks_by_geometry(material_table), material_table.edges.keys
    return (
        {row: look_of_row(material_table, row) for row in rows.tolist()},
        {part: laid for part, laid in marks.items() if part in parts},
        {part: key for part, key in edges.items() if part in parts},
    )


def sends_photons(geometry: Geometry, material_table: MaterialTable, lights: Lights) -> Aiming | None:
    """Lights that are small as seen from parts which turn light sharply, and those parts.

    The backdrop is not among them, nor what is around a light.

    Parameters
    ----------
    geometry : Geometry
        Shapes of the scene.
    material_table : MaterialTable
        Its materials.
    lights : Lights
        Its lights.

    Returns
    -------
    Aiming or None
        None where there are none.
    """
    return _aimings((geometry, material_table, lights), (), partial(_aiming, geometry, material_table, lights))


def _aiming(geometry: Geometry, material_table: MaterialTable, lights: Lights) -> Aiming | None:
    table = lights.table
    worn = material_table.met_bits != UNWORN
    sharp = turns_sharply(material_table)[: worn.shape[1]]
    if material_table.backdrop >= 0:
        sharp[material_table.backdrop] = False
    parts = np.flatnonzero((worn & sharp).any(axis=1))
    if not len(parts) or not len(table):
        return None
    casts = np.full(geometry.count, -1, np.int32)
    casts[parts] = np.arange(len(parts))
    low, high = geometry.boxes[parts, 0], geometry.boxes[parts, 1]
    balls = np.column_stack([(low + high) / 2, np.maximum(np.linalg.norm(high - low, axis=1) / 2, 1e-3)])
    weights = np.empty((len(table), len(balls)), np.float32)
    _weigh(lights, balls[:, :3].astype(np.float32), weights)
    distant = table[:, KIND] == DISTANT
    nearest = np.linalg.norm(table[:, None, CENTRE : CENTRE + 3] - balls[None, :, :3], axis=2)
    nearest = np.maximum(nearest - balls[:, 3], 1e-3)
    solid = np.where(distant, table[:, AREA], table[:, AREA] / nearest.min(axis=1) ** 2)
    is_small = solid < SMALL
    for k in np.flatnonzero(is_small & ~distant):
        is_small[k] = (interior_at(table[k, CENTRE : CENTRE + 3], geometry, material_table.bodies) < 0).all()
    # Each of them with each, even where a light faces away from the middle of a part: some of it may stand before it.
    light, target = np.nonzero(np.broadcast_to(is_small[:, None], weights.shape))
    if not len(light):
        return None
    share = weights[light, target].astype(np.float64) * balls[target, 3] ** 2
    share = share / share.sum() if share.any() else np.full(len(light), 1 / len(light))
    far = 2 * float(np.linalg.norm(geometry.boxes[:, 1].max(axis=0) - geometry.boxes[:, 0].min(axis=0)))
    nothing = np.zeros(0, np.float32)
    light, target = light.astype(np.int32), target.astype(np.int32)
    aims = Aims(light, target, balls[target].astype(np.float32), F(far), nothing, nothing)
    return Aiming(_with_shares(aims, share), is_small, casts)


def _with_shares(aims: Aims, share: np.ndarray) -> Aims:
    """Aims that are chosen by shares; none so rarely that its few photons would be seen as dots."""
    chance = (1 - _EVEN) * share + _EVEN / len(share)
    return aims._replace(until=np.cumsum(chance).astype(np.float32), chance=chance.astype(np.float32))


def learnt(aiming: Aiming, sent: Photons) -> Aiming:
    """The same, chosen by what light came to lie somewhere: a part behind another one, or out of the light, gets none.

    Parameters
    ----------
    aiming : Aiming
        Lights and parts.
    sent : Photons
        Photons that were sent so.

    Returns
    -------
    Aiming
    """
    aims = aiming.aims
    place = np.full((len(aiming.is_small), int(aims.target.max()) + 1), -1)
    place[aims.light, aims.target] = np.arange(len(aims.light))
    lies = sent.part >= 0
    light = np.bincount(
        place[sent.light[lies], sent.target[lies]], luminance(sent.flux[lies]), minlength=len(aims.light)
    )
    return aiming._replace(aims=_with_shares(aims, light / light.sum())) if light.any() else aiming


@kernel
def _weigh(lights, points, weights):
    for k in range(weights.shape[0]):
        for g in range(weights.shape[1]):
            weights[k, g] = light_weight(lights, k, row3(points, g))


def photons_to_send(aiming: Aiming, pixels: int) -> Photons:
    """Memory for the photons of a sample.

    Parameters
    ----------
    aiming : Aiming
        Lights and parts.
    pixels : int
        Pixels of the picture.

    Returns
    -------
    Photons
    """
    count = min(max(pixels // 4, FEWEST), MOST)
    nothing = no_photons(len(aiming.is_small), len(aiming.casts))
    return nothing._replace(
        position=np.zeros((count, 3), np.float32),
        direction=np.zeros((count, 3), np.float32),
        flux=np.zeros((count, 3), np.float32),
        part=np.full(count, -1, np.int32),
        light=np.zeros(count, np.int32),
        target=np.zeros(count, np.int32),
        is_small=aiming.is_small,
        casts=aiming.casts,
    )


def first_radius(sent: Photons, view: CameraView, height: int) -> float:
    """Radius of the discs of the first sample, mm: a pixel at least, and as much as it takes to find some photons.

    Parameters
    ----------
    sent : Photons
        Those of the first sample.
    view : CameraView
        View of the camera.
    height : int
        Pixels of the picture from top to bottom.

    Returns
    -------
    float
    """
    lies = sent.position[sent.part >= 0]
    if not len(lies):
        return 0.0
    some = lies[:: max(len(lies) // _LOOKED_AT, 1)]
    distances = cKDTree(lies).query(some, min(_WITHIN, len(lies)))[0].reshape(len(some), -1)[:, -1]
    # Where light is dense, most photons lie, but most of what is seen is not there: half of the area has smaller ones.
    distances.sort()
    area = np.cumsum(distances**2)
    wanted = distances[np.searchsorted(area, area[-1] / 2)]
    pixel = pixel_size(view, np.median(lies, axis=0), height)
    return float(np.clip(wanted, pixel, _FARTHEST_OUT * pixel))


def in_order(sent: Photons, radius: float) -> Photons:
    """The photons of a sample in buckets, so that those near a point are found.

    Parameters
    ----------
    sent : Photons
        Those of the sample; those that lie nowhere are left out.
    radius : float
        Radius of the discs, mm.

    Returns
    -------
    Photons
    """
    lies = np.flatnonzero(sent.part >= 0)
    if not len(lies) or radius <= 0:
        return no_photons(0, 0)._replace(is_small=sent.is_small, casts=sent.casts)
    inverse = F(0.5 / radius)
    count = 1 << max(int(len(lies)).bit_length(), 4)
    buckets = np.empty(len(lies), np.int32)
    find_buckets(sent.position[lies], inverse, count, buckets)
    sorting = np.argsort(buckets, kind="stable")
    order = lies[sorting]
    first = np.searchsorted(buckets[sorting], np.arange(count + 1)).astype(np.int32)
    return sent._replace(
        position=sent.position[order],
        direction=sent.direction[order],
        flux=sent.flux[order],
        part=sent.part[order],
        light=sent.light[order],
        target=sent.target[order],
        first=first,
        inverse=inverse,
        radius=F(radius),
    )
