"""Tables and limits of the paths of a task, as the passes of a wave read them."""

import numpy as np

from mat_shelf.numerics.kernels import F
from mat_shelf.optics.albedo_tables import albedo_tables
from mat_shelf.rendering import wave_state
from mat_shelf.rendering.render_task import MOST_BOUNCES, RenderTask
from mat_shelf.scene.dressing import Dressing, dress_points
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.light_faces import Lights
from mat_shelf.scene.material_table import MaterialTable

_NO_PLATE = np.zeros((0, 0, 3), np.float32)
MOST_WAVES = 2 * MOST_BOUNCES
"""As many surfaces may a path meet, those without effect among them."""


def tables_of(task: RenderTask, lights: Lights, dressing: Dressing) -> wave_state.SceneTables:
    """Tables of a task; without photons, and without rows of single points.

    Parameters
    ----------
    task : RenderTask
        Scene, camera and settings.
    lights : Lights
        Its lights as rays aim at them.
    dressing : Dressing
        What its dresser has bound.

    Returns
    -------
    SceneTables
    """
    material_table, geometry = task.material_table, task.geometry
    return wave_state.SceneTables(
        geometry.triangles,
        material_table.rows,
        material_table.zone_first,
        material_table.zone_rows,
        material_table.met_bits,
        material_table.parameters,
        material_table.bodies,
        geometry.frames,
        lights,
        albedo_tables(),
        geometry.surface_tables(),
        material_table.edges.tables,
        dressing,
        None,
        None,
    )


def limits_of(task: RenderTask, dressing: Dressing) -> wave_state.PathLimits:
    """Limits of the paths of a task that leave the camera; without pixels.

    Parameters
    ----------
    task : RenderTask
        Scene, camera and settings.
    dressing : Dressing
        What its dresser has bound.

    Returns
    -------
    PathLimits
    """
    material_table = task.material_table
    dresser, rows = material_table.dresser, len(material_table.parameters)
    return wave_state.PathLimits(
        task.depth,
        F(task.brightest),
        material_table.backdrop if task.cut_out else -2,
        material_table.props_from if task.cut_out else rows,
        material_table.backdrop if task.catches and not task.cut_out else -2,
        task.catches and task.cut_out,
        task.straight,
        False,
        task.view,
        _NO_PLATE if task.backplate is None else task.backplate,
        None,
        None,
        task.layers,
        MOST_WAVES,
        task.marked_depth if dresser.has_marks else 0,
        task.fed_depth if dresser.has_patterns else 0,
        rows,
        dressing_address(task.geometry, material_table, dressing),
        task.by_kind,
    )


def dressing_address(geometry: Geometry, material_table: MaterialTable, dressing: Dressing) -> int:
    """Address of what dresses the points of a scene, compiled if need be.

    Parameters
    ----------
    geometry : Geometry
        Geometry of the scene.
    material_table : MaterialTable
        Its materials.
    dressing : Dressing
        What its dresser has bound.

    Returns
    -------
    int
        0 where there is nothing to dress points with.
    """
    dresser = material_table.dresser
    if not dresser.dresses:
        return 0
    points, paths, hits = wave_state.new_shading_points(1), wave_state.new_paths(1), wave_state.new_hits(1)
    path = paths.direction, paths.walk, paths.random
    tables = geometry.surface_tables(), dressing, dresser.memory(1), material_table.parameters
    return dress_points.address(0, points, *path, hits, geometry.caster(), *tables, 0, True, True)
