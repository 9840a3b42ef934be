"""Triangles made finer where something is to stand out of them, without cracks."""

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors

_MOST_ROUNDS = 24


class RefineError(ValueError):
    """A mesh that would become too large; the message says how fine it may be."""


class Refined(NamedTuple):
    """A mesh made finer, each triangle by itself.

    Attributes
    ----------
    position, normal : (T, 3, 3) float32
        Of three corners; mm, and unit length.
    uv : (T, 3, 2) float32 or None
    face : (T,) int32
        The triangle of the mesh that it is a piece of.
    place : (T, 3, 2) float32
        Where in that one its corners lie: shares of the second and third corner.
    """

    position: np.ndarray
    normal: np.ndarray
    uv: np.ndarray | None
    face: np.ndarray
    place: np.ndarray


_HOME = np.float32([[0, 0], [1, 0], [0, 1]])
_PIECES = {  # corners 0, 1, 2, and 3, 4, 5 in the middle of the sides that begin there
    (False, False, False): ((0, 1, 2),),
    (True, False, False): ((0, 3, 2), (3, 1, 2)),
    (False, True, False): ((0, 1, 4), (0, 4, 2)),
    (False, False, True): ((0, 1, 5), (5, 1, 2)),
    (True, True, False): ((3, 1, 4), (0, 3, 4), (0, 4, 2)),
    (False, True, True): ((4, 2, 5), (0, 1, 4), (0, 4, 5)),
    (True, False, True): ((0, 3, 5), (3, 1, 2), (3, 2, 5)),
    (True, True, True): ((0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5)),
}


def refine(
    mesh: Mesh,
    scale: float,
    fineness: Callable[[np.ndarray, np.ndarray], np.ndarray],
    most: int,
    progress: Callable[[int, int], bool] = lambda done, total: True,
) -> Refined:
    """Halves the sides of triangles until they are short enough.

    Whether a side is halved depends on its ends alone, so faces that meet in a side are cut alike, whatever else
    differs between them: there are no cracks.

    Parameters
    ----------
    mesh : Mesh
    scale : float
        The mesh is taken that many times as large.
    fineness : callable ((N, 3) float32, (N,) float32) -> (N,) float32
        Longest that sides may be, by their middles and lengths, mm.
    most : int
        Triangles that are too many.
    progress : callable (done, total) -> bool
        False cancels.

    Returns
    -------
    Refined

    Raises
    ------
    RefineError
        If it takes more triangles.
    InterruptedError
        If `progress` said so.
    """
    corners = np.ascontiguousarray(mesh.triangles)
    count = len(corners)
    position = (mesh.vertices * np.float32(scale))[corners]
    columns = [position, mesh.normals[corners]]
    if mesh.uv is not None:
        columns.append(mesh.uv[corners])
    columns.append(np.broadcast_to(_HOME, (count, 3, 2)))
    soup = np.concatenate(columns, axis=2).astype(np.float32)
    face = np.arange(count, dtype=np.int32)
    for round_ in range(_MOST_ROUNDS):
        if not progress(round_, _MOST_ROUNDS):
            raise InterruptedError("cancelled")
        split = _too_long(soup[..., :3], fineness)
        if not split.any():
            break
        total = int((1 + split.sum(axis=1)).sum())
        if total > most:
            raise RefineError(f"it takes more than {most / 1e6:.1f} million triangles")
        middles = np.float32(0.5) * (soup + np.roll(soup, -1, axis=1))
        soup, face = _cut(np.concatenate([soup, middles], axis=1), split, face)
    normal = soup[..., 3:6]
    normal = normal / np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), np.float32(1e-20))
    uv = soup[..., 6:8] if mesh.uv is not None else None
    return Refined(np.ascontiguousarray(soup[..., :3]), normal, uv, face, np.ascontiguousarray(soup[..., -2:]))


def _too_long(position: np.ndarray, fineness) -> np.ndarray:
    """Which sides are to be halved, (T, 3) bool; the k-th begins at corner k."""
    after = np.roll(position, -1, axis=1)
    length = np.sqrt(((after - position) ** 2).sum(axis=2))
    middle = np.float32(0.5) * (position + after)
    allowed = fineness(middle.reshape(-1, 3), length.reshape(-1)).reshape(length.shape)
    return length > allowed


def _cut(six: np.ndarray, split: np.ndarray, face: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Pieces of triangles that are cut at some sides, (T, 6, C): their corners and the middles of their sides."""
    case = split @ np.array([1, 2, 4])
    pieces, faces = [], []
    for sides, cut in _PIECES.items():
        mine = np.flatnonzero(case == np.array(sides) @ np.array([1, 2, 4]))
        if len(mine):
            for corners in cut:
                pieces.append(six[mine][:, corners])
                faces.append(face[mine])
    return np.concatenate(pieces), np.concatenate(faces)


def even(spacing: float):
    """The same fineness everywhere, mm.

    Parameters
    ----------
    spacing : float
        Longest side of a triangle, mm.

    Returns
    -------
    float32
    """
    return lambda middle, length: np.full(len(length), spacing, np.float32)


def triangles_needed(mesh: Mesh, scale: float, spacing: float) -> float:
    """Most triangles that a mesh takes at a fineness, mm, but for slivers.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    scale : float
        Factor.
    spacing : float
        Longest side of a triangle, mm.

    Returns
    -------
    float
    """
    area = np.linalg.norm(area_vectors(mesh.vertices[mesh.triangles].astype(np.float64) * scale), axis=1)
    # Halving sides until they are short enough may leave them half as long as allowed: 0.43 of a quarter of the square.
    return float(np.maximum(area / (0.1 * spacing * spacing), 1).sum())


def finest_allowed(mesh: Mesh, scale: float, most: int) -> float:
    """A fineness, mm, at which a mesh takes no more triangles than are allowed.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    scale : float
        Factor.
    most : int
        Triangles that are allowed.

    Returns
    -------
    float
    """
    low, high = 1e-3, 1e3
    for _ in range(40):
        middle = math.sqrt(low * high)
        low, high = (low, middle) if triangles_needed(mesh, scale, middle) < most else (middle, high)
    return high
