"""Which faces of a mesh share an edge, and at what angle they meet. Zones are grown along it."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.geometry.mesh import Mesh, places
from mat_shelf.geometry.triangles import area_vectors, triangle_normals
from mat_shelf.numerics.kernels import kernel


@dataclass(frozen=True, eq=False)
class Adjacency:
    """Neighbours of each face, vertices in the same place taken as one.

    Attributes
    ----------
    pairs : (E, 2) int32
        Faces that share an edge. Where more than two meet in one edge, each is paired with the next.
    bend : (E,) float32
        Angle between their normals, degrees: 0 is flat, 90 a square edge.
    edges : (E, 2) int32
        The places (see `mesh.places`) that each shared edge runs between.
    open_edges : (B, 2) int32
        Places of the edges that only one face has.
    crowded : int
        Edges in which more than two faces meet.
    flipped : (E,) bool
        Whether both faces run along the edge in the same direction, so that one of them is inside out.
    """

    pairs: np.ndarray
    bend: np.ndarray
    edges: np.ndarray
    open_edges: np.ndarray
    crowded: int
    flipped: np.ndarray
    count: int

    @property
    def is_watertight(self) -> bool:
        """True if it encloses a space: each edge has two faces, which run along it in opposite directions."""
        return not len(self.open_edges) and not self.crowded and not self.flipped.any()

    @cached_property
    def lists(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Neighbours as lists: (F + 1,) int64 starts, (2E,) int32 neighbours, (2E,) int32 numbers of pairs.

        Returns
        -------
        (F + 1,) int64
        """
        both = np.concatenate([self.pairs[:, 0], self.pairs[:, 1]])
        other = np.concatenate([self.pairs[:, 1], self.pairs[:, 0]])
        order = np.argsort(both, kind="stable")
        starts = np.zeros(self.count + 1, np.int64)
        np.cumsum(np.bincount(both, minlength=self.count), out=starts[1:])
        number = np.tile(np.arange(len(self.pairs), dtype=np.int32), 2)
        return starts, np.ascontiguousarray(other[order], np.int32), np.ascontiguousarray(number[order])


def adjacency(mesh: Mesh) -> Adjacency:
    """Finds the neighbours of every face.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    Adjacency
    """
    triangles = places(mesh.vertices)[mesh.triangles].astype(np.int64)
    count = len(triangles)
    starts = triangles.reshape(-1)
    ends = np.roll(triangles, -1, axis=1).reshape(-1)
    low, high = np.minimum(starts, ends), np.maximum(starts, ends)
    key = low << np.int64(32) | high
    order = np.argsort(key, kind="stable")
    sorted_key = key[order]
    same = sorted_key[1:] == sorted_key[:-1]
    first, second = order[:-1][same], order[1:][same]
    alone = np.ones(len(key), bool)
    alone[1:] &= ~same
    alone[:-1] &= ~same
    normals = face_normals(mesh)
    pairs = np.stack([first // 3, second // 3], axis=1).astype(np.int32)
    cosine = np.einsum("ij,ij->i", normals[pairs[:, 0]], normals[pairs[:, 1]])
    return Adjacency(
        pairs,
        np.degrees(np.arccos(np.clip(cosine, -1, 1))).astype(np.float32),
        np.stack([low[first], high[first]], axis=1).astype(np.int32),
        np.stack([low[order][alone], high[order][alone]], axis=1).astype(np.int32),
        int((same[1:] & same[:-1]).sum()),
        starts[first] == starts[second],
        count,
    )


def face_normals(mesh: Mesh) -> np.ndarray:
    """Unit normal of each face, (T, 3) float32.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    (T, 3) float32
    """
    return triangle_normals(mesh.vertices[mesh.triangles].astype(np.float64)).astype(np.float32)


def face_areas(mesh: Mesh) -> np.ndarray:
    """Area of each face, (T,) float64, mm2.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    (T,) float64
    """
    return np.linalg.norm(area_vectors(mesh.vertices[mesh.triangles].astype(np.float64)), axis=1)


@kernel
def _flood(starts, neighbours, numbers, passable, seeds, reached, queue):
    """Marks all faces that can be reached from the seeds over passable pairs; `queue` is scratch of a face each."""
    head = 0
    tail = 0
    for k in range(seeds.shape[0]):
        if not reached[seeds[k]]:
            reached[seeds[k]] = True
            queue[tail] = seeds[k]
            tail += 1
    while head < tail:
        face = queue[head]
        head += 1
        for k in range(starts[face], starts[face + 1]):
            other = neighbours[k]
            if passable[numbers[k]] and not reached[other]:
                reached[other] = True
                queue[tail] = other
                tail += 1


def flooded(graph: Adjacency, seeds, passable: np.ndarray) -> np.ndarray:
    """Faces that can be reached from some, over pairs that may be crossed.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    seeds : (N,) int
    passable : (E,) bool

    Returns
    -------
    (F,) bool
    """
    reached = np.zeros(graph.count, bool)
    starts, neighbours, numbers = graph.lists
    seeds = np.asarray(seeds, np.int32).reshape(-1)
    _flood(starts, neighbours, numbers, passable, seeds, reached, np.empty(graph.count, np.int32))
    return reached


def connected_pieces(graph: Adjacency, passable: np.ndarray | None = None) -> np.ndarray:
    """Number of the connected piece each face belongs to, (F,) int32, counted from 0.

    Parameters
    ----------
    graph : Adjacency
        Adjacency of the mesh.
    passable : (P,) bool, optional
        Pairs of faces that may be crossed; all by default.

    Returns
    -------
    (F,) int32
    """
    kept = graph.pairs if passable is None else graph.pairs[passable]
    weights = np.ones(len(kept), np.int8)
    matrix = coo_matrix((weights, (kept[:, 0], kept[:, 1])), shape=(graph.count, graph.count))
    return connected_components(matrix, directed=False)[1].astype(np.int32)
