"""Drops strewn over a surface: how many, how large and where, none in the room of another."""

from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors
from mat_shelf.numerics.hashed_noise import gradient_noise, smooth
from mat_shelf.numerics.kernels import F, kernel

MOST_DROPS = 200_000
_TRIES = 8
"""Places that are tried for a drop, one after the other."""
_LARGEST = 3.0
"""Widest drop, of their mean width."""
_HAIR = 0.03
"""Of its width, by which a drop reaches into what it lies on, beside what the bulge of that asks for."""
_BEGINS = 1e-5
"""Of the size of the host, at which rays into its wall begin."""
_MOST_SHEAR = 0.6
_WATER = 2.727
"""mm; capillary length of water."""


class Strewn(NamedTuple):
    """Drops on a surface.

    foot : (N, 3) float64, mm; the middles of their feet
    normal : (N, 3) float64
    width : (N,) float64, mm; at its widest
    face : (N,) int64, of the mesh
    """

    foot: np.ndarray
    normal: np.ndarray
    width: np.ndarray
    face: np.ndarray


def expected_count(mesh: Mesh, allowed: np.ndarray, density: float) -> int:
    """Number of drops that a density asks for, before patches and what is kept free.

    Parameters
    ----------
    mesh : Mesh
        The surface, mm.
    allowed : (T,) bool
        Faces that they may lie on.
    density : float
        Drops a cm2.

    Returns
    -------
    int
    """
    area = np.linalg.norm(area_vectors(mesh.vertices[mesh.triangles[allowed]].astype(np.float64)), axis=1)
    return int(area.sum() / 100 * density)


def strew(
    mesh: Mesh,
    allowed: np.ndarray,
    density: float,
    size: float,
    spread: float,
    spacing: float,
    patches: float,
    patch_size: float,
    seed: int,
    kept_free: np.ndarray | None = None,
    margin: float = 0.0,
    swept: tuple[np.ndarray, np.ndarray] | None = None,
) -> Strewn:
    """Drops strewn over the faces of a mesh, the large ones first.

    Parameters
    ----------
    mesh : Mesh
        The surface, mm.
    allowed : (T,) bool
        Faces that they may lie on.
    density : float
        Drops a cm2, at most `MOST_DROPS` of them together.
    size, spread : float
        Mean width, mm, and standard deviation, of it; widths are spread log-normally.
    spacing : float
        Least distance of two drops, of their mean width.
    patches, patch_size : float
        How unevenly they gather, [0, 1], and width of patches, mm.
    seed : int
        Seed.
    kept_free : (M, 3) float, optional
        Places from which drops keep away.
    margin : float
        How far, mm.
    swept : ((M, 3) float, (M,) float), optional
        Places where others ran, and how far from each they took all with them, mm.

    Returns
    -------
    Strewn
    """
    faces = np.flatnonzero(allowed)
    corners = mesh.vertices[mesh.triangles[faces]].astype(np.float64)
    area = np.linalg.norm(area_vectors(corners), axis=1)
    count = min(expected_count(mesh, allowed, density), MOST_DROPS)
    nothing = Strewn(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.int64))
    if not count or not area.sum() > 0:
        return nothing
    chance = np.random.default_rng(seed)
    drawn = chance.random((count, _TRIES, 3))
    width = drawn_widths(chance, count, size, spread, 1 / 20, _LARGEST)
    order = np.argsort(-width, kind="stable")
    drawn, width = drawn[order], width[order]
    share = np.cumsum(area) / area.sum()
    chosen = np.minimum(np.searchsorted(share, drawn[..., 0].reshape(-1)), len(faces) - 1)
    root = np.sqrt(drawn[..., 1].reshape(-1, 1))
    v = drawn[..., 2].reshape(-1, 1) * root
    shares = np.concatenate([1 - root, root - v, v], axis=1)
    places = np.einsum("nk,nkj->nj", shares, corners[chosen])
    may_lie = np.ones(len(places), bool)
    if patches > 0:
        wanted = np.empty(len(places), np.float32)
        patchiness(np.float32(places / patch_size), np.uint32(seed), wanted)
        # The same number for all tries of a drop, so that patches stay empty between drops.
        luck = np.repeat(chance.random(count)[order], _TRIES)
        may_lie &= luck < 1 - patches + patches * wanted
    if kept_free is not None and len(kept_free):
        reach = margin + np.repeat(width, _TRIES) / 2
        may_lie &= cKDTree(kept_free).query(places, distance_upper_bound=margin + width[0])[0] > reach
    if swept is not None and len(swept[0]):
        away, nearest = cKDTree(swept[0]).query(places, distance_upper_bound=swept[1].max() + width[0])
        may_lie &= away > np.append(swept[1], 0)[nearest] + np.repeat(width, _TRIES) / 2
    kept = settle(places.reshape(count, _TRIES, 3), may_lie.reshape(count, _TRIES), width, spacing)
    lies = np.flatnonzero(kept >= 0)
    taken = lies * _TRIES + kept[lies]
    normals = np.einsum("nk,nkj->nj", shares[taken], mesh.normals[mesh.triangles[faces[chosen[taken]]]])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    return Strewn(places[taken], normals, width[lies], faces[chosen[taken]])


