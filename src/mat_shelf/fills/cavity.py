"""Cavities of a vessel: where liquid stands in it, up to the level at which it would run out.

All is told by the vessel's surface alone. The space over the surface that lies below a level falls into basins, and two
basins become one at the height of a point of the surface between them, as two lakes do at a pass. So basins are joined
along the edges of the surface in the order of their heights; where a wall begins in mid-air it is joined to what lies
vertically below it. A basin that is joined to the outside is a cavity that spills at that height.
"""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from scipy.optimize import brentq

from mat_shelf.fills.vessel import Vessel, VesselError
from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.numerics.kernels import kernel

MM3_PER_ML = 1000.0
_LEAST_SHARE = 1e-4
"""Of the volume of the vessel's box that a cavity has at least."""
_MOST_BASINS = 64
"""Basins that are looked into, the deepest first."""


@dataclass(frozen=True, eq=False)
class Cavity:
    """One space of a vessel that holds liquid.

    Attributes
    ----------
    vessel : Vessel
    reached : (V,) float64, mm
        Level from which on liquid that stands in it wets each vertex of the vessel; inf where it never does.
    bottom, spill : float, mm
        Heights of its lowest point and at which it is full; of a closed space, of its highest point.
    is_closed : bool
        Whether nothing can run out.
    """

    vessel: Vessel
    reached: np.ndarray
    bottom: float
    spill: float
    is_closed: bool
    faces: np.ndarray = field(repr=False)

    @property
    def spill_depth(self) -> float:
        """Depth when full, mm.

        Returns
        -------
        float
        """
        return self.spill - self.bottom

    @cached_property
    def middle(self) -> np.ndarray:
        """Middle of the box round it, seen from above; at the height 0.

        Returns
        -------
        (3,) float64
        """
        wet = self.vessel.vertices[np.isfinite(self.reached)]
        return (wet.min(axis=0) + wet.max(axis=0)) / 2 * (1, 0, 1)

    @cached_property
    def capacity(self) -> float:
        """Volume that it holds when full, mm3.

        Returns
        -------
        float
        """
        return self.volume(self.spill)

    def volume(self, level: float) -> float:
        """Volume of liquid that stands up to a level, mm3.

        Parameters
        ----------
        level : float
            Height, mm.

        Returns
        -------
        float
        """
        return float(_volume_below(self.vessel.vertices, self.faces, self.reached, level))

    def level_of(self, volume: float) -> float:
        """Level up to which a volume of liquid stands, mm.

        Parameters
        ----------
        volume : float
            At most the capacity, mm3.

        Returns
        -------
        float
        """
        if volume <= 0:
            return self.bottom
        if volume >= self.capacity:
            return self.spill
        return float(
            brentq(lambda level: self.volume(level) - volume, self.bottom, self.spill, xtol=1e-9 * self.spill_depth)
        )


def find_cavities(vessel: Vessel) -> list[Cavity]:
    """The cavities of a vessel, the largest first; those of next to no volume are left out.

    Parameters
    ----------
    vessel : Vessel
        The vessel.

    Returns
    -------
    list of Cavity

    Raises
    ------
    VesselError
        If there is none.
    """
    height = np.ascontiguousarray(vessel.vertices[:, 1])
    outside = len(height)
    links = _links_downwards(vessel, outside)
    ends = np.concatenate([vessel.edges, links]).astype(np.int32)
    height = np.append(height, -np.inf)
    weight = np.maximum(height[ends[:, 0]], height[ends[:, 1]])
    order = np.argsort(weight, kind="stable")
    ends, weight = np.ascontiguousarray(ends[order]), np.ascontiguousarray(weight[order])
    lowest, spill = np.zeros(outside + 1, np.int32), np.zeros(outside + 1)
    parent, low = np.arange(outside + 1, dtype=np.int32), np.arange(outside + 1, dtype=np.int32)
    drop = _least_drop(vessel)
    count = _join_basins(ends, weight, height, outside, drop, parent, low, lowest, spill)
    # What was never joined to the outside is closed, and holds all of its space.
    used = np.zeros(outside + 1, bool)  # hairlines that were welded leave vertices that no face has
    used[vessel.triangles] = True
    closed = low[used & (parent == np.arange(outside + 1)) & (low != outside)]
    lowest, spill = np.append(lowest[:count], closed), np.append(spill[:count], np.full(len(closed), np.inf))
    deepest = np.argsort(height[lowest] - spill, kind="stable")[:_MOST_BASINS]
    starts, neighbours, weights = _lists(ends, weight, outside + 1)
    queue = np.zeros(2 * len(neighbours) + 8, np.int32), np.zeros(2 * len(neighbours) + 8)
    least = _LEAST_SHARE * float(np.prod(np.ptp(vessel.vertices, axis=0)))
    found = []
    for bottom, level in zip(lowest[deepest], spill[deepest], strict=True):
        cavity = _flooded(vessel, height, int(bottom), float(level), starts, neighbours, weights, outside, queue)
        if cavity.capacity > least:
            found.append(cavity)
    if not found:
        raise VesselError("it has no cavity that would hold liquid as it stands; turn it upright, or hollow it")
    return sorted(found, key=lambda cavity: -cavity.capacity)


