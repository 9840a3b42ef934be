"""Scenes of a material on a shape, lit by a set of the project."""

from collections.abc import Sequence
from functools import cache
from pathlib import Path

import manifold3d
import numpy as np

from mat_shelf.document.camera import Camera, View
from mat_shelf.document.ids import new_id
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.set import Set
from mat_shelf.document.shot import HandOver
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.exchange.swatch_file import open_swatch, swatch_pictures
from mat_shelf.geometry.mesh import Mesh, checked
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.geometry.solids import lathe
from mat_shelf.library.thumbnails import standard_scene
from mat_shelf.rendering.navigation import fitted
from mat_shelf.scene.sets import scaled_set

STEPS_MM = (1.0, 2.0, 4.0, 8.0)
"""Thicknesses of the slab's steps."""
_RADIUS, _STEP, _HIGH = 20.0, 11.0, 38.0
_CAMERA = Camera(position=(90, 120, 318), target=(0, 20, 0), focal_length=105)
_FILL, _SQUARE = 0.8, (36.0, 36.0)
_FLAT, _STEEP = 0.3, 0.9
"""Height over width of what is flat, and the slope at which it is looked at."""
_ROOM = 1.6
"""Size of a set around a shape, beside that around a product of the same size: one piece is higher than a whole set."""


def shape_scene(project: Project, assets: Assets, material: str, studio: Set, shape: str) -> tuple[Project, Assets]:
    """A material on one of the shapes, with all that it needs.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Its files.
    material : id
        One of its materials.
    studio : Set
        One of its sets, which is made as large as the shape.
    shape : str
        Key of `sheet.SHAPES`; of what no part wears, its own part is the bowl.

    Returns
    -------
    project : Project
    assets : Assets
    """
    longest = float(np.ptp(bounds_of(project.product.parts, assets), axis=0).max())
    if shape == "part":
        part = own_part(project, material)
        if part is not None:
            shown = [part, *project.product.carriers_of(part)] if part.is_derived else [part]
            ids = {each.id for each in shown}
            parts = [each.with_(is_hidden=each.id not in ids) for each in project.product.parts]
            bounds = bounds_of(shown, assets)
            alone = project.with_parts([_on_floor(each, bounds) if each.id in ids else each for each in parts])
            bounds = bounds - (*bounds.mean(axis=0)[[0]], bounds[0, 1], bounds.mean(axis=0)[2])
            return _staged(alone, studio, longest, bounds, _lifted(project.view.camera, bounds)), assets
        shape = "bowl"
    held = Assets()
    held.take(assets)
    if shape == "bowl":
        scene, meshes = standard_scene(project.material(material).recipe)
        held.take(meshes)
        own = {each.id: each.with_(id=new_id("shape")) for each in scene.materials if each.id != "m"}
        worn = {"m": material} | {key: each.id for key, each in own.items()}
        parts = [part.with_(material=worn[part.material]) for part in scene.product.parts]
        project = project.with_(materials=(*project.materials, *own.values()))
    else:
        mesh = held.add(NamedMesh(shape, _ball() if shape == "sphere" else _steps()))
        parts = [Part(id=shape, name=shape, mesh=mesh, material=material)]
    alone = project.with_(product=Product(name="Shape", parts=tuple(parts)))
    return _staged(alone, studio, longest, bounds_of(parts, held), _CAMERA), held


def own_part(project: Project, material: str) -> Part | None:
    """A part that wears a material: the first that is modelled, or else one that follows from others.

    Parameters
    ----------
    project : Project
        The project.
    material : id
        The material.

    Returns
    -------
    Part or None
    """
    wearing = [part for part in project.product.parts if material in part.worn()]
    return next((part for part in sorted(wearing, key=lambda part: part.is_derived)), None)


def bounds_of(parts: Sequence[Part], assets: Assets) -> np.ndarray:
    """Lowest and highest corner of some parts, mm.

    Parameters
    ----------
    parts : sequence of Part
        Parts, at least one.
    assets : Assets
        Their meshes.

    Returns
    -------
    (2, 3) float32
    """
    boxes = np.array([posed_bounds(assets.meshes[part.mesh], part.pose) for part in parts])
    return np.stack([boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)]) if len(boxes) else np.zeros((2, 3))


