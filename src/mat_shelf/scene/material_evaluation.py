"""Patterns at the points of a wave: rows of the parameter block of each point's own, and bent normals.

The file is long: feeds, overlays and relief are evaluated for all points of a wave in one go, over shared arrays.
"""

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from mat_shelf.document.pattern import Feed, Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.numerics.hashed_noise import hash3, unit
from mat_shelf.numerics.interpolation import between2, between3
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.numerics.vectors import cross, dot, facing_of, normalize, row3, scale, store3, sub
from mat_shelf.numerics.vectors import frame as frame_of
from mat_shelf.optics.parameters import write_fed
from mat_shelf.patterns.placing import Layout, lay_out
from mat_shelf.patterns.points import Points
from mat_shelf.patterns.step import PatternContext, evaluate, grey

_FINEST_STEP = 0.0015
"""mm; slopes over less would be lost in the rounding of float32 positions."""
_SHARE = 1 / 20
"""Part of a pattern's finest detail over which its slope is taken."""
_STEEPEST = 8.0


class TexturedMaterial(NamedTuple):
    """A material that patterns feed, or that something lies over.

    Attributes
    ----------
    row : int
        Its row of the parameter block.
    recipe : Recipe
    library : Library
    overlays : tuple of Lying
        The lowest first.
    """

    row: int
    recipe: Recipe
    context: PatternContext
    overlays: tuple["OverlayBinding", ...] = ()


class OverlayBinding(NamedTuple):
    """An overlay: its row of the parameter block, what it is, its patterns, and how much of it there is."""

    row: int
    overlay: Overlay
    context: PatternContext
    amount: float


def bind_overlays(recipe: Recipe, pictures: Mapping, first_row: int = 0) -> tuple[OverlayBinding, ...]:
    """Visible overlays of a recipe; their rows of the parameter block are numbered from `first_row` on.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    pictures : Mapping
        Images by SHA-256.
    first_row : int
        Row of the parameter block of the first overlay.

    Returns
    -------
    tuple of OverlayBinding
    """
    found = []
    for overlay in recipe.shown_overlays():
        if (
            recipe.transmission_weight == 0 and recipe.feed("transmission_weight") is None
        ):  # there is no body below that light could go into
            opaque = overlay.recipe.with_(transmission_weight=0.0).without_feed("transmission_weight")
            overlay = overlay.with_(recipe=opaque)
        context = PatternContext({p.id: p for p in overlay.recipe.patterns}, pictures)
        found.append(OverlayBinding(first_row + len(found), overlay, context, overlay.amount * recipe.age))
    return tuple(found)


def evaluate_materials(count, material_table, geometry, points, paths, u, v, block, free, is_marked) -> None:
    """Gives the points of a wave that lie on fed materials rows of their own, and bends their normals.

    Parameters
    ----------
    count : int
        Points in the wave.
    material_table : MaterialTable
        Materials of the scene.
    geometry : Geometry
    points : passes.Points
        `look` and `normal` are changed.
    paths : passes.Paths
    u, v : (N,) float32
        Where in their triangles the points lie.
    block : (M + N, WIDTH) float32
        The parameter block.
    free : int
        First of its rows that may be written.
    is_marked : (count,) bool
        Points on marks, which have rows already.
    """
    rows = points.row[:count]
    outside = (paths.walk[:count] < 0) & ~is_marked  # inside a body its walls have no looks
    for fed in material_table.fed:
        index = np.flatnonzero((rows == fed.row) & outside)
        if not len(index):
            continue
        some = _pattern_points(index, geometry, points, paths, u, v)
        if not fed.overlays:
            free = _evaluate_material(
                index, some, fed.recipe, fed.context, fed.row, material_table, points, block, free
            )
            continue
        seen = seen_overlay(fed.overlays, some, paths.random[index])
        for place in np.unique(seen):
            mine = np.flatnonzero(seen == place)
            part, which = some.take(mine), index[mine]
            if place < 0:
                free = _evaluate_material(
                    which, part, fed.recipe, fed.context, fed.row, material_table, points, block, free
                )
                continue
            row, overlay, context, _ = fed.overlays[place]
            if overlay.relief == "adds" and _has_relief(fed.recipe):
                part.normal[:] = points.normal[which] = bent_normals(fed.recipe.relief, part, fed.context)
            free = _evaluate_material(which, part, overlay.recipe, context, row, material_table, points, block, free)


