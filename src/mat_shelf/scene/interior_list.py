"""Which bodies a path is inside of, and which of them counts where several lie at the same place.

A path keeps a list of the bodies around it, in the order in which it went into them, each with how many of its pieces
it is inside of. A body is a part: whatever its faces wear, it is filled with one thing.

References
----------
Schmidt and Budge 2002, Simple Nested Dielectrics in Ray Traced Images.
"""

from collections import namedtuple

import numpy as np

from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.numerics.kernels import inline
from mat_shelf.optics import parameters as P
from mat_shelf.scene.geometry import Geometry

MOST_NESTED = 8
"""How many bodies a path may be inside of at once."""
OUTSIDE = np.full(MOST_NESTED, -1, np.int32)
"""The list of a path that is inside of nothing."""
_PIECES = 8
"""Bits of an entry of the list that count the pieces; those above say which body. Below 0 the list ends."""
_MOST_PIECES = (1 << _PIECES) - 1
_STEP = np.float32(2e-6)
"""Step off a surface, of how far from the origin it is."""
_WALLS = 256
"""Surfaces that are looked for in one direction."""

Bodies = namedtuple("Bodies", "row priority is_clear")
"""What geometries are filled with.

row : (G,) int32, parameter row that its inside has
priority : (G,) int32, the higher one counts where two lie at the same place
is_clear : (G,) bool, whether light is bent into it
"""


@inline
def surrounding(inside, i, bodies, without):
    """The body of highest priority round path i, the last it went into among equals, leaving one out; -1 for air.

    Parameters
    ----------
    inside : (N, NESTING, 2) int16
        Interior lists of the paths.
    i : int
        Index of the row or path.
    bodies : Bodies
        Bodies of the scene.
    without : int
        Body that is left out; -1 for none.

    Returns
    -------
    int32
    """
    best = -1
    for k in range(MOST_NESTED):
        entry = inside[i, k]
        if entry < 0:
            break
        body = entry >> _PIECES
        if body != without and (best < 0 or bodies.priority[body] >= bodies.priority[best]):
            best = body
    return best


@inline
def times_inside(inside, i, body):
    """Number of pieces of a body that path i is inside of.

    Parameters
    ----------
    inside : (N, NESTING, 2) int16
        Interior lists of the paths.
    i : int
        Index of the row or path.
    body : int
        Number of the body.

    Returns
    -------
    int32
    """
    for k in range(MOST_NESTED):
        entry = inside[i, k]
        if entry < 0:
            break
        if entry >> _PIECES == body:
            return entry & _MOST_PIECES
    return 0


@inline
def update_interior(inside, i, body, entering):
    """Notes that path i crossed into, or out of, a body.

    Parameters
    ----------
    inside : (N, NESTING, 2) int16
        Interior lists of the paths.
    i : int
        Index of the row or path.
    body : int
        Number of the body.
    entering : bool
        Whether the path enters the body.
    """
    for k in range(MOST_NESTED):
        entry = inside[i, k]
        if entry < 0:
            if entering:
                inside[i, k] = (body << _PIECES) | 1
                if k + 1 < MOST_NESTED:
                    inside[i, k + 1] = -1
            return
        if entry >> _PIECES != body:
            continue
        pieces = entry & _MOST_PIECES
        if entering:
            inside[i, k] = entry + (1 if pieces < _MOST_PIECES else 0)
            return
        if pieces > 1:
            inside[i, k] = entry - 1
            return
        for after in range(k, MOST_NESTED - 1):
            following = inside[i, after + 1]
            inside[i, after] = following
            if following < 0:
                return
        inside[i, MOST_NESTED - 1] = -1
        return


@inline
def copy_interior(inside, i, others, j):
    """Gives path j what is around path i.

    Parameters
    ----------
    inside : (N, NESTING, 2) int16
        Interior lists of the paths.
    i : int
        Index of the row or path.
    others : (M, NESTING, 2) int16
        Interior lists that receive it.
    j : int
        Index of the other path.
    """
    for k in range(MOST_NESTED):
        entry = inside[i, k]
        others[j, k] = entry
        if entry < 0:
            return


