"""Renewal of what an edit touches of a picture: the pixels whose paths met a material that is another one now.

Random numbers depend on pixel and sample alone, so a pixel that starts again at its first sample, among others that are
kept, has the sums that it would have in a picture that was begun anew.
"""

from typing import NamedTuple
from weakref import ref

import numpy as np
from scipy.ndimage import binary_dilation, find_objects, label

from mat_shelf.document.parameter import Frozen
from mat_shelf.document.project import Project
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.optics import parameters as P
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.photon_map import sends_photons, sharp_looks
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.glow import aimed_rows
from mat_shelf.scene.interior_list import interior_at
from mat_shelf.scene.looks import looks_of, marks_by_geometry
from mat_shelf.scene.material_table import UNWORN, MaterialTable

_TILE = 16
_FEWEST = 8
"""Pixels of a tile from which on they are worth a patch."""
_BESIDE, _GRAIN = 6, 16
"""Pixels that a patch goes on at least beyond those that are seen to change, for the denoiser to see; and those that it
takes its rows and columns by, so that what is left of the last ones would cost as much as whole ones."""
_MOST_PATCHES, _MOST_SHARE = 4, 0.6
"""Patches, and their share of the picture, from which on one patch round all of them is quicker."""
_LEAST, _SPARSE = 1 / 12, 1 / 5
"""Share of the largest patch, below which one of reflections waits until the hand rests; and share of how close its
pixels lie together, below which one does, for the denoiser takes as long for those that are not seen to change."""


class Patch(NamedTuple):
    """Pixels that are seen to change, and a rectangle of rows and columns round them and beyond."""

    pixels: np.ndarray
    rows: slice
    columns: slice


def poured_geometries(before: Project, after: Project) -> set[int] | None:
    """Geometries that stand otherwise because vessels are filled otherwise, with those vessels and what floats there.

    Parameters
    ----------
    before, after : Project
        A project, and what an edit made of it.

    Returns
    -------
    set of int or None
        None if the edit did something else, or nothing.
    """
    olds, news = before.product.parts, after.product.parts
    if len(olds) != len(news) or not _same_but(before, after, "product"):
        return None
    pairs = list(zip(olds, news, strict=True))
    poured = {new.id for old, new in pairs if old is not new and old.fill != new.fill}
    afloat = {new.id for old, new in pairs if old is not new and new.floats is not None and old.pose != new.pose}
    if not (poured or afloat) or not _same_but(before.product, after.product, "parts"):
        return None
    if not all(_same_but(old, new, "pose" if new.id in afloat else "fill") for old, new in pairs):
        return None
    if afloat:  # the liquids that they are in rise or sink a little
        poured |= afloat | {new.id for new in news if new.fill is not None}
    moved = set(poured)
    while more := {p.id for p in news if p.id not in moved and moved.intersection(p.stands_by)}:
        moved |= more  # what rises in a liquid, or lies on it
    moved.update(*(part.stands_by for part in news if part.id in poured))
    return {g for g, place in enumerate(visible_parts(after)) if news[place].id in moved}


def _same_but(one: Frozen, other: Frozen, name: str) -> bool:
    """True if all fields but one are the same; no value is made, which may be one that cannot be."""
    fields = (field for field in type(one).model_fields if field != name)
    return one is other or all(getattr(one, field) == getattr(other, field) for field in fields)


def touched_bits(old: RenderTask, new: RenderTask, poured: set[int] | None = None) -> np.uint64 | None:
    """Bits, as `MaterialTable.met_bits` deals them, of the materials on geometries that are others now.

    Parameters
    ----------
    old, new : RenderTask
        Tasks of the same picture.
    poured : set of int, optional
        Geometries of liquids that stand otherwise, and of their vessels: no path comes to the liquids without meeting
        these, but for light through an open mouth, so that a picture which shows this must be begun anew afterwards.

    Returns
    -------
    uint64 or None
        None where all has to start again.
    """
    if (old.catches, old.keeps_apart) != (new.catches, new.keeps_apart) or old.backplate is not new.backplate:
        return None
    if old.lights is not new.lights or not same_fields(old.view, new.view):
        return None
    if old.geometry is not new.geometry and not poured:
        return None
    ends = [(t.depth, t.seed, t.straight, t.cut_out, t.fed_depth, t.marked_depth) for t in (old, new)]
    before, after = old.material_table, new.material_table
    if ends[0] != ends[1] or not _same_wearing(before, after):
        return None
    tables = (after,) if before is after else (before, after)
    is_sent = (sends_photons(new.geometry, table, new.lights) is not None for table in tables)
    if not new.straight and (poured or sharp_looks(before) != sharp_looks(after)) and any(is_sent):
        return None  # photons fall elsewhere
    if before is not after and not same_fields(_aimed_glow(before), _aimed_glow(after)):
        return None  # rays towards what glows meet nothing of it where they start from
    looks = zip(looks_of(before), looks_of(after), strict=True)
    rows = {row for row, (one, other) in enumerate(looks) if one != other}
    if rows and (interior_at(new.view.position, new.geometry, after.bodies) >= 0).any():
        return None  # the camera is inside of a body that no path has to enter
    marked = marks_by_geometry(before), marks_by_geometry(after)
    edges = before.edges.keys, after.edges.keys
    geometries = {
        g for old_of, new_of in (marked, edges) for g in old_of.keys() | new_of.keys() if old_of.get(g) != new_of.get(g)
    }
    touched = np.isin(np.arange(after.met_bits.shape[1]), list(rows))[None] | np.zeros((len(after.rows), 1), bool)
    # A face in a zone of its own may close a body that is filled with another material.
    touched |= np.isin(after.bodies.row, list(rows))[:, None]
    touched[list(geometries | (poured or set()))] = True
    bits = np.uint64(0)
    for bit in np.unique(after.met_bits[touched & (after.met_bits != UNWORN)]):
        bits |= np.uint64(1) << np.uint64(bit)
    return bits


