"""Triangles of the surface of a liquid, as seen from above: fine at its outlines and coarse in the middle."""

from typing import NamedTuple

import numpy as np
from scipy.spatial import Delaunay, cKDTree

from mat_shelf.fills.section import follow_loop
from mat_shelf.numerics.kernels import kernel

_RINGS = np.array([0.01, 0.03, 0.07, 0.13, 0.21, 0.31, 0.44, 0.61, 0.84, 1.14, 1.55, 2.1, 2.9, 4.1])
_FINE_RINGS = np.array([0.002, 0.006, 0.016, 0.04, 0.08])
"""Distances of the rings of nodes from the wall, in capillary lengths; the fine ones where the surface is all but
upright there."""
_UPRIGHT = np.radians(72.0)
_TURNS = 4
"""Times that nodes which are in the way of an outline are left out."""
_BESIDE = 0.5
"""Capillary lengths from a wall up to which its own nodes are left alone."""


class Fineness(NamedTuple):
    """Fineness of the triangles of a surface.

    sides : int; points of an outline, at least so many all round
    bend : float, radians; and one wherever it has turned so far
    every : int; of the rings of nodes at the wall, one in so many
    across : int; nodes across the middle
    precision : float; of a capillary length, the last step towards its heights
    """

    sides: int
    bend: float
    every: int
    across: int
    precision: float


FINE = Fineness(150, float(np.radians(5.0)), 1, 18, 5e-4)
COARSE = Fineness(75, float(np.radians(9.0)), 2, 9, 5e-3)
"""While a level is dragged: about four times as quick."""


class SurfaceMesh(NamedTuple):
    """Triangles between outlines, seen from above.

    points : (P, 2) float64, mm; the outlines come first, in their order
    triangles : (T, 3) int32, counter-clockwise
    depth : (P,) float64, mm; distances from the outlines
    nearest : (P,) int64; the points of the outlines that are nearest
    is_whole : bool; whether the outlines are its border, which they are unless they cross themselves
    """

    points: np.ndarray
    triangles: np.ndarray
    depth: np.ndarray
    nearest: np.ndarray
    is_whole: bool


def mesh_outlines(
    outlines: list[np.ndarray],
    length: float,
    steepest: float = 0.0,
    fine: tuple[np.ndarray, np.ndarray, float] | None = None,
    fineness: Fineness = FINE,
) -> SurfaceMesh:
    """Triangles between outlines, fine at them and coarse in the middle.

    Parameters
    ----------
    outlines : list of (N, 2) float64
        Closed lines, mm; what is inside lies to their left.
    length : float
        Capillary length, mm.
    steepest : float
        Greatest slope at a wall, radians.
    fine : tuple of (P, 2) float64, (2,) float64, float, optional
        More points, mm, that take the place of all others away from the walls: within so far of the middle of them.
    fineness : Fineness
        Of the triangles.

    Returns
    -------
    SurfaceMesh
    """
    border = np.concatenate(outlines)
    inwards = np.concatenate([_left_of(line) for line in outlines])
    dense = np.concatenate([_between(line) for line in outlines])
    near = cKDTree(dense)
    low, high = border.min(axis=0), border.max(axis=0)
    pitch = float((high - low).max()) / fineness.across
    x, y = np.meshgrid(np.arange(low[0], high[0], pitch), np.arange(low[1], high[1], pitch * 0.866))
    x = x + (np.arange(len(x)) % 2 * pitch / 2)[:, None]
    grid = np.stack([x.reshape(-1), y.reshape(-1)], axis=1)
    grid = grid[is_inside(grid, outlines)]
    depth = near.query(grid)[0] if len(grid) else np.zeros(1)
    rings = rings_at_wall(max(float(depth.max(initial=0)), pitch / 4), length, steepest, fineness)
    added, side = [], float(np.linalg.norm(np.diff(border, axis=0), axis=1).mean())
    for ring, every in zip(rings, strides(rings, side), strict=True):
        places = border[::every] + inwards[::every] * ring
        added.append(places[near.query(places)[0] > 0.93 * ring])
    if len(grid):
        added.append(grid[depth > rings[-1] + 0.6 * pitch])
    inner = np.concatenate(added)
    if fine is not None:
        more, middle, reach = fine
        more = more[near.query(more)[0] > _BESIDE * length]
        is_kept = (np.hypot(*(inner - middle).T) > reach) | (near.query(inner)[0] <= _BESIDE * length)
        inner = np.concatenate([inner[is_kept], more])
    inner = inner[is_inside(inner, outlines)]
    ahead = np.concatenate([np.roll(np.arange(len(line)), -1) + k for line, k in _numbered(outlines)])
    for _ in range(_TURNS):
        points = np.concatenate([border, inner])
        triangles = _between_outlines(points, outlines)
        lost = ~_has_sides(triangles, ahead, len(points))
        if not lost.any():
            break
        # Sides of the outline that were passed over have nodes too near to them.
        middle, reach = (border + border[ahead])[lost] / 2, np.linalg.norm(border[ahead] - border, axis=1)[lost]
        close = cKDTree(inner).query_ball_point(middle, 0.6 * reach)
        dropped = np.unique(np.concatenate([np.asarray(each, np.int64) for each in close]))
        if not len(dropped):
            break
        inner = np.delete(inner, dropped, axis=0)
    triangles = _patched(triangles, ahead, len(points))
    depth, nearest = near.query(points)[0], cKDTree(border).query(points)[1]
    return SurfaceMesh(points, triangles, depth, nearest, _is_bordered(triangles, ahead, len(points)))


