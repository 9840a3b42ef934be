"""Solids hollowed to vessels: a wall all round, a base, and an opening above."""

import math
from typing import NamedTuple

import manifold3d
import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.fills.vessel import Vessel, VesselError, frame_of, make_vessel
from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.geometry.offsetting import shifted_places
from mat_shelf.geometry.triangles import area_vectors

_HAIR = 1e-3
"""Of the height of a solid: how far slices are taken from where a body ends."""
_FINEST = 3e-5
"""Of the height of a solid, under which details of it are dropped."""
_NO_ROOM = "there is no room inside for such a wall; make it thinner"
_LYING = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0]])
_STANDING = np.array([[1.0, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0]])
"""The solid library slices and extrudes along z; these take y there and back."""
_LOOKS = 24
"""Heights at which it is looked whether there is room."""
_ARC = 8
"""Slices of a rounded inner corner."""
_GRID = 97
"""Places along a side of the outside's underside, where the inside follows it."""
_LEAST_SHARE = 1e-3
"""Of the solid's volume that is taken out at least."""


class Hollow(NamedTuple):
    """A hollowed solid.

    mesh : Mesh
    faces : (T,) int32; the face of the solid that each triangle lies in, -1 for those of the inside
    """

    mesh: Mesh
    faces: np.ndarray


def hollowed(
    mesh: Mesh,
    wall: float,
    base: float,
    corner: float,
    up=(0.0, 1.0, 0.0),
    raised: float = 0.0,
    follows: float = 0.0,
) -> Hollow:
    """A closed solid with its inside taken out.

    Parameters
    ----------
    mesh : Mesh
        The solid.
    wall, base : float
        Thickness of the sides and of the bottom, in the mesh's units.
    corner : float
        Radius between the inner wall and the bottom; as far as its outline bulges outwards all round.
    up : (3,) float
        The side that is opened, of unit length.
    raised : float
        Height by which the middle of the bottom stands above its edge, as under a bottle of wine; below 0 it lies
        deeper, as in a bowl, and `base` is its thickness there.
    follows : float
        Share by which the bottom rises where the outside's rises over its lowest point: with 1 the base is as thick
        everywhere, from top to bottom.

    Returns
    -------
    Hollow

    Raises
    ------
    VesselError
        If it is no closed solid, or has no room for the wall.
    """
    turn = frame_of(up)
    solid = make_vessel(mesh, up)
    vertices, triangles = solid.vertices, solid.triangles
    number = manifold3d.Manifold.reserve_ids(2)
    outer = _manifold(vertices, triangles, number)
    shifted = shifted_places(vertices, triangles, -wall)
    before, after = area_vectors(vertices[triangles]), area_vectors(shifted[triangles])
    area = np.linalg.norm(before, axis=1)
    if area[(before * after).sum(axis=1) < 0].sum() > 0.5 * area.sum():
        raise VesselError(_NO_ROOM)
    inner = _manifold(shifted, triangles, number + 1) ^ outer  # what crossed itself goes
    low, high = float(vertices[:, 1].min()), float(vertices[:, 1].max())
    hair = _HAIR * (high - low)
    floor = low + base + max(-raised, 0.0)
    bodies = [body for body in inner.decompose() if body.volume() > 0]
    if not bodies or floor > high - hair:
        raise VesselError(_NO_ROOM)
    inner = max(bodies, key=lambda body: body.volume())
    top = inner.bounding_box()[4]
    if high - top > 1.5 * wall + hair or not _has_room(outer, inner, wall):
        raise VesselError("it is narrower than two such walls somewhere; make the wall thinner")
    inner = _extended(inner, top - hair, high + 2 * hair)
    if inner.bounding_box()[1] > floor:
        inner = _extended(inner, inner.bounding_box()[1] + hair, floor - hair)
    inner = inner.trim_by_plane((0, 1, 0), floor)
    if inner.is_empty() or inner.volume() < _LEAST_SHARE * outer.volume():
        raise VesselError(_NO_ROOM)
    if corner > 0:
        inner = _with_corner(inner, floor, min(corner, 0.9 * (high - floor)), hair)
    if raised:
        inner = _with_middle(inner, floor, raised, hair)
    if follows > 0:
        inner = inner - _risen(solid, inner, floor, follows, hair)
        if inner.is_empty() or inner.volume() < _LEAST_SHARE * outer.volume():
            raise VesselError("its base would reach its opening; let it follow the outside less")
    finest = _FINEST * (high - low)
    made = (outer - inner.simplify(finest)).simplify(finest).to_mesh64()
    if not len(made.tri_verts):
        raise VesselError("nothing would be left of it; make the wall thicker")
    points = np.array(made.vert_properties[:, :3]) @ turn
    faces = np.array(made.tri_verts, np.int32)
    source = np.full(len(faces), -1, np.int32)
    runs = np.asarray(made.run_index) // 3
    for k, original in enumerate(made.run_original_id):
        if original == number:
            source[runs[k] : runs[k + 1]] = np.asarray(made.face_id)[runs[k] : runs[k + 1]]
    return Hollow(crease_normals(points, faces), source)


def _manifold(vertices: np.ndarray, triangles: np.ndarray, number: int) -> manifold3d.Manifold:
    """A body of the solid library; each face keeps its number."""
    body = manifold3d.Manifold(
        manifold3d.Mesh64(
            np.ascontiguousarray(vertices),
            triangles.astype(np.uint64),
            run_index=np.array([0, 3 * len(triangles)], np.uint64),
            run_original_id=np.array([number], np.uint32),
            face_id=np.arange(len(triangles), dtype=np.uint64),
        )
    )
    if body.status() != manifold3d.Error.NoError:
        raise VesselError("its faces do not fit together; mend it in the Product station")
    return body