def drawn_widths(
    chance: np.random.Generator, count: int, size: float, spread: float, least: float, most: float
) -> np.ndarray:
    """Widths of drops or bubbles, log-normal: many small beside few large.

    Parameters
    ----------
    chance : Generator
        Random numbers.
    count : int
        Number of widths.
    size, spread : float
        Mean, and standard deviation of it.
    least, most : float
        Bounds, of the mean.

    Returns
    -------
    (count,) float64
    """
    deviation = np.sqrt(np.log1p(spread**2))
    width = size * np.exp(deviation * chance.standard_normal(count) - deviation**2 / 2)
    return np.clip(width, least * size, most * size)


def settle(places: np.ndarray, may_lie: np.ndarray, width: np.ndarray, spacing: float) -> np.ndarray:
    """Things laid down one after the other, each at the first of its tries that is free.

    Parameters
    ----------
    places : (N, K, 3) float64
        Tries, mm.
    may_lie : (N, K) bool
        Tries that are allowed.
    width : (N,) float64
        Widths, the largest first, mm.
    spacing : float
        Least distance, of two things' mean width.

    Returns
    -------
    (N,) int32
        The try that each lies at; -1 for none.
    """
    count = len(width)
    kept, following = np.empty(count, np.int32), np.empty(count, np.int32)
    heads = np.full(1 << int(np.ceil(np.log2(2 * count + 16))), -1, np.int32)
    _settle(places, may_lie, width, spacing, spacing * width[0], heads, following, kept)
    return kept


@kernel
def patchiness(places, seed, out):
    """Likelihood that drops or bubbles are at places, in patches with clear room between them.

    Parameters
    ----------
    places : (N, 3) float32
        Places, in widths of a patch.
    seed : uint32
        Seed.
    out : (N,) float32, written
        From 0 to 1.
    """
    for i in range(places.shape[0]):
        x, y, z = places[i, 0], places[i, 1], places[i, 2]
        noise = gradient_noise(x, y, z, seed, np.int32(0))
        fine = gradient_noise(x * F(2.7) + F(11), y * F(2.7), z * F(2.7), seed, np.int32(0))
        out[i] = smooth(F(-0.12), F(0.22), noise + F(0.35) * fine)


@kernel
def _settle(places, may_lie, width, spacing, cell, heads, following, kept):
    """Lays drops down one after the other where none is in the way, the first of their tries that is free.

    Parameters
    ----------
    places : (N, K, 3) float64
        Tries, mm.
    may_lie : (N, K) bool
        Tries that are allowed.
    width : (N,) float64
        Widths, the largest first, mm.
    spacing, cell : float
        Least distance, of two drops' mean width; side of the cells of the grid, mm, no less than that of two largest.
    heads, following : (2**k,), (N,) int32
        Memory of the grid: the last drop in each cell, and the one before each.
    kept : (N,) int32, written
        The try that each drop lies at; -1 for none.
    """
    mask = heads.shape[0] - 1
    for i in range(places.shape[0]):
        kept[i] = -1
        for k in range(places.shape[1]):
            if not may_lie[i, k]:
                continue
            x, y, z = places[i, k, 0], places[i, k, 1], places[i, k, 2]
            cx, cy, cz = int(np.floor(x / cell)), int(np.floor(y / cell)), int(np.floor(z / cell))
            is_free = True
            for dx in range(-1, 2):
                for dy in range(-1, 2):
                    for dz in range(-1, 2):
                        slot = ((cx + dx) * 73856093 ^ (cy + dy) * 19349663 ^ (cz + dz) * 83492791) & mask
                        j = heads[slot]
                        while j >= 0 and is_free:
                            q = kept[j]
                            ax, ay, az = places[j, q, 0] - x, places[j, q, 1] - y, places[j, q, 2] - z
                            least = spacing * 0.5 * (width[i] + width[j])
                            is_free = ax * ax + ay * ay + az * az >= least * least
                            j = following[j]
            if is_free:
                kept[i] = k
                slot = (cx * 73856093 ^ cy * 19349663 ^ cz * 83492791) & mask
                following[i] = heads[slot]
                heads[slot] = i
                break


