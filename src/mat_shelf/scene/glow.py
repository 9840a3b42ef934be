"""Parts that glow, as a light that rays are aimed at: a point of their triangles, by what each gives off.

Only what glows alike all over is aimed at: no pattern, coat or mark may change it from place to place, or with the
direction. All else that glows is found by chance.
"""

import math
from collections import namedtuple
from functools import partial

import numpy as np

from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.numerics.alias_table import alias_table
from mat_shelf.numerics.interpolation import between3
from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.vectors import dot, facing_of, largest, scale, sub
from mat_shelf.optics import parameters as P
from mat_shelf.optics.color import luminance
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.light_faces import Lights, glow_of_part
from mat_shelf.scene.material_table import UNWORN, MaterialTable
from mat_shelf.system.newest import Newest

_found = Newest(8)

Glow = namedtuple("Glow", "triangle row part keep alias bright whole middle reach")
"""What kernels read.

triangle, row, part : (K,) int32, rows of the triangles that glow, of the material that each wears, and their geometries
keep, alias : (K,) float32 and int32, alias table over them
bright : (M,) float32, luminance of what is aimed at by its parameter row, before its part's factor; 0 of all else
whole : float32, luminance times area, mm2, of all together; 0 where there are none
middle : float32 triple, their middle, mm; reach : float32, mm, how far they lie from it, as a mean
"""


def glow_of(geometry: Geometry, material_table: MaterialTable, lights: Lights) -> Glow:
    """Parts of a scene that glow alike all over.

    Parameters
    ----------
    geometry : Geometry
        Shapes of the scene.
    material_table : MaterialTable
        Its materials.
    lights : Lights
        Its lights, with the factors of parts.

    Returns
    -------
    Glow
        The same one as long as no edit changes what glows.
    """
    bright = _aimed_light(material_table)
    worn = material_table.met_bits != UNWORN
    parts = np.flatnonzero((worn & (bright[: worn.shape[1]] > 0)).any(axis=1) & ~geometry.triangles.is_caps)
    kept = (getattr(material_table, name) for name in ("rows", "zone_first", "zone_rows", "met_bits"))
    key = (bright, lights.glow, *kept, parts, geometry.triangles.first[parts])
    solids = tuple(geometry.solids[part] for part in parts)  # what else is in the scene is of no matter
    make = partial(_glow_by, geometry, material_table, parts, bright, lights.glow)
    return _found(solids, tuple(array.tobytes() for array in key), make)


def aimed_rows(material_table: MaterialTable) -> np.ndarray:
    """Parameter rows that some part wears and that are aimed at, (K,) int64.

    Parameters
    ----------
    material_table : MaterialTable
        Materials of a scene.

    Returns
    -------
    (K,) int64
    """
    is_worn = (material_table.met_bits != UNWORN).any(axis=0)
    return np.flatnonzero(is_worn & (_aimed_light(material_table)[: len(is_worn)] > 0))


def _aimed_light(material_table: MaterialTable) -> np.ndarray:
    """Luminance of what is aimed at by its parameter row, (M,) float64; 0 of all else."""
    block = material_table.parameters
    bright = luminance(block[:, P.EMISSION : P.EMISSION + 3]).astype(np.float64)
    is_even = (block[:, P.LAYERED] <= 0) & (block[:, P.OPACITY] >= 1) & (block[:, P.TRANSMISSION] <= 0)
    bright[~is_even] = 0
    bright[[textured.row for textured in material_table.fed]] = 0
    marked = {laid.geometry for laid in material_table.marks}
    worn = material_table.met_bits != UNWORN
    for part in marked:  # wherever else it is worn, it is left to chance too, so that rows alone tell
        bright[np.flatnonzero(worn[part])] = 0
    return bright


