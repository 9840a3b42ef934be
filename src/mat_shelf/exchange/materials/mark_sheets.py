"""Labels and other marks as thin sheets over their parts, each with its artwork at the artwork's own resolution."""

import numpy as np

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.flat_product import FlatMaterial, FlatPart, needs_maps, plain
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.mark_lookup import art_of_mark, mark_tables
from mat_shelf.scene.placed_marks import PlacedMark, place_marks

_LIFT, _BACK = 0.06, 0.055
"""mm, of a sheet above its part and above the sheet below it, and of its back below its front: as thin as paper, and
more than what is taken for a touch when it is read again."""


def mark_sheets(project: Project, assets: Assets, size: int) -> tuple[list[FlatPart], list[str]]:
    """The visible marks of a product.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Files of the project.
    size : int
        Texels that the longer side of a sheet may have.

    Returns
    -------
    sheets : list of FlatPart
    notes : list of str
    """
    placed = place_marks(project, assets.meshes, visible_parts(project), assets.pictures, 0)
    tables = mark_tables(placed, len(project.product.parts), 0)
    sheets, notes = [], []
    over: dict[int, int] = {}
    for k, laid in enumerate(placed):
        mark = laid.mark
        if mark.kind == "stamp":
            notes.append(f"stamp '{mark.name}' was left out")
            continue
        if needs_maps(mark.recipe):
            notes.append(f"patterns of mark '{mark.name}' were left out")
        over[laid.geometry] = over.get(laid.geometry, 0) + 1
        lift = _LIFT * over[laid.geometry]
        part = project.part(mark.part)
        has_back = mark.kind == "label" and mark.seen == "both" and laid.art is not None
        sides = {"outside": [False], "inside": [True], "both": [False, True] if has_back else [False]}[mark.seen]
        for is_back in sides:
            # Whoever does not tell sides apart meets the one that faces him first.
            mesh = _turned(_sheet_mesh(laid, lift - _BACK)) if is_back else _sheet_mesh(laid, lift)
            color, cover = art_of_mark(tables, k, *_resolution(laid, size), is_back)
            name = f"{mark.name} (back)" if is_back and len(sides) > 1 else mark.name
            flat = _flat(laid, name, color, cover, mark.seen == "both" and len(sides) == 1)
            stand_in = Part(id=mark.id, name=name, mesh=part.mesh)
            sheets.append(FlatPart(stand_in, mesh, [(np.arange(len(mesh.triangles)), flat)], [{}], [""]))
    return sheets, notes


def _resolution(laid: PlacedMark, size: int) -> tuple[int, int]:
    """Columns and rows of a sheet's texture."""
    if laid.art is None:
        return 4, 4
    left, right, top, bottom = laid.art.crop
    columns, rows = laid.art.width * (1 - left - right), laid.art.height * (1 - top - bottom)
    scale = min(1.0, size / max(columns, rows))
    return max(round(columns * scale), 4), max(round(rows * scale), 4)


def _sheet_mesh(laid: PlacedMark, lift: float) -> Mesh:
    """The net of a mark, lifted off its part; u and v run along its artwork's lower and left edge."""
    corners, normals = laid.net.triangles.corners.reshape(-1, 3), laid.net.triangles.normals.reshape(-1, 3)
    places = laid.corners.reshape(-1, 2)
    if laid.mark.is_mirrored:
        places = places * np.float32([-1, 1]) + np.float32([1, 0])
    keys = np.concatenate([corners, normals, places], axis=1)
    unique, index = np.unique(keys, axis=0, return_inverse=True)
    unit = unique[:, 3:6] / np.maximum(np.linalg.norm(unique[:, 3:6], axis=1, keepdims=True), 1e-12)
    triangles = np.ascontiguousarray(index.reshape(-1, 3), np.int32)
    vertices = np.ascontiguousarray(unique[:, :3] + lift * unit, np.float32)
    return Mesh(vertices, triangles, unit.astype(np.float32), np.ascontiguousarray(unique[:, 6:], np.float32))


def _turned(mesh: Mesh) -> Mesh:
    """The other side of a sheet."""
    return Mesh(mesh.vertices, np.ascontiguousarray(mesh.triangles[:, ::-1]), -mesh.normals, mesh.uv)


def _flat(laid: PlacedMark, name: str, color: np.ndarray, cover: np.ndarray, is_double_sided: bool) -> FlatMaterial:
    mark, maps = laid.mark, {}
    recipe = plain(mark.recipe)
    if mark.kind == "screen":
        maps["emission_color"] = mark.black + (1 - mark.black) * color
        recipe = recipe.with_(emission_luminance=mark.luminance)
    elif mark.kind != "foil":
        maps["base_color"] = color
    if float(cover.min()) < 1:
        maps["geometry_opacity"] = cover
    stand_in = Material(id=mark.id, name=name, recipe=mark.recipe)
    return FlatMaterial(name, recipe, stand_in, maps, is_double_sided=is_double_sided)
