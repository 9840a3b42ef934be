"""Samples of a final picture where it is noisy, until it is clean enough.

The film keeps the sum of one half of the samples beside the sum of all. How far the two differ is how uncertain a
pixel is (Dammertz et al. 2010, A Hierarchical Automatic Stopping Condition for Monte Carlo Global Illumination). A half
is made of runs of samples, each of which is even by itself: halves of samples that are picked one by one differ as if
samples had nothing to do with each other, on smooth surfaces by four times as much as the picture is wrong.
"""

import numpy as np
from scipy.ndimage import convolve1d

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.numerics.low_discrepancy import U32, next_state, scramble
from mat_shelf.rendering.film import Film

TILE = 8
"""Pixels of a tile, across and down."""
FIRST = 16
"""Samples that every pixel gets before any noise is judged: fewer miss what is rare."""
NOISE_LEVELS = {"draft": 0.2, "good": 0.1, "final": 0.05}
"""Noise by words, as shares of the light."""
SHARE = 0.98
"""Share of the tiles that must be clean enough: the rest are glints, for which one would wait for ever."""
RUN = 8
"""Samples that follow each other and are of the same half; two such runs must fit into the first samples."""
_SMOOTHING = (1 / 6, 4 / 6, 1 / 6)
"""Weights of a tile and those beside it: by itself its estimate is uncertain, but what is beside it may be clean."""
_RUNG = 1.15
"""Step of the counts that tiles may have: with few different ones, many pixels are rendered together."""
_USUAL_VARIANCE = 0.25
"""Of a sample, on average over the demo."""
_DARK = F(0.01)
"""Light squared, 1 = 1000 cd/m2, below which noise is judged beside this light, for it is hardly seen."""


class SamplePlan:
    """Says which pixels of a film get another sample, until it has enough.

    Parameters
    ----------
    film : Film
        The film; where noise is asked for, with halves.
    most : int
        Samples that a pixel gets at most.
    noise : float or None
        Noise at which it is clean enough; None for `most` samples everywhere.
    gain : (3,) float32
        What the film's light is multiplied by in the picture.
    pixels : (N,) int32, optional
        The only ones that are rendered.
    """

    def __init__(self, film: Film, most: int, noise: float | None, gain: np.ndarray, pixels: np.ndarray | None = None):
        self.film, self.most, self.noise, self.pixels = film, most, noise, pixels
        self.gain = np.asarray(gain, np.float32)
        self.level: float | None = None  # the noise that was found last
        self._total = float(expected_samples(noise or 0.0, most))

    def due(self) -> tuple[np.ndarray, int]:
        """Pixels that get samples now, and how many those with fewest may get at once.

        Returns
        -------
        pixels : (N,) int32
            None where the picture is done.
        most : int
        """
        pixels, counts = self._due(), self.film.sums.counts
        if not len(pixels):
            return pixels, 0
        goals = self.most if self.noise is None else self.film.goals[pixels]
        return pixels, int((goals - counts[pixels])[counts[pixels] == counts[pixels].min()].min())

    def _due(self) -> np.ndarray:
        if self.noise is None:
            return self._below(self.most)
        goals = self.film.goals
        if not goals.any():
            goals[:] = min(FIRST, self.most)
        due = self._below(goals)
        while not len(due) and self._raise_goals():
            due = self._below(goals)
        return due

    def progress(self) -> tuple[int, int]:
        """Samples of a pixel that are done, and that will be, on average; about so many, where noise is asked for.

        Returns
        -------
        (done, total) : int
        """
        if self.noise is None:
            counts = self.film.sums.counts
            return int((counts if self.pixels is None else counts[self.pixels]).min()), self.most
        done = round(self.film.mean_samples)
        return done, max(round(self._total), done + 1)

    def _below(self, goals) -> np.ndarray:
        counts = self.film.sums.counts
        if self.pixels is None:
            return np.flatnonzero(counts < goals).astype(np.int32)
        goals = goals if np.isscalar(goals) else goals[self.pixels]
        return self.pixels[counts[self.pixels] < goals]

    def _raise_goals(self) -> bool:
        """Raises the goals of tiles that are not clean enough; False where none is left, or nearly none."""
        film = self.film
        varies, counts, pixels = tile_variances(film, self.gain)
        there = pixels > 0
        if not there.any():  # of one half nothing can be told
            return False
        wanted = np.minimum(np.maximum(_rung_above(varies / self.noise**2), counts), self.most)
        self.level = float(np.quantile(np.sqrt(varies[there] / counts[there]), SHARE))
        self._total = float((wanted * pixels).sum() / pixels.sum())
        # What has stopped is done: then every number of sample is rendered once, by all that need it together.
        needy = there & (wanted > counts) & (counts == counts.max())
        if not needy.any() or self.level <= self.noise:
            return False
        raised = np.where(needy, np.minimum(_rung_above(counts + 1), self.most), 0).astype(np.int32)
        across = np.repeat(np.repeat(raised, TILE, axis=0), TILE, axis=1)[: film.height, : film.width].ravel()
        np.maximum(film.goals, across, out=film.goals)
        return True


