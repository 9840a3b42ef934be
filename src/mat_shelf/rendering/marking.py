"""Marks at the points of a wave: which points lie on one, what they are made of there, and how stamps bend them."""

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from mat_shelf.document.mark import Mark
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.marks.artwork import Artwork, HeightField, artwork, stamped
from mat_shelf.marks.lying import LyingError, Sheet, lay
from mat_shelf.optics import parameters as P
from mat_shelf.optics.kernels import kernel
from mat_shelf.patterns.step import Library
from mat_shelf.rendering.feeding import chance_kernel
from mat_shelf.rendering.geometry import Geometry

_NEAR = 0.06
"""mm, or this share of a mark's size over 20: how far a net may be from the surface that it was laid on."""


class Laid(NamedTuple):
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
    low, high : (3,) float32, mm
        The box round them.
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
    low: np.ndarray
    high: np.ndarray
    corners: np.ndarray
    library: Library
    art: Artwork | None
    back: Artwork | None
    relief: HeightField | None

    @property
    def recipe(self) -> Recipe:
        return self.mark.recipe


def mark_recipe(mark: Mark) -> Recipe:
    """What a mark is made of, its art aside: no light goes into it."""
    recipe = mark.recipe.with_(transmission_weight=0.0).without_feed("transmission_weight")
    if mark.kind == "screen":
        recipe = recipe.with_(emission_luminance=mark.luminance)
    return recipe


def laid_marks(
    project: Project, meshes: Mapping[str, Mesh], visible: Sequence[int], pictures: Mapping, first_row: int
) -> tuple[Laid, ...]:
    """The marks of a project that can be seen, the lowest first.

    Parameters
    ----------
    visible : sequence of int
        Places of the visible parts, in the order of their geometries.
    first_row : int
        From which on their rows of the parameter block are numbered.
    """
    parts = project.product.parts
    geometries = {parts[place].id: number for number, place in enumerate(visible)}
    made: list[Laid] = []
    for mark in project.marks:
        if not mark.is_on or mark.part not in geometries:
            continue
        part = parts[visible[geometries[mark.part]]]
        try:
            sheet = lay(mark, meshes[part.mesh], part.pose)
        except LyingError:
            continue  # kept in the project; the board says what is wrong
        if not sheet.lies.any():
            continue
        art, back = (
            artwork(pictures[picture.digest]) if picture is not None and picture.digest in pictures else None
            for picture in (mark.art, mark.back)
        )
        relief = None
        if mark.kind == "stamp":
            relief = stamped(art, mark.width, mark.height, mark.rise, mark.slope, mark.profile)
        net, low, high, corners = _net(sheet)
        made.append(
            Laid(
                mark.with_(recipe=mark_recipe(mark)),
                first_row + len(made),
                geometries[mark.part],
                net,
                low,
                high,
                corners,
                Library({p.id: p for p in mark.recipe.patterns}, pictures),
                art,
                back,
                relief,
            )
        )
    return tuple(made)


@lru_cache(maxsize=64)
def _net(sheet: Sheet) -> tuple[Geometry, np.ndarray, np.ndarray, np.ndarray]:
    """A sheet's triangles in Embree, the box round them, and the places on the mark of their corners."""
    triangles = sheet.triangles()
    used, triangles_used = np.unique(triangles, return_inverse=True)
    net = Mesh(
        sheet.points.reshape(-1, 3)[used],
        np.ascontiguousarray(triangles_used.reshape(-1, 3), np.int32),
        sheet.normals.reshape(-1, 3)[used],
    )
    low, high = net.bounds if len(used) else np.zeros((2, 3), np.float32)
    return Geometry([net]), low, high, np.ascontiguousarray(_places(sheet)[triangles].reshape(-1, 6))


def _places(sheet: Sheet) -> np.ndarray:
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


def points_on(laid: Laid, count: int, points, paths, is_marked: np.ndarray) -> On:
    """The points of a wave that lie on a mark, from where it is seen, and on none before.

    Parameters
    ----------
    points : passes.Points
    paths : passes.Paths
    is_marked : (count,) bool
    """
    mark = laid.mark
    near = max(_NEAR, _NEAR * max(mark.width, mark.height) / 20)
    index = np.empty(count, np.int64)
    box = np.float32([laid.low - near, laid.high + near])
    found = candidates(
        count, points.part, points.row, paths.walk, is_marked, points.position, laid.geometry, box, index
    )
    if not found:
        return _none()
    index = index[:found]
    position, facing = points.position[index], points.facing[index]
    start = np.ascontiguousarray(position + facing * np.float32(near), np.float32)
    hit, triangle, u, v, distance = laid.net.intersect(start, np.ascontiguousarray(-facing))
    back = (paths.direction[index] * facing).sum(axis=1) > 0
    is_there = (hit >= 0) & (distance < 2 * near)
    if mark.seen != "both":
        is_there &= back == (mark.seen == "inside")
    triangle, u, v = triangle[is_there], u[is_there, None], v[is_there, None]
    corners = laid.corners[triangle]
    place = corners[:, :2] + u * (corners[:, 2:4] - corners[:, :2]) + v * (corners[:, 4:] - corners[:, :2])
    s = 1 - place[:, 0] if mark.is_mirrored else place[:, 0]
    return On(index[is_there], np.ascontiguousarray(s), np.ascontiguousarray(place[:, 1]), back[is_there], triangle)