def _glow_by(
    geometry: Geometry, material_table: MaterialTable, parts: np.ndarray, bright: np.ndarray, gains: np.ndarray
) -> Glow:
    """Triangles of parts that glow, by the light of each parameter row."""
    triangles, rows, owners = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    level = np.ones(len(material_table.rows))
    level[: len(gains)] = gains.max(axis=1, initial=0)
    for part in parts:
        first, zone = int(geometry.triangles.first[part]), int(material_table.zone_first[part])
        count = int(geometry.counts[part])
        own = np.full(count, material_table.rows[part])
        if zone >= 0:
            own = material_table.zone_rows[zone : zone + count]
        lit = np.flatnonzero(bright[own] * level[part] > 0)
        triangles.append(first + lit)
        rows.append(own[lit])
        owners.append(np.full(len(lit), part))
    triangle, row, owner = (np.concatenate(each).astype(np.int32) for each in (triangles, rows, owners))
    corners = geometry.triangles.corners[triangle].reshape(-1, 3, 3).astype(np.float64)
    area = np.linalg.norm(area_vectors(corners), axis=1)
    power = area * bright[row] * level[owner]
    whole = float(power.sum())
    if not whole > 0:
        nothing = np.zeros(0, np.int32)
        return Glow(
            nothing,
            nothing,
            nothing,
            np.zeros(0, np.float32),
            nothing,
            np.zeros(len(bright), np.float32),
            F(0),
            (F(0), F(0), F(0)),
            F(0),
        )
    places = corners.mean(axis=1)
    middle = (places * power[:, None]).sum(axis=0) / whole
    reach = math.sqrt(float((((places - middle) ** 2).sum(axis=1) * power).sum() / whole))
    keep, alias = alias_table(power / whole)
    return Glow(
        triangle,
        row,
        owner,
        keep,
        alias,
        bright.astype(np.float32),
        F(whole),
        tuple(F(x) for x in middle),
        F(reach + 1e-3),
    )


@inline
def glow_weight(glow, origin):
    """Light that may come to a point, roughly, as `light_sampling.light_weight` has it of a light.

    Parameters
    ----------
    glow : Glow
        What glows.
    origin : float32 triple
        The point, mm.

    Returns
    -------
    float32
    """
    to = sub(glow.middle, origin)
    return F(0.3) * glow.whole / (dot(to, to) + glow.reach * glow.reach)


@inline
def glow_pdf(glow, row, level, facing, d, t):
    """Density, 1/sr, with which `sample_glow` picks a direction towards a point.

    Parameters
    ----------
    glow : Glow
        What glows.
    row : int
        Parameter row of what is met there.
    level : float32
        Largest factor, of all channels, of its part.
    facing : float32 triple
        Normal of its face.
    d : float32 triple
        Unit direction.
    t : float32
        Distance, mm.

    Returns
    -------
    float32
    """
    return glow.bright[row] * level / glow.whole * t * t / max(abs(dot(facing, d)), F(1e-6))


@apart
def sample_glow(glow, triangles, lights, origin, pick, u, v):
    """A point of what glows, as seen from another point.

    Parameters
    ----------
    glow : Glow
        What glows.
    triangles : Triangles
        Triangles of the scene.
    lights : Lights
        Lights of the scene, with the factors of parts.
    origin : float32 triple
        The point, mm.
    pick, u, v : float32 in [0, 1)

    Returns
    -------
    direction : float32 triple
    distance : float32
        mm; 0 where it fails.
    row : int
        Parameter row of what glows there.
    gain : float32 triple
        Factor of its light.
    place : int
        Place of its layer.
    pdf : float32
        1/sr.
    """
    slots = glow.keep.shape[0]
    place = pick * F(slots)
    slot = min(int(place), slots - 1)
    if place - F(slot) >= glow.keep[slot]:
        slot = glow.alias[slot]
    root = math.sqrt(u)
    at = between3(triangles.corners, glow.triangle[slot], root * (F(1) - v), root * v)
    to = sub(at, origin)
    distance = math.sqrt(dot(to, to))
    facing = facing_of(triangles.corners, glow.triangle[slot])
    if not (distance > F(1e-6)):
        return (F(0), F(1), F(0)), F(0), 0, (F(0), F(0), F(0)), 0, F(0)
    d = scale(to, F(1) / distance)
    row = glow.row[slot]
    gain, place = glow_of_part(lights, glow.part[slot])
    if abs(dot(facing, d)) < F(1e-5):
        return d, F(0), row, gain, place, F(0)
    return d, distance, row, gain, place, glow_pdf(glow, row, largest(gain), facing, d, distance)