def expected_samples(noise: float, most: int) -> int:
    """Samples of a pixel that a picture of this kind takes, about, before anything of it is rendered.

    Parameters
    ----------
    noise : float
        Noise that is asked for; 0 for none.
    most : int
        Samples at most.

    Returns
    -------
    int
    """
    return min(max(round(_USUAL_VARIANCE / noise**2), FIRST), most) if noise else most


def tile_variances(film: Film, gain: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """By how much one sample varies in each tile of a film, relative to the light there.

    Parameters
    ----------
    film : Film
        With halves.
    gain : (3,) float32
        What its light is multiplied by in the picture.

    Returns
    -------
    variances : (R, C) float64
        Relative variances of one sample, smoothed over a tile and those around it.
    counts : (R, C) float64
        Samples of its pixels, on average.
    pixels : (R, C) float64
        Pixels that have any.
    """
    shape = -(-film.height // TILE), -(-film.width // TILE)
    sums = np.zeros((3, *shape))
    caught = film.caught.light if film.caught is not None else film.sums.light[:0]
    gains = np.ascontiguousarray(film.gains * gain, np.float32)
    _add_tiles(film.sums.light, caught, film.halves, film.sums.counts, gains, film.width, sums)
    around = sums
    for axis in (1, 2):
        around = convolve1d(around, _SMOOTHING, axis, mode="constant")
    pixels = sums[2]
    return around[0] / np.maximum(around[2], 1e-9), sums[1] / np.maximum(pixels, 1), pixels


@kernel
def is_of_half(sample):
    """True for the samples of the half that the film keeps: one of two runs that follow each other, by chance.

    A rule without chance, such as every other run, would choose by a dimension of the low-discrepancy sequence.

    Parameters
    ----------
    sample : int
        Number of the sample.

    Returns
    -------
    bool
    """
    run = sample // RUN
    return scramble(next_state(U32(run >> 1))) & U32(1) == U32(run & 1)


@inline
def _samples_of_half(count):
    pairs = count // (2 * RUN)
    rest = count - 2 * RUN * pairs
    return RUN * pairs + (min(rest, RUN) if is_of_half(count - rest) else max(rest - RUN, 0))


@kernel
def _add_tiles(light, caught, halves, counts, gains, width, sums):
    for i in range(counts.shape[0]):
        n, half = counts[i], _samples_of_half(counts[i])
        if half == 0 or half == n:
            continue
        varies = F(0)
        for k in range(3):
            whole, part = F(0), F(0)
            for layer in range(light.shape[1]):
                gain = gains[layer, k]
                whole += light[i, layer, k] * gain
                part += halves[i, layer, k] * gain
                if caught.shape[0] > 0:
                    whole += caught[i, layer, k] * gain
            whole /= F(n)
            apart = whole - part / F(half)
            # The halves differ by the variance of one sample times 1 / half - 1 / n.
            varies += apart * apart * F(half) * F(n) / F(n - half) / (whole * whole + _DARK)
        row, column = i // width // TILE, i % width // TILE
        sums[0, row, column] += varies / F(3)
        sums[1, row, column] += n
        sums[2, row, column] += 1


def _rung_above(counts: np.ndarray) -> np.ndarray:
    """The next of the counts that tiles may have, all even."""
    steps = np.ceil(np.log(np.maximum(counts / FIRST, 1)) / np.log(_RUNG) - 1e-9)
    return 2 * np.ceil(FIRST / 2 * _RUNG**steps)
