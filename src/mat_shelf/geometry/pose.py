"""Meshes where their parts stand."""

import numpy as np

from mat_shelf.document.product import Pose
from mat_shelf.geometry.mesh import Mesh

Z_UP_TURN = (-90.0, 0.0, 0.0)
"""Angles of the pose that stands a z-up model up, degrees."""


def turn_matrix(degrees) -> np.ndarray:
    """Rotation about x, then y, then z of the world, (3, 3) float64.

    Parameters
    ----------
    degrees : (3,) float
        Angles about x, y and z, degrees.

    Returns
    -------
    (3, 3) float64
    """
    (cx, cy, cz), (sx, sy, sz) = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    return about_z @ about_y @ about_x


def posed(mesh: Mesh, pose: Pose) -> Mesh:
    """The mesh scaled, turned and shifted; itself where the pose changes nothing.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    pose : Pose
        Pose of the part.

    Returns
    -------
    Mesh
    """
    if pose == Pose():
        return mesh
    turn = turn_matrix(pose.turn)
    return Mesh(
        np.ascontiguousarray(mesh.vertices @ (turn.T * pose.scale) + np.array(pose.shift), np.float32),
        mesh.triangles,
        np.ascontiguousarray(mesh.normals @ turn.T, np.float32),
        mesh.uv,
    )


def posed_bounds(mesh: Mesh, pose: Pose) -> np.ndarray:
    """Lowest and highest corner of a mesh where its part stands, (2, 3) float32, mm.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    pose : Pose
        Pose of the part.

    Returns
    -------
    (2, 3) float32
    """
    if pose.turn != (0.0, 0.0, 0.0):
        return posed(mesh, pose).bounds
    return (mesh.bounds * pose.scale + np.array(pose.shift)).astype(np.float32)


def in_part_frame(point, direction, pose: Pose) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """A point and a direction of the world in a part's own frame.

    Parameters
    ----------
    point : (3,) float
        Point, mm.
    direction : (3,) float
        Unit direction.
    pose : Pose
        Pose of the part.

    Returns
    -------
    (3,) float, mm before the part is scaled, and (3,) float
    """
    turn = turn_matrix(pose.turn)
    own = np.subtract(point, pose.shift) @ turn / pose.scale
    return tuple(float(x) for x in own), tuple(float(x) for x in np.asarray(direction) @ turn)


def scaled_about(pose: Pose, factor: float, point) -> Pose:
    """The pose after everything was scaled about a point (mm).

    Parameters
    ----------
    pose : Pose
        Pose of the part.
    factor : float
        Factor.
    point : (3,) float
        Point, mm.

    Returns
    -------
    Pose
    """
    shift = np.add(point, np.subtract(pose.shift, point) * factor)
    return pose.with_(shift=tuple(float(x) for x in shift), scale=pose.scale * factor)


def turned_about(pose: Pose, by: np.ndarray, point) -> Pose:
    """The pose after everything was turned by a rotation, (3, 3), about a point (mm).

    Parameters
    ----------
    pose : Pose
        Pose of the part.
    by : (3, 3) float
        Rotation.
    point : (3,) float
        Point, mm.

    Returns
    -------
    Pose
    """
    shift = np.add(point, by @ np.subtract(pose.shift, point))
    return pose.with_(shift=tuple(float(x) for x in shift), turn=euler_degrees(by @ turn_matrix(pose.turn)))


def euler_degrees(turn: np.ndarray) -> tuple[float, float, float]:
    """Angles of `turn_matrix` for a rotation, each in [-180, 180].

    Parameters
    ----------
    turn : (3, 3) float
        Rotation.

    Returns
    -------
    (3,) float
    """
    level = np.hypot(turn[2, 1], turn[2, 2])
    y = np.arctan2(-turn[2, 0], level)
    if level > 1e-9:
        x, z = np.arctan2(turn[2, 1], turn[2, 2]), np.arctan2(turn[1, 0], turn[0, 0])
    else:  # looking along z, only the sum of both turns counts
        x, z = np.arctan2(-turn[1, 2], turn[1, 1]), 0.0
    return tuple(round(float(v), 6) for v in np.degrees((x, y, z)))