def evaluate_mark_material(index, laid, material_table, geometry, points, paths, u, v, block, free) -> int:
    """Dresses points of a wave in the recipe of a mark, each in a row of its own.

    Parameters
    ----------
    index : (n,) int32
        Points of the wave.
    laid : PlacedMark
        The mark on its surface.
    material_table : MaterialTable
        Materials of the scene.
    geometry : Geometry
        Geometry of the scene.
    points : ShadingPoints
        Points of the wave.
    paths : Paths
        Paths of the wave.
    u, v : (N,) float32
        Barycentric coordinate.
    block : (M, WIDTH) float32
        Parameter block.
    free : int
        First free row of the block.

    Returns
    -------
    int
        The first row of the block that is still free.
    """
    if laid.recipe.feeds or _has_relief(laid.recipe):
        some = _pattern_points(index, geometry, points, paths, u, v)
        free_after = _evaluate_material(
            index, some, laid.recipe, laid.context, laid.row, material_table, points, block, free
        )
        if free_after > free:
            return free_after
    own = slice(free, free + len(index))
    block[own] = material_table.parameters[laid.row]
    points.look[index] = np.arange(own.start, own.stop, dtype=np.int32)
    return own.stop


def _has_relief(recipe: Recipe) -> bool:
    return any(row.is_on and row.height for row in recipe.relief)


def _evaluate_material(index, some, recipe, context, row, material_table, points, block, free) -> int:
    """Dresses points of a wave in a recipe; returns the first row of the block that is still free."""
    if recipe.feeds:
        own = slice(free, free + len(index))
        block[own] = material_table.parameters[row]
        points.look[index] = np.arange(own.start, own.stop, dtype=np.int32)
        write_fed(block[own], fed_values(recipe, some, context), recipe)
        free = own.stop
    else:
        points.look[index] = row
    if _has_relief(recipe):
        points.normal[index] = bent_normals(recipe.relief, some, context)
    return free


def coverage(overlays: tuple[OverlayBinding, ...], points: Points) -> np.ndarray:
    """Coverage of each overlay at some points, before those above hide it, (K, N) float32 in [0, 1].

    Parameters
    ----------
    overlays : tuple of OverlayBinding
        Visible overlays, the lowest first.
    points : Points
        Points on parts.

    Returns
    -------
    (K, N) float32
    """
    covers = np.empty((len(overlays), len(points)), np.float32)
    for place, (_, overlay, context, amount) in enumerate(overlays):
        covers[place] = amount
        if overlay.mask is not None:
            mask = grey(evaluate(context.patterns[overlay.mask], points, context))
            covers[place] *= np.clip(np.nan_to_num(mask), 0, 1)
    return covers


def seen_overlay(overlays: tuple[OverlayBinding, ...], points: Points, random: np.ndarray) -> np.ndarray:
    """Which overlay is seen at each point, (N,) int; -1 for what lies below all of them.

    Parameters
    ----------
    overlays : tuple of OverlayBinding
        Visible overlays, the lowest first.
    points : Points
        Points on parts.
    random : (N,) uint32
        State of the points' paths, which is not advanced.

    Returns
    -------
    (N,) int
    """
    covers = coverage(overlays, points)
    seen = np.full(len(points), -1)
    for place in range(len(overlays) - 1, -1, -1):
        chance = np.empty(len(points), np.float32)
        chance_kernel(random, np.uint32(place), chance)
        seen[(seen < 0) & (chance < covers[place])] = place
    return seen


@kernel
def chance_kernel(random, place, out):
    """Numbers in [0, 1) that go with states of paths, (N,), others for each place.

    Parameters
    ----------
    random : (N,) uint32
        States of the random streams.
    place : int
        Number of the choice.
    out : (N,) float32
        Receives the numbers.
    """
    for i in range(random.shape[0]):
        out[i] = unit(hash3(np.int32(random[i] >> np.uint32(1)), np.int32(random[i] & np.uint32(1)), 77, place))


