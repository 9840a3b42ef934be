"""Pictures of swatches, all on one shape, kept in the user's cache under what they show."""

import hashlib
from collections.abc import Mapping
from contextlib import suppress
from functools import cache
from pathlib import Path
from types import MappingProxyType

import numpy as np
from PIL import Image
from platformdirs import user_cache_path

from mat_shelf.document.project import Backdrop, Camera, Material, Part, Product, Project, Set, Softbox, View
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.atomic import write_atomically
from mat_shelf.exchange.pictures import PictureError
from mat_shelf.exchange.shape_cache import fill_shape_maps
from mat_shelf.geometry.glb import NamedMesh
from mat_shelf.geometry.solids import lathe, rounded
from mat_shelf.rendering.film import develop
from mat_shelf.rendering.session import render

SIZE = 112
SAMPLES = 48
LOOK = 3
"""Raised whenever the shape or its light change, so that old pictures are not used."""


def recipe_key(recipe: Recipe) -> str:
    """What a recipe is known by: the same for equal recipes."""
    return hashlib.sha256(recipe.model_dump_json().encode()).hexdigest()[:32]


def thumbnail_path(key: str) -> Path:
    """Where the picture of the recipe with this key is kept."""
    return user_cache_path("mat-shelf") / "thumbnails" / f"{LOOK}-{SIZE}-{SAMPLES}" / f"{key}.png"


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
            with suppress(PictureError):
                meshes.add_map(data)
        fill_shape_maps(project, meshes)
        pixels = develop(render(project, meshes, SIZE, SIZE, SAMPLES, threads=threads, progress=progress).light)
        write_atomically(path, lambda temporary: Image.fromarray(pixels).save(temporary, "PNG"))
    return path


@cache
def _shape() -> tuple[str, Assets]:
    """A ball on a stepped foot: a curve, two edges, a flat and a thick middle. About 60 mm high."""
    ball = 23.0
    angle = np.linspace(-60, 90, 72)
    curve = np.stack([ball * np.cos(np.radians(angle)), 31 + ball * np.sin(np.radians(angle))], axis=1)
    foot = rounded(
        [(0, 0), (23, 0), (23, 6), (13, 6), curve[0]],
        [0, 1.2, 1.6, 2.0, 0],
    )
    meshes = Assets()
    return meshes.add(NamedMesh("shape", lathe(np.concatenate([foot, curve[1:-1], [(0, 31 + ball)]]), 160))), meshes


def standard_scene(recipe: Recipe) -> tuple[Project, Assets]:
    mesh, meshes = _shape()
    camera = Camera(position=(0, 105, 330), target=(0, 26, 0), focal_length=178)
    studio = Set(
        id="swatch",
        name="Swatch",
        softboxes=(
            Softbox(
                position=(-170, 190, 130),
                target=(0, 25, 0),
                width=150,
                height=190,
                luminance=6500,
                temperature=6500,
            ),
            Softbox(
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
        product=Product(name="Swatch", parts=(Part(id="shape", name="Shape", mesh=mesh, material="m"),)),
        materials=(Material(id="m", name="m", recipe=recipe),),
        sets=(studio,),
        current_set="swatch",
        views=(View(id="final", name="Final", camera=camera),),
    )
    return project, meshes
