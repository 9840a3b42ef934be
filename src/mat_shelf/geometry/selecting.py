"""Choosing faces of a mesh, from a face that was clicked or an area that was drawn. All give (F,) bool."""

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from mat_shelf.geometry.adjacency import Adjacency, face_normals, flooded
from mat_shelf.geometry.mesh import Mesh, places

ROUNDED = 18.0
"""Degrees that two facets of one round surface meet at, at most; real edges are sharper."""


def connected_faces(graph: Adjacency, face: int) -> np.ndarray:
    """Everything that hangs together with a face.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    face : int
        Number of the face.

    Returns
    -------
    array
    """
    return flooded(graph, [face], np.ones(len(graph.pairs), bool))


def smooth_region(graph: Adjacency, face: int, degrees: float = ROUNDED) -> np.ndarray:
    """The region round a face that no edge sharper than so many degrees crosses.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    face : int
        Number of the face.
    degrees : float
        Angle, degrees.

    Returns
    -------
    array
    """
    return flooded(graph, [face], graph.bend <= degrees)


def coplanar_region(mesh: Mesh, graph: Adjacency, face: int, degrees: float) -> np.ndarray:
    """The region round a face whose faces look the same way, to within so many degrees of the face itself.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    graph : Adjacency
        Adjacency of the mesh.
    face : int
        Number of the face.
    degrees : float
        Angle, degrees.

    Returns
    -------
    array
    """
    normals = face_normals(mesh)
    alike = normals @ normals[face] >= np.cos(np.radians(degrees)) - 1e-6
    return flooded(graph, [face], alike[graph.pairs[:, 0]] & alike[graph.pairs[:, 1]])


def grown(graph: Adjacency, chosen: np.ndarray) -> np.ndarray:
    """The chosen faces and their neighbours.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    chosen : (str, (T,) bool), optional
        Part and its selected faces; None for none.

    Returns
    -------
    array
    """
    across = chosen[graph.pairs[:, 0]] ^ chosen[graph.pairs[:, 1]]
    more = chosen.copy()
    more[graph.pairs[across].reshape(-1)] = True
    return more


def shrunk(graph: Adjacency, chosen: np.ndarray) -> np.ndarray:
    """The chosen faces without those at their border.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    chosen : (str, (T,) bool), optional
        Part and its selected faces; None for none.

    Returns
    -------
    array
    """
    return ~grown(graph, ~chosen)


def edge_loop(mesh: Mesh, graph: Adjacency, start: int, end: int) -> np.ndarray:
    """A closed way along edges through two faces: numbers of the pairs (see `Adjacency`) that it cuts, (N,) int32.

    It keeps to the plane through both faces that stands upright on them, and comes back round the far side. A sharp
    edge counts as a fifth of its length, so that a loop which runs near a crease snaps into it.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    graph : Adjacency
        Adjacency of the mesh.
    start, end : int
        Face that was clicked.

    Returns
    -------
    (N,) int32
    """
    place = places(mesh.vertices)
    where = np.zeros((int(place.max()) + 1, 3))
    where[place] = mesh.vertices
    normals = face_normals(mesh)[[start, end]].astype(np.float64)
    first, last = place[mesh.triangles[start, 0]], place[mesh.triangles[end, 0]]
    along, outward = where[last] - where[first], normals.sum(axis=0)
    across = np.cross(along, outward)
    if np.linalg.norm(across) < 1e-9 * max(np.linalg.norm(along), 1e-9):  # opposite faces: any plane through both
        across = np.cross(along, normals[0] + (0.3, 0.5, 0.7))
    across /= max(np.linalg.norm(across), 1e-30)
    outward = np.cross(across, along)
    outward /= max(np.linalg.norm(outward), 1e-30)

    a, b = graph.edges[:, 0], graph.edges[:, 1]
    middle = (where[a] + where[b]) / 2 - (where[first] + where[last]) / 2
    off = np.abs(middle @ across) / max(float(np.ptp(mesh.vertices, axis=0).max()), 1e-9)
    weight = (np.linalg.norm(where[a] - where[b], axis=1) + 1e-9) * np.where(graph.bend > ROUNDED, 0.2, 1.0)
    weight *= 1 + (40 * off) ** 2
    near = middle @ outward > 0
    cut = [_way(a, b, np.where(near, 1, 50) * weight, len(where), first, last)]
    cut.append(_way(a, b, np.where(near, 50, 1) * weight, len(where), last, first))
    steps = np.unique(np.concatenate(cut))
    keys = a.astype(np.int64) << 32 | b
    return np.flatnonzero(np.isin(keys, steps)).astype(np.int32)


def _way(a, b, weight, count: int, start: int, end: int) -> np.ndarray:
    """Edges of the shortest way between two places, as low << 32 | high, (N,) int64."""
    matrix = coo_matrix((weight, (a, b)), shape=(count, count)).tocsr()
    _, before = dijkstra(matrix, directed=False, indices=int(start), return_predecessors=True)
    at, steps = int(end), []
    while before[at] >= 0:
        other = int(before[at])
        steps.append(min(at, other) << 32 | max(at, other))
        at = other
    return np.array(steps, np.int64)


def inside_loop(graph: Adjacency, cut: np.ndarray, face: int) -> np.ndarray:
    """The side of a cut (numbers of pairs) on which a face lies.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    cut : int
        Row that the camera does not see.
    face : int
        Number of the face.

    Returns
    -------
    array
    """
    passable = np.ones(len(graph.pairs), bool)
    passable[cut] = False
    return flooded(graph, [face], passable)


def inside_polygon(points: np.ndarray, polygon: np.ndarray) -> np.ndarray:
    """Points of a plane, (N, 2), inside a closed line, (M, 2), by the even-odd rule: (N,) bool.

    Parameters
    ----------
    points : (N, 2) float
        Points.
    polygon : (M, 2) float
        Corners of the closed line.

    Returns
    -------
    (N, 2)
    """
    x, y = points[:, 0], points[:, 1]
    inside = np.zeros(len(points), bool)
    for (x0, y0), (x1, y1) in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        if y0 == y1:
            continue
        crosses = (y0 > y) != (y1 > y)
        inside ^= crosses & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
    return inside
