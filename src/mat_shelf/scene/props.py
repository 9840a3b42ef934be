"""Meshes and recipes of the props of a set."""

from collections.abc import Mapping

import numpy as np
import trimesh

from mat_shelf.document.prop import Prop
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.geometry.solids import box, lathe, merged, moved, rotation
from mat_shelf.scene.kept import Kept

_WOOD = Recipe(base_color=(0.62, 0.47, 0.29), specular_roughness=0.45, coat_weight=0.4, coat_roughness=0.2)
_BLACK = Recipe(base_color=(0.02, 0.02, 0.02), specular_roughness=0.5)
_BRASS = Recipe(base_color=(0.91, 0.78, 0.42), base_metalness=1.0, specular_roughness=0.22)
_PAPER = Recipe(base_color=(0.82, 0.82, 0.8), specular_weight=0.3, specular_roughness=0.6)
_GREY = Recipe(base_color=(0.18, 0.18, 0.18), specular_weight=0.0)
_CLOTH = Recipe(base_color=(0.36, 0.34, 0.33), specular_weight=0.1, specular_roughness=0.8, fuzz_weight=0.3)
_MODEL = Recipe(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)
_MARK_HEIGHT = 0.03
"""mm that the marks of the ruler stand out."""


def shown_props(studio: Set) -> tuple[Prop, ...]:
    """Props of a set that are on.

    Parameters
    ----------
    studio : Set
        The set.

    Returns
    -------
    tuple of Prop
    """
    return tuple(prop for prop in studio.props if prop.is_on)


def prop_meshes(studio: Set, meshes: Mapping[str, Mesh], kept: Kept) -> list[Mesh]:
    """Meshes of the props that are on, of each its pieces in the order of `prop_recipes`.

    Parameters
    ----------
    studio : Set
        The set.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    kept : Kept
        Meshes of the last build.

    Returns
    -------
    list of Mesh

    Raises
    ------
    KeyError
        If a prop's mesh is not among `meshes`.
    """
    found = []
    for prop in shown_props(studio):
        layers = [meshes[prop.mesh]] if prop.mesh is not None else SHAPES[prop.kind]()
        found += [kept(_placed, mesh, prop.with_(material=None, name="Prop")) for mesh in layers]
    return found


def prop_recipes(studio: Set, worn: Mapping[str, Recipe]) -> list[Recipe]:
    """Recipes of the props that are on.

    Parameters
    ----------
    studio : Set
        The set.
    worn : mapping of Recipe
        Recipes of the project's materials by id.

    Returns
    -------
    list of Recipe
    """
    found = []
    for prop in shown_props(studio):
        own = list(_RECIPES[prop.kind])
        if prop.material in worn:
            own[0] = worn[prop.material]
        found += own
    return found


def prop_bounds(prop: Prop, meshes: Mapping[str, Mesh]) -> np.ndarray:
    """Lowest and highest corner of a prop, (2, 3), mm.

    Parameters
    ----------
    prop : Prop
        The prop.
    meshes : mapping of Mesh
        Meshes by SHA-256.

    Returns
    -------
    (2, 3) float32
    """
    mesh = meshes[prop.mesh] if prop.mesh is not None else SHAPES[prop.kind]()[0]
    return _placed(mesh, prop).bounds


def _placed(mesh: Mesh, prop: Prop) -> Mesh:
    upright = rotation("x", 90) if prop.is_upright else np.eye(3)
    mesh = Mesh(mesh.vertices * np.float32(prop.size), mesh.triangles, mesh.normals)
    mesh = moved(mesh, (0, 0, 0), rotation("y", prop.turn) @ upright)
    if prop.is_upright:  # on its edge it stands where it lay
        low, high = mesh.bounds
        mesh = moved(mesh, (-(low[0] + high[0]) / 2, -low[1], -(low[2] + high[2]) / 2))
    return moved(mesh, (prop.x, prop.y, prop.z))


def _ruler() -> list[Mesh]:
    body = box((204, 1.6, 28), 0.3)
    marks = []
    for mm in range(201):
        length = 9.0 if mm % 10 == 0 else 6.5 if mm % 5 == 0 else 4.0
        width = 0.26 if mm % 10 == 0 else 0.18
        corners = trimesh.creation.box((width, _MARK_HEIGHT, length))
        corners.apply_translation((mm - 100.0, 1.6 + _MARK_HEIGHT / 2, -13.5 + length / 2))
        marks.append(crease_normals(np.array(corners.vertices), np.array(corners.faces)))
    return [body, merged(marks)]


def _disc() -> list[Mesh]:
    """A disc of 25 mm with a raised, rounded rim."""
    rim = [
        (0, 0),
        (12.1, 0),
        (12.4, 0.1),
        (12.5, 0.4),
        (12.5, 1.4),
        (12.4, 1.7),
        (12.1, 1.8),
        (11.4, 1.8),
        (11.1, 1.5),
        (0, 1.5),
    ]
    return [lathe(np.array(rim), 160)]


def _card() -> list[Mesh]:
    return [box((148, 0.4, 105), 0.1)]


def _sphere() -> list[Mesh]:
    ball = trimesh.creation.icosphere(5, 20.0)
    return [
        Mesh(
            np.array(ball.vertices + (0, 20, 0), np.float32),
            np.array(ball.faces, np.int32),
            np.array(ball.vertices / 20, np.float32),
        )
    ]


def _curtain() -> list[Mesh]:
    """Cloth of 900 mm by 700 mm in folds."""
    across, up = 400, 40
    u, v = np.meshgrid(np.linspace(-450, 450, across), np.linspace(0, 700, up))
    deep = 22 + 6 * np.sin(v / 300 + 1)
    z = deep * np.sin(u / 24 + 0.5 * np.sin(u / 95) + 0.12 * np.sin(v / 180))
    places = np.stack([u, v, z], axis=-1).reshape(-1, 3)
    at = np.arange(across * up).reshape(up, across)
    a, b, c, d = (corner.reshape(-1) for corner in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    triangles = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    return [crease_normals(places, triangles)]


SHAPES = {"ruler": _ruler, "disc": _disc, "card": _card, "sphere": _sphere, "curtain": _curtain}
_RECIPES = {
    "ruler": (_WOOD, _BLACK),
    "disc": (_BRASS,),
    "card": (_PAPER,),
    "sphere": (_GREY,),
    "curtain": (_CLOTH,),
    "model": (_MODEL,),
}
