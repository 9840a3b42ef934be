"""Flattening of a product: patterns and overlays of its materials baked by the UVs of each part."""

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import numpy as np

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.direct_images import DirectImage, direct_feeds
from mat_shelf.exchange.materials.flat_product import FlatMaterial, FlatPart, FlatProduct, needs_maps, plain
from mat_shelf.exchange.materials.mark_sheets import mark_sheets
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.exchange.unwrap_cache import FILLED, unwrapped
from mat_shelf.fills.vessel import VesselError
from mat_shelf.geometry.adjacency import face_areas
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.pose import posed
from mat_shelf.patterns.step import PatternContext
from mat_shelf.rendering.baking import bake
from mat_shelf.scene.poured_liquids import poured_liquid
from mat_shelf.scene.poured_streams import poured_stream
from mat_shelf.system.bounded import KEPT

_SMALLEST = 64
_EVEN = 1 / 512
"""Largest difference within a map that is taken for none."""
_EVEN_SLOPE = 0.004
_SKIPPED = 13
"""Texels from one that is looked at first to the next, along each side."""


def flattened(
    project: Project,
    assets: Assets,
    size: int,
    progress: Callable[[str, int, int], bool] = lambda what, done, total: True,
    with_variants: bool = True,
    can_keep: Callable[[dict[str, DirectImage], Recipe], bool] = lambda images, recipe: False,
) -> FlatProduct:
    """Flattens the materials of all visible parts.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Files of the project.
    size : int
        Texels along a side of the largest part's maps; those of smaller parts have texels of the same size.
    progress : callable (what, done, total) -> bool
        False cancels.
    with_variants : bool
        Whether the variants of worn materials are flattened too.
    can_keep : callable (images, recipe) -> bool
        Whether a material that is nothing but images on the UVs can keep those.

    Returns
    -------
    FlatProduct

    Raises
    ------
    BakeError, MeshError
        If a part cannot be baked.
    InterruptedError
        If `progress` said so.
    """
    parts = [
        p for p in project.product.parts if not p.is_hidden and p.beads is None and p.bubbles is None and not p.foam
    ]
    prepare_supplies(project, assets, progress)
    notes: list[str] = []
    stands = {part.id: _stands(project, part, assets) for part in parts}
    worn = {part.id: _worn(project, part, with_variants) for part in parts}
    direct = {}
    for material in {m.id: m for found in worn.values() for m in found}.values():
        found = direct_feeds(material.recipe)
        if found is None or not all(assets.holds(image.image.digest) for image in found.values()):
            continue
        if can_keep(found, material.recipe):
            direct[material.id] = found
    baked = {part.id: [m for m in worn[part.id] if m.id not in direct and needs_maps(m.recipe)] for part in parts}
    for part in parts:
        if part.is_derived and baked[part.id]:  # it is poured anew each time; its surface is clear and even
            notes.append(f"patterns of '{part.name}' were left out: the shape of a liquid has no UVs")
            baked[part.id] = []
    needing = [part for part in parts if baked[part.id]]
    spans = {part.id: _span(stands[part.id]) for part in needing}
    texel = max(spans.values(), default=1.0) / size
    meshes = _unwrapped(needing, assets, notes, progress)
    made: dict[tuple[str, str], FlatMaterial] = {}
    for number, part in enumerate(needing):
        for material in baked[part.id]:
            if not progress(f"Baking {part.name}", number, len(needing)):
                raise InterruptedError("cancelled")
            side = _side(spans[part.id], texel, size)
            made[part.id, material.id] = _baked(
                material, part, meshes[part.id], side, assets, lambda done, total: progress("", -1, 0)
            )
    flat_parts = []
    for part in parts:
        mesh = stands[part.id]
        if part.id in meshes:
            mesh = posed(meshes[part.id], part.pose)
        found = {
            material.id: made.get((part.id, material.id)) or _constant(material, direct.get(material.id, {}))
            for material in worn[part.id]
        }
        flat_parts.append(_flat_part(project, part, mesh, found, assets))
    sheets, more = mark_sheets(project, assets, size)
    return FlatProduct([*flat_parts, *sheets], [*notes, *more])


def map_sides(project: Project, assets: Assets, size: int, with_variants: bool) -> list[tuple[Material, int]]:
    """Materials that will be baked, on each part that wears them, and texels along a side of their maps.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Files of the project.
    size : int
        Texels along a side of the largest part's maps.
    with_variants : bool
        Whether the variants of worn materials are baked too.

    Returns
    -------
    list of (Material, int)
    """
    parts = [part for part in project.product.parts if not part.is_hidden and not part.is_derived]
    baked = {part.id: [m for m in _worn(project, part, with_variants) if needs_maps(m.recipe)] for part in parts}
    parts = [part for part in parts if baked[part.id]]
    spans = {part.id: _span(assets.meshes[part.mesh]) * part.pose.scale for part in parts}
    texel = max(spans.values(), default=1.0) / size
    return [(material, _side(spans[part.id], texel, size)) for part in parts for material in baked[part.id]]


