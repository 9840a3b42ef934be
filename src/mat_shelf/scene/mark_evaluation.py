"""Marks at the points of a wave: which points lie on one, what they are made of there, and how stamps bend them.

The file is long: what marks are made of, their order and their relief are found for all points of a wave in one go.
"""

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from mat_shelf.document.mark import Mark
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.marks.artwork import Artwork, HeightField, prepare_artwork, stamp_heights
from mat_shelf.marks.surface_map import SurfaceMap, SurfaceMapError, map_surface
from mat_shelf.numerics.interpolation import between2
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.numerics.vectors import add, dot, normalize, row3, scale, store3, sub
from mat_shelf.optics import parameters as P
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.embree import nearest
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.material_evaluation import chance_kernel

_NEAR = 0.06
"""mm, or this share of a mark's size over 20: how far a net may be from the surface that it was laid on."""


class PlacedMark(NamedTuple):
    """A mark as the renderer needs it.

    Attributes
    ----------
    mark : Mark
    row : int
        Its row of the parameter block.
    geometry : int
        The geometry that it is on.
    net : Geometry
        Its triangles in Embree.
    near : float
        How far they may be from the surface, mm.
    box : (2, 3) float32, mm
        Round them and all that is so near.
    corners : (T, 6) float32
        Place of three corners of each triangle on the mark, from its left and its lower edge, [0, 1].
    library : Library
        Of its recipe's patterns.
    art, back : Artwork or None
    relief : HeightField or None
        Of a stamp.
    """

    mark: Mark
    row: int
    geometry: int
    net: Geometry
    near: float
    box: np.ndarray
    corners: np.ndarray
    context: PatternContext
    art: Artwork | None
    back: Artwork | None
    relief: HeightField | None

    @property
    def recipe(self) -> Recipe:
        """Recipe of the mark."""
        return self.mark.recipe


def mark_recipe(mark: Mark) -> Recipe:
    """Recipe of a mark, its artwork aside: no light enters it.

    Parameters
    ----------
    mark : Mark
        The mark.

    Returns
    -------
    Recipe
    """
    recipe = mark.recipe.with_(transmission_weight=0.0).without_feed("transmission_weight")
    if mark.kind == "screen":
        recipe = recipe.with_(emission_luminance=mark.luminance)
    return recipe


def place_marks(
    project: Project, meshes: Mapping[str, Mesh], visible: Sequence[int], pictures: Mapping, first_row: int
) -> tuple[PlacedMark, ...]:
    """The marks of a project that can be seen, the lowest first.

    Parameters
    ----------
    project : Project
        The project.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    visible : sequence of int
        Places of the visible parts, in the order of their geometries.
    pictures : Mapping
        Images by SHA-256.
    first_row : int
        From which on their rows of the parameter block are numbered.

    Returns
    -------
    tuple of PlacedMark
    """
    parts = project.product.parts
    geometries = {parts[place].id: number for number, place in enumerate(visible)}
    made: list[PlacedMark] = []
    for mark in project.marks:
        if not mark.is_on or mark.part not in geometries:
            continue
        part = parts[visible[geometries[mark.part]]]
        try:
            sheet = map_surface(mark, meshes[part.mesh], part.pose)
        except SurfaceMapError:
            continue  # kept in the project; the board says what is wrong
        if not len(sheet.triangles()):
            continue  # nothing of it lies on the part, or so little that its net has no mesh there
        art, back = (
            prepare_artwork(pictures[picture.digest], crop)
            if picture is not None and picture.digest in pictures
            else None
            for picture, crop in ((mark.art, mark.crop), (mark.back, (0.0, 0.0, 0.0, 0.0)))
        )
        relief = None
        if mark.kind == "stamp":
            relief = stamp_heights(art, mark.width, mark.height, mark.rise, mark.slope, mark.profile)
        net, box, corners = surface_map_of(sheet)
        near = _NEAR * max(1, mark.width / 20, mark.height / 20)
        made.append(
            PlacedMark(
                mark.with_(recipe=mark_recipe(mark)),
                first_row + len(made),
                geometries[mark.part],
                net,
                near,
                box + np.float32([[-near], [near]]),
                corners,
                PatternContext({p.id: p for p in mark.recipe.patterns}, pictures),
                art,
                back,
                relief,
            )
        )
    return tuple(made)


