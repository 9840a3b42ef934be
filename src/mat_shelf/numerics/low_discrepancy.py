"""Random numbers: one small stream for each path, started from its pixel, its sample and a seed.

The first choices of a path, which matter most to the picture, come instead from sequences. Each fills evenly the few
dimensions that are chosen together, a direction say, at any power of two of samples; one has nothing to do with
another, since all dimensions of one sequence would take thousands of samples to be even two by two. Bits of them are
turned over by each pixel for itself, but for the place in the pixel.

References
----------
Sobol 1967; Owen 1998, Scrambling Sobol and Niederreiter-Xing Points. Burley 2020, Practical Hash-based Owen Scrambling,
for sequences padded in an order of their own. Kollig and Keller 2002, Efficient Multidimensional Sampling, for bits
turned over by the pixel.
O'Neill 2014, PCG: A Family of Simple Fast Space-Efficient Statistically Good Algorithms for Random Number
Generation (RXS-M-XS 32). Jarzynski and Olano 2020, Hash Functions for GPU Rendering.
"""

from functools import cache

import numpy as np

from mat_shelf.numerics.hashed_noise import unit
from mat_shelf.numerics.kernels import inline

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
    return state, unit(scramble(state))


LENS_DRAWS, BOUNCE_DRAWS, EVEN_BOUNCES = 4, 7, 4
"""Evenly spread choices of a camera ray and of each bounce, and how many bounces have them."""
_LOG_LENGTH = 12
_TURNED = (0x55555555, 0xAAAAAAAA)
"""Bits of the places in a pixel, every other of which is turned over: across, and from top to bottom."""
_LIGHT, _WAY = (2, 3, 1, 0), (5, 6, 4)
"""Choices of a bounce that belong together: of a light and a point of it; of a lobe and a direction. The first two of
each, the point and the direction, get the dimensions that are the most even."""


@cache
def _sequences() -> np.ndarray:
    from scipy.stats import qmc  # which takes a third of a second to import, and is of no other use

    rng = np.random.default_rng(1)
    numbers = np.empty((1 << _LOG_LENGTH, LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES), U32)
    # Places in the pixel are not scrambled at random: of any number of them the mean is near the pixel's middle.
    plain = qmc.Sobol(2, scramble=False, bits=32).random_base2(_LOG_LENGTH)
    numbers[:, :2] = (plain * 2.0**32).astype(U32) ^ np.array(_TURNED, U32)
    together = [(2, 3)]
    for first in range(LENS_DRAWS, numbers.shape[1], BOUNCE_DRAWS):
        together += [[first + k for k in kind] for kind in (_LIGHT, _WAY)]
    for places in together:
        points = qmc.Sobol(len(places), scramble=True, bits=32, rng=rng).random_base2(_LOG_LENGTH)
        numbers[:, places] = (points[_nested_order(rng)] * 2.0**32).astype(U32)
    return numbers


def _nested_order(rng: np.random.Generator) -> np.ndarray:
    """The numbers below 2**_LOG_LENGTH in an order in which blocks of 2**k, from multiples of it on, stay together."""
    numbers = np.arange(1 << _LOG_LENGTH)
    order = np.zeros_like(numbers)
    for bit in range(_LOG_LENGTH):
        above = numbers >> (bit + 1)
        turned = rng.integers(0, 2, above[-1] + 1)[above]
        order |= ((numbers >> bit & 1) ^ turned) << bit
    return order


def even_draws(samples, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """The evenly spread choices of all paths of a sample, or of some, before each pixel's own turn of bits.

    Parameters
    ----------
    samples : int or (S,) int
        Numbers of the samples.
    seed : int
        Seed of the render.

    Returns
    -------
    draws : (LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES,) or (S, ...) uint32
        Of 2**32. The first two are the place in the pixel, which is the same in all pixels: edges of few samples would
        be saw-toothed else.
    salt : uint32 or (S,) uint32
        For `shift_of`; another one each time that the sequences begin again.
    """
    length = 1 << _LOG_LENGTH
    rounds = np.asarray(samples, np.int64) // length * 0x85EBCA6B
    salt = (rounds + (seed * 0x9E3779B1 & 0xFFFFFFFF)) & 0xFFFFFFFF
    return _sequences()[samples % length], salt.astype(U32)[()]


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
    """One evenly spread choice of a pixel.

    Parameters
    ----------
    draws : (K,) uint32
        As `even_draws` has them.
    place : int
        Which of them.
    shift : uint32
        Of the pixel, as `shift_of` has it.

    Returns
    -------
    float32 in [0, 1)
    """
    return unit(draws[place] ^ scramble(U32(shift + U32(U32(place) * U32(0x9E3779B9)))))