def _none() -> On:
    empty = np.zeros(0, np.float32)
    return On(np.zeros(0, np.int64), empty, empty, np.zeros(0, bool), np.zeros(0, np.int32))


def look_of(laid: Laid, on: On) -> tuple[np.ndarray, np.ndarray]:
    """Colour of a mark at points on it, and how much of it is there.

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


def mark_wave(count: int, dressing, points, paths, block, dress) -> tuple[int, np.ndarray]:
    """Gives the points of a wave that lie on marks rows of their own.

    Parameters
    ----------
    dress : callable (index, laid, free) -> int
        Dresses points in a mark's recipe, each in a row of its own from `free` on; returns the next free row.

    Returns
    -------
    free : int
        First row of the block that is still free.
    is_marked : (count,) bool
    """
    free, is_marked = len(dressing.parameters), np.zeros(count, bool)
    for place in range(len(dressing.marks) - 1, -1, -1):
        laid = dressing.marks[place]
        if laid.mark.kind == "stamp":
            continue
        on = points_on(laid, count, points, paths, is_marked)
        if not len(on.index):
            continue
        color, cover = look_of(laid, on)
        chance = np.empty(len(on.index), np.float32)
        chance_kernel(paths.random[on.index], np.uint32(0x4D000000 + place), chance)
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


@kernel
def candidates(count, part, row, walk, is_marked, position, geometry, box, out):
    """Points of a wave on a geometry, inside a box; how many there are.

    Inside a soft body its walls have no looks, so paths that wander about there are left out.
    """
    found = 0
    for i in range(count):
        if row[i] < 0 or part[i] != geometry or walk[i] >= 0 or is_marked[i]:
            continue
        is_inside = True
        for k in range(3):
            if position[i, k] < box[0, k] or position[i, k] > box[1, k]:
                is_inside = False
        if is_inside:
            out[found] = i
            found += 1
    return found


def _colour(rows: np.ndarray, mark: Mark, color: np.ndarray) -> None:
    if mark.kind == "foil":
        return
    if mark.kind == "screen":
        lit = mark.black + (1 - mark.black) * color
        rows[:, P.EMISSION : P.EMISSION + 3] = lit * np.float32(mark.luminance / P.WHITE)
        return
    rows[:, P.BASE_COLOR : P.BASE_COLOR + 3] = color * np.float32(mark.recipe.base_weight)


def _bend_edge(laid: Laid, on: On, seen: np.ndarray, points) -> None:
    """Turns the normals at the rim of a sheet outwards, as its thickness shows there."""
    mark = laid.mark
    across = np.stack([on.s[seen] * mark.width, (1 - on.s[seen]) * mark.width])
    upward = np.stack([on.t[seen] * mark.height, (1 - on.t[seen]) * mark.height])
    rim = np.float32(max(mark.thickness, 0.02))
    gap = np.concatenate([across, upward])
    side, nearest = gap.argmin(axis=0), gap.min(axis=0)
    at = nearest < rim
    if not at.any():
        return
    rise = np.where(side[at] < 2, 0, 1), np.where(side[at] % 2 == 0, 1.0, -1.0)
    slope = np.zeros((2, int(at.sum())), np.float32)
    slope[rise[0], np.arange(slope.shape[1])] = rise[1]
    _tilt(laid, on.index[seen][at], on.triangle[seen][at], slope, on.is_back[seen][at], points)


def stamp_wave(count: int, dressing, points, paths) -> None:
    """Bends the normals of the points of a wave that stamps are pressed into."""
    nowhere = np.zeros(count, bool)
    for laid in dressing.marks:
        if laid.relief is None:
            continue
        on = points_on(laid, count, points, paths, nowhere)
        if len(on.index):
            slope = laid.relief.slope(on.s, on.t)
            if laid.mark.is_mirrored:
                slope[0] *= -1
            _tilt(laid, on.index, on.triangle, slope, on.is_back, points)


def _tilt(laid: Laid, index, triangle, slope, is_back, points) -> None:
    """Tilts shading normals by slopes, mm per mm to the right of the mark and upwards."""
    net = laid.net.triangles.corners[triangle]
    place = laid.corners[triangle] * np.float32([laid.mark.width, laid.mark.height] * 3)
    one, other = net[:, 3:6] - net[:, :3], net[:, 6:9] - net[:, :3]
    a, b = place[:, 2:4] - place[:, :2], place[:, 4:6] - place[:, :2]
    size = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])[:, None]
    right = (one * b[:, 1:] - other * a[:, 1:]) / size
    up = (other * a[:, :1] - one * b[:, :1]) / size
    normal = points.normal[index]
    normal = normal / np.linalg.norm(normal, axis=1, keepdims=True)
    bent = normal - slope[0][:, None] * right - slope[1][:, None] * up
    points.normal[index] = bent / np.linalg.norm(bent, axis=1, keepdims=True)
