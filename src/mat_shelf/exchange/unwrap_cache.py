"""Texture coordinates of parts that have none, kept in the user's cache: the same for maps of any size."""

import hashlib
import io
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np

from mat_shelf.geometry.adjacency import face_areas
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.unwrap import unwrap
from mat_shelf.system.file_writer import write_file
from mat_shelf.system.user_folders import cache_root

_VERSION = 1
"""Raised whenever coordinates are made another way."""
_TEXELS = 1024
"""Texels along a side of the map that charts are laid apart for."""
FILLED = 0.64
"""Share of a square atlas that charts usually cover."""


def unwrapped(mesh: Mesh, key: str, progress: Callable[[], bool] = lambda: True) -> Mesh:
    """A mesh with texture coordinates in the unit square.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    key : str
        SHA-256 of its file.
    progress : callable () -> bool
        False cancels.

    Returns
    -------
    Mesh
        Face for face the same; vertices are doubled at seams.

    Raises
    ------
    MeshError
        If it cannot be done.
    InterruptedError
        If `progress` said so.
    """
    path = _path(key)
    try:
        with np.load(path, allow_pickle=False) as kept:
            found = Mesh(kept["vertices"], kept["triangles"], kept["normals"], kept["uv"])
        if _fits(found, mesh):
            return found
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error, NotImplementedError):
        pass  # not kept, or damaged: it is made again
    made, _ = unwrap(mesh, float(face_areas(mesh).sum() / FILLED) ** 0.5 / _TEXELS, progress)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        out = io.BytesIO()
        np.savez(out, vertices=made.vertices, triangles=made.triangles, normals=made.normals, uv=made.uv)
        write_file(path, out)
    except OSError:
        pass  # a full disk costs time at the next export, nothing more
    return made


def _path(key: str) -> Path:
    name = hashlib.sha256(f"{_VERSION} {key}".encode()).hexdigest()[:32]
    return cache_root() / "unwrapped" / f"{name}.npz"


def _fits(found: Mesh, mesh: Mesh) -> bool:
    """True if what was kept is the mesh, with coordinates."""
    same_faces = found.triangles.shape == mesh.triangles.shape and found.uv.shape == (len(found.vertices), 2)
    if not same_faces or len(found.triangles) == 0 or int(found.triangles.max()) >= len(found.vertices):
        return False
    corners = found.vertices[found.triangles[:, 0]], mesh.vertices[mesh.triangles[:, 0]]
    return bool(np.isfinite(found.uv).all() and np.allclose(*corners, atol=1e-4))
