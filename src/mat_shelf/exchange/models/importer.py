"""Bringing a product in: any model file as parts in millimetres, mended, with names, materials and images.

What a file refers to is read only from its own folder. `exchange.models.import_process` reads in a process of its own,
which bounds memory and can be stopped.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from mat_shelf.document.ids import FreeNames
from mat_shelf.document.product import MOST_PARTS
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.formats import MODEL_ENDINGS, format_of
from mat_shelf.exchange.models.read_model import NO_MATERIAL, ReadModel, ReadPart, group_names
from mat_shelf.geometry.cad_faces import first_triangles
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.repair import Repairs, repair
from mat_shelf.geometry.size import UNITS

LARGEST_MODEL = 2 * 2**30
MOST_MODEL_TRIANGLES = 20_000_000


@dataclass(frozen=True)
class ImportedPart:
    """A part in millimetres.

    Attributes
    ----------
    material : str or None
        Key of its material; that of most of its faces where it has several.
    zones : list of (name, (N,) int64 faces, material key)
        Its other materials.
    cad_faces : (F,) int64 or None
        First triangles of the faces that an engineer drew.
    group : str or None
        Name of the assembly that it belongs to.
    """

    name: str
    mesh: Mesh
    material: str | None
    zones: list[tuple[str, np.ndarray, str]]
    repairs: Repairs
    cad_faces: np.ndarray | None = None
    group: str | None = None


@dataclass
class ImportedModel:
    """A model as it was read.

    Attributes
    ----------
    unit : str
        What its numbers were taken for, a key of `UNITS`.
    unit_is_known : bool
        Whether the file says so.
    up : {"y", "z"}
        Axis that points up: as the file says, else by the format's convention.
    materials : dict of recipes by key
    images : dict of bytes by SHA-256
        Those that the materials show, as they came.
    notes : list of str
        What was left out, and what came in otherwise than it was, a line each.
    variants : list of (str, str)
        Keys of a material and of one that is a variant of it.
    """

    name: str
    unit: str
    unit_is_known: bool
    up: str = "y"
    parts: list[ImportedPart] = field(default_factory=list)
    materials: dict[str, Recipe] = field(default_factory=dict)
    images: dict[str, bytes] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    variants: list[tuple[str, str]] = field(default_factory=list)


def read_model(path: Path, say: Callable[[str], None] = lambda text: None, fineness: str = "good") -> ImportedModel:
    """Reads a model.

    Parameters
    ----------
    path : Path
        File.
    say : callable (str) -> None
        Told what is going on.
    fineness : str
        Of the curved faces of a CAD file, a key of `document.product.FINENESS`.

    Returns
    -------
    ImportedModel

    Raises
    ------
    MeshError
        If it cannot be used; the message says why.
    """
    form = format_of(path)
    if form is None:
        raise MeshError(f"{path.name} is none of {', '.join(ending[1:].upper() for ending in MODEL_ENDINGS)}")
    try:
        size = path.stat().st_size
    except OSError as fault:
        raise MeshError(f"{path.name} cannot be read: {fault.strerror}") from None
    if not path.is_file():
        raise MeshError(f"{path.name} is not a file")
    if size > LARGEST_MODEL:
        raise MeshError(f"{path.name} is larger than {LARGEST_MODEL >> 30} GiB; split it or reduce it")
    if not size:
        raise MeshError(f"{path.name} is empty")
    say("Reading the file")
    read = form.reader()(path, fineness) if form.is_drawn else form.reader()(path)
    if not read.parts:
        why = f": {read.notes[0]}" if read.notes else ""
        raise MeshError(f"{path.name} holds no surfaces{why}")
    if len(read.parts) > MOST_PARTS:
        raise MeshError(f"{path.name} has {len(read.parts):,} parts; join some of them")
    if sum(len(part.triangles) for part in read.parts) > MOST_MODEL_TRIANGLES:
        raise MeshError(f"{path.name} has more than {MOST_MODEL_TRIANGLES // 1_000_000} million faces; reduce it")
    return _mended(path, read, say)


def _mended(path: Path, read: ReadModel, say: Callable[[str], None]) -> ImportedModel:
    """The parts that can be used; the others are noted. Raises MeshError where there are none."""
    model = ImportedModel(path.stem, read.unit, read.unit_is_known, read.up)
    names = FreeNames()
    keys = [names.take(name) for name, _ in read.materials]
    faults, used = [], set()
    for number, (part, group) in enumerate(zip(read.parts, group_names(read.parts), strict=True), 1):
        say(f"Repairing part {number} of {len(read.parts)}")
        try:
            mesh, kept, repairs = repair(part.vertices * UNITS[read.unit], part.triangles, part.normals, part.uv)
        except MeshError as fault:
            faults.append(fault)
            read.note(f"'{part.name}' left out: {fault}")
            continue
        material, zones = _zones_of(part, kept, keys)
        used |= {material, *(key for _, _, key in zones)}
        cad_faces = first_triangles(part.drawn[kept]) if part.drawn is not None else None
        model.parts.append(ImportedPart(part.name, mesh, material, zones, repairs, cad_faces, group))
    if not model.parts:
        raise faults[0]
    worn = set(used)
    for parent, variant in read.variants:  # of one that is worn itself nothing can be a variant
        if keys[parent] in worn and keys[variant] not in used:
            used.add(keys[variant])
            model.variants.append((keys[parent], keys[variant]))
    model.materials = {key: recipe for key, (_, recipe) in zip(keys, read.materials, strict=True) if key in used}
    shown = {image.digest for recipe in model.materials.values() for image in recipe.pictures()}
    model.images = {key: data for key, data in read.images.items() if key in shown}
    model.notes = read.notes
    return model


def _zones_of(part: ReadPart, kept: np.ndarray, keys: list[str]):
    """The material of most faces, and the other ones as zones; faces without any are a bare zone."""
    if part.labels is None or (part.labels == NO_MATERIAL).all():
        return None, []
    found, index, counts = np.unique(part.labels[kept], return_inverse=True, return_counts=True)
    main = int(counts.argmax())
    names = ["" if label == NO_MATERIAL else keys[label] for label in found]
    zones = [(key or "Bare", np.flatnonzero(index == k), key) for k, key in enumerate(names) if k != main]
    return names[main] or None, zones
