"""Marks at hits: which one covers a point, in which colour, and how rims and stamps bend its normal."""

from collections import namedtuple
from collections.abc import Sequence

import numpy as np

from mat_shelf.geometry.ray_casting import Caster, nearest
from mat_shelf.marks.artwork import Artwork, art_at, height_at
from mat_shelf.numerics.hashed_noise import U
from mat_shelf.numerics.interpolation import between2
from mat_shelf.numerics.kernels import F, apart, inline, kernel
from mat_shelf.numerics.memory import floats2
from mat_shelf.numerics.vectors import add, dot, normalize, row3, scale, store3, sub
from mat_shelf.optics import parameters as P
from mat_shelf.optics.color import luminance_of
from mat_shelf.patterns.operation import PACKET
from mat_shelf.scene.chance import chance_of
from mat_shelf.scene.placed_marks import PlacedMark

MarkTables = namedtuple(
    "MarkTables", "first order stamp_first stamp_order numbers values records crops first_look counting"
)
"""Marks, as kernels read them.

first : (G + 1,) int32; order : (K,) int32, the marks on each geometry that cover it, the topmost first
stamp_first, stamp_order : the same of its stamps, the lowest first
numbers : (K, NUMBERS) int64, values : (K, VALUES) float32, of each mark
records : (A, 8) int64, crops : (A, 4) float32, as `Artwork` has them
first_look : int, look of the first mark
counting : (PACKET,) int32, 0, 1, 2 ...
"""

_SCENE, _NET, _CORNERS, _SIDES, _KIND, _ART, _BACK, _IS_PRINTED, _HEIGHTS, _ROWS, _COLUMNS = range(11)
_NUMBERS = 11
"""Of a mark: its net in Embree; addresses of the corners of the net's triangles and of their places on the mark; sides
(`_MIRRORED`, `_OUTSIDE`, `_INSIDE`); kind; rows of the artwork of both sides, -1 for none; whether it is to have any;
address, rows and columns of a stamp's heights."""
_MIRRORED, _OUTSIDE, _INSIDE = 1, 2, 4
_KINDS = ("label", "print", "foil", "screen", "stamp")
_LABEL, _FOIL, _SCREEN = _KINDS.index("label"), _KINDS.index("foil"), _KINDS.index("screen")
_BOX, _NEAR, _WIDTH, _HEIGHT, _BACKING, _COLOR, _WEIGHT, _BLACK, _BRIGHT, _RIM, _STEP = (
    0,
    6,
    7,
    8,
    9,
    10,
    13,
    14,
    15,
    16,
    17,
)
_VALUES = 19
"""Of a mark: box, 6, mm; how far the surface may be from the net, mm; size, mm; coverage of the sheet; colour, 3, and
its weight; black and white of a screen, 1 = 1000 cd/m2; width of the rim that bends, mm; pixel of the heights, 2,
mm."""
_PAPER, _REVERSE = F(0.85), F(0.78)
"""Reflectance of a label's sheet where nothing is printed, and of its other side."""
_CHOICE = 0x4D000000
"""Place of the first mark among the choices of `chance_of`."""
_THINNEST_RIM = 0.02


