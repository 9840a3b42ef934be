"""Solids made from numbers: turned shapes, lofts and rounded boxes. Millimetres, y up.

A profile is a list of (radius, height) points, from the foot to the top, with corners rounded by `rounded`.
"""

import numpy as np

from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.geometry.triangles import area_vectors


def rounded(points, radii, steps: int = 8) -> np.ndarray:
    """A polyline whose inner corners are replaced by circular arcs.

    Parameters
    ----------
    points : (N, 2) float
    radii : (N,) float
        Fillet radius at each point; the first and last are not used. Shortened where the sides are too short.
    steps : int
        Segments of each arc.

    Returns
    -------
    (M, 2) float64
    """
    points = np.asarray(points, np.float64)
    out = [points[0]]
    for before, corner, after, radius in zip(points[:-2], points[1:-1], points[2:], radii[1:-1], strict=True):
        to_before, to_after = before - corner, after - corner
        reach = min(np.linalg.norm(to_before), np.linalg.norm(to_after)) * 0.499
        u, v = to_before / np.linalg.norm(to_before), to_after / np.linalg.norm(to_after)
        half = np.arccos(np.clip(u @ v, -1, 1)) / 2
        if radius <= 0 or half < 1e-3 or half > np.pi / 2 - 1e-3:
            out.append(corner)
            continue
        radius = min(radius, reach * np.tan(half))
        centre = corner + (u + v) / np.linalg.norm(u + v) * radius / np.sin(half)
        start = corner + u * radius / np.tan(half) - centre
        end = corner + v * radius / np.tan(half) - centre
        sweep = np.arctan2(start[0] * end[1] - start[1] * end[0], start @ end)
        for angle in np.linspace(0, sweep, steps + 1):
            c, s = np.cos(angle), np.sin(angle)
            out.append(centre + (start[0] * c - start[1] * s, start[0] * s + start[1] * c))
    out.append(points[-1])
    return np.array(out)


def lathe(profile, segments: int = 128, crease_degrees: float = 40.0) -> Mesh:
    """A profile turned about the y axis; a profile that ends on the axis is closed there.

    A profile that runs from the foot to the top on the outside faces outward.

    Parameters
    ----------
    profile : str
        Edge profile: straight, round or flat-topped.
    segments : int
        Number of segments.
    crease_degrees : float
        Angle beyond which an edge is sharp, degrees.

    Returns
    -------
    Mesh
    """
    profile = np.asarray(profile, np.float64)
    angle = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    ring = np.stack([np.cos(angle), np.zeros(segments), -np.sin(angle)], axis=1)
    sections = [ring * r + (0, y, 0) for r, y in profile]
    return loft(sections, crease_degrees)


def loft(sections, crease_degrees: float = 40.0) -> Mesh:
    """A skin over closed cross-sections of equal point count, each counter-clockwise seen from above.

    A section whose points all coincide becomes a tip.

    Parameters
    ----------
    sections : int
        Number of sections.
    crease_degrees : float
        Angle beyond which an edge is sharp, degrees.

    Returns
    -------
    Mesh
    """
    grid = np.asarray(sections, np.float64)
    rows, columns = grid.shape[:2]
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b = index[:-1], np.roll(index, -1, axis=1)[:-1]
    c, d = np.roll(index, -1, axis=1)[1:], index[1:]
    triangles = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    vertices = grid.reshape(-1, 3)
    solid = np.linalg.norm(area_vectors(vertices[triangles]), axis=1) > 5e-10
    return crease_normals(vertices, triangles[solid], crease_degrees)


