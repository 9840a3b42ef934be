"""Triangles in Embree, and what kernels read of them."""

from collections import namedtuple
from collections.abc import Sequence

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.patterns.points import FLAT, Frames

Triangles = namedtuple("Triangles", "corners normals first")
"""corners, normals : (T, 9) float32, three points or shading normals per triangle
first : (G,) int32, index of each geometry's first triangle"""


class Geometry:
    """Meshes in Embree. Geometry g is the g-th mesh given.

    Parameters
    ----------
    meshes : sequence of Mesh
    frames : Frames, optional
        How the first of them stand, for patterns; the world's own frame where there is none.
    """

    def __init__(self, meshes: Sequence[Mesh], frames: Frames = FLAT):
        self._embree = EmbreeScene()
        counts = [len(mesh.triangles) for mesh in meshes]
        for mesh in meshes:
            TriangleMesh(self._embree, mesh.vertices, mesh.triangles)
        empty = np.zeros((0, 9), np.float32)
        self.triangles = Triangles(
            np.concatenate([m.vertices[m.triangles].reshape(-1, 9) for m in meshes] or [empty]),
            np.concatenate([m.normals[m.triangles].reshape(-1, 9) for m in meshes] or [empty]),
            np.cumsum([0, *counts])[:-1].astype(np.int32),
        )
        self.frames = frames
        self.uv = _corner_uv(meshes) if any(mesh.uv is not None for mesh in meshes) else None
        """Texture coordinates of three corners of each triangle, (T, 6) float32; None where no mesh has any."""
        self.shapes = None
        """What looks geometry maps up at its hits; see `rendering.shape_maps`."""
        self.count = len(meshes)
        self.is_empty = not meshes
        if meshes:  # the first query commits the scene, which two threads must not do at once
            self._embree.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))

    def intersect(self, origins, directions):
        """Nearest hits of rays.

        Parameters
        ----------
        origins, directions : (N, 3) float32, C-contiguous; directions of unit length

        Returns
        -------
        geometry, primitive : (N,) int32, -1 where nothing is hit
        u, v, distance : (N,) float32
        """
        if self.is_empty:
            none = np.full(len(origins), -1, np.int32)
            zero = np.zeros(len(origins), np.float32)
            return none, none, zero, zero, np.full(len(origins), 1e37, np.float32)
        hits = self._embree.run(origins, directions, output=1)
        return hits["geomID"], hits["primID"], hits["u"], hits["v"], hits["tfar"]

    def occluded(self, origins, directions, distances):
        """Whether anything lies on rays nearer than `distances`, (N,) int32, -1 where nothing does."""
        if self.is_empty:
            return np.full(len(origins), -1, np.int32)
        return self._embree.run(origins, directions, dists=distances, query="OCCLUDED")


def _corner_uv(meshes: Sequence[Mesh]) -> np.ndarray:
    rows = []
    for mesh in meshes:
        if mesh.uv is None:
            rows.append(np.zeros((len(mesh.triangles), 6), np.float32))
            continue
        rows.append(mesh.uv[mesh.triangles].reshape(-1, 6))
    return np.concatenate(rows)
