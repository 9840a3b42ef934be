"""The ink bottle: thick square glass, its ink, a fluted brass collar and a moulded cap. Millimetres."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import lathe, loft, rounded, rounded_square
from mat_shelf.numerics.interpolation import smoothsteps

HALF = 26.0
CORNER = 8.0
WALL = 4.0
NECK = 14.5
CAVITY_NECK = 11.0
INK_LEVEL = 29.0
INK_OVERLAP = 0.2
"""How far the ink's mesh reaches into the glass, which fills the shared space."""


def glass() -> Mesh:
    outside = rounded(
        [(0, 0.8), (14, 0.8), (17, 0), (HALF, 0), (HALF, 40), (NECK, 47.5), (NECK, 57), (12.7, 57)],
        [0, 3, 2, 4, 9, 3, 0.8, 0],
        steps=10,
    )
    inside = rounded(
        [(12.7, 57), (CAVITY_NECK, 57), (CAVITY_NECK, 45.5), (HALF - WALL, 36), (HALF - WALL, 7), (0, 7)],
        [0, 0.8, 3, 6, 5, 0],
        steps=10,
    )
    line = [*outside, *inside[1:]]
    outer = len(outside)
    return loft([_section(half, y, HALF if i < outer else HALF - WALL) for i, (half, y) in enumerate(line)])


def ink() -> Mesh:
    half = HALF - WALL + INK_OVERLAP
    body = rounded([(0, 6.8), (half, 6.8), (half, INK_LEVEL + 1.4)], [0, 5, 0], steps=10)
    # The liquid climbs the wall by about a capillary length and levels off towards the middle.
    reach = np.linspace(0, 9, 16)
    top = np.stack([half - reach, INK_LEVEL + 1.4 * np.exp(-reach / 1.9)], axis=1)
    line = [*body, *top[1:], (0, INK_LEVEL)]
    return loft([_section(h, y, HALF - WALL) for h, y in line], crease_degrees=60)


def _section(half: float, y: float, widest: float) -> np.ndarray:
    """A cross-section that is square where the bottle is widest and round at the neck."""
    corner = CORNER - (HALF - widest)
    roundness = np.clip((widest - half) / (widest - NECK), 0, 1)
    if y < 20:  # towards the foot the square shrinks evenly
        return rounded_square(half, half, max(half - (widest - corner), half * 0.3), y)
    return rounded_square(half, half, corner + (half - corner) * roundness, y)


def collar(flutes: int = 84, depth: float = 0.42) -> Mesh:
    """A ring round the neck; the flutes fade out towards its polished rims."""
    segments = flutes * 6
    angle = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    wave = 0.5 - 0.5 * np.cos(angle * flutes)
    line = rounded(
        [(NECK + 0.25, 48.6), (18.0, 48.6), (18.0, 53.6), (NECK + 0.25, 53.6), (NECK + 0.25, 48.6)],
        [0, 0.7, 0.7, 0.4, 0],
        steps=6,
    )
    fine = np.concatenate(
        [np.linspace(a, b, _pieces(a, b))[:-1] for a, b in zip(line[:-1], line[1:], strict=True)] + [line[-1:]]
    )
    sections = []
    for radius, y in fine:
        fade = np.clip((2.05 - abs(y - 51.1)) / 0.45, 0, 1) * np.clip((radius - 17.5) / 0.3, 0, 1)
        r = radius - depth * wave * smoothsteps(fade)
        sections.append(np.stack([np.cos(angle) * r, np.full(segments, y), -np.sin(angle) * r], axis=1))
    return loft(sections, crease_degrees=60)


def _pieces(a, b) -> int:
    return 2 + int(np.linalg.norm(b - a) / 0.35)


def cap() -> Mesh:
    return lathe(
        rounded(
            [(0, 54.4), (19.0, 54.4), (19.6, 56.2), (19.0, 73.0), (0, 74.2)],
            [0, 0.8, 0.8, 2.6, 0],
            steps=10,
        ),
        segments=192,
    )