def _lifted(camera: Camera, bounds: np.ndarray) -> Camera:
    """The camera, from further above where it would see little of what is flat."""
    across, high, deep = np.ptp(bounds, axis=0)
    if high > _FLAT * min(across, deep):
        return camera
    away = np.subtract(camera.position, camera.target)
    level = float(np.hypot(away[0], away[2]))
    if away[1] >= level * _STEEP or level == 0:
        return camera
    lifted = np.add(camera.target, (away[0], level * _STEEP, away[2]))
    return camera.with_(position=tuple(float(x) for x in lifted))


def _on_floor(part: Part, bounds: np.ndarray) -> Part:
    """The part where the box that it is in stands in the middle of the floor."""
    x, _, z = -bounds.mean(axis=0)
    shift = np.asarray(part.pose.shift) + (x, -bounds[0, 1], z)
    return part.with_(pose=part.pose.with_(shift=tuple(float(each) for each in shift)))


def _staged(project: Project, studio: Set, longest: float, bounds: np.ndarray, camera: Camera) -> Project:
    """A project with the one set, as large as what stands in it, and a camera that shows all of it."""
    size = float(np.ptp(bounds, axis=0).max())
    studio = studio.with_(props=(), plate=None)
    if size > 0 and longest > 0:  # of a product without parts nobody knows the size
        studio = scaled_set(studio, size * _ROOM / longest)
    plain = Camera(position=camera.position, target=camera.target, focal_length=camera.focal_length)
    plain = plain.with_(white=camera.white, white_tint=camera.white_tint)
    return project.with_(
        sets=(studio,),
        current_set=studio.id,
        views=(View(id="sheet", name="Sheet", camera=fitted(plain, bounds, _FILL, _SQUARE)),),
        current_view="sheet",
        hand_over=HandOver(finish=project.finish),
    )


@cache
def _ball() -> Mesh:
    angle = np.linspace(-np.pi / 2, np.pi / 2, 96)
    profile = np.stack([_RADIUS * np.cos(angle), _RADIUS * (1 + np.sin(angle))], axis=1)
    profile[[0, -1], 0] = 0
    return lathe(profile, 192)


@cache
def _steps() -> Mesh:
    """A slab that stands upright, its steps towards the camera, the thickest at the left."""
    places = np.arange(len(STEPS_MM) + 1) * _STEP - len(STEPS_MM) * _STEP / 2
    front = [(x, thick) for k, thick in enumerate(STEPS_MM[::-1]) for x in places[k : k + 2]]
    outline = [(places[0], 0.0), (places[-1], 0.0), *front[::-1]]
    mesh = manifold3d.CrossSection([np.array(outline)]).extrude(_HIGH).to_mesh64()
    across, forward, up = np.asarray(mesh.vert_properties)[:, :3].T
    # Two axes change places, so the triangles turn round.
    return checked(np.stack([across, up, forward], axis=1), np.asarray(mesh.tri_verts)[:, ::-1], crease_degrees=20)


def swatch_project(paths: Sequence[Path]) -> tuple[Project, Assets]:
    """A project whose materials are swatches, worn by a bowl.

    Parameters
    ----------
    paths : sequence of Path
        Swatch packages, at least one.

    Returns
    -------
    project : Project
    assets : Assets

    Raises
    ------
    PackageError, ImageError
        If one cannot be read.
    """
    assets, materials = Assets(), []
    for place, path in enumerate(paths):
        swatch = open_swatch(path)
        for data in swatch_pictures(path).values():
            assets.add_map(data)
        materials.append(Material(id=f"swatch-{place}", name=swatch.name, recipe=swatch.recipe))
    scene, meshes = standard_scene(materials[0].recipe)
    assets.take(meshes)
    part = scene.product.parts[0].with_(material=materials[0].id)
    size = np.ptp(bounds_of([part], assets), axis=0)
    product = Product(name=materials[0].name if len(paths) == 1 else "Swatches", parts=(part,))
    return new_project(product, tuple(materials), tuple(float(x) for x in size)), assets
