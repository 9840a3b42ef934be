"""Bringing a product in: STEP, glTF, OBJ, STL and PLY, with parts, names, colours and, where the file says, its unit.

What a file refers to is read only from its own folder. `exchange.models.import_process` reads in a process of its own,
which bounds memory and can be stopped.
"""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import cascadio
import numpy as np
import trimesh

from mat_shelf.document.product import FINENESS, MOST_PARTS
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.gltf_materials import Words, completed, read_words
from mat_shelf.exchange.models.obj_reader import read_obj
from mat_shelf.geometry.cad_faces import first_triangles
from mat_shelf.geometry.mesh import Mesh, MeshError, row_keys
from mat_shelf.geometry.repair import Repairs, repair
from mat_shelf.geometry.size import UNITS
from mat_shelf.optics.color import decode_srgb, luminance

Z_UP = (".step", ".stp", ".stl")
"""Formats whose models stand along z by convention; glTF says y, OBJ and PLY say nothing and are taken for y."""
MODEL_ENDINGS = (".step", ".stp", ".glb", ".gltf", ".obj", ".stl", ".ply")
LARGEST_MODEL = 2 * 2**30
MOST_MODEL_TRIANGLES = 20_000_000

_DRAWN = "brep_index"
"""Name by which the reader tells the face of a CAD model that each triangle was laid on."""


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
    """

    name: str
    mesh: Mesh
    material: str | None
    zones: list[tuple[str, np.ndarray, str]]
    repairs: Repairs
    cad_faces: np.ndarray | None = None


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
        Axis that points up, by the format's convention.
    materials : dict of recipes by key
    """

    name: str
    unit: str
    unit_is_known: bool
    up: str = "y"
    parts: list[ImportedPart] = field(default_factory=list)
    materials: dict[str, Recipe] = field(default_factory=dict)


def read_model(path: Path, say: Callable[[str], None] = lambda text: None, fineness: str = "good") -> ImportedModel:
    """Reads a model.

    Parameters
    ----------
    path : Path
        File.
    say : callable (str) -> None
        Told what is going on.
    fineness : str
        Of the curved faces of a STEP file, a key of `document.product.FINENESS`.

    Returns
    -------
    ImportedModel

    Raises
    ------
    MeshError
        If it cannot be used; the message says why.
    """
    ending = path.suffix.lower()
    if ending not in MODEL_ENDINGS:
        raise MeshError(f"{path.name} is none of {', '.join(e[1:].upper() for e in MODEL_ENDINGS)}")
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
    known = ending in (".step", ".stp", ".glb", ".gltf")
    up = "z" if ending in Z_UP else "y"
    model = ImportedModel(path.stem, "m" if ending in (".glb", ".gltf") else "mm", known, up)
    if ending == ".obj":
        pieces = _obj_pieces(path, model.materials)
    elif ending in (".step", ".stp"):
        pieces = _step_pieces(path, model.materials, FINENESS[fineness])
    else:
        pieces = _scene_pieces(path, ending, model.materials)
    if not pieces:
        raise MeshError(f"{path.name} holds no surfaces")
    if len(pieces) > MOST_PARTS:
        raise MeshError(f"{path.name} has {len(pieces):,} parts; join some of them")
    if sum(len(piece[2]) for piece in pieces) > MOST_MODEL_TRIANGLES:
        raise MeshError(f"{path.name} has more than {MOST_MODEL_TRIANGLES // 1_000_000} million faces; reduce it")
    faults = []
    for number, (name, vertices, triangles, normals, uv, labels, drawn) in enumerate(pieces, 1):
        say(f"Repairing part {number} of {len(pieces)}")
        if drawn is not None:  # a face's triangles follow each other
            order = np.argsort(drawn, kind="stable")
            triangles, drawn = triangles[order], drawn[order]
            labels = labels[order] if labels is not None else None
        try:
            mesh, kept, repairs = repair(vertices * UNITS[model.unit], triangles, normals, uv)
        except MeshError as fault:
            faults.append(fault)
            continue
        material, zones = _zones_of(name, labels[kept] if labels is not None else None)
        cad_faces = first_triangles(drawn[kept]) if drawn is not None else None
        model.parts.append(ImportedPart(name, mesh, material, zones, repairs, cad_faces))
    if not model.parts:
        raise faults[0]
    return model


def _zones_of(name: str, labels: np.ndarray | None):
    """The material of most faces, and the other ones as zones; faces without any are a bare zone."""
    if labels is None:
        return None, []
    names, index, counts = np.unique(labels, return_inverse=True, return_counts=True)
    main = int(counts.argmax())
    zones = [(str(key) or "Bare", np.flatnonzero(index == k), str(key)) for k, key in enumerate(names) if k != main]
    return (str(names[main]) or None), zones