def _pattern_points(index, geometry, points, paths, u, v) -> Points:
    position, normal = points.position[index], points.normal[index]
    cosine = np.empty(len(index), np.float32)
    part = np.minimum(points.part[index], len(geometry.frames.salt) - 1)
    triangle, u, v = points.triangle[index], u[index], v[index]
    corners = geometry.triangles.corners if geometry.rest is None else geometry.rest.corners
    uv = slope = None
    if geometry.uv is not None:
        uv, slope = np.empty((len(index), 2), np.float32), np.empty((len(index), 2, 3), np.float32)
        uv_kernel(triangle, u, v, corners, geometry.uv, uv, slope)
    normalize_kernel(normal, paths.direction[index], cosine)
    hits = None
    if geometry.shapes is not None:
        if geometry.rest is not None:
            own_u, own_v = np.empty_like(u), np.empty_like(v)
            own_place_kernel(triangle, u, v, geometry.rest.place, own_u, own_v)
            first = geometry.triangles.first[points.part[index]]
            triangle, u, v = first + geometry.rest.face[triangle], own_u, own_v
        hits = geometry.shapes, triangle, u, v
    return Points(position, normal, part, geometry.frames, uv, slope, cosine, hits=hits)


def at_rest(count: int, geometry, points, u, v):
    """The points of a wave where they were before true relief moved them; looks and normals are shared.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    geometry : Geometry
        Geometry of the scene.
    points : ShadingPoints
        Points of the wave.
    u, v : (N,) float32
        Barycentric coordinate.

    Returns
    -------
    ShadingPoints
    """
    if geometry.rest is None:
        return points
    position, facing = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    rest_kernel(count, points.row, points.triangle, u, v, geometry.rest.corners, position, facing)
    return points._replace(position=position, facing=facing)


@kernel
def rest_kernel(count, row, triangle, u, v, corners, position, facing):
    """Places and unit normals of points on triangles, (N, 3) each; nothing where nothing was hit.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    row : (N,) int32
        Row of each point; below 0 where nothing was hit.
    triangle : (N,) int32
        Triangle of each point.
    u, v : (N,) float32
        Barycentric coordinate.
    corners : (T, 9) float32
        Corners of the triangles, mm.
    position : (N, 3) float32
        Receives the positions, mm.
    facing : float32 triple
        Unit normal of the face.
    """
    for i in range(count):
        if row[i] < 0:
            continue
        t = triangle[i]
        store3(position, i, between3(corners, t, u[i], v[i]))
        store3(facing, i, facing_of(corners, t))


@kernel
def own_place_kernel(triangle, u, v, place, own_u, own_v):
    """Barycentric places of points in the faces that their triangles are pieces of, (N,) each.

    Parameters
    ----------
    triangle : (N,) int32
        Triangle of each point.
    u, v : (N,) float32
        Barycentric coordinate.
    place : (T, 3, 2) float32
        Corners within their own faces.
    own_u : (N,) float32
        Receives the first coordinate.
    own_v : (N,) float32
        Receives the second coordinate.
    """
    for i in range(triangle.shape[0]):
        own_u[i], own_v[i] = between2(place, triangle[i], u[i], v[i])


@kernel
def normalize_kernel(normal, direction, cosine):
    """Brings normals to unit length, in place; cosines with the direction that each is seen from.

    Parameters
    ----------
    normal : (N, 3) float32
        Normals, brought to unit length.
    direction : (N, 3) float32
        Directions of the paths.
    cosine : (N,) float32
        Receives the cosines.
    """
    for i in range(normal.shape[0]):
        n = normalize(row3(normal, i))
        store3(normal, i, n)
        cosine[i] = -dot(n, row3(direction, i))


