"""Files that materials came from: whether they are newer by now, and what they hold then."""

import re
import tempfile
from collections.abc import Mapping
from itertools import islice
from pathlib import Path

from mat_shelf.document.image import ImageRef
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.image_decoding import ImageError, map_kind
from mat_shelf.exchange.image_reading import read_map
from mat_shelf.exchange.materials.material_files import (
    IMAGE_ENDINGS,
    MATERIAL_ENDINGS,
    MaterialFileError,
    read_material_file,
    unpack,
)
from mat_shelf.exchange.models.mesh_glb import digest
from mat_shelf.exchange.models.read_model import LARGEST_IMAGE

_MOST_FILES = 2000
_LARGEST_TEXT = 64 << 20
_NAMED = re.compile(rb'"([^"<>|]{1,400}\.(?:png|jpe?g|tiff?|exr|webp|psd))"', re.IGNORECASE)
"""Images that a document names."""
_KEPT = ("nesting_priority", "contact", "brush_way", "brush_axis", "age")
"""Inputs that no exchange format has, and that a newer state leaves as they were tuned."""


def source_stamp(path: Path) -> int:
    """Time at which a material's file, or anything in its folder, was last written.

    Parameters
    ----------
    path : Path
        The file or the folder.

    Returns
    -------
    int
        ns; 0 where nothing is there.
    """
    try:
        return max((file.stat().st_mtime_ns for file in source_files(path)), default=0)
    except (OSError, ValueError):
        return 0


def source_files(path: Path) -> list[Path]:
    """The file that a material came from, with the images that it may name; or all of use in a folder.

    Parameters
    ----------
    path : Path
        The file or the folder.

    Returns
    -------
    list of Path
        Empty where nothing is there.
    """
    if path.is_dir():
        wanted = (*IMAGE_ENDINGS, *MATERIAL_ENDINGS)
        found = (file for file in path.rglob("*") if file.suffix.lower() in wanted and file.is_file())
        return list(islice(found, _MOST_FILES))
    if not path.is_file():
        return []
    if path.suffix.lower() not in (".mtlx", ".gltf") or path.stat().st_size > _LARGEST_TEXT:
        return [path]
    folder = path.parent.resolve()
    named = {name.decode("utf-8", "replace") for name in _NAMED.findall(path.read_bytes())}
    beside = ((folder / name.replace("\\", "/")).resolve() for name in sorted(named)[:_MOST_FILES])
    return [path, *(file for file in beside if folder in file.parents and file.is_file())]


def newer_recipe(recipe: Recipe, name: str, path: Path) -> tuple[Recipe, dict[str, bytes]]:
    """A recipe as the file that it came from has it now.

    Of a texture set the images alone are exchanged, each for the one of its name, so that all that was tuned stays.

    Parameters
    ----------
    recipe : Recipe
        The recipe as it is.
    name : str
        Name of its material.
    path : Path
        The file or folder.

    Returns
    -------
    recipe : Recipe
    images : dict of bytes by SHA-256

    Raises
    ------
    MaterialFileError
        If there is nothing there that it can take.
    """
    if path.is_dir():
        return _with_newer_images(recipe, path, path.name)
    if path.suffix.lower() == ".zip":
        with tempfile.TemporaryDirectory() as folder:
            unpack(path, Path(folder))
            return _with_newer_images(recipe, Path(folder), path.name)
    found = read_material_file(path)
    same = [made for title, made in found.materials if title == name] or [made for _, made in found.materials][:1]
    kept = {field: getattr(recipe, field) for field in _KEPT}
    made = same[0].with_(**kept)
    shown = {image.digest for image in made.pictures()}
    return made, {key: data for key, data in found.images.items() if key in shown}


def _with_newer_images(recipe: Recipe, folder: Path, name: str) -> tuple[Recipe, dict[str, bytes]]:
    wanted = {image.name.lower() for image in recipe.pictures()}
    newer: dict[str, ImageRef] = {}
    images: dict[str, bytes] = {}
    for path in source_files(folder):
        if path.name.lower() not in wanted or path.stat().st_size > LARGEST_IMAGE:
            continue
        data = path.read_bytes()
        try:
            read_map(data)
            newer[path.name.lower()] = ImageRef(name=path.name, digest=digest(data), kind=map_kind(data))
        except ImageError as fault:
            raise MaterialFileError(f"image '{path.name}' cannot be read: {fault}") from None
        images[digest(data)] = data
    if not newer:
        raise MaterialFileError(f"{name} has none of the images of this material any more")
    return with_images(recipe, newer), images


def with_images(recipe: Recipe, newer: Mapping[str, ImageRef]) -> Recipe:
    """A recipe, with its overlays, whose patterns show other images.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    newer : mapping of ImageRef
        By the name of the image that it takes the place of, in lower case.

    Returns
    -------
    Recipe
    """
    for pattern in recipe.patterns:
        steps = []
        for step in pattern.steps:
            changed = {
                key: newer[value.name.lower()]
                for key in type(step).model_fields
                if isinstance(value := getattr(step, key), ImageRef) and value.name.lower() in newer
            }
            steps.append(step.with_(**changed) if changed else step)
        recipe = recipe.with_pattern(pattern.with_(steps=tuple(steps)))
    for overlay in recipe.overlays:
        recipe = recipe.with_overlay(overlay.with_(recipe=with_images(overlay.recipe, newer)))
    return recipe
