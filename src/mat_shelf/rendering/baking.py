"""A recipe's inputs on a part, laid out on the part's own coordinates."""

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from scipy.ndimage import distance_transform_edt

from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.adjacency import face_normals
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, turn_matrix
from mat_shelf.numerics.interpolation import between3, between_slopes
from mat_shelf.numerics.kernels import kernel
from mat_shelf.numerics.vectors import normalize, store3
from mat_shelf.patterns.evaluation import evaluate, grey
from mat_shelf.patterns.points import Points, part_frames, part_salt
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_map_lookup import GeometryMapLookup
from mat_shelf.scene.geometry_maps import GeometryMap, GeometryMapKey
from mat_shelf.scene.material_evaluation import (
    bent_normals,
    coverage,
    fed_value,
)
from mat_shelf.scene.recipe_program import OverlayBinding, bind_overlays
from mat_shelf.scene.rounded_edges import round_edges, round_normals
from mat_shelf.system.processors import lower_priority, usable_processors

BAKED = (
    "base_color",
    "specular_roughness",
    "base_metalness",
    "specular_color",
    "specular_weight",
    "base_diffuse_roughness",
    "transmission_weight",
    "emission_luminance",
    "emission_color",
    "geometry_opacity",
    "coat_weight",
    "coat_color",
    "coat_roughness",
    "fuzz_weight",
    "fuzz_color",
    "fuzz_roughness",
    "subsurface_weight",
    "subsurface_color",
    "thin_film_weight",
    "thin_film_thickness",
    "specular_roughness_anisotropy",
)
"""Inputs that are baked; the first three always, the others where a pattern feeds them."""
_ROWS = 64
_PADDING = 16
"""Texels beyond the borders of charts that get the colour of the nearest one, so that borders do not bleed."""


class BakeError(ValueError):
    """A part that cannot be baked; the message says why and what to do."""


class Baked(NamedTuple):
    """Maps of a part.

    Attributes
    ----------
    maps : dict of (N, N) or (N, N, 3) float32
        By input; ``normal`` in tangent space, (N, N, 3) in [-1, 1], green up (glTF); ``height``, mm. Rows from the top.
    covered : (N, N) bool
        Where the part's surface lies.
    """

    maps: dict[str, np.ndarray]
    covered: np.ndarray


