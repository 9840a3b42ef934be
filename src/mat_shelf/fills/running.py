"""Drops that have grown too heavy and run down a surface: their ways, which are swept, and what stays on these."""

from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.fills.strewing import Strewn, drawn_widths
from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors

_MOST_STEPS = 4000
"""Steps of twice the mean way."""
_WIDTH = 2.2
"""Mean width of what runs, in that of the drops: it took others in."""
_STEEP, _LEVEL = 0.5, 0.25
"""Slopes, as the sine of their angle, on which runs begin and come to rest."""
_TURN, _STAY = 0.35, 0.92
"""How far runs lean aside, and how much of it they keep from step to step."""
_LEFT_WIDTH = 0.22, 0.42
"""Widths of what a run leaves behind, in its own."""
_LEFT_APART = 0.9, 4.0
"""Distances along the way from one to the next of these, in the run's width."""


class Runs(NamedTuple):
    """Drops that ran down.

    drops : Strewn
        The running ones where they came to rest, then the small ones that they left on their way.
    way : (N, 3) float64, mm; places all along the ways
    reach : (N,) float64, mm; how far from each they swept the surface
    heads : int
        Number of running drops, the first of `drops`.
    """

    drops: Strewn
    way: np.ndarray
    reach: np.ndarray
    heads: int


def run_down(
    mesh: Mesh,
    allowed: np.ndarray,
    count: int,
    length: float,
    size: float,
    spread: float,
    seed: int,
    kept_free: np.ndarray | None = None,
    margin: float = 0.0,
    down=(0.0, -1.0, 0.0),
) -> Runs:
    """Drops that run down the steep faces of a mesh, following it, until they have gone far enough or meet an end.

    Parameters
    ----------
    mesh : Mesh
        The surface, mm.
    allowed : (T,) bool
        Faces that they may run over.
    count : int
        Number of runs, at most; fewer begin where little is steep.
    length : float
        Mean length of their ways, mm.
    size, spread : float
        Mean width of the drops around, mm, and standard deviation, of it.
    seed : int
        Seed.
    kept_free : (M, 3) float, optional
        Places that they stop at.
    margin : float
        How far from these, mm.
    down : (3,) float
        Direction of gravity.

    Returns
    -------
    Runs

    Notes
    -----
    That such drops sweep others away and leave small ones in a row behind them is common practice (and Rayleigh's
    instability of the film that they draw out); how often they do is chosen by eye.
    """
    chance, down = np.random.default_rng(seed + 31), np.asarray(down, np.float64)
    marks = cKDTree(kept_free) if kept_free is not None and len(kept_free) else None
    place, normal, face = _beginnings(mesh, allowed, count, chance, down, marks, margin + _WIDTH * size)
    number = len(place)
    if not number:
        return Runs(Strewn(place, normal, np.zeros(0), face), np.zeros((0, 3)), np.zeros(0), 0)
    width = drawn_widths(chance, number, _WIDTH * size, 0.5 * spread, 0.5, 2.0)
    far = length * (0.35 + 1.3 * chance.random(number))
    step = max(0.3 * size, length / _MOST_STEPS * 2)
    scene = Scene([(mesh.vertices, mesh.triangles)])
    aside, going = np.zeros(number), np.ones(number, bool)
    gone, ways = np.zeros(number), [(place.copy(), normal.copy(), face.copy(), going.copy())]
    while going.any():
        aside = _STAY * aside + np.sqrt(1 - _STAY**2) * chance.standard_normal(number)
        along = down - (normal @ down)[:, None] * normal
        along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
        along += _TURN * np.clip(aside, -2, 2)[:, None] * np.cross(normal, along)
        along /= np.linalg.norm(along, axis=1, keepdims=True)
        at, facing, on, is_met = _below(scene, mesh, place + step * along, normal, step)
        slope = np.linalg.norm(down - (facing @ down)[:, None] * facing, axis=1)
        going &= is_met & allowed[on] & (slope > _LEVEL) & ((facing * normal).sum(axis=1) > 0.3) & (gone < far)
        if marks is not None:
            going &= marks.query(at, distance_upper_bound=margin + width.max())[0] > margin + width / 2
        place[going], normal[going], face[going] = at[going], facing[going], on[going]
        gone[going] += step
        ways.append((place.copy(), normal.copy(), face.copy(), going.copy()))
    places, normals, faces, moved = (np.stack(each) for each in zip(*ways, strict=True))
    left = _left_behind(moved, width, step, chance)
    steps, runs = np.nonzero(moved)
    drops = Strewn(
        np.concatenate([place, places[left.step, left.run]]),
        np.concatenate([normal, normals[left.step, left.run]]),
        np.concatenate([width, left.width]),
        np.concatenate([face, faces[left.step, left.run]]),
    )
    return Runs(drops, places[steps, runs], width[runs] / 2, number)


