"""Looks of the materials and marks of a scene, to tell what an edit changed."""

from collections import defaultdict

import numpy as np

from mat_shelf.scene.material_table import MaterialTable
from mat_shelf.system.newest import Newest

_looks = Newest(2)  # of the tables before and after an edit; they are large


def look_of_row(table: MaterialTable, row: int) -> tuple:
    """Looks of a material: its numbers, and the recipe of one that patterns or overlays change.

    Parameters
    ----------
    table : MaterialTable
        Materials of a scene.
    row : int
        Row of the material.

    Returns
    -------
    tuple
        Equal where the looks are.
    """
    fed = next((textured.recipe for textured in table.fed if textured.row == row), None)
    return table.parameters[row].tobytes(), fed


def looks_of(table: MaterialTable) -> list[tuple]:
    """Looks of all materials of a scene, as `look_of_row` has them.

    Parameters
    ----------
    table : MaterialTable
        Materials of a scene.

    Returns
    -------
    list of tuple
    """
    return _looks((table,), (), lambda: [look_of_row(table, row) for row in range(table.met_bits.shape[1])])


def has_details_of(table: MaterialTable, other: MaterialTable) -> bool:
    """True if surfaces have the same patterns, overlays and marks at the same places, whatever they feed on.

    Parameters
    ----------
    table, other : MaterialTable
        Materials of a scene.

    Returns
    -------
    bool
    """
    if table is other:
        return True
    kept = ("rows", "zone_first", "zone_rows")
    is_worn = all(np.array_equal(getattr(table, name), getattr(other, name)) for name in kept)
    return is_worn and _details(table) == _details(other) and marks_by_geometry(table) == marks_by_geometry(other)


def _details(table: MaterialTable) -> list[tuple]:
    found = ((fed.row, fed.recipe) for fed in table.fed)
    return [(row, each.patterns, each.feeds, each.relief, each.overlays, each.age) for row, each in found]


def marks_by_geometry(table: MaterialTable) -> dict[int, list]:
    """Marks on each geometry, the lowest first.

    Parameters
    ----------
    table : MaterialTable
        Materials of a scene.

    Returns
    -------
    dict from int to list of Mark
    """
    found = defaultdict(list)
    for laid in table.marks:
        found[laid.geometry].append(laid.mark)
    return found
