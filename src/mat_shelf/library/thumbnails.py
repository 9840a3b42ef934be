"""Pictures of swatches, all on one shape, under what they show: those shipped with the program, others in the cache."""

import hashlib
import io
from collections.abc import Mapping
from contextlib import suppress
from functools import cache
from pathlib import Path
from types import MappingProxyType

import numpy as np
from PIL import Image

from mat_shelf.document.camera import Camera, View
from mat_shelf.document.light import Light
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Pose, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Backdrop, Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.geometry.solids import lathe, rounded
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tone import develop
from mat_shelf.system.file_writer import write_file
from mat_shelf.system.user_folders import cache_root

THUMBNAIL_SIZE = 112
THUMBNAIL_SAMPLES = 48
LOOK = 5
"""Raised whenever the shape or its light change, so that old pictures are not used."""
SHIPPED_THUMBNAILS = Path(__file__).parent / "data" / "thumbnails"
"""Pictures of the shipped swatches; `scripts/swatch_thumbnails.py` renders them."""


def recipe_key(recipe: Recipe) -> str:
    """Key of a recipe: the same for equal recipes."""
    return hashlib.sha256(recipe.model_dump_json().encode()).hexdigest()[:32]


def thumbnail_path(key: str) -> Path:
    """Path of the picture of the recipe with this key."""
    shipped = SHIPPED_THUMBNAILS / f"{key}.webp"
    if shipped.exists():
        return shipped
    return cache_root() / "thumbnails" / f"{LOOK}-{THUMBNAIL_SIZE}-{THUMBNAIL_SAMPLES}" / f"{key}.png"


def make_thumbnail(
    recipe: Recipe,
    threads: int | None = None,
    progress=lambda done, total: True,
    pictures: Mapping[str, bytes] = MappingProxyType({}),
) -> Path:
    """The picture of a recipe, rendered if it is not kept yet.

    Parameters
    ----------
    pictures : mapping from SHA-256 to bytes
        Those that its patterns show; a damaged one is left out.

    Raises
    ------
    OSError
        If it cannot be kept.
    InterruptedError
        If `progress` returned False.
    """
    path = thumbnail_path(recipe_key(recipe))
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        project, shape = standard_scene(recipe)
        meshes = Assets()
        meshes.take(shape)
        for data in pictures.values():
            with suppress(ImageError):
                meshes.add_map(data)
        out = io.BytesIO()
        Image.fromarray(_rendered(project, meshes, threads, progress)).save(out, "PNG")
        write_file(path, out)
    return path


def _rendered(project: Project, meshes: Assets, threads: int | None = None, progress=lambda *_: True) -> np.ndarray:
    """Pixels of the standard scene."""
    prepare_supplies(project, meshes)
    size, samples = THUMBNAIL_SIZE, THUMBNAIL_SAMPLES
    return develop(render_picture(project, meshes, size, size, samples, threads=threads, progress=progress).light)


def ship_thumbnail(recipe: Recipe) -> Path:
    """Renders the picture of a shipped recipe and puts it where the program is shipped from.

    Parameters
    ----------
    recipe : Recipe
        The recipe; it shows no images.

    Returns
    -------
    Path
    """
    path, out = SHIPPED_THUMBNAILS / f"{recipe_key(recipe)}.webp", io.BytesIO()
    Image.fromarray(_rendered(*standard_scene(recipe))).save(out, "WEBP", quality=90, method=6)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_file(path, out)
    return path


_RIM, _RIM_HEIGHT = 20.5, 45.3
_HOLLOW, _HOLLOW_HEIGHT = 21.0, 38.0
_LEVEL = 36.0
_VESSEL = Recipe(transmission_weight=1.0, specular_roughness=0.0)


