"""Triangles in Embree, and what kernels read of them."""

from collections import namedtuple
from collections.abc import Sequence

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.patterns.points import FLAT, Frames
from mat_shelf.geometry.embree import Scene

Triangles = namedtuple("Triangles", "corners normals first")
"""corners, normals : (T, 9) float32, three points or shading normals per triangle
first : (G,) int32, index of each geometry's first triangle"""

Rest = namedtuple("Rest", "corners face place")
"""What surfaces with true relief were before, triangle by triangle; the same again for all others.

corners : (T, 9) float32, mm
face : (T,) int32, number of the triangle among those of the part's own mesh
place : (T, 6) float32, where in that one its three corners lie: shares of the second and third corner
"""
SurfaceTables = namedtuple("SurfaceTables", "corners uv face place first frames")
"""What patterns and marks are looked up by.

corners : (T, 9) float32, mm, as in `Rest` where anything has true relief
uv : (T, 6) float32, texture coordinates of three corners; (0, 6) where no mesh has any
face, place : as in `Rest`; of length 0 where nothing has true relief
first : as in `Triangles`; frames : Frames
"""
_HOME = np.float32([0, 0, 1, 0, 0, 1])


class Geometry:
    """Meshes in Embree. Geometry g is the g-th mesh given.

    Parameters
    ----------
    meshes : sequence of Mesh
    frames : Frames, optional
        How the first of them stand, for patterns; the world's own frame where there is none.
    at_rest : sequence of (corners, face, place) or None, optional
        For those of the first of them that have true relief, what they were before, as in `Rest`.
    is_robust : bool
        As for `embree.Scene`.
    """

    def __init__(
        self,
        meshes: Sequence[Mesh],
        frames: Frames = FLAT,
        at_rest: Sequence[tuple | None] = (),
        is_robust: bool = False,
    ):
        counts = [len(mesh.triangles) for mesh in meshes]
        self._scene = Scene([(mesh.vertices, mesh.triangles) for mesh in meshes], is_robust)
        empty = np.zeros((0, 9), np.float32)
        self.triangles = Triangles(
            np.concatenate([m.vertices[m.triangles].reshape(-1, 9) for m in meshes] or [empty]),
            np.concatenate([m.normals[m.triangles].reshape(-1, 9) for m in meshes] or [empty]),
            np.cumsum([0, *counts])[:-1].astype(np.int32),
        )
        self.frames = frames
        self.uv = _corner_uv(meshes) if any(mesh.uv is not None for mesh in meshes) else None
        """Texture coordinates of three corners of each triangle, (T, 6) float32; None where no mesh has any."""
        self.rest = self._rest(meshes, at_rest) if any(rest is not None for rest in at_rest) else None
        """None where no mesh has true relief."""
        self.shapes = None
        """Geometry maps of its meshes, as `GeometryMapLookup` has them."""
        self.count = len(meshes)
        self.boxes = np.array([mesh.bounds for mesh in meshes] or np.zeros((0, 2, 3)), np.float32)
        """Least and greatest coordinates of each mesh, (G, 2, 3) float32, mm."""

    def _rest(self, meshes: Sequence[Mesh], at_rest: Sequence[tuple | None]) -> Rest:
        corners = self.triangles.corners.copy()
        counts = [len(mesh.triangles) for mesh in meshes]
        face = np.concatenate([np.arange(count, dtype=np.int32) for count in counts])
        place = np.tile(_HOME, (len(corners), 1))
        for first, count, rest in zip(self.triangles.first, counts, at_rest, strict=False):
            if rest is not None:
                corners[first : first + count], face[first : first + count], place[first : first + count] = rest
        return Rest(corners, face, place)

    def surface_tables(self) -> SurfaceTables:
        """Arrays that kernels look patterns and marks up by.

        Returns
        -------
        SurfaceTables
        """
        nothing = np.zeros((0, 6), np.float32)
        uv = nothing if self.uv is None else self.uv
        if self.rest is None:
            corners, face, place = self.triangles.corners, np.zeros(0, np.int32), nothing
        else:
            corners, face, place = self.rest
        return SurfaceTables(corners, uv, face, place, self.triangles.first, self.frames)

    def own_faces(self, geometry, primitive) -> np.ndarray:
        """Numbers of the triangles among those of each hit part's own mesh, (N,) int32.

        Parameters
        ----------
        geometry : Geometry
            Geometry of the scene.
        primitive : (N,) int32
            Triangle within its geometry.

        Returns
        -------
        (N,) int32
        """
        if self.rest is None:
            return primitive
        return self.rest.face[self.triangles.first[np.maximum(geometry, 0)] + np.maximum(primitive, 0)]

    def caster(self):
        """Handle that kernels cast rays with, one for each thread; see `embree.Caster`.

        Returns
        -------
        Caster
        """
        return self._scene.caster()

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
        return self._scene.intersect(origins, directions)

    def occluded(self, origins, directions, distances):
        """Rays that meet anything nearer than `distances`, (N,) int32, -1 where nothing does.

        Parameters
        ----------
        origins : (N, 3) float32
            Origins of the rays, mm.
        directions : (N, 3) float32
            Unit directions.
        distances : (N,) float32
            Distances, mm.

        Returns
        -------
        (N,) int32
        """
        return self._scene.occluded(origins, directions, distances)


def _corner_uv(meshes: Sequence[Mesh]) -> np.ndarray:
    rows = []
    for mesh in meshes:
        if mesh.uv is None:
            rows.append(np.zeros((len(mesh.triangles), 6), np.float32))
            continue
        rows.append(mesh.uv[mesh.triangles].reshape(-1, 6))
    return np.concatenate(rows)
