"""Geometry maps: how deep in crevices, and how near to edges and to other parts, each place of a part is.

Values lie on a lattice inside every triangle, as fine as the radius asks for. That needs no atlas, so it has no seams,
and works alike on the few large triangles of a CAD model and the many small ones of a scan.
"""

import hashlib
import math
from collections.abc import Callable, Iterable, Mapping
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.document.pattern import Step
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, turn_matrix
from mat_shelf.geometry.refining import refine
from mat_shelf.geometry.triangles import triangle_normals
from mat_shelf.numerics.interpolation import between3
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.numerics.vectors import add, frame, normalize, row3, scale, store3, to_world
from mat_shelf.scene.geometry import Geometry

RAYS = 96
PER_RADIUS = 3.0
"""Nodes of the lattice along a radius."""
MOST_MAP_NODES = 200_000
"""Nodes of a part's lattice; a larger part gets a coarser one."""
_BATCH = 512
_MOST_PIECES = 2_000_000


class GeometryMapKey(NamedTuple):
    """Key of a geometry map. Lengths are mm; `mesh` is a SHA-256, `scale` that of the part's pose.

    `around` is, of maps that depend on other parts, the part's id and what stands for all that it sees.
    """

    mesh: str
    kind: str
    radius: float
    scale: float
    around: str = ""


class GeometryMap(NamedTuple):
    """Values on the lattices of a mesh's triangles.

    Attributes
    ----------
    first : (T,) int64, where in `values` the nodes of each triangle begin
    count : (T,) int32, parts that each side is cut into
    values : (K,) float32 in [0, 1]
    """

    first: np.ndarray
    count: np.ndarray
    values: np.ndarray


def needed_geometry_maps(project: Project) -> list[GeometryMapKey]:
    """The geometry maps that the project's visible parts need, each once.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    list of GeometryMapKey
    """
    wanted: dict[GeometryMapKey, None] = {}
    recipes = {material.id: material.recipe for material in project.materials}
    whole = surroundings_key(project)
    for part in project.product.modelled:
        if part.is_hidden:
            continue
        marked = [mark.recipe for mark in project.marks if mark.is_on and mark.part == part.id]
        for recipe in (*(recipes[material] for material in part.worn()), *marked):
            for key in _keys(part, recipe, whole):
                wanted[key] = None
    return list(wanted)


def _keys(part: Part, recipe, whole: str) -> Iterable[GeometryMapKey]:
    for step in _steps(recipe):
        if step.looks:
            around = f"{part.id} {whole}" if step.looks == "others" else ""
            yield GeometryMapKey(part.mesh, step.kind, step.radius, part.pose.scale, around)


def _steps(recipe):
    return (step for layer in recipe.layers() for pattern in layer.patterns for step in pattern.steps)


def surroundings_key(project: Project) -> str:
    """Key of the poses of all visible parts; empty where no material or mark looks for others.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    str
    """
    looked = (*project.materials, *project.marks)
    if not any(step.looks == "others" for wearer in looked for step in _steps(wearer.recipe)):
        return ""
    shown = [
        (part.id, part.mesh, part.pose.model_dump_json()) for part in project.product.modelled if not part.is_hidden
    ]
    return hashlib.sha256(repr(shown).encode()).hexdigest()[:32]


def fill_geometry_maps(project: Project, supplies, progress=lambda done, total: True, make=None) -> None:
    """Makes the geometry maps that a project needs and its supplies do not have.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Its `geometry_maps` are added to.
    progress : callable (done, total) -> bool
        False cancels.
    make : callable, optional
        Makes one, as `make_geometry_map` does, which is the default.

    Raises
    ------
    InterruptedError
        If it was cancelled.
    """
    make = make or make_geometry_map
    for key in needed_geometry_maps(project):
        if key not in supplies.geometry_maps:
            others = others_near(project, supplies.meshes, key)
            supplies.geometry_maps[key] = make(supplies.meshes[key.mesh], key, progress, others)


def others_near(project: Project, meshes: Mapping[str, Mesh], key: GeometryMapKey) -> np.ndarray | None:
    """Places on all other visible parts, in the part's own frame and the world's mm, (M, 3) float32.

    None for maps that do not depend on other parts. Places lie an eighth of the radius apart where they count.

    Parameters
    ----------
    project : Project
        The project.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    key : GeometryMapKey
        Key of the map.

    Returns
    -------
    (M, 3) float32 or None
    """
    if not key.around:
        return None
    own = project.part(key.around.split()[0])
    turn, shift = turn_matrix(own.pose.turn), np.array(own.pose.shift)
    low, high = meshes[own.mesh].bounds * own.pose.scale + np.array([[-key.radius], [key.radius]])
    found = [np.zeros((0, 3), np.float32)]

    def fineness(middle, length):
        """Longest side of a triangle there, mm.

        Parameters
        ----------
        middle : (N, 3) float32
            Middles of edges, mm.
        length : (N,) float32
            Lengths of edges, mm.

        Returns
        -------
        float32
        """
        away = np.linalg.norm(np.maximum(np.maximum(low - middle, middle - high), 0), axis=1)
        return np.where(away <= 0.5 * length, key.radius / 8, np.inf).astype(np.float32)

    for part in project.product.modelled:
        if part.is_hidden or part.id == own.id:
            continue
        stood = posed(meshes[part.mesh], part.pose)
        here = Mesh(((stood.vertices - shift) @ turn).astype(np.float32), stood.triangles, stood.normals)
        if (here.bounds[0] > high).any() or (here.bounds[1] < low).any():
            continue
        corners = refine(here, 1.0, fineness, _MOST_PIECES).position
        found += [corners.reshape(-1, 3), corners.mean(axis=1)]
    places = np.concatenate(found)
    return places[((places >= low) & (places <= high)).all(axis=1)]


