"""From a model that was read to parts and materials of a project."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from mat_shelf.document.camera import Camera, View
from mat_shelf.document.ids import FreeNames, name_from, new_id
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Pose, Product, Zone
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.importer import ImportedModel
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.models.texturing import without_images
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import Z_UP_TURN, posed, posed_bounds
from mat_shelf.geometry.size import UNITS
from mat_shelf.geometry.solids import merged, moved
from mat_shelf.rendering.navigation import fitted
from mat_shelf.scene.sets import sets_for
from mat_shelf.system.bounded import KEPT


@dataclass(frozen=True)
class ImportedProduct:
    """A product out of a model file, beside the project.

    Attributes
    ----------
    product : Product
        Its parts, standing on the floor about the origin.
    materials : tuple of Material
        Materials that came with it.
    assets : Assets
        Its meshes and faces.
    up : str
        Axis of the file that points up, "y" or "z".
    repairs : list of str
        What was mended, a line for each part.
    notes : list of str
        What was left out, and what came in otherwise than it was, a line each.
    """

    product: Product
    materials: tuple[Material, ...]
    assets: Assets
    up: str
    repairs: list[str]
    notes: list[str]

    def words(self) -> list[str]:
        """Everything worth telling about it, a line each, what was left out first.

        Returns
        -------
        list of str
        """
        return [*self.notes, *self.repairs]


def read_product(
    path: Path,
    progress: Callable[[str], bool] = lambda text: True,
    fineness: str = "good",
    unit: str | None = None,
    up: str | None = None,
) -> ImportedProduct:
    """Read a model file as a product.

    Parameters
    ----------
    path : Path
        Model file.
    progress : callable (str) -> bool, optional
        Told what is done now; False cancels.
    fineness : str
        Of the curved faces of a CAD file, a key of `document.product.FINENESS`.
    unit : str, optional
        Unit that the file's numbers are taken for, a key of `geometry.size.UNITS`, instead of the one that it says.
    up : {"y", "z"}, optional
        Axis that points up, instead of the one that the file says.

    Returns
    -------
    ImportedProduct

    Raises
    ------
    MeshError
        If the file cannot be read.
    InterruptedError
        If it was cancelled.
    """
    modified = modified_at(path)  # before it is read: what is written meanwhile is newer
    model = import_model(path, progress, fineness=fineness)
    if not progress("Adding parts"):
        raise InterruptedError
    if unit is not None:
        _take_for(model, unit)
    model.up = up or model.up
    assets = Assets()
    product, materials = product_of(model, assets)
    product = product.with_(fineness=fineness)
    # What has no letters, or is longer than a project keeps, is not watched.
    with suppress(UnicodeEncodeError, ValidationError):
        str(path.resolve()).encode()
        product = product.with_(source=str(path.resolve()), source_modified=modified)
    repairs = [f"{part.name}: {', '.join(words)}" for part in model.parts if (words := part.repairs.words())]
    return ImportedProduct(product, materials, assets, model.up, repairs, model.notes)


def _take_for(model: ImportedModel, unit: str) -> None:
    """Takes the numbers of a model's file for another unit."""
    factor = np.float32(UNITS[unit] / UNITS[model.unit])
    model.unit = unit
    model.parts = [replace(p, mesh=replace(p.mesh, vertices=p.mesh.vertices * factor)) for p in model.parts]


def standing_mesh(model: ImportedModel) -> Mesh:
    """All of a model as one mesh that stands on the floor about the origin, mm.

    Parameters
    ----------
    model : ImportedModel
        The model.

    Returns
    -------
    Mesh
    """
    upright = Pose(turn=Z_UP_TURN if model.up == "z" else (0.0, 0.0, 0.0))
    whole = merged([posed(part.mesh, upright) for part in model.parts])
    low, high = whole.bounds
    return moved(whole, (-(low[0] + high[0]) / 2, -low[1], -(low[2] + high[2]) / 2))


def modified_at(path: Path) -> int:
    """Time at which a file was last written, ns; 0 where there is none.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    int
    """
    try:
        return path.stat().st_mtime_ns if path.is_file() else 0
    except (OSError, ValueError):
        return 0


