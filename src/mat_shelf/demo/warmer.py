"""The wax warmer: an enamelled body, a dish for the wax, a smoked window and a ring that glows. Millimetres."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import lathe, loft, rounded

RADIUS, HEIGHT = 37.0, 50.0
RING_LOW, RING_HIGH = 42.4, 45.0
WINDOW = (11.0, 33.0)
"""Height of the window's lower and upper edge."""
WINDOW_HALF_ANGLE = 34.0


def body() -> Mesh:
    """Turned, with a shadow gap at the foot, a groove for the ring and a well for the dish."""
    line = rounded(
        [
            (0, 1.4),
            (RADIUS - 5, 1.4),
            (RADIUS - 4, 0),
            (RADIUS - 2.4, 0),
            (RADIUS, 3),
            (RADIUS, RING_LOW),
            (RADIUS - 1.6, RING_LOW),
            (RADIUS - 1.6, RING_HIGH),
            (RADIUS, RING_HIGH),
            (RADIUS, HEIGHT),
            (27.0, HEIGHT),
            (26.0, HEIGHT - 14),
            (0, HEIGHT - 15),
        ],
        [0, 0.5, 0.4, 0.6, 2.5, 0.3, 0.1, 0.1, 0.3, 3.0, 1.6, 4.0, 0],
        10,
    )
    return lathe(line, segments=256)


def dish() -> Mesh:
    """A spun cup with a rolled lip, hung in the well by it."""
    line = rounded(
        [
            (0, HEIGHT - 12.6),
            (23.2, HEIGHT - 11.8),
            (25.2, HEIGHT + 0.3),
            (28.4, HEIGHT + 0.3),
            (28.4, HEIGHT + 1.9),
            (24.0, HEIGHT + 1.9),
            (22.2, HEIGHT - 10.4),
            (0, HEIGHT - 11.4),
        ],
        [0, 4, 0.8, 0.7, 0.7, 1.0, 4, 0],
        10,
    )
    return lathe(line, segments=192)


def ring() -> Mesh:
    """The diffuser in the groove, a hair inside the body's face."""
    low, high, outer = RING_LOW + 0.08, RING_HIGH - 0.08, RADIUS - 0.25
    line = rounded(
        [(RADIUS - 1.5, low), (outer, low), (outer, high), (RADIUS - 1.5, high), (RADIUS - 1.5, low)],
        [0, 0.5, 0.5, 0, 0],
        6,
    )
    return lathe(line, segments=192)


def window() -> Mesh:
    """A bent pane that stands a little proud of the body, its corners and edges rounded."""
    half_height, middle = (WINDOW[1] - WINDOW[0]) / 2, sum(WINDOW) / 2
    half_arc = np.radians(WINDOW_HALF_ANGLE) * RADIUS
    outline = _rounded_outline(half_arc, half_height, corner=5.0)
    back, front = RADIUS + 0.05, RADIUS + 1.5
    lift = [(0.0, back), (0.0, front - 0.6), (0.18, front - 0.17), (0.6, front)]
    rings = []
    for inset, radius in lift:
        scale = np.array([(half_arc - inset) / half_arc, (half_height - inset) / half_height])
        rings.append((outline * scale, radius))
    # Towards the middle the rings close up, so that the pane stays bent like the body.
    for share in np.linspace(0.9, 0.02, 14):
        rings.append((outline * scale * share, front))
    rear = [(outline * share, back) for share in np.linspace(0.02, 0.9, 14)]
    sections = [_bent(flat, radius, middle) for flat, radius in (*rear, *rings)]
    tips = [np.broadcast_to(end.mean(axis=0), end.shape) for end in (sections[0], sections[-1])]
    return loft([tips[0], *sections, tips[1]], crease_degrees=40)


def _rounded_outline(half_x: float, half_y: float, corner: float) -> np.ndarray:
    """A rounded rectangle, counter-clockwise, (N, 2)."""
    arcs = []
    for k, (sx, sy) in enumerate([(1, 1), (-1, 1), (-1, -1), (1, -1)]):
        angle = np.linspace(0, np.pi / 2, 14) + k * np.pi / 2
        centre = np.array([sx * (half_x - corner), sy * (half_y - corner)])
        arcs.append(centre + corner * np.stack([np.cos(angle), np.sin(angle)], axis=1))
    whole = np.concatenate(arcs)
    nexts = np.roll(whole, -1, axis=0)
    pieces = [
        a + (b - a) * np.linspace(0, 1, 24 if np.linalg.norm(b - a) > 5 else 2, endpoint=False)[:, None]
        for a, b in zip(whole, nexts, strict=True)
    ]
    return np.concatenate(pieces)


def _bent(flat: np.ndarray, radius: float, middle: float) -> np.ndarray:
    """A flat outline, (N, 2), wrapped round the body's axis, facing +z."""
    angle = flat[:, 0] / RADIUS
    return np.stack([np.sin(angle) * radius, flat[:, 1] + middle, np.cos(angle) * radius], axis=1)
