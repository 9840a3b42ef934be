"""A triangle mesh in millimetres."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.numerics.kernels import kernel


class MeshError(ValueError):
    """A mesh that cannot be used; the message says why and what to do."""


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles with a shading normal at each vertex.

    Attributes
    ----------
    vertices : (V, 3) float32, mm
    triangles : (T, 3) int32, counter-clockwise seen from outside
    normals : (V, 3) float32, unit length
    uv : (V, 2) float32 or None
        Place in a picture, [0, 1] from its lower left; what lies outside repeats it.
    """

    vertices: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray
    uv: np.ndarray | None = None

    @cached_property
    def bounds(self) -> np.ndarray:
        """Lowest and highest corner, (2, 3) float32, mm.

        Returns
        -------
        (2, 3) float32
        """
        return np.stack([self.vertices.min(axis=0), self.vertices.max(axis=0)])

    @cached_property
    def radii(self) -> np.ndarray:
        """Largest distances from the axes x, y, z through the middle of its box, and from that middle, mm.

        Returns
        -------
        (4,) float32
        """
        x, y, z = ((self.vertices - self.bounds.mean(0)) ** 2).T if len(self.vertices) else np.zeros((3, 1))
        return np.sqrt(np.stack([y + z, x + z, x + y, x + y + z]).max(1))


def checked(vertices, triangles, normals=None, crease_degrees: float = 40.0, uv=None) -> Mesh:
    """A mesh from raw arrays, face for face.

    Parameters
    ----------
    vertices : (V, 3) float, mm
    triangles : (T, 3) int
    normals : (V, 3) float, optional
        Rebuilt with `crease_normals` where missing or broken.
    crease_degrees : float
        Angle beyond which an edge is sharp, degrees.
    uv : (V, 2) float, optional
        Left out where it is broken.

    Returns
    -------
    Mesh

    Raises
    ------
    MeshError
        If there is nothing to show, an index points nowhere, or a coordinate is not a number.
    """
    vertices = np.ascontiguousarray(vertices, np.float32).reshape(-1, 3)
    triangles = np.ascontiguousarray(triangles, np.int32).reshape(-1, 3)
    if not len(triangles) or not len(vertices):
        raise MeshError("the mesh has no faces; export it again with its surface")
    if not np.isfinite(vertices).all():
        raise MeshError("the mesh has coordinates that are not numbers; repair it")
    if triangles.min() < 0 or triangles.max() >= len(vertices):
        raise MeshError("the mesh refers to vertices that are not there; the file is damaged")
    if np.abs(vertices).max() > 1e6:
        raise MeshError("the mesh is more than a kilometre large; check the unit it was exported in")
    if not _has_area(vertices, triangles):
        raise MeshError("the mesh has no size; export it again")
    if uv is not None:
        uv = np.ascontiguousarray(uv, np.float32)
        uv = uv if uv.shape == (len(vertices), 2) and np.isfinite(uv).all() and np.abs(uv).max() < 1e5 else None
    if normals is not None:
        normals = np.asarray(normals, np.float32).reshape(-1, 3)
        lengths = np.linalg.norm(normals, axis=1) if len(normals) == len(vertices) else np.zeros(1)
        if np.isfinite(lengths).all() and lengths.min() > 1e-3:
            return Mesh(vertices, triangles, np.ascontiguousarray(normals / lengths[:, None]), uv)
    return crease_normals(vertices, triangles, crease_degrees, uv)


def _has_area(vertices, triangles, step: int = 4096) -> bool:
    """True if any triangle has an area; nearly always one of the first has."""
    for first in range(0, len(triangles), step):
        if area_vectors(vertices[triangles[first : first + step]].astype(np.float64)).any():
            return True
    return False


def places(vertices) -> np.ndarray:
    """A number for each vertex, the same for vertices in the same place, (V,) int64, counted from 0.

    Parameters
    ----------
    vertices : (V, 3) float
        Vertices, mm.

    Returns
    -------
    (V,) int64
    """
    return np.unique(row_keys(vertices), return_inverse=True)[1]


