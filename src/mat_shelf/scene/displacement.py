"""True relief: parts whose surface itself stands out where rows of relief, or stamps, ask for it.

A part is made finer, and its vertices are moved along their normals by the heights of those rows. What the surface was
before goes along with it: patterns and marks are looked up there, and every row goes on bending shading normals by its
true gradient, so that what is finer than the triangles is not lost.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import maximum_filter, minimum_filter
from scipy.spatial import cKDTree

from mat_shelf.document.mark import Mark
from mat_shelf.document.pattern import Relief, needed
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh, places, row_keys
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.geometry.refining import RefineError, even, finest_allowed, refine
from mat_shelf.geometry.triangles import sums_at
from mat_shelf.marks.artwork import prepare_artwork, stamp_heights
from mat_shelf.marks.surface_map import SurfaceMapError, map_surface
from mat_shelf.patterns.evaluation import evaluate, grey
from mat_shelf.patterns.points import Points, part_frames, part_salt
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.geometry_map_lookup import GeometryMapLookup, lookup_keys
from mat_shelf.scene.placed_marks import surface_map_of

MOST_RELIEF_TRIANGLES = 1_500_000
"""Of one part; they take about 400 MB while they are made and 250 MB afterwards."""
MOST_RELIEF_TOGETHER = 4_000_000
_BATCH = 1 << 16
_STAMP_SPACING = (0.04, 1.0)
"""mm; finest and coarsest sides of triangles under a stamp."""


@dataclass(frozen=True, eq=False)
class ReshapedPart:
    """A part's surface as it stands in the scene, where that is not its mesh: smoothed, or with true relief.

    Attributes
    ----------
    mesh : Mesh
        With true relief its shading normals are those of the surface as it was.
    rest : (T, 9) float32, mm
        Corners of its triangles as they were.
    face : (T,) int32
        Triangles of the part's own mesh that they are pieces of.
    place : (T, 6) float32
        Where in those their three corners lie.
    """

    mesh: Mesh
    rest: np.ndarray
    face: np.ndarray
    place: np.ndarray


def displaced_relief(recipe: Recipe) -> list[Relief]:
    """The rows of a recipe that are true relief.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.

    Returns
    -------
    list of Relief
    """
    return [row for row in recipe.relief if row.is_on and row.is_displaced and row.kind == "height" and row.height]


def needed_displacements(project: Project) -> dict[str, tuple]:
    """The visible parts that have true relief, by id, and all that it depends on, to be compared with ``==``.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    dict of tuple
    """
    true = {}
    for material in project.materials:
        rows = displaced_relief(material.recipe)
        if rows:
            patterns = {p.id: p for p in material.recipe.patterns}
            true[material.id] = material.id, rows, needed([row.pattern for row in rows], patterns)
    pressed = [mark for mark in project.marks if _is_pressed(mark)]
    found: dict[str, tuple] = {}
    if not true and not pressed:
        return found  # it is asked for at every sample, of products of thousands of parts too
    for part in project.product.modelled:
        if part.is_hidden:
            continue
        rows = [true[material] for material in part.worn() if material in true]
        stamps = [mark for mark in pressed if mark.part == part.id]
        if rows or stamps:
            own = part.material if part.zones else None
            found[part.id] = (part.mesh, part.pose, part.zones, own, rows, stamps, bool(part.smoothing))
    return found


def _is_pressed(mark: Mark) -> bool:
    return mark.kind == "stamp" and mark.is_displaced and mark.is_on and mark.rise != 0


def make_displacements(project: Project, made: Mapping[str, tuple]) -> dict[str, ReshapedPart]:
    """Of the displaced surfaces that were made, those that are as the project has them, by part.

    Parameters
    ----------
    project : Project
        The project.
    made : mapping of tuple
        True relief that was made, by part, with its key.

    Returns
    -------
    dict of ReshapedPart
    """
    wanted = needed_displacements(project)
    return {
        part: made[part][1]
        for part, key in wanted.items()
        if part in made and made[part][0] == key and isinstance(made[part][1], ReshapedPart)
    }


def fill_displacements(project: Project, supplies, progress=lambda done, total: True) -> list[str]:
    """Makes every displaced surface that a project needs and the supplies lack.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        `displace` is added to.
    progress : callable (done, total) -> bool
        Told now and then; False cancels.

    Returns
    -------
    list of str
        Which parts stay as they are, and why.

    Raises
    ------
    InterruptedError
        If `progress` said so.
    """
    wanted = needed_displacements(project)
    for gone in set(supplies.displaced) - set(wanted):
        supplies.displaced.pop(gone, None)
    for part, key in wanted.items():
        if part not in supplies.displaced or supplies.displaced[part][0] != key:
            others = (made for other, (_, made) in supplies.displaced.items() if other != part)
            left = max(
                MOST_RELIEF_TOGETHER - sum(len(made.face) for made in others if isinstance(made, ReshapedPart)), 0
            )
            supplies.displaced[part] = (
                key,
                displace(project, part, supplies, min(MOST_RELIEF_TRIANGLES, left), progress),
            )
    return [made for _, made in supplies.displaced.values() if isinstance(made, str)]


def displace(
    project: Project,
    part_id: str,
    supplies,
    most: int = MOST_RELIEF_TRIANGLES,
    progress: Callable[[int, int], bool] = lambda done, total: True,
) -> ReshapedPart | str:
    """A part with its true relief; or why that cannot be had, in words.

    Parameters
    ----------
    project : Project
        The project.
    part_id : str
        Id of the part.
    supplies : Supplies
        Meshes, images, geometry maps and true relief.
    most : int
        Triangles that are allowed.
    progress : callable (int, int) -> bool
        Told now and then; False cancels.

    Returns
    -------
    ReshapedPart or str

    Raises
    ------
    InterruptedError
        If `progress` said so.
    """
    part = project.part(part_id)
    if part.smoothing:
        return f"The relief of '{part.name}' stays bump, for the part is smoothed; set its smoothing to none."
    mesh = supplies.meshes[part.mesh]
    recipes = {material.id: material.recipe for material in project.materials}
    rows = [row for material in part.worn() for row in displaced_relief(recipes[material])]
    finest = min((row.fineness for row in rows), default=np.inf)
    stamps = _stamps(project, part, mesh, supplies.pictures)
    turn, shift, scale = turn_matrix(part.pose.turn), np.array(part.pose.shift), part.pose.scale

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
        allowed = even(finest)(middle, length)
        for stamp in stamps:
            reached = stamp.reaches(middle, 0.5 * length)
            allowed[reached] = np.minimum(allowed[reached], stamp.spacing)
        return allowed

    try:
        fine = refine(mesh, scale, fineness, most, progress)
    except RefineError as fault:
        enough = f"from {finest_allowed(mesh, scale, most):.2g} mm on it fits" if rows else "make its edge wider"
        return f"The relief of '{part.name}' stays bump: {fault}; {enough}."
    count = len(fine.face)
    columns = [fine.position.reshape(-1, 3), np.round(fine.normal.reshape(-1, 3), 5)]
    if fine.uv is not None:
        columns.append(fine.uv.reshape(-1, 2))
    _, first, index = np.unique(row_keys(np.hstack(columns)), return_index=True, return_inverse=True)
    triangles = np.ascontiguousarray(index.reshape(count, 3), np.int32)
    own = fine.position.reshape(-1, 3)[first]
    normal = fine.normal.reshape(-1, 3)[first]
    stood = np.ascontiguousarray(own @ turn.T + shift, np.float32)
    facing = np.ascontiguousarray(normal @ turn.T, np.float32)
    uv = None if fine.uv is None else np.ascontiguousarray(fine.uv.reshape(-1, 2)[first])
    corner_face = np.repeat(fine.face, 3)[first]
    corner_place = fine.place.reshape(-1, 2)[first]

    where = places(own)
    spots = int(where.max()) + 1
    sums, counts = np.zeros(spots), np.zeros(spots)
    points = _points(project, part, supplies, stood, facing, uv, corner_face, corner_place)
    for material, faces in _worn_faces(part, len(mesh.triangles), supplies.faces).items():
        used = np.unique(triangles[faces[fine.face]])
        if not len(used):
            continue
        np.add.at(counts, where[used], 1)
        recipe = recipes.get(material)
        true = displaced_relief(recipe) if recipe is not None else []
        context = PatternContext({p.id: p for p in recipe.patterns}, supplies.pictures) if true else None
        for start in range(0, len(used) if true else 0, _BATCH):
            if not progress(start, len(used)):
                raise InterruptedError("cancelled")
            some = used[start : start + _BATCH]
            here = points.take(some)
            for row in true:
                values = grey(evaluate(context.patterns[row.pattern], here, context))
                np.add.at(sums, where[some], row.height * np.nan_to_num(values.astype(np.float64)))
    heights = sums / np.maximum(counts, 1)
    for stamp in stamps:
        pressed = np.zeros(spots)
        raised = stamp.heights(stood, facing)
        largest = np.abs(raised) > np.abs(pressed[where])
        pressed[where[largest]] = raised[largest]
        heights += pressed
    outward = sums_at(where, facing, spots)
    outward /= np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-12)
    moved = (stood + (heights[:, None] * outward)[where]).astype(np.float32)
    return ReshapedPart(
        Mesh(moved, triangles, facing, uv),
        np.ascontiguousarray(stood[triangles].reshape(count, 9)),
        fine.face,
        np.ascontiguousarray(fine.place.reshape(count, 6)),
    )


def _worn_faces(part: Part, count: int, zone_faces: Mapping) -> dict[str | None, np.ndarray]:
    """Which faces of a part, (T,) bool, wear each material."""
    worn: dict[str | None, np.ndarray] = {part.material: np.ones(count, bool)}
    for zone in part.zones:
        faces = zone_faces[zone.faces]
        for mask in worn.values():
            mask[faces] = False
        worn.setdefault(zone.material, np.zeros(count, bool))[faces] = True
    return worn


def _points(project: Project, part: Part, supplies, position, normal, uv, face, place) -> Points:
    """Vertices as points that patterns are looked up at, as those of hits on the part are."""
    shown = [p for p in project.product.parts if not p.is_hidden]
    poses = [(turn_matrix(p.pose.turn), p.pose.shift, p.pose.scale) for p in shown]
    frames = part_frames([supplies.meshes[p.mesh] for p in shown], poses, [part_salt(p.id) for p in shown])
    number = next(k for k, p in enumerate(shown) if p.id == part.id)
    lookup = GeometryMapLookup(lookup_keys(project), np.zeros(len(shown), np.int32), supplies.geometry_maps)
    count = len(position)
    return Points(
        position,
        normal,
        np.full(count, number, np.int32),
        frames,
        uv,
        None,
        hits=(lookup, face.astype(np.int32), np.ascontiguousarray(place[:, 0]), np.ascontiguousarray(place[:, 1])),
    )


class _Stamp:
    """A stamp as it lies on a part: how high it stands at places."""

    def __init__(self, mark: Mark, part: Part, mesh: Mesh, pictures: Mapping):
        art = (
            prepare_artwork(pictures[mark.art.digest], mark.crop)
            if mark.art is not None and mark.art.digest in pictures
            else None
        )
        self._field = stamp_heights(art, mark.width, mark.height, mark.rise, mark.slope, mark.profile)
        self._is_mirrored = mark.is_mirrored
        sheet = map_surface(mark, mesh, part.pose)
        self._net, _, self._places = surface_map_of(sheet)
        self._near = np.float32(max(0.02, 1e-3 * max(mark.width, mark.height)))
        stands = sheet.points[sheet.lies & self._is_uneven(*sheet.lies.shape)]
        own = (stands - np.array(part.pose.shift)) @ turn_matrix(part.pose.turn)
        self._uneven = cKDTree(own)
        places = np.where(sheet.lies[..., None], sheet.points, np.nan)  # beyond the surface there is none
        wide = [np.linalg.norm(np.diff(places, axis=axis), axis=2) for axis in (0, 1)]
        self._apart = max(float(np.nan_to_num(each).max(initial=0)) for each in wide)
        self.spacing = np.float32(np.clip(mark.slope / 4, *_STAMP_SPACING))

    def _is_uneven(self, rows: int, columns: int) -> np.ndarray:
        """Points of the net beside which heights are others, (R, C) bool."""
        heights = self._field.heights
        high, wide = heights.shape
        size = 2 * math.ceil(high / (rows - 1)) + 1, 2 * math.ceil(wide / (columns - 1)) + 1
        changes = maximum_filter(heights, size) > minimum_filter(heights, size)
        down, along = np.linspace(0, high - 1, rows).astype(int), np.linspace(0, wide - 1, columns).astype(int)
        uneven = changes[np.ix_(down, along)]
        return uneven[:, ::-1] if self._is_mirrored else uneven

    def reaches(self, middle: np.ndarray, radius: np.ndarray) -> np.ndarray:
        """Balls round places, in the frame of the part, that come to where the stamp is uneven, (N,) bool."""
        if not self._uneven.n:
            return np.zeros(len(middle), bool)
        low, high = self._uneven.mins, self._uneven.maxes
        away = np.linalg.norm(np.maximum(np.maximum(low - middle, middle - high), 0), axis=1)
        reached = away <= radius + self._apart
        reached[reached] = self._uneven.query(middle[reached])[0] <= radius[reached] + self._apart
        return reached

    def heights(self, position: np.ndarray, normal: np.ndarray) -> np.ndarray:
        """mm at places, (N,) float64; 0 beside the stamp."""
        hit, triangle, u, v, distance = self._net.intersect(
            np.ascontiguousarray(position + normal * self._near), np.ascontiguousarray(-normal)
        )
        on = np.flatnonzero((hit >= 0) & (distance < 2 * self._near))
        corners = self._places[triangle[on]]
        u, v = u[on, None], v[on, None]
        place = corners[:, :2] + u * (corners[:, 2:4] - corners[:, :2]) + v * (corners[:, 4:] - corners[:, :2])
        heights = np.zeros(len(position))
        s = 1 - place[:, 0] if self._is_mirrored else place[:, 0]
        heights[on] = self._field.height(np.ascontiguousarray(s), np.ascontiguousarray(place[:, 1]))
        return heights


def _stamps(project: Project, part: Part, mesh: Mesh, pictures: Mapping) -> list[_Stamp]:
    made = []
    for mark in project.marks:
        if _is_pressed(mark) and mark.part == part.id:
            try:
                made.append(_Stamp(mark, part, mesh, pictures))
            except SurfaceMapError:
                continue  # kept in the project; the board says what is wrong
    return made
