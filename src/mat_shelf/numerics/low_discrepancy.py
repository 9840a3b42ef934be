"""Random numbers: one small stream for each path, started from its pixel, its sample and a seed.

The first choices of a path, which matter most to the picture, come instead from even sequences. Bits of them are
turned over by each pixel for itself, but for the place in the pixel.

References
----------
Kollig and Keller 2002, Efficient Multidimensional Sampling, for bits turned over by the pixel.
O'Neill 2014, PCG: A Family of Simple Fast Space-Efficient Statistically Good Algorithms for Random Number
Generation (RXS-M-XS 32). Jarzynski and Olano 2020, Hash Functions for GPU Rendering.
"""

import numpy as np

from mat_shelf.numerics.even_sequences import LENGTH, even_sequences
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
    draws : (K,) or (S, K) uint32
        As `even_sequences` has them. The first two, the place in the pixel, are the same in all pixels: edges of few
        samples would be saw-toothed else.
    salt : uint32 or (S,) uint32
        For `shift_of`; another one each time that the sequences begin again.
    """
    rounds = np.asarray(samples, np.int64) // LENGTH * 0x85EBCA6B
    salt = (rounds + (seed * 0x9E3779B1 & 0xFFFFFFFF)) & 0xFFFFFFFF
    return even_sequences()[samples % LENGTH], salt.astype(U32)[()]


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
