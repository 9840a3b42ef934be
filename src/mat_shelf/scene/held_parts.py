"""Parts that stand or float in the cavity of a vessel, so that liquid rises round them."""

from threading import RLock
from weakref import WeakKeyDictionary

import numpy as np

from mat_shelf.document.fill import Fill
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.cavity import Cavity
from mat_shelf.fills.vessel import frame_of
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, turn_matrix
from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.scene.smoothed_parts import smooth_surface_of, smoothing_key

_MOST_LOOKED_AT = 3000
"""Vertices of a part from which it is looked down for the floor of a cavity."""
_SHALLOW = 0.06
"""Of the depth of a cavity; what reaches less deep, as the plug of a cap does, takes no room."""
_MOST_KNOWN = 2000
_known: WeakKeyDictionary[Cavity, dict[tuple, bool]] = WeakKeyDictionary()
_lock = RLock()


def shape_key(part: Part) -> tuple:
    """All of a part that decides on its shape and place.

    Parameters
    ----------
    part : Part
        A modelled part.

    Returns
    -------
    tuple
    """
    return part.mesh, part.pose, smoothing_key(part)


def standing_mesh(part: Part, supplies) -> Mesh:
    """The mesh of a modelled part as it stands in the scene.

    Parameters
    ----------
    part : Part
        The part.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    Mesh
    """
    smooth = smooth_surface_of(part, supplies.meshes, supplies.faces)
    return posed(supplies.meshes[part.mesh] if smooth is None else smooth.mesh, part.pose)


def held_parts(project: Project, fill: Fill, cavity: Cavity, up, supplies) -> tuple[Part, ...]:
    """The visible parts that are in a cavity, whole or with some of their surface.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    cavity : Cavity
        Its cavity, of the vessel alone.
    up : (3,) float
        Direction against gravity.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    tuple of Part
    """
    turn, found = frame_of(up), []
    with _lock:
        known = _known.setdefault(cavity, {})
        if len(known) > _MOST_KNOWN:  # places that parts were carried through
            known.clear()
        for part in project.product.parts:
            if part.is_hidden or part.is_derived or part.id in fill.vessel:
                continue
            key = shape_key(part)
            if key not in known:
                known[key] = _may_be_in(cavity, part, turn, supplies) and _is_in(
                    cavity, standing_mesh(part, supplies).vertices.astype(np.float64) @ turn.T
                )
            if known[key]:
                found.append(part)
    return tuple(found)


def _may_be_in(cavity: Cavity, part: Part, turn: np.ndarray, supplies) -> bool:
    """True if the box round a part meets that round the vessel, below where it spills."""
    low, high = np.asarray(supplies.meshes[part.mesh].bounds, np.float64)
    corners = np.stack(np.meshgrid(*zip(low, high, strict=True)), axis=-1).reshape(-1, 3)
    pose = part.pose
    corners = (corners * pose.scale @ turn_matrix(pose.turn).T + np.array(pose.shift)) @ turn.T
    vertices = cavity.vessel.vertices
    least, most = vertices.min(axis=0), vertices.max(axis=0)
    most[1] = cavity.spill
    return bool((corners.max(axis=0) >= least).all() and (corners.min(axis=0) <= most).all())


def _is_in(cavity: Cavity, vertices: np.ndarray) -> bool:
    """True if any of some vertices lies in the cavity, well below its brim: the wall under it is the cavity's."""
    vessel = cavity.vessel
    low, high = vessel.vertices.min(axis=0), vessel.vertices.max(axis=0)
    inside = (vertices > low).all(axis=1) & (vertices < high).all(axis=1)
    brim = cavity.spill - _SHALLOW * cavity.spill_depth
    inside &= (vertices[:, 1] < brim) & (vertices[:, 1] >= cavity.bottom)
    at = np.flatnonzero(inside)
    if not len(at):
        return False
    at = at[:: -(-len(at) // _MOST_LOOKED_AT)]
    origin = vertices[at] + (0, 1e-5 * vessel.size, 0)
    way = np.tile(np.float32([0, -1, 0]), (len(at), 1))
    geometry, face, *_ = vessel.rays.intersect(np.ascontiguousarray(origin, np.float32), way)
    corners = vessel.triangles[np.maximum(face, 0)]
    looks_up = area_vectors(vessel.vertices[corners])[:, 1] > 0
    is_wet = np.isfinite(cavity.reached)[corners].all(axis=1)
    return bool(((geometry >= 0) & looks_up & is_wet).any())
