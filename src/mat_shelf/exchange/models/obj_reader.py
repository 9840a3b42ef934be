"""Wavefront OBJ with its MTL and images: objects as parts."""

from pathlib import Path

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.beside import PartFaultError, read_beside
from mat_shelf.exchange.models.mtl_materials import materials_of
from mat_shelf.exchange.models.obj_text import parse_obj
from mat_shelf.exchange.models.read_model import NO_MATERIAL, ReadModel, ReadPart
from mat_shelf.geometry.mesh import row_keys

_LARGEST_LIBRARY = 16 << 20


def read_obj(path: Path) -> ReadModel:
    """Reads an OBJ file; it does not say in which unit it is.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    ReadModel

    Raises
    ------
    MeshError
        If it is no OBJ, or is damaged.
    """
    file = parse_obj(path.read_bytes())
    model = ReadModel()
    recipes: dict[str, Recipe] = {}
    for library in file.libraries:
        try:
            recipes |= materials_of(path, read_beside(path, library, _LARGEST_LIBRARY), model)
        except PartFaultError as fault:
            model.note(f"materials left out: {fault}")
    labels: dict[str, int] = {"": NO_MATERIAL}
    for count, part in enumerate(file.parts, 1):
        corners = np.concatenate(part.corners)
        for name in part.materials:
            if name not in labels:
                labels[name] = model.add_material(name, recipes.get(name, Recipe()))
        worn = [
            np.full(len(block), labels[name], np.int32)
            for block, name in zip(part.corners, part.materials, strict=True)
        ]
        has_normals = len(file.normals) and (corners[..., 2] >= 0).all()
        has_uv = len(file.coordinates) and (corners[..., 1] >= 0).any()
        keys = np.maximum(corners.reshape(-1, 3), 0) * np.array([1, bool(has_uv), bool(has_normals)])
        _, first, index = np.unique(row_keys(keys), return_index=True, return_inverse=True)
        unique = keys[first]
        model.parts.append(
            ReadPart(
                part.name or f"{path.stem} {count}",
                file.vertices[unique[:, 0]],
                index.reshape(-1, 3),
                file.normals[unique[:, 2]] if has_normals else None,
                file.coordinates[unique[:, 1]] if has_uv else None,
                np.concatenate(worn),
            )
        )
    return model
