"""The edge of a liquid: its outline on the wall, and where its surface meets a wall that leans."""

import math
from typing import NamedTuple

import numpy as np

from mat_shelf.fills.cavity import Cavity
from mat_shelf.fills.meniscus import heights_at_wall, surface_heights
from mat_shelf.fills.pouring import Fall, landing_heights, landing_nodes
from mat_shelf.fills.ring_mesh import ring_mesh
from mat_shelf.fills.round_surface import circle_of, round_heights
from mat_shelf.fills.surface_mesh import FINE, Fineness, SurfaceMesh, mesh_outlines, moved_mesh, node_areas
from mat_shelf.geometry.triangles import area_vectors

_STEPS, _BEYOND, _FLATTEST = 8, 2.0, 0.3
"""Steps along the wall from the level on, how far of the edge's height they go, and how steep each is at least."""
FLOORS = 4
"""Rows of points of the wall from below the edge up to it."""
_STEEPEST_WAVES = 0.03
"""Height of waves, of the width of the surface, that they have at most."""
_ASIDE = 0.06
"""Of a capillary length, by which a leaning wall takes the edge aside before that matters."""
_PARTS = (1.0, 0.6, 0.3)
"""Of the way to where the surface meets a wall that leans, that are tried one after the other."""
_AT_EDGE = 0.5
"""Capillary lengths from the edge within which rings fade."""
_LEVEL = 1e-2
"""Of a capillary length, by which the edge of a round surface may differ in height."""
_OVERFILL_STEPS = 8
_HALVINGS = 3
"""Times that the step of a wall in which the surface meets it is halved, before it counts as straight."""
_OVER, _SLIGHT = 0.1, 0.02
"""Capillary lengths over the level that a wall which was cut lower is followed to; height of an edge that is as good as
none."""


class Wetting(NamedTuple):
    """A liquid as it meets a wall.

    tension : float, mN/m
    density : float, g/cm3
    angle : float, degrees; between surface and wall, in the liquid
    ripples : float, mm; height of waves on the surface
    seed : int
    fall : Fall or None; a stream that lands on it
    """

    tension: float = 72.8
    density: float = 0.998
    angle: float = 20.0
    ripples: float = 0.0
    seed: int = 1
    fall: Fall | None = None


class Outline(NamedTuple):
    """One outline of the surface: points of the loop, evenly laid out.

    place : (N,) float64; how far along the loop each is, in points of the loop
    points : (N, 3), normal : (N, 3)
    """

    loop: np.ndarray
    place: np.ndarray
    points: np.ndarray
    normal: np.ndarray


def outline_of(loop, fineness: Fineness) -> Outline:
    """An outline of a liquid's surface, evenly laid out.

    Parameters
    ----------
    loop : (indices, points, normals)
        A loop of the wall: numbers of its points, places, (N, 3), and wall normals of the sides after them, (N, 3).
    fineness : Fineness
        Of the points.

    Returns
    -------
    Outline
    """
    index, points, normals = loop
    ahead = np.roll(points, -1, axis=0)
    side = np.linalg.norm(ahead - points, axis=1)
    side = np.maximum(side, 1e-12)
    way = (ahead - points)[:, [0, 2]] / side[:, None]
    before = np.roll(way, 1, axis=0)
    turn = np.abs(np.arctan2(before[:, 0] * way[:, 1] - before[:, 1] * way[:, 0], (before * way).sum(axis=1)))
    pitch = side.sum() / fineness.sides
    spent = np.concatenate([[0], np.cumsum(side / pitch + np.roll(turn, -1) / fineness.bend)])
    kept = np.flatnonzero(np.floor(spent[1:-1]) > np.floor(spent[:-2])) + 1
    kept = np.concatenate([[0], kept]) if len(kept) > 1 else np.arange(len(points))
    ends = np.append(kept, len(points))
    along = np.concatenate([[0], np.cumsum(side)])
    parts = np.maximum(np.ceil(np.diff(along[ends]) / (1.5 * pitch)), 1).astype(int)
    first = np.repeat(np.cumsum(parts) - parts, parts)
    share = (np.arange(len(first)) - first) / np.repeat(parts, parts)
    apart = np.repeat(along[ends[:-1]], parts) + share * np.repeat(np.diff(along[ends]), parts)
    place = np.interp(apart, along, np.arange(len(along)))
    # Each normal is that of the side after its point; at a point it is the mean of both.
    low = np.floor(place).astype(int) % len(points)
    share = (place - np.floor(place))[:, None]
    mean = normals[low] + np.where(share < 1e-9, np.roll(normals, 1, axis=0)[low], 0)
    mean /= np.maximum(np.linalg.norm(mean, axis=1, keepdims=True), 1e-12)
    return Outline(index, place, points[low] * (1 - share) + ahead[low] * share, mean)


