"""Smooth surfaces of coarse meshes, after Catmull and Clark, with edges that stay hard.

Catmull and Clark 1978, Recursively Generated B-Spline Surfaces on Arbitrary Topological Meshes. Hard edges after Hoppe
et al. 1994, Piecewise Smooth Surface Reconstruction; points of the limit surface after Halstead and others 1993,
Efficient, Fair Interpolation Using Catmull-Clark Surfaces.
"""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.mesh import Mesh, places, row_keys
from mat_shelf.geometry.triangles import sums_at

MOST_LEVELS = 5
MOST_SMOOTH_TRIANGLES = 2_000_000
"""Of one part; a level that would take more is left out."""
_UV_STEPS = 1 << 22
"""Coordinates that are nearer to each other are one."""
_FLAT_DEGREES, _STRAIGHT, _SQUARE = 25.0, np.cos(np.radians(10)), np.cos(np.radians(65))
"""Of two triangles that were one quad: bend of their common edge at most, and cosines of its corners at most, where the
one follows the other in the file and where not."""


@dataclass(frozen=True, eq=False)
class SmoothSurface:
    """A smooth surface, and where its triangles come from.

    Attributes
    ----------
    mesh : Mesh
        In the units of the mesh that it was made of; its vertices lie on the limit surface.
    face : (T,) int32
        Triangles of that mesh that they are pieces of.
    place : (T, 6) float32
        Where in those their three corners lie: shares of the second and the third corner.
    """

    mesh: Mesh
    face: np.ndarray
    place: np.ndarray


@dataclass(frozen=True, eq=False)
class _Polygons:
    """Faces of a level: corners one after another.

    vertices : (V, 3)
    corner, face, onward, back : (C,), vertex and face of a corner, next and last corner of its face
    edge : (C,), the edge from a corner to the next; ends : (E, 2), the vertices of edges; is_hard : (E,) bool
    """

    vertices: np.ndarray
    corner: np.ndarray
    face: np.ndarray
    onward: np.ndarray
    back: np.ndarray
    edge: np.ndarray
    ends: np.ndarray
    is_hard: np.ndarray


@dataclass(frozen=True, eq=False)
class _Origin:
    """Origin of quads: each is two triangles, of its corners 0, 1, 2 and 0, 2, 3.

    triangle : (Q, 2), those of the coarse mesh that they lie in; place : (Q, 2, 3, 2), where their corners lie in them
    """

    triangle: np.ndarray
    place: np.ndarray


def levels_that_fit(triangles: int, level: int) -> int:
    """Levels of smoothing that a mesh may have.

    Parameters
    ----------
    triangles : int
        Triangles of the mesh.
    level : int
        Levels that are asked for.

    Returns
    -------
    int
    """
    level = min(level, MOST_LEVELS)
    while level > 0 and 6 * triangles * 4 ** (level - 1) > MOST_SMOOTH_TRIANGLES:
        level -= 1
    return level


def smooth(mesh: Mesh, graph: Adjacency, level: int, hard_degrees: float, borders: np.ndarray) -> SmoothSurface:
    """Smooths a mesh.

    Parameters
    ----------
    mesh : Mesh
        The coarse mesh. Pairs of triangles that follow each other and were one quad are taken for it.
    graph : Adjacency
        Adjacency of the mesh.
    level : int
        How often each face is divided, at least once.
    hard_degrees : float
        Edges that bend by more stay as they are; so do open ones, and those of three faces and more.
    borders : (T,) int
        Numbers of regions; edges between two of them stay as well.

    Returns
    -------
    SmoothSurface
    """
    place = places(mesh.vertices)
    first = np.unique(place, return_index=True)[1]
    triangles = place[mesh.triangles].astype(np.int64)
    is_hard = (graph.bend > hard_degrees) | (borders[graph.pairs[:, 0]] != borders[graph.pairs[:, 1]]) | graph.flipped
    quads, alone = _quads(mesh, graph, triangles, is_hard)
    creases = _keys(graph.edges[is_hard, 0].astype(np.int64), graph.edges[is_hard, 1].astype(np.int64))
    sizes = np.repeat([4, 3], [len(quads), len(alone)])
    corner = np.concatenate([quads[:, 2:].reshape(-1), triangles[alone].reshape(-1)])
    face, onward, back = _rounds(sizes)
    keys, edge, faces = np.unique(_keys(corner, corner[onward]), return_inverse=True, return_counts=True)
    ends = np.stack([keys >> np.int64(32), keys & np.int64(0xFFFFFFFF)], axis=1)
    stays = np.isin(keys, creases) | (faces != 2)
    vertices = mesh.vertices[first].astype(np.float64)
    polygons = _divided(_Polygons(vertices, corner, face, onward, back, edge, ends, stays))
    origin = _first_origin(quads, alone, triangles)
    for _ in range(level - 1):
        polygons, origin = _divided(polygons), _divided_origin(origin)
    return _finished(mesh, polygons, origin)


