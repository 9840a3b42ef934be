"""Foam on a liquid: bubbles of thin film, large and small, packed in a head that stands on its surface."""

from typing import NamedTuple

import numpy as np

from mat_shelf.fills.cavity import Cavity
from mat_shelf.fills.liquid import LiquidBody
from mat_shelf.fills.strewing import drawn_widths, patchiness, settle
from mat_shelf.geometry.caps import NO_CAPS, Caps
from mat_shelf.geometry.triangles import triangle_normals

MOST_BUBBLES = 60_000
_TRIES, _WAYS = 16, 8
_SHARE = 0.5
"""Of the head's volume that bubbles have which settle one after the other, about (random sequential packing with a
tenth of overlap)."""
_OVERLAP = 0.9
"""Least distance of two bubbles, of their mean width: films between them are flat."""
_PRESSED, _SUNK = 0.85, 0.45
"""Radii by which bubbles keep from the wall, and stand over the liquid's surface."""
_LARGEST = 2.5
"""Widths of the widest, of the mean one."""
_SAMPLES = 4000


class Head(NamedTuple):
    """A head of foam.

    thickness : float, mm
    size, spread : float; mean width of its bubbles, mm, and standard deviation, of it
    patches, patch_size : float; unevenness, [0, 1], and mm
    seed : int
    """

    thickness: float
    size: float
    spread: float
    patches: float
    patch_size: float
    seed: int


def foam(cavity: Cavity, body: LiquidBody, head: Head) -> Caps:
    """Bubbles of a head of foam, as whole spheres in the frame of its vessel.

    Parameters
    ----------
    cavity : Cavity
        The cavity that the liquid stands in.
    body : LiquidBody
        The liquid.
    head : Head
        The foam.

    Returns
    -------
    Caps
        None where there is no room over the liquid.
    """
    chance = np.random.default_rng(head.seed)
    wall = cavity.vessel.vertices[cavity.faces].reshape(-1, 3)  # up to the brim, which liquid does not wet
    low, high = wall.min(axis=0), wall.max(axis=0)
    low[1], high[1] = body.level, min(body.level + head.thickness, cavity.spill)
    if high[1] - low[1] < head.size / 20:
        return NO_CAPS
    tried = low + chance.random((_SAMPLES, 3)) * (high - low)
    depth = max(high[1] - low[1], head.size)  # a raft is one bubble deep
    room = float((_clearance(cavity, tried) > 0).mean()) * float((high[0] - low[0]) * (high[2] - low[2])) * depth
    each = np.pi / 6 * head.size**3 * (1 + head.spread**2) ** 3  # the mean cube of a log-normal width
    count = min(int(_SHARE * room / each) + 1, MOST_BUBBLES)
    width = np.sort(drawn_widths(chance, count, head.size, head.spread, 1 / 6, _LARGEST))[::-1]
    places = low + chance.random((count, _TRIES, 3)) * (high - low)
    radius = np.broadcast_to(width[:, None] / 2, (count, _TRIES))
    # The lowest layer stands on the liquid, however thin the head is.
    places[..., 1] = np.maximum(places[..., 1], body.level + _SUNK * radius)
    top = np.full((count, _TRIES), high[1] - low[1])
    if head.patches > 0:
        even = np.empty(count * _TRIES, np.float32)
        flat = places.reshape(-1, 3) * (1, 0, 1)
        patchiness(np.float32(flat / head.patch_size), np.uint32(head.seed), even)
        top = top * (1 - head.patches + head.patches * even.reshape(count, _TRIES))
    may_lie = places[..., 1] - body.level <= np.maximum(top, np.where(top > 0.05 * head.thickness, 1, 0) * radius)
    may_lie &= places[..., 1] + _PRESSED * radius < cavity.spill
    inside = np.flatnonzero(may_lie.reshape(-1))
    free = _clearance(cavity, places.reshape(-1, 3)[inside])
    may_lie.reshape(-1)[inside[free < _PRESSED * radius.reshape(-1)[inside]]] = False
    kept = settle(places, may_lie, width, _OVERLAP)
    lies = np.flatnonzero(kept >= 0)
    centre, radii = places[lies, kept[lies]], width[lies] / 2
    axes = np.eye(3)[None] * radii[:, None, None]
    return Caps(np.float32(centre), np.float32(axes), np.full(len(lies), -2.0, np.float32))


def _clearance(cavity: Cavity, places: np.ndarray) -> np.ndarray:
    """Level distance from places to the wall around, (N,) mm; -1 where they are not inside of it."""
    vessel = cavity.vessel
    nearest = np.full(len(places), np.inf)
    points = np.ascontiguousarray(places, np.float32)
    facing = triangle_normals(vessel.vertices[vessel.triangles])
    for turn in np.arange(_WAYS) * (2 * np.pi / _WAYS) + 0.1:
        way = np.float32([np.cos(turn), 0, np.sin(turn)])
        geometry, primitive, _, _, distance = vessel.rays.intersect(points, np.tile(way, (len(points), 1)))
        is_wall = (geometry >= 0) & (facing[np.maximum(primitive, 0)] @ way < 0)
        nearest = np.where(is_wall, np.minimum(nearest, distance), -1.0)
    return nearest
