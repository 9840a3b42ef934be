"""Smooth surfaces of parts, kept from one build of a scene to the next."""

from collections.abc import Mapping

import numpy as np

from mat_shelf.document.product import Part
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.smoothing import SmoothSurface, levels_that_fit, smooth

_MOST_KEPT = 4096
_newest: dict[str, tuple[tuple, SmoothSurface]] = {}
"""The last smooth surface of each part, with its key."""


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
    known = _newest.get(part.id)
    if known is None or known[0] != key:  # one of each part: while an angle is dragged there are many
        known = _newest[part.id] = key, _smoothed(part, meshes[part.mesh], faces)
        while len(_newest) > _MOST_KEPT:
            _newest.pop(next(iter(_newest)), None)
    return known[1]


def _smoothed(part: Part, mesh: Mesh, faces: Mapping[str, np.ndarray]) -> SmoothSurface:
    borders = np.zeros(len(mesh.triangles), np.int32)
    for number, zone in enumerate(part.zones, 1):
        borders[faces[zone.faces]] = number
    for region in part.hard_regions:  # two faces are in one region of all that are marked, or a border runs between
        inside = np.zeros(len(borders), np.int32)
        inside[faces[region]] = 1
        borders = np.unique(2 * borders + inside, return_inverse=True)[1].astype(np.int32)
    level = levels_that_fit(len(mesh.triangles), part.smoothing)
    return smooth(mesh, adjacency(mesh), level, part.hard_angle, borders)