@inline
def interior_index(inside, i, bodies, block, without):
    """Refractive index of what is around path i, leaving one body out.

    Parameters
    ----------
    inside : (N, NESTING, 2) int16
        Interior lists of the paths.
    i : int
        Index of the row or path.
    bodies : Bodies
        Bodies of the scene.
    block : (M, WIDTH) float32
        Parameter block.
    without : int
        Body that is left out; -1 for none.

    Returns
    -------
    float32
    """
    around = surrounding(inside, i, bodies, without)
    return block[bodies.row[around], P.IOR] if around >= 0 else np.float32(1)


@inline
def is_hidden(inside, i, body, entering, outside, bodies):
    """True if a boundary has no effect.

    It has none where another body counts, within another piece of the same body or of one of the same material, and
    where a path leaves what it came into by a hole.

    Parameters
    ----------
    inside : (N, NESTING, 2) int16
        Interior lists of the paths.
    i : int
        Index of the row or path.
    body : int
        Number of the body.
    entering : bool
        Whether the path enters the body.
    outside : int
        What `surrounding` says without this body.
    bodies : Bodies
        Bodies of the scene.

    Returns
    -------
    bool
    """
    if outside >= 0:
        above, own = bodies.priority[outside], bodies.priority[body]
        if above > own or (above == own and bodies.row[outside] == bodies.row[body]):
            return True
    pieces = times_inside(inside, i, body)
    return pieces > 0 if entering else pieces != 1


_WAYS = np.float32([[0.299, 0.815, 0.497], [-0.707, 0.339, -0.621], [0.512, -0.218, 0.831]])
"""Odd directions, so that none runs along a face."""


def interior_at(point, geometry: Geometry, bodies: Bodies) -> np.ndarray:
    """The bodies that light is bent by and that lie around a point, as paths that start there have them.

    Parameters
    ----------
    point : (3,) float, mm
    geometry : Geometry
        Geometry of the scene.
    bodies : Bodies
        Bodies of the scene.

    Returns
    -------
    (NESTING,) int32
    """
    nest = OUTSIDE.copy()
    if not bodies.is_clear.any():
        return nest
    at = tuple(float(x) for x in point)
    pieces = geometry.pieces_around((), at, lambda: _pieces_around(at, geometry))
    around = np.flatnonzero((pieces > 0) & bodies.is_clear)
    around = around[np.argsort(bodies.priority[around], kind="stable")][-MOST_NESTED:]
    nest[: len(around)] = (around << _PIECES) | pieces[around]
    return nest


def _pieces_around(point: tuple[float, float, float], geometry: Geometry) -> np.ndarray:
    """Number of pieces of each geometry that lie around a point, (G,) int32."""
    ways = _WAYS / np.linalg.norm(_WAYS, axis=1, keepdims=True)
    at = np.repeat(np.array(point, np.float32)[None], len(ways), axis=0)
    crossed = np.zeros((len(ways), geometry.count), np.int64)
    for _ in range(_WALLS):
        body, primitive, _, _, distance = geometry.intersect(at, ways)
        met = np.flatnonzero(body >= 0)
        if not met.size:
            break
        # Drops are left out: no camera stands in one.
        corners = geometry.triangles.corners[geometry.triangles.first[body[met]] + primitive[met]].reshape(-1, 3, 3)
        facing = area_vectors(corners)
        outwards = (facing * ways[met]).sum(axis=1) > 0
        crossed[met, body[met]] += np.where(geometry.triangles.is_caps[body[met]], 0, np.where(outwards, 1, -1))
        # On by more than the error of the coordinates, which grows with them.
        beyond = distance[met] + _STEP * (np.abs(at[met]).max(axis=1) + distance[met])
        at[met] += ways[met] * beyond[:, None]
        at[body < 0] = np.float32(1e18)
    return np.clip(np.median(crossed, axis=0).astype(np.int32), 0, _MOST_PIECES)
