"""Points of the unit circle against the standard library's sine and cosine."""

import numba
import numpy as np
import pytest

from mat_shelf.numerics.circle import circle_point

pytestmark = pytest.mark.plain


@numba.njit
def points(turns, cosines, sines):
    for i in range(turns.shape[0]):
        cosines[i], sines[i] = circle_point(turns[i])


def test_points_of_the_circle_are_those_of_sine_and_cosine():
    turns = np.concatenate([np.linspace(-1, 1, 100_001), np.arange(-8, 9) / 8]).astype(np.float32)
    cosines, sines = np.empty_like(turns), np.empty_like(turns)
    points(turns, cosines, sines)
    angles = 2 * np.pi * turns.astype(np.float64)
    assert np.abs(cosines - np.cos(angles)).max() < 2e-7 and np.abs(sines - np.sin(angles)).max() < 2e-7