@lru_cache(maxsize=64)
def surface_map_of(sheet: SurfaceMap) -> tuple[Geometry, np.ndarray, np.ndarray]:
    """A sheet's triangles in Embree, the box round them, and the places on the mark of their corners.

    Parameters
    ----------
    sheet : SurfaceMap
        Surface map of the mark.

    Returns
    -------
    tuple[Geometry, array, array]
    """
    triangles = sheet.triangles()
    used, triangles_used = np.unique(triangles, return_inverse=True)
    net = Mesh(
        sheet.points.reshape(-1, 3)[used],
        np.ascontiguousarray(triangles_used.reshape(-1, 3), np.int32),
        sheet.normals.reshape(-1, 3)[used],
    )
    box = net.bounds if len(used) else np.zeros((2, 3), np.float32)
    return Geometry([net]), box, np.ascontiguousarray(_places(sheet)[triangles].reshape(-1, 6))


def _places(sheet: SurfaceMap) -> np.ndarray:
    rows, columns = sheet.lies.shape
    s, t = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    return np.stack([s, t], axis=-1).reshape(-1, 2).astype(np.float32)


class On(NamedTuple):
    """Points that lie on a mark.

    Attributes
    ----------
    index : (N,) int
        Which of the wave's points they are.
    s, t : (N,) float32
        Place on the mark as it is read, from its left and lower edge, [0, 1].
    is_back : (N,) bool
        Whether they are seen from the surface's other side.
    triangle : (N,) int32
        Of the net.
    """

    index: np.ndarray
    s: np.ndarray
    t: np.ndarray
    is_back: np.ndarray
    triangle: np.ndarray


def points_on(laid: PlacedMark, count: int, points, paths, is_marked: np.ndarray) -> On:
    """The points of a wave that lie on a mark, from where it is seen, and on none before.

    Parameters
    ----------
    laid : PlacedMark
        The mark on its surface.
    count : int
        Number of points, paths or rays that are in use.
    points : passes.Points
    paths : passes.Paths
    is_marked : (count,) bool

    Returns
    -------
    On
    """
    mark = laid.mark
    index, triangle = np.empty(count, np.int64), np.empty(count, np.int32)
    s, t, is_back = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.bool_)
    found = find_kernel(
        count,
        points,
        paths.direction,
        paths.walk,
        is_marked,
        laid.geometry,
        laid.box,
        np.float32(laid.near),
        laid.net.caster(),
        laid.corners,
        mark.is_mirrored,
        mark.seen != "inside",
        mark.seen != "outside",
        index,
        s,
        t,
        is_back,
        triangle,
    )
    return On(index[:found], s[:found], t[:found], is_back[:found], triangle[:found])


@inline
def _is_within(place, box):
    is_above = place[0] >= box[0, 0] and place[1] >= box[0, 1] and place[2] >= box[0, 2]
    return is_above and place[0] <= box[1, 0] and place[1] <= box[1, 1] and place[2] <= box[1, 2]


@kernel
def reached_kernel(count, points, geometries, boxes, reached):
    """Tells of which boxes round marks, (M, 2, 3), a wave has any points on their geometries, (M,).

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    points : ShadingPoints
        Points of the wave.
    geometries : (M,) int64
        Handles of the boxes of marks.
    boxes : (M, 2, 3) float32
        Lowest and highest corners, mm.
    reached : (M,) bool
        Marks that may be met.
    """
    for i in range(count):
        if points.row[i] < 0:
            continue
        for k in range(geometries.shape[0]):
            if points.part[i] == geometries[k] and not reached[k]:
                reached[k] = _is_within(row3(points.position, i), boxes[k])


def marks_reached(count: int, material_table, points) -> np.ndarray:
    """Which marks a wave may have points on, (M,) bool: most waves after the first ones have few.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    material_table : MaterialTable
        Materials of the scene.
    points : ShadingPoints
        Points of the wave.

    Returns
    -------
    (M,) bool
    """
    marks = material_table.marks
    reached = np.zeros(len(marks), bool)
    geometries, boxes = np.int32([laid.geometry for laid in marks]), np.stack([laid.box for laid in marks])
    reached_kernel(count, points, geometries, boxes, reached)
    return reached


