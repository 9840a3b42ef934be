"""Sequences of choices, each of which fills evenly the few dimensions that are chosen together.

They do so at any power of two of samples. One has nothing to do with another, since all dimensions of one sequence
would take thousands of samples to be even two by two.

References
----------
Sobol 1967; Owen 1998, Scrambling Sobol and Niederreiter-Xing Points. Burley 2020, Practical Hash-based Owen Scrambling,
for sequences padded in an order of their own.
"""

import io
from functools import cache

import numpy as np

from mat_shelf.numerics.kernels import cache_folder
from mat_shelf.system.file_writer import write_file

LENS_DRAWS, BOUNCE_DRAWS, EVEN_BOUNCES = 4, 7, 4
"""Evenly spread choices of a camera ray and of each bounce, and how many bounces have them."""
LENGTH = 1 << 12
"""Samples after which the sequences begin again."""
_TURNED = (0x55555555, 0xAAAAAAAA)
"""Bits of the places in a pixel, every other of which is turned over: across, and from top to bottom."""
_LIGHT, _WAY = (2, 3, 1, 0), (5, 6, 4)
"""Choices of a bounce that belong together: of a light and a point of it; of a lobe and a direction. The first two of
each, the point and the direction, get the dimensions that are the most even."""


@cache
def even_sequences() -> np.ndarray:
    """The choices of each sample, of 2**32, computed once and kept in the user's cache.

    Returns
    -------
    (LENGTH, LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES) uint32
        The first two are the place in the pixel.
    """
    shape = LENGTH, LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES
    path = cache_folder(__name__) / "sequences.npy"
    try:
        kept = np.load(path, allow_pickle=False)
        if kept.shape == shape and kept.dtype == np.uint32:
            return kept
    except (OSError, ValueError, EOFError):
        pass  # not kept yet, or no such file
    numbers = _drawn(np.empty(shape, np.uint32))
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        out = io.BytesIO()
        np.save(out, numbers)
        write_file(path, out)
    except OSError:
        pass  # a cache that cannot be written costs a second at the next start, no more
    return numbers


def _drawn(numbers: np.ndarray) -> np.ndarray:
    from scipy.stats import qmc  # which takes up to a second to import, and is of no other use

    rng = np.random.default_rng(1)
    log_length = LENGTH.bit_length() - 1
    # Places in the pixel are not scrambled at random: of any number of them the mean is near the pixel's middle.
    plain = qmc.Sobol(2, scramble=False, bits=32).random_base2(log_length)
    numbers[:, :2] = (plain * 2.0**32).astype(np.uint32) ^ np.array(_TURNED, np.uint32)
    together = [(2, 3)]
    for first in range(LENS_DRAWS, numbers.shape[1], BOUNCE_DRAWS):
        together += [[first + k for k in kind] for kind in (_LIGHT, _WAY)]
    for places in together:
        points = qmc.Sobol(len(places), scramble=True, bits=32, rng=rng).random_base2(log_length)
        numbers[:, places] = (points[_nested_order(rng, log_length)] * 2.0**32).astype(np.uint32)
    return numbers


def _nested_order(rng: np.random.Generator, bits: int) -> np.ndarray:
    """The numbers below 2**bits in an order in which blocks of 2**k, from multiples of it on, stay together."""
    numbers = np.arange(1 << bits)
    order = np.zeros_like(numbers)
    for bit in range(bits):
        above = numbers >> (bit + 1)
        turned = rng.integers(0, 2, above[-1] + 1)[above]
        order |= ((numbers >> bit & 1) ^ turned) << bit
    return order