def _keys(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.minimum(a, b) << np.int64(32) | np.maximum(a, b)


def _quads(mesh: Mesh, graph: Adjacency, triangles: np.ndarray, is_hard: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Quads that were cut in two: both triangles, then four corners, the cut from the first to the third; and the rest.

    Files keep the two halves one after the other; those of others are told by corners that are nearly square.
    """
    flat = (graph.bend < _FLAT_DEGREES) & ~is_hard
    pairs, ends = graph.pairs[flat].astype(np.int64), graph.edges[flat].astype(np.int64)
    tip = [_beyond(triangles[pairs[:, k]], ends) for k in range(2)]
    # Turned so that the first triangle is (cut start, its tip, cut end) the right way round.
    one, rows = triangles[pairs[:, 0]], np.arange(len(pairs))
    at = (one == tip[0][:, None]).argmax(axis=1)
    made = np.column_stack([pairs, one[rows, (at + 2) % 3], tip[0], one[rows, (at + 1) % 3], tip[1]])
    points = mesh.vertices.astype(np.float64)[np.unique(places(mesh.vertices), return_index=True)[1]][made[:, 2:]]
    sides = np.roll(points, -1, axis=1) - points
    sides /= np.maximum(np.linalg.norm(sides, axis=2, keepdims=True), 1e-30)
    oblique = np.abs((sides * np.roll(sides, 1, axis=1)).sum(axis=2)).max(axis=1)
    turns = np.cross(np.roll(sides, 1, axis=1), sides)
    is_convex = ((turns * turns.sum(axis=1, keepdims=True)).sum(axis=2) > 0).all(axis=1)
    follows = np.abs(pairs[:, 0] - pairs[:, 1]) == 1
    sound = is_convex & (oblique < np.where(follows, _STRAIGHT, _SQUARE))
    cost = oblique - follows + graph.bend[flat] / _FLAT_DEGREES
    made = made[sound][_matched(pairs[sound], cost[sound], len(triangles))]
    alone = np.ones(len(triangles), bool)
    alone[made[:, :2].reshape(-1)] = False
    return made, np.flatnonzero(alone)


def _matched(pairs: np.ndarray, cost: np.ndarray, count: int) -> np.ndarray:
    """Pairs of which no two share a triangle: again and again those that are the best of both their triangles."""
    order = np.argsort(cost, kind="stable")
    rank = np.empty(len(pairs), np.int64)
    rank[order] = np.arange(len(pairs))
    is_open, chosen = np.ones(len(pairs), bool), np.zeros(len(pairs), bool)
    while is_open.any():
        best = np.full(count, len(pairs))
        for side in range(2):
            np.minimum.at(best, pairs[is_open, side], rank[is_open])
        wins = is_open & (best[pairs] == rank[:, None]).all(axis=1)
        chosen |= wins
        taken = np.zeros(count, bool)
        taken[pairs[wins].reshape(-1)] = True
        is_open &= ~taken[pairs].any(axis=1)
    return chosen


def _beyond(triangles: np.ndarray, ends: np.ndarray) -> np.ndarray:
    """Corner of each triangle that is none of the two ends of an edge."""
    off = (triangles != ends[:, :1]) & (triangles != ends[:, 1:])
    return triangles[np.arange(len(triangles)), off.argmax(axis=1)]


def _rounds(sizes: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Face, next and last corner of each corner of faces of some sizes."""
    face = np.repeat(np.arange(len(sizes)), sizes)
    first = np.repeat(np.cumsum(sizes) - sizes, sizes)
    step, size = np.arange(len(face)) - first, sizes[face]
    return face, first + (step + 1) % size, first + (step - 1) % size


def _first_origin(quads: np.ndarray, alone: np.ndarray, triangles: np.ndarray) -> _Origin:
    """Places of the quads of the first level: four of each quad, then three of each triangle."""
    own = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])

    def local(triangle, vertex):
        return own[(triangles[triangle] == vertex[:, None]).argmax(axis=1)]

    one, other, a, b, c, d = quads.T
    place = np.stack(
        [
            np.stack([local(one, v) for v in (a, b, c)], axis=1),
            np.stack([local(other, v) for v in (a, c, d)], axis=1),
        ],
        axis=1,
    )
    of_quads = _divided_origin(_Origin(quads[:, :2], place))
    middle = own.mean(axis=0)
    corners = np.stack(
        [own, (own + np.roll(own, -1, 0)) / 2, np.tile(middle, (3, 1)), (own + np.roll(own, 1, 0)) / 2], 1
    )
    halves = corners[:, [[0, 1, 2], [0, 2, 3]]]
    return _Origin(
        np.concatenate([of_quads.triangle, np.repeat(alone, 3)[:, None].repeat(2, axis=1)]),
        np.concatenate([of_quads.place, np.tile(halves, (len(alone), 1, 1, 1))]),
    )