def _beginnings(mesh: Mesh, allowed, count: int, chance, down, marks, margin: float):
    """Places on steep faces, their normals and faces, each as likely as its area."""
    faces = np.flatnonzero(allowed)
    corners = mesh.vertices[mesh.triangles[faces]].astype(np.float64)
    area = np.linalg.norm(area_vectors(corners), axis=1)
    if not count or not area.sum() > 0:
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0, np.int64)
    tries = 8 * count
    share = np.cumsum(area) / area.sum()
    chosen = np.minimum(np.searchsorted(share, chance.random(tries)), len(faces) - 1)
    root, v = np.sqrt(chance.random((tries, 1))), chance.random((tries, 1))
    shares = np.concatenate([1 - root, root * (1 - v), root * v], axis=1)
    places = np.einsum("nk,nkj->nj", shares, corners[chosen])
    normals = np.einsum("nk,nkj->nj", shares, mesh.normals[mesh.triangles[faces[chosen]]])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    may = np.linalg.norm(down - (normals @ down)[:, None] * normals, axis=1) > _STEEP
    if marks is not None:
        may &= marks.query(places, distance_upper_bound=margin)[0] > margin
    kept = np.flatnonzero(may)[:count]
    return places[kept], normals[kept], faces[chosen[kept]]


def _below(scene: Scene, mesh: Mesh, place, normal, step: float):
    """Points of the surface under places near it, their normals and faces, and whether there is one."""
    origin = np.ascontiguousarray(place + 2 * step * normal, np.float32)
    hit, face, u, v, distance = scene.intersect(origin, np.ascontiguousarray(-normal, np.float32))
    is_met = (hit >= 0) & (distance < 4 * step)
    face = np.where(is_met, face, 0).astype(np.int64)
    shares = np.stack([1 - u - v, u, v], axis=1)
    facing = np.einsum("nk,nkj->nj", shares, mesh.normals[mesh.triangles[face]].astype(np.float64))
    facing /= np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-12)
    return place + (2 * step - distance.astype(np.float64))[:, None] * normal, facing, face, is_met


class _Left(NamedTuple):
    """Small drops behind runs: step and run of each, and widths, mm."""

    step: np.ndarray
    run: np.ndarray
    width: np.ndarray


def _left_behind(moved: np.ndarray, width: np.ndarray, step: float, chance) -> _Left:
    steps, runs, widths = [], [], []
    length = (moved.sum(axis=0) - 1) * step
    for run in range(moved.shape[1]):
        most = int(length[run] / (_LEFT_APART[0] * width[run])) + 1
        apart = width[run] * (_LEFT_APART[0] + (_LEFT_APART[1] - _LEFT_APART[0]) * chance.random(most) ** 2)
        at = np.cumsum(apart)
        at = at[at < length[run] - 1.2 * width[run]]
        steps.append((at / step).astype(np.int64))
        runs.append(np.full(len(at), run))
        low, high = _LEFT_WIDTH
        widths.append(width[run] * (low + (high - low) * chance.random(len(at))))
    if not steps:
        return _Left(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))
    return _Left(np.concatenate(steps), np.concatenate(runs), np.concatenate(widths))