def product_of(model: ImportedModel, assets: Assets) -> tuple[Product, tuple[Material, ...]]:
    """The product a model makes, standing on the floor about the origin, and the materials that came with it.

    Parameters
    ----------
    model : ImportedModel
        The model.
    assets : Assets
        Files of the project.

    Returns
    -------
    tuple[Product, tuple of Material]
    """
    materials, material_names = {}, FreeNames()
    unreadable = _add_images(model, assets)
    for key, recipe in model.materials.items():
        recipe = without_images(recipe, unreadable)
        name = material_names.take(name_from(key, "Material"))
        family = "Metal" if recipe.base_metalness > 0.5 else "Glass" if recipe.transmission_weight > 0.5 else "Plastic"
        materials[key] = Material(id=new_id("material"), name=name, family=family, recipe=recipe)
    for parent, key in model.variants:
        above, made = materials[parent], materials[key]
        materials[key] = made.with_(recipe=above.recipe, parent=above.id).tuned(made.recipe)
    upright = Pose(turn=Z_UP_TURN if model.up == "z" else (0.0, 0.0, 0.0))
    bounds = np.array([posed_bounds(part.mesh, upright) for part in model.parts])
    low, high = bounds[:, 0].min(axis=0), bounds[:, 1].max(axis=0)
    middle = (low + high) / 2
    stand = upright.with_(shift=tuple(round(-float(x), 4) for x in (middle[0], low[1], middle[2])))
    parts, names = [], FreeNames()
    for part in model.parts:
        name = names.take(name_from(part.name, "Part"))
        zones, zone_names = [], FreeNames()
        for label, faces, key in part.zones:
            zone_name = zone_names.take(name_from(label, "Zone"))
            worn = materials[key].id if key in materials else None
            zones.append(Zone(id=new_id("zone"), name=zone_name, faces=assets.add_faces(faces), material=worn))
        parts.append(
            Part(
                id=new_id("part"),
                name=name,
                mesh=assets.add(NamedMesh(name, part.mesh)),
                material=materials[part.material].id if part.material in materials else None,
                pose=stand,
                zones=tuple(zones),
                cad_faces=None if part.cad_faces is None else assets.add_faces(part.cad_faces),
                group=name_from(part.group, "Group") if part.group else None,
            )
        )
    name = name_from(model.name, "Product")
    return Product(name=name, unit=model.unit, parts=tuple(parts)), tuple(materials.values())


def _add_images(model: ImportedModel, assets: Assets) -> set[str]:
    """Keeps the images of a model; returns the SHA-256 of those that cannot be read, which are noted."""
    unreadable = set()
    names = {image.digest: image.name for recipe in model.materials.values() for image in recipe.pictures()}
    with ThreadPoolExecutor(KEPT) as threads:
        adding = {key: threads.submit(assets.add_map, data) for key, data in model.images.items()}
        for key, added in adding.items():
            try:
                added.result()
            except ImageError as fault:
                unreadable.add(key)
                model.notes.append(f"image '{names.get(key, key[:8])}' left out: {fault}")
    return unreadable


def empty_project() -> Project:
    """A project without parts, with sets for things as large as a hand.

    Returns
    -------
    Project
    """
    return new_project(Product(name="Product"), (), (200.0, 120.0, 200.0)).with_(name="New project")


def new_project(product: Product, materials: tuple[Material, ...], size_mm) -> Project:
    """A project of its own for a product, with sets and a first view that suit its size, (3,) mm.

    Parameters
    ----------
    product : Product
        The product.
    materials : tuple of Material
        Materials.
    size_mm : (3,) float
        Size of the product, mm.

    Returns
    -------
    Project
    """
    low = np.array([-size_mm[0] / 2, 0, -size_mm[2] / 2])
    high = np.array([size_mm[0] / 2, size_mm[1], size_mm[2] / 2])
    # From a little above and aside, through a long lens, as products are mostly taken.
    camera = fitted(Camera(position=(-180, 330, 830), target=(0, 0, 0), focal_length=105), (low, high))
    sets = sets_for(max(size_mm))
    return Project(
        name=product.name,
        product=product,
        materials=materials,
        sets=sets,
        current_set=sets[0].id,
        views=(View(id="final", name="Final", camera=camera),),
    )
