"""Areas and normals of triangles given by their corners."""

import numpy as np


def area_vectors(corners: np.ndarray) -> np.ndarray:
    """Vectors along the normals of triangles, as long as their areas.

    Parameters
    ----------
    corners : (..., 3, 3) float
        Corners, mm; counter-clockwise as seen from outside.

    Returns
    -------
    (..., 3) float
        mm2, of the dtype of the corners.
    """
    first = corners[..., 0, :]
    return np.cross(corners[..., 1, :] - first, corners[..., 2, :] - first) / 2


def sums_at(index: np.ndarray, values: np.ndarray, count: int) -> np.ndarray:
    """Sums of the rows of values that go to the same place; many times as quick as `numpy.add.at`.

    Parameters
    ----------
    index : (N,) int
        Place of each row, from 0.
    values : (N, K) float
        Rows.
    count : int
        Number of places.

    Returns
    -------
    (count, K) float64
    """
    return np.stack([np.bincount(index, column, count) for column in values.T], axis=1)


def triangle_normals(corners: np.ndarray) -> np.ndarray:
    """Unit normals of triangles; zero where one has no area.

    Parameters
    ----------
    corners : (..., 3, 3) float
        Corners, mm; counter-clockwise as seen from outside.

    Returns
    -------
    (..., 3) float
        Of the dtype of the corners.
    """
    across = area_vectors(corners)
    return across / np.maximum(np.linalg.norm(across, axis=-1, keepdims=True), 1e-30)
