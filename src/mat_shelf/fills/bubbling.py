"""Bubbles of air in a liquid: in its body, on its wall, round its edge, and in trails from its bottom."""

from typing import NamedTuple

import numpy as np

from mat_shelf.fills.cavity import MM3_PER_ML, Cavity
from mat_shelf.fills.liquid import LiquidBody
from mat_shelf.fills.strewing import MOST_DROPS, drawn_widths, patchiness, strew
from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors, triangle_normals

_ROUNDS = 12
"""Times that places which are not in the liquid are drawn again."""
_CLINGS, _AT_EDGE, _BELOW = 0.85, 0.9, 0.8
"""Radii by which bubbles keep from the wall they cling to, from the wall at the edge, and below the surface."""
_BETWEEN = (2.2, 4.0)
"""Widths from one bubble of a trail to the next, at the bottom and above: they go faster as they rise."""
_GROWTH = (0.55, 1.25)
"""Widths at the bottom and at the surface, of the mean one."""
_LARGEST = 3.0


class Amounts(NamedTuple):
    """Numbers of bubbles.

    body : float, in a ml
    wall : float, on a cm2
    edge : float, on a cm
    trails : int
    size, spread : float; mean width, mm, and standard deviation, of it
    patches, patch_size : float; unevenness, [0, 1], and mm
    seed : int
    """

    body: float
    wall: float
    edge: float
    trails: int
    size: float
    spread: float
    patches: float
    patch_size: float
    seed: int


def bubbles(body: LiquidBody, wall: Mesh, amounts: Amounts) -> Caps:
    """Bubbles of a liquid, as whole spheres in its frame, in which y is up.

    Parameters
    ----------
    body : LiquidBody
        The liquid.
    wall : Mesh
        The faces that it wets, looking into it; some may reach out of it.
    amounts : Amounts
        How many of each kind, and how large.

    Returns
    -------
    Caps
    """
    chance = np.random.default_rng(amounts.seed)
    kinds = (
        _in_body(body, amounts, chance),
        _on_wall(wall, body, amounts),
        _at_edge(body, amounts, chance),
        _in_trails(wall, body, amounts, chance),
    )
    centre = np.concatenate([places for places, _ in kinds])[:MOST_DROPS]
    radius = np.concatenate([radii for _, radii in kinds])[:MOST_DROPS]
    axes = np.eye(3)[None] * radius[:, None, None]
    return Caps(np.float32(centre), np.float32(axes), np.full(len(centre), -2.0, np.float32))


def _radii(amounts: Amounts, count: int, chance: np.random.Generator) -> np.ndarray:
    return drawn_widths(chance, count, amounts.size, amounts.spread, 1 / 20, _LARGEST) / 2


def _in_body(body: LiquidBody, amounts: Amounts, chance: np.random.Generator):
    """Bubbles all through a liquid, below its surface by their radius."""
    count = min(int(amounts.body * body.volume / MM3_PER_ML), MOST_DROPS)
    radius = _radii(amounts, count, chance)
    places, is_found = np.zeros((count, 3)), np.zeros(count, bool)
    low, high = body.mesh.bounds.astype(np.float64)
    scene = Scene([(body.mesh.vertices, body.mesh.triangles)], is_robust=True)
    facing = area_vectors(body.mesh.vertices[body.mesh.triangles])
    luck = chance.random(count)
    for _ in range(_ROUNDS):
        wanted = np.flatnonzero(~is_found)
        if not len(wanted):
            break
        tried = low + chance.random((len(wanted), 3)) * (high - low)
        upwards = np.tile(np.float32([0, 1, 0]), (len(wanted), 1))
        geometry, primitive, _, _, distance = scene.intersect(np.ascontiguousarray(tried, np.float32), upwards)
        inside = (geometry >= 0) & (facing[np.maximum(primitive, 0), 1] > 0) & (distance > radius[wanted])
        if amounts.patches > 0:
            even = np.empty(len(tried), np.float32)
            patchiness(np.float32(tried / amounts.patch_size), np.uint32(amounts.seed), even)
            inside &= luck[wanted] < 1 - amounts.patches + amounts.patches * even
        places[wanted[inside]] = tried[inside]
        is_found[wanted[inside]] = True
    return places[is_found], radius[is_found]


