"""The body of liquid in a cavity: along the wall up to its edge, and the free surface over it.

Where it touches the wall it reaches into it by a hair, so that no gap is left between them; where both are clear, the
one of higher priority has the true boundary.
"""

from typing import NamedTuple

import numpy as np

from mat_shelf.fills.cavity import Cavity
from mat_shelf.fills.edge import Edge, Outline, Wetting, edge_of, outline_of, overfill_limit, overfilled_edge
from mat_shelf.fills.meniscus import capillary_length
from mat_shelf.fills.section import follow_loop
from mat_shelf.fills.surface_mesh import FINE, Fineness, node_areas
from mat_shelf.fills.vessel import VesselError
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors, sums_at

_FULL = 1e-3
"""Of the depth of a cavity, how far below its brim liquid stands at most."""
_LIFTED = 0.06
"""Of a capillary length, by which a surface may be lifted as it is."""
_EXACT = 1e-3
"""Of a volume, that it may be off."""
_HIGHEST = 6.0
"""Height of an edge, of a capillary length, that no surface has."""


class LiquidBody(NamedTuple):
    """A body of liquid.

    mesh : Mesh, in the frame of its vessel
    level : float, mm; mean height of the surface
    volume : float, mm3; where it does not reach into the wall
    edge : (float, float), mm; least and greatest height of its edge at the wall over the flattest of the surface
    contact_lines : list of (points, inwards), (N, 3) float64 each; its edges at the wall, mm, and level directions from
    there into the liquid
    """

    mesh: Mesh
    level: float
    volume: float
    edge: tuple[float, float]
    contact_lines: list[tuple[np.ndarray, np.ndarray]]


def wall_thickness(cavity: Cavity) -> np.ndarray:
    """Thickness of the wall at each vertex of a vessel that liquid can wet, (V,) mm; NaN at all others.

    Parameters
    ----------
    cavity : Cavity
        Cavity of the vessel.

    Returns
    -------
    (V,) float64
    """
    vessel, normals = cavity.vessel, cavity.vessel.normals
    wet = np.flatnonzero(np.isfinite(cavity.reached))
    start = vessel.vertices[wet] - normals[wet] * 1e-5 * vessel.size
    hits = vessel.rays.intersect(
        np.ascontiguousarray(start, np.float32), np.ascontiguousarray(-normals[wet], np.float32)
    )
    thickness = np.full(len(vessel.vertices), np.nan)
    thickness[wet] = np.where(hits[0] >= 0, hits[4], np.inf)
    return thickness


def wall_depths(thickness: np.ndarray, reach: float) -> np.ndarray:
    """Depths to which liquid may reach into the wall, (V,) mm: a third of it at most.

    Parameters
    ----------
    thickness : (V,) float64
        As `wall_thickness` has it, mm.
    reach : float
        Wanted depth, mm.

    Returns
    -------
    (V,) float64
    """
    return np.minimum(reach, np.nan_to_num(thickness, nan=0.0, posinf=np.inf) / 3)


def pour(cavity: Cavity, depth: np.ndarray, volume: float, wetting: Wetting, fineness: Fineness = FINE) -> LiquidBody:
    """Liquid of a volume in a cavity.

    Parameters
    ----------
    cavity : Cavity
        The cavity.
    depth : (V,) float64
        As `wall_depths` has it, mm.
    volume : float
        Volume, mm3.
    wetting : Wetting
        The liquid.
    fineness : Fineness
        Of its surface.

    Returns
    -------
    LiquidBody

    Raises
    ------
    VesselError
        If the cavity cannot hold it.
    """
    highest = cavity.spill - _FULL * (cavity.spill - cavity.bottom)
    length = capillary_length(wetting.tension, wetting.density)
    wanted = volume
    made = None
    for _ in range(3):  # the edge holds liquid too, which the middle then lacks
        level = min(cavity.level_of(min(max(wanted, 0.0), cavity.capacity)), highest)
        surface = _surface_at(cavity, depth, level, wetting, fineness)
        made = _close(*surface, level)
        missing = volume - made.volume
        if abs(missing) < _EXACT * volume or (level >= highest and missing > 0):
            break
        rise = missing / float(node_areas(surface[2].mesh).sum())
        if abs(rise) < _LIFTED * length:  # so little that the surface is merely lifted
            made = _close(*surface, min(level + rise, highest))
            if abs(volume - made.volume) < _EXACT * volume:
                break
        wanted += missing
    return made


