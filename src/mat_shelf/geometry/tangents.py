"""Tangents of meshes with texture coordinates, as exchange formats want them."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import sums_at

_LEAST = 1e-12


def vertex_tangents(mesh: Mesh) -> np.ndarray:
    """Directions in which u grows, at right angles to the normals.

    Parameters
    ----------
    mesh : Mesh
        Mesh with texture coordinates.

    Returns
    -------
    (V, 4) float32
        Unit vectors, and 1 or -1, by which the cross product of normal and tangent is the direction in which v grows.

    References
    ----------
    Mikkelsen 2008, Simulation of Wrinkled Surfaces Revisited, 2.2; glTF 2.0, 3.7.2.1.
    """
    corners, places = mesh.vertices[mesh.triangles].astype(np.float64), mesh.uv[mesh.triangles].astype(np.float64)
    one, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    du1, dv1 = (places[:, 1] - places[:, 0]).T
    du2, dv2 = (places[:, 2] - places[:, 0]).T
    area = du1 * dv2 - du2 * dv1
    sign = np.where(area < 0, -1.0, 1.0)[:, None]
    along = (one * dv2[:, None] - other * dv1[:, None]) * sign
    upward = (other * du1[:, None] - one * du2[:, None]) * sign
    both = np.repeat(np.concatenate([along, upward], axis=1), 3, axis=0)  # faces count as much as they are large
    sums = np.split(sums_at(mesh.triangles.reshape(-1), both, len(mesh.vertices)), 2, axis=1)
    normals = mesh.normals.astype(np.float64)
    tangent = sums[0] - normals * (sums[0] * normals).sum(axis=1, keepdims=True)
    length = np.linalg.norm(tangent, axis=1, keepdims=True)
    # Any direction in the surface will do where the coordinates have none.
    aside = np.eye(3)[np.abs(normals).argmin(axis=1)]
    aside -= normals * (aside * normals).sum(axis=1, keepdims=True)
    tangent = np.where(length > _LEAST, tangent / np.maximum(length, _LEAST), aside)
    tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), _LEAST)
    hand = np.where((np.cross(normals, tangent) * sums[1]).sum(axis=1) < 0, -1.0, 1.0)
    return np.concatenate([tangent, hand[:, None]], axis=1).astype(np.float32)
