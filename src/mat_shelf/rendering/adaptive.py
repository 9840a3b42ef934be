"""Adaptive sampling: a finished picture gets more samples where it is still noisy.

References
----------
Dammertz et al. 2010, A Hierarchical Automatic Stopping Condition for Monte Carlo Global Illumination: the error is told
from how far the mean of half of the samples is from that of all.
"""

import math

import numpy as np
from scipy.ndimage import maximum_filter

from mat_shelf.rendering.film import Film

NOISE = {"draft": 0.2, "good": 0.1, "final": 0.05}
"""Thresholds by name."""
FEWEST_SAMPLES = 16
"""Samples that every pixel gets: fewer tell their own error badly."""
TILE = 16
"""Side of the squares that share an estimate, pixels."""
_DARK = 0.01
"""Added to the light that noise is compared with: in the dark less of it is seen."""


def is_checked(samples: int) -> bool:
    """True after the counts of samples at which noise is looked at: 16, 24, 32, 48, 64, 96 and so on.

    Seldom, because each look stops some tiles whose noise happens to look small.

    Parameters
    ----------
    samples : int
        Samples so far.

    Returns
    -------
    bool
    """
    step = 1 << max(samples.bit_length() - 1, 4)
    return samples >= FEWEST_SAMPLES and samples in (step, step * 3 // 2)


def tile_noise(film: Film) -> np.ndarray:
    """Noise of the tiles of a film, (h, w) float32: standard error beside the square root of the light.

    A tile is as noisy as the noisiest beside it, so that no edge is left between finished and unfinished ones.

    Parameters
    ----------
    film : Film
        With at least two samples in every pixel that counts; the others have no noise.

    Returns
    -------
    (h, w) float32
    """
    sums, shape = film.sums, (film.height, film.width)
    counts = np.maximum(sums.counts, 2).astype(np.float32)[:, None]
    mean = sums.light / counts
    odd = sums.half / np.floor(counts / 2)
    even = (sums.light - sums.half) / np.ceil(counts / 2)
    # Both halves are as far from the truth on either side: half of what is between them is the error of their mean.
    error = np.abs(odd - even).sum(axis=1) / 2 / np.sqrt(mean.sum(axis=1) + _DARK)
    error = np.where(sums.counts > 1, error * error, 0).reshape(shape)
    down, across = -(-film.height // TILE), -(-film.width // TILE)
    padded = np.pad(error, ((0, down * TILE - film.height), (0, across * TILE - film.width)))
    held = np.pad(np.ones(shape, np.float32), ((0, down * TILE - film.height), (0, across * TILE - film.width)))
    square = (down, TILE, across, TILE)
    total = padded.reshape(square).sum(axis=(1, 3)) / held.reshape(square).sum(axis=(1, 3))
    return maximum_filter(np.sqrt(total), 3).astype(np.float32)


def unfinished(film: Film, pixels: np.ndarray, threshold: float) -> tuple[np.ndarray, float]:
    """Pixels that are still noisier than a threshold, and how many samples more they need altogether.

    Parameters
    ----------
    film : Film
        The film.
    pixels : (N,) int32
        Those that were unfinished before.
    threshold : float
        Noise that is accepted.

    Returns
    -------
    pixels : (K,) int32
    samples : float
        Noise falls with the square root of the samples.
    """
    noise = tile_noise(film)
    own = noise[pixels // film.width // TILE, pixels % film.width // TILE]
    left = own > threshold
    wanted = film.sums.counts[pixels[left]] * ((own[left] / threshold) ** 2 - 1)
    return pixels[left], float(np.minimum(wanted, 1e9).sum())


def threshold_of(text: str) -> float:
    """A threshold by its name, or as a number.

    Parameters
    ----------
    text : str
        draft, good or final; or a number from 0.001 to 1.

    Returns
    -------
    float

    Raises
    ------
    ValueError
        If it is neither.
    """
    if text in NOISE:
        return NOISE[text]
    number = float(text)
    if not (math.isfinite(number) and 0.001 <= number <= 1):
        raise ValueError("out of range")
    return number
