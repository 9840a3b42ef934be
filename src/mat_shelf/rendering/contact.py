"""Clear bodies that touch, as modelled: a hair's gap between a liquid and its vessel is never meant.

Where a body comes as near to one of higher priority as the tolerance, its surface is carried on into that one. The
two overlap then, and where bodies overlap the one of higher priority has the true boundary (Schmidt and Budge 2002).
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from mat_shelf.geometry.mesh import Mesh, places
from mat_shelf.rendering.geometry import Geometry

_STEEPEST = 0.35
"""Cosine between a way outwards and a face, under which a corner is not carried further."""


def joined(meshes: Sequence[Mesh], priorities: Sequence[int | None], tolerance: float) -> list[Mesh]:
    """Meshes, of which clear ones are carried on into those of higher priority that they nearly touch.

    Parameters
    ----------
    meshes : sequence of Mesh
        As they stand in the scene.
    priorities : sequence of int or None
        Nesting priority of each; None for what is not a clear body.
    tolerance : float, mm
        Widest gap that counts as contact.
    """
    made = list(meshes)
    if tolerance <= 0:
        return made
    bounds = [mesh.bounds for mesh in meshes]
    for low, own in enumerate(priorities):
        for high, other in enumerate(priorities):
            if own is None or other is None or own >= other:
                continue
            apart = np.maximum(bounds[low][0] - bounds[high][1], bounds[high][0] - bounds[low][1])
            if apart.max() <= tolerance:
                made[low] = _carried_on(made[low], meshes[high], tolerance)
    return made


def _carried_on(mesh: Mesh, other: Mesh, tolerance: float) -> Mesh:
    """A mesh whose faces, where they lie within the tolerance of another's, are moved on into that one."""
    corners = mesh.vertices[mesh.triangles]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    out = cross / np.maximum(np.linalg.norm(cross, axis=1, keepdims=True), 1e-20)
    # Looked at a little inside of each corner, where the other faces round it do not matter.
    looked_at = corners + np.float32(0.05) * (corners.mean(axis=1, keepdims=True) - corners)
    out = np.repeat(out[:, None], 3, axis=1).reshape(-1, 3).astype(np.float32)
    touches = _touches(looked_at.reshape(-1, 3), out, other, np.float32(tolerance))
    if not touches.any():
        return mesh
    place = places(mesh.vertices)
    count = int(place.max()) + 1
    of_corner = place[mesh.triangles].reshape(-1)[touches]
    way = np.zeros((count, 3))
    np.add.at(way, of_corner, out[touches])
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    steepest = np.ones(count)
    np.minimum.at(steepest, of_corner, (way[of_corner] * out[touches]).sum(axis=1))
    shift = way * (2 * tolerance / np.maximum(steepest, _STEEPEST))[:, None]
    return replace(mesh, vertices=(mesh.vertices + shift[place]).astype(np.float32))


def _touches(points: np.ndarray, out: np.ndarray, other: Mesh, tolerance: np.float32) -> np.ndarray:
    """Whether a mesh has a face towards each point within the tolerance of it, before or behind, (N,) bool."""
    _, primitive, _, _, distance = Geometry([other]).intersect(points - out * tolerance, out)
    near = (primitive >= 0) & (distance <= 2 * tolerance)
    corners = other.vertices[other.triangles[np.where(near, primitive, 0)]]
    facing = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return near & ((facing * out).sum(axis=1) < 0)
