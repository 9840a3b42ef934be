"""Handles of a hollowed solid in its section: on the wall, the base, its middle and the inner corner."""

import math
from typing import NamedTuple

import numpy as np

from mat_shelf.commands.fill_report import Section
from mat_shelf.document.product import Hollowing

_THIN = 0.05
"""mm, of the wall as the section shows it, under which its handle could not be dragged."""
_BESIDE = 0.55
"""Share of the way from the middle to the inner wall at which the base is taken hold of."""


class WallHandle(NamedTuple):
    """A handle.

    Attributes
    ----------
    field : str
        Of `Hollowing`.
    at : (2,) mm, in the section
    way : (2,), by which the value grows by one
    """

    field: str
    at: np.ndarray
    way: np.ndarray

    def value(self, before: float, point: np.ndarray) -> float:
        """Value where the handle is dragged to a point of the section."""
        return before + float((point - self.at) @ self.way) / float(self.way @ self.way)


def crossings(lines: list[np.ndarray], axis: int, at: float) -> np.ndarray:
    """Places, in their order, at which closed lines cross one that lies upright, or level where `axis` is 1."""
    found = []
    for line in lines:
        ahead = np.roll(line, -1, axis=0)
        a, b = line[:, axis] - at, ahead[:, axis] - at
        crosses = (a < 0) != (b < 0)
        share = a[crosses] / (a[crosses] - b[crosses])
        other = 1 - axis
        found.append(line[crosses, other] * (1 - share) + ahead[crosses, other] * share)
    return np.sort(np.concatenate(found)) if found else np.zeros(0)


def wall_handles(section: Section, hollowing: Hollowing) -> list[WallHandle]:
    """Handles of a vessel that was hollowed, as its section shows it."""
    left, right = section.across_cavity
    middle, deep = (left + right) / 2, section.spill - section.bottom
    walls = crossings(section.vessel, 1, section.bottom + 0.5 * deep)
    found = []
    if len(walls) >= 2 and walls[-1] - walls[-2] > _THIN:
        shown = walls[-1] - walls[-2]  # the section may cut the wall aslant
        at = np.array([walls[-2], section.bottom + 0.5 * deep])
        found.append(WallHandle("wall", at, np.array([-shown / hollowing.wall, 0.0])))
    beside = middle - _BESIDE * (middle - left)
    floors = crossings(section.vessel, 0, beside)
    if len(floors) >= 2:
        found.append(WallHandle("base", np.array([beside, floors[1]]), np.array([0.0, 1.0])))
    floors = crossings(section.vessel, 0, middle)
    if len(floors) >= 2:
        found.append(WallHandle("raised", np.array([middle, floors[1]]), np.array([0.0, 1.0])))
    low = section.bottom + max(hollowing.corner, 0.02 * deep)
    walls = crossings(section.vessel, 1, low)
    if len(walls) >= 2:
        slant = 1 - math.sqrt(0.5)
        corner = np.array([walls[-2], section.bottom])
        way = np.array([-slant, slant])
        found.append(WallHandle("corner", corner + hollowing.corner * way, way))
    return found