class Edge(NamedTuple):
    """The line in which the surface meets the wall.

    floors : (K, N, 3); rows of points of the wall from the cut up to the edge
    height : (N,); of the edge over the level
    mesh, heights : of the surface, the edge first
    still : (P,); heights without its waves
    """

    floors: np.ndarray
    height: np.ndarray
    mesh: object
    heights: np.ndarray
    still: np.ndarray


def edge_of(
    cavity: Cavity,
    outlines: list[Outline],
    level: float,
    wetting: Wetting,
    length: float,
    is_flat: bool,
    fineness: Fineness = FINE,
) -> Edge:
    """The edge of a liquid, and its free surface.

    Parameters
    ----------
    cavity : Cavity
        The cavity that it stands in.
    outlines : list of Outline
        Outlines of its surface at the level.
    level : float
        Mean height of the surface, mm.
    wetting : Wetting
        The liquid.
    length : float
        Capillary length, mm.
    is_flat : bool
        Whether its surface tension is left out.
    fineness : Fineness
        Of the surface.

    Returns
    -------
    Edge
    """
    start = np.concatenate([outline.points for outline in outlines])
    normal = np.concatenate([outline.normal for outline in outlines])
    splits = np.cumsum([len(outline.points) for outline in outlines])[:-1]
    wall, count = _Wall(cavity), len(start)
    slope = _slopes(normal, wetting, is_flat)
    lines = np.split(start[:, [0, 2]] * (1, -1), splits)
    steepest = float(np.abs(slope).max())
    fine = None if wetting.fall is None else landing_nodes(wetting.fall, length)
    mesh = _mesh(lines, length, steepest, fine, fineness)
    raw = _heights(mesh, lines, slope, length, fineness)
    mean = _mean(mesh, raw)
    rise = raw[:count] - mean
    # A wall that was cut lower, for an edge that sinks, is followed upwards from there.
    is_low = start[:, 1] < level - 1e-6 * length
    far = np.where(is_low, np.maximum(rise * _BEYOND, _OVER * length), rise * _BEYOND)
    floors, facing = wall.climb(start, normal, level + far)
    contact, share = _meeting(floors, _slopes(facing, wetting, is_flat), level - mean, raw[:count], slope, length)
    out = -normal[:, [0, 2]] / np.maximum(np.hypot(normal[:, 0], normal[:, 2]), 1e-9)[:, None]
    aside = ((contact - start)[:, [0, 2]] * out).sum(axis=1)
    upright = start.copy()
    upright[:, 1] = level + raw[:count] - mean
    met, contact = contact, upright
    # Where a shoulder is so flat that its outline would cross itself, the edge stays nearer to where it began.
    for part in _PARTS if np.abs(aside).max() > _ASIDE * length else ():
        tried = upright + (met - upright) * part
        lines = np.split(tried[:, [0, 2]] * (1, -1), splits)
        edge = tried[:, 1] - level + mean
        if (adapted := moved_mesh(mesh, np.concatenate(lines), length)) is not None:
            mesh, raw = adapted, _heights(adapted, lines, slope, length, fineness, edge, raw)
        elif (adapted := _mesh(lines, length, steepest, fine, fineness)).is_whole:
            mesh, raw = adapted, _heights(adapted, lines, slope, length, fineness, edge)
        else:
            continue
        contact, share = tried, share * part
        break
    rows = np.stack([_along(floors, share * row / FLOORS) for row in range(FLOORS)] + [contact])
    return Edge(rows, contact[:, 1] - level, mesh, raw - mean + _waves(mesh, wetting, length), raw - mean)


def _mesh(lines: list[np.ndarray], length: float, steepest: float, fine, fineness: Fineness) -> SurfaceMesh:
    """Triangles of the surface, as `mesh_outlines` makes them; in rings where those suit its outline."""
    rings = ring_mesh(lines[0], length, steepest, fineness) if fine is None and len(lines) == 1 else None
    return mesh_outlines(lines, length, steepest, fine, fineness) if rings is None else rings


