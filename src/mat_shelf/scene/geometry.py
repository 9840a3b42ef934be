"""Triangles in Embree, and what kernels read of them."""

from collections import namedtuple
from collections.abc import Sequence

import numpy as np

from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.ray_casting import FAR
from mat_shelf.patterns.points import FLAT, Frames
from mat_shelf.scene.triangle_rows import TriangleRows
from mat_shelf.system.newest import Newest

_POINTS = 16
"""Points for which it is remembered what lies around them."""

Triangles = namedtuple("Triangles", "corners normals first is_caps")
"""corners, normals : (T, 9) float32, three points or shading normals per triangle; of a cap, see `geometry.caps`
first : (G,) int32, index of each geometry's first triangle, or cap; behind its last one there may be some of no use
is_caps : (G,) bool, whether a geometry is of caps"""

Rest = namedtuple("Rest", "corners face place")
"""What surfaces with true relief were before, triangle by triangle; the same again for all others.

corners : (T, 9) float32, mm
face : (T,) int32, number of the triangle among those of the part's own mesh; below 0 for a cap
place : (T, 6) float32, where in that one its three corners lie: shares of the second and third corner
"""
SurfaceTables = namedtuple("SurfaceTables", "corners uv face place first frames")
"""What patterns and marks are looked up by.

corners : (T, 9) float32, mm, as in `Rest` where anything has true relief
uv : (T, 6) float32, texture coordinates of three corners; (0, 6) where no mesh has any
face, place : as in `Rest`; of length 0 where nothing has true relief
first : as in `Triangles`; frames : Frames
"""


class Geometry:
    """Meshes, and caps, in Embree. Geometry g is the g-th given.

    Parameters
    ----------
    meshes : sequence of Mesh or Caps
    frames : Frames, optional
        How the first of them stand, for patterns; the world's own frame where there is none.
    at_rest : sequence of (corners, face, place) or None, optional
        For those of the first of them that have true relief, what they were before, as in `Rest`.
    is_robust : bool
        As for `embree.Scene`.
    older : Geometry, optional
        One that no ray is cast at any more, whose scene and tables are taken over; see `embree.Scene`.
    """

    def __init__(
        self,
        meshes: Sequence[Mesh | Caps],
        frames: Frames = FLAT,
        at_rest: Sequence[tuple | None] = (),
        is_robust: bool = False,
        older: "Geometry | None" = None,
    ):
        shapes = [s if isinstance(s, Caps) else (s.vertices, s.triangles) for s in meshes]
        self.solids = tuple(meshes)
        """What was given, which is never changed."""
        self._scene = Scene(shapes, is_robust, older and older._scene)
        self._table = table = TriangleRows(meshes, at_rest, older and older._table)
        self.triangles = Triangles(table.rows.corners, table.rows.normals, table.first, table.is_caps)
        self.counts = table.counts
        """How many triangles each geometry has, (G,) int64."""
        self.frames = frames
        self.uv = table.rows.uv if table.has_uv else None
        """Texture coordinates of three corners of each triangle, (T, 6) float32; None where no mesh has any."""
        self.rest = Rest(table.rows.rest, table.rows.face, table.rows.place) if table.has_rest else None
        """None where no mesh has true relief."""
        self.shapes = None
        """Geometry maps of its meshes, as `GeometryMapLookup` has them."""
        self.count = len(meshes)
        self.boxes = np.array([mesh.bounds for mesh in meshes] or np.zeros((0, 2, 3)), np.float32)
        """Least and greatest coordinates of each mesh, (G, 2, 3) float32, mm."""
        self.pieces_around = Newest(_POINTS)
        """How many of its pieces lie around the points that were asked for last, as `interior_at` finds them."""

    def others_than(self, before: "Geometry") -> np.ndarray:
        """Places of the shapes that are others than those that another geometry has there, (K,) int64.

        Parameters
        ----------
        before : Geometry
            With as many shapes.

        Returns
        -------
        (K,) int64
        """
        pairs = zip(self.solids, before.solids, strict=True)
        return np.array([k for k, (one, other) in enumerate(pairs) if one is not other], np.int64)

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
        geometry : (N,) int32
            Shape that each ray hit.
        primitive : (N,) int32
            Triangle within that.

        Returns
        -------
        (N,) int32
        """
        if self.rest is None:
            return primitive
        return self.rest.face[self.triangles.first[np.maximum(geometry, 0)] + np.maximum(primitive, 0)]

    def caster(self):
        """Handle that kernels cast rays with, one for each thread; see `ray_casting.Caster`.

        Returns
        -------
        Caster
        """
        return self._scene.caster()

    def bundle(self):
        """Handle that kernels cast many rays at once with, one for each thread; see `ray_casting.Bundle`.

        Returns
        -------
        Bundle
        """
        return self._scene.bundle()

    def intersect(self, origins, directions, reach=FAR):
        """Nearest hits of rays.

        Parameters
        ----------
        origins, directions : (N, 3) float32, C-contiguous; directions of unit length
        reach : float32
            Distance that counts, mm.

        Returns
        -------
        geometry, primitive : (N,) int32, -1 where nothing is hit
        u, v, distance : (N,) float32
        """
        return self._scene.intersect(origins, directions, reach)

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