def pixels_of(bits: np.uint64, met: np.ndarray, known: np.ndarray, seen: np.ndarray, shown: np.ndarray) -> np.ndarray:
    """Pixels whose paths met something, or that see one of some parts, (N,) int32.

    Parameters
    ----------
    bits : uint64
        As `touched_bits` has them.
    met : (P,) uint64
        What paths met of late.
    known : (P,) uint64, written
        What they met before, to which that is added.
    seen : (P,) int16
        Place of the part that each pixel sees; -1 for none.
    shown : (Q,) bool
        By the places of parts, whether a pixel that sees one is among those.

    Returns
    -------
    (N,) int32
    """
    out = np.empty(len(met), np.int32)
    return out[: _touch(bits, met, known, seen, shown, out)].copy()


@kernel
def _touch(bits, met, known, seen, shown, out):
    count = 0
    for i in range(met.shape[0]):
        known[i] |= met[i]
        if known[i] & bits != 0 or (seen[i] >= 0 and shown[seen[i]]):
            out[count] = i
            count += 1
    return count


def _aimed_glow(table: MaterialTable) -> tuple[np.ndarray, np.ndarray]:
    """Rows of parameters that rays are aimed at because they glow, and the light of each."""
    rows = aimed_rows(table)
    return rows, table.parameters[rows, P.EMISSION : P.EMISSION + 3]


def same_fields(one: tuple, other: tuple) -> bool:
    """True if all fields of two tuples of numbers and arrays are equal, as those of two views of one camera.

    Parameters
    ----------
    one, other : tuple
        Of as many fields.

    Returns
    -------
    bool
    """
    return all(np.array_equal(a, b) for a, b in zip(one, other, strict=True))


def _same_wearing(before: MaterialTable, after: MaterialTable) -> bool:
    """True if every face wears the same row, and light enters and leaves bodies alike."""
    kept = ("rows", "zone_first", "zone_rows", "met_bits")
    return (
        before.backdrop == after.backdrop
        and all(np.array_equal(getattr(before, name), getattr(after, name)) for name in kept)
        and same_fields(before.bodies, after.bodies)
    )


