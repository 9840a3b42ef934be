"""Geometry maps kept in the user's cache, by what they are of."""

import hashlib
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.atomic import write_atomically
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.rendering.shape_maps import ShapeKey, ShapeMap, make_map, needed_maps, others_near

_VERSION = 1
"""Raised whenever maps are made another way."""


def _path(key: ShapeKey) -> Path:
    name = hashlib.sha256(repr((_VERSION, *key)).encode()).hexdigest()[:32]
    return user_cache_path("mat-shelf") / "shape-maps" / f"{name}.npz"


def shape_map(mesh: Mesh, key: ShapeKey, progress=lambda done, total: True, others=None) -> ShapeMap:
    """A geometry map, made if it is not kept yet; see `rendering.shape_maps.make_map`."""
    path = _path(key)
    try:
        with np.load(path, allow_pickle=False) as kept:
            found = ShapeMap(kept["first"], kept["count"], kept["values"])
        if len(found.first) == len(mesh.triangles):
            return found
    except (OSError, ValueError, KeyError, EOFError):
        pass  # not kept, or damaged: it is made again
    made = make_map(mesh, key, progress, others)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(path, lambda temporary: _save(temporary, made))
    except OSError:
        pass  # a full disk costs time at the next start, nothing more
    return made


def fill_shape_maps(project: Project, assets: Assets, progress=lambda done, total: True) -> None:
    """Sees to it that the assets have every geometry map that a project needs. Raises InterruptedError."""
    for key in needed_maps(project):
        if key not in assets.shape_maps:
            assets.shape_maps[key] = shape_map(
                assets.meshes[key.mesh], key, progress, others_near(project, assets.meshes, key)
            )


def _save(path: Path, made: ShapeMap) -> None:
    with path.open("wb") as file:
        np.savez(file, **made._asdict())