def _flat_part(project: Project, part: Part, mesh: Mesh, found: Mapping[str, FlatMaterial], assets: Assets) -> FlatPart:
    rest = np.ones(len(mesh.triangles), bool)
    zones = []
    for zone in part.zones:
        faces = assets.faces[zone.faces]
        rest[faces] = False
        zones.append((zone.name, faces, zone.material))
    worn, variants, names = [], [], []
    for name, faces, key in (("", np.flatnonzero(rest), part.material), *zones):
        if len(faces):
            worn.append((faces, found.get(key)))
            names.append(name)
            ids = [v.id for v in project.variants_of(key)] if key is not None else []
            variants.append({i: found[i] for i in ids if i in found})
    return FlatPart(part, mesh, worn, variants, names)


def _worn(project: Project, part: Part, with_variants: bool) -> list[Material]:
    """Materials on a part, and variants of them, each once."""
    ids = part.worn()
    if with_variants:
        ids = [*ids, *(variant.id for i in ids for variant in project.variants_of(i))]
    return [project.material(i) for i in dict.fromkeys(ids)]


def _stands(project: Project, part: Part, assets: Assets) -> Mesh:
    """Mesh of a part as it stands; of a liquid as it is poured."""
    with suppress(VesselError):
        if part.fill is not None:
            return poured_liquid(project, part, assets).part.mesh
        if part.stream is not None and (poured := poured_stream(project, part, assets)) is not None:
            return poured.part.mesh
    return posed(assets.meshes[part.mesh], part.pose)


def _span(mesh: Mesh) -> float:
    """Side of a square that holds a mesh's charts, mm."""
    return float(face_areas(mesh).sum() / FILLED) ** 0.5


def _side(span: float, texel: float, size: int) -> int:
    """Side of a part's maps: a power of two, as graphics hardware likes it."""
    wanted = span / texel
    return int(min(max(2 ** np.ceil(np.log2(max(wanted, 1)) - 0.25), _SMALLEST), size))


def needs_unwrapping(mesh: Mesh) -> bool:
    """True if a mesh has no UVs, or some that leave the unit square, so that it is unwrapped for its maps.

    Parameters
    ----------
    mesh : Mesh
        The mesh.

    Returns
    -------
    bool
    """
    return mesh.uv is None or bool(mesh.uv.min() < -1e-3 or mesh.uv.max() > 1 + 1e-3)


def _unwrapped(parts, assets, notes: list[str], progress) -> dict[str, Mesh]:
    """Meshes of parts with texture coordinates in the unit square, in their own frames."""
    meshes, missing = {}, []
    for part in parts:
        mesh = assets.meshes[part.mesh]
        if not needs_unwrapping(mesh):
            meshes[part.id] = mesh
        else:
            missing.append(part)
            if mesh.uv is not None:
                notes.append(f"'{part.name}' was unwrapped anew, since its UVs leave the unit square")
    with ThreadPoolExecutor(KEPT) as threads:
        stop = []

        def go_on() -> bool:
            if not stop and not progress("Unwrapping", len(meshes), len(parts)):
                stop.append(True)
            return not stop

        futures = {
            part.id: threads.submit(unwrapped, assets.meshes[part.mesh], part.mesh, lambda: not stop)
            for part in missing
        }
        for part in missing:
            while not futures[part.id].done():
                go_on()
                with suppress(TimeoutError):
                    futures[part.id].exception(timeout=0.1)
            try:
                meshes[part.id] = futures[part.id].result()
            except MeshError as fault:
                stop.append(True)
                raise MeshError(f"part '{part.name}': {fault}") from None
    return meshes


def _baked(material: Material, part: Part, mesh: Mesh, side: int, assets: Assets, progress) -> FlatMaterial:
    recipe = material.recipe
    context = PatternContext({p.id: p for p in recipe.patterns}, assets.pictures)
    found = bake(recipe, part, mesh, side, context, assets.geometry_maps, assets.faces, progress)
    constants, maps = {}, {}
    for name, values in found.maps.items():
        if _varies(name, values[::_SKIPPED, ::_SKIPPED][found.covered[::_SKIPPED, ::_SKIPPED]]):
            maps[name] = values  # as a few texels tell
            continue
        seen = values[found.covered]
        if _varies(name, seen):
            maps[name] = values
        elif name not in ("normal", "height"):
            middle = seen.mean(axis=0)
            constants[name] = tuple(map(float, middle)) if middle.ndim else float(middle)
    return FlatMaterial(f"{material.name} on {part.name}", plain(recipe).with_(**_clipped(constants)), material, maps)


def _varies(name: str, seen: np.ndarray) -> bool:
    """True if a map is not the same all over."""
    if not len(seen):
        return False
    if name == "normal":
        return bool(np.abs(seen[:, :2]).max() > _EVEN_SLOPE)
    least = 0.0 if name == "height" else _EVEN * max(float(np.abs(seen).max()), 1.0)
    return float(np.ptp(seen, axis=0).max()) > least


def _clipped(constants: dict) -> dict:
    return {
        name: tuple(min(max(c, 0.0), 1.0) for c in value) if isinstance(value, tuple) else value
        for name, value in constants.items()
    }


def _constant(material: Material, images: Mapping[str, DirectImage]) -> FlatMaterial:
    recipe = plain(material.recipe)
    for feed in material.recipe.feeds:
        if feed.input in images:  # what the image is scaled by
            recipe = recipe.with_(**{feed.input: feed.high})
    return FlatMaterial(material.name, recipe, material, {}, images)