@kernel
def uv_kernel(triangle, u, v, corners, coordinates, uv, slope):
    """Coordinates of points, and their gradients in space, per mm, from those of three corners.

    Parameters
    ----------
    triangle : (N,) int32
        Triangle of each point.
    u, v : (N,) float32
        Barycentric coordinate.
    corners : (T, 9) float32
        Corners of the triangles, mm.
    coordinates : (T, 3, 2) float32
        Texture coordinates of the corners.
    uv : (N, 2) float32
        Receives the coordinates.
    slope : (N, 2, 3) float32
        Receives the gradients, 1/mm.
    """
    for i in range(triangle.shape[0]):
        t = triangle[i]
        first = (corners[t, 0], corners[t, 1], corners[t, 2])
        one = sub((corners[t, 3], corners[t, 4], corners[t, 5]), first)
        other = sub((corners[t, 6], corners[t, 7], corners[t, 8]), first)
        n = cross(one, other)
        per_area = F(1) / max(dot(n, n), F(1e-20))
        toward_one, toward_other = scale(cross(other, n), per_area), scale(cross(n, one), per_area)
        for k in range(2):
            du, dv = coordinates[t, 2 + k] - coordinates[t, k], coordinates[t, 4 + k] - coordinates[t, k]
            uv[i, k] = coordinates[t, k] + u[i] * du + v[i] * dv
            for axis in range(3):
                slope[i, k, axis] = du * toward_one[axis] + dv * toward_other[axis]


def fed_values(recipe: Recipe, points: Points, context: PatternContext) -> dict[str, np.ndarray]:
    """The fed inputs of a recipe at some points, by name: (N,) or (N, 3) float32, within the inputs' limits.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    (N,) or (N, 3) float32
    """
    return {feed.input: fed_value(recipe, feed, points, context) for feed in recipe.feeds}


def fed_value(recipe: Recipe, feed: Feed, points: Points, context: PatternContext) -> np.ndarray:
    """One fed input at some points, (N,) or (N, 3) float32.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    feed : Feed
        The feed.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    (N,) or (N, 3) float32
    """
    constant = np.asarray(getattr(recipe, feed.input), np.float32)
    is_color = constant.ndim == 1
    values = evaluate(context.patterns[feed.pattern], points, context)
    values = (values if values.ndim == 2 else values[:, None]) if is_color else grey(values)
    low, high = np.asarray(feed.low, np.float32), np.asarray(feed.high, np.float32)
    fed = low + (high - low) * values
    if feed.amount < 1:
        fed = constant + (fed - constant) * np.float32(feed.amount)
    lowest, highest = (0.0, 1.0) if is_color else Recipe.limits(feed.input)
    fed = np.ascontiguousarray(fed, np.float32)
    keep_within(fed.reshape(-1), F(max(lowest, -3e38)), F(min(highest, 3e38)), F(np.clip(0, lowest, highest)))
    return fed


def bent_normals(relief: tuple[Relief, ...], points: Points, context: PatternContext) -> np.ndarray:
    """Shading normals of a surface with relief, (N, 3) float32, unit length, of the world.

    Heights are added and their true gradients, mm per mm, tilt the normal; pictures of normals follow one by one,
    each turned onto what is below it.

    Parameters
    ----------
    relief : tuple of Relief
        Rows of relief.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    (N, 3) float32

    References
    ----------
    Mikkelsen 2010, Bump Mapping Unparametrized Surfaces on the GPU. Barre-Brisebois and Hill 2012, Blending in
    Detail (reoriented normal mapping).
    """
    n = points.normal
    t, b = np.empty_like(n), np.empty_like(n)
    frame_kernel(n, t, b)
    slope = np.zeros((2, len(n)), np.float32)
    for row in relief:
        if row.is_on and row.kind == "height":
            slope += height_slope(row, points, t, b, context)
    pictured = [row for row in relief if row.is_on and row.kind != "height"]
    if pictured:
        local = np.stack([-slope[0], -slope[1], np.ones(len(n), np.float32)])
        local /= np.sqrt((local**2).sum(0))
        for row in pictured:
            local = _reoriented(local, _pictured_slope(row, points, t, b, context))
        slope = -local[:2] / np.maximum(local[2], np.float32(1e-3))
    bent = np.empty_like(n)
    tilt_kernel(n, t, b, slope, bent)
    return bent