def row_keys(rows) -> np.ndarray:
    """A 64-bit number for each row, the same for equal rows; far quicker to sort than the rows.

    Parameters
    ----------
    rows : (N, K) float or int
        Rows, such as points.

    Returns
    -------
    (N,) uint64
    """
    rows = np.asarray(rows)
    if np.issubdtype(rows.dtype, np.integer):
        bits = np.ascontiguousarray(rows, np.uint32)
    else:
        bits = (np.ascontiguousarray(rows, np.float32) + np.float32(0)).view(np.uint32)  # -0 and 0 are one place
    factors = np.random.default_rng(7).integers(1 << 62, 1 << 63, bits.shape[1], dtype=np.uint64) | np.uint64(1)
    keys = np.zeros(len(bits), np.uint64)
    for column, factor in zip(bits.T, factors, strict=True):
        keys = (keys ^ column) * factor
        keys ^= keys >> np.uint64(29)
    return keys


MOST_TOGETHER = 1024
"""Where more faces meet in one place, all count: comparing each with each would take for ever."""


@kernel
def _gather_near(starts, counts, faces, weighted, unit, limit, sums):
    """Adds to each corner the faces round its place that lie within an angle of its own.

    Parameters
    ----------
    starts, counts : (P,) int64
        The run of corners at each place.
    faces : (C,) int64
        Face of each corner, in the order of the runs.
    weighted, unit : (T, 3) float32
        Normals of the faces, by area and of unit length.
    limit : float32
        Cosine of the angle.
    sums : (C, 3) float32
        Added to.
    """
    for place in range(starts.shape[0]):
        first = starts[place]
        last = first + counts[place]
        together = counts[place] > MOST_TOGETHER
        for i in range(first, last):
            own = faces[i]
            for j in range(first, last):
                other = faces[j]
                near = unit[own, 0] * unit[other, 0] + unit[own, 1] * unit[other, 1] + unit[own, 2] * unit[other, 2]
                if near >= limit or together:
                    sums[i, 0] += weighted[other, 0]
                    sums[i, 1] += weighted[other, 1]
                    sums[i, 2] += weighted[other, 2]
            if together:
                break
        if together:
            for i in range(first + 1, last):
                for k in range(3):
                    sums[i, k] = sums[first, k]


def crease_normals(vertices, triangles, crease_degrees: float = 40.0, uv=None) -> Mesh:
    """Vertex normals, weighted by area, split wherever two faces meet at more than the crease angle.

    Each corner takes the mean of the faces round its vertex whose normals lie within the crease angle of its own
    face. Weighting by area keeps large flats flat beside a bevel.

    Parameters
    ----------
    vertices : (V, 3) float
        Vertices, mm.
    triangles : (T, 3) int32
        Triangles.
    crease_degrees : float
        Angle beyond which an edge is sharp, degrees.
    uv : (V, 2) float32
        Texture coordinates.

    Returns
    -------
    Mesh
    """
    vertices = np.ascontiguousarray(vertices, np.float32)
    triangles = np.ascontiguousarray(triangles, np.int32)
    weighted = area_vectors(vertices[triangles].astype(np.float64))
    lengths = np.linalg.norm(weighted, axis=1, keepdims=True)
    unit = weighted / np.maximum(lengths, 1e-30)

    corner_place = places(vertices)[triangles.reshape(-1)]
    corner_face = np.repeat(np.arange(len(triangles)), 3)
    order = np.argsort(corner_place, kind="stable")
    starts = np.flatnonzero(np.r_[True, np.diff(corner_place[order]) > 0])
    counts = np.diff(np.r_[starts, len(order)])
    sums = np.zeros((len(order), 3), np.float32)
    _gather_near(
        starts,
        counts,
        corner_face[order],
        weighted.astype(np.float32),
        unit.astype(np.float32),
        np.float32(np.cos(np.radians(crease_degrees))),
        sums,
    )
    corner_normals = np.empty((len(order), 3), np.float32)
    corner_normals[order] = sums / np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-30)

    sources = triangles.reshape(-1)
    parts = [vertices[sources], np.round(corner_normals, 5)] + ([uv[sources]] if uv is not None else [])
    corners = np.hstack(parts)
    _, first, index = np.unique(row_keys(corners), return_index=True, return_inverse=True)
    kept = corners[first]
    normals = kept[:, 3:6] / np.maximum(np.linalg.norm(kept[:, 3:6], axis=1, keepdims=True), 1e-30)
    return Mesh(
        np.ascontiguousarray(kept[:, :3], np.float32),
        np.ascontiguousarray(index.reshape(-1, 3), np.int32),
        np.ascontiguousarray(normals, np.float32),
        np.ascontiguousarray(uv[sources[first]]) if uv is not None else None,
    )