def rings_at_wall(widest: float, length: float, steepest: float, fineness: Fineness) -> np.ndarray:
    """Distances of rings of nodes from the wall, mm.

    Parameters
    ----------
    widest : float
        Greatest distance from the wall, mm.
    length : float
        Capillary length, mm.
    steepest : float
        Greatest slope at the wall, radians.
    fineness : Fineness
        Of the triangles.

    Returns
    -------
    (R,) float64
    """
    rings = np.concatenate([_FINE_RINGS, _RINGS[3:]]) if steepest > _UPRIGHT else _RINGS
    rings = min(length, 0.45 * widest) * rings[(len(rings) - 1) % fineness.every :: fineness.every]
    return rings[rings < widest * 0.95]


def strides(rings: np.ndarray, side: float) -> np.ndarray:
    """Numbers of points of the outline for one node of each ring, so that triangles are not too long.

    Parameters
    ----------
    rings : (R,) float64
        As `rings_at_wall` has them, mm.
    side : float
        Distance of the points of the outline, mm.

    Returns
    -------
    (R,) int64
    """
    gaps = np.diff(rings, append=rings[-1] * 1.3)
    return np.maximum(0.8 * gaps / side, 1).astype(np.int64)


def moved_mesh(mesh: SurfaceMesh, border: np.ndarray, length: float) -> SurfaceMesh | None:
    """A mesh with its outlines moved aside a little; what lies at them goes with them, the middle stays.

    Parameters
    ----------
    mesh : SurfaceMesh
        The mesh.
    border : (N, 2) float64
        New places of the points of its outlines, mm.
    length : float
        Capillary length, mm.

    Returns
    -------
    SurfaceMesh or None
        None if a triangle would turn over.
    """
    aside = (border - mesh.points[: len(border)])[mesh.nearest]
    reach = max(min(length, 0.45 * float(mesh.depth.max())), 1e-12)
    points = mesh.points + aside * np.maximum(1 - mesh.depth / reach, 0)[:, None]
    points[: len(border)] = border
    if not mesh.is_whole or (twice_areas(points, mesh.triangles) <= 0).any():
        return None
    return mesh._replace(points=points)


