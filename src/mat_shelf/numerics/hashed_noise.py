"""Random numbers on a lattice, and gradient noise over it."""

import math

import numpy as np

from mat_shelf.numerics.interpolation import smoothstep
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart

U = np.uint32


@inline
def hash3(x, y, z, seed):
    """A random uint32 of a lattice point (int32) and a seed (uint32).

    The mixing constants are those of the finaliser of MurmurHash3 (Appleby, public domain).

    Parameters
    ----------
    x, y, z : int32 or float32
        Coordinate.
    seed : uint32
        Seed.

    Returns
    -------
    uint32
    """
    h = U(U(x) * U(0x8DA6B343)) ^ U(U(y) * U(0xD8163841)) ^ U(U(z) * U(0xCB1AB31F)) ^ U(seed)
    h = U(h ^ U(h >> U(16)))
    h = U(h * U(0x85EBCA6B))
    h = U(h ^ U(h >> U(13)))
    h = U(h * U(0xC2B2AE35))
    return U(h ^ U(h >> U(16)))


@inline
def again(h):
    """The next random uint32 after one (Steele and Vigna's constants for a 32-bit step).

    Parameters
    ----------
    h : uint32
        Random number.

    Returns
    -------
    uint32
    """
    h = U(h * U(0x915F77F5) + U(0x3C6EF372))
    h = U(h ^ U(h >> U(15)))
    h = U(h * U(0x2C1B3C6D))
    return U(h ^ U(h >> U(12)))


@inline
def unit(h):
    """A random uint32 as a float32 in [0, 1).

    Parameters
    ----------
    h : uint32
        Random number.

    Returns
    -------
    float32
    """
    return F(np.int32(h >> U(8))) * F(1.0 / 16777216.0)


@inline
def floor(x):
    """The largest int32 not above x.

    Parameters
    ----------
    x : float32
        Number.

    Returns
    -------
    int32
    """
    whole = np.int32(x)
    return np.int32(whole - np.int32(1)) if F(whole) > x else whole


@inline
def wrapped(i, period):
    """A lattice coordinate within a period; itself where the period is 0.

    Parameters
    ----------
    i : int
        Index of the row or path.
    period : int
        Period in cells; 0 never repeats.

    Returns
    -------
    int32
    """
    if period <= 0:
        return i
    r = i % period
    return np.int32(r + period if r < 0 else r)


@inline
def _fraction(x, whole):
    return min(max(x - F(whole), F(0)), F(1))


@inline
def _fade(t):
    return t * t * t * (t * (t * F(6) - F(15)) + F(10))


@inline
def _slope(h, x, y, z):
    """Dot product with one of the twelve gradients of Perlin 2002."""
    h = U(h & U(15))
    u = x if h < U(8) else y
    v = y if h < U(4) else (x if (h == U(12) or h == U(14)) else z)
    return (u if U(h & U(1)) == U(0) else -u) + (v if U(h & U(2)) == U(0) else -v)


@inline
def gradient_noise(x, y, z, seed, period):
    """Noise in about [-1, 1], 0 on average.

    Parameters
    ----------
    x, y, z : float32
    seed : uint32
    period : int32
        Lattice cells after which x and y repeat; 0 for never.

    Returns
    -------
    float32

    References
    ----------
    Perlin 2002, Improving Noise.
    """
    xi, yi, zi = floor(x), floor(y), floor(z)
    # Beyond what an int32 holds the difference would be anything but a fraction.
    x, y, z = _fraction(x, xi), _fraction(y, yi), _fraction(z, zi)
    u, v, w = _fade(x), _fade(y), _fade(z)
    x0, x1 = wrapped(xi, period), wrapped(np.int32(xi + np.int32(1)), period)
    y0, y1 = wrapped(yi, period), wrapped(np.int32(yi + np.int32(1)), period)
    z0, z1 = zi, np.int32(zi + np.int32(1))
    o = F(1)
    a = _slope(hash3(x0, y0, z0, seed), x, y, z)
    b = _slope(hash3(x1, y0, z0, seed), x - o, y, z)
    c = _slope(hash3(x0, y1, z0, seed), x, y - o, z)
    d = _slope(hash3(x1, y1, z0, seed), x - o, y - o, z)
    e = _slope(hash3(x0, y0, z1, seed), x, y, z - o)
    f = _slope(hash3(x1, y0, z1, seed), x - o, y, z - o)
    g = _slope(hash3(x0, y1, z1, seed), x, y - o, z - o)
    h = _slope(hash3(x1, y1, z1, seed), x - o, y - o, z - o)
    low = a + u * (b - a) + v * (c + u * (d - c) - a - u * (b - a))
    high = e + u * (f - e) + v * (g + u * (h - g) - e - u * (f - e))
    return low + w * (high - low)


