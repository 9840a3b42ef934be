"""Random numbers: one small stream for each path, started from its pixel, its sample and a seed.

References
----------
O'Neill 2014, PCG: A Family of Simple Fast Space-Efficient Statistically Good Algorithms for Random Number
Generation (RXS-M-XS 32). Jarzynski and Olano 2020, Hash Functions for GPU Rendering.
"""

import numpy as np

from mat_shelf.optics.kernels import F, inline

U32 = np.uint32  # products and shifts of uint32 become 64-bit in Numba, so each is cast back


@inline
def scramble(state):
    """A well-mixed 32-bit number from any other."""
    word = U32((state >> U32((state >> U32(28)) + U32(4))) ^ state)
    word = U32(word * U32(277803737))
    return U32((word >> U32(22)) ^ word)


@inline
def advance(state):
    return U32(U32(state * U32(747796405)) + U32(2891336453))


@inline
def start(pixel, sample, seed):
    """First state of the stream of one path."""
    a = scramble(advance(U32(U32(pixel) ^ scramble(advance(U32(seed))))))
    return scramble(advance(U32(a ^ scramble(advance(U32(U32(sample) + U32(0x9E3779B9)))))))


@inline
def draw(state):
    """The next state, and a float32 in [0, 1)."""
    state = advance(state)
    return state, F(scramble(state) >> U32(8)) * F(1.0 / 16777216.0)
