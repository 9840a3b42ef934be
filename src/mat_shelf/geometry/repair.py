"""Mending what meshes from elsewhere bring along."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import breadth_first_order

from mat_shelf.geometry.adjacency import Adjacency, adjacency, connected_pieces
from mat_shelf.geometry.mesh import Mesh, MeshError, checked, places, row_keys
from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.numerics.kernels import kernel

LARGEST_MM, SMALLEST_MM = 1e6, 1e-4


@dataclass(frozen=True)
class Repairs:
    """Repairs of a mesh, and its state afterwards."""

    degenerate: int = 0
    duplicate: int = 0
    turned: int = 0
    rebuilt_normals: bool = False
    open_edges: int = 0
    is_watertight: bool = True

    def words(self) -> list[str]:
        """Phrases for the user, one for each repair; none where all was well.

        Returns
        -------
        list of str
        """
        said = []
        if self.degenerate:
            said.append(f"{_count(self.degenerate, 'face')} without area removed")
        if self.duplicate:
            said.append(f"{_count(self.duplicate, 'double face')} removed")
        if self.turned:
            said.append(f"{_count(self.turned, 'face')} turned outwards")
        if self.rebuilt_normals:
            said.append("normals rebuilt")
        if not self.is_watertight:
            said.append("not watertight: glass and liquid need a closed surface")
        return said


def _count(number: int, what: str) -> str:
    return f"{number} {what}" if number == 1 else f"{number:,} {what}s"


def repair(vertices, triangles, normals=None, uv=None) -> tuple[Mesh, np.ndarray, Repairs]:
    """A mesh from raw arrays that come from anywhere.

    Faces without area and repeated faces go; neighbours that disagree are turned; closed pieces face outward.

    Parameters
    ----------
    vertices : (V, 3) float
        Vertices, mm.
    triangles : (T, 3) int32
        Triangles.
    normals : (V, 3) float
        Unit normals.
    uv : (V, 2) float32
        Texture coordinates.

    Returns
    -------
    mesh : Mesh
    kept : (T,) int64
        Which of the given triangles each of its faces was.
    repairs : Repairs

    Raises
    ------
    MeshError
        If nothing usable is left.
    """
    vertices = np.asarray(vertices, np.float64).reshape(-1, 3)
    triangles = np.asarray(triangles, np.int64).reshape(-1, 3)
    if len(vertices) and np.isfinite(vertices).all() and np.abs(vertices).max() > LARGEST_MM:
        raise MeshError("the mesh is more than a kilometre large; check the unit it was exported in")
    if len(vertices) and np.isfinite(vertices).all() and np.ptp(vertices, axis=0).max() < SMALLEST_MM:
        raise MeshError("the mesh has no size, or next to none; check the unit it was exported in")
    checked(vertices, triangles, np.ones_like(vertices))  # says what cannot be mended
    place = places(np.asarray(vertices, np.float32))
    corners = place[triangles]
    flat = np.linalg.norm(area_vectors(vertices[triangles]), axis=1) <= 0
    flat |= (corners[:, 0] == corners[:, 1]) | (corners[:, 1] == corners[:, 2]) | (corners[:, 0] == corners[:, 2])
    kept = np.flatnonzero(~flat)
    _, first = np.unique(row_keys(np.sort(corners[kept], axis=1)), return_index=True)
    duplicate = len(kept) - len(first)
    kept = kept[np.sort(first)]
    if not len(kept):
        raise MeshError("the mesh has no size; export it again")
    faces = triangles[kept].astype(np.int32)
    given = np.ascontiguousarray(vertices, np.float32)
    solid = Mesh(given, faces, np.zeros_like(given))
    graph = adjacency(solid)
    turn = _to_turn(solid, graph)
    turned, had_normals = int(turn.sum()), normals is not None
    if turned:
        faces = np.where(turn[:, None], faces[:, ::-1], faces)
        normals = None
    mesh = checked(vertices, faces, normals, uv=uv)
    if turned:
        graph = adjacency(mesh)
    rebuilt = had_normals and mesh.normals.shape != np.shape(normals)
    repairs = Repairs(int(flat.sum()), duplicate, turned, rebuilt, len(graph.open_edges), graph.is_watertight)
    return mesh, kept, repairs


def _to_turn(mesh: Mesh, graph: Adjacency) -> np.ndarray:
    """Faces that must be turned over so that neighbours agree and closed pieces face outward, (F,) bool."""
    piece = connected_pieces(graph)
    turn = np.zeros(graph.count, bool)
    if graph.flipped.any():
        turn = _agreement(graph, piece)
    a, b, c = (mesh.vertices[mesh.triangles[:, k]].astype(np.float64) for k in range(3))
    # Six times the volume that each face encloses with the origin; of a closed piece the sum does not depend on it.
    volume = np.einsum("ij,ij->i", a, np.cross(b, c)) * np.where(turn, -1, 1)
    inside_out = np.bincount(piece, volume) < 0
    is_open = np.zeros(len(inside_out), bool)
    if len(graph.open_edges):
        place = places(mesh.vertices)
        face_of_place = np.zeros(int(place.max()) + 1, np.int64)
        face_of_place[place[mesh.triangles].reshape(-1)] = np.repeat(np.arange(graph.count), 3)
        is_open[piece[face_of_place[graph.open_edges.reshape(-1)]]] = True
    return turn ^ (inside_out & ~is_open)[piece]


@kernel
def _carry_down(child, parent, step, turn):
    """Gives each face what its parent in a walk has, or the opposite where `step` says so; parents come first."""
    for k in range(child.shape[0]):
        turn[child[k]] = turn[parent[k]] ^ step[k]


def _agreement(graph, piece: np.ndarray) -> np.ndarray:
    """Faces to turn so that each agrees with the first of its piece, as far as that can be."""
    first, second = graph.pairs[:, 0], graph.pairs[:, 1]
    # A root above the first face of each piece lets one walk reach all.
    roots = np.unique(piece, return_index=True)[1]
    count = graph.count + 1
    rows = np.concatenate([first, np.full(len(roots), graph.count)])
    columns = np.concatenate([second, roots])
    matrix = coo_matrix((np.ones(len(rows), np.int8), (rows, columns)), shape=(count, count)).tocsr()
    order, before = breadth_first_order(matrix, graph.count, directed=False)
    keys = np.minimum(first, second).astype(np.int64) << 32 | np.maximum(first, second)
    sort = np.argsort(keys)
    parent = before[order[1:]].astype(np.int64)
    child = order[1:].astype(np.int64)
    wanted = np.minimum(parent, child) << 32 | np.maximum(parent, child)
    place = np.minimum(np.searchsorted(keys[sort], wanted), len(keys) - 1)
    step = np.where(parent == graph.count, False, graph.flipped[sort[place]] & (keys[sort[place]] == wanted))
    turn = np.zeros(count, bool)
    _carry_down(child, parent, step, turn)
    return turn[:-1]
