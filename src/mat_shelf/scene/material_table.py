"""The materials of a scene: what each geometry wears, and the parameter block.

Geometry and materials are kept apart, because adding triangles to Embree is slow and an edit of a material must
never do it.
"""

from collections import namedtuple
from collections.abc import Mapping, Sequence
from functools import partial
from types import MappingProxyType

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.parameters import parameter_row
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.backdrop import backdrop_recipe, without_inside
from mat_shelf.scene.ball import BALL_RECIPE, Ball
from mat_shelf.scene.bodies import (
    has_inside,
    has_priority,
    is_clear,
    priority_of,
    visible_parts,
)
from mat_shelf.scene.dressing import Dresser, TexturedMaterial
from mat_shelf.scene.interior_list import Bodies
from mat_shelf.scene.placed_marks import place_marks
from mat_shelf.scene.props import prop_recipes, shown_props
from mat_shelf.scene.recipe_program import HEIGHT, bind_overlays
from mat_shelf.scene.rounded_edges import no_edges, round_edges
from mat_shelf.scene.supplies import Supplies
from mat_shelf.system.newest import Newest

UNASSIGNED = Recipe(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)
"""What a part without a material wears."""
_rows = Newest(512)
UNWORN = 255
"""In place of a bit: a material that the geometry does not wear."""
MaterialTable = namedtuple(
    "MaterialTable", "rows zone_first zone_rows met_bits parameters bodies backdrop fed marks dresser edges props_from"
)
"""rows : (G,) int32, the parameter row of each geometry
zone_first : (G,) int32, where in `zone_rows` the faces of a geometry with zones begin; -1 for one without
zone_rows : (Z,) int32, the parameter row of each face of the geometries with zones
met_bits : (G, R) uint8, the bit of `film.Sums.met` that stands for a material on a geometry; beyond 64 such pairs, some
share one
parameters : (M, WIDTH) float32
bodies : interior_list.Bodies, what each geometry is filled with
backdrop : int, the row that is the backdrop's; -1 where there is none
props_from : int, first of the rows that are the props' and the ball's
fed : tuple of TexturedMaterial, the materials that patterns feed
marks : tuple of PlacedMark, the lowest first
dresser : Dresser, what both make of hits
edges : RoundedEdges"""


def make_material_table(
    recipes: Sequence[Recipe],
    rows: Sequence[int],
    backdrop: int = -1,
    zoned=(),
    pictures=None,
    priorities: Mapping[int, int] = MappingProxyType({}),
) -> MaterialTable:
    """The parameter block of some recipes, and which of them each geometry wears.

    Parameters
    ----------
    recipes : sequence of Recipe
        Recipes.
    rows : sequence of int
        Rows of pixels.
    backdrop : int
        The backdrop.
    zoned : sequence of (geometry, (T,) int32)
        Rows of the single faces of geometries that have zones.
    pictures : mapping, optional
        What patterns refer to by SHA-256.
    priorities : mapping from geometry to int, optional
        Priorities of bodies that are not those of their materials.

    Returns
    -------
    MaterialTable
    """
    return with_marks(_unmarked(recipes, rows, backdrop, zoned, pictures, priorities), ())


def _row_of(recipe: Recipe) -> np.ndarray:
    return _rows((recipe,), (), partial(parameter_row, recipe))


def _unmarked(recipes, rows, backdrop: int, zoned, pictures, priorities: Mapping[int, int]) -> MaterialTable:
    """As `make_material_table`, still without what dresses points."""
    first = np.full(len(rows), -1, np.int32)
    place = 0
    for geometry, faces in zoned:
        first[geometry] = place
        place += len(faces)
    zone_rows = np.concatenate([faces for _, faces in zoned]).astype(np.int32) if zoned else np.zeros(0, np.int32)
    known = {} if pictures is None else pictures
    block = [_row_of(r) for r in recipes]
    fed = []
    for row, recipe in enumerate(recipes):
        overlays = bind_overlays(recipe, known, len(block))
        block += [_row_of(lying.overlay.recipe) for lying in overlays]
        if recipe.feeds or overlays or any(line.is_on for line in recipe.relief):
            fed.append(
                TexturedMaterial(row, recipe, PatternContext({p.id: p for p in recipe.patterns}, known), overlays)
            )
    block, fed = np.stack(block), tuple(fed)
    rows = np.array(rows, np.int32).reshape(-1)
    bodies = _bodies(recipes, rows, dict(zoned), priorities)
    bits = _met_bits(rows, dict(zoned), len(recipes))
    edges = no_edges(len(rows))
    return MaterialTable(rows, first, zone_rows, bits, block, bodies, backdrop, fed, (), None, edges, len(block))


