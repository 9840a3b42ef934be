"""Edges of a mesh in which its shading breaks off: where they run, and how the surface lies on both sides."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.mesh import Mesh, places

SHARP_DEGREES = 12.0
"""Angle between shading normals from which an edge is one, and no facet of something round."""
_STEPS, _NEARER = 14, 0.6
"""Places across a face in which the edge on its other side is looked for, each that much nearer than the one before."""
_MOST_MEASURED = 400_000
"""Edges; of more, the widths of faces are not measured."""


@dataclass(frozen=True, eq=False)
class SharpEdges:
    """Sharp edges of a mesh, in its own units.

    Attributes
    ----------
    ends : (E, 2, 3) float64
    normals : (E, 2, 2, 3) float64
        Unit normals of the surface: of the one and the other side, at both ends.
    faces : (E, 2) int32
        Triangles on both sides.
    inward : (E, 2, 3) float64
        Unit directions from the edge into both sides.
    is_convex : (E,) bool
    """

    ends: np.ndarray
    normals: np.ndarray
    faces: np.ndarray
    inward: np.ndarray
    is_convex: np.ndarray

    def __len__(self) -> int:
        return len(self.ends)

    @property
    def half_angles(self) -> np.ndarray:
        """Half the angles between both sides' normals, (E,) float64, radians."""
        one, other = self.normals.sum(axis=2).transpose(1, 0, 2)
        lengths = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
        return np.arccos(np.clip((one * other).sum(1) / np.maximum(lengths, 1e-12), -1, 1)) / 2


def sharp_edges(mesh: Mesh, graph: Adjacency, degrees: float = SHARP_DEGREES) -> SharpEdges:
    """Finds the sharp edges of a mesh.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    graph : Adjacency
        Adjacency of the mesh.
    degrees : float
        Least angle between the shading normals of both sides, at both ends.

    Returns
    -------
    SharpEdges
    """
    sound = ~graph.flipped
    pairs, edges = graph.pairs[sound], graph.edges[sound]
    place = places(mesh.vertices)[mesh.triangles]
    rows = np.arange(len(pairs))
    vertices, normals = mesh.vertices.astype(np.float64), mesh.normals.astype(np.float64)
    corners = np.empty((len(pairs), 2, 2), np.int64)
    third = np.empty((len(pairs), 2), np.int64)
    for side in range(2):
        triangle, around = mesh.triangles[pairs[:, side]], place[pairs[:, side]]
        for end in range(2):
            corners[:, side, end] = triangle[rows, (around == edges[:, end, None]).argmax(axis=1)]
        beyond = (around != edges[:, :1]) & (around != edges[:, 1:])
        third[:, side] = triangle[rows, beyond.argmax(axis=1)]
    lying = normals[corners]
    cosine = (lying[:, 0] * lying[:, 1]).sum(axis=-1)
    is_sharp = (cosine < np.cos(np.radians(degrees))).all(axis=1)
    corners, third, lying, faces = corners[is_sharp], third[is_sharp], lying[is_sharp], pairs[is_sharp]
    ends = vertices[corners[:, 0]]
    along = ends[:, 1] - ends[:, 0]
    length = np.linalg.norm(along, axis=1)
    there = length > 1e-9 * max(float(np.abs(mesh.vertices).max(initial=0)), 1e-9)
    ends, lying, faces, third = ends[there], lying[there], faces[there], third[there]
    along = along[there] / length[there, None]
    inward = vertices[third] - ends[:, None, 0]
    inward -= (inward * along[:, None]).sum(axis=-1, keepdims=True) * along[:, None]
    inward /= np.maximum(np.linalg.norm(inward, axis=-1, keepdims=True), 1e-12)
    is_convex = (inward[:, 0] * lying[:, 1].mean(axis=1)).sum(axis=1) < 0
    return SharpEdges(ends, lying, faces.astype(np.int32), inward, is_convex)


def face_widths(edges: SharpEdges, most: np.ndarray) -> np.ndarray:
    """Distance from each edge across the narrower of its faces to the next sharp edge, (E,) float64.

    Parameters
    ----------
    edges : SharpEdges
        Edges of a mesh.
    most : (E,) float
        As far as is looked.

    Returns
    -------
    (E,) float64
        `most` where there is none so near.
    """
    widths = np.array(most, np.float64)
    if not len(edges) or len(edges) > _MOST_MEASURED:
        return widths
    spacing = max(float(widths.max()) / 4, 1e-9)
    lengths = np.linalg.norm(edges.ends[:, 1] - edges.ends[:, 0], axis=1)
    counts = np.clip(np.ceil(lengths / spacing), 1, 64).astype(np.int64)
    owner = np.repeat(np.arange(len(edges)), counts)
    share = (np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts) + 0.5) / counts[owner]
    points = edges.ends[owner, 0] * (1 - share[:, None]) + edges.ends[owner, 1] * share[:, None]
    tree = cKDTree(points)
    for side in range(2):
        away, up = edges.inward[owner, side], edges.normals[owner, side].mean(axis=1)
        for step in range(_STEPS):
            reach = most[owner] * _NEARER**step
            _, near = tree.query(points + away * reach[:, None], workers=1)
            other, across = owner[near], points[near] - points
            ahead = (across * away).sum(axis=1)
            on_face = np.abs((across * up).sum(axis=1)) < 0.3 * np.maximum(np.linalg.norm(across, axis=1), 1e-12)
            same = (edges.normals[other].mean(axis=2) * up[:, None]).sum(axis=-1) > 0.7
            facing = (edges.inward[other] * away[:, None]).sum(axis=-1) < -0.3
            meets = on_face & (same & facing).any(axis=1) & (other != owner) & (ahead > 0.5 * reach)
            np.minimum.at(widths, owner[meets], ahead[meets])
    return widths