@inline
def smooth(edge0, edge1, x):
    """0 below one edge, 1 above the other, smooth between.

    Parameters
    ----------
    edge0 : float32
        Start of the ramp.
    edge1 : float32
        End of the ramp.
    x : float32
        Number.

    Returns
    -------
    float32
    """
    return smoothstep(min(max((x - edge0) / (edge1 - edge0), F(0)), F(1)))


@inline
def layer_seed(seed, layer):
    """The seed of one of several layers, or octaves, that lie on each other.

    Parameters
    ----------
    seed : uint32
        Seed of all of them.
    layer : int
        Its number.

    Returns
    -------
    uint32
    """
    return U(U(seed) * U(0x9E3779B1) + U(layer) * U(0x85EBCA77))


@inline
def _octave(x, y, z, octave, frequency, seed):
    """One octave of fractal noise."""
    key = layer_seed(seed, octave)
    shift = F(0.37) + F(7.31) * F(octave)
    return gradient_noise(x * frequency + shift, y * frequency - shift, z * frequency + shift, key, np.int32(0))


@inline
def fractal(x, y, z, octaves, gain, seed):
    """Gradient noise on itself, finer and weaker, in [0, 1] with a mean of 0.5 and a deviation of a sixth.

    Parameters
    ----------
    x, y, z : int32 or float32
        Coordinate.
    octaves : int
        Number of octaves.
    gain : float32
        Strength of each octave over the last.
    seed : uint32
        Seed.

    Returns
    -------
    float32
    """
    total, squares, amplitude, frequency = F(0), F(0), F(1), F(1)
    for octave in range(octaves):
        total += amplitude * _octave(x, y, z, octave, frequency, seed)
        squares += amplitude * amplitude
        amplitude *= gain
        frequency *= F(2)
    return min(max(F(0.5) + total / (F(6.0 * 0.26) * math.sqrt(squares)), F(0)), F(1))


@inline
def fractal_row(n, places, first, scale, octaves, gain, seed, out, row):
    """The same at many points: octave after octave, since only the inner loop becomes vector instructions.

    Parameters
    ----------
    n : int
        Number of points.
    places : (rows, N) float32
        Coordinates, in three rows from `first` on.
    first : int
        The first of these rows.
    scale : (3,) float32
        What each of them is multiplied by.
    octaves, gain, seed
        As for `fractal`.
    out : (rows, N) float32
        Receives the values, in one row.
    row : int
        That row.
    """
    # Numbers that are known when compiling would each be compiled for.
    _fractal_row(n, places, np.int64(first), scale, np.int64(octaves), gain, seed, out, np.int64(row))


@apart
def _fractal_row(n, places, first, scale, octaves, gain, seed, out, row):
    stay_apart()
    sx, sy, sz = scale
    squares, amplitude, frequency = F(0), F(1), F(1)
    for i in range(n):
        out[row, i] = F(0)
    for octave in range(octaves):
        for i in range(n):
            x, y, z = places[first, i] * sx, places[first + 1, i] * sy, places[first + 2, i] * sz
            out[row, i] += amplitude * _octave(x, y, z, octave, frequency, seed)
        squares += amplitude * amplitude
        amplitude *= gain
        frequency *= F(2)
    spread = F(1) / (F(6.0 * 0.26) * math.sqrt(squares))
    for i in range(n):
        out[row, i] = min(max(F(0.5) + out[row, i] * spread, F(0)), F(1))


@inline
def random_of(whole, seed):
    """A random number in [0, 1) for a whole number (int32) and a seed (uint32).

    Parameters
    ----------
    whole : int32
        Whole number.
    seed : uint32
        Seed.

    Returns
    -------
    float32
    """
    return unit(hash3(whole, np.int32(11), np.int32(5), seed))