@kernel
def find_kernel(
    count,
    points,
    direction,
    walk,
    is_marked,
    geometry,
    box,
    near,
    caster,
    corners,
    is_mirrored,
    from_outside,
    from_inside,
    index,
    s,
    t,
    is_back,
    triangle,
):
    """Writes which points of a wave lie on a mark and where, as in `On`; returns how many.

    Inside a soft body its walls have no looks, so paths that wander about there are left out.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    points : ShadingPoints
        Points of the wave.
    direction : (N, 3) float32
        Directions of the paths.
    walk : int
        Body that the path walks in; -1 for none.
    is_marked : (N,) bool
        Points that lie on marks.
    geometry : int64 or (2, 3) float32
        The mark in the scene.
    box, near
        As in `PlacedMark`.
    caster : embree.Caster
        Of the net.
    corners : (T, 6) float32
        As in `PlacedMark`.
    is_mirrored : bool
        Whether the mark is mirrored.
    from_outside : bool
        Whether it is visible from the front.
    from_inside : bool
        Whether it is visible from the back.
    index : (N,) int32
        Receives the points.
    s, t : (N,) float32
        Receives the places on the mark.
    is_back : (N,) bool
        Receives whether the back is seen.
    triangle : (N,) int32
        Triangle of each point.

    Returns
    -------
    int
    """
    found = 0
    for i in range(count):
        if points.row[i] < 0 or points.part[i] != geometry or walk[i] >= 0 or is_marked[i]:
            continue
        place = row3(points.position, i)
        if not _is_within(place, box):
            continue
        facing = row3(points.facing, i)
        behind = dot(row3(direction, i), facing) > F(0)
        if not (from_inside if behind else from_outside):
            continue
        hit, face, u, v, _ = nearest(caster, add(place, scale(facing, near)), scale(facing, F(-1)), F(2) * near)
        if hit < 0:
            continue
        across, up = between2(corners, face, u, v)
        index[found] = i
        s[found] = F(1) - across if is_mirrored else across
        t[found] = up
        is_back[found] = behind
        triangle[found] = face
        found += 1
    return found


def look_of(laid: PlacedMark, on: On) -> tuple[np.ndarray, np.ndarray]:
    """Colour of a mark at points on it, and how much of it is there.

    Parameters
    ----------
    laid : PlacedMark
        The mark on its surface.
    on : On
        Points on the mark.

    Returns
    -------
    color : (N, 3) float32
        Linear Rec.709; of foil its recipe's own.
    cover : (N,) float32 in [0, 1]
    """
    mark, count = laid.mark, len(on.index)
    color = np.broadcast_to(np.float32(mark.recipe.base_color), (count, 3)).copy()
    if mark.kind == "foil":
        cover = laid.art.ink(on.s, on.t) if laid.art else np.ones(count, np.float32)
        return color, cover
    alpha = np.ones(count, np.float32)
    if laid.art is not None:
        color, alpha = laid.art.look_up(on.s, on.t)
    if mark.kind == "label":
        if on.is_back.any():
            other = on.is_back
            if laid.back is not None:
                color[other], shown = laid.back.look_up(np.ascontiguousarray(1 - on.s[other]), on.t[other])
                alpha[other] = np.maximum(shown, alpha[other])
            elif mark.art is not None:
                color[other] = np.float32(0.78)  # the sheet's own back
        sheet = (1 - alpha) * np.float32(mark.backing)
        cover = alpha + sheet
        color = (alpha[:, None] * color + sheet[:, None] * np.float32(0.85)) / np.maximum(cover, 1e-4)[:, None]
        return color, cover
    return color, alpha


def evaluate_marks(count: int, material_table, points, paths, block, reached, dress) -> tuple[int, np.ndarray]:
    """Gives the points of a wave that lie on marks rows of their own.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    material_table : MaterialTable
        Materials of the scene.
    points : ShadingPoints
        Points of the wave.
    paths : Paths
        Paths of the wave.
    block : (M, WIDTH) float32
        Parameter block.
    reached : (M,) bool
        As `marks_reached` tells.
    dress : callable (index, laid, free) -> int
        Dresses points in a mark's recipe, each in a row of its own from `free` on; returns the next free row.

    Returns
    -------
    free : int
        First row of the block that is still free.
    is_marked : (count,) bool
    """
    free, is_marked = len(material_table.parameters), np.zeros(count, bool)
    for place in np.flatnonzero(reached)[::-1]:
        laid = material_table.marks[place]
        if laid.mark.kind == "stamp":
            continue
        on = points_on(laid, count, points, paths, is_marked)
        if not len(on.index):
            continue
        color, cover = look_of(laid, on)
        chance = np.empty(len(on.index), np.float32)
        chance_kernel(paths.random[on.index], np.uint32(0x4D000000 + int(place)), chance)
        seen = chance < cover
        mine = on.index[seen]
        if not len(mine):
            continue
        is_marked[mine] = True
        first, free = free, dress(mine, laid, free)
        _colour(block[first:free], laid.mark, color[seen])
        if laid.mark.kind == "label" and laid.mark.thickness > 0:
            _bend_edge(laid, on, seen, points)
    return free, is_marked


def _colour(rows: np.ndarray, mark: Mark, color: np.ndarray) -> None:
    if mark.kind == "foil":
        return
    if mark.kind == "screen":
        lit = mark.black + (1 - mark.black) * color
        rows[:, P.EMISSION : P.EMISSION + 3] = lit * np.float32(mark.luminance / P.WHITE)
        return
    rows[:, P.BASE_COLOR : P.BASE_COLOR + 3] = color * np.float32(mark.recipe.base_weight)


