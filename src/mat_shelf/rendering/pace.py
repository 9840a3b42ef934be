"""Sizes of the first pictures after an edit, so that each comes as quickly as a hand moves."""

import math
from statistics import median

COARSE_PIXELS = 26_000
"""Pixels of the picture shown while a value is dragged, to begin with; heavier scenes get fewer, lighter ones more."""
FEWEST_COARSE, MOST_COARSE = 10_000, 60_000
COARSE_S = (0.06, 0.105)
"""How long a coarse picture may take before others are made larger or smaller: about ten a second."""
LATE_S = (0.13, 0.22, 0.28, 0.3)
"""How long a picture with one sample of touched pixels may take, before only one pixel in 4, in 9 or in 16 gets one,
and then before a coarse picture of all is quicker: each step saves less and shows more."""
FIRST_S = 0.045
"""How long tracing may take in the first picture of a drag, by guess."""
FIXED_S, PIXEL_S = 0.015, 3e-6
"""Time of tracing few touched pixels, and for each further one, to begin with; materials differ much."""
FINER_S, TRIED_S = 0.1, 0.12
"""How long a finer one may take by what is known of it, and once it was tried; between these and `LATE_S` the stride
stays, since pictures that are fine and coarse by turns flicker."""
LEARNED_FROM = 3
"""Pictures that a change of the stride is decided by, so that one that something held up counts little."""
WIDEST_STRIDE = len(LATE_S)


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


class PreviewPace:
    """Learns at which stride the pictures of a drag come in time.

    Parameters
    ----------
    pixels : int
        Pixels that its first picture would render at a stride of 1.

    Attributes
    ----------
    stride : int
        Of the next picture; beyond `WIDEST_STRIDE` a coarse one is quicker.
    """

    def __init__(self, pixels: int):
        self.stride = max(math.ceil(math.sqrt(pixels * PIXEL_S / FIRST_S)), 1)
        self._times: list[tuple[float, float]] | None = None
        self._is_tried = False  # whether the stride was wider before

    def learn(self, tracing: float, beside: float) -> None:
        """Changes the stride where the last pictures took too long or little.

        Parameters
        ----------
        tracing : float
            Time that the pixels of the last one took, which fewer would have saved.
        beside : float
            Time that the rest of it took, at any stride.
        """
        if self._times is None:  # the first one of a drag sets up more, and tells nothing
            self._times = []
            return
        self._times.append((tracing, beside))
        stride = self._better() if len(self._times) == LEARNED_FROM else self.stride
        if stride != self.stride:
            self.stride, self._times, self._is_tried = stride, [], stride < self.stride
        self._times = self._times[1 - LEARNED_FROM :]

    def _better(self) -> int:
        stride, (tracing, beside) = self.stride, (median(times) for times in zip(*self._times, strict=True))
        if tracing + beside > (TRIED_S if self._is_tried else LATE_S[stride - 1]):
            return stride + 1 if tracing > beside else stride
        if stride == 1:
            return stride
        finer = FIXED_S + max(tracing - FIXED_S, 0) * (stride / (stride - 1)) ** 2
        return stride - 1 if finer + beside < FINER_S else stride
