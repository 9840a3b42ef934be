"""Rows of all triangles of a scene. Each shape has a run of them, in which another one can take its place."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.mesh import Mesh

_HOME = np.float32([0, 0, 1, 0, 0, 1])
_ROOM = 4
"""Part of a shape's rows that are added as room to grow once it has changed: a quarter."""


class Rows(NamedTuple):
    """Rows of triangles, or of caps; of some kinds there are none where no shape needs them.

    Attributes
    ----------
    corners, normals : (T, 9) float32
        Three points, mm, and shading normals; of a cap, see `geometry.caps`.
    uv : (T, 6) float32
        Texture coordinates of three corners.
    rest : (T, 9) float32, mm
        Corners before true relief moved them.
    face : (T,) int32
        Number of the triangle among those of the part's own mesh; below 0 for a cap.
    place : (T, 6) float32
        Where in that one its three corners lie: shares of the second and third corner.
    """

    corners: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    rest: np.ndarray
    face: np.ndarray
    place: np.ndarray


class TriangleRows:
    """Rows of shapes, one after the other.

    Parameters
    ----------
    shapes : sequence of Mesh or Caps
    at_rest : sequence of (rest, face, place) or None
        For those of the first of them that have true relief, what they were before, as in `Rows`.
    older : TriangleRows, optional
        Of shapes of which most are the same, and not in use any more: its arrays are taken over where there is room.
    """

    def __init__(
        self, shapes: Sequence[Mesh | Caps], at_rest: Sequence[tuple | None] = (), older: "TriangleRows | None" = None
    ):
        self._shapes = list(shapes)
        self._at_rest = [*at_rest, *[None] * (len(shapes) - len(at_rest))]
        self.is_caps = np.array([isinstance(shape, Caps) for shape in shapes], bool)
        self.counts = np.array([len(s) if isinstance(s, Caps) else len(s.triangles) for s in shapes], np.int64)
        self.has_uv = any(not isinstance(shape, Caps) and shape.uv is not None for shape in shapes)
        self.has_rest = bool(self.is_caps.any()) or any(rest is not None for rest in self._at_rest)
        if older is not None and older._has_room_for(self):
            self._room, self.first, self.rows = older._room, older.first, older.rows
            changed = [k for k in range(len(shapes)) if not older._has(self, k)]
        else:
            self._room = self.counts.copy()
            if older is not None and len(older._shapes) == len(shapes):
                is_other = np.array([a is not b for a, b in zip(older._shapes, shapes, strict=True)], bool)
                self._room[is_other] += self.counts[is_other] // _ROOM
            self.first = np.cumsum([0, *self._room])[:-1].astype(np.int32)
            self.rows = self._new_rows(int(self._room.sum()))
            changed = range(len(shapes))
        for k in changed:
            is_kept = older is not None and older.rows is not self.rows and older._has(self, k)
            found = older._of(k) if is_kept else self._made(k)
            for table, made in zip(self._of(k), found, strict=True):
                table[...] = made[: len(table)]

    def _has_room_for(self, newer: "TriangleRows") -> bool:
        is_alike = self.has_uv == newer.has_uv and self.has_rest == newer.has_rest
        return is_alike and len(self.counts) == len(newer.counts) and bool((newer.counts <= self._room).all())

    def _has(self, newer: "TriangleRows", k: int) -> bool:
        """True if the k-th shape of a newer one stands here as it does there, with rows of the same kinds."""
        is_alike = self.has_uv == newer.has_uv and self.has_rest == newer.has_rest and k < len(self._shapes)
        if not is_alike or self._shapes[k] is not newer._shapes[k]:
            return False
        one, other = self._at_rest[k] or (), newer._at_rest[k] or ()
        return len(one) == len(other) and all(a is b for a, b in zip(one, other, strict=True))

    def _new_rows(self, count: int) -> Rows:
        uv, rest = count if self.has_uv else 0, count if self.has_rest else 0
        sizes = (count, 9), (count, 9), (uv, 6), (rest, 9), (rest,), (rest, 6)
        return Rows(*(np.empty(size, np.int32 if len(size) == 1 else np.float32) for size in sizes))

    def _of(self, k: int) -> Rows:
        """Rows of the k-th shape as they are here."""
        run = slice(self.first[k], self.first[k] + self.counts[k])
        return Rows(*(table[run] for table in self.rows))

    def _made(self, k: int) -> Rows:
        """Rows of the k-th shape, made anew; a single one stands for many that are the same."""
        shape, rest, count = self._shapes[k], self._at_rest[k], int(self.counts[k])
        corners, normals = triangle_rows(shape)
        uv = None if isinstance(shape, Caps) or shape.uv is None else shape.uv[shape.triangles].reshape(-1, 6)
        if rest is None:
            face = np.full(count, -1, np.int32) if isinstance(shape, Caps) else np.arange(count, dtype=np.int32)
            rest = corners, face, _HOME[None]
        if not self.has_uv:
            uv = np.empty((0, 6), np.float32)
        if not self.has_rest:
            rest = tuple(each[:0] for each in rest)
        return Rows(corners, normals, np.zeros((1, 6), np.float32) if uv is None else uv, *rest)


def triangle_rows(shape: Mesh | Caps) -> tuple[np.ndarray, np.ndarray]:
    """Corners and normals of a shape, as `Rows` has them.

    Parameters
    ----------
    shape : Mesh or Caps
        The shape.

    Returns
    -------
    corners, normals : (T, 9) float32
    """
    if isinstance(shape, Caps):
        return shape.corner_rows, shape.normal_rows
    # A third of the time that indexing takes.
    corners, normals = (np.take(each, shape.triangles, axis=0) for each in (shape.vertices, shape.normals))
    return corners.reshape(-1, 9), normals.reshape(-1, 9)