def _met_bits(rows: np.ndarray, zoned: Mapping, count: int) -> np.ndarray:
    """Bits of materials on geometries, (G, R) uint8, dealt in turn."""
    worn = np.zeros((len(rows), count), bool)
    worn[np.arange(len(rows)), rows] = True
    for geometry, faces in zoned.items():
        worn[geometry, np.unique(faces)] = True
    bits = np.full(worn.shape, UNWORN, np.uint8)
    bits[worn] = np.arange(worn.sum()) % 64
    return bits


def _bodies(recipes: Sequence[Recipe], rows: np.ndarray, zoned: Mapping, priorities: Mapping) -> Bodies:
    """Fillings of geometries: their own material where they have no zone, or else that of their largest zone with an
    inside.
    """
    filled = rows.copy()
    for geometry, faces in zoned.items():
        worn, counts = np.unique(faces, return_counts=True)
        candidates = [int(rows[geometry]), *worn[np.argsort(-counts, kind="stable")].tolist()]
        filled[geometry] = next((row for row in candidates if has_inside(recipes[row])), candidates[0])
    own = [recipes[row] for row in filled]
    return Bodies(
        filled,
        np.array([priorities.get(g, recipe.nesting_priority) for g, recipe in enumerate(own)], np.int32),
        np.array([is_clear(recipe) and not recipe.geometry_thin_walled for recipe in own], bool),
    )


def project_material_table(
    project: Project, supplies: Supplies, ball: Ball | None = None, displaced: Mapping = MappingProxyType({})
) -> MaterialTable:
    """Materials of a project's geometry, in the order of `project_geometry`.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Meshes, images, geometry maps and true relief.
    ball : Ball or None
        Ball for judging reflections.
    displaced : Mapping
        True relief by part.

    Returns
    -------
    MaterialTable
    """
    ids = {material.id: row for row, material in enumerate(project.materials, 1)} | {None: 0}
    recipes = [UNASSIGNED, *(material.recipe for material in project.materials)]
    visible = [project.product.parts[k] for k in visible_parts(project)]
    rows = [ids[part.material] for part in visible]
    zoned = []
    for geometry, part in enumerate(visible):
        if part.zones:
            faces = np.full(len(supplies.meshes[part.mesh].triangles), ids[part.material], np.int32)
            for zone in part.zones:
                faces[supplies.faces[zone.faces]] = ids[zone.material]
            made = displaced.get(part.id)
            zoned.append((geometry, faces if made is None else faces[made.face]))
    backdrop, backdrop_row = project.set.backdrop, -1
    if backdrop is not None:
        backdrop_row = len(recipes)
        rows.append(backdrop_row)
        worn = next((material.recipe for material in project.materials if material.id == backdrop.material), None)
        recipes.append(backdrop_recipe(backdrop, worn))
    props_from = len(recipes)
    of_props = {prop.material for prop in shown_props(project.set)}
    worn = {each.id: without_inside(each.recipe) for each in project.materials if each.id in of_props}
    for recipe in (*prop_recipes(project.set, worn), *((BALL_RECIPE,) if ball is not None else ())):
        rows.append(len(recipes))
        recipes.append(recipe)
    priorities = {g: priority_of(project, part) for g, part in enumerate(visible) if has_priority(part)}
    material_table = _unmarked(recipes, rows, backdrop_row, zoned, supplies.pictures, priorities)
    sharp = [None if part.is_derived or (part.id in displaced and not part.smoothing) else part for part in visible]
    edges = round_edges(sharp, supplies.meshes, supplies.faces, len(rows))
    material_table = material_table._replace(edges=edges, props_from=props_from)
    marks = place_marks(
        project, supplies.meshes, visible_parts(project), supplies.pictures, len(material_table.parameters)
    )
    if not marks:
        return with_marks(material_table, ())
    recipes = [r for laid in marks for r in (laid.recipe, *(lying.overlay.recipe for lying in laid.overlays))]
    block = np.concatenate([material_table.parameters, [_row_of(recipe) for recipe in recipes]])
    return with_marks(material_table._replace(parameters=block.astype(np.float32)), marks)


def with_marks(material_table: MaterialTable, marks) -> MaterialTable:
    """A material table with marks, which have their rows already.

    Parameters
    ----------
    material_table : MaterialTable
        Materials of a scene.
    marks : sequence of PlacedMark
        The lowest first.

    Returns
    -------
    MaterialTable
    """
    table = material_table
    dresser = Dresser(table.fed, marks, len(table.parameters), len(table.rows))
    return table._replace(marks=tuple(marks), dresser=dresser)


def with_heights(material_table: MaterialTable) -> MaterialTable:
    """A material table whose points get the heights of their relief, mm, in the column `recipe_program.HEIGHT`.

    Parameters
    ----------
    material_table : MaterialTable
        Materials of a scene.

    Returns
    -------
    MaterialTable
    """
    table = material_table
    block = table.parameters.copy()
    block[:, HEIGHT] = 0
    dresser = Dresser(table.fed, table.marks, len(block), len(table.rows), shows_heights=True)
    return table._replace(parameters=block, dresser=dresser)