def _divided_origin(origin: _Origin) -> _Origin:
    """Places of the four quads of each quad. Their cuts run so that each half lies in one triangle."""
    (t1, t2), place = origin.triangle.T, origin.place
    a, b, c = place[:, 0].transpose(1, 0, 2)
    a2, c2, d = place[:, 1].transpose(1, 0, 2)
    ab, bc, ac = (a + b) / 2, (b + c) / 2, (a + c) / 2
    cd, da, ac2 = (c2 + d) / 2, (d + a2) / 2, (a2 + c2) / 2
    quads = (
        ((t1, t2), ((a, ab, ac), (a2, ac2, da))),
        ((t1, t1), ((b, bc, ac), (b, ac, ab))),
        ((t2, t1), ((c2, cd, ac2), (c, ac, bc))),
        ((t2, t2), ((d, da, ac2), (d, ac2, cd))),
    )
    triangle = np.stack([np.stack(pair, axis=1) for pair, _ in quads], axis=1)
    placed = np.stack([np.stack([np.stack(half, axis=1) for half in halves], axis=1) for _, halves in quads], axis=1)
    return _Origin(triangle.reshape(-1, 2), placed.reshape(-1, 2, 3, 2))


def _at_hard_edges(p: _Polygons) -> tuple[np.ndarray, np.ndarray]:
    """Number of hard edges at each vertex, and the sum of the vertices at their other ends."""
    ends = p.ends[p.is_hard]
    count = np.bincount(ends.reshape(-1), minlength=len(p.vertices))
    return count, sums_at(ends.reshape(-1), p.vertices[ends[:, ::-1].reshape(-1)], len(p.vertices))


def _divided(p: _Polygons) -> _Polygons:
    """The next level: a quad for each corner."""
    count, edges, faces = len(p.vertices), len(p.ends), int(p.face[-1]) + 1
    face_points = sums_at(p.face, p.vertices[p.corner], faces) / np.bincount(p.face, minlength=faces)[:, None]
    middles = p.vertices[p.ends].mean(axis=1)
    around = sums_at(p.edge, face_points[p.face], edges)
    edge_points = np.where(p.is_hard[:, None], middles, (2 * middles + around) / 4)

    valence = np.bincount(p.ends.reshape(-1), minlength=count).astype(np.float64)[:, None]
    met = np.maximum(np.bincount(p.corner, minlength=count), 1)[:, None]
    face_mean = sums_at(p.corner, face_points[p.face], count) / met
    edge_mean = sums_at(p.ends.reshape(-1), np.repeat(middles, 2, axis=0), count) / np.maximum(valence, 1)
    moved = (face_mean + 2 * edge_mean + (valence - 3) * p.vertices) / np.maximum(valence, 1)
    hard, others = _at_hard_edges(p)
    moved = np.where((hard == 2)[:, None], 0.75 * p.vertices + others / 8, moved)
    moved = np.where(((hard > 2) | (valence[:, 0] == 0))[:, None], p.vertices, moved)

    corner = np.stack([p.corner, count + p.edge, count + edges + p.face, count + p.edge[p.back]], axis=1).reshape(-1)
    # Edges: both halves of each, then one from the middle of each to the middle of a face.
    own = np.arange(len(p.corner))
    before = p.edge[p.back]
    edge = np.stack(
        [
            2 * p.edge + (p.ends[p.edge, 1] == p.corner),
            2 * edges + own,
            2 * edges + p.back,
            2 * before + (p.ends[before, 1] == p.corner),
        ],
        axis=1,
    ).reshape(-1)
    halves = np.stack([p.ends.reshape(-1), np.repeat(count + np.arange(edges), 2)], axis=1)
    inner = np.stack([count + p.edge, count + edges + p.face], axis=1)
    quads = np.full(len(p.corner), 4)
    is_hard = np.concatenate([np.repeat(p.is_hard, 2), np.zeros(len(own), bool)])
    vertices = np.concatenate([moved, edge_points, face_points])
    return _Polygons(vertices, corner, *_rounds(quads), edge, np.concatenate([halves, inner]), is_hard)