def height_slope(row: Relief, points: Points, t, b, context: PatternContext) -> np.ndarray:
    """Slope of a row's height along two tangents, (2, N) float32, mm per mm.

    Parameters
    ----------
    row : Relief
        Row of relief.
    points : Points
        Points on parts.
    t, b : (N, 3) float32
        Unit tangents.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    (2, N) float32
    """
    pattern = context.patterns[row.pattern]
    step = max(pattern.steps[0].finest(pattern.placement.size) * _SHARE, _FINEST_STEP)
    here = grey(evaluate(pattern, points, context))
    beside = grey(evaluate(pattern, points.moved((t, b), step), context)).reshape(2, -1)
    slope = (beside - here) * np.float32(row.height / step)
    keep_within(slope.reshape(-1), F(-_STEEPEST), F(_STEEPEST), F(0))
    return slope


def _pictured_slope(row: Relief, points: Points, t, b, context: PatternContext) -> np.ndarray:
    """Slope of a normal map along two tangents, (2, N) float32."""
    pattern = context.patterns[row.pattern]
    colors = evaluate(pattern, points, context)
    if colors.ndim == 1:
        return np.zeros((2, len(points)), np.float32)
    x, y, z = (2 * colors - 1).T
    rise = -np.stack([x, -y if row.kind == "normal, green down" else y]) / np.maximum(z, np.float32(0.05))
    # The pattern's own directions on the surface, found by going a little way along both tangents.
    step = np.float32(max(pattern.placement.size * 1e-3, _FINEST_STEP))
    here, along, beside = (
        _heaviest(lay_out(pattern.placement, some), points)
        for some in (points, points.moved((t,), step), points.moved((b,), step))
    )
    across = np.stack([along - here, beside - here])
    across /= np.maximum(np.sqrt((across**2).sum(0)), np.float32(1e-9))
    return np.einsum("kn,jkn->jn", rise * np.float32(row.height / 0.01), across)


def _heaviest(sheet: Layout, points: Points) -> np.ndarray:
    """Place of each point in a layout, (2, N): of several the one that counts most."""
    if sheet.index is None:
        return sheet.coordinates[:2]
    order = np.argsort(sheet.weight, kind="stable")  # the last one written stays
    places = np.empty((2, len(points)), np.float32)
    places[:, sheet.index[order]] = sheet.coordinates[:2, order]
    return places


def _reoriented(base: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """A normal with the one of a slope turned onto it, both (3, N) in tangent space."""
    detail = np.stack([-slope[0], -slope[1], np.ones(slope.shape[1], np.float32)])
    detail /= np.sqrt((detail**2).sum(0))
    lifted = base + np.array([[0], [0], [1]], np.float32)
    mirrored = detail * np.array([[-1], [-1], [1]], np.float32)
    return lifted * ((lifted * mirrored).sum(0) / lifted[2]) - mirrored


@kernel
def keep_within(values, low, high, otherwise):
    """Brings values, (N,), between two others, in place; what is no number becomes `otherwise`.

    Parameters
    ----------
    values : (N,) float32
        Values, changed in place.
    low, high : float32
        Limits.
    otherwise : float
        Value in place of what is no number.
    """
    for i in range(values.shape[0]):
        x = values[i]
        values[i] = min(max(x, low), high) if x == x else otherwise


@kernel
def tilt_kernel(normal, t, b, slope, out):
    """Unit normals, (N, 3), tilted by slopes along two tangents, (2, N).

    Parameters
    ----------
    normal : (N, 3) float32
        Unit normals.
    t, b : (N, 3) float32
        Unit tangents.
    slope : (2, N) float32
        Slopes, mm per mm.
    out : (N, 3) float32
        Receives the normals.
    """
    for i in range(normal.shape[0]):
        tilted = sub(row3(normal, i), scale(row3(t, i), slope[0, i]))
        store3(out, i, normalize(sub(tilted, scale(row3(b, i), slope[1, i]))))


@kernel
def frame_kernel(normal, t, b):
    """Two tangents of unit normals, (N, 3) each.

    Parameters
    ----------
    normal : (N, 3) float32
        Unit normals.
    t, b : (N, 3) float32
        Unit tangents.
    """
    for i in range(normal.shape[0]):
        one, other = frame_of(row3(normal, i))
        store3(t, i, one)
        store3(b, i, other)
