"""Sizes of the first pictures after an edit, so that each comes as quickly as a hand moves."""

import math

COARSE_PIXELS = 26_000
"""Pixels of the picture shown while a value is dragged, to begin with; heavier scenes get fewer, lighter ones more."""
FEWEST_COARSE, MOST_COARSE = 10_000, 60_000
COARSE_S = (0.06, 0.105)
"""How long a coarse picture may take before others are made larger or smaller: about ten a second."""
PREVIEW_S = 0.09
"""How long a picture with one sample of touched pixels may take, before only one pixel in 4, in 9 or in 16 gets one."""
LATE = 1.15
"""Of that, up to which it is not worth a change: pictures that are fine and coarse by turns flicker."""
SLOWEST_PREVIEW_S = 0.25
"""How long it may take at the widest stride, before a coarse picture of all is quicker."""
FIXED_S, PIXEL_S = 0.03, 3e-6
"""Time of a picture of few touched pixels, and for each further one, to begin with; materials differ much."""
WIDEST_STRIDE = 4


class CoarseSize:
    """Learns how many pixels a coarse picture may have."""

    def __init__(self):
        self._pixels = COARSE_PIXELS

    def size(self, width: int, height: int) -> tuple[int, int]:
        """Size of the next coarse picture.

        Parameters
        ----------
        width, height : int
            Pixels of the full picture.

        Returns
        -------
        (int, int)
        """
        shrink = min(math.sqrt(self._pixels / (width * height)), 1.0)
        return max(round(width * shrink), 8), max(round(height * shrink), 8)

    def learn(self, seconds: float) -> None:
        """Makes the next coarse picture smaller or larger where the last one took too long or little.

        Parameters
        ----------
        seconds : float
            Time that it took.
        """
        quick, slow = COARSE_S
        if seconds > slow:
            self._pixels = max(self._pixels * 0.8, FEWEST_COARSE)
        elif seconds < quick:
            self._pixels = min(self._pixels * 1.25, MOST_COARSE)


def first_stride(pixels: int) -> int:
    """Stride of the first picture of a drag.

    Parameters
    ----------
    pixels : int
        Pixels that it would render at a stride of 1.

    Returns
    -------
    int
    """
    return max(math.ceil(math.sqrt(pixels * PIXEL_S / (0.5 * PREVIEW_S))), 1)


def next_stride(stride: int, seconds: float) -> int:
    """Stride of the next picture of a drag, by how long this one took; beyond `WIDEST_STRIDE` a coarse one is quicker.

    Parameters
    ----------
    stride : int
        Stride of this one.
    seconds : float
        Time that it took.

    Returns
    -------
    int
    """
    if seconds > LATE * PREVIEW_S:
        return stride + 1 if stride < WIDEST_STRIDE or seconds > SLOWEST_PREVIEW_S else stride
    if stride == 1:
        return stride
    finer = FIXED_S + max(seconds - FIXED_S, 0) * (stride / (stride - 1)) ** 2
    return stride - 1 if finer < PREVIEW_S else stride
