"""GLB files: the form in which meshes are kept, and one in which they are brought in.

References
----------
Khronos glTF 2.0. A glTF length is a metre; ours is a millimetre.
"""

import hashlib
from dataclasses import dataclass

import numpy as np
import trimesh

from mat_shelf.exchange.models.glb_reader import GlbError, glb_arrays
from mat_shelf.geometry.mesh import Mesh, MeshError, checked
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run_bounded

MM_PER_M = 1000.0
LARGEST_GLB = 512 * 2**20
_MEMORY, _SECONDS = 512 * 2**20, 15.0


@dataclass(frozen=True)
class NamedMesh:
    """One part of a model file."""

    name: str
    mesh: Mesh


def digest(data: bytes) -> str:
    """The SHA-256 by which a file is known in a project.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    str
    """
    return hashlib.sha256(data).hexdigest()


def glb_bytes(parts: list[NamedMesh]) -> bytes:
    """A GLB with one node per part.

    Parameters
    ----------
    parts : list of NamedMesh
        Parts.

    Returns
    -------
    bytes
    """
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

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    list of NamedMesh

    Raises
    ------
    MeshError
        If the data is no GLB, is too large, or holds a mesh that cannot be used.
    """
    if len(data) > LARGEST_GLB:
        raise MeshError(f"the model is larger than {LARGEST_GLB >> 20} MiB; split it or reduce it")
    try:
        parts = run_bounded(
            glb_arrays, data, limits=Limits(_MEMORY + 8 * len(data), seconds=_SECONDS + len(data) / 5e6)
        )
    except FaultError as fault:
        raise MeshError(str(fault) if fault.kind == GlbError.__name__ else "the model is damaged") from None
    except LimitError as fault:
        raise MeshError(f"the model cannot be read: {fault}") from None
    return _meshes(parts)


def read_own_glb(data: bytes) -> list[NamedMesh]:
    """As `read_glb`, of what `glb_bytes` made in this program: nothing in it can do harm.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    list of NamedMesh
    """
    return _meshes(glb_arrays(data))


def _meshes(parts: list[dict]) -> list[NamedMesh]:
    if not parts:
        raise MeshError("the model holds no surfaces")
    return [
        NamedMesh(part["name"], checked(part["vertices"] * MM_PER_M, part["triangles"], part["normals"], uv=part["uv"]))
        for part in parts
    ]