def overfill(
    cavity: Cavity, depth: np.ndarray, height: float, wetting: Wetting, fineness: Fineness = FINE
) -> LiquidBody:
    """Liquid that stands above the brim of its cavity, held by its surface tension.

    Its edge stays on the brim, and the surface rises from there as a drop does (Batchelor, An Introduction to Fluid
    Dynamics, 1.9).

    Parameters
    ----------
    cavity : Cavity
        The cavity.
    depth : (V,) float64
        As `wall_depths` has it, mm.
    height : float
        Height of the middle of the surface over the brim, mm.
    wetting : Wetting
        The liquid.
    fineness : Fineness
        Of its surface.

    Returns
    -------
    LiquidBody

    Raises
    ------
    VesselError
        If it would run over.
    """
    if cavity.is_closed:
        raise VesselError("its space is closed and has no brim; say how full it is by volume or share")
    length = capillary_length(wetting.tension, wetting.density)
    highest = cavity.spill - _FULL * (cavity.spill - cavity.bottom)
    walls = _cut(cavity, depth, highest)
    outlines = [outline_of(loop, fineness) for loop in walls.loops]
    most = overfill_limit(length)
    if height > most:
        raise VesselError(f"its surface tension holds it {most:.1f} mm above the brim at most; lower it")
    edge = overfilled_edge(outlines, height, wetting, length, fineness) if outlines else None
    if edge is None:
        raise VesselError("its brim is too narrow for it to stand so high above it; lower it")
    return _close(walls, outlines, edge, highest)


def _surface_at(cavity: Cavity, depth: np.ndarray, level: float, wetting: Wetting, fineness: Fineness):
    """Walls, outlines and edge of liquid up to a level; where an outline is too intricate its edge is left out."""
    for is_flat in (False, True):
        try:
            return _up_to(cavity, depth, level, wetting, is_flat, fineness)
        except RuntimeError:  # an outline that crosses itself, or is thinner than its own points lie apart
            continue
    raise VesselError("its surface could not be found there; change the level a little")


def _up_to(cavity: Cavity, depth: np.ndarray, level: float, wetting: Wetting, is_flat: bool, fineness: Fineness):
    length = capillary_length(wetting.tension, wetting.density)
    dropped = 0.0
    for _ in range(2):  # a wall that leans brings the edge elsewhere; where the edge sinks, the wall ends lower
        walls = _cut(cavity, depth, level + dropped)
        outlines = [outline_of(loop, fineness) for loop in walls.loops]
        if not outlines:
            raise VesselError("the liquid is too shallow to be shown; fill in more")
        edge = edge_of(cavity, outlines, level, wetting, length, is_flat, fineness)
        if np.abs(edge.height).max() > _HIGHEST * length:
            raise RuntimeError("no surface is so high")
        lowest = min(float(edge.height.min()), 0.0)
        if lowest >= dropped:
            break
        dropped = max(lowest - 0.05 * length, (cavity.bottom - level) * 0.9)
    return walls, outlines, edge


class _Walls(NamedTuple):
    """Wall of the liquid below a plane. Points are true ones and, `within`, as they reach into the wall.

    loops : list of (indices of points, wall normals (N, 3)), in their order, what is inside to their left from above
    """

    points: np.ndarray
    within: np.ndarray
    triangles: np.ndarray
    loops: list
    height: float


def _cut(cavity: Cavity, depth: np.ndarray, height: float) -> _Walls:
    """The faces of a cavity below a height, cut there."""
    vessel, faces = cavity.vessel, cavity.faces
    below = cavity.reached <= height
    wet = below[faces]
    count = wet.sum(axis=1)
    whole = faces[count == 3]
    normals = vessel.normals
    within = vessel.vertices - normals * depth[:, None]
    one, two = faces[count == 1], faces[count == 2]
    # Turned so that the odd corner comes first.
    one = np.take_along_axis(one, (wet[count == 1].argmax(axis=1)[:, None] + np.arange(3)) % 3, axis=1)
    two = np.take_along_axis(two, ((~wet[count == 2]).argmax(axis=1)[:, None] + np.arange(3)) % 3, axis=1)
    ways = np.concatenate([one[:, [0, 1]], one[:, [0, 2]], two[:, [2, 0]], two[:, [1, 0]]]).astype(np.int64)
    key, index = np.unique(ways[:, 0] * len(below) + ways[:, 1], return_inverse=True)
    low, high = key // len(below), key % len(below)
    y = vessel.vertices[:, 1]
    share = np.clip((height - y[low]) / np.maximum(y[high] - y[low], 1e-12), 0, 1)[:, None]
    start = len(vessel.vertices)
    new = start + index.reshape(-1)
    k, m = len(one), len(two)
    after, before, second, third = new[:k], new[k : 2 * k], new[2 * k : 2 * k + m], new[2 * k + m :]
    triangles = np.concatenate(
        [
            whole,
            np.stack([one[:, 0], after, before], axis=1),
            np.stack([two[:, 1], two[:, 2], second], axis=1),
            np.stack([two[:, 1], second, third], axis=1),
        ]
    )
    points = np.concatenate([vessel.vertices, vessel.vertices[low] * (1 - share) + vessel.vertices[high] * share])
    within = np.concatenate([within, within[low] * (1 - share) + within[high] * share])
    within[start:, 1] = height
    from_, to = np.concatenate([after, second]), np.concatenate([before, third])
    facing = area_vectors(vessel.vertices[np.concatenate([one, two])])
    following, normal = np.full(len(points), -1, np.int64), np.zeros((len(points), 3))
    following[from_] = to
    np.add.at(normal, from_, facing / np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-30))
    loops, seen = [], np.zeros(len(points), bool)
    room = np.zeros(len(from_) + 1, np.int64)
    for begin in from_:
        if not seen[begin] and (n := follow_loop(begin, following, seen, room)) > 2:
            at = room[:n].copy()
            loops.append((at, points[at], normal[at]))
    return _Walls(points, within, triangles, loops, height)


