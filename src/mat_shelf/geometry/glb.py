"""GLB files: the form in which meshes are kept, and one in which they are brought in.

References
----------
Khronos glTF 2.0. A glTF length is a metre; ours is a millimetre.
"""

import hashlib
import io
from dataclasses import dataclass

import numpy as np
import trimesh

from mat_shelf.geometry.mesh import Mesh, MeshError, checked

MM_PER_M = 1000.0
LARGEST_FILE = 512 * 2**20


@dataclass(frozen=True)
class NamedMesh:
    name: str
    mesh: Mesh


def digest(data: bytes) -> str:
    """The SHA-256 by which a file is known in a project."""
    return hashlib.sha256(data).hexdigest()


def glb_bytes(parts: list[NamedMesh]) -> bytes:
    """A GLB with one node per part."""
    scene = trimesh.Scene()
    for part in parts:
        solid = trimesh.Trimesh(
            vertices=part.mesh.vertices.astype(np.float64) / MM_PER_M,
            faces=part.mesh.triangles,
            vertex_normals=part.mesh.normals,
            process=False,
        )
        if part.mesh.uv is not None:
            solid.visual = trimesh.visual.TextureVisuals(uv=part.mesh.uv)
        scene.add_geometry(solid, node_name=part.name, geom_name=part.name)
    return scene.export(file_type="glb", include_normals=True)


def read_glb(data: bytes) -> list[NamedMesh]:
    """The parts of a GLB, in mm, placed as its nodes say.

    Raises
    ------
    MeshError
        If the data is no GLB, is too large, or holds a mesh that cannot be used.
    """
    if len(data) > LARGEST_FILE:
        raise MeshError(f"the model is larger than {LARGEST_FILE >> 20} MiB; split it or reduce it")
    if data[:4] != b"glTF":
        raise MeshError("this is no GLB file")
    try:
        # No resolver: a file from elsewhere must not make us read other files.
        scene = trimesh.load(io.BytesIO(data), file_type="glb", process=False, force="scene", resolver=None)
    except Exception as fault:  # the reader raises whatever the damage happens to cause
        raise MeshError(f"the model cannot be read; it seems damaged ({fault})") from fault
    order = list(scene.geometry)
    placed = sorted((order.index(scene.graph[node][1]), node) for node in scene.graph.nodes_geometry)
    parts = []
    for _, node in placed:
        to_world, geometry = scene.graph[node]
        solid = scene.geometry[geometry]
        if not isinstance(solid, trimesh.Trimesh):
            continue
        to_world = np.asarray(to_world, np.float64)
        moved = solid.vertices @ to_world[:3, :3].T + to_world[:3, 3]
        turned = np.asarray(solid.vertex_normals) @ np.linalg.pinv(to_world[:3, :3])
        faces = solid.faces if np.linalg.det(to_world[:3, :3]) > 0 else solid.faces[:, ::-1]
        parts.append(
            NamedMesh(str(node), checked(moved * MM_PER_M, faces, turned, uv=getattr(solid.visual, "uv", None)))
        )
    if not parts:
        raise MeshError("the model holds no surfaces")
    return parts
