"""Texture coordinates for meshes that have none: cut into charts and laid side by side by xatlas.

xatlas can crash or take for ever on large smooth meshes, so it runs in a process of its own, with a time limit, and
large parts are cut by the direction that their faces look in before.
"""

from collections.abc import Callable

import numpy as np
import xatlas

from mat_shelf.geometry.adjacency import adjacency, connected_pieces, face_normals
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.system.bounded import FaultError, LimitError, Limits, TooLongError, run_bounded

MOST_TO_CUT = 20_000
"""Faces of the largest mesh that xatlas cuts itself; more are cut by direction, and xatlas only lays the charts."""
PADDING = 2
"""Texels between charts, so that they do not bleed into each other."""
SECONDS = 300.0
_MEMORY = 8 << 30


def unwrap(
    mesh: Mesh, texel_mm: float, progress: Callable[[], bool] = lambda: True, seconds: float = SECONDS
) -> tuple[Mesh, int]:
    """The mesh with coordinates in which a texel has the same size everywhere.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    texel_mm : float
        Side of a texel on the surface.
    progress : callable () -> bool
        Called several times a second; False cancels.
    seconds : float
        Time limit.

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
    limits = Limits(_MEMORY, _MEMORY, seconds)
    arrays = (mesh.vertices, mesh.triangles, mesh.normals)
    try:
        source, triangles, uv, pixels = run_bounded(
            _unwrap, *arrays, texel_mm, limits=limits, progress=lambda _: progress()
        )
    except TooLongError:
        raise MeshError(f"unwrapping takes longer than {seconds:.0f} s; choose a larger texel") from None
    except (FaultError, LimitError):
        raise MeshError("this mesh could not be unwrapped; simplify it, or cut it into parts") from None
    return Mesh(mesh.vertices[source], triangles, mesh.normals[source], uv), int(pixels)


def charts_by_direction(mesh: Mesh) -> np.ndarray:
    """Chart of each face, (F,) int32: connected faces that look most towards the same of the six main directions.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.

    Returns
    -------
    (F,) int32
    """
    normals = face_normals(mesh)
    way = np.argmax(np.concatenate([normals, -normals], axis=1), axis=1)
    graph = adjacency(mesh)
    return connected_pieces(graph, way[graph.pairs[:, 0]] == way[graph.pairs[:, 1]])


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


def _unwrap(vertices, triangles, normals, texel_mm: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, int]:
    """In the other process: source vertex of each new one, faces, coordinates in [0, 1], pixels of the square picture.

    Raises
    ------
    MeshError
        If faces were lost.
    """
    mesh = Mesh(vertices, triangles, normals)
    atlas = xatlas.Atlas()
    options = xatlas.PackOptions()
    options.texels_per_unit, options.padding, options.resolution = 1 / texel_mm, PADDING, 0
    options.create_image = False
    if len(mesh.triangles) <= MOST_TO_CUT:
        atlas.add_mesh(mesh.vertices, mesh.triangles.astype(np.uint32), mesh.normals)
        source = np.arange(len(mesh.vertices))
    else:
        chart = charts_by_direction(mesh)
        source, laid, flat = _flat(mesh, chart)
        atlas.add_uv_mesh(flat, laid.astype(np.uint32), chart.astype(np.uint32)[:, None])
    atlas.generate(xatlas.ChartOptions(), options)
    mapping, made, uv = atlas[0]
    if len(made) != len(mesh.triangles):
        raise MeshError("faces were lost")
    side = max(atlas.width, atlas.height)
    uv = uv * np.array([atlas.width, atlas.height]) / side
    return source[mapping], made.astype(np.int32), uv.astype(np.float32), int(side)
