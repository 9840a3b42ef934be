"""Interpolation: smooth steps, curves through nodes, and values between the corners of a triangle."""

from functools import lru_cache

import numpy as np
from scipy.interpolate import PchipInterpolator

from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.vectors import add, cross, dot, scale, sub


@inline
def smoothstep(t):
    """Smooth from 0 to 1, level at both ends. Of arrays, outside of kernels: `smoothsteps`.

    Parameters
    ----------
    t : float32
        In [0, 1].

    Returns
    -------
    float32
    """
    return t * t * (F(3) - F(2) * t)


smoothsteps = smoothstep.py_func
"""The same of float32 arrays."""


@inline
def between2(corners, t, u, v):
    """Pair of values at a place in a triangle.

    Parameters
    ----------
    corners : (T, 6) float32
        Pairs at the three corners of each triangle.
    t : int
        The triangle.
    u, v : float32
        Barycentric coordinates of the place: shares of the second and the third corner.

    Returns
    -------
    (2,) float32
    """
    w = F(1) - u - v
    return (
        w * corners[t, 0] + u * corners[t, 2] + v * corners[t, 4],
        w * corners[t, 1] + u * corners[t, 3] + v * corners[t, 5],
    )


@inline
def between3(corners, t, u, v):
    """Triple of values at a place in a triangle; see `between2`.

    Parameters
    ----------
    corners : (T, 9) float32
        Triples at the three corners of each triangle.
    t : int
        The triangle.
    u, v : float32
        Barycentric coordinates of the place.

    Returns
    -------
    (3,) float32
    """
    w = F(1) - u - v
    return (
        w * corners[t, 0] + u * corners[t, 3] + v * corners[t, 6],
        w * corners[t, 1] + u * corners[t, 4] + v * corners[t, 7],
        w * corners[t, 2] + u * corners[t, 5] + v * corners[t, 8],
    )


@inline
def between_slopes(corners, pairs, t, u, v):
    """Pair of values at a place in a triangle, and their gradients in space.

    Parameters
    ----------
    corners : (T, 9) float32
        Corners of the triangles, mm.
    pairs : (T, 6) float32
        Pairs at the three corners of each triangle, such as texture coordinates.
    t : int
        The triangle.
    u, v : float32
        Barycentric coordinates of the place.

    Returns
    -------
    values : (2,) float32
    one, other : (3,) float32
        Gradients of both, 1/mm.
    """
    first = (corners[t, 0], corners[t, 1], corners[t, 2])
    along = sub((corners[t, 3], corners[t, 4], corners[t, 5]), first)
    beside = sub((corners[t, 6], corners[t, 7], corners[t, 8]), first)
    n = cross(along, beside)
    per_area = F(1) / max(dot(n, n), F(1e-20))
    toward_u, toward_v = scale(cross(beside, n), per_area), scale(cross(n, along), per_area)
    one = add(scale(toward_u, pairs[t, 2] - pairs[t, 0]), scale(toward_v, pairs[t, 4] - pairs[t, 0]))
    other = add(scale(toward_u, pairs[t, 3] - pairs[t, 1]), scale(toward_v, pairs[t, 5] - pairs[t, 1]))
    return between2(pairs, t, u, v), one, other


@lru_cache(maxsize=64)
def curve_table(nodes, count: int) -> np.ndarray:
    """A curve through nodes at even places from 0 to 1, monotone between them, level beside them.

    Parameters
    ----------
    nodes : tuple of (place, value)
        By rising place, at least two.
    count : int
        Number of places.

    Returns
    -------
    (count,) float32

    References
    ----------
    Fritsch and Carlson 1980, Monotone Piecewise Cubic Interpolation.
    """
    places, values = np.array(nodes).T
    inside = np.clip(np.linspace(0, 1, count), places[0], places[-1])
    return PchipInterpolator(places, values)(inside).astype(np.float32)
