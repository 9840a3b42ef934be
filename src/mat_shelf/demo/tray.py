"""The oiled wooden tray and its felt lining. Millimetres."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import loft, rounded, rounded_square

HALF_X, HALF_Z, HEIGHT, CORNER = 112.0, 44.0, 15.0, 11.0
WALL, FLOOR = 7.0, 5.5
LINING, LINING_GAP = 1.6, 0.35
LINED = FLOOR + LINING
"""Height of the felt's face."""


def tray() -> Mesh:
    """A shallow box from one board: rounded rim, a foot set back by a shadow gap, a cove inside."""
    line = rounded(
        [
            (30, 0.9),
            (6, 0.9),
            (3, 0),
            (1.2, 0),
            (0, 3),
            (0, HEIGHT),
            (WALL, HEIGHT),
            (WALL + 0.6, FLOOR),
            (30, FLOOR),
        ],
        [0, 0.6, 0.6, 0.6, 1.5, 2.2, 1.6, 3.0, 0],
        steps=8,
    )
    return _rings(line)


def lining() -> Mesh:
    """A sheet of felt, cut a little smaller than the floor it lies on, its upper edge softened."""
    inside = WALL + 3.4 + LINING_GAP
    low, high = FLOOR + 0.02, FLOOR + LINING
    return _rings(rounded([(30, low), (inside, low), (inside, high), (30, high)], [0, 0.2, 0.9, 0], steps=8))


def _rings(line) -> Mesh:
    """Closes a line of (distance inside the outline, height) to a solid with a flat middle below and above."""
    sections = [
        rounded_square(HALF_X - inset, HALF_Z - inset, max(CORNER - inset, 1.2), y, steps=20) for inset, y in line
    ]
    tips = [sections[0] * (0, 1, 0), sections[-1] * (0, 1, 0)]
    return loft([_dense(section) for section in (tips[0], *sections, tips[1])], crease_degrees=50)


def _dense(section: np.ndarray) -> np.ndarray:
    """The section with a point between each two, so that long sides bend the light evenly."""
    return np.stack([section, (section + np.roll(section, -1, axis=0)) / 2], axis=1).reshape(-1, 3)