@cache
def _shape() -> tuple[dict[str, str], Assets]:
    """A round bowl on a foot, 45 mm high, what would fill it, and a drop beside it.

    The bowl's wall thins from 11 mm at its bottom to less than one at its rim, so that one sees a curve, a flat,
    edges, a hollow, a thick and a thin place.
    """
    angle = np.linspace(-61, 34, 64)
    outside = np.stack([25 * np.cos(np.radians(angle)), 31 + 25 * np.sin(np.radians(angle))], axis=1)
    foot = rounded([(0, 0), (21, 0), (21, 4.5), (12.1, 4.5), outside[0]], [0, 1.0, 1.4, 2.0, 0])
    rim = rounded([outside[-1], (_RIM, _RIM_HEIGHT), (_RIM - 0.8, _RIM_HEIGHT), (_RIM - 1.0, 44.6)], [0, 0.4, 0.4, 0])
    hollow = _hollow(_HOLLOW, 44.6, 48)[::-1]
    bowl = np.concatenate([foot, outside[1:-1], rim, hollow[1:]])
    # What fills it reaches into the wall, which has priority, and climbs it a little.
    below = _hollow(_HOLLOW + 0.5, _LEVEL + 0.9, 40)
    edge = float(np.sqrt(_HOLLOW**2 - (_LEVEL - _HOLLOW_HEIGHT) ** 2))
    way = np.linspace(0, 4, 12)
    level = np.stack([edge - way, _LEVEL + 0.9 * np.exp(-way / 0.9)], axis=1)
    fill = np.concatenate([below, level, [(0, _LEVEL)]])
    across = np.linspace(0, 1, 40)
    drop = np.concatenate([[(0, 0)], np.stack([7 * np.cos(across * 1.5708), 5 * np.sin(across * 1.5708)], axis=1)])
    drop[-1, 0] = 0
    meshes = Assets()
    made = {"bowl": lathe(bowl, 160), "fill": lathe(fill, 160), "drop": lathe(drop, 96)}
    return {name: meshes.add(NamedMesh(name, mesh)) for name, mesh in made.items()}, meshes


def _hollow(radius: float, top: float, steps: int) -> np.ndarray:
    """Profile of a spherical hollow, from its bottom up."""
    angle = np.linspace(-np.pi / 2, np.arcsin((top - _HOLLOW_HEIGHT) / radius), steps)
    profile = np.stack([radius * np.cos(angle), _HOLLOW_HEIGHT + radius * np.sin(angle)], axis=1)
    profile[0, 0] = 0
    return profile


def _is_liquid(recipe: Recipe) -> bool:
    """True if it gives way to solid glass where the two overlap."""
    return recipe.transmission_weight > 0 and recipe.nesting_priority < _VESSEL.nesting_priority


def standard_scene(recipe: Recipe) -> tuple[Project, Assets]:
    """The scene that all swatches are pictured in: a bowl and a drop of the material, or a glass bowl with it inside.

    Returns
    -------
    project : Project
    meshes : Assets
        The meshes it refers to.
    """
    shapes, meshes = _shape()
    parts = [
        Part(id="shape", name="Bowl", mesh=shapes["bowl"], material="m", pose=Pose(shift=(-4, 0, 0))),
        Part(id="drop", name="Drop", mesh=shapes["drop"], material="m", pose=Pose(shift=(22, 0, 22))),
    ]
    materials = [Material(id="m", name="m", recipe=recipe)]
    if _is_liquid(recipe):
        materials.append(Material(id="vessel", name="vessel", recipe=_VESSEL))
        parts[0] = parts[0].with_(material="vessel")
        parts.append(Part(id="fill", name="Fill", mesh=shapes["fill"], material="m", pose=parts[0].pose))
    camera = Camera(position=(0, 150, 318), target=(0, 22, 0), focal_length=176)
    studio = Set(
        id="swatch",
        name="Swatch",
        lights=(
            Light(
                position=(-170, 190, 130),
                target=(0, 25, 0),
                width=150,
                height=190,
                luminance=6500,
                temperature=6500,
            ),
            Light(
                position=(230, 90, -20),
                target=(0, 25, 0),
                width=50,
                height=220,
                luminance=3600,
                temperature=6500,
            ),
        ),
        surround=420,
        ground=140,
        backdrop=Backdrop(color=(0.30, 0.30, 0.30), width=2400, depth=260, height=700, radius=150),
    )
    project = Project(
        name="Swatch",
        product=Product(name="Swatch", parts=tuple(parts)),
        materials=tuple(materials),
        sets=(studio,),
        current_set="swatch",
        views=(View(id="final", name="Final", camera=camera),),
    )
    return project, meshes
