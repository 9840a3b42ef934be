"""STEP and IGES by Open CASCADE: solids as parts, with names, colours, assemblies and the faces that were drawn."""

from pathlib import Path

import cascadio
import numpy as np

from mat_shelf.document.product import FINENESS
from mat_shelf.exchange.models.gltf_reader import read_gltf
from mat_shelf.exchange.models.read_model import ReadModel
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.geometry.size import UNITS


def read_step(path: Path, fineness: str = "good") -> ReadModel:
    """Reads a STEP file, which says its unit. Raises MeshError.

    Parameters
    ----------
    path : Path
        The file.
    fineness : str
        Of its curved faces, a key of `document.product.FINENESS`.

    Returns
    -------
    ReadModel
    """
    return _read(path, cascadio.FileType.STEP, fineness)


def read_iges(path: Path, fineness: str = "good") -> ReadModel:
    """Reads an IGES file, which says its unit. Raises MeshError.

    Parameters
    ----------
    path : Path
        The file.
    fineness : str
        Of its curved faces, a key of `document.product.FINENESS`.

    Returns
    -------
    ReadModel
    """
    return _read(path, cascadio.FileType.IGES, fineness)


def _read(path: Path, kind, fineness: str) -> ReadModel:
    try:
        written = cascadio.to_glb_bytes(path.read_bytes(), kind, *FINENESS[fineness], include_brep=True)
    except MemoryError:
        raise
    except Exception as fault:  # the reader raises whatever the damage happens to cause
        raise MeshError(f"{path.name} is not a {kind.name} file, or it is damaged") from fault
    if not written:
        raise MeshError(f"{path.name} is not a {kind.name} file, it holds no solids, or it is damaged")
    model = read_gltf(path, written)
    # The GLB between is in metres, as glTF is, of IGES in millimetres, as Open CASCADE is.
    scale = UNITS["m"] if kind == cascadio.FileType.STEP else 1.0
    for part in model.parts:
        part.vertices = part.vertices * scale
        if part.drawn is not None:  # a face's triangles follow each other
            order = np.argsort(part.drawn, kind="stable")
            part.triangles, part.drawn = part.triangles[order], part.drawn[order]
            part.labels = part.labels[order] if part.labels is not None else None
    model.unit, model.up = "mm", "z"
    return model