def on_lattice(pixels: np.ndarray, width: int, stride: int) -> np.ndarray:
    """Those of some pixels that stand in the middle of squares of a side of `stride` pixels.

    Parameters
    ----------
    pixels : (N,) int32
        Numbers of pixels, in reading order.
    width : int
        Pixels across.
    stride : int
        Side of the squares.

    Returns
    -------
    (K,) int32
    """
    middle = stride // 2
    return pixels[(pixels % width % stride == middle) & (pixels // width % stride == middle)]


def patches_of(seen: np.ndarray, is_own: np.ndarray) -> list[Patch]:
    """Rectangles round the places where pixels that are seen to change lie close together.

    Parameters
    ----------
    seen : (H, W) bool
        Pixels that are seen to change.
    is_own : (H, W) bool
        Pixels that see what changed at once, not through glass or in a mirror.

    Returns
    -------
    list of Patch
    """
    height, width = seen.shape
    shape = -(-height // _TILE), -(-width // _TILE)
    pixels = np.flatnonzero(seen).astype(np.int32)
    tile = pixels // width // _TILE * shape[1] + pixels % width // _TILE
    full = np.bincount(tile, minlength=shape[0] * shape[1]) >= _FEWEST
    if not full.any():
        return []
    labels, count = label(binary_dilation(full.reshape(shape), np.ones((3, 3))))
    own = np.where(full[tile], labels.ravel()[tile], 0)
    many = np.bincount(own, minlength=count + 1)
    boxes = [box for box in find_objects(labels) if box is not None]
    areas = np.array([1] + [(rows.stop - rows.start) * (columns.stop - columns.start) for rows, columns in boxes])
    largest = 1 + many[1:].argmax()
    is_close = many * areas[largest] >= _SPARSE * many[largest] * areas
    is_own_patch = np.bincount(own, is_own.ravel()[pixels], count + 1) >= _FEWEST
    is_worth = is_own_patch | (is_close & (many >= _LEAST * many[largest]))
    is_worth[0] = False
    own = np.where(is_worth[own], own, 0)
    if is_worth.sum() > _MOST_PATCHES or areas[is_worth].sum() > _MOST_SHARE * shape[0] * shape[1]:
        own = (own > 0).astype(np.int32)
    found = []
    for number in np.unique(own[own > 0]):
        inside = pixels[own == number]
        rows, columns = inside // width, inside % width
        found.append(Patch(inside, _beside(rows, height), _beside(columns, width)))
    return found


def _beside(places: np.ndarray, count: int) -> slice:
    """From a little before the first of some rows or columns to a little behind the last."""
    first, last = int(places.min()), int(places.max()) + 1
    length = min(-(-(last - first + 2 * _BESIDE) // _GRAIN) * _GRAIN, count)
    begin = min(max((first + last - length) // 2, 0), count - length)
    return slice(begin, begin + length)


def _wear(table: MaterialTable, bits: np.uint64) -> np.ndarray:
    """Which geometries wear some materials, (G + 1,) bool; the last stands for none."""
    is_worn = table.met_bits != UNWORN
    theirs = np.uint64(1) << np.where(is_worn, table.met_bits, 0).astype(np.uint64)
    return np.append((is_worn & (theirs & bits != 0)).any(axis=1), False)


class KeptPatches:
    """Patches of a drag: they stay those of its first picture as long as no other pixels are touched.

    Of what touches a pixel, patches hold what it shows. Pixels that get some of its light by chance are too many and
    too little changed to be shown with the noise of a single sample, and the more, the longer a picture was refined.
    """

    def __init__(self):
        self._film: ref[Film] | None = None
        self._bits: np.uint64 | None = None
        self._mask = np.zeros(0, bool)
        self._found: list[Patch] = []

    def find(self, film: Film, bits: np.uint64, touched: np.ndarray, table: MaterialTable) -> list[Patch]:
        """Patches of the pixels of a film that are seen to change.

        Parameters
        ----------
        film : Film
            The film.
        bits : uint64
            As `touched_bits` has them.
        touched : (N,) int32
            Numbers of the pixels that start again, or of some of those that did before.
        table : MaterialTable
            Materials of the scene.

        Returns
        -------
        list of Patch
        """
        is_same = self._film is not None and self._film() is film and self._bits == bits
        if not is_same or not self._mask[touched].all():
            self._film, self._bits, self._mask = ref(film), bits, np.zeros(film.width * film.height, bool)
            self._mask[touched] = True
            shows = self._mask & (film.sums.shown & bits != 0)
            self._found = patches_of(shows.reshape(film.height, film.width), _wear(table, bits)[film.part])
        return self._found


def inside_patches(patches: list[Patch], pixels: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Those of some pixels that lie in any of the patches, each once.

    Parameters
    ----------
    patches : list of Patch
        The patches.
    pixels : (N,) int32
        Numbers of pixels, in reading order.
    shape : (H, W)
        Of the picture.

    Returns
    -------
    (K,) int32
    """
    mask = np.zeros(shape, bool)
    for patch in patches:
        mask[patch.rows, patch.columns] = True
    return pixels[mask.ravel()[pixels]]


def fill_touched(shown: np.ndarray, lattice: np.ndarray, patch: Patch, stride: int) -> None:
    """Writes into a picture the touched pixels of a patch, met between the points of a lattice.

    Parameters
    ----------
    shown : (H, W, 3) float32, written
        The picture.
    lattice : (h, w, 3) float32
        Picture at the rows and columns of `lattice_of`.
    patch : Patch
        The patch.
    stride : int
        Side of the squares that a point of the lattice stands in the middle of.
    """
    rows, columns = lattice_of(patch, stride)
    _fill_kernel(patch.pixels, lattice, rows.start, columns.start, stride, shown)


def lattice_of(patch: Patch, stride: int) -> tuple[slice, slice]:
    """Rows and columns of the lattice of `on_lattice` in a patch.

    Parameters
    ----------
    patch : Patch
        The patch.
    stride : int
        Side of the squares, at most that of a tile.

    Returns
    -------
    (rows, columns) : slice
    """
    return tuple(
        slice(min(-(-(side.start - stride // 2) // stride) * stride + stride // 2, side.stop - 1), side.stop, stride)
        for side in (patch.rows, patch.columns)
    )


@kernel
def _fill_kernel(pixels, lattice, top, left, stride, out):
    height, width = lattice.shape[0], lattice.shape[1]
    for i in range(pixels.shape[0]):
        row, column = pixels[i] // out.shape[1], pixels[i] % out.shape[1]
        y = min(max(F(row - top) / F(stride), F(0)), F(height - 1))
        x = min(max(F(column - left) / F(stride), F(0)), F(width - 1))
        j, k = min(int(y), max(height - 2, 0)), min(int(x), max(width - 2, 0))
        v, u = y - F(j), x - F(k)
        below, beside = min(j + 1, height - 1), min(k + 1, width - 1)
        for c in range(3):
            upper = lattice[j, k, c] * (F(1) - u) + lattice[j, beside, c] * u
            lower = lattice[below, k, c] * (F(1) - u) + lattice[below, beside, c] * u
            out[row, column, c] = upper * (F(1) - v) + lower * v
