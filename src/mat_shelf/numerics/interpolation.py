"""Interpolation: smooth steps, and values between the corners of a triangle."""

from mat_shelf.numerics.kernels import F, inline


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
