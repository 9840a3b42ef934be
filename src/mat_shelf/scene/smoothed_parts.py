"""Smooth surfaces of parts, kept from one build of a scene to the next."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from mat_shelf.document.product import Part
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.smoothing import SmoothSurface, levels_that_fit, smooth


@dataclass(frozen=True)
class PartSource:
    """A part that something is made of; the same as any other with its key.

    Attributes
    ----------
    key : tuple
        All that what is made depends on.
    part : Part
    mesh : Mesh
    faces : mapping of array
        Faces of zones by SHA-256.
    """

    key: tuple
    part: Part = field(compare=False)
    mesh: Mesh = field(compare=False)
    faces: Mapping[str, np.ndarray] = field(compare=False)


def smoothing_key(part: Part) -> tuple | None:
    """All that the smooth surface of a part depends on, before it is posed; None for one that is not smoothed.

    Parameters
    ----------
    part : Part
        The part.

    Returns
    -------
    tuple or None
    """
    if not part.smoothing:
        return None
    zones = tuple((zone.faces, zone.material) for zone in part.zones)
    return part.mesh, part.smoothing, part.hard_angle, part.hard_regions, zones


def smooth_surface_of(part: Part, meshes: Mapping[str, Mesh], faces: Mapping[str, np.ndarray]) -> SmoothSurface | None:
    """Smooth surface of a part in its own frame; None for one that is not smoothed, or is too large for it.

    Parameters
    ----------
    part : Part
        The part.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    faces : mapping of array
        Faces of zones by SHA-256.

    Returns
    -------
    SmoothSurface or None
    """
    key = smoothing_key(part)
    if key is None or not levels_that_fit(len(meshes[part.mesh].triangles), part.smoothing):
        return None
    return _smoothed(PartSource(key, part, meshes[part.mesh], faces))


@lru_cache(16)
def _smoothed(source: PartSource) -> SmoothSurface:
    part, mesh = source.part, source.mesh
    borders = np.zeros(len(mesh.triangles), np.int32)
    for number, zone in enumerate(part.zones, 1):
        borders[source.faces[zone.faces]] = number
    for region in part.hard_regions:  # two faces are in one region of all that are marked, or a border runs between
        inside = np.zeros(len(borders), np.int32)
        inside[source.faces[region]] = 1
        borders = np.unique(2 * borders + inside, return_inverse=True)[1].astype(np.int32)
    level = levels_that_fit(len(mesh.triangles), part.smoothing)
    return smooth(mesh, adjacency(mesh), level, part.hard_angle, borders)
