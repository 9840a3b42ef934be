"""Looks of the materials and marks of a scene, to tell what an edit changed."""

from collections import defaultdict

from mat_shelf.scene.material_table import MaterialTable


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
