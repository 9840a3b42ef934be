"""Smooth surfaces of coarse meshes, after Catmull and Clark, with edges that stay hard.

Catmull and Clark 1978, Recursively Generated B-Spline Surfaces on Arbitrary Topological Meshes. Hard edges after Hoppe
et al. 1994, Piecewise Smooth Surface Reconstruction; points of the limit surface after Halstead, Kass and DeRose 1993,
Efficient, Fair Interpolation Using Catmull-Clark Surfaces.
"""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.mesh import Mesh, places, row_keys
from mat_shelf.geometry.triangles import triangle_normals

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

    vertices : (V, 3); corner, face, onward, back : (C,), vertex and face of a corner, next and last corner of its face
    creases : (K,) int64, keys of hard edges, sorted
    """

    vertices: np.ndarray
    corner: np.ndarray
    face: np.ndarray
    onward: np.ndarray
    back: np.ndarray
    creases: np.ndarray


@dataclass(frozen=True, eq=False)
class _Origin:
    """Where quads come from: each is two triangles, of its corners 0, 1, 2 and 0, 2, 3.

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
    creases = np.unique(_keys(graph.edges[is_hard, 0].astype(np.int64), graph.edges[is_hard, 1].astype(np.int64)))
    sizes = np.repeat([4, 3], [len(quads), len(alone)])
    corner = np.concatenate([quads[:, 2:].reshape(-1), triangles[alone].reshape(-1)])
    polygons = _polygons(mesh.vertices[first].astype(np.float64), corner, sizes, creases)
    origin = _first_origin(quads, alone, triangles)
    polygons, is_crease = _divided(polygons)
    for _ in range(level - 1):
        origin = _divided_origin(origin)
        polygons, is_crease = _divided(polygons)
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


def _polygons(vertices: np.ndarray, corner: np.ndarray, sizes: np.ndarray, creases: np.ndarray) -> _Polygons:
    face = np.repeat(np.arange(len(sizes)), sizes)
    first = np.repeat(np.cumsum(sizes) - sizes, sizes)
    step, size = np.arange(len(corner)) - first, sizes[face]
    return _Polygons(vertices, corner, face, first + (step + 1) % size, first + (step - 1) % size, creases)


def _first_origin(quads: np.ndarray, alone: np.ndarray, triangles: np.ndarray) -> _Origin:
    """Where the quads of the first level lie: four of each quad, then three of each triangle."""
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
    """Where the four quads of each quad lie. Their cuts run so that each half lies in one triangle."""
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


def _sums(index: np.ndarray, values: np.ndarray, count: int) -> np.ndarray:
    return np.stack([np.bincount(index, column, count) for column in values.T], axis=1)