def drops(mesh: Mesh, strewn: Strewn, contact_angle: float, sag: float, seed: int, down=(0.0, -1.0, 0.0)) -> Caps:
    """Drops as caps: round where they are small, flattened and drawn down the slope by their weight where large.

    Parameters
    ----------
    mesh : Mesh
        The surface, mm.
    strewn : Strewn
        Where they lie.
    contact_angle : float
        Between surface and foot, in the drop, degrees.
    sag : float
        Factor of their weight; 1 as water.
    seed : int
        Seed of how far their feet are from round.
    down : (3,) float
        Direction of gravity.

    Returns
    -------
    Caps

    References
    ----------
    De Gennes et al. 2004, Capillarity and Wetting Phenomena, ch. 2: puddles are 2 a sin(angle / 2) high; drops lean
    with the Bond number. How far an amount of leaning shears a cap is common practice.
    """
    count, angle = len(strewn.width), np.radians(contact_angle)
    normal, width = strewn.normal, strewn.width
    radius = width / 2 / np.sin(min(angle, np.pi / 2))
    foot = radius * np.sin(angle)
    height = radius * (1 - np.cos(angle))
    flat = np.minimum(1.0, 2 * _WATER / np.sqrt(max(sag, 1e-3)) * np.sin(angle / 2) / height)
    down = np.asarray(down, np.float64)
    along = down - (normal @ down)[:, None] * normal
    slope = np.linalg.norm(along, axis=1)
    chance = np.random.default_rng(seed + 7)
    turned = chance.standard_normal((count, 3))
    turned -= (turned * normal).sum(axis=1, keepdims=True) * normal
    y = np.where(slope[:, None] > 0.05, -along, turned)
    y /= np.maximum(np.linalg.norm(y, axis=1, keepdims=True), 1e-12)
    x = np.cross(y, normal)
    shear = np.minimum(0.9 * sag * (width / 2 / _WATER) ** 2 * slope, _MOST_SHEAR)
    oval = 1 + 0.12 * np.clip(chance.standard_normal(count), -1.5, 1.5)
    axes = np.empty((count, 3, 3))
    axes[:, 0] = x * (radius * np.sqrt(1 / oval))[:, None]
    axes[:, 1] = y * (radius * np.sqrt(oval) * (1 + 0.5 * shear))[:, None]
    axes[:, 2] = (normal * flat[:, None] - y * shear[:, None]) * radius[:, None]
    centre = strewn.foot - np.cos(angle) * axes[:, 2]
    # Not quite alike, so that no two feet that overlap lie in one plane, where a ray would leave both at once.
    deep = _depth(mesh, strewn, foot) * (1 - 0.25 * chance.random(count))
    cut = np.clip(np.cos(angle) - deep / np.maximum(radius * flat, 1e-9), -0.995, 0.999)
    return Caps(np.float32(centre), np.float32(axes), np.float32(cut))


def _depth(mesh: Mesh, strewn: Strewn, foot: np.ndarray) -> np.ndarray:
    """Depths to which drops reach into what they lie on: past its bulge under them, and a third of its wall at most."""
    corners = mesh.vertices[mesh.triangles[strewn.face]].astype(np.float64)
    normals = mesh.normals[mesh.triangles[strewn.face]].astype(np.float64)
    sides = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
    bend = np.linalg.norm(normals - np.roll(normals, 1, axis=1), axis=2)
    curvature = (bend / np.maximum(sides, 1e-6)).max(axis=1)
    bulge = np.minimum(curvature * foot**2 / 2, foot)
    scene = Scene([(mesh.vertices, mesh.triangles)])
    start = strewn.foot - strewn.normal * _BEGINS * float(np.ptp(mesh.bounds, axis=0).max())
    hits = scene.intersect(np.ascontiguousarray(start, np.float32), np.ascontiguousarray(-strewn.normal, np.float32))
    wall = np.where(hits[0] >= 0, hits[4], np.inf)
    return np.minimum(bulge + _HAIR * 2 * foot, wall / 3)
