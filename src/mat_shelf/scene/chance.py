"""Choices among what lies at a point, by numbers that go with the path."""

import numpy as np

from mat_shelf.numerics.hashed_noise import U, hash3, unit
from mat_shelf.numerics.kernels import inline


@inline
def chance_of(random, place):
    """A number in [0, 1) that goes with the state of a path, another one for each place.

    Parameters
    ----------
    random : uint32
        State of the path, which is not advanced.
    place : uint32
        Number of the choice.

    Returns
    -------
    float32
    """
    return unit(hash3(np.int32(random >> U(1)), np.int32(random & U(1)), np.int32(77), U(place)))


@inline
def chosen_overlay(covers, i, count, random, first):
    """Which overlay is seen; -1 for what lies below all of them.

    Parameters
    ----------
    covers : (N, K) float32
        Coverage of the overlays, the lowest first.
    i : int
        Row of the point.
    count : int
        Number of overlays.
    random : uint32
        State of the path, which is not advanced.
    first : int
        Number of the first choice.

    Returns
    -------
    int
    """
    for place in range(count - 1, -1, -1):
        if chance_of(random, U(first + place)) < covers[i, place]:
            return place
    return -1
