"""Triangles of a liquid's surface in rings, soon made: the outline again and again, smaller each time."""

import numpy as np

from mat_shelf.fills.surface_mesh import FINE, Fineness, SurfaceMesh, rings_at_wall, strides

_LEAST_ALIKE = 0.5
"""Nearest wall, of the farthest, as seen from the middle: where they differ by more, rings would be too far apart."""
_FEWEST = 24
"""Points of an outline that rings are made of."""


def middle_of(outline: np.ndarray) -> np.ndarray | None:
    """Centre of the area in an outline.

    Parameters
    ----------
    outline : (N, 2) float64
        Closed line, counter-clockwise, mm.

    Returns
    -------
    (2,) float64 or None
        None if it is not to the left of all its sides.
    """
    ahead = np.roll(outline, -1, axis=0)
    turned = _turned(outline, ahead)
    if turned.sum() <= 0:
        return None
    middle = ((outline + ahead) * turned[:, None]).sum(axis=0) / (3 * turned.sum())
    return middle if (_turned(outline - middle, ahead - middle) > 0).all() else None


def _turned(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    return one[:, 0] * other[:, 1] - other[:, 0] * one[:, 1]


def ring_mesh(outline: np.ndarray, length: float, steepest: float, fineness: Fineness = FINE) -> SurfaceMesh | None:
    """Triangles in an outline whose walls are about as far from its middle at all sides.

    Parameters
    ----------
    outline : (N, 2) float64
        Closed line, counter-clockwise, mm.
    length : float
        Capillary length, mm.
    steepest : float
        Greatest slope at the wall, radians.
    fineness : Fineness
        Of the triangles.

    Returns
    -------
    SurfaceMesh or None
        None for an outline of another kind.
    """
    count, middle = len(outline), middle_of(outline)
    if middle is None or count < _FEWEST:
        return None
    out, side = outline - middle, np.roll(outline, -1, axis=0) - outline
    wall = _turned(out, side) / np.maximum(np.hypot(*side.T), 1e-12)
    if not wall.min() > _LEAST_ALIKE * wall.max():
        return None
    wall, least = (wall + np.roll(wall, 1)) / 2, float(wall.min())
    around = float(np.hypot(*side.T).sum())
    rings = rings_at_wall(least, length, steepest, fineness)
    pitch = 2 * least / fineness.across
    further = np.linspace(rings[-1], least, max(int((least - rings[-1]) / (0.866 * pitch)), 1) + 1)[1:-1]
    depths = np.concatenate([[0.0], rings, further])
    wide = pitch / (around / count * (1 - further / least))
    every = np.concatenate([[1], strides(rings, around / count), wide])
    every = np.maximum.accumulate(np.minimum(every, count / 6).astype(np.int64))
    places = [np.arange(0, count - step // 2, step) for step in every]
    points = [middle + out[at] * (1 - depth / least) for at, depth in zip(places, depths, strict=True)]
    distance = [wall[at] * depth / least for at, depth in zip(places, depths, strict=True)]
    first = np.cumsum([0, *(len(at) for at in places)])
    triangles = [
        _between_rings(outer, inner, a, b, count)
        for outer, inner, a, b in zip(places, places[1:], first, first[1:], strict=False)
    ]
    last = first[-2] + np.arange(len(places[-1]))
    triangles.append(np.stack([last, np.roll(last, -1), np.full(len(last), first[-1])], axis=1))
    return SurfaceMesh(
        np.concatenate([*points, middle[None]]),
        np.concatenate(triangles).astype(np.int32),
        np.concatenate([*distance, [least]]),
        np.append(np.concatenate(places), 0),
        True,
    )


def _between_rings(outer: np.ndarray, inner: np.ndarray, first: int, second: int, count: int) -> np.ndarray:
    """Triangles between two rings, counter-clockwise, (T, 3).

    Parameters
    ----------
    outer, inner : (N,), (M,) int64
        Places of their nodes round the outline, which has `count`; both begin at 0.
    first, second : int
        Numbers of their first nodes.
    count : int
        Places round the outline.
    """
    n, m = len(outer), len(inner)
    # The side of one ring whose middle comes first is joined to the next node of the other.
    middles = np.concatenate([(outer + np.append(outer[1:], count)) / 2, (inner + np.append(inner[1:], count)) / 2])
    order = np.argsort(middles, kind="stable")
    is_outer = order < n
    a, b = np.cumsum(is_outer) - is_outer, np.cumsum(~is_outer) - ~is_outer
    corner = np.where(is_outer, first + (a + 1) % n, second + (b + 1) % m)
    return np.stack([first + a % n, corner, second + b % m], axis=1)