def rounded_square(half_x: float, half_z: float, corner: float, y: float, steps: int = 24) -> np.ndarray:
    """A horizontal rounded rectangle at height y, (4 * (steps + 8), 3), counter-clockwise from above.

    Parameters
    ----------
    half_x : float
        Half the width, mm.
    half_z : float
        Half the depth, mm.
    corner : float
        Radius of the corners, mm.
    y : float
        Height, mm.
    steps : int
        Segments of each arc.

    Returns
    -------
    array
    """
    corner = min(corner, half_x, half_z)
    out = []
    for quadrant, (sx, sz) in enumerate([(1, -1), (-1, -1), (-1, 1), (1, 1)]):
        angle = np.linspace(0, np.pi / 2, steps) + quadrant * np.pi / 2
        arc = np.stack([np.cos(angle) * corner, np.sin(angle) * corner], axis=1)
        out.append(np.array([sx * (half_x - corner), -sz * (half_z - corner)]) + arc)
        nxt = [(1, -1), (-1, -1), (-1, 1), (1, 1)][(quadrant + 1) % 4]
        start = out[-1][-1]
        end_angle = (quadrant + 1) * np.pi / 2
        end = np.array([nxt[0] * (half_x - corner), -nxt[1] * (half_z - corner)]) + corner * np.array(
            [np.cos(end_angle), np.sin(end_angle)]
        )
        out.append(start + (end - start) * np.linspace(0, 1, 10)[1:-1, None])
    flat = np.concatenate(out)
    return np.stack([flat[:, 0], np.full(len(flat), y), -flat[:, 1]], axis=1)


def box(size, bevel: float, steps: int = 6, crease_degrees: float = 50.0) -> Mesh:
    """A box standing on the origin, (x, y, z) mm, every edge rounded with radius `bevel`.

    Parameters
    ----------
    size : (3,) float
        Size, mm.
    bevel : float
        Radius of the bevel, mm.
    steps : int
        Segments of each arc.
    crease_degrees : float
        Angle beyond which an edge is sharp, degrees.

    Returns
    -------
    Mesh
    """
    hx, hy, hz = np.asarray(size, np.float64) / 2
    bevel = min(bevel, hx, hy, hz)
    low = [(bevel * np.sin(t), bevel * (1 - np.cos(t))) for t in np.linspace(0, np.pi / 2, steps)]
    levels = [(x, y) for x, y in low] + [(x, 2 * hy - y) for x, y in reversed(low)]
    sections = [
        rounded_square(hx - bevel + out, hz - bevel + out, max(out, 0.05 * bevel), y, steps=steps) for out, y in levels
    ]
    sections = [sections[0] * (0, 1, 0), *sections, sections[-1] * (0, 1, 0)]
    return loft(sections, crease_degrees)


def moved(mesh: Mesh, offset=(0, 0, 0), turn=None) -> Mesh:
    """A copy turned by a (3, 3) rotation, then shifted by mm.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    offset : int
        Offset.
    turn : (3, 3) float
        Rotation.

    Returns
    -------
    Mesh
    """
    turn = np.eye(3) if turn is None else np.asarray(turn)
    return Mesh(
        np.ascontiguousarray(mesh.vertices @ turn.T + np.asarray(offset), np.float32),
        mesh.triangles,
        np.ascontiguousarray(mesh.normals @ turn.T, np.float32),
        mesh.uv,
    )


def merged(meshes) -> Mesh:
    """Several meshes as one.

    Parameters
    ----------
    meshes : mapping of Mesh
        Meshes by SHA-256.

    Returns
    -------
    Mesh
    """
    offsets = np.cumsum([0] + [len(m.vertices) for m in meshes[:-1]])
    return Mesh(
        np.concatenate([m.vertices for m in meshes]),
        np.concatenate([m.triangles + np.int32(o) for m, o in zip(meshes, offsets, strict=True)]),
        np.concatenate([m.normals for m in meshes]),
        np.concatenate([m.uv for m in meshes]) if all(m.uv is not None for m in meshes) else None,
    )


def rotation(axis: str, degrees: float) -> np.ndarray:
    """Rotation about a main axis, right-handed, (3, 3) float64.

    Parameters
    ----------
    axis : str
        x, y or z.
    degrees : float
        Angle, degrees.

    Returns
    -------
    (3, 3) float64
    """
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return {
        "x": np.array([[1, 0, 0], [0, c, -s], [0, s, c]]),
        "y": np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]),
        "z": np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]),
    }[axis]
