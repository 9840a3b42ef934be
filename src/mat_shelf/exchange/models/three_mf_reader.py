"""3MF by lib3mf: the objects on its plate as parts, with their unit and colours."""

from pathlib import Path

import lib3mf
import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.read_model import NO_MATERIAL, ReadModel, ReadPart
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.optics.color import decode_srgb

_UNITS = {0: ("mm", 0.001), 1: ("mm", 1.0), 2: ("cm", 1.0), 3: ("in", 1.0), 4: ("ft", 1.0), 5: ("m", 1.0)}
"""Unit that each of the library's numbers stands for, and what its numbers are scaled by: micrometres come as mm."""
_MOST_DEPTH = 64


def read_3mf(path: Path) -> ReadModel:
    """Reads a 3MF file, which says its unit and stands along z.

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
        If it cannot be read.
    """
    try:
        document = lib3mf.get_wrapper().CreateModel()
        document.QueryReader("3mf").ReadFromBuffer(path.read_bytes())
        unit, scale = _UNITS[int(document.GetUnit())]
        model = ReadModel(unit=unit, unit_is_known=True, up="z")
        reading = _Reading(document, model, scale)
        items = document.GetBuildItems()
        while items.MoveNext():
            item = items.GetCurrent()
            reading.add(item.GetObjectResource(), _matrix(item.GetObjectTransform()), (), item.GetPartNumber(), 0)
    except MemoryError:
        raise
    except lib3mf.ELib3MFException as fault:
        raise MeshError(f"{path.name} cannot be read; it seems damaged ({str(fault)[:100]})") from None
    return model


class _Reading:
    """Objects of one document, with the materials that they have asked for."""

    def __init__(self, document, model: ReadModel, scale: float):
        self.document, self.model, self.scale = document, model, scale
        self._colors: dict[tuple[int, int], tuple[str, tuple[float, ...]] | None] = {}
        self._labels: dict[tuple[int, int], int] = {}

    def add(self, thing, to_world: np.ndarray, above: tuple[str, ...], name: str, depth: int) -> None:
        """Adds an object and what it is made of, placed."""
        if depth > _MOST_DEPTH or len(self.model.parts) > 20_000:
            raise MeshError("the file has objects that contain each other, or too many; export it again")
        name = thing.GetName() or name
        if thing.IsComponentsObject():
            inner = (*above, name) if name else above
            whole = self.document.GetComponentsObjectByID(thing.GetResourceID())
            for index in range(whole.GetComponentCount()):
                one = whole.GetComponent(index)
                place = to_world @ _matrix(one.GetTransform()) if one.HasTransform() else to_world
                self.add(one.GetObjectResource(), place, inner, name, depth + 1)
        elif thing.IsMeshObject():
            self._add_mesh(self.document.GetMeshObjectByID(thing.GetResourceID()), to_world, above, name)

    def _add_mesh(self, mesh, to_world: np.ndarray, above: tuple[str, ...], name: str) -> None:
        name = name or f"Part {len(self.model.parts) + 1}"
        vertices = np.array([vertex.Coordinates[:] for vertex in mesh.GetVertices()], np.float64).reshape(-1, 3)
        triangles = np.array([face.Indices[:] for face in mesh.GetTriangleIndices()], np.int64).reshape(-1, 3)
        if not len(triangles):
            self.model.note(f"'{name}' left out: it has no surfaces")
            return
        vertices = (vertices @ to_world[:3, :3].T + to_world[:3, 3]) * self.scale
        if np.linalg.det(to_world[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        self.model.parts.append(ReadPart(name, vertices, triangles, labels=self._labels_of(mesh), above=above))

    def _labels_of(self, mesh) -> np.ndarray:
        """Labels of a mesh's faces: their own materials, else that of all of it."""
        resource, number, has_one = mesh.GetObjectLevelProperty()
        usual = self._label(resource, number) if has_one else NO_MATERIAL
        pairs = np.array(
            [(each.ResourceID, each.PropertyIDs[0]) for each in mesh.GetAllTriangleProperties()], np.int64
        ).reshape(-1, 2)
        unique, index = np.unique(pairs, axis=0, return_inverse=True)
        own = [self._label(int(r), int(n)) if r else usual for r, n in unique]
        return np.array([usual if label == NO_MATERIAL else label for label in own], np.int32)[index.reshape(-1)]

    def _label(self, resource: int, number: int) -> int:
        key = resource, number
        if key not in self._labels:
            found = self._color(resource, number)
            self._labels[key] = (
                NO_MATERIAL if found is None else self.model.add_material(found[0], Recipe(base_color=found[1]))
            )
        return self._labels[key]

    def _color(self, resource: int, number: int) -> tuple[str, tuple[float, ...]] | None:
        kind = self.document.GetPropertyTypeByID(resource)
        if kind == lib3mf.PropertyType.BaseMaterial:
            group = self.document.GetBaseMaterialGroupByID(resource)
            return group.GetName(number), _linear(group.GetDisplayColor(number))
        if kind == lib3mf.PropertyType.Colors:
            color = self.document.GetColorGroupByID(resource).GetColor(number)
            return f"Colour {color.Red:02X}{color.Green:02X}{color.Blue:02X}", _linear(color)
        if kind == lib3mf.PropertyType.TexCoord:
            self.model.note("textures of 3MF are left out")
        return None


def _linear(color) -> tuple[float, float, float]:
    plain = np.array([color.Red, color.Green, color.Blue]) / 255
    return tuple(round(float(c), 6) for c in decode_srgb(plain))


def _matrix(transform) -> np.ndarray:
    """Place of an object, (4, 4); the library has rows of four columns."""
    made = np.eye(4)
    made[:3] = np.array([column[:] for column in transform.Fields]).T
    return made
