"""Triples of float32 and orthonormal frames, for use inside kernels."""

import math

from mat_shelf.numerics.kernels import F, inline


@inline
def add(a, b):
    """Sum of two vectors.

    Parameters
    ----------
    a, b : float32 triple
        Vectors.

    Returns
    -------
    float32 triple
    """
    return (a[0] + b[0], a[1] + b[1], a[2] + b[2])


@inline
def sub(a, b):
    """First vector less the second one.

    Parameters
    ----------
    a, b : float32 triple
        Vectors.

    Returns
    -------
    float32 triple
    """
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


@inline
def mul(a, b):
    """Product of two vectors, component by component.

    Parameters
    ----------
    a, b : float32 triple
        Vectors.

    Returns
    -------
    float32 triple
    """
    return (a[0] * b[0], a[1] * b[1], a[2] * b[2])


@inline
def scale(a, s):
    """Vector times a number.

    Parameters
    ----------
    a : float32 triple
        Vector.
    s : float32
        Factor.

    Returns
    -------
    float32 triple
    """
    return (a[0] * s, a[1] * s, a[2] * s)


@inline
def dot(a, b):
    """Dot product.

    Parameters
    ----------
    a, b : float32 triple
        Vectors.

    Returns
    -------
    float32
    """
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@inline
def cross(a, b):
    """Cross product.

    Parameters
    ----------
    a, b : float32 triple
        Vectors.

    Returns
    -------
    float32 triple
    """
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@inline
def normalize(a):
    """Vector at unit length.

    Parameters
    ----------
    a : float32 triple
        Vector.

    Returns
    -------
    float32 triple
    """
    return scale(a, F(1) / max(math.sqrt(dot(a, a)), F(1e-30)))


@inline
def mix(a, b, t):
    """Linear interpolation from one vector to another.

    Parameters
    ----------
    a, b : float32 triple
        Vectors.
    t : float32
        Share of the second vector.

    Returns
    -------
    float32 triple
    """
    s = F(1) - t
    return (a[0] * s + b[0] * t, a[1] * s + b[1] * t, a[2] * s + b[2] * t)


@inline
def largest(a):
    """Largest component.

    Parameters
    ----------
    a : float32 triple
        Vector.

    Returns
    -------
    float32
    """
    return max(a[0], max(a[1], a[2]))


@inline
def facing_of(corners, t):
    """Unit normal of a triangle.

    Parameters
    ----------
    corners : (T, 9) float32
        Corners of the triangles, mm.
    t : int
        The triangle.

    Returns
    -------
    float32 triple
    """
    first = (corners[t, 0], corners[t, 1], corners[t, 2])
    one = sub((corners[t, 3], corners[t, 4], corners[t, 5]), first)
    other = sub((corners[t, 6], corners[t, 7], corners[t, 8]), first)
    return normalize(cross(one, other))


@inline
def frame(n):
    """Two unit vectors that make a right-handed frame with the unit vector n (Duff et al. 2017).

    Parameters
    ----------
    n : float32 triple
        Unit vector.

    Returns
    -------
    tangent, bitangent : float32 triples
    """
    sign = math.copysign(F(1), n[2])
    a = F(-1) / (sign + n[2])
    b = n[0] * n[1] * a
    return (F(1) + sign * n[0] * n[0] * a, sign * b, -sign * n[0]), (b, sign + n[1] * n[1] * a, -n[1])


@inline
def to_local(v, t, b, n):
    """Vector in a local frame.

    Parameters
    ----------
    v : float32 triple
        Vector.
    t : float32 triple
        Tangent.
    b : float32 triple
        Bitangent.
    n : float32 triple
        Normal.

    Returns
    -------
    float32 triple
    """
    return (dot(v, t), dot(v, b), dot(v, n))


@inline
def to_world(v, t, b, n):
    """Vector out of a local frame.

    Parameters
    ----------
    v : float32 triple
        Vector.
    t : float32 triple
        Tangent.
    b : float32 triple
        Bitangent.
    n : float32 triple
        Normal.

    Returns
    -------
    float32 triple
    """
    return (
        v[0] * t[0] + v[1] * b[0] + v[2] * n[0],
        v[0] * t[1] + v[1] * b[1] + v[2] * n[1],
        v[0] * t[2] + v[1] * b[2] + v[2] * n[2],
    )


@inline
def row3(array, i):
    """Row i of an (N, 3) array as a triple.

    Parameters
    ----------
    array : (N, 3) array
        Array.
    i : int
        Row.

    Returns
    -------
    (N, 3) array
    """
    return (array[i, 0], array[i, 1], array[i, 2])


@inline
def row3_at(array, i, column):
    """Three columns of row i of a block, from `column` on, as a triple.

    Parameters
    ----------
    array : (N, 3) array
        Array.
    i : int
        Row.
    column : int
        First column.

    Returns
    -------
    float32 triple
    """
    return (array[i, column], array[i, column + 1], array[i, column + 2])


@inline
def store3(array, i, v):
    """Write a vector into row i of an array.

    Parameters
    ----------
    array : (N, 3) array
        Array.
    i : int
        Row.
    v : float32 triple
        Vector.
    """
    array[i, 0] = v[0]
    array[i, 1] = v[1]
    array[i, 2] = v[2]


@inline
def row3_flat(array, i):
    """Row i of an (N, 3) array that was made flat: loops over it are done for many rows at once.

    Parameters
    ----------
    array : (3N,) float32
        Array.
    i : int
        Row.

    Returns
    -------
    float32 triple
    """
    return array[3 * i], array[3 * i + 1], array[3 * i + 2]


@inline
def store3_flat(array, i, v):
    """Write a vector into row i of an array that was made flat, as `row3_flat` reads it.

    Parameters
    ----------
    array : (3N,) float32
        Array.
    i : int
        Row.
    v : float32 triple
        Vector.
    """
    array[3 * i] = v[0]
    array[3 * i + 1] = v[1]
    array[3 * i + 2] = v[2]
