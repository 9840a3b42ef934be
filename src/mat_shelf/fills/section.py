"""Sections of closed surfaces: the outlines in which a plane cuts them."""

import numpy as np

from mat_shelf.geometry.mesh import places
from mat_shelf.numerics.kernels import kernel


def section_outlines(vertices, triangles, origin, across, up=(0.0, 1.0, 0.0)) -> list[np.ndarray]:
    """Outlines in which an upright plane cuts a surface.

    Parameters
    ----------
    vertices : (V, 3) float
        Vertices, mm; those in the same place are one.
    triangles : (T, 3) int32
        Triangles of a closed surface.
    origin : (3,) float
        A point of the plane, mm.
    across, up : (3,) float
        Directions in the plane, of unit length and upright to each other.

    Returns
    -------
    list of (N, 2) float64
        Closed lines: mm along both directions from the point.
    """
    place = places(vertices)
    first = np.unique(place, return_index=True)[1]
    points = np.asarray(vertices, np.float64)[first] - np.asarray(origin, np.float64)
    faces = place[triangles]
    across, up = np.asarray(across, np.float64), np.asarray(up, np.float64)
    # A hair aside of vertices that lie in the plane.
    away = points @ np.cross(across, up)
    away = np.where(np.abs(away) < 1e-7, 1e-7, away)
    before = away < 0
    count = before[faces].sum(axis=1)
    cut = faces[(count == 1) | (count == 2)]
    if not len(cut):
        return []
    odd = np.where((before[cut].sum(axis=1) == 1)[:, None], before[cut], ~before[cut]).argmax(axis=1)
    cut = np.take_along_axis(cut, (odd[:, None] + np.arange(3)) % 3, axis=1)
    is_one = before[cut[:, 0]]
    ways = np.concatenate([np.sort(cut[:, [0, 1]], axis=1), np.sort(cut[:, [0, 2]], axis=1)]).astype(np.int64)
    key, index = np.unique(ways[:, 0] * len(points) + ways[:, 1], return_inverse=True)
    a, b = key // len(points), key % len(points)
    share = (away[a] / (away[a] - away[b]))[:, None]
    at = points[a] * (1 - share) + points[b] * share
    one, other = index[: len(cut)], index[len(cut) :]
    following = np.full(len(key), -1, np.int64)
    following[np.where(is_one, one, other)] = np.where(is_one, other, one)
    flat = np.stack([at @ across, at @ up], axis=1)
    seen, room, lines = np.zeros(len(key), bool), np.zeros(len(key) + 1, np.int64), []
    for begin in range(len(key)):
        if not seen[begin] and (n := follow_loop(begin, following, seen, room)) > 2:
            lines.append(flat[room[:n]])
    return lines


@kernel
def follow_loop(begin, following, seen, out):
    """Points of the loop that begins at one of them.

    Parameters
    ----------
    begin : int
        The point.
    following : (N,) int64
        The point after each; -1 for none.
    seen : (N,) bool, written
        Points that were passed.
    out : (N + 1,) int64, written
        Points of the loop.

    Returns
    -------
    int
        Their number; 0 where the loop does not close.
    """
    count, at = 0, begin
    while at >= 0 and not seen[at]:
        seen[at] = True
        out[count] = at
        count += 1
        at = following[at]
    return count if at == begin else 0
