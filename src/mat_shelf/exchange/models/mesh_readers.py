"""STL and PLY by trimesh: one part, its colours where it has any."""

from pathlib import Path

import numpy as np
import trimesh

from mat_shelf.exchange.models.read_model import NO_MATERIAL, ReadModel, ReadPart
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.optics.color import decode_srgb


def read_stl(path: Path) -> ReadModel:
    """Reads an STL file; it says nothing of its unit, and stands along z by common practice. Raises MeshError.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    ReadModel
    """
    model = ReadModel(up="z")
    _read(path, model)
    return model


def read_ply(path: Path) -> ReadModel:
    """Reads a PLY file; it says nothing of its unit. Raises MeshError.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    ReadModel
    """
    model = ReadModel()
    _read(path, model)
    return model


def _read(path: Path, model: ReadModel) -> None:
    try:
        with path.open("rb") as stream:
            scene = trimesh.load(stream, file_type=path.suffix[1:].lower(), process=False, force="scene", resolver=None)
    except MemoryError:
        raise
    except Exception as fault:  # the reader raises whatever the damage happens to cause
        raise MeshError(f"{path.name} cannot be read; it seems damaged ({str(fault)[:100]})") from fault
    for solid in scene.geometry.values():
        if isinstance(solid, trimesh.points.PointCloud):
            model.note("points are left out")
        if not isinstance(solid, trimesh.Trimesh) or not len(solid.faces):
            continue
        normals = np.asarray(solid.vertex_normals) if "vertex_normals" in solid._cache else None
        labels = None
        if isinstance(solid.visual, trimesh.visual.ColorVisuals) and solid.visual.defined:
            colors = decode_srgb(np.asarray(solid.visual.face_colors)[:, :3] / 255)
            labels = model.colored(NO_MATERIAL, path.stem, colors)
        uv = getattr(solid.visual, "uv", None)
        faces = np.asarray(solid.faces, np.int64)
        model.parts.append(ReadPart(path.stem, np.asarray(solid.vertices, np.float64), faces, normals, uv, labels))