def twice_areas(points: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Twice the areas of triangles; below 0 where they run clockwise.

    Parameters
    ----------
    points : (P, 2) float64
        Points.
    triangles : (T, 3) int32
        Triangles.

    Returns
    -------
    (T,) float64
    """
    a, b, c = points[triangles].transpose(1, 0, 2)
    return (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]


def _numbered(outlines: list[np.ndarray]):
    """Outlines, each with the number of its first point among those of all."""
    return zip(outlines, np.cumsum([0, *(len(line) for line in outlines)])[:-1], strict=True)


def _between_outlines(points: np.ndarray, outlines: list[np.ndarray]) -> np.ndarray:
    """Triangles of points that lie between outlines, counter-clockwise, (T, 3) int32."""
    triangles = Delaunay(points).simplices
    twice = twice_areas(points, triangles)
    triangles[twice < 0] = triangles[twice < 0][:, ::-1]
    flattest = 1e-14 * float(np.ptp(points, axis=0).max()) ** 2
    middle = points[triangles].mean(axis=1)
    return triangles[(np.abs(twice) > flattest) & is_inside(middle, outlines)].astype(np.int32)


def _patched(triangles: np.ndarray, ahead: np.ndarray, count: int) -> np.ndarray:
    """Triangles with slivers between their own border and the outlines, so that both have the same sides."""
    runs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    forth, back = runs[:, 0] * count + runs[:, 1], runs[:, 1] * count + runs[:, 0]
    own = forth[~np.isin(forth, back)]
    wanted = np.arange(len(ahead)) * count + ahead
    lost, extra = wanted[~np.isin(wanted, own)], own[~np.isin(own, wanted)]
    following = np.full(count, -1, np.int64)
    following[extra % count] = extra // count
    following[lost // count] = lost % count
    seen, room, slivers = np.zeros(count, bool), np.zeros(count + 1, np.int64), [triangles]
    for begin in lost // count:
        if not seen[begin] and (n := follow_loop(begin, following, seen, room)) > 2:
            around = room[:n].copy()
            slivers.append(np.stack([np.full(n - 2, around[0]), around[1:-1], around[2:]], axis=1).astype(np.int32))
    return np.concatenate(slivers)


def _is_bordered(triangles: np.ndarray, ahead: np.ndarray, count: int) -> bool:
    """True if the sides of the outlines, and no others, belong to one triangle only."""
    runs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    forth, back = np.sort(runs[:, 0] * count + runs[:, 1]), np.sort(runs[:, 1] * count + runs[:, 0])
    if (forth[1:] == forth[:-1]).any():
        return False
    alone = forth[back[np.minimum(np.searchsorted(back, forth), len(back) - 1)] != forth]
    return np.array_equal(alone, np.sort(np.arange(len(ahead)) * count + ahead))


def _has_sides(triangles: np.ndarray, ahead: np.ndarray, count: int) -> np.ndarray:
    """True for the sides of outlines that are sides of triangles, by the points that they begin with."""
    runs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    return np.isin(np.arange(len(ahead)) * count + ahead, runs[:, 0] * count + runs[:, 1])


def _left_of(line: np.ndarray) -> np.ndarray:
    """Unit directions to the left of a closed line at its points."""
    way = np.roll(line, -1, axis=0) - line
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    mean = way + np.roll(way, 1, axis=0)
    mean /= np.maximum(np.linalg.norm(mean, axis=1, keepdims=True), 1e-12)
    return np.stack([-mean[:, 1], mean[:, 0]], axis=1)


def _between(line: np.ndarray) -> np.ndarray:
    """The points of a closed line with three more on each side."""
    ahead = np.roll(line, -1, axis=0)
    return np.concatenate([line + (ahead - line) * share for share in (0, 0.25, 0.5, 0.75)])


def is_inside(points: np.ndarray, outlines: list[np.ndarray]) -> np.ndarray:
    """True for points that lie between outlines, by the number of times that a ray from them crosses those.

    Parameters
    ----------
    points : (N, 2) float64
        Points.
    outlines : list of (M, 2) float64
        Closed lines.

    Returns
    -------
    (N,) bool
    """
    inside = np.zeros(len(points), bool)
    ends = np.concatenate([np.roll(line, -1, axis=0) for line in outlines])
    _count_crossings(np.ascontiguousarray(points), np.concatenate(outlines), ends, inside)
    return inside


@kernel
def _count_crossings(points, starts, ends, inside):
    """Turns `inside` of each point at each side that a ray from it to the right crosses."""
    for i in range(len(points)):
        x, y = points[i, 0], points[i, 1]
        for k in range(len(starts)):
            if (starts[k, 1] > y) != (ends[k, 1] > y):
                share = (y - starts[k, 1]) / (ends[k, 1] - starts[k, 1])
                if x < starts[k, 0] + share * (ends[k, 0] - starts[k, 0]):
                    inside[i] = not inside[i]


def node_areas(mesh: SurfaceMesh) -> np.ndarray:
    """Area that each node of a surface stands for, (P,) float64, mm2.

    Parameters
    ----------
    mesh : SurfaceMesh
        The surface.

    Returns
    -------
    (P,) float64
    """
    area = 0.5 * np.abs(twice_areas(mesh.points, mesh.triangles))
    found = np.bincount(mesh.triangles.reshape(-1), np.repeat(area / 3, 3), len(mesh.points))
    return np.maximum(found, 1e-9 * found.max())
