"""Meshes mended: holes closed, faces turned over, pieces taken apart and put together."""

import numpy as np

from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.mesh import Mesh, MeshError, places
from mat_shelf.numerics.kernels import kernel

MOST_RIM = 20_000
"""Edges of a hole; one with more is no hole but the border of a sheet."""


def boundary_loops(mesh: Mesh, graph: Adjacency) -> list[np.ndarray]:
    """Rims of the holes of a mesh: places, one after another, the way that the faces run along them.

    Parameters
    ----------
    mesh : Mesh
        Mesh.
    graph : Adjacency
        Adjacency of the mesh.

    Returns
    -------
    list of (N,) int64
        Loops that meet themselves are left out.
    """
    if not len(graph.open_edges):
        return []
    triangles = places(mesh.vertices)[mesh.triangles].astype(np.int64)
    starts, ends = triangles.reshape(-1), np.roll(triangles, -1, axis=1).reshape(-1)
    keys = np.minimum(starts, ends) << np.int64(32) | np.maximum(starts, ends)
    low, high = graph.open_edges.astype(np.int64).T
    is_open = np.isin(keys, np.minimum(low, high) << np.int64(32) | np.maximum(low, high))
    a, b = starts[is_open], ends[is_open]
    onward = dict(zip(a.tolist(), b.tolist(), strict=True))
    crowded = {int(v) for v in np.flatnonzero(np.bincount(a) > 1)}
    loops, left = [], set(onward)
    while left:  # as many steps as there are open edges
        start = at = next(iter(left))
        loop = []
        while at in left:
            left.discard(at)
            loop.append(at)
            at = onward[at]
        if at == start and len(loop) > 2 and not crowded & set(loop):
            loops.append(np.array(loop))
    return loops


def with_holes_closed(mesh: Mesh, graph: Adjacency) -> tuple[Mesh, int]:
    """A mesh whose holes have flat lids; faces that it had keep their numbers.

    Parameters
    ----------
    mesh : Mesh
        Mesh.
    graph : Adjacency
        Adjacency of the mesh.

    Returns
    -------
    mesh : Mesh
    count : int
        Holes that were closed.

    Raises
    ------
    MeshError
        If there is none that can be closed.
    """
    loops = [loop for loop in boundary_loops(mesh, graph) if len(loop) <= MOST_RIM]
    vertices = mesh.vertices[np.unique(places(mesh.vertices), return_index=True)[1]].astype(np.float64)
    lids, rims = [], []
    for loop in loops:
        rim = vertices[loop[::-1]]  # a lid runs along the rim the other way
        made = _lid(rim)
        if made is not None:
            lids.append(made)
            rims.append(rim)
    if not lids:
        raise MeshError("it has no hole that can be closed")
    first, at = [], len(mesh.vertices)
    for rim in rims:
        first.append(at)
        at += len(rim)
    added = np.concatenate([lid + start for lid, start in zip(lids, first, strict=True)])
    corners = np.concatenate([mesh.vertices, *rims])
    triangles = np.concatenate([mesh.triangles, added])
    # The old faces keep their own normals, the lids have those of their planes.
    lid_normals = [np.tile(_plane(rim), (len(rim), 1)) for rim in rims]
    normals = np.concatenate([mesh.normals, *lid_normals]).astype(np.float32)
    uv = None if mesh.uv is None else np.concatenate([mesh.uv, np.zeros((len(corners) - len(mesh.uv), 2), np.float32)])
    return Mesh(corners.astype(np.float32), triangles.astype(np.int32), normals, uv), len(lids)


def _plane(rim: np.ndarray) -> np.ndarray:
    """Unit normal of a polygon, (3,), after Newell."""
    after = np.roll(rim, -1, axis=0)
    normal = np.cross(rim - rim.mean(axis=0), after - rim.mean(axis=0)).sum(axis=0)
    length = np.linalg.norm(normal)
    return normal / length if length > 0 else np.array([0.0, 0.0, 1.0])


def _lid(rim: np.ndarray) -> np.ndarray | None:
    """Triangles of a lid in the plane that suits its rim best; None where that is no simple polygon."""
    normal = _plane(rim)
    aside = np.cross(normal, np.eye(3)[np.abs(normal).argmin()])
    aside /= np.linalg.norm(aside)
    flat = np.stack([rim @ aside, rim @ np.cross(normal, aside)], axis=1)
    made, around = np.empty((len(rim) - 2, 3), np.int64), np.empty((2, len(rim)), np.int64)
    return made if _clip_ears(flat, around, made) else None


@kernel
def _clip_ears(points, around, out):
    """Triangles of a simple polygon, counter-clockwise; whether it could be cut up. `around` is scratch."""
    count = points.shape[0]
    after, before = around[0], around[1]
    for k in range(count):
        after[k], before[k] = (k + 1) % count, (k + count - 1) % count
    at, left, made, tried = 0, count, 0, 0
    while left > 3:
        a, b = before[at], after[at]
        ax, ay = points[a, 0], points[a, 1]
        ux, uy = points[at, 0] - ax, points[at, 1] - ay
        vx, vy = points[b, 0] - ax, points[b, 1] - ay
        area = ux * vy - uy * vx
        is_ear = area > 0.0
        k = after[b]
        while is_ear and k != a:
            x, y = points[k, 0] - ax, points[k, 1] - ay
            s, t = (x * vy - y * vx) / area, (ux * y - uy * x) / area
            if s >= 0.0 and t >= 0.0 and s + t <= 1.0:
                is_ear = False
            k = after[k]
        if is_ear or (tried > left and area >= 0.0):  # straight runs are cut off once nothing else is left
            out[made, 0], out[made, 1], out[made, 2] = a, at, b
            made += 1
            after[a], before[b] = b, a
            left -= 1
            tried = 0
            at = a
        else:
            tried += 1
            if tried > 2 * left + 2:
                return False
            at = b
    out[made, 0], out[made, 1], out[made, 2] = before[at], at, after[at]
    return True


def turned_over(mesh: Mesh) -> Mesh:
    """A mesh whose faces look the other way.

    Parameters
    ----------
    mesh : Mesh
        Mesh.

    Returns
    -------
    Mesh
    """
    return Mesh(mesh.vertices, np.ascontiguousarray(mesh.triangles[:, ::-1]), -mesh.normals, mesh.uv)


def some_faces(mesh: Mesh, faces: np.ndarray) -> Mesh:
    """Some faces of a mesh as one of their own.

    Parameters
    ----------
    mesh : Mesh
        Mesh.
    faces : (N,) int
        Triangles, in the order that they shall have.

    Returns
    -------
    Mesh
    """
    used, index = np.unique(mesh.triangles[faces], return_inverse=True)
    uv = None if mesh.uv is None else np.ascontiguousarray(mesh.uv[used])
    triangles = np.ascontiguousarray(index.reshape(-1, 3), np.int32)
    return Mesh(np.ascontiguousarray(mesh.vertices[used]), triangles, np.ascontiguousarray(mesh.normals[used]), uv)
