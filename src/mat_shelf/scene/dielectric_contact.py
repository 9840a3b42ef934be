"""Bodies that light goes into, where they touch others.

As modelled, a liquid leaves a hair's gap to its vessel, or a glass stands exactly on the floor, its faces and the
floor's at the same place. Neither is meant. Liquids wet what they touch: they are carried on into it, and where clear
bodies overlap the one of higher priority has the true boundary (Schmidt and Budge 2002). Solids are dry: a film of air
stays between them and what they touch, so their faces are drawn back by a hair.
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh, places
from mat_shelf.geometry.triangles import area_vectors, sums_at, triangle_normals
from mat_shelf.scene.kept import Kept

_STEEPEST = 0.35
"""Cosine between a way outwards and a face, under which a corner is not moved further."""
_HAIR, _HAIR_OF_PLACE = 0.2, 1e-4
"""Width of a film of air, of the tolerance; and of how far from the origin it is, where numbers are coarser."""
_LEAST = 2e-3
"""mm: faces at one place touch, however small the tolerance is."""


class Body(NamedTuple):
    """A part that light enters, or passes.

    Attributes
    ----------
    priority : int
        For nested dielectrics.
    is_wet : bool
    is_clear : bool
        Whether light is bent there, rather than scattered about below an opaque-looking surface.
    is_poured : bool
        Whether it reaches into what it touches as it is.
    is_sheet : bool
        Whether it has nothing inside, so that nothing can reach into it.
    """

    priority: int
    is_wet: bool
    is_clear: bool
    is_poured: bool = False
    is_sheet: bool = False


def resolve_contact(
    meshes: Sequence[Mesh], bodies: Sequence[Body | None], tolerance: float, kept: Kept | None = None
) -> list[Mesh]:
    """Meshes as they touch each other.

    Parameters
    ----------
    meshes : sequence of Mesh
        As they stand in the scene.
    bodies : sequence of Body or None
        None for what is opaque.
    tolerance : float, mm
        Widest gap that counts as contact.
    kept : Kept, optional
        Meshes of the last build.

    Returns
    -------
    list of Mesh
    """
    made, kept = list(meshes), kept or Kept()
    low, high = np.reshape([mesh.bounds for mesh in meshes[: len(bodies)]], (-1, 2, 3)).transpose(1, 0, 2)
    near = max(tolerance, _LEAST)
    for own, body in enumerate(bodies):
        if body is None or body.is_poured:
            continue
        apart = np.maximum(low[own] - high, low - high[own]).max(axis=1)
        for other in np.flatnonzero(apart <= near).tolist():
            beside = bodies[other]
            if other == own or (beside is not None and beside.is_poured):
                continue
            if body.is_wet:
                if tolerance > 0 and (beside is None or not beside.is_clear or body.priority < beside.priority):
                    made[own] = kept(_carried_on, made[own], meshes[other], tolerance)
            elif beside is None or (not beside.is_wet and (body.priority, -own) < (beside.priority, -other)):
                are_sheets = body.is_sheet and beside is not None and beside.is_sheet
                made[own] = kept(_drawn_back, made[own], made[other], near, are_sheets)
                made[other] = kept(_drawn_back, made[other], made[own], near, are_sheets)
    return made


def _carried_on(mesh: Mesh, other: Mesh, tolerance: float) -> Mesh:
    """A mesh whose faces, where they lie within the tolerance of another's, are moved on into that one."""
    touches, out, _ = _contact(mesh, other, tolerance)
    return _moved(mesh, touches, out, np.full(len(touches), 2 * tolerance))


def _drawn_back(mesh: Mesh, other: Mesh, tolerance: float, are_sheets: bool) -> Mesh:
    """A mesh whose faces, where they lie within the tolerance of another's, are a hair away from that one.

    Of sheets that lie back to back, as both sides of a label do, neither is inside of the other.
    """
    touches, out, gap = _contact(mesh, other, tolerance)
    if not touches.any():
        return mesh
    away = float(np.abs(mesh.vertices[mesh.triangles.reshape(-1)[touches]]).max())
    hair = max(_HAIR * tolerance, _HAIR_OF_PLACE * away)
    return _moved(mesh, touches & (gap < hair) & (gap > (-hair if are_sheets else -np.inf)), out, gap - hair)