def _step_pieces(path: Path, materials: dict[str, Recipe], fineness: tuple[float, float]) -> list:
    with tempfile.TemporaryDirectory() as folder:
        written = Path(folder) / "model.glb"
        try:
            cascadio.step_to_glb(str(path), str(written), *fineness, include_brep=True)
        except Exception as fault:  # the reader raises whatever the damage happens to cause
            raise MeshError(f"{path.name} is not a STEP file, or it is damaged") from fault
        if not written.exists() or not written.stat().st_size:
            raise MeshError(f"{path.name} is not a STEP file, it holds no solids, or it is damaged")
        pieces = _scene_pieces(written, ".glb", materials)
    # The GLB between is in metres, as glTF is; the model's numbers are millimetres.
    return [(name, vertices * UNITS["m"], *rest) for name, vertices, *rest in pieces]


def _scene_pieces(path: Path, ending: str, materials: dict[str, Recipe]) -> list:
    try:
        with path.open("rb") as stream:
            resolver = trimesh.resolvers.FilePathResolver(str(path))
            scene = trimesh.load(stream, file_type=ending[1:], process=False, force="scene", resolver=resolver)
    except MemoryError:
        raise
    except RecursionError:
        raise MeshError(f"{path.name} has nodes that contain each other; export it again") from None
    except Exception as fault:  # as above
        raise MeshError(f"{path.name} cannot be read; it seems damaged ({_short(fault)})") from fault
    order = list(scene.geometry)
    placed = sorted((order.index(scene.graph[node][1]), node) for node in scene.graph.nodes_geometry)
    words = read_words(path) if ending in (".glb", ".gltf") else Words({}, set())
    pieces: list = []
    whole: dict[str, list] = {}
    for _, node in placed:
        to_world, key = scene.graph[node]
        solid = scene.geometry[key]
        if not isinstance(solid, trimesh.Trimesh) or not len(solid.faces):
            continue
        to_world = np.asarray(to_world, np.float64)
        with np.errstate(all="ignore"):
            vertices = solid.vertices @ to_world[:3, :3].T + to_world[:3, 3]
        mirrored = np.linalg.det(to_world[:3, :3]) < 0
        faces = solid.faces[:, ::-1] if mirrored else solid.faces
        normals = None
        if "vertex_normals" in solid._cache:  # only those the file brought; made-up ones would hide its creases
            normals = np.asarray(solid.vertex_normals) @ np.linalg.pinv(to_world[:3, :3])
        material = _material_of(solid.visual, materials)
        owner = scene.graph.transforms.parents.get(node)
        # The reader makes up nodes for the primitives of one mesh; the file knows nothing of them.
        if str(owner) in words.nodes and str(node) not in words.nodes:
            name = str(owner)
        else:
            name = owner = path.stem if ending in (".stl", ".ply") else str(node)
        labels = np.full(len(faces), material or "", object)
        uv, drawn = getattr(solid.visual, "uv", None), solid.face_attributes.get(_DRAWN)
        piece = [name, vertices, np.asarray(faces), normals, uv, labels, drawn]
        if owner in whole:
            _add_primitive(whole[owner], piece)
        else:
            whole[owner] = piece
            pieces.append(piece)
    for key, material in words.materials.items():
        if key in materials:
            materials[key] = completed(materials[key], material)
    for piece in pieces:
        piece[5] = piece[5].astype(str) if any(piece[5]) else None
    return pieces


def _add_primitive(piece: list, more: list) -> None:
    """Makes another primitive of its mesh part of a piece; often they share their vertices."""
    _, vertices, faces, normals, uv, labels, drawn = piece
    shares = vertices.shape == more[1].shape and np.array_equal(vertices, more[1])
    if not shares:
        piece[1] = np.concatenate([vertices, more[1]])
        piece[3] = np.concatenate([normals, more[3]]) if normals is not None and more[3] is not None else None
        piece[4] = np.concatenate([uv, more[4]]) if uv is not None and more[4] is not None else None
    piece[2] = np.concatenate([faces, more[2] + (0 if shares else len(vertices))])
    piece[5] = np.concatenate([labels, more[5]])
    has_drawn = drawn is not None and more[6] is not None
    piece[6] = np.concatenate([drawn, more[6] + int(drawn.max()) + 1]) if has_drawn else None


def _material_of(visual, materials: dict[str, Recipe]) -> str | None:
    """Key of a part's own material, which is entered among the others."""
    material = getattr(visual, "material", None)
    if isinstance(material, trimesh.visual.material.PBRMaterial):
        key = material.name or "Material"
        if key not in materials:
            materials[key] = _pbr_recipe(material)
        return key
    if isinstance(visual, trimesh.visual.ColorVisuals) and visual.defined:
        colors = np.unique(np.asarray(visual.face_colors)[:, :3], axis=0)
        if len(colors) == 1:
            key = "Colour " + "".join(f"{c:02X}" for c in colors[0])
            materials.setdefault(key, Recipe(base_color=_linear(colors[0] / 255)))
            return key
    return None


