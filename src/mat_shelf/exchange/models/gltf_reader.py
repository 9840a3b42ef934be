"""glTF 2.0 and GLB: nodes with their meshes as parts, and their materials."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from mat_shelf.exchange.models.beside import PartFaultError
from mat_shelf.exchange.models.gltf_file import GltfFile, block, numbers, place, rows
from mat_shelf.exchange.models.gltf_materials import GltfMaterials
from mat_shelf.exchange.models.read_model import NO_MATERIAL, ReadModel, ReadPart
from mat_shelf.geometry.mesh import MeshError

_TRIANGLES, _STRIP, _FAN = 4, 5, 6
_MOST_NODES = 200_000


def read_gltf(path: Path, data: bytes | None = None) -> ReadModel:
    """Reads a glTF or GLB file.

    Parameters
    ----------
    path : Path
        The file.
    data : bytes, optional
        Its content, where it is not what is in the file.

    Returns
    -------
    ReadModel

    Raises
    ------
    MeshError
        If it is no glTF 2.0, or damaged throughout.
    """
    file = GltfFile(path, path.read_bytes() if data is None else data)
    model = ReadModel(unit="m", unit_is_known=True)
    for name in file.unread_extensions():
        model.note(f"extension {name} is not read, though the file calls it necessary")
    if rows(file.text, "animations") or rows(file.text, "skins"):
        model.note("animations and poses are left out")
    materials = GltfMaterials(file, model)
    meshes = rows(file.text, "meshes")
    faults: list[str] = []
    for node, to_world, above in _placed_nodes(file, model):
        mesh = meshes[node["mesh"]]
        name = str(node.get("name") or mesh.get("name") or f"{path.stem} {len(model.parts) + 1}")
        try:
            part = _part(file, materials, model, name, mesh, to_world, above)
        except PartFaultError as fault:
            faults.append(str(fault))
            model.note(f"'{name}' left out: {fault}")
            continue
        if part is not None:
            model.parts.append(part)
    if not model.parts and faults:
        raise MeshError(f"nothing in {path.name} can be used: {faults[0]}")
    return model


def _placed_nodes(file: GltfFile, model: ReadModel) -> Iterator[tuple[dict, np.ndarray, tuple[str, ...]]]:
    """Nodes of the scene that have a mesh, with their place in the world, (4, 4), and the names above them."""
    nodes, meshes = rows(file.text, "nodes"), rows(file.text, "meshes")
    if len(nodes) > _MOST_NODES:
        raise MeshError(f"{file.path.name} has more than {_MOST_NODES:,} nodes; join some of them")
    scenes = rows(file.text, "scenes")
    if scenes:
        scene = scenes[place(file.text, "scene", scenes) or 0]
        roots = _indices(scene, "nodes", nodes)
    else:
        below = {child for node in nodes for child in _indices(node, "children", nodes)}
        roots = [index for index in range(len(nodes)) if index not in below]
    seen: set[int] = set()
    waiting = [(index, np.eye(4), ()) for index in reversed(roots)]
    while waiting:
        index, above_it, names = waiting.pop()
        if index in seen:
            raise MeshError(f"{file.path.name} has nodes that contain each other; export it again")
        seen.add(index)
        node = nodes[index]
        to_world = above_it @ _matrix(node)
        name = str(node.get("name") or "")
        if "EXT_mesh_gpu_instancing" in block(node, "extensions"):
            model.note(f"'{name or 'a node'}' has instances of an extension, which are left out")
        if place(node, "mesh", meshes) is not None:
            yield node, to_world, names
        inner = (*names, name) if name else names
        waiting += [(child, to_world, inner) for child in reversed(_indices(node, "children", nodes))]


def _indices(value: dict, name: str, among: list) -> list[int]:
    found = value.get(name)
    found = found if isinstance(found, list) else []
    return [i for i in found if isinstance(i, int) and not isinstance(i, bool) and 0 <= i < len(among)]


def _matrix(node: dict) -> np.ndarray:
    """Place of a node in the one above it (glTF 2.0, 3.5.3)."""
    if isinstance(node.get("matrix"), list):
        return np.array(numbers(node, "matrix", tuple(np.eye(4).reshape(-1)))).reshape(4, 4).T
    x, y, z, w = numbers(node, "rotation", (0.0, 0.0, 0.0, 1.0))
    length = max((x * x + y * y + z * z + w * w) ** 0.5, 1e-12)
    x, y, z, w = x / length, y / length, z / length, w / length
    made = np.eye(4)
    made[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    made[:3, :3] *= numbers(node, "scale", (1.0, 1.0, 1.0))
    made[:3, 3] = numbers(node, "translation", (0.0, 0.0, 0.0))
    return made


def _part(file, materials, model, name, mesh, to_world, above) -> ReadPart | None:
    """The primitives of a mesh as one part; None where it has no surfaces. Raises PartFaultError."""
    if not np.isfinite(to_world).all() or abs(np.linalg.det(to_world[:3, :3])) < 1e-30:
        raise PartFaultError("its place is no number, or it is flattened")
    found, faults, drawn_before = [], [], 0
    for primitive in rows(mesh, "primitives"):
        mode = primitive.get("mode", _TRIANGLES)
        if mode not in (_TRIANGLES, _STRIP, _FAN):
            model.note(f"'{name}' has points or lines, which are left out")
            continue
        try:
            read = _primitive(file, materials, model, name, primitive, mode)
        except PartFaultError as fault:
            faults.append(fault)
            continue
        if read.drawn is not None:
            read.drawn = read.drawn + drawn_before
            drawn_before = int(read.drawn.max()) + 1
        found.append((read, block(primitive, "attributes")))
    if faults and not found:
        raise faults[0]
    if faults:
        model.note(f"some of '{name}' left out: {faults[0]}")
    if not found:
        return None
    part = _joined([read for read, _ in found], all(keys == found[0][1] for _, keys in found))
    part.above = above
    with np.errstate(all="ignore"):
        part.vertices = part.vertices @ to_world[:3, :3].T + to_world[:3, 3]
    if np.linalg.det(to_world[:3, :3]) < 0:
        part.triangles = part.triangles[:, ::-1]
    if part.normals is not None:
        part.normals = part.normals @ np.linalg.inv(to_world[:3, :3])
    return part


def _joined(parts: list[ReadPart], share_vertices: bool) -> ReadPart:
    """Primitives of one mesh; often they share their vertices."""
    first = parts[0]
    if len(parts) == 1:
        return first
    labels = np.concatenate([part.labels for part in parts])
    drawn = [part.drawn for part in parts]
    drawn = np.concatenate(drawn) if all(each is not None for each in drawn) else None
    if share_vertices:
        triangles = np.concatenate([part.triangles for part in parts])
        return ReadPart(first.name, first.vertices, triangles, first.normals, first.uv, labels, drawn)
    starts = np.cumsum([0, *(len(part.vertices) for part in parts)])
    normals = [part.normals for part in parts]
    # Coordinates of a primitive without any are never looked up.
    uv = [np.zeros((len(part.vertices), 2)) if part.uv is None else part.uv for part in parts]
    return ReadPart(
        first.name,
        np.concatenate([part.vertices for part in parts]),
        np.concatenate([part.triangles + start for part, start in zip(parts, starts, strict=False)]),
        np.concatenate(normals) if all(each is not None for each in normals) else None,
        np.concatenate(uv) if any(part.uv is not None for part in parts) else None,
        labels,
        drawn,
    )


def _primitive(file, materials, model, name, primitive: dict, mode: int) -> ReadPart:
    """Raises PartFaultError."""
    packed = block(block(primitive, "extensions"), "KHR_draco_mesh_compression")
    attributes = block(primitive, "attributes")
    if packed:
        from mat_shelf.exchange.models.draco import unpacked

        data, _ = file.view(packed.get("bufferView", -1))
        triangles, arrays = unpacked(bytes(data), block(packed, "attributes"))
    else:
        arrays = {key: file.values(index) for key, index in attributes.items() if key in _READ}
        triangles = None
    vertices = arrays.get("POSITION")
    if vertices is None or vertices.ndim != 2 or vertices.shape[1] != 3:
        raise PartFaultError("it has no positions")
    if triangles is None:
        index = file.values(primitive["indices"]) if "indices" in primitive else np.arange(len(vertices))
        if index.ndim != 1 or index.dtype.kind not in "iu":
            raise PartFaultError("its indices are no whole numbers")
        triangles = _triangles(index.astype(np.int64), mode)
    if len(triangles) and int(triangles.max()) >= len(vertices):
        raise PartFaultError("it refers to vertices that are not there")
    arrays = {key: values for key, values in arrays.items() if len(values) == len(vertices)}
    listed = rows(file.text, "materials")
    label, uv_set = materials.label(place(primitive, "material", listed))
    for mapping in rows(block(block(primitive, "extensions"), "KHR_materials_variants"), "mappings"):
        other = materials.label(place(mapping, "material", listed))[0]
        if NO_MATERIAL not in (label, other) and label != other and (label, other) not in model.variants:
            model.variants.append((label, other))
    uv = arrays.get(f"TEXCOORD_{uv_set}", arrays.get("TEXCOORD_0"))
    labels = np.full(len(triangles), label, np.int32)
    colors = arrays.get("COLOR_0")
    if colors is not None and colors.ndim == 2 and len(triangles):
        labels = model.colored(label, name, colors[:, :3].astype(np.float64)[triangles].mean(axis=1))
    return ReadPart(
        name,
        vertices.astype(np.float64),
        triangles,
        arrays.get("NORMAL"),
        None if uv is None or uv.ndim != 2 else uv[:, :2] * [1, -1] + [0, 1],
        labels,
        _drawn_faces(file, primitive, len(triangles)),
    )


def _drawn_faces(file, primitive: dict, count: int) -> np.ndarray | None:
    """Face of a CAD model that each triangle was laid on, as the reader of CAD files notes it."""
    noted = block(block(primitive, "extensions"), "TM_brep_faces")
    if "faceIndices" not in noted:
        return None
    found = file.values(noted["faceIndices"])
    return found.astype(np.int64) if found.shape == (count,) and found.dtype.kind in "iu" else None


_READ = {"POSITION", "NORMAL", "COLOR_0", *(f"TEXCOORD_{k}" for k in range(4))}


def _triangles(index: np.ndarray, mode: int) -> np.ndarray:
    """Triangles of a list, a strip or a fan, (T, 3) (glTF 2.0, 3.7.2.1)."""
    if mode == _TRIANGLES:
        return index[: len(index) // 3 * 3].reshape(-1, 3)
    if len(index) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == _FAN:
        return np.stack([index[1:-1], index[2:], np.full(len(index) - 2, index[0])], axis=1)
    triangles = np.stack([index[:-2], index[1:-1], index[2:]], axis=1)
    triangles[1::2] = triangles[1::2][:, [0, 2, 1]]
    return triangles