def _least_drop(vessel: Vessel) -> float:
    """Depth below which a basin is a mere unevenness of the surface, mm."""
    return 1e-3 * vessel.size


def _links_downwards(vessel: Vessel, outside: int) -> np.ndarray:
    """Links from the lowest point of each wall that begins in mid-air to a vertex of what is below, or `outside`."""
    vertices, triangles = vessel.vertices, vessel.triangles
    rank = np.empty(len(vertices), np.int64)
    rank[np.argsort(vertices[:, 1], kind="stable")] = np.arange(len(vertices))
    ends = vessel.edges
    upper = np.where(rank[ends[:, 0]] > rank[ends[:, 1]], ends[:, 0], ends[:, 1])
    is_lowest = np.ones(len(vertices), bool)
    is_lowest[upper] = False
    used = np.zeros(len(vertices), bool)
    used[triangles] = True
    facing = np.zeros(len(vertices))
    np.add.at(facing, triangles, area_vectors(vertices[triangles])[:, 1:2])
    starts = np.flatnonzero(is_lowest & used & (facing < 0))
    if not len(starts):
        return np.zeros((0, 2), np.int32)
    way = np.tile(np.float32([0, -1, 0]), (len(starts), 1))
    origin = vertices[starts] - np.array([0, 1e-5 * vessel.size, 0])
    geometry, primitive, *_ = vessel.rays.intersect(np.ascontiguousarray(origin, np.float32), way)
    below = triangles[np.maximum(primitive, 0)]
    lowest = below[np.arange(len(below)), vertices[below, 1].argmin(axis=1)]
    # A ray that comes out of the wall from within began in it, at an edge of no width.
    is_within = (geometry >= 0) & (area_vectors(vertices[below])[:, 1] < 0)
    links = np.stack([starts, np.where(geometry >= 0, lowest, outside)], axis=1)
    return links[~is_within].astype(np.int32)


def _lists(ends: np.ndarray, weight: np.ndarray, count: int):
    """Neighbours of each vertex and the heights of the ways there, as lists."""
    both, other = ends.T.reshape(-1), ends[:, ::-1].T.reshape(-1)
    order = np.argsort(both, kind="stable")
    starts = np.zeros(count + 1, np.int64)
    np.cumsum(np.bincount(both, minlength=count), out=starts[1:])
    return starts, np.ascontiguousarray(other[order]), np.ascontiguousarray(np.tile(weight, 2)[order])


def _flooded(vessel, height, bottom, level, starts, neighbours, weights, outside, queue) -> Cavity:
    reached = np.full(len(height), np.inf)
    _flood(bottom, level, height[bottom], starts, neighbours, weights, outside, reached, *queue)
    reached = reached[:-1]
    wet = np.isfinite(reached)
    faces = np.ascontiguousarray(vessel.triangles[wet[vessel.triangles].any(axis=1)])
    spill = level if np.isfinite(level) else float(height[:-1][wet].max())
    return Cavity(vessel, reached, float(height[bottom]), spill, not np.isfinite(level), faces)