def _has_room(outer: manifold3d.Manifold, inner: manifold3d.Manifold, wall: float) -> bool:
    """True unless a wall has passed through the one across from it, so that what is left of the inside is a mirage."""
    low, high = inner.bounding_box()[1], inner.bounding_box()[4]
    for height in np.linspace(low, high, _LOOKS + 2)[1:-1]:
        inside = _slice(inner, height)
        if inside.area() > 0 and _slice(outer, height).offset(-0.98 * wall, manifold3d.JoinType.Round).is_empty():
            return False
    return True


def _slice(body: manifold3d.Manifold, height: float) -> manifold3d.CrossSection:
    """Section of a body by a level plane, its axes x and -z."""
    return body.transform(_LYING).slice(height)


def _column(section: manifold3d.CrossSection, low: float, high: float) -> manifold3d.Manifold:
    return section.extrude(high - low).translate((0, 0, low)).transform(_STANDING)


def _extended(body: manifold3d.Manifold, height: float, end: float) -> manifold3d.Manifold:
    """A body with the column over, or under, its section at a height."""
    section = _slice(body, height)
    if section.is_empty():
        return body
    low, high = (height, end) if end > height else (end, height)
    return body + _column(section, low, high)


def _with_middle(body: manifold3d.Manifold, floor: float, raised: float, hair: float) -> manifold3d.Manifold:
    """A body whose bottom is raised, or lies deeper, in the middle: by 1 - s^2 at the share s of the way to its edge.

    Raises VesselError where the outline is not convex, or it would not end beneath the opening.
    """
    section = _slice(body, floor + hair)
    if section.area() < 0.995 * section.hull().area():
        raise VesselError("its outline is not convex, so its base stays flat; leave the middle at 0")
    if raised > 0.9 * (body.bounding_box()[4] - floor):
        raise VesselError("the middle of its base would reach its opening; raise it less")
    flat = np.concatenate(section.hull().to_polygons())
    middle = flat.mean(axis=0)
    points = []
    for share in np.linspace(0, 1, _ARC * 2 + 1):
        at = middle + share * (flat - middle)
        height = np.full(
            len(flat), floor + raised * (1 - share**2) - (math.copysign(hair, raised) if share == 1 else 0)
        )
        points.append(np.stack([at[:, 0], height, -at[:, 1]], axis=1))
    dome = manifold3d.Manifold.hull_points(np.concatenate(points))
    return body - dome if raised > 0 else body + dome


def _risen(solid: Vessel, inner: manifold3d.Manifold, floor: float, follows: float, hair: float) -> manifold3d.Manifold:
    """All between a level floor and one that rises as the underside of a solid does, by a share."""
    x0, _, z0, x1, _, z1 = inner.bounding_box()
    low, beneath = float(solid.vertices[:, 1].min()), float(np.ptp(solid.vertices[:, 1]))
    across, along = np.linspace(x0 - hair, x1 + hair, _GRID), np.linspace(z0 - hair, z1 + hair, _GRID)
    x, z = (values.reshape(-1) for values in np.meshgrid(across, along, indexing="ij"))
    below = np.stack([x, np.full(len(x), low - beneath), z], axis=1).astype(np.float32)
    hit, *_, away = solid.rays.intersect(below, np.tile(np.float32([0, 1, 0]), (len(x), 1)))
    height = np.where(hit >= 0, np.maximum(away - beneath, 0), 0.0)
    if (hit < 0).any() and (hit >= 0).any():  # beside the outline the nearest height goes on
        place = np.stack([x, z], axis=1)
        height[hit < 0] = height[hit >= 0][cKDTree(place[hit >= 0]).query(place[hit < 0])[1]]
    top = np.stack([x, floor + follows * height, z], axis=1)
    bottom = np.stack([x, np.full(len(x), floor - hair), z], axis=1)
    cell = np.arange(_GRID * _GRID).reshape(_GRID, _GRID)
    a, b, c, d = (part.reshape(-1) for part in (cell[:-1, :-1], cell[1:, :-1], cell[1:, 1:], cell[:-1, 1:]))
    upper = np.concatenate([np.stack([a, c, b], axis=1), np.stack([a, d, c], axis=1)])
    rim = np.concatenate([cell[:, 0], cell[-1, 1:], cell[-2::-1, -1], cell[0, -2:0:-1]])
    after, under = np.roll(rim, -1), len(x)
    sides = np.concatenate(
        [np.stack([rim, after, rim + under], axis=1), np.stack([after, after + under, rim + under], axis=1)]
    )
    triangles = np.concatenate([upper, upper[:, ::-1] + under, sides])
    return _manifold(np.concatenate([top, bottom]).astype(np.float64), triangles, manifold3d.Manifold.reserve_ids(1))


def _with_corner(body: manifold3d.Manifold, floor: float, radius: float, hair: float) -> manifold3d.Manifold:
    """A body whose lower edge is rounded; itself where its outline there is not convex."""
    section = _slice(body, floor + hair)
    if section.area() < 0.995 * section.hull().area():
        return body
    points = []
    for angle in np.linspace(0, np.pi / 2, _ARC + 1):
        inset, height = radius * (1 - np.sin(angle)), floor + radius * (1 - np.cos(angle))
        at = section.offset(-inset, manifold3d.JoinType.Round, circular_segments=96) if inset > 0 else section
        if at.is_empty():
            return body
        flat = np.concatenate(at.to_polygons())
        points.append(np.stack([flat[:, 0], np.full(len(flat), height), -flat[:, 1]], axis=1))
    foot = manifold3d.Manifold.hull_points(np.concatenate(points))
    return body.trim_by_plane((0, 1, 0), floor + radius - hair) + (foot ^ body)
