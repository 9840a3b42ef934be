"""Texture coordinates for meshes that have none: cut into charts and laid side by side by xatlas.

xatlas can crash or take for ever on large smooth meshes, so it runs in a process of its own, with a time limit, and
large parts are cut by the direction that their faces look in before.
"""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import xatlas

from mat_shelf.geometry.adjacency import adjacency, face_normals, pieces
from mat_shelf.geometry.mesh import Mesh, MeshError

MOST_TO_CUT = 20_000
"""Faces of the largest mesh that xatlas cuts itself; more are cut by direction, and xatlas only lays the charts."""
PADDING = 2
"""Texels between charts, so that they do not bleed into each other."""
SECONDS = 300.0


def unwrapped(
    mesh: Mesh, texel_mm: float, progress: Callable[[], bool] = lambda: True, seconds: float = SECONDS
) -> tuple[Mesh, int]:
    """The mesh with coordinates in which a texel has the same size everywhere.

    Parameters
    ----------
    texel_mm : float
        Side of a texel on the surface.
    progress : callable () -> bool
        Called several times a second; False cancels.

    Returns
    -------
    mesh : Mesh
        Face for face the same, with `uv`; vertices are doubled at seams.
    pixels : int
        Side of the square picture in which a texel has that size.

    Raises
    ------
    MeshError
        If it cannot be done.
    InterruptedError
        If `progress` said so.
    """
    with tempfile.TemporaryDirectory(prefix="mat-shelf-unwrap-") as folder:
        given, made = Path(folder) / "given.npz", Path(folder) / "made.npz"
        np.savez(given, vertices=mesh.vertices, triangles=mesh.triangles, normals=mesh.normals, texel=texel_mm)
        worker = subprocess.Popen(
            [sys.executable, "-m", "mat_shelf.geometry.unwrap", str(given), str(made)],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        ends = time.monotonic() + seconds
        try:
            while worker.poll() is None:
                time.sleep(0.05)
                if not progress():
                    raise InterruptedError("cancelled")
                if time.monotonic() > ends:
                    raise MeshError(f"unwrapping takes longer than {seconds:.0f} s; choose a larger texel")
        finally:
            if worker.poll() is None:
                worker.kill()
                worker.wait()
        if worker.returncode or not made.exists():
            raise MeshError("this mesh could not be unwrapped; simplify it, or cut it into parts")
        with np.load(made, allow_pickle=False) as arrays:
            source, triangles, uv, pixels = (arrays[name] for name in ("source", "triangles", "uv", "pixels"))
    return Mesh(mesh.vertices[source], triangles, mesh.normals[source], uv), int(pixels)


def charts_by_direction(mesh: Mesh) -> np.ndarray:
    """Chart of each face, (F,) int32: connected faces that look most towards the same of the six main directions."""
    normals = face_normals(mesh)
    way = np.argmax(np.concatenate([normals, -normals], axis=1), axis=1)
    graph = adjacency(mesh)
    return pieces(graph, way[graph.pairs[:, 0]] == way[graph.pairs[:, 1]])


def _flat(mesh: Mesh, chart: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Charts laid flat along their direction: source vertex of each new one, (T, 3) faces, (N, 2) mm."""
    normals = face_normals(mesh)
    axis = np.argmax(np.abs(normals), axis=1)
    first = np.unique(chart, return_index=True)[1]
    axis = axis[first][chart]  # one for the whole chart
    keys = mesh.triangles.astype(np.int64) * (int(chart.max()) + 1) + chart[:, None]
    unique, index = np.unique(keys.reshape(-1), return_inverse=True)
    source = unique // (int(chart.max()) + 1)
    triangles = index.reshape(-1, 3).astype(np.int32)
    corner_axis = np.zeros(len(source), np.int64)
    corner_axis[triangles.reshape(-1)] = np.repeat(axis, 3)
    flat_axes = np.array([[2, 1], [0, 2], [0, 1]])[corner_axis]
    return source, triangles, np.take_along_axis(mesh.vertices[source], flat_axes, axis=1).astype(np.float32)


def _unwrap(mesh: Mesh, texel_mm: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, int]:
    """In this process: source vertex of each new one, faces, coordinates in [0, 1], pixels of the square picture."""
    atlas = xatlas.Atlas()
    options = xatlas.PackOptions()
    options.texels_per_unit, options.padding, options.resolution = 1 / texel_mm, PADDING, 0
    options.create_image = False
    if len(mesh.triangles) <= MOST_TO_CUT:
        atlas.add_mesh(mesh.vertices, mesh.triangles.astype(np.uint32), mesh.normals)
        source = np.arange(len(mesh.vertices))
    else:
        chart = charts_by_direction(mesh)
        source, triangles, flat = _flat(mesh, chart)
        atlas.add_uv_mesh(flat, triangles.astype(np.uint32), chart.astype(np.uint32)[:, None])
    atlas.generate(xatlas.ChartOptions(), options)
    mapping, triangles, uv = atlas[0]
    side = max(atlas.width, atlas.height)
    uv = uv * np.array([atlas.width, atlas.height]) / side
    return source[mapping], triangles.astype(np.int32), uv.astype(np.float32), int(side)


if __name__ == "__main__":
    with np.load(sys.argv[1], allow_pickle=False) as given_:
        mesh_ = Mesh(given_["vertices"], given_["triangles"], given_["normals"])
        texel_ = float(given_["texel"])
    source_, triangles_, uv_, pixels_ = _unwrap(mesh_, texel_)
    if len(triangles_) != len(mesh_.triangles):
        sys.exit(3)
    np.savez(sys.argv[2], source=source_, triangles=triangles_, uv=uv_, pixels=pixels_)