def bake(
    recipe: Recipe,
    part: Part,
    mesh: Mesh,
    size: int,
    context: PatternContext,
    geometry_maps: Mapping[GeometryMapKey, GeometryMap] = MappingProxyType({}),
    faces: Mapping[str, np.ndarray] = MappingProxyType({}),
    progress: Callable[[int, int], bool] = lambda done, total: True,
) -> Baked:
    """Evaluates a recipe all over a part, as the renderer does at its hits.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    part : Part
        The part.
    mesh : Mesh
        Of the part, with texture coordinates in the unit square.
    size : int
        Texels along each side.
    context : PatternContext
        Other patterns and images that it refers to.
    geometry_maps : Mapping[GeometryMapKey, GeometryMap]
        Geometry maps by key.
    faces : mapping of array
        Faces of the part's zones by SHA-256.
    progress : callable (done, total) -> bool
        False cancels.

    Returns
    -------
    Baked

    Raises
    ------
    BakeError
        If the mesh has no coordinates, or they leave the unit square.
    InterruptedError
        If `progress` said so.
    """
    if mesh.uv is None:
        raise BakeError(f"part '{part.name}' has no UVs; unwrap it first")
    if mesh.uv.min() < -1e-3 or mesh.uv.max() > 1 + 1e-3:
        raise BakeError(f"the UVs of part '{part.name}' leave the unit square; unwrap it again")
    pose = part.pose
    frames = part_frames([mesh], [(turn_matrix(pose.turn), pose.shift, pose.scale)], [part_salt(part.id)])
    stood = posed(mesh, pose)
    corners = stood.vertices[mesh.triangles].reshape(-1, 9)
    normals = stood.normals[mesh.triangles].reshape(-1, 9)
    uv = mesh.uv[mesh.triangles].reshape(-1, 6)
    shapes = GeometryMapLookup([(part.mesh, pose.scale, "")], np.zeros(1, np.int32), geometry_maps)
    atlas = _flat(mesh)
    overlays = bind_overlays(recipe, context.pictures)
    names = [name for name in BAKED if recipe.feed(name) or name in BAKED[:3] or _differs(recipe, overlays, name)]
    has_relief = any(row.is_on and row.height for layer in recipe.layers() for row in layer.relief)
    wide = {name: isinstance(getattr(recipe, name), tuple) for name in names}
    maps = {name: np.zeros((size * size, 3) if wide[name] else size * size, np.float32) for name in names}
    edges = round_edges([part.with_(smoothing=0)], {part.mesh: mesh}, faces, 1).tables
    is_rounded = bool(len(edges.segments))
    if has_relief or is_rounded:
        maps["normal"] = np.zeros((size * size, 3), np.float32)
    if has_relief:
        maps["height"] = np.zeros(size * size, np.float32)
    facing = face_normals(stood)
    covered = np.zeros(size * size, bool)

    def _fill(row: int) -> None:
        """Bakes some rows."""
        texels = np.arange(row * size, min(row + _ROWS, size) * size)
        rays = np.zeros((len(texels), 3), np.float32)
        rays[:, 0] = (texels % size + 0.5) / size
        rays[:, 1] = 1 - (texels // size + 0.5) / size
        rays[:, 2] = 1
        down = np.tile(np.float32([0, 0, -1]), (len(texels), 1))
        geometry, primitive, u, v, _ = atlas.intersect(rays, down)
        hit = np.flatnonzero(geometry >= 0)
        if not len(hit):
            return
        index = texels[hit]
        covered[index] = True
        points, along, across = _points(primitive[hit], u[hit], v[hit], corners, normals, uv, frames, shapes)
        upright = points.normal.copy()
        if is_rounded:
            round_normals(edges, 0, points.position, facing[primitive[hit]], points.normal)
        covers = coverage(overlays, points)
        for name in names:
            values = _input(recipe, name, points, context)
            for cover, lying in zip(covers, overlays, strict=True):
                over = _input(lying.overlay.recipe, name, points, lying.context)
                share = cover[:, None] if wide[name] else cover
                values = values * (1 - share) + over * share
            maps[name][index] = values
        if has_relief or is_rounded:
            height, bent = _relief(recipe, points, context)
            for cover, lying in zip(covers, overlays, strict=True):
                more, own = _relief(lying.overlay.recipe, points, lying.context)
                if lying.overlay.relief == "adds":
                    own += bent - points.normal
                    more += height
                height = height * (1 - cover) + more * cover
                bent = bent * (1 - cover[:, None]) + own * cover[:, None]
            tangent = np.stack([(bent * along).sum(1), (bent * across).sum(1), (bent * upright).sum(1)], axis=1)
            maps["normal"][index] = tangent / np.linalg.norm(tangent, axis=1, keepdims=True)
            if has_relief:
                maps["height"][index] = height

    with ThreadPoolExecutor(usable_processors(), initializer=lower_priority) as threads:
        rows = {row: threads.submit(_fill, row) for row in range(0, size, _ROWS)}
        for row, done in rows.items():
            if not progress(row, size):
                threads.shutdown(cancel_futures=True)
                raise InterruptedError("cancelled")
            done.result()
    if not covered.any():
        raise BakeError(f"the UVs of part '{part.name}' cover nothing; unwrap it again")
    covered = covered.reshape(size, size)
    distance, nearest = distance_transform_edt(~covered, return_indices=True)
    keep = distance <= _PADDING
    padded = {}
    for name, values in maps.items():
        picture = values.reshape(size, size, -1)[tuple(nearest)]
        picture[~keep] = (0, 0, 1) if name == "normal" else 0
        padded[name] = picture if picture.shape[2] == 3 else picture[..., 0]
    return Baked(padded, covered)


def _differs(recipe: Recipe, overlays: tuple[OverlayBinding, ...], name: str) -> bool:
    """True if an overlay's value of an input is another one than that below."""
    return any(
        lying.overlay.recipe.feed(name) or getattr(lying.overlay.recipe, name) != getattr(recipe, name)
        for lying in overlays
    )


def _input(recipe: Recipe, name: str, points: Points, context: PatternContext) -> np.ndarray:
    """An input of a recipe at some points, constant or fed, (N,) or (N, 3) float32."""
    feed = recipe.feed(name)
    if feed is not None:
        return fed_value(recipe, feed, points, context)
    constant = np.asarray(getattr(recipe, name), np.float32)
    return np.broadcast_to(constant, (len(points), *constant.shape))


def _relief(recipe: Recipe, points: Points, context: PatternContext) -> tuple[np.ndarray, np.ndarray]:
    """Height, (N,) mm, and normals, (N, 3), of a recipe's relief."""
    height = np.zeros(len(points), np.float32)
    if not any(row.is_on and row.height for row in recipe.relief):
        return height, points.normal.copy()
    for row in recipe.relief:
        if row.is_on and row.kind == "height":
            height += np.float32(row.height) * grey(evaluate(context.patterns[row.pattern], points, context))
    return height, bent_normals(recipe.relief, points, context)


def _flat(mesh: Mesh) -> Geometry:
    """The mesh's coordinates as a flat mesh, each triangle by itself."""
    uv = mesh.uv[mesh.triangles].reshape(-1, 2)
    vertices = np.zeros((len(uv), 3), np.float32)
    vertices[:, :2] = uv
    triangles = np.arange(len(uv), dtype=np.int32).reshape(-1, 3)
    return Geometry([Mesh(vertices, triangles, np.tile(np.float32([0, 0, 1]), (len(uv), 1)))])


def _points(primitive, u, v, corners, normals, uv, frames, shapes):
    """The points of some texels, and their tangents along u and v, (N, 3), at right angles to their normals."""
    count = len(primitive)
    position, normal = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    places, slope = np.empty((count, 2), np.float32), np.empty((count, 2, 3), np.float32)
    place_kernel(primitive, u, v, corners, normals, uv, position, normal, places, slope)
    hits = shapes and (shapes, primitive, u, v)
    points = Points(position, normal, np.zeros(count, np.int32), frames, places, slope, hits=hits)
    # A tangent goes along u where v stands still: at right angles to the gradient of v.
    along = np.cross(slope[:, 1], normal)
    along *= np.sign((along * slope[:, 0]).sum(1))[:, None]
    along -= normal * (along * normal).sum(1, keepdims=True)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
    across = np.cross(normal, along)
    across *= np.where((across * slope[:, 1]).sum(1) < 0, -1, 1)[:, None]
    return points, along, across


@kernel
def place_kernel(primitive, u, v, corners, normals, uv, position, normal, places, slope):
    """Positions, unit normals and texture coordinates of points in triangles.

    Parameters
    ----------
    primitive : (N,) int32
        Triangle within its geometry.
    u, v : (N,) float32
        Barycentric coordinate.
    corners : (T, 9) float32
        Corners of the triangles, mm.
    normals : (V, 3) float
        Unit normals.
    uv : (T, 6) float32
        Texture coordinates of the corners.
    position : (N, 3) float32
        Receives the positions, mm.
    normal : (N, 3) float32
        Receives the unit normals.
    places : (N, 2) float32
        Receives the coordinates.
    slope : (N, 2, 3) float32
        Receives their gradients, 1/mm.
    """
    for i in range(primitive.shape[0]):
        t = primitive[i]
        store3(position, i, between3(corners, t, u[i], v[i]))
        store3(normal, i, normalize(between3(normals, t, u[i], v[i])))
        place, one, other = between_slopes(corners, uv, t, u[i], v[i])
        places[i, 0], places[i, 1] = place
        for axis in range(3):
            slope[i, 0, axis], slope[i, 1, axis] = one[axis], other[axis]
