"""Choosing faces of a mesh, from a face that was clicked or an area that was drawn. All give (F,) bool."""

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from mat_shelf.geometry.adjacency import Adjacency, face_normals, flooded
from mat_shelf.geometry.mesh import Mesh, places

ROUNDED = 18.0
"""Degrees that two facets of one round surface meet at, at most; real edges are sharper."""


def piece_of(graph: Adjacency, face: int) -> np.ndarray:
    """Everything that hangs together with a face."""
    return flooded(graph, [face], np.ones(len(graph.pairs), bool))


def smooth_region(graph: Adjacency, face: int, degrees: float = ROUNDED) -> np.ndarray:
    """The region round a face that no edge sharper than so many degrees crosses."""
    return flooded(graph, [face], graph.bend <= degrees)


def facing_like(mesh: Mesh, graph: Adjacency, face: int, degrees: float) -> np.ndarray:
    """The region round a face whose faces look the same way, to within so many degrees of the face itself."""
    normals = face_normals(mesh)
    alike = normals @ normals[face] >= np.cos(np.radians(degrees)) - 1e-6
    return flooded(graph, [face], alike[graph.pairs[:, 0]] & alike[graph.pairs[:, 1]])


def grown(graph: Adjacency, chosen: np.ndarray) -> np.ndarray:
    """The chosen faces and their neighbours."""
    across = chosen[graph.pairs[:, 0]] ^ chosen[graph.pairs[:, 1]]
    more = chosen.copy()
    more[graph.pairs[across].reshape(-1)] = True
    return more


def shrunk(graph: Adjacency, chosen: np.ndarray) -> np.ndarray:
    """The chosen faces without those at their border."""
    return ~grown(graph, ~chosen)


def edge_path(mesh: Mesh, graph: Adjacency, start: int, end: int) -> np.ndarray:
    """The way from one face to another along edges, sharp ones first: pairs (see `Adjacency`) that it cuts, (N,) int32.

    The way runs from a corner of the first face to a corner of the other; a sharp edge counts as a fifth of its length,
    so a loop that is drawn near a crease snaps into it.
    """
    place = places(mesh.vertices)
    where = np.zeros((int(place.max()) + 1, 3))
    where[place] = mesh.vertices
    a, b = graph.edges[:, 0], graph.edges[:, 1]
    length = np.linalg.norm(where[a] - where[b], axis=1) + 1e-9
    weight = length * np.where(graph.bend > ROUNDED, 0.2, 1.0)
    matrix = coo_matrix((weight, (a, b)), shape=(len(where), len(where))).tocsr()
    corners, goals = place[mesh.triangles[start]], place[mesh.triangles[end]]
    distance, before, _ = dijkstra(matrix, directed=False, indices=corners, min_only=True, return_predecessors=True)
    at = int(goals[np.argmin(distance[goals])])
    steps = set()
    while before[at] >= 0:
        steps.add((min(at, int(before[at])), max(at, int(before[at]))))
        at = int(before[at])
    keys = graph.edges[:, 0].astype(np.int64) << 32 | graph.edges[:, 1]
    wanted = np.array([low << 32 | high for low, high in steps], np.int64)
    return np.flatnonzero(np.isin(keys, wanted)).astype(np.int32)


def inside_loop(graph: Adjacency, cut: np.ndarray, face: int) -> np.ndarray:
    """The side of a cut (numbers of pairs) on which a face lies."""
    passable = np.ones(len(graph.pairs), bool)
    passable[cut] = False
    return flooded(graph, [face], passable)


def inside_polygon(points: np.ndarray, polygon: np.ndarray) -> np.ndarray:
    """Whether points of a plane, (N, 2), lie inside a closed line, (M, 2): even-odd rule, (N,) bool."""
    x, y = points[:, 0], points[:, 1]
    inside = np.zeros(len(points), bool)
    for (x0, y0), (x1, y1) in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        if y0 == y1:
            continue
        crosses = (y0 > y) != (y1 > y)
        inside ^= crosses & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
    return inside
