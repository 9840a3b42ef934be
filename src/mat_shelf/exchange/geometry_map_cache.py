"""Geometry maps kept in the user's cache, by what they are of."""

import hashlib
import io
import zipfile
import zlib
from pathlib import Path

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.scene.geometry_maps import (
    GeometryMap,
    GeometryMapKey,
    make_geometry_map,
)
from mat_shelf.system.file_writer import write_file
from mat_shelf.system.user_folders import cache_root

_VERSION = 1
"""Raised whenever maps are made another way."""


def _path(key: GeometryMapKey) -> Path:
    name = hashlib.sha256(repr((_VERSION, *key)).encode()).hexdigest()[:32]
    return cache_root() / "shape-maps" / f"{name}.npz"


def geometry_map(mesh: Mesh, key: GeometryMapKey, progress=lambda done, total: True, others=None) -> GeometryMap:
    """A geometry map, made if it is not kept yet; see `scene.geometry_maps.make_geometry_map`.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    key : GeometryMapKey
        Key of the map.
    progress : callable (done, total) -> bool
        Told now and then; False cancels.
    others : (M, 3) float32 or None
        Places on other parts, in the frame of this one, mm.

    Returns
    -------
    GeometryMap
    """
    path = _path(key)
    try:
        with np.load(path, allow_pickle=False) as kept:
            found = GeometryMap(kept["first"], kept["count"], kept["values"])
        if len(found.first) == len(mesh.triangles):
            return found
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error, NotImplementedError):
        pass  # not kept, or damaged: it is made again
    made = make_geometry_map(mesh, key, progress, others)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        out = io.BytesIO()
        np.savez(out, **made._asdict())
        write_file(path, out)
    except OSError:
        pass  # a full disk costs time at the next start, nothing more
    return made
