"""Exports of products, parts and materials: formats, what they lose, how large they get, and writing them."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import numpy as np

from mat_shelf.document.ids import FreeNames
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials import losses
from mat_shelf.exchange.materials.flattening import flattened, map_sides, needs_unwrapping
from mat_shelf.exchange.models.mesh_glb import NamedMesh, glb_bytes
from mat_shelf.exchange.product_import import new_project
from mat_shelf.exchange.swatch_file import save_swatch
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.system.file_writer import write_file

SHEET = 100.0
"""mm, side of the square that a material is shown on where it is exported without a product."""
_BYTES_A_TEXEL = 0.7
"""Of a PNG of three channels, compressed: the demo at 2048 texels."""
_BYTES_A_VERTEX = 66
"""Place, normal, tangent, coordinates and indices, with the vertices that unwrapping doubles."""


class ExportFormat(NamedTuple):
    """A format of exports.

    Attributes
    ----------
    key : str
    label : str
        For the user.
    endings : tuple of str
        Of its files, the usual one first; empty where it is a folder.
    takes : tuple of str
        Which of "product", "parts" and "material" it can hold.
    losses : callable (Recipe) -> list of str
    is_baked : bool
        Whether patterns become maps.
    """

    key: str
    label: str
    endings: tuple[str, ...]
    takes: tuple[str, ...]
    losses: Callable[[Recipe], list[str]]
    is_baked: bool = True


def _nothing(recipe: Recipe) -> list[str]:
    return []


EXPORT_FORMATS = (
    ExportFormat("glb", "glTF 2.0 (GLB)", (".glb",), ("product", "parts", "material"), losses.gltf_losses),
    ExportFormat("usd", "USD", (".usdz", ".usda", ".usdc"), ("product", "parts", "material"), losses.preview_losses),
    ExportFormat("mtlx", "MaterialX", (".mtlx",), ("product", "parts", "material"), losses.materialx_losses, False),
    ExportFormat("textures", "Texture set", (), ("parts", "material"), losses.texture_losses),
    ExportFormat("swatch", "Swatch", (".swatch",), ("material",), _nothing, False),
)


@dataclass(frozen=True)
class ExportChoices:
    """Choices of an export.

    Attributes
    ----------
    format : str
        Key of its format.
    size : int
        Texels along a side of the largest maps.
    is_compact : bool
        Whether maps of colour in a GLB are JPEG.
    has_variants : bool
    uses_maps : bool
        Whether patterns in MaterialX are baked rather than nodes.
    naming : str
        Of a texture set, a key of `texture_files.NAMINGS`.
    green_down : bool
        Of normals in a texture set.
    """

    format: str = "glb"
    size: int = 2048
    is_compact: bool = False
    has_variants: bool = True
    uses_maps: bool = False
    naming: str = "inputs"
    green_down: bool = False


def format_for(path: Path) -> ExportFormat | None:
    """The format that a file's ending names.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    ExportFormat or None
    """
    return next((form for form in EXPORT_FORMATS if path.suffix.lower() in form.endings), None)


def export_format(key: str) -> ExportFormat:
    """The format with a key. Raises KeyError.

    Parameters
    ----------
    key : str
        Its key.

    Returns
    -------
    ExportFormat
    """
    return {form.key: form for form in EXPORT_FORMATS}[key]


def with_parts_alone(project: Project, part_ids: Sequence[str]) -> Project:
    """A project in which some parts alone are to be seen.

    Parameters
    ----------
    project : Project
        The project.
    part_ids : sequence of str
        Their ids.

    Returns
    -------
    Project
    """
    parts = [part.with_(is_hidden=part.id not in part_ids) for part in project.product.parts]
    return project.with_parts(parts)


def with_material_alone(project: Project, material: Material, assets: Assets) -> tuple[Project, Assets]:
    """A project of a square sheet that wears a material, with UVs from 0 to 1.

    Parameters
    ----------
    project : Project
        A project.
    material : Material
        The material; its parent need not be there.
    assets : Assets
        Files of the project; they are not changed.

    Returns
    -------
    project : Project
    assets : Assets
    """
    corners = np.float32([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]) * np.float32(SHEET)
    normals = np.tile(np.float32([0, 0, 1]), (4, 1))
    uv = np.float32([[0, 0], [1, 0], [1, 1], [0, 1]])
    both, name = Assets(), material.name
    both.take(assets)
    mesh = both.add(NamedMesh(name, Mesh(corners, np.int32([[0, 1, 2], [0, 2, 3]]), normals, uv)))
    variants = [variant.with_(color_links=()) for variant in project.variants_of(material.id)]
    alone = material.with_(parent=None, own=(), color_links=())
    part = Part(id="sheet", name=name, mesh=mesh, material=alone.id)
    product = Product(name=name, parts=(part,))
    return new_project(product, (alone, *variants), (SHEET, SHEET, SHEET)), both


def losses_of(project: Project, assets: Assets, choices: ExportChoices) -> list[str]:
    """Lines about what an export of a project will lose.

    Parameters
    ----------
    project : Project
        What is exported.
    assets : Assets
        Its files.
    choices : ExportChoices
        Choices.

    Returns
    -------
    list of str
    """
    form = export_format(choices.format)
    if choices.format == "swatch":
        return []
    lines = losses.product_losses(project, form.losses)
    if choices.format == "mtlx" and not choices.uses_maps:
        from mat_shelf.exchange.materials.materialx_writer import notes_on

        return [*lines, *(f"{note[0].upper()}{note[1:]}" for note in notes_on(_worn(project, choices), assets))]
    baked = losses.baked_names(project)
    if baked and (form.is_baked or choices.uses_maps):
        lines.append(f"Patterns become maps of {choices.size} texels at most: {losses.some(baked)}")
    return lines


def estimated_bytes(project: Project, assets: Assets, choices: ExportChoices) -> int:
    """About how large an export of a project gets.

    Parameters
    ----------
    project : Project
        What is exported.
    assets : Assets
        Its files.
    choices : ExportChoices
        Choices.

    Returns
    -------
    int
    """
    form, total = export_format(choices.format), 0
    pictures = {image.digest for material in project.materials for image in material.recipe.pictures()}
    held = sum(len(assets.data(key)) for key in pictures if assets.holds(key))
    if choices.format == "swatch" or (choices.format == "mtlx" and not choices.uses_maps):
        return held + 20_000
    if form.is_baked or choices.uses_maps:
        for material, side in map_sides(project, assets, choices.size, choices.has_variants):
            total += int(
                _map_count(material.recipe) * side * side * _BYTES_A_TEXEL * (0.4 if choices.is_compact else 1)
            )
    if choices.format != "textures":
        shown = [part for part in project.product.parts if not part.is_hidden]
        total += sum(len(assets.meshes[part.mesh].vertices) for part in shown) * _BYTES_A_VERTEX
        total += sum(
            2 * len(assets.data(i.digest)) for m in project.marks for i in m.pictures() if assets.holds(i.digest)
        )
    return total


def _map_count(recipe: Recipe) -> int:
    layers = [recipe, *(overlay.recipe for overlay in recipe.shown_overlays())]
    inputs = {feed.input for layer in layers for feed in layer.feeds}
    inputs |= {"base_color", "specular_roughness"} if len(layers) > 1 else set()
    bends = any(row.is_on and row.height for layer in layers for row in layer.relief)
    return len(inputs) + bends


def export(
    path: Path,
    project: Project,
    assets: Assets,
    choices: ExportChoices,
    progress: Callable[[str, int, int], bool] = lambda what, done, total: True,
) -> list[str]:
    """Writes an export.

    Parameters
    ----------
    path : Path
        A file with an ending of the format, or a folder.
    project : Project
        What is exported; see `with_parts_alone` and `with_material_alone`.
    assets : Assets
        Its files.
    choices : ExportChoices
        Choices.
    progress : callable (what, done, total) -> bool
        False cancels.

    Returns
    -------
    list of str
        What was noticed on the way.

    Raises
    ------
    OSError
        If it cannot be written.
    BakeError, MeshError
        If a part cannot be baked.
    InterruptedError
        If `progress` said so.
    """
    if choices.format == "glb":
        from mat_shelf.exchange.models.product_glb import GlbOptions, export_glb

        options = GlbOptions(choices.size, choices.is_compact, choices.has_variants)
        return export_glb(path, project, assets, options, progress)
    if choices.format == "usd":
        from mat_shelf.exchange.models.product_usd import UsdOptions, export_usd

        return export_usd(path, project, assets, UsdOptions(choices.size, choices.has_variants), progress)
    if choices.format == "mtlx":
        return _export_materialx(path, project, assets, choices, progress)
    if choices.format == "textures":
        return _export_textures(path, project, assets, choices, progress)
    material = next(m for m in project.materials if m.id in project.product.parts[0].worn())
    swatch = Swatch(id=material.id, name=material.name, family=material.family, recipe=material.recipe)
    held = {i.digest: assets.data(i.digest) for i in material.recipe.pictures() if assets.holds(i.digest)}
    save_swatch(path, swatch, held)
    return []


def _worn(project: Project, choices: ExportChoices) -> list[Material]:
    """Materials of what is to be seen, with their variants where those are wanted."""
    worn = {i for part in project.product.parts if not part.is_hidden for i in part.worn()}
    if choices.has_variants:
        worn |= {variant.id for i in list(worn) for variant in project.variants_of(i)}
    return [material for material in project.materials if material.id in worn]


def _export_materialx(path: Path, project: Project, assets: Assets, choices: ExportChoices, progress) -> list[str]:
    from mat_shelf.exchange.materials.materialx_writer import write_materials, write_product

    if not choices.uses_maps:
        return write_materials(path, _worn(project, choices), assets, choices.size)[1]
    flat = flattened(project, assets, choices.size, progress, with_variants=False)
    if not progress("Writing", 0, 0):
        raise InterruptedError("cancelled")
    notes = write_product(path, flat, assets)[1]
    # The maps lie by these UVs, which the model may not have had.
    meshes = [NamedMesh(part.part.name, part.mesh) for part in flat.parts]
    write_file(path.with_name(f"{path.stem}_meshes.glb"), glb_bytes(meshes))
    return notes


def _export_textures(path: Path, project: Project, assets: Assets, choices: ExportChoices, progress) -> list[str]:
    from mat_shelf.exchange.materials.texture_files import plain_start, write_maps

    flat = flattened(project, assets, choices.size, progress, choices.has_variants)
    if not progress("Writing", 0, 0):
        raise InterruptedError("cancelled")
    path.mkdir(parents=True, exist_ok=True)
    notes, meshes, names = list(flat.notes), [], FreeNames()
    for part in flat.parts:
        worn = [material for _, material in part.worn if material is not None]
        worn += [material for choices_of in part.variants for material in choices_of.values()]
        for material in {id(material): material for material in worn}.values():  # zones may wear the same
            if material.maps:
                name = names.take(plain_start(material.name).replace("_", " "))
                write_maps(path, name, material.maps, choices.naming, choices.green_down)
            else:
                notes.append(f"'{material.name}' is the same all over, so it has no maps")
        if any(material.maps for material in worn) and needs_unwrapping(assets.meshes[part.part.mesh]):
            meshes.append(NamedMesh(part.part.name, part.mesh))
    if meshes:
        write_file(path / "meshes.glb", glb_bytes(meshes))
        notes.append("meshes.glb has the UVs that the maps lie by")
    return list(dict.fromkeys(notes))