def mark_tables(marks: Sequence[PlacedMark], geometries: int, first_look: int) -> MarkTables:
    """Marks of a scene, as kernels read them. The arrays hold addresses of what the marks keep.

    Parameters
    ----------
    marks : sequence of PlacedMark
        The lowest first.
    geometries : int
        Number of geometries.
    first_look : int
        Look of the first of them.

    Returns
    -------
    MarkTables
    """
    numbers = np.zeros((len(marks), _NUMBERS), np.int64)
    values = np.zeros((len(marks), _VALUES), np.float32)
    arts: list[Artwork] = []
    for k, laid in enumerate(marks):
        mark, row = laid.mark, numbers[k]
        row[_SCENE] = laid.net.caster().scene
        row[_NET], row[_CORNERS] = laid.net.triangles.corners.ctypes.data, laid.corners.ctypes.data
        row[_SIDES] = (
            _MIRRORED * mark.is_mirrored + _OUTSIDE * (mark.seen != "inside") + _INSIDE * (mark.seen != "outside")
        )
        row[_KIND], row[_IS_PRINTED] = _KINDS.index(mark.kind), mark.art is not None
        row[_ART], row[_BACK] = _row_of(laid.art, arts), _row_of(laid.back, arts)
        own = values[k]
        if laid.relief is not None:
            heights = laid.relief.heights
            row[_HEIGHTS], row[_ROWS], row[_COLUMNS] = heights.ctypes.data, *heights.shape
            own[_STEP : _STEP + 2] = laid.relief.step
        own[_BOX : _BOX + 6], own[_NEAR] = laid.box.ravel(), laid.near
        own[_WIDTH], own[_HEIGHT], own[_BACKING] = mark.width, mark.height, mark.backing
        own[_COLOR : _COLOR + 3], own[_WEIGHT] = mark.recipe.base_color, mark.recipe.base_weight
        own[_BLACK], own[_BRIGHT] = mark.black, mark.luminance / P.WHITE
        if mark.kind == "label" and mark.thickness > 0:
            own[_RIM] = max(mark.thickness, _THINNEST_RIM)
    stamps = [k for k, laid in enumerate(marks) if laid.relief is not None]
    covers = [k for k, laid in enumerate(marks) if laid.mark.kind != "stamp"]
    return MarkTables(
        *_by_geometry(covers[::-1], marks, geometries),
        *_by_geometry(stamps, marks, geometries),
        numbers,
        values,
        np.stack([art.record for art in arts]) if arts else np.zeros((0, 8), np.int64),
        np.stack([art.crop for art in arts]) if arts else np.zeros((0, 4), np.float32),
        first_look,
        np.arange(PACKET, dtype=np.int32),
    )


def _row_of(art: Artwork | None, arts: list[Artwork]) -> int:
    """Row of an artwork, which is added; -1 for none."""
    if art is None:
        return -1
    arts.append(art)
    return len(arts) - 1


def _by_geometry(chosen: list[int], marks: Sequence[PlacedMark], geometries: int) -> tuple[np.ndarray, np.ndarray]:
    """Begin of those on each geometry, (G + 1,) int32, and which they are."""
    on = [[k for k in chosen if marks[k].geometry == g] for g in range(geometries)]
    return (
        np.cumsum([0, *(len(some) for some in on)]).astype(np.int32),
        np.array([k for some in on for k in some], np.int32),
    )


@inline
def _is_within(place, values, k):
    is_above = place[0] >= values[k, 0] and place[1] >= values[k, 1] and place[2] >= values[k, 2]
    return is_above and place[0] <= values[k, 3] and place[1] <= values[k, 4] and place[2] <= values[k, 5]


@inline
def is_near_any(first, order, values, g, place):
    """True if a point lies in the box of any of some marks on its geometry: most do not, and are asked no more.

    Parameters
    ----------
    first, order : int32 arrays
        As in `MarkTables`.
    values : (K, VALUES) float32
        Of each mark.
    g : int
        The geometry.
    place : float32 triple
        The point, mm.

    Returns
    -------
    bool
    """
    is_near = False
    for k in range(first[g], first[g + 1]):
        is_near = is_near or _is_within(place, values, order[k])
    return is_near


@apart
def _place_on(marks, k, position, facing, direction, caster):
    """Place of a point on a mark: triangle of its net, -1 where it is not on it; s, t; whether its back is seen."""
    numbers, values = marks.numbers, marks.values
    missed = np.int32(-1), F(0), F(0), False
    if not _is_within(position, values, k):
        return missed
    sides = numbers[k, _SIDES]
    is_back = dot(direction, facing) > F(0)
    if sides & (_INSIDE if is_back else _OUTSIDE) == 0:
        return missed
    near = values[k, _NEAR]
    net = Caster(caster.nearest, caster.any, numbers[k, _SCENE], caster.record, caster.words)
    hit, face, u, v, _ = nearest(net, add(position, scale(facing, near)), scale(facing, F(-1)), F(2) * near)
    if hit < 0:
        return missed
    s, t = between2(floats2(numbers[k, _CORNERS], face + 1, 6), face, u, v)
    return face, F(1) - s if sides & _MIRRORED else s, t, is_back


