"""Surfaces moved along their normals by a distance: sheets made thick, bodies divided into layers."""

import numpy as np

from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.mesh import Mesh, MeshError, checked, places
from mat_shelf.geometry.triangles import sums_at, triangle_normals

MOST_LAYERS = 50
_LEAST_SHARE = 0.05
"""Of the largest singular value; normals round a vertex that differ by less count as one direction."""


def moved_places(vertices: np.ndarray, triangles: np.ndarray, distance: float) -> np.ndarray:
    """Vertices moved so that each face they belong to is moved along its normal by a distance, (V, 3) float64.

    Where more than three faces meet, as nearly as that is possible.

    Parameters
    ----------
    vertices : (V, 3) float64
        Places; each once.
    triangles : (T, 3) int
        Triangles between them.
    distance : float
        Distance, outwards.

    Returns
    -------
    (V, 3) float64

    Raises
    ------
    MeshError
        If faces would turn over.
    """
    normals = triangle_normals(vertices[triangles])
    moved = shifted_places(vertices, triangles, distance)
    turned = (triangle_normals(moved[triangles]) * normals).sum(axis=1) < 0
    if turned.any():
        raise MeshError(f"{int(turned.sum()):,} faces would cross each other; choose a smaller thickness")
    return moved


def shifted_places(vertices: np.ndarray, triangles: np.ndarray, distance: float) -> np.ndarray:
    """The same without a look at whether faces turn over.

    Parameters
    ----------
    vertices : (V, 3) float64
        Places; each once.
    triangles : (T, 3) int
        Triangles between them.
    distance : float
        Distance, outwards.

    Returns
    -------
    (V, 3) float64
    """
    normals = triangle_normals(vertices[triangles])
    corners = vertices[triangles]
    # Weighted by the angle at the corner, so that it does not matter how flat faces are cut into triangles.
    onward, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    lengths = np.linalg.norm(onward, axis=2) * np.linalg.norm(back, axis=2)
    angles = np.arccos(np.clip((onward * back).sum(axis=2) / np.maximum(lengths, 1e-30), -1, 1)).reshape(-1)
    index = triangles.reshape(-1)
    each = np.repeat(normals, 3, axis=0)
    weighted, count = angles[:, None] * each, len(vertices)
    pulls = sums_at(index, (weighted[:, :, None] * each[:, None, :]).reshape(-1, 9), count).reshape(-1, 3, 3)
    wanted = sums_at(index, weighted, count)
    shifts = (np.linalg.pinv(pulls, rcond=_LEAST_SHARE, hermitian=True) @ wanted[:, :, None])[:, :, 0]
    return vertices + distance * shifts


def _welded(mesh: Mesh, faces: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Places and triangles of some faces, without places that none of them has."""
    place = places(mesh.vertices)
    vertices = mesh.vertices[np.unique(place, return_index=True)[1]].astype(np.float64)
    triangles = place[mesh.triangles if faces is None else mesh.triangles[faces]]
    used, index = np.unique(triangles, return_inverse=True)
    return vertices[used], index.reshape(-1, 3)


def thickened(mesh: Mesh, thickness: float, faces: np.ndarray | None = None, start: float = 0.0) -> Mesh:
    """A sheet as a body: its faces, the same ones further in, and a strip along its border.

    Parameters
    ----------
    mesh : Mesh
        Mesh.
    thickness : float
        Thickness, in the mesh's units, inwards from `start`.
    faces : (N,) int, optional
        Triangles that are the sheet; all by default.
    start : float
        Depth of its outer side.

    Returns
    -------
    Mesh

    Raises
    ------
    MeshError
        If faces would cross.
    """
    vertices, triangles = _welded(mesh, faces)
    outer = moved_places(vertices, triangles, -start) if start else vertices
    inner = moved_places(vertices, triangles, -(start + thickness))
    count = len(vertices)
    edges = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1)
    directed = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    _, index, uses = np.unique(edges, axis=0, return_inverse=True, return_counts=True)
    a, b = directed[uses[index] == 1].T
    strip = np.concatenate([np.stack([b, a, a + count], axis=1), np.stack([b, a + count, b + count], axis=1)])
    whole = np.concatenate([triangles, triangles[:, ::-1] + count, strip])
    return checked(np.concatenate([outer, inner]), whole)


def layers(mesh: Mesh, graph: Adjacency, thickness: float, count: int) -> list[Mesh]:
    """A body as layers that follow its outside, the outermost first, and the core that is left.

    Parameters
    ----------
    mesh : Mesh
        Closed mesh.
    graph : Adjacency
        Adjacency of the mesh.
    thickness : float
        Of each layer, in the mesh's units.
    count : int
        Number of layers.

    Returns
    -------
    list of Mesh

    Raises
    ------
    MeshError
        If the mesh is open, there are too many, or they would cross.
    """
    if not graph.is_watertight:
        raise MeshError("its surface is open; close its holes first")
    if not 1 <= count <= MOST_LAYERS:
        raise MeshError(f"from 1 to {MOST_LAYERS} layers are possible")
    made = [thickened(mesh, thickness, start=k * thickness) for k in range(count)]
    vertices, triangles = _welded(mesh)
    core = moved_places(vertices, triangles, -count * thickness)
    return [*made, checked(core, triangles)]
