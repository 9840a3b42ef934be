"""The faces that an engineer drew: runs of triangles that were laid on one surface of a CAD model."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors

_ALIKE = 0.01
"""Part by which areas and extents of faces that are alike differ at most."""


def first_triangles(labels: np.ndarray) -> np.ndarray:
    """First triangle of each run of equal labels, (F,) int64.

    Parameters
    ----------
    labels : (T,) int
        Number of each triangle's face.

    Returns
    -------
    (F,) int64
    """
    labels = np.asarray(labels)
    return np.flatnonzero(np.r_[True, labels[1:] != labels[:-1]])


def face_numbers(first: np.ndarray, count: int) -> np.ndarray:
    """Number of the face that each triangle lies on, (T,) int64, counted from 0.

    Parameters
    ----------
    first : (F,) int
        First triangle of each face, ascending.
    count : int
        Number of triangles.

    Returns
    -------
    (T,) int64
    """
    return np.maximum(np.searchsorted(first, np.arange(count), side="right") - 1, 0)


def face_features(mesh: Mesh, numbers: np.ndarray) -> np.ndarray:
    """Middle and size of each face, by which it is known again however its triangles lie, (F, 4) float64, mm.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    numbers : (T,) int
        As `face_numbers` gives them.

    Returns
    -------
    (F, 4) float64
    """
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    area, count = np.linalg.norm(area_vectors(corners), axis=1), int(numbers.max()) + 1
    total = np.maximum(np.bincount(numbers, area, count), 1e-30)
    middle = [np.bincount(numbers, area * column, count) / total for column in corners.mean(axis=1).T]
    return np.column_stack([*middle, np.sqrt(total)])


def faces_alike(mesh: Mesh, numbers: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    """Triangles of all faces that have the size and shape of chosen ones.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    numbers : (T,) int
        As `face_numbers` gives them.
    chosen : (T,) bool
        Triangles; a face of which one is among them is chosen.

    Returns
    -------
    (T,) bool
    """
    shapes = _shapes(mesh, numbers)
    wanted = np.unique(numbers[chosen])
    scale = np.maximum(np.abs(shapes), 1e-9 * np.abs(shapes).max(initial=1e-30))
    alike = np.zeros(len(shapes), bool)
    for face in wanted:
        alike |= (np.abs(shapes - shapes[face]) <= _ALIKE * np.maximum(scale, scale[face])).all(axis=1)
    return alike[numbers]


def _shapes(mesh: Mesh, numbers: np.ndarray) -> np.ndarray:
    """Features that tell faces apart wherever they lie: size, how bent, and extents along their own axes, (F, 5)."""
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    across = area_vectors(corners)
    area = np.linalg.norm(across, axis=1)
    count = int(numbers.max()) + 1
    total = np.bincount(numbers, area, count)
    toward = np.linalg.norm([np.bincount(numbers, column, count) for column in across.T], axis=0)
    # Second moments of triangles about the middle of their face.
    middle = np.stack([np.bincount(numbers, area * column, count) for column in corners.mean(axis=1).T], axis=1)
    middle /= np.maximum(total, 1e-30)[:, None]
    off = corners - middle[numbers][:, None]
    summed = off.sum(axis=1)
    moment = (np.einsum("tki,tkj->tij", off, off) + np.einsum("ti,tj->tij", summed, summed)) / 12
    moments = np.stack(
        [np.bincount(numbers, area * moment[:, i, j], count) for i in range(3) for j in range(3)], axis=1
    ).reshape(-1, 3, 3)
    extents = np.sqrt(np.maximum(np.linalg.eigvalsh(moments / np.maximum(total, 1e-30)[:, None, None]), 0))
    size = np.sqrt(np.maximum(total, 1e-30))
    # Counted with the face's own size, so that the thickness of a flat one is not told from its rounding.
    return np.column_stack([size, size * toward / np.maximum(total, 1e-30), np.maximum(extents, 1e-3 * size[:, None])])