def _moved(mesh: Mesh, chosen: np.ndarray, out: np.ndarray, by: np.ndarray) -> Mesh:
    """A mesh whose chosen corners are moved outwards, together with all that meet in the same place.

    Parameters
    ----------
    chosen : (3 T,) bool
    out : (3 T, 3) float32
        Outwards of each corner's face.
    by : (3 T,) float, mm
    """
    if not chosen.any():
        return mesh
    place = places(mesh.vertices)
    count = int(place.max()) + 1
    of_corner = place[mesh.triangles].reshape(-1)[chosen]
    way = sums_at(of_corner, out[chosen], count)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    steepest = np.ones(count)
    np.minimum.at(steepest, of_corner, (way[of_corner] * out[chosen]).sum(axis=1))
    furthest = np.zeros(count)
    np.maximum.at(furthest, of_corner, np.abs(by[chosen]))
    sign = 1 if by[chosen].mean() > 0 else -1
    shift = way * (sign * furthest / np.maximum(steepest, _STEEPEST))[:, None]
    return replace(mesh, vertices=(mesh.vertices + shift[place]).astype(np.float32))


def _contact(mesh: Mesh, other: Mesh, tolerance: float):
    """Which corners of a mesh touch another one.

    Returns
    -------
    touches : (3 T,) bool
    out : (3 T, 3) float32
        Outwards of each corner's face, where they touch.
    gap : (3 T,) float32, mm
        Where they touch, how far the other one is; below zero it is inside.
    """
    count = 3 * len(mesh.triangles)
    touches, gap, out = np.zeros(count, bool), np.zeros(count, np.float32), np.zeros((count, 3), np.float32)
    near = _faces_near(mesh, other.bounds, tolerance)
    beside = _faces_near(other, mesh.bounds, tolerance) if near.any() else near
    if not beside.any():
        return touches, out, gap
    corners, chosen = np.take(mesh.vertices, mesh.triangles[near], axis=0), np.repeat(near, 3)
    out[chosen] = np.repeat(triangle_normals(corners), 3, axis=0)
    # Looked at a little inside of each corner, where the other faces round it do not matter.
    looked_at = corners + np.float32(0.05) * (corners.mean(axis=1, keepdims=True) - corners)
    touches[chosen], gap[chosen] = _met(
        looked_at.reshape(-1, 3), out[chosen], replace(other, triangles=other.triangles[beside]), np.float32(tolerance)
    )
    return touches, out, gap


def _faces_near(mesh: Mesh, bounds: np.ndarray, tolerance: float) -> np.ndarray:
    """Faces whose box comes as near to another box as the tolerance, (T,) bool."""
    low, high = np.float32(bounds[0] - 2 * tolerance), np.float32(bounds[1] + 2 * tolerance)
    beyond = np.zeros(len(mesh.vertices), np.uint8)  # a bit for each of the six sides of the box
    for axis, along in enumerate(mesh.vertices.T):
        beyond |= (along < low[axis]).view(np.uint8) << np.uint8(2 * axis)
        beyond |= (along > high[axis]).view(np.uint8) << np.uint8(2 * axis + 1)
    if not beyond.any():
        return np.ones(len(mesh.triangles), bool)
    a, b, c = (beyond[mesh.triangles[:, k]] for k in range(3))
    return (a & b & c) == 0


def _met(points: np.ndarray, out: np.ndarray, other: Mesh, tolerance: np.float32):
    """Distances to faces of a mesh within the tolerance of each point, before or behind, and where there are any,
    (N,).
    """
    _, primitive, _, _, distance = Scene([(other.vertices, other.triangles)]).intersect(points - out * tolerance, out)
    near = (primitive >= 0) & (distance <= 2 * tolerance)
    corners = other.vertices[other.triangles[np.where(near, primitive, 0)]]
    facing = area_vectors(corners)
    return near & ((facing * out).sum(axis=1) < 0), distance - tolerance