@kernel
def _join_basins(ends, weight, height, outside, drop, parent, low, lowest, spill):
    """Joins vertices along edges in the order of their heights, and notes each basin that is joined to the outside.

    Parameters
    ----------
    ends : (E, 2) int32
        Vertices that are joined, in the order of `weight`.
    weight : (E,) float64
        Heights at which they are.
    height : (V + 1,) float64
        Of the vertices, the last of them for the outside.
    outside : int
        Number of the outside.
    drop : float
        Depth of the basins that are noted.
    parent, low : (V + 1,) int32, written
        Above each vertex another of its basin; lowest vertex of the basin that it is the topmost of.
    lowest : (B,) int32, written
        Lowest vertices of the basins.
    spill : (B,) float64, written
        Heights at which they are full.

    Returns
    -------
    int
        Number of basins.
    """
    count = 0
    for e in range(ends.shape[0]):
        a, b = ends[e, 0], ends[e, 1]
        while parent[a] != a:
            parent[a] = parent[parent[a]]
            a = parent[a]
        while parent[b] != b:
            parent[b] = parent[parent[b]]
            b = parent[b]
        if a == b:
            continue
        if low[b] == outside:
            a, b = b, a
        if low[a] == outside and weight[e] - height[low[b]] > drop and count < lowest.shape[0]:
            lowest[count], spill[count] = low[b], weight[e]
            count += 1
        if low[a] != outside and height[low[b]] < height[low[a]]:
            a, b = b, a
        parent[b] = a
    return count


@kernel
def _flood(bottom, level, start, starts, neighbours, weights, outside, reached, heap, keys):
    """Levels from which on liquid that rises from a vertex wets others, below a level.

    Parameters
    ----------
    bottom : int
        The vertex.
    level : float
        Level at which it stops.
    start : float
        Height of the vertex.
    starts, neighbours, weights : array
        Lists of neighbours.
    outside : int
        Number of the outside.
    reached : (V + 1,) float64, written
        Levels; left as they are where liquid does not come.
    heap, keys : array
        Memory of the queue.
    """
    heap[0], keys[0], count = bottom, start, 1
    while count > 0:
        at, key = heap[0], keys[0]
        count -= 1
        moved, moved_key, k = heap[count], keys[count], 0
        while True:
            child = 2 * k + 1
            if child >= count:
                break
            if child + 1 < count and keys[child + 1] < keys[child]:
                child += 1
            if keys[child] >= moved_key:
                break
            heap[k], keys[k] = heap[child], keys[child]
            k = child
        heap[k], keys[k] = moved, moved_key
        if reached[at] <= key:
            continue
        reached[at] = key
        for j in range(starts[at], starts[at + 1]):
            other = neighbours[j]
            wanted = max(key, weights[j])
            if other == outside or wanted >= level or reached[other] <= wanted:
                continue
            k = count
            count += 1
            while k > 0 and keys[(k - 1) // 2] > wanted:
                heap[k], keys[k] = heap[(k - 1) // 2], keys[(k - 1) // 2]
                k = (k - 1) // 2
            heap[k], keys[k] = other, wanted


@kernel
def _volume_below(vertices, faces, reached, level):
    """Volume over some faces up to a level: the height of liquid over them, over their area seen from above, mm3.

    Parameters
    ----------
    vertices : (V, 3) float64
        Vertices, mm.
    faces : (F, 3) int32
        Faces that may be wet.
    reached : (V,) float64
        Levels from which on the vertices are.
    level : float
        The level, mm.

    Returns
    -------
    float64
    """
    total = 0.0
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        if min(reached[a], reached[b], reached[c]) > level:
            continue
        bx, bz = vertices[b, 0] - vertices[a, 0], vertices[b, 2] - vertices[a, 2]
        cx, cz = vertices[c, 0] - vertices[a, 0], vertices[c, 2] - vertices[a, 2]
        seen = 0.5 * (bz * cx - bx * cz)
        g, h, k = level - vertices[a, 1], level - vertices[b, 1], level - vertices[c, 1]
        if g > h:
            g, h = h, g
        if h > k:
            h, k = k, h
        if g > h:
            g, h = h, g
        if k <= 0:
            continue
        if g >= 0:
            mean = (g + h + k) / 3
        elif h <= 0:
            mean = k * k * k / (3 * (k - g) * (k - h))
        else:
            mean = (g + h + k) / 3 - g * g * g / (3 * (g - h) * (g - k))
        total += seen * mean
    return total
