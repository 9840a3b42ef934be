"""Evenly spread choices: as even as their sequences promise, in every pixel, and one independent of another."""

import itertools

import numpy as np
import pytest
from numba import njit

from mat_shelf.numerics import even_sequences as sequences
from mat_shelf.numerics.even_sequences import BOUNCE_DRAWS, EVEN_BOUNCES, LENS_DRAWS
from mat_shelf.numerics.low_discrepancy import even_draws, shift_of, shifted

PAIRS = [(2, 3)] + [
    (LENS_DRAWS + BOUNCE_DRAWS * bounce + first, LENS_DRAWS + BOUNCE_DRAWS * bounce + first + 1)
    for bounce in range(EVEN_BOUNCES)
    for first in (2, 5)
]
"""The point of the lens; of each bounce the point of a light and the direction."""


@njit(error_model="numpy")
def choices(draws, pixel, salt, out):
    for place in range(out.shape[0]):
        out[place] = shifted(draws, place, shift_of(pixel, salt))


def of_pixel(pixel: int, samples: range, seed: int = 1) -> np.ndarray:
    """All choices of some samples of a pixel, (samples, K)."""
    rows = np.empty((len(samples), LENS_DRAWS + BOUNCE_DRAWS * EVEN_BOUNCES), np.float32)
    for row, sample in zip(rows, samples, strict=True):
        draws, salt = even_draws(sample, seed)
        choices(draws, np.int32(pixel), np.uint32(salt), row)
    return rows


@pytest.mark.parametrize("first", [0, 16, 64])
def test_pairs_are_nets_in_every_pixel(first):
    """Niederreiter 1987: of a (0, m, 2)-net in base 2, each box of area 2**-m holds exactly one of the 2**m points."""
    m = 4
    for pixel in (0, 7, 123_456):
        rows = of_pixel(pixel, range(first, first + 2**m))
        for across, up in PAIRS:
            for k in range(m + 1):
                boxes = (rows[:, across] * 2**k).astype(int) * 2 ** (m - k) + (rows[:, up] * 2 ** (m - k)).astype(int)
                assert len(np.unique(boxes)) == 2**m, (pixel, across, k)


def test_each_choice_alone_is_spread_over_all_pixels():
    """For one sample, over many pixels: mean and variance of an even distribution, and no two choices correlated."""
    rows = np.concatenate([of_pixel(pixel, range(3, 4)) for pixel in range(4000)])[:, 2:]
    assert rows.min() >= 0 and rows.max() < 1
    assert rows.mean(axis=0) == pytest.approx(0.5, abs=5 / np.sqrt(12 * 4000))
    assert rows.var(axis=0) == pytest.approx(1 / 12, rel=0.08)
    together = np.corrcoef(rows.T) - np.eye(rows.shape[1])
    assert np.abs(together).max() < 5 / np.sqrt(4000)


def test_what_is_chosen_apart_is_not_more_uneven_than_by_chance():
    """Products of choices of different bounces: their means differ from 1/4 by no more than those of random numbers."""
    samples, errors = 64, []
    starts = [LENS_DRAWS + BOUNCE_DRAWS * bounce for bounce in range(EVEN_BOUNCES)]
    for pixel in range(60):
        rows = of_pixel(pixel, range(samples))
        for one, other in itertools.combinations(starts, 2):
            for k in range(BOUNCE_DRAWS):
                errors.append((rows[:, one + k] * rows[:, other + k]).mean() - 0.25)
    by_chance = np.sqrt((1 / 9 - 1 / 16) / samples)
    assert np.std(errors) < 1.05 * by_chance


def test_the_mean_place_in_a_pixel_is_its_middle():
    for count in (3, 8, 10, 100):
        places = np.array([even_draws(sample, 1)[0][:2] / 2.0**32 for sample in range(count)])
        assert np.abs(places.mean(axis=0) - 0.5).max() <= 0.5 / count + 1e-6


def test_kept_sequences_are_those_that_are_drawn(tmp_path, monkeypatch):
    """Whatever happened to the file: cut short, of another shape, no array at all, or in a folder that is none."""
    numbers = sequences.even_sequences()
    monkeypatch.setattr(sequences, "cache_folder", lambda module: tmp_path)
    again, path = sequences.even_sequences.__wrapped__, tmp_path / "sequences.npy"
    assert (again() == numbers).all() and (np.load(path) == numbers).all()
    whole = path.read_bytes()
    for content in (whole[: len(whole) // 2], b"", b"not an array", whole.replace(b"'<u4'", b"'<f4'")):
        path.write_bytes(content)
        assert (again() == numbers).all() and path.read_bytes() == whole
    monkeypatch.setattr(sequences, "cache_folder", lambda module: path / "below")
    assert (again() == numbers).all()