def _pbr_recipe(material) -> Recipe:
    """A glTF 2.0 metallic-roughness material; its factors are linear."""

    def share(value, default: float) -> float:
        return default if value is None else float(np.clip(np.nan_to_num(value), 0, 1))

    def factors(value, default):
        return tuple(float(c) for c in np.clip(np.nan_to_num(np.asarray(default if value is None else value)), 0, 1))

    base = material.baseColorFactor
    base = np.ones(4) if base is None else np.asarray(base, np.float64) / (255 if np.max(base) > 1 else 1)
    clear = 1 - float(base[3]) if len(base) > 3 and material.alphaMode == "BLEND" else 0.0
    glow = factors(material.emissiveFactor, (0, 0, 0))
    return Recipe(
        base_color=factors(base[:3], (1, 1, 1)),
        base_metalness=share(material.metallicFactor, 1.0),
        specular_roughness=share(material.roughnessFactor, 1.0),
        transmission_weight=float(np.clip(clear, 0, 1)),
        emission_luminance=1000.0 * float(luminance(glow)),
        emission_color=tuple(c / max(glow) for c in glow) if max(glow) > 0 else (1.0, 1.0, 1.0),
    )


def _obj_pieces(path: Path, materials: dict[str, Recipe]) -> list:
    file = read_obj(path.read_bytes())
    for library in file.libraries:
        materials |= _read_mtl(path, library)
    pieces = []
    for number, part in enumerate(file.parts, 1):
        corners = np.concatenate(part.corners)
        labels = np.concatenate(
            [np.full(len(block), key, object) for block, key in zip(part.corners, part.materials, strict=True)]
        ).astype(str)
        for key in np.unique(labels):
            if key:
                materials.setdefault(str(key), Recipe())
        has_normals = len(file.normals) and (corners[..., 2] >= 0).all()
        has_uv = len(file.coordinates) and (corners[..., 1] >= 0).all()
        keys = corners.reshape(-1, 3) * np.array([1, bool(has_uv), bool(has_normals)])
        _, first, index = np.unique(row_keys(keys), return_index=True, return_inverse=True)
        unique = keys[first]
        normals = file.normals[unique[:, 2]] if has_normals else None
        uv = file.coordinates[unique[:, 1]] if has_uv else None
        pieces.append(
            (
                part.name or f"{path.stem} {number}",
                file.vertices[unique[:, 0]],
                index.reshape(-1, 3),
                normals,
                uv,
                labels,
                None,
            )
        )
    used = {str(key) for piece in pieces for key in np.unique(piece[5])}
    for key in set(materials) - used:
        del materials[key]
    return pieces


def _read_mtl(path: Path, library: str) -> dict[str, Recipe]:
    """Materials of an OBJ's library, from its own folder alone; without it the names are kept."""
    folder = path.parent.resolve()
    place = (folder / library.replace("\\", "/")).resolve()
    if folder not in place.parents or not place.is_file() or place.stat().st_size > 16 * 2**20:
        return {}
    found: dict[str, dict[str, list[str]]] = {}
    current: dict[str, list[str]] = {}
    for line in place.read_text("utf-8", "replace").splitlines():
        word, *values = line.split() or [""]
        if word == "newmtl":
            current = found.setdefault(" ".join(values), {})
        elif word:
            current.setdefault(word.lower(), values)
    return {name: _phong_recipe(values) for name, values in found.items()}


def _phong_recipe(values: dict[str, list[str]]) -> Recipe:
    """OBJ's old shading model: Kd is taken for sRGB, the exponent Ns for a roughness (Walter et al. 2007, eq. 25)."""

    def numbers(word: str, default: list[float]) -> np.ndarray:
        try:
            read = np.array([float(v) for v in values.get(word, default)][: len(default)])
        except ValueError:
            return np.array(default)
        return read if len(read) == len(default) and np.isfinite(read).all() else np.array(default)

    exponent = max(float(numbers("ns", [60.0])[0]), 0.0)
    clear = 1 - float(numbers("d", [1.0])[0]) if "d" in values else float(numbers("tr", [0.0])[0])
    return Recipe(
        base_color=_linear(np.clip(numbers("kd", [0.8, 0.8, 0.8]), 0, 1)),
        specular_roughness=float(np.clip((2 / (exponent + 2)) ** 0.25, 0, 1)),
        specular_ior=float(np.clip(numbers("ni", [1.5])[0], 1.0, 3.0)),
        transmission_weight=float(np.clip(clear, 0, 1)),
    )


def _linear(srgb) -> tuple[float, float, float]:
    return tuple(round(float(c), 6) for c in decode_srgb(np.asarray(srgb, np.float64)))


def _short(fault: Exception) -> str:
    words = str(fault).split("\n")[0]
    return words[:120] or type(fault).__name__
