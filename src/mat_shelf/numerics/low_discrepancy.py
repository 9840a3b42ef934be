"""Random numbers: one small stream for each path, started from its pixel, its sample and a seed.

The first choices of a path, which matter most to the picture, come instead from a sequence that fills all their
dimensions evenly, shifted by amounts of each pixel's own; but for the place in the pixel, which is not shifted.

References
----------
Sobol 1967; Owen 1998, Scrambling Sobol and Niederreiter-Xing Points. Cranley and Patterson 1976, Randomization of
Number Theoretic Methods for Multiple Integration.
O'Neill 2014, PCG: A Family of Simple Fast Space-Efficient Statistically Good Algorithms for Random Number
Generation (RXS-M-XS 32). Jarzynski and Olano 2020, Hash Functions for GPU Rendering.
"""

from functools import cache

import numpy as np

from mat_shelf.numerics.kernels import F, inline

U32 = np.uint32  # products and shifts of uint32 become 64-bit in Numba, so each is cast back


@inline
def scramble(state):
    """A well-mixed 32-bit number from any other.

    Parameters
    ----------
    state : uint32
        State of the random stream.

    Returns
    -------
    uint32
    """
    word = U32((state >> U32((state >> U32(28)) + U32(4))) ^ state)
    word = U32(word * U32(277803737))
    return U32((word >> U32(22)) ^ word)


@inline
def next_state(state):
    """Next state of a random stream.

    Parameters
    ----------
    state : uint32
        State of the random stream.

    Returns
    -------
    uint32
    """
    return U32(U32(state * U32(747796405)) + U32(2891336453))


@inline
def first_state(pixel, sample, seed):
    """First state of the stream of one path.

    Parameters
    ----------
    pixel : int
        Number of the pixel.
    sample : int
        Number of the sample.
    seed : uint32
        Seed of the render.

    Returns
    -------
    uint32
    """
    a = scramble(next_state(U32(U32(pixel) ^ scramble(next_state(U32(seed))))))
    return scramble(next_state(U32(a ^ scramble(next_state(U32(U32(sample) + U32(0x9E3779B9)))))))


@inline
def draw(state):
    """The next state, and a float32 in [0, 1).

    Parameters
    ----------
    state : uint32
        State of the random stream.

    Returns
    -------
    state : uint32
    number : float32
    """
    state = next_state(state)
    return state, F(scramble(state) >> U32(8)) * F(1.0 / 16777216.0)


LENS_DRAWS, BOUNCE_DRAWS, EVEN_BOUNCES = 4, 7, 4
"""Evenly spread choices of a camera ray and of each bounce, and how many bounces have them."""
_LOG_LENGTH = 12
_BITS = 22
_TURNED = (0x155555, 0x2AAAAA)
"""Bits of the places in a pixel, every other of which is turned over: across, and from top to bottom."""


@cache
def _sequence() -> np.ndarray:
    from scipy.stats import qmc  # which takes a third of a second to import, and is of no other use

    dimensions = LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES
    points = qmc.Sobol(dimensions, scramble=True, rng=np.random.default_rng(1)).random_base2(_LOG_LENGTH)
    # Places in the pixel are not scrambled at random: of any number of them the mean is near the pixel's middle.
    plain = qmc.Sobol(dimensions, scramble=False).random_base2(_LOG_LENGTH)[:, :2]
    points[:, :2] = ((plain * 2**_BITS).astype(np.int64) ^ _TURNED) / 2.0**_BITS
    return np.minimum(points, 1 - 2.0**-24).astype(np.float32)


def even_draws(sample: int, seed: int) -> tuple[np.ndarray, np.uint32]:
    """The evenly spread choices of all paths of one sample, before each pixel's own shift.

    Parameters
    ----------
    sample : int
        Number of the sample.
    seed : int
        Seed of the render.

    Returns
    -------
    draws : (LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES,) float32 in [0, 1)
        The first two are the place in the pixel, which is the same in all pixels: edges of few samples would be
        saw-toothed else.
    salt : uint32
        For `shift_of`; another one each time that the sequence begins again.
    """
    length = 1 << _LOG_LENGTH
    return _sequence()[sample % length], U32((seed * 0x9E3779B1 + (sample // length) * 0x85EBCA6B) & 0xFFFFFFFF)


@inline
def shift_of(pixel, salt):
    """Seed of a pixel's shifts.

    Parameters
    ----------
    pixel : int
        Number of the pixel.
    salt : uint32
        Number that decorrelates renders.

    Returns
    -------
    uint32
    """
    return scramble(next_state(U32(U32(pixel) ^ scramble(next_state(salt)))))


@inline
def shifted(draws, place, shift):
    """One evenly spread choice of a pixel, float32 in [0, 1).

    Parameters
    ----------
    draws : (N, K) uint32
        Points of the sequence.
    place : uint32
        Point of the sequence.
    shift : uint32
        Shift of the pixel.

    Returns
    -------
    float32
    """
    x = draws[place] + F(scramble(U32(shift + U32(U32(place) * U32(0x9E3779B1)))) >> U32(8)) * F(1.0 / 16777216.0)
    return x - F(1) if x >= F(1) else x