@apart
def _art_on(marks, k, s, t, is_back):
    """Colour of a mark at a place on it, linear Rec.709, and how much of it is there."""
    numbers, values, records, crops = marks.numbers, marks.values, marks.records, marks.crops
    color = values[k, _COLOR], values[k, _COLOR + 1], values[k, _COLOR + 2]
    alpha, kind = F(1), numbers[k, _KIND]
    art, back = numbers[k, _ART], numbers[k, _BACK]
    if art >= 0:
        red, green, blue, alpha = art_at(records[art], crops[art], s, t)
        if kind == _FOIL:
            if records[art, 7] == 0:
                alpha *= F(1) - luminance_of(red, green, blue)
            return color, alpha
        color = red, green, blue
    if kind != _LABEL:
        return color, alpha
    if is_back:
        if back >= 0:
            red, green, blue, shown = art_at(records[back], crops[back], F(1) - s, t)
            color, alpha = (red, green, blue), max(shown, alpha)
        elif numbers[k, _IS_PRINTED] > 0:
            color = _REVERSE, _REVERSE, _REVERSE
    sheet = (F(1) - alpha) * values[k, _BACKING]
    cover = alpha + sheet
    share, paper = alpha / max(cover, F(1e-4)), sheet * _PAPER / max(cover, F(1e-4))
    return (color[0] * share + paper, color[1] * share + paper, color[2] * share + paper), cover


def art_of_mark(marks: MarkTables, k: int, columns: int, rows: int, is_back: bool) -> tuple[np.ndarray, np.ndarray]:
    """Colour of all of a mark, and how much of it is there, the upper row first.

    Parameters
    ----------
    marks : MarkTables
        Marks of a scene.
    k : int
        The mark.
    columns, rows : int
        Pixels.
    is_back : bool
        Whether it is seen from its other side; places stay those of its front.

    Returns
    -------
    color : (rows, columns, 3) float32
        Linear Rec.709.
    cover : (rows, columns) float32
        In [0, 1].
    """
    color, cover = np.empty((rows, columns, 3), np.float32), np.empty((rows, columns), np.float32)
    _fill_art(marks, k, is_back, color, cover)
    return color, cover


@kernel
def _fill_art(marks, k, is_back, color, cover):
    rows, columns = cover.shape
    for row in range(rows):
        for column in range(columns):
            s, t = (F(column) + F(0.5)) / F(columns), F(1) - (F(row) + F(0.5)) / F(rows)
            shown, cover[row, column] = _art_on(marks, k, s, t, is_back)
            color[row, column, 0], color[row, column, 1], color[row, column, 2] = shown


@apart
def _directions_on(marks, k, face):
    """Vectors a mm long to the right of a mark and upwards, on a triangle of its net."""
    numbers, values = marks.numbers, marks.values
    net, corners = floats2(numbers[k, _NET], face + 1, 9), floats2(numbers[k, _CORNERS], face + 1, 6)
    width, height = values[k, _WIDTH], values[k, _HEIGHT]
    first = (net[face, 0], net[face, 1], net[face, 2])
    one = sub((net[face, 3], net[face, 4], net[face, 5]), first)
    other = sub((net[face, 6], net[face, 7], net[face, 8]), first)
    ax, ay = (corners[face, 2] - corners[face, 0]) * width, (corners[face, 3] - corners[face, 1]) * height
    bx, by = (corners[face, 4] - corners[face, 0]) * width, (corners[face, 5] - corners[face, 1]) * height
    per = F(1) / (ax * by - ay * bx)
    right = scale(sub(scale(one, by), scale(other, ay)), per)
    return right, scale(sub(scale(other, ax), scale(one, bx)), per)


