"""Pixels some hundred at a time, a channel after the other, as compilers turn loops into vector instructions.

A block is one array of `PLANES` times `BLOCK` values. Distances within it are known when kernels are compiled, and
indices are unsigned, which Numba does not take as counted from the end: without either, loops stay as they are, three
to ten times slower.
"""

import numpy as np

from mat_shelf.numerics.kernels import F, inline

BLOCK = 512
"""Pixels of a block."""
PLANES = 6
"""Channels of a block: red, green and blue come first, the others are for work in between."""
_1, _2 = np.uint64(BLOCK), np.uint64(2 * BLOCK)
_MOST = F(1e15)  # its square is finite too


def new_block() -> np.ndarray:
    """Memory of a block.

    Returns
    -------
    (PLANES * BLOCK,) float32
    """
    return np.empty(PLANES * BLOCK, np.float32)


@inline
def luminance(r, g, b):
    """Luminance of linear sRGB.

    Parameters
    ----------
    r, g, b : float32
        Linear light.

    Returns
    -------
    float32
    """
    return F(0.2126) * r + F(0.7152) * g + F(0.0722) * b


@inline
def sound(x):
    """A number that tables can be looked up by: what is below 0, or none, becomes 0, and what is endless very large.

    Parameters
    ----------
    x : float32
        Light.

    Returns
    -------
    float32
    """
    return min(x if x > F(0) else F(0), _MOST)  # a comparison with what is no number fails, where max may pass it on


@inline
def load_block(light, first, count, block):
    """Reads pixels; what is below 0 or no number becomes 0.

    Parameters
    ----------
    light : (N, 3) float32
        Light.
    first, count : int
        First of the pixels, and how many, at most `BLOCK`.
    block : (PLANES * BLOCK,) float32
        Its first three planes receive them.
    """
    start = np.uint64(first)
    for i in range(count):
        at = np.uint64(i)
        block[at] = sound(light[start + at, 0])
        block[at + _1] = sound(light[start + at, 1])
        block[at + _2] = sound(light[start + at, 2])


@inline
def store_block(block, first, count, light):
    """Writes pixels.

    Parameters
    ----------
    block : (PLANES * BLOCK,) float32
        Has them in its first three planes.
    first, count : int
        First of the pixels, and how many.
    light : (N, 3) float32
        Receives them.
    """
    start = np.uint64(first)
    for i in range(count):
        at = np.uint64(i)
        light[start + at, 0] = block[at]
        light[start + at, 1] = block[at + _1]
        light[start + at, 2] = block[at + _2]