def _heights(
    mesh: SurfaceMesh, lines: list[np.ndarray], slope: np.ndarray, length: float, fineness, edge=None, guess=None
):
    """Heights of the surface, as `surface_heights` has them."""
    circle = circle_of(lines, slope)
    if circle is None or (edge is not None and np.ptp(edge) > _LEVEL * length):
        return surface_heights(mesh, lines, slope, length, edge, guess, fineness.precision)
    return round_heights(mesh, circle, slope, length, edge)


def overfill_limit(length: float) -> float:
    """Greatest height, mm, to which liquid stands above a long straight brim: upright there, as at a wall.

    Parameters
    ----------
    length : float
        Capillary length, mm.

    Returns
    -------
    float
    """
    return 2 * math.sin(math.pi / 4) * length


def overfilled_edge(
    outlines: list[Outline], height: float, wetting: Wetting, length: float, fineness: Fineness = FINE
) -> Edge | None:
    """The edge of a liquid that stays on the brim, while its surface stands above it.

    Parameters
    ----------
    outlines : list of Outline
        Outlines of the brim.
    height : float
        Height of the middle of the surface, mm.
    wetting : Wetting
        The liquid.
    length : float
        Capillary length, mm.
    fineness : Fineness
        Of the surface.

    Returns
    -------
    Edge or None
        None where no surface does so.
    """
    start = np.concatenate([outline.points for outline in outlines])
    splits = np.cumsum([len(outline.points) for outline in outlines])[:-1]
    lines, flat = np.split(start[:, [0, 2]] * (1, -1), splits), np.zeros(len(start))
    fine = None if wetting.fall is None else landing_nodes(wetting.fall, length)
    mesh = mesh_outlines(lines, length, math.pi / 2, fine, fineness)
    rise, heights = height, np.zeros(len(mesh.points))
    for _ in range(_OVERFILL_STEPS):  # in a narrow vessel the middle is lower than far from all walls
        heights = rise + surface_heights(mesh, lines, flat, length, np.full(len(start), -rise))
        middle = float(heights[mesh.depth.argmax()])
        if abs(middle - height) < 1e-3 * height + 1e-6:
            break
        rise *= height / max(middle, 0.05 * height)
    if not abs(middle - height) < 0.02 * height + 1e-4:
        return None
    return Edge(np.stack([start] * (FLOORS + 1)), flat, mesh, heights + _waves(mesh, wetting, length), heights)


def _mean(mesh, heights: np.ndarray) -> float:
    areas = node_areas(mesh)
    return float(areas @ heights / areas.sum())


def _along(rows: np.ndarray, share: np.ndarray) -> np.ndarray:
    """Points, or values, at shares of the ways along rows, (N, 3) or (N,)."""
    place = np.clip(share, 0, 1) * (len(rows) - 1)
    low = np.minimum(place.astype(int), len(rows) - 2)
    each, part = np.arange(rows.shape[1]), (place - low).reshape(-1, *(1,) * (rows.ndim - 2))
    return rows[low, each] * (1 - part) + rows[low + 1, each] * part


def _slopes(normal: np.ndarray, wetting: Wetting, is_flat: bool) -> np.ndarray:
    """Angles by which the surface rises towards walls of these normals, (...,) radians."""
    if is_flat:
        return np.zeros(normal.shape[:-1])
    # The angle of the wall going up, seen from the liquid, is 90 degrees for an upright one.
    return np.arccos(np.clip(normal[..., 1], -1, 1)) - np.radians(wetting.angle)