def _limit(p: _Polygons) -> np.ndarray:
    """Points of the limit surface that the vertices of quads go to, (V, 3)."""
    count = len(p.vertices)
    valence = np.bincount(p.ends.reshape(-1), minlength=count).astype(np.float64)[:, None]
    beside = sums_at(p.ends.reshape(-1), p.vertices[p.ends[:, ::-1].reshape(-1)], count)
    across = sums_at(p.corner, p.vertices[p.corner[p.onward[p.onward]]], count)
    limit = (valence**2 * p.vertices + 4 * beside + across) / np.maximum(valence * (valence + 5), 1)
    hard, others = _at_hard_edges(p)
    limit = np.where((hard == 2)[:, None], (4 * p.vertices + others) / 6, limit)
    return np.where(((hard > 2) | (valence[:, 0] == 0))[:, None], p.vertices, limit)


def _pieces(p: _Polygons) -> np.ndarray:
    """Number of the piece, with hard edges all round it, that each quad lies in."""
    order = np.argsort(p.edge, kind="stable")
    same = (p.edge[order][1:] == p.edge[order][:-1]) & ~p.is_hard[p.edge[order][1:]]
    pairs = np.stack([order[:-1][same], order[1:][same]]) // 4
    count = len(p.corner) // 4
    return connected_components(coo_matrix((np.ones(pairs.shape[1], np.int8), pairs), (count, count)), False)[1]


def _finished(mesh: Mesh, p: _Polygons, origin: _Origin) -> SmoothSurface:
    """Triangles of the last level, with normals that break off at hard edges, and coordinates."""
    limit, quads, pieces = _limit(p), p.corner.reshape(-1, 4), _pieces(p)
    across = np.cross(limit[quads[:, 2]] - limit[quads[:, 0]], limit[quads[:, 3]] - limit[quads[:, 1]])
    keys = (quads * np.int64(int(pieces.max()) + 1) + pieces[:, None]).reshape(-1)
    _, first, index = np.unique(keys, return_index=True, return_inverse=True)
    vertices = limit[quads.reshape(-1)[first]]
    normals = sums_at(index, np.repeat(across, 4, axis=0), len(first))
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    normals[np.abs(normals).max(axis=1) < 0.5] = 0, 0, 1  # where faces have no area
    triangles = index.reshape(-1, 4)[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)
    face, place, uv = origin.triangle.reshape(-1), origin.place.reshape(-1, 3, 2), None
    if mesh.uv is not None:
        of = mesh.uv[mesh.triangles[face]].astype(np.float64)
        shares = np.concatenate([1 - place.sum(axis=2, keepdims=True), place], axis=2)
        uv = np.einsum("tij,tjk->tik", shares, of).reshape(-1, 2)
        columns = np.column_stack([triangles.reshape(-1), np.round(uv * _UV_STEPS).astype(np.int64)])
        _, first, index = np.unique(row_keys(columns), return_index=True, return_inverse=True)
        of_corner = triangles.reshape(-1)[first]
        vertices, normals, uv = vertices[of_corner], normals[of_corner], np.ascontiguousarray(uv[first], np.float32)
        triangles = index.reshape(-1, 3)
    made = Mesh(
        np.ascontiguousarray(vertices, np.float32),
        np.ascontiguousarray(triangles, np.int32),
        np.ascontiguousarray(normals, np.float32),
        uv,
    )
    return SmoothSurface(made, face.astype(np.int32), np.ascontiguousarray(place.reshape(-1, 6), np.float32))
