"""Triangles in Embree, and what kernels read of them."""

from collections import namedtuple
from collections.abc import Sequence

import numpy as np

from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.embree import FAR, Scene
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.patterns.points import FLAT, Frames

Triangles = namedtuple("Triangles", "corners normals first is_caps")
"""corners, normals : (T, 9) float32, three points or shading normals per triangle; of a cap, see `geometry.caps`
first : (G,) int32, index of each geometry's first triangle, or cap
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
_HOME = np.float32([0, 0, 1, 0, 0, 1])


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
        One that no ray is cast at any more, whose scene is taken over; see `embree.Scene`.
    """

    def __init__(
        self,
        meshes: Sequence[Mesh | Caps],
        frames: Frames = FLAT,
        at_rest: Sequence[tuple | None] = (),
        is_robust: bool = False,
        older: "Geometry | None" = None,
    ):
        self._shapes = list(meshes)
        rows = [older._rows_of(k, s) if older else _rows(s) for k, s in enumerate(self._shapes)]
        counts = [len(corners) for corners, _ in rows]
        shapes = [s if isinstance(s, Caps) else (s.vertices, s.triangles) for s in meshes]
        self._scene = Scene(shapes, is_robust, older and older._scene)
        empty = np.zeros((0, 9), np.float32)
        self.triangles = Triangles(
            np.concatenate([corners for corners, _ in rows] or [empty]),
            np.concatenate([normals for _, normals in rows] or [empty]),
            np.cumsum([0, *counts])[:-1].astype(np.int32),
            np.array([isinstance(shape, Caps) for shape in meshes], bool),
        )
        self.frames = frames
        self.uv = _corner_uv(meshes) if any(_uv_of(mesh) is not None for mesh in meshes) else None
        """Texture coordinates of three corners of each triangle, (T, 6) float32; None where no mesh has any."""
        is_changed = any(rest is not None for rest in at_rest)
        self.rest = self._rest(counts, at_rest) if is_changed or self.triangles.is_caps.any() else None
        """None where no mesh has true relief."""
        self.shapes = None
        """Geometry maps of its meshes, as `GeometryMapLookup` has them."""
        self.count = len(meshes)
        self.boxes = np.array([mesh.bounds for mesh in meshes] or np.zeros((0, 2, 3)), np.float32)
        """Least and greatest coordinates of each mesh, (G, 2, 3) float32, mm."""

    def _rows_of(self, number: int, shape: Mesh | Caps) -> tuple[np.ndarray, np.ndarray]:
        """Rows of `Triangles` of a shape, as they are here where it is the one of that number."""
        if number >= len(self._shapes) or self._shapes[number] is not shape:
            return _rows(shape)
        table = self.triangles
        stop = table.first[number + 1] if number + 1 < self.count else len(table.corners)
        run = slice(table.first[number], stop)
        return table.corners[run], table.normals[run]

    def _rest(self, counts: Sequence[int], at_rest: Sequence[tuple | None]) -> Rest:
        corners, is_caps = self.triangles.corners.copy(), self.triangles.is_caps
        face = np.concatenate(
            [
                np.full(count, -1, np.int32) if round_ else np.arange(count, dtype=np.int32)
                for count, round_ in zip(counts, is_caps, strict=True)
            ]
        )
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


def _rows(shape: Mesh | Caps) -> tuple[np.ndarray, np.ndarray]:
    """Rows of `Triangles` of a shape."""
    if isinstance(shape, Caps):
        return shape.corner_rows, shape.normal_rows
    both = shape.vertices, shape.normals
    return tuple(np.take(each, shape.triangles, axis=0).reshape(-1, 9) for each in both)  # a third of indexing's time


def _uv_of(shape: Mesh | Caps) -> np.ndarray | None:
    return None if isinstance(shape, Caps) else shape.uv


def _corner_uv(meshes: Sequence[Mesh | Caps]) -> np.ndarray:
    rows = []
    for mesh in meshes:
        if _uv_of(mesh) is None:
            rows.append(np.zeros((len(_rows(mesh)[0]), 6), np.float32))
            continue
        rows.append(mesh.uv[mesh.triangles].reshape(-1, 6))
    return np.concatenate(rows)