def _meeting(rows: np.ndarray, slopes: np.ndarray, base: float, edge: np.ndarray, slope: np.ndarray, length: float):
    """Places in which the surface meets a wall that leans: as high as it climbs a wall of the slope that is there.

    That height hardly depends on how far aside it is, but on the slope; it is that beside a plane wall, by as much more
    or less as the edge is at the outline.

    Returns
    -------
    contact : (N, 3) float64
    share : (N,) float64
        Of the ways along the rows.
    """
    whole = heights_at_wall(0.0, slope, length)
    ratio = np.where(np.abs(whole) > _SLIGHT * length, edge / np.where(whole == 0, 1, whole), 1.0)
    is_down = rows[-1, :, 1] < rows[0, :, 1]
    over = rows[..., 1] - base - ratio * heights_at_wall(0.0, slopes, length)
    beyond = (over[1:] > 0) != is_down
    # The first row that lies beyond; where none does, the last one.
    after = np.where(beyond.any(axis=0), beyond.argmax(axis=0), len(beyond) - 1)
    each = np.arange(len(edge))
    low, high = after / len(beyond), (after + 1) / len(beyond)
    under, above = over[after, each], over[after + 1, each]
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        over = _along(rows[..., 1], middle) - base - ratio * heights_at_wall(0.0, _along(slopes, middle), length)
        is_beyond = (over > 0) != is_down
        low, under = np.where(is_beyond, low, middle), np.where(is_beyond, under, over)
        high, above = np.where(is_beyond, middle, high), np.where(is_beyond, over, above)
    # Between two places so near to each other the surface is as good as straight.
    apart = above - under
    share = np.where(apart == 0, 1.0, -under / np.where(apart == 0, 1.0, apart))
    share = low + (high - low) * np.clip(share, 0, 1)
    return _along(rows, share), share


class _Wall:
    """The wall of a cavity, along which points are taken up and down."""

    def __init__(self, cavity: Cavity):
        vessel = cavity.vessel
        self.vertices, self.triangles, self.scene = vessel.vertices, vessel.triangles, vessel.rays

    def climb(self, start: np.ndarray, normal: np.ndarray, height: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Rows of points from some of the wall to heights on it, and the normals there.

        Parameters
        ----------
        start, normal : (N, 3) float64
            Points and wall normals.
        height : (N,) float64
            Heights, mm.

        Returns
        -------
        (K, N, 3) float64, (K, N, 3) float64
        """
        out = -normal[:, [0, 2]]
        out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-9)
        way = np.zeros((len(start), 3))
        way[:, [0, 2]] = out
        rise = (height - start[:, 1]) / _STEPS
        rows, normals = [start], [normal]
        for _ in range(_STEPS):
            steep = np.maximum(np.hypot(normal[:, 0], normal[:, 2]), _FLATTEST)
            guess = rows[-1] + way * (rise * normal[:, 1] / steep)[:, None]
            guess[:, 1] += rise
            back = 2 * np.abs(rise) + 0.02
            geometry, primitive, _, _, distance = self.scene.intersect(
                np.ascontiguousarray(guess - way * back[:, None], np.float32), np.ascontiguousarray(way, np.float32)
            )
            # Not those of its vertices, which at a rim are those of two faces.
            there = area_vectors(self.vertices[self.triangles[np.maximum(primitive, 0)]])
            there /= np.maximum(np.linalg.norm(there, axis=1, keepdims=True), 1e-12)
            met = (geometry >= 0) & (distance < 2 * back) & ((there * way).sum(axis=1) < 0)
            found = guess + way * (distance - back)[:, None]
            rows.append(np.where(met[:, None], found, guess))
            normal = np.where(met[:, None], there, normal)
            normals.append(normal)
        return np.stack(rows), np.stack(normals)


def _waves(mesh, wetting: Wetting, length: float) -> np.ndarray:
    """Heights of what moves the surface, mm; nothing does at its edge, where a stream lands too near to that."""
    made = _ripples(mesh.points, wetting)
    if wetting.fall is not None:
        landed = landing_heights(mesh.points, wetting.fall, length)
        made += landed * np.clip(mesh.depth / (_AT_EDGE * length), 0, 1)
    return made


def _ripples(points: np.ndarray, wetting: Wetting) -> np.ndarray:
    """Heights of faint waves, mm."""
    if wetting.ripples <= 0:
        return np.zeros(len(points))
    most = _STEEPEST_WAVES * float(np.ptp(points, axis=0).min())
    chance = np.random.default_rng(wetting.seed)
    width = float(np.ptp(points, axis=0).max())
    way, phase = chance.uniform(0, 2 * np.pi, (2, 9))
    waves = width / chance.uniform(2.0, 7.0, 9)
    along = points[:, :1] * np.cos(way) + points[:, 1:] * np.sin(way)
    swell = (np.sin(2 * np.pi * along / waves + phase) * waves / width).sum(axis=1)
    return min(wetting.ripples, most) * swell / max(float(np.abs(swell).max()), 1e-9)