def wetted_wall(cavity: Cavity, level: float) -> Mesh:
    """The faces of a cavity that liquid up to a level wets, looking into it; some reach out of it.

    Parameters
    ----------
    cavity : Cavity
        The cavity that the liquid stands in.
    level : float
        Height of its surface, mm.

    Returns
    -------
    Mesh
    """
    vessel = cavity.vessel
    wet = (cavity.reached <= level)[vessel.triangles].any(axis=1)
    corners = vessel.vertices[vessel.triangles[wet]]
    normals = np.repeat(triangle_normals(corners), 3, axis=0)
    faces = np.arange(3 * len(corners), dtype=np.int32).reshape(-1, 3)
    return Mesh(np.float32(corners.reshape(-1, 3)), faces, np.float32(normals))


def _on_wall(wall: Mesh, body: LiquidBody, amounts: Amounts):
    """Bubbles that cling to the wall."""
    if not len(wall.triangles) or not amounts.wall:
        return np.zeros((0, 3)), np.zeros(0)
    every = np.ones(len(wall.triangles), bool)
    unevenness = amounts.patches, amounts.patch_size, amounts.seed
    lying = strew(wall, every, amounts.wall, amounts.size, amounts.spread, 1.05, *unevenness)
    radius = lying.width / 2
    below = lying.foot[:, 1] + radius < body.level
    return (lying.foot + lying.normal * (_CLINGS * radius)[:, None])[below], radius[below]


def _at_edge(body: LiquidBody, amounts: Amounts, chance: np.random.Generator):
    """Bubbles that have risen and were drawn to the edge."""
    if not body.contact_lines:
        return np.zeros((0, 3)), np.zeros(0)
    points = np.concatenate([line for line, _ in body.contact_lines])
    ahead = np.concatenate([np.roll(line, -1, axis=0) for line, _ in body.contact_lines])
    inwards = np.concatenate([way for _, way in body.contact_lines])
    side = np.linalg.norm(ahead - points, axis=1)
    along = np.concatenate([[0], np.cumsum(side)])
    count = min(int(amounts.edge * along[-1] / 10), MOST_DROPS)
    at = chance.random(count) * along[-1]
    first = np.clip(np.searchsorted(along, at, side="right") - 1, 0, len(side) - 1)
    share = ((at - along[first]) / np.maximum(side[first], 1e-9))[:, None]
    place = points[first] * (1 - share) + ahead[first] * share
    radius = _radii(amounts, count, chance)
    away = radius * (_AT_EDGE + 1.6 * chance.random(count) ** 3)  # most of them touch it
    place = place + inwards[first] * away[:, None]
    place[:, 1] -= _BELOW * radius + 0.7 * (away - _AT_EDGE * radius)
    return place, radius


def _in_trails(wall: Mesh, body: LiquidBody, amounts: Amounts, chance: np.random.Generator):
    """Bubbles one behind the other, from places on the bottom up to the surface."""
    facing = area_vectors(wall.vertices[wall.triangles].astype(np.float64))
    area = np.linalg.norm(facing, axis=1)
    share = np.where(facing[:, 1] > 0.6 * area, area, 0.0)
    nothing = np.zeros((0, 3)), np.zeros(0)
    if not amounts.trails or not share.sum() > 0:
        return nothing
    chosen = chance.choice(len(share), amounts.trails, p=share / share.sum())
    root = np.sqrt(chance.random((amounts.trails, 1)))
    v = chance.random((amounts.trails, 1)) * root
    corners = wall.vertices[wall.triangles[chosen]].astype(np.float64)
    feet = corners[:, 0] * (1 - root) + corners[:, 1] * (root - v) + corners[:, 2] * v
    places, radii = [], []
    for foot in feet:
        own = amounts.size * chance.uniform(0.6, 1.3)
        gap = own * chance.uniform(*_BETWEEN)
        count = min(max(int((body.level - foot[1]) / gap), 0), MOST_DROPS // amounts.trails)
        height = np.cumsum(gap * np.linspace(0.6, 1.4, count))
        height = height[foot[1] + height < body.level - own]
        if not len(height):
            continue
        risen = height / max(body.level - foot[1], 1e-6)
        sway = own * 0.5 * risen
        phase = chance.uniform(0, 2 * np.pi, 2)
        way = np.stack(
            [np.cos(height / (6 * own) + phase[0]), np.zeros(len(height)), np.sin(height / (5 * own) + phase[1])], 1
        )
        places.append(foot + sway[:, None] * way + height[:, None] * (0, 1, 0))
        grown = _GROWTH[0] + (_GROWTH[1] - _GROWTH[0]) * risen
        radii.append(own / 2 * grown * chance.uniform(0.9, 1.1, len(height)))
    return (np.concatenate(places), np.concatenate(radii)) if places else nothing
