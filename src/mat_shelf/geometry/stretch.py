"""Texel size and stretch of texture coordinates on a surface."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors


def uv_scale(mesh: Mesh) -> np.ndarray:
    """Millimetres that a unit of u and of v covers, on average, (2,) float64; 1 where none has an area.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    (2,) float64
    """
    ds, dt, flat = _derivatives(mesh)
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    area = np.linalg.norm(area_vectors(corners), axis=1)
    weight = np.where(flat, 0, area)
    if weight.sum() <= 0:
        return np.ones(2)
    return np.array([np.average(np.linalg.norm(d, axis=1), weights=weight) for d in (ds, dt)])


def uv_measures(mesh: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """Millimetres that one unit of the coordinates covers, along the directions in which it covers most and least.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    most, least : (T,) float64, mm
        Singular values of each face's map from coordinates to the surface; infinite and 0 where the coordinates of a
        face have no area.

    Raises
    ------
    ValueError
        If the mesh has no coordinates.

    References
    ----------
    Sander et al. 2001, Texture Mapping Progressive Meshes, sec. 3.
    """
    ds, dt, flat = _derivatives(mesh)
    a, b, c = (np.einsum("ij,ij->i", x, y) for x, y in ((ds, ds), (ds, dt), (dt, dt)))
    spread = np.sqrt(np.maximum((a - c) ** 2 + 4 * b**2, 0))
    most, least = np.sqrt(np.maximum(a + c + spread, 0) / 2), np.sqrt(np.maximum(a + c - spread, 0) / 2)
    return np.where(flat, np.inf, most), np.where(flat, 0.0, least)


def _derivatives(mesh: Mesh) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Derivatives of the surface by u and v on each face, (T, 3) mm; and faces whose coordinates have no area, (T,).

    Raises ValueError where the mesh has no coordinates.
    """
    if mesh.uv is None:
        raise ValueError("the mesh has no texture coordinates")
    p = mesh.vertices[mesh.triangles].astype(np.float64)
    q = mesh.uv[mesh.triangles].astype(np.float64)
    along, across = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
    area = along[:, 0] * across[:, 1] - along[:, 1] * across[:, 0]
    flat = np.abs(area) < 1e-14
    scale = 1 / np.where(flat, 1, area)[:, None]
    one, other = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    ds = (one * across[:, 1:] - other * along[:, 1:]) * scale
    dt = (other * along[:, :1] - one * across[:, :1]) * scale
    return ds, dt, flat


def texel_sizes(mesh: Mesh, pixels: int) -> np.ndarray:
    """Side of a square as large as one texel of a picture of pixels x pixels on each face, (T,) float64, mm.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    pixels : int
        Pixels.

    Returns
    -------
    (T,) float64
    """
    most, least = uv_measures(mesh)
    with np.errstate(invalid="ignore"):
        return np.where(np.isfinite(most), np.sqrt(most * least), np.inf) / pixels


def stretches(mesh: Mesh) -> np.ndarray:
    """Length of a texel over its width on each face, (T,) float64, 1 where it is square.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    (T,) float64
    """
    most, least = uv_measures(mesh)
    return most / np.maximum(least, 1e-12)


def seams(mesh: Mesh) -> np.ndarray:
    """Edges of faces at which the coordinates are cut or end.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    (T, 3) bool
        For each face the edges opposite its first, second and third corner.

    Raises
    ------
    ValueError
        If the mesh has no coordinates.
    """
    if mesh.uv is None:
        raise ValueError("the mesh has no texture coordinates")
    welded = np.unique(mesh.vertices, axis=0, return_inverse=True)[1].reshape(-1)
    whole = len(welded)
    ends = mesh.triangles[:, [[1, 2], [2, 0], [0, 1]]].reshape(-1, 2)
    places = welded[ends]
    swap = places[:, 0] > places[:, 1]
    ends[swap], places[swap] = ends[swap][:, ::-1], places[swap][:, ::-1]
    keys = places[:, 0].astype(np.int64) * whole + places[:, 1]
    order = np.argsort(keys, kind="stable")
    sorted_keys = keys[order]
    uv = mesh.uv[ends[order]].reshape(-1, 4)
    same = sorted_keys[1:] == sorted_keys[:-1]
    joined = same & (np.abs(uv[1:] - uv[:-1]).max(1) < 1e-6)
    is_seam = np.ones(len(keys), bool)
    is_seam[1:] &= ~joined
    is_seam[:-1] &= ~joined
    found = np.empty(len(keys), bool)
    found[order] = is_seam
    return found.reshape(-1, 3)
