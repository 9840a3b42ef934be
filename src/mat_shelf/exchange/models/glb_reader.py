"""GLB files as bare arrays. Called in a process of its own, so nothing here loads the kernels."""

import io
import json
import struct

import numpy as np
import trimesh

MOST_NODES = 1000
_LARGEST_TEXT = 4 << 20


class GlbError(ValueError):
    """A GLB that cannot be used; the message says why."""


def glb_arrays(data: bytes) -> list[dict]:
    """The parts of a GLB, placed as its nodes say, in the file's own unit.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    list of dict
        ``name``; ``vertices`` and ``normals``, (V, 3) float64; ``triangles``, (T, 3) int64; ``uv``, (V, 2) or None.

    Raises
    ------
    GlbError
        If the data is no GLB, is damaged, or has more nodes than a part of a product needs.
    """
    _check(data)
    try:
        # No resolver: a file from elsewhere must not make us read other files.
        scene = trimesh.load(io.BytesIO(data), file_type="glb", process=False, force="scene", resolver=None)
        order = list(scene.geometry)
        placed = sorted((order.index(scene.graph[node][1]), node) for node in scene.graph.nodes_geometry)
        return [part for _, node in placed if (part := _part(scene, node)) is not None]
    except MemoryError:
        raise
    except RecursionError:
        raise GlbError("the model has nodes that contain each other; export it again") from None
    except Exception as fault:  # the reader raises whatever the damage happens to cause
        raise GlbError(f"the model cannot be read; it seems damaged ({str(fault)[:100]})") from fault


def _part(scene, node) -> dict | None:
    to_world, geometry = scene.graph[node]
    solid = scene.geometry[geometry]
    if not isinstance(solid, trimesh.Trimesh):
        return None
    to_world = np.asarray(to_world, np.float64)
    if not np.isfinite(to_world).all():
        raise ValueError("a node has a position that is no number")
    faces = np.asarray(solid.faces)
    if len(faces) and (faces.min() < 0 or faces.max() >= len(solid.vertices)):
        raise ValueError("it refers to vertices that are not there")
    return {
        "name": str(node),
        "vertices": solid.vertices @ to_world[:3, :3].T + to_world[:3, 3],
        "normals": np.asarray(solid.vertex_normals) @ np.linalg.pinv(to_world[:3, :3]),
        "triangles": faces if np.linalg.det(to_world[:3, :3]) > 0 else faces[:, ::-1],
        "uv": getattr(solid.visual, "uv", None),
    }


def _check(data: bytes) -> None:
    """Refuse what would take long before it is found wrong. Raises GlbError."""
    if data[:4] != b"glTF" or len(data) < 20:
        raise GlbError("this is no GLB file")
    length = struct.unpack("<I", data[12:16])[0]
    if length > min(_LARGEST_TEXT, len(data)):
        raise GlbError("the model's description is larger than a part needs; simplify it")
    try:
        text = json.loads(data[20 : 20 + length])
        counts = [len(text.get(key, ())) for key in ("nodes", "meshes", "accessors", "materials", "scenes")]
        elements = [int(accessor["count"]) for accessor in text.get("accessors", ())]
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
        raise GlbError("the model cannot be read; its description is damaged") from None
    if max(counts) > MOST_NODES:
        raise GlbError(f"the model has more than {MOST_NODES} nodes; join some of them")
    if any(not 0 <= count <= len(data) for count in elements):
        raise GlbError("the model claims more vertices than its file holds; it is damaged")