def make_geometry_map(
    mesh: Mesh,
    key: GeometryMapKey,
    progress: Callable[[int, int], bool] = lambda done, total: True,
    others: np.ndarray | None = None,
) -> GeometryMap:
    """Looks about from every node of a mesh's lattices.

    Crevices: the share of a cosine-weighted half space that the part itself blocks within the radius. Edges: twice the
    share of the half space inside the surface in which one comes out of the part again within the radius, other than
    through a wall's back; 1 on a straight edge of a cube. Nearby: 1 less the distance to the nearest other
    part, in radii.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    key : GeometryMapKey
        Key of the map.
    progress : callable (done, total) -> bool
        False cancels.
    others : (M, 3) float32, optional
        Of `others_near`.

    Returns
    -------
    GeometryMap

    Raises
    ------
    InterruptedError
        If `progress` said so.
    """
    vertices = np.ascontiguousarray(mesh.vertices * np.float32(key.scale))
    geometry = Geometry([Mesh(vertices, mesh.triangles, mesh.normals)], is_robust=True)  # nodes lie on borders
    corners = geometry.triangles.corners
    sides = corners.reshape(-1, 3, 3)
    longest = np.linalg.norm(sides - np.roll(sides, 1, axis=1), axis=2).max(1)
    spacing = key.radius / PER_RADIUS
    while True:
        count = np.clip(np.ceil(longest / spacing), 1, 256).astype(np.int32)
        nodes = (count.astype(np.int64) + 1) * (count + 2) // 2
        if nodes.sum() <= MOST_MAP_NODES or count.max() == 1:
            break
        spacing *= 1.25
    first = np.cumsum([0, *nodes[:-1]])
    total = int(nodes.sum())
    position, normal = np.empty((total, 3), np.float32), np.empty((total, 3), np.float32)
    node_kernel(first, count, corners, geometry.triangles.normals, position, normal)
    if others is not None:
        away = np.full(total, np.inf)
        if len(others):
            away, _ = cKDTree(others).query(position, distance_upper_bound=key.radius)
        return GeometryMap(first, count, np.clip(1 - away / key.radius, 0, 1).astype(np.float32))
    outward = Step.kinds[key.kind].looks == "outward"
    values = np.empty(total, np.float32)
    lift = np.float32(1e-5 * float(np.abs(vertices).max(initial=0)))  # beyond the rounding of positions
    turned = _half_space(RAYS)
    facing = triangle_normals(sides)
    for start in range(0, total, _BATCH):
        if not progress(start, total):
            raise InterruptedError("cancelled")
        some = slice(start, min(start + _BATCH, total))
        rays = (some.stop - some.start) * RAYS
        origin, direction = np.empty((rays, 3), np.float32), np.empty((rays, 3), np.float32)
        ray_kernel(position[some], normal[some], turned, F(1 if outward else -1), lift, origin, direction)
        if outward:
            blocked = geometry.occluded(origin, direction, np.full(rays, key.radius, np.float32)) >= 0
            values[some] = blocked.reshape(-1, RAYS).mean(1)
        else:
            hit, triangle, *_ = geometry.intersect(origin, direction, key.radius)
            out = np.flatnonzero(hit >= 0)
            is_edge = np.zeros(rays, bool)
            is_edge[out] = (facing[triangle[out]] * normal[some][out // RAYS]).sum(1) > -0.9
            values[some] = np.minimum(2 * is_edge.reshape(-1, RAYS).mean(1), 1)
    return GeometryMap(first, count, values)


def _half_space(count: int) -> np.ndarray:
    """Directions about z with a density of its cosine, evenly spread (Hammersley), (count, 3) float32."""
    k = np.arange(count)
    radical = np.array([int(f"{i:032b}"[::-1], 2) / 2**32 for i in k])
    r, phi = np.sqrt((k + 0.5) / count), 2 * math.pi * radical
    return np.stack([r * np.cos(phi), r * np.sin(phi), np.sqrt(1 - r * r)], axis=1).astype(np.float32)


@kernel
def node_kernel(first, count, corners, normals, position, normal):
    """Places and unit normals of the nodes of all triangles.

    Parameters
    ----------
    first : (T,) int32
        First node of each triangle.
    count : (T,) int32
        Nodes along a side of each triangle.
    corners : (T, 9) float32
        Corners of the triangles, mm.
    normals : (V, 3) float
        Unit normals.
    position : (K, 3) float32
        Receives the places, mm.
    normal : (K, 3) float32
        Receives the unit normals.
    """
    for t in range(first.shape[0]):
        n = count[t]
        k = first[t]
        for i in range(n + 1):
            for j in range(n + 1 - i):
                u, v = F(i) / F(n), F(j) / F(n)
                store3(position, k, between3(corners, t, u, v))
                store3(normal, k, normalize(between3(normals, t, u, v)))
                k += 1


@kernel
def ray_kernel(position, normal, turned, way, lift, origin, direction):
    """Rays from each node into the half space outside (way 1) or inside (way -1) the surface.

    Parameters
    ----------
    position : (K, 3) float32
        Nodes, mm.
    normal : (K, 3) float32
        Unit normals.
    turned : (N,) float32
        Random rotation of each node.
    way : float32
        1 outside, -1 inside.
    lift : float32
        Offset along the normal, mm.
    origin : (N, 3) float32
        Receives the origins, mm.
    direction : (N, 3) float32
        Receives the directions.
    """
    count = turned.shape[0]
    for i in range(position.shape[0]):
        n = scale(row3(normal, i), way)
        t, b = frame(n)
        start = add(row3(position, i), scale(n, lift))
        for k in range(count):
            store3(origin, i * count + k, start)
            store3(direction, i * count + k, to_world(row3(turned, k), t, b, n))