def _edges(p: _Polygons) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Keys of edges; the edge from each corner onward; and which edges are hard."""
    keys, edge, faces = np.unique(_keys(p.corner, p.corner[p.onward]), return_inverse=True, return_counts=True)
    return keys, edge, np.isin(keys, p.creases, assume_unique=False) | (faces != 2)


def _divided(p: _Polygons) -> tuple[_Polygons, np.ndarray]:
    """The next level: a quad for each corner; and which of its edges are hard."""
    count, faces = len(p.vertices), int(p.face[-1]) + 1
    keys, edge, is_hard = _edges(p)
    ends = np.stack([keys >> np.int64(32), keys & np.int64(0xFFFFFFFF)], axis=1)
    corners = p.vertices[p.corner]
    face_points = _sums(p.face, corners, faces) / np.bincount(p.face, minlength=faces)[:, None]
    middles = p.vertices[ends].mean(axis=1)
    around = _sums(edge, face_points[p.face], len(keys))
    edge_points = np.where(is_hard[:, None], middles, (2 * middles + around) / 4)

    valence = np.bincount(ends.reshape(-1), minlength=count).astype(np.float64)[:, None]
    met = np.maximum(np.bincount(p.corner, minlength=count), 1)[:, None]
    face_mean = _sums(p.corner, face_points[p.face], count) / met
    edge_mean = _sums(ends.reshape(-1), np.repeat(middles, 2, axis=0), count) / np.maximum(valence, 1)
    moved = (face_mean + 2 * edge_mean + (valence - 3) * p.vertices) / np.maximum(valence, 1)
    hard_ends = ends[is_hard]
    hard = np.bincount(hard_ends.reshape(-1), minlength=count)
    others = _sums(hard_ends.reshape(-1), p.vertices[hard_ends[:, ::-1].reshape(-1)], count)
    moved = np.where((hard == 2)[:, None], 0.75 * p.vertices + others / 8, moved)
    moved = np.where(((hard > 2) | (valence[:, 0] == 0))[:, None], p.vertices, moved)

    quads = np.stack([p.corner, count + edge, count + len(keys) + p.face, count + edge[p.back]], axis=1)
    hard_edges = count + np.flatnonzero(is_hard)
    creases = np.unique(np.concatenate([_keys(hard_ends[:, k], hard_edges) for k in range(2)]))
    vertices = np.concatenate([moved, edge_points, face_points])
    return _polygons(vertices, quads.reshape(-1), np.full(len(quads), 4), creases), is_hard


def _limit(p: _Polygons) -> np.ndarray:
    """Points of the limit surface that the vertices of quads go to, (V, 3)."""
    count = len(p.vertices)
    keys, _, is_hard = _edges(p)
    ends = np.stack([keys >> np.int64(32), keys & np.int64(0xFFFFFFFF)], axis=1)
    valence = np.bincount(ends.reshape(-1), minlength=count).astype(np.float64)[:, None]
    beside = _sums(ends.reshape(-1), p.vertices[ends[:, ::-1].reshape(-1)], count)
    across = _sums(p.corner, p.vertices[p.corner[p.onward[p.onward]]], count)
    smooth_limit = (valence**2 * p.vertices + 4 * beside + across) / np.maximum(valence * (valence + 5), 1)
    hard_ends = ends[is_hard]
    hard = np.bincount(hard_ends.reshape(-1), minlength=count)
    others = _sums(hard_ends.reshape(-1), p.vertices[hard_ends[:, ::-1].reshape(-1)], count)
    limit = np.where((hard == 2)[:, None], (4 * p.vertices + others) / 6, smooth_limit)
    return np.where(((hard > 2) | (valence[:, 0] == 0))[:, None], p.vertices, limit)


def _finished(mesh: Mesh, p: _Polygons, origin: _Origin) -> SmoothSurface:
    """Triangles of the last level, with normals that break off at hard edges, and coordinates."""
    limit = _limit(p)
    quads = p.corner.reshape(-1, 4)
    _, edge, is_hard = _edges(p)
    corners_by_edge = np.argsort(edge, kind="stable")
    same = edge[corners_by_edge][1:] == edge[corners_by_edge][:-1]
    pairs = np.stack([corners_by_edge[:-1][same], corners_by_edge[1:][same]], axis=1) // 4
    soft = ~is_hard[edge[corners_by_edge[:-1][same]]]
    links = coo_matrix((np.ones(soft.sum(), np.int8), pairs[soft].T), shape=(len(quads), len(quads)))
    piece = connected_components(links, directed=False)[1]

    triangles = quads[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)
    normal = triangle_normals(limit[quads[:, [0, 1, 2]]]) + triangle_normals(limit[quads[:, [0, 2, 3]]])
    area = np.linalg.norm(
        np.cross(limit[quads[:, 2]] - limit[quads[:, 0]], limit[quads[:, 3]] - limit[quads[:, 1]]), axis=1
    )
    pieces = int(piece.max()) + 1
    _, at = np.unique((quads * np.int64(pieces) + piece[:, None]).reshape(-1), return_inverse=True)
    own = at.reshape(-1, 4)
    summed = _sums(at, np.repeat(normal * area[:, None], 4, axis=0), int(at.max()) + 1)
    summed /= np.maximum(np.linalg.norm(summed, axis=1, keepdims=True), 1e-30)
    corner_normal = summed[at].reshape(-1, 4, 3)[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)

    face = origin.triangle.reshape(-1)
    place = origin.place.reshape(-1, 3, 2)
    columns = [own[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 1)]
    uv = None
    if mesh.uv is not None:
        of = mesh.uv[mesh.triangles[face]].astype(np.float64)
        shares = np.concatenate([1 - place.sum(axis=2, keepdims=True), place], axis=2)
        uv = np.einsum("tij,tjk->tik", shares, of).reshape(-1, 2)
        columns.append(np.round(uv * _UV_STEPS).astype(np.int64))
    _, first, index = np.unique(row_keys(np.hstack(columns)), return_index=True, return_inverse=True)
    made = Mesh(
        np.ascontiguousarray(limit[triangles.reshape(-1)[first]], np.float32),
        np.ascontiguousarray(index.reshape(-1, 3), np.int32),
        np.ascontiguousarray(corner_normal[first], np.float32),
        None if uv is None else np.ascontiguousarray(uv[first], np.float32),
    )
    return SmoothSurface(made, face.astype(np.int32), np.ascontiguousarray(place.reshape(-1, 6), np.float32))