def _close(walls: _Walls, outlines: list[Outline], edge: Edge, level: float) -> LiquidBody:
    """The body between the walls and the free surface."""
    border = len(edge.height)
    normal = np.concatenate([outline.normal for outline in outlines])
    deep = np.concatenate([_at(walls.within - walls.points, outline) for outline in outlines])
    reach = np.linalg.norm(deep, axis=1)[:, None]
    surface = np.empty((len(edge.heights), 3))
    surface[:, 0], surface[:, 1] = edge.mesh.points[:, 0], level + edge.heights
    surface[:, 2] = -edge.mesh.points[:, 1]
    floors = edge.floors.copy()
    floors[-1, :, 1] = level + edge.heights[:border]
    buried = floors - normal * reach
    buried[0, :, 1] = walls.height
    points = [walls.points, *floors, surface]
    within = [walls.within, *buried, surface]
    first = np.cumsum([0, *(len(p) for p in points)])
    triangles = [walls.triangles]
    begin = 0
    for outline in outlines:
        ring = np.arange(begin, begin + len(outline.points))
        begin += len(ring)
        triangles.append(_zipped(outline, first[1] + ring))
        for row in range(1, len(floors)):
            triangles.append(_band(first[row] + ring, first[row + 1] + ring))
        triangles.append(_band(first[len(floors)] + ring, first[-2] + ring))
    # Walls are listed as the vessel has them, which looks into the liquid.
    walls_out = np.concatenate(triangles)[:, ::-1]
    triangles = np.concatenate([walls_out, edge.mesh.triangles + first[-2]]).astype(np.int32)
    true, body = np.concatenate(points), np.concatenate(within)
    corners = true[triangles]
    volume = float(np.einsum("ij,ij->", area_vectors(corners), corners[:, 0]) / 3)
    facing = area_vectors(body[triangles])
    # The surface is shaded by itself, and the wall by itself.
    triangles[len(walls_out) :] += len(body)
    is_used = np.zeros(2 * len(body), bool)
    is_used[triangles] = True
    used = np.flatnonzero(is_used)
    triangles = (np.cumsum(is_used) - 1)[triangles]
    smooth = sums_at(triangles.reshape(-1), np.repeat(facing, 3, axis=0), len(used))
    smooth /= np.maximum(np.linalg.norm(smooth, axis=1, keepdims=True), 1e-30)
    vertices = np.ascontiguousarray(body[used % len(body)], np.float32)
    at = vertices[triangles]  # where the edge does not rise, rows of the wall below it fall together
    x, y, z = np.moveaxis(at != np.roll(at, 1, axis=1), 2, 0)
    triangles = triangles[(x | y | z).all(axis=1)]
    mesh = Mesh(vertices, np.ascontiguousarray(triangles, np.int32), np.ascontiguousarray(smooth, np.float32))
    flattest = float(edge.still[edge.mesh.depth.argmax()])
    heights = float(edge.height.min()) - flattest, float(edge.height.max()) - flattest
    level_in = normal * (1, 0, 1)
    level_in /= np.maximum(np.linalg.norm(level_in, axis=1, keepdims=True), 1e-9)
    ends = np.cumsum([len(outline.points) for outline in outlines])[:-1]
    lines = list(zip(np.split(floors[-1], ends), np.split(level_in, ends), strict=True))
    return LiquidBody(mesh, level, volume, heights, lines)


def _at(values: np.ndarray, outline: Outline) -> np.ndarray:
    """Values of the points of a loop at those of its outline."""
    along = values[outline.loop]
    low = np.floor(outline.place).astype(int) % len(along)
    share = (outline.place - np.floor(outline.place))[:, None]
    return along[low] * (1 - share) + np.roll(along, -1, axis=0)[low] * share


def _zipped(outline: Outline, ring: np.ndarray) -> np.ndarray:
    """Triangles between a loop and its outline, which have other numbers of points."""
    loop, count, n = outline.loop, len(outline.loop), len(ring)
    beside = np.searchsorted(outline.place, np.arange(count) + 0.5, side="right") - 1
    along = np.stack([np.roll(loop, -1), loop, ring[beside]], axis=1)
    under = np.searchsorted(
        np.arange(count) + 0.5, np.roll(outline.place, -1) + np.where(np.arange(n) == n - 1, count, 0)
    )
    across = np.stack([np.roll(ring, -1), loop[under % count], ring], axis=1)
    return np.concatenate([along, across])


def _band(low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Triangles between two rows of as many points."""
    after, over = np.roll(low, -1), np.roll(high, -1)
    return np.concatenate([np.stack([after, low, over], axis=1), np.stack([over, low, high], axis=1)])