def _bend_edge(laid: PlacedMark, on: On, seen: np.ndarray, points) -> None:
    """Turns the normals at the rim of a sheet outwards, as its thickness shows there."""
    mark = laid.mark
    slope = np.zeros((2, len(on.index)), np.float32)
    rim = np.float32(max(mark.thickness, 0.02))
    if rim_kernel(on.s, on.t, seen, np.float32(mark.width), np.float32(mark.height), rim, slope):
        if mark.is_mirrored:
            slope[0] *= -1
        _tilt(laid, on, slope, points)


@kernel
def rim_kernel(s, t, seen, width, height, rim, slope):
    """Writes a slope of 1 outwards, (2, N), where a place on a sheet is seen and nearer than `rim`, mm, to its edge.

    Parameters
    ----------
    s, t : (N,) float32
        Places on the mark, [0, 1].
    seen : (N,) float32
        Coverage at each place.
    width, height : float32
        Size of the mark, mm.
    rim : float32
        Width of the rim.
    slope : (2, N) float32
        Receives the slopes.

    Returns
    -------
    int
        How many there are.
    """
    found = 0
    for i in range(s.shape[0]):
        across, up = min(s[i], F(1) - s[i]) * width, min(t[i], F(1) - t[i]) * height
        if not seen[i] or min(across, up) >= rim:
            continue
        found += 1
        if across <= up:
            slope[0, i] = F(1) if s[i] < F(0.5) else F(-1)
        else:
            slope[1, i] = F(1) if t[i] < F(0.5) else F(-1)
    return found


def evaluate_stamps(count: int, material_table, points, paths, reached) -> None:
    """Bends the normals of the points of a wave that stamps are pressed into; `reached` as for `evaluate_marks`.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    material_table : MaterialTable
        Materials of the scene.
    points : ShadingPoints
        Points of the wave.
    paths : Paths
        Paths of the wave.
    reached : (M,) bool
        Marks that may be met.
    """
    nowhere = np.zeros(count, bool)
    for place in np.flatnonzero(reached):
        laid = material_table.marks[place]
        if laid.relief is None:
            continue
        on = points_on(laid, count, points, paths, nowhere)
        if len(on.index):
            slope = laid.relief.slope(on.s, on.t)
            if laid.mark.is_mirrored:
                slope[0] *= -1
            _tilt(laid, on, slope, points)


def _tilt(laid: PlacedMark, on: On, slope, points) -> None:
    """Tilts shading normals by slopes, (2, N), mm per mm to the right of the mark and upwards."""
    width, height = np.float32(laid.mark.width), np.float32(laid.mark.height)
    net = laid.net.triangles.corners
    tilt_mark_kernel(on.index, on.triangle, slope, net, laid.corners, width, height, points.normal)


@kernel
def tilt_mark_kernel(index, triangle, slope, net, corners, width, height, normal):
    """Tilts those normals of a wave, (N, 3), that slopes are given for; `net` and `corners` are as in `PlacedMark`.

    Parameters
    ----------
    index : (n,) int32
        Points of the wave.
    triangle : (N,) int32
        Triangle of each point.
    slope : (2, n) float32
        Slopes in the directions of the mark.
    net : (R, C, 3) float32
        Net of the surface map, mm.
    corners : (T, 9) float32
        Corners of the triangles, mm.
    width, height : float32
        Size of the mark, mm.
    normal : (N, 3) float32
        Unit normals.
    """
    for i in range(index.shape[0]):
        if slope[0, i] == F(0) and slope[1, i] == F(0):
            continue
        k = triangle[i]
        first = (net[k, 0], net[k, 1], net[k, 2])
        one = sub((net[k, 3], net[k, 4], net[k, 5]), first)
        other = sub((net[k, 6], net[k, 7], net[k, 8]), first)
        ax, ay = (corners[k, 2] - corners[k, 0]) * width, (corners[k, 3] - corners[k, 1]) * height
        bx, by = (corners[k, 4] - corners[k, 0]) * width, (corners[k, 5] - corners[k, 1]) * height
        per = F(1) / (ax * by - ay * bx)
        right = scale(sub(scale(one, by), scale(other, ay)), per)
        up = scale(sub(scale(other, ax), scale(one, bx)), per)
        tilted = sub(normalize(row3(normal, index[i])), scale(right, slope[0, i]))
        store3(normal, index[i], normalize(sub(tilted, scale(up, slope[1, i]))))
