"""Small pictures of patterns and of their steps."""

from functools import partial

import numpy as np

from mat_shelf.document.pattern import Pattern
from mat_shelf.numerics.interpolation import smoothsteps
from mat_shelf.optics.color import encode_srgb
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.points import FLAT, Frames, Points, flat_points
from mat_shelf.patterns.step import PatternContext

_FINER = 2
"""Points along the side of a pixel, so that thin lines neither vanish nor flicker."""


def thumbnail(
    pattern: Pattern,
    context: PatternContext,
    columns: int,
    rows: int,
    until: int | None = None,
    width: float | None = None,
) -> np.ndarray:
    """A pattern, or what it is after some of its steps, laid flat.

    Parameters
    ----------
    pattern : Pattern
        The pattern.
    context : PatternContext
        Other patterns and images that it refers to.
    columns, rows : int
        Pixels.
    until : int, optional
        Number of steps to go through; all by default.
    width : float, optional
        What is seen of it, mm; by default as much as its source shows best.

    Returns
    -------
    (rows, columns, 3) uint8
        Greys as they are, colours as sRGB.
    """
    return pixels_of(values_of(pattern, context, columns, rows, until, width))


def values_of(pattern, context, columns, rows, until=None, width=None) -> np.ndarray:
    """The same, as values: (rows, columns) or (rows, columns, 3) float32.

    Parameters
    ----------
    pattern : Pattern
        The pattern.
    context : PatternContext
        Other patterns and images that it refers to.
    columns : int
        Columns of pixels.
    rows : int
        Rows of pixels.
    until : int, optional
        Number of steps to go through; all by default.
    width : float, optional
        Width that is seen, mm.

    Returns
    -------
    array
    """
    source = pattern.steps[0]
    fine = columns * _FINER, rows * _FINER
    seen = width or source.seen(pattern.placement.size)
    sample = SAMPLES.get(source.sample_shape)
    points = sample(*fine) if sample else flat_points(seen, *fine)
    values = evaluate(pattern, points, context, until)
    shape = (rows, _FINER, columns, _FINER, *values.shape[1:])
    return values.reshape(shape).mean(axis=(1, 3))


def pixels_of(values: np.ndarray) -> np.ndarray:
    """Values as a picture, (H, W, 3) uint8; what is no number shows as black.

    Parameters
    ----------
    values : (N,) or (N, 3) float32
        Values.

    Returns
    -------
    (H, W, 3) uint8
    """
    values = np.nan_to_num(values, nan=0.0, posinf=1.0, neginf=0.0)
    pixels = encode_srgb(values) if values.ndim == 3 else np.repeat(values[..., None], 3, axis=2)
    return (np.clip(pixels, 0, 1) * 255 + 0.5).astype(np.uint8)


class _Corner:
    """Geometry maps by the distance, in their own reach, from what makes them white: a triangle for each point."""

    def __init__(self, distance: np.ndarray):
        values = smoothsteps(np.clip(1 - distance, 0, 1)).astype(np.float32)
        count = len(values)
        self._arrays = 3 * np.arange(count), np.ones(count, np.int32), np.repeat(values, 3), 0

    def arrays(self, kind: str, radius: float) -> list:
        return [self._arrays]


def _corner(columns: int, rows: int, is_hollow: bool) -> Points:
    """Points of a cube, or of a hollow one, seen along its diagonal; its edges fade over a sixth of a side."""
    x, y = np.meshgrid(np.linspace(-1, 1, columns) * columns / rows, np.linspace(1, -1, rows))
    place = np.stack([x, y], axis=-1).reshape(-1, 2) / 0.94
    angles = np.radians([90, 210, 330])
    axes = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    distance = np.full(len(place), np.inf)
    normal = np.tile(np.float32([0, 0, 1]), (len(place), 1))
    for face in range(3):
        s, t = np.linalg.solve(axes[[face, (face + 1) % 3]].T, place.T)
        inside = (s >= 0) & (t >= 0) & (s <= 1) & (t <= 1)
        sides = (s, t) if is_hollow else (s, t, 1 - s, 1 - t)
        distance[inside] = 6 * np.min(sides, axis=0)[inside]
        normal[inside] = np.eye(3, dtype=np.float32)[face]
    return _flat_with(10 * place, normal, distance)


def _foot(columns: int, rows: int) -> Points:
    """Points of a plate, seen aslant, round the foot of something on it."""
    x, y = np.meshgrid(np.linspace(-1, 1, columns) * columns / rows, np.linspace(1, -1, rows))
    distance = 1.6 * np.maximum(np.hypot(x, 1.9 * y) - 0.45, 0).ravel()
    place = np.stack([x, y], axis=-1).reshape(-1, 2)
    return _flat_with(10 * place, np.tile(np.float32([0, 0, 1]), (len(place), 1)), distance)


def _flat_with(place: np.ndarray, normal: np.ndarray, distance: np.ndarray) -> Points:
    index = np.arange(len(place), dtype=np.int32)
    nothing = np.zeros(len(place), np.float32)
    position = np.zeros((len(place), 3), np.float32)
    position[:, :2] = place
    hits = (_Corner(distance), index, nothing, nothing)
    return Points(position, normal, np.zeros(len(place), np.int32), FLAT, is_flat=True, hits=hits)


def _ball(columns: int, rows: int) -> Points:
    """A ball of four parts, seen from the front and a little above; what is beside it looks away."""
    x, y = np.meshgrid(np.linspace(-1, 1, columns), np.linspace(1, -1, rows) * rows / columns)
    radius = 0.92 * min(1, rows / columns)
    z = np.sqrt(np.maximum(radius**2 - x**2 - y**2, 0))
    seen = np.stack([x, y, z], axis=-1).reshape(-1, 3) / radius
    tilt = np.array([[1, 0, 0], [0, 0.9, 0.436], [0, -0.436, 0.9]])
    normal = (seen / np.maximum(np.linalg.norm(seen, axis=1, keepdims=True), 1e-6)) @ tilt.T
    part = (normal[:, 0] > 0).astype(np.int32) + 2 * (normal[:, 1] > 0)
    frames = Frames(
        np.repeat(np.eye(3, dtype=np.float32)[None], 5, axis=0),
        np.zeros((5, 3), np.float32),
        np.zeros((5, 3), np.float32),
        np.full((5, 4), 10, np.float32),
        np.full((5, 3), -10, np.float32),
        np.full((5, 3), 10, np.float32),
        np.arange(5, dtype=np.int32) * 7919,
        np.ones((5, 2), np.float32),
    )
    return Points(
        (10 * normal).astype(np.float32),
        normal.astype(np.float32),
        part,
        frames,
        cosine=(z / radius).reshape(-1).astype(np.float32),
    )


SAMPLES = {
    "ball": _ball,
    "cube": partial(_corner, is_hollow=False),
    "corner": partial(_corner, is_hollow=True),
    "foot": _foot,
}
"""Points of the shapes that sources are shown on, by `Source.sample_shape`; others are flat."""
