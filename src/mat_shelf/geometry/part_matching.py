"""Which part of a new model is which of the old one, and which of its faces lie where the old ones lay."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linear_sum_assignment
from scipy.spatial import cKDTree

from mat_shelf.geometry.adjacency import face_areas, face_normals
from mat_shelf.geometry.mesh import Mesh

ALIKE = 0.12
"""How far two parts may differ, in size, area and place, and still be taken for one another."""
SHAPE_SAMPLES = 200_000


@dataclass(frozen=True)
class Shape:
    """Features that a part is recognised by: (3,) middle and size of its box, mm, and its area, mm2."""

    middle: np.ndarray
    size: np.ndarray
    area: float


def shape_of(mesh: Mesh) -> Shape:
    """Features of a mesh.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    Shape
    """
    low, high = mesh.bounds.astype(np.float64)
    return Shape((low + high) / 2, high - low, float(face_areas(mesh).sum()))


def match_parts(
    old_names: Sequence[str], old: Sequence[Shape], new_names: Sequence[str], new: Sequence[Shape]
) -> tuple[dict[int, int], dict[int, int]]:
    """Pairs of parts: by name first, then by shape and place.

    Parameters
    ----------
    old_names : sequence of str
        Older names.
    old : sequence of Shape
        Parts of the older model.
    new_names : sequence of str
        Newer names.
    new : sequence of Shape
        Parts of the newer model.

    Returns
    -------
    by_name, by_shape : dict
        Place of an old part by that of a new one.
    """
    places: dict[str, list[int]] = {}
    for place, name in enumerate(old_names):
        places.setdefault(name.strip().casefold(), []).append(place)
    by_name: dict[int, int] = {}
    for place, name in enumerate(new_names):
        same = places.get(name.strip().casefold())
        if same:
            by_name[place] = same.pop(0)
    left_new = [k for k in range(len(new)) if k not in by_name]
    left_old = sorted(set(range(len(old))) - set(by_name.values()))
    if not left_new or not left_old:
        return by_name, {}
    whole = max(float(np.ptp([s.middle for s in old], axis=0).max() + max(s.size.max() for s in old)), 1e-9)
    cost = np.array([[_difference(new[a], old[b], whole) for b in left_old] for a in left_new])
    rows, columns = linear_sum_assignment(np.minimum(cost, 10.0))
    by_shape = {left_new[r]: left_old[c] for r, c in zip(rows, columns, strict=True) if cost[r, c] <= ALIKE}
    return by_name, by_shape


def _difference(one: Shape, other: Shape, whole: float) -> float:
    size = np.abs(one.size - other.size).max() / max(float(other.size.max()), 1e-9)
    area = abs(one.area - other.area) / max(one.area, other.area, 1e-9)
    place = float(np.linalg.norm(one.middle - other.middle)) / whole
    return max(size, area / 2, place)


def transfer_labels(old: Mesh, labels: np.ndarray, new: Mesh, seed: int = 1) -> np.ndarray:
    """Gives each face of a new mesh the label of the old surface nearest to it that looks the same way.

    Parameters
    ----------
    old : Mesh
        Older mesh.
    labels : (T_old,) int
    new : Mesh
        In the same place as the old one.
    seed : int
        Seed of the places that are compared.

    Returns
    -------
    (T_new,) int
    """
    rng = np.random.default_rng(seed)
    areas = face_areas(old)
    # Points strewn over the old surface: its faces may be far larger than the new ones, or smaller.
    strewn = rng.choice(len(areas), SHAPE_SAMPLES, p=areas / areas.sum())
    faces = np.concatenate([np.arange(len(areas)), strewn])
    u, v = rng.random((2, len(faces)))
    u[: len(areas)] = v[: len(areas)] = 1 / 3
    flip = u + v > 1
    u[flip], v[flip] = 1 - u[flip], 1 - v[flip]
    corners = old.vertices[old.triangles[faces]].astype(np.float64)
    points = corners[:, 0] + u[:, None] * (corners[:, 1] - corners[:, 0]) + v[:, None] * (corners[:, 2] - corners[:, 0])
    middles = new.vertices[new.triangles].mean(axis=1).astype(np.float64)
    near = cKDTree(points).query(middles, k=8)[1]
    facing = np.einsum("ikj,ij->ik", face_normals(old)[faces][near], face_normals(new))
    # The nearest that looks the same way; where none does, the nearest.
    best = near[np.arange(len(near)), np.argmax(facing > 0.5, axis=1)]
    return labels[faces[best]]