@apart
def find_mark(marks, i, points, position, facing, direction, random, caster, memory):
    """Look of the topmost mark that covers a point; -1 where none does.

    Parameters
    ----------
    marks : MarkTables
        Marks of the scene.
    i : int
        The point.
    points : wave_state.ShadingPoints
        Points of the wave.
    position, facing : (N, 3) float32
        Where they were before true relief moved them.
    direction : (N, 3) float32
        Directions of the paths.
    random : uint32
        State of the path, which is not advanced.
    caster : ray_casting.Caster
        Memory for a ray.
    memory : dressing.DressingMemory
        Receives the colour, and what the rim bends the normal by.

    Returns
    -------
    int
    """
    g = points.part[i]
    for place in range(marks.first[g], marks.first[g + 1]):
        k = marks.order[place]
        place3, facing3 = row3(position, i), row3(facing, i)
        face, s, t, is_back = _place_on(marks, k, place3, facing3, row3(direction, i), caster)
        if face < 0:
            continue
        color, cover = _art_on(marks, k, s, t, is_back)
        if not (chance_of(random, U(_CHOICE + k)) < cover):
            continue
        store3(memory.color, i, color)
        tilt, rim = (F(0), F(0), F(0)), marks.values[k, _RIM]
        across = min(s, F(1) - s) * marks.values[k, _WIDTH]
        up = min(t, F(1) - t) * marks.values[k, _HEIGHT]
        if min(across, up) < rim:  # the rim of a sheet faces outwards, as its thickness shows there
            right, upwards = _directions_on(marks, k, face)
            if across <= up:
                side = F(1) if s < F(0.5) else F(-1)
                tilt = scale(right, -side if marks.numbers[k, _SIDES] & _MIRRORED else side)
            else:
                tilt = scale(upwards, F(1) if t < F(0.5) else F(-1))
        store3(memory.tilt, i, tilt)
        return marks.first_look + k
    return -1


@apart
def paint_mark(marks, k, i, memory, normal, own):
    """Writes the colour of a mark into the row of a point, and bends its normal at a rim.

    Parameters
    ----------
    marks : MarkTables
        Marks of the scene.
    k : int
        The mark.
    i : int
        The point.
    memory : dressing.DressingMemory
        As `find_mark` left it.
    normal : (N, 3) float32
        Shading normals.
    own : (N, WIDTH) float32
        Rows of the points.
    """
    values, kind = marks.values, marks.numbers[k, _KIND]
    if kind == _SCREEN:
        for axis in range(3):
            lit = values[k, _BLACK] + (F(1) - values[k, _BLACK]) * memory.color[i, axis]
            own[i, P.EMISSION + axis] = lit * values[k, _BRIGHT]
    elif kind != _FOIL:
        for axis in range(3):
            own[i, P.BASE_COLOR + axis] = memory.color[i, axis] * values[k, _WEIGHT]
    tilt = row3(memory.tilt, i)
    if dot(tilt, tilt) > F(0):
        store3(normal, i, normalize(sub(normalize(row3(normal, i)), tilt)))


@apart
def press_stamps(marks, i, points, position, facing, direction, caster):
    """Bends the normal of a point that stamps are pressed into.

    Parameters
    ----------
    marks : MarkTables
        Marks of the scene.
    i : int
        The point.
    points : wave_state.ShadingPoints
        Points of the wave; the normal is changed.
    position, facing : (N, 3) float32
        Where they were before true relief moved them.
    direction : (N, 3) float32
        Directions of the paths.
    caster : ray_casting.Caster
        Memory for a ray.
    """
    g = points.part[i]
    for place in range(marks.stamp_first[g], marks.stamp_first[g + 1]):
        k = marks.stamp_order[place]
        face, s, t, _ = _place_on(marks, k, row3(position, i), row3(facing, i), row3(direction, i), caster)
        if face < 0:
            continue
        heights = floats2(marks.numbers[k, _HEIGHTS], marks.numbers[k, _ROWS], marks.numbers[k, _COLUMNS])
        half, nothing = F(0.5), F(0)
        across = height_at(heights, s, t, half, nothing) - height_at(heights, s, t, -half, nothing)
        up = height_at(heights, s, t, nothing, half) - height_at(heights, s, t, nothing, -half)
        across, up = across / marks.values[k, _STEP], up / marks.values[k, _STEP + 1]
        if marks.numbers[k, _SIDES] & _MIRRORED:
            across = -across
        if across != F(0) or up != F(0):
            right, upwards = _directions_on(marks, k, face)
            tilted = sub(normalize(row3(points.normal, i)), scale(right, across))
            store3(points.normal, i, normalize(sub(tilted, scale(upwards, up))))
