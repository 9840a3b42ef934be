"""USD, USDA, USDC and USDZ by OpenUSD: meshes as parts, with subsets, preview materials and textures."""

import zipfile
from pathlib import Path

import numpy as np
import trimesh
from pxr import Sdf, Usd, UsdGeom, UsdShade

from mat_shelf.document.ids import name_from
from mat_shelf.exchange.models.beside import PartFaultError, read_beside
from mat_shelf.exchange.models.read_model import LARGEST_IMAGE, NO_MATERIAL, ReadModel, ReadPart
from mat_shelf.exchange.models.usd_materials import recipe_of
from mat_shelf.geometry.mesh import MeshError, row_keys

_UNITS = {"mm": 0.001, "cm": 0.01, "in": 0.0254, "ft": 0.3048, "m": 1.0}
"""Metres of each."""
_MOST_LAYERS = 1000
_SHAPES = ("Cube", "Sphere", "Cylinder", "Cone", "Capsule")
_SIDES = 96
"""Of what is round."""


def read_usd(path: Path) -> ReadModel:
    """Reads a USD file, which says its unit and its upward axis.

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
    model = ReadModel()
    try:
        layer = Sdf.Layer.FindOrOpen(str(path))
        if layer is None:
            raise MeshError(f"{path.name} cannot be read; it is no USD file, or it is damaged")
        _cut_off_others(layer, path.parent.resolve(), model)
        stage = Usd.Stage.Open(layer, Usd.Stage.LoadAll)
        scale = _set_unit(stage, model)
        reading = _Reading(path, stage, model, scale)
        for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
            reading.add(prim)
    except (MeshError, MemoryError):
        raise
    except Exception as fault:  # the library raises whatever the damage happens to cause, text that is none with it
        raise MeshError(f"{path.name} cannot be read; it seems damaged") from fault
    return model


def _cut_off_others(layer: Sdf.Layer, folder: Path, model: ReadModel) -> None:
    """Takes out, in memory, what a layer and those it is composed of call for outside of their folder."""
    waiting, seen = [layer], set()
    while waiting:
        here = waiting.pop()
        if here.identifier in seen:
            continue
        seen.add(here.identifier)
        if len(seen) > _MOST_LAYERS:
            raise MeshError(f"the model is composed of more than {_MOST_LAYERS:,} files; flatten it")
        for name in here.GetCompositionAssetDependencies():
            whole = here.ComputeAbsolutePath(name)
            outer = Path(Sdf.Layer.SplitIdentifier(whole)[0].partition("[")[0])
            if "[" not in here.identifier and folder not in outer.resolve().parents:
                model.note(f"'{name_from(outer.name, 'a file')}' left out: it is outside of the model's folder")
                here.UpdateCompositionAssetDependency(name, "")
                continue
            other = Sdf.Layer.FindOrOpen(whole)
            if other is None:
                model.note(f"'{name_from(outer.name, 'a file')}' left out: it is missing or damaged")
                here.UpdateCompositionAssetDependency(name, "")
            else:
                waiting.append(other)


def _set_unit(stage: Usd.Stage, model: ReadModel) -> float:
    """Enters the unit and the upward axis; returns what numbers are scaled by."""
    metres = UsdGeom.GetStageMetersPerUnit(stage)
    metres = metres if np.isfinite(metres) and metres > 0 else 0.01
    model.unit_is_known = stage.HasAuthoredMetadata(UsdGeom.Tokens.metersPerUnit)
    model.up = "z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "y"
    for unit, size in _UNITS.items():
        if abs(metres - size) < 1e-6 * size:
            model.unit = unit
            return 1.0
    model.unit = "mm"
    return metres * 1000


class _Reading:
    """Prims of one stage, with the materials that they have asked for."""

    def __init__(self, path: Path, stage: Usd.Stage, model: ReadModel, scale: float):
        self.path, self.model, self.scale = path, model, scale
        self._unit_mm = UsdGeom.GetStageMetersPerUnit(stage) * 1000
        self.places = UsdGeom.XformCache(Usd.TimeCode.EarliestTime())
        self._labels: dict[str, tuple[int, str]] = {}

    def add(self, prim: Usd.Prim) -> None:
        """Adds a prim where it is a mesh that is rendered."""
        if not prim.IsA(UsdGeom.Gprim):
            if prim.IsA(UsdGeom.PointInstancer):
                self.model.note(f"'{prim.GetName()}' left out: its copies are not read; make them meshes")
            return
        image = UsdGeom.Imageable(prim)
        if image.ComputeVisibility(Usd.TimeCode.EarliestTime()) == UsdGeom.Tokens.invisible:
            return
        if image.ComputePurpose() in (UsdGeom.Tokens.guide, UsdGeom.Tokens.proxy):
            return
        name = prim.GetDisplayName() or prim.GetName()
        if not prim.IsA(UsdGeom.Mesh) and prim.GetTypeName() not in _SHAPES:
            self.model.note(f"'{name}' left out: {prim.GetTypeName()} is no surface")
            return
        try:
            self.model.parts.append(self._part(prim, name))
        except PartFaultError as fault:
            self.model.note(f"'{name}' left out: {fault}")

    def _part(self, prim: Usd.Prim, name: str) -> ReadPart:
        mesh, time = UsdGeom.Mesh(prim), Usd.TimeCode.EarliestTime()
        if prim.IsA(UsdGeom.Mesh):
            points = np.asarray(mesh.GetPointsAttr().Get(time) or [], np.float64).reshape(-1, 3)
            counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get(time) or [], np.int64)
            index = np.asarray(mesh.GetFaceVertexIndicesAttr().Get(time) or [], np.int64)
        else:
            points, faces = _shape(prim)
            counts, index = np.full(len(faces), 3), faces.reshape(-1)
        if not len(counts) or not len(points):
            raise PartFaultError("it has no surfaces")
        if counts.min() < 0 or counts.sum() != len(index):
            raise PartFaultError("its faces do not fit their vertices")
        if index.min() < 0 or index.max() >= len(points):
            raise PartFaultError("it refers to vertices that are not there")
        # Each corner is a vertex, as coordinates and normals may differ between faces; fans are cut into triangles.
        face, corners = _fans(counts)
        if prim.IsA(UsdGeom.Mesh) and mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded:
            corners = corners[:, ::-1]
        if prim.IsA(UsdGeom.Mesh) and _is_net(mesh, time):
            self.model.note("surfaces to be divided came in as their nets; smooth them by their Smoothing")
        spread = _Spread(len(points), len(counts), counts, index)
        normals = self._normals(mesh, spread, time) if prim.IsA(UsdGeom.Mesh) else None
        uv_name, labels = self._labels_of(prim, len(counts))
        uv = self._primvar(prim, uv_name, spread, 2)
        colors = self._primvar(prim, "displayColor", spread, 3)
        to_world = np.array(self.places.GetLocalToWorldTransform(prim), np.float64)  # of rows: points stand before it
        if not np.isfinite(to_world).all() or abs(np.linalg.det(to_world[:3, :3])) < 1e-30:
            raise PartFaultError("its place is no number, or it is flattened")
        keys = row_keys(index[:, None])
        for values in (normals, uv):
            if values is not None:
                keys = row_keys(np.stack([keys >> 32, keys & 0xFFFFFFFF], axis=1)) ^ row_keys(values)
        _, first, place = np.unique(keys, return_index=True, return_inverse=True)
        vertices = (points[index[first]] @ to_world[:3, :3] + to_world[3, :3]) * self.scale
        triangles = place.reshape(-1)[corners]
        if np.linalg.det(to_world[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        labels = labels[face]
        if colors is not None:
            bare = labels == NO_MATERIAL
            if bare.any():
                labels[bare] = self.model.colored(NO_MATERIAL, name, colors[corners[bare]].mean(axis=1))
        return ReadPart(
            name,
            vertices,
            triangles,
            None if normals is None else normals[first] @ np.linalg.inv(to_world[:3, :3]).T,
            None if uv is None else uv[first],
            labels,
            above=tuple(str(part) for part in str(prim.GetPath().GetParentPath()).split("/") if part),
        )

    def _normals(self, mesh: UsdGeom.Mesh, spread: "_Spread", time) -> np.ndarray | None:
        found = self._primvar(mesh.GetPrim(), "normals", spread, 3)
        if found is None:
            values = mesh.GetNormalsAttr().Get(time)
            if values is not None:
                found = spread.of(np.asarray(values, np.float64), mesh.GetNormalsInterpolation(), 3)
        return found

    def _primvar(self, prim: Usd.Prim, name: str, spread: "_Spread", width: int) -> np.ndarray | None:
        found = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance(name)
        if not found or not found.HasValue():
            return None
        values = found.ComputeFlattened(Usd.TimeCode.EarliestTime())
        if values is None:
            return None
        return spread.of(np.asarray(values, np.float64), found.GetInterpolation(), width)

    def _labels_of(self, prim: Usd.Prim, count: int) -> tuple[str, np.ndarray]:
        """Name of the coordinates that the materials go by, and the label of each face."""
        bound, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        uv_names: list[str] = []
        labels = np.full(count, self._label(bound, uv_names), np.int32)
        for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            faces = np.asarray(subset.GetIndicesAttr().Get() or [], np.int64)
            faces = faces[(faces >= 0) & (faces < count)]
            bound, _ = UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()
            labels[faces] = self._label(bound, uv_names)
        return (uv_names or ["st"])[0], labels

    def _label(self, material: UsdShade.Material, uv_names: list[str]) -> int:
        if not material:
            return NO_MATERIAL
        key = str(material.GetPath())
        if key not in self._labels:
            prim = material.GetPrim()
            name = prim.GetDisplayName() or prim.GetName()
            recipe, uv_name = recipe_of(material, name, self._unit_mm, self._image, self.model.note)
            self._labels[key] = self.model.add_material(name, recipe), uv_name
        label, uv_name = self._labels[key]
        if uv_name:
            uv_names.append(uv_name)
        return label

    def _image(self, asset: Sdf.AssetPath):
        """The image of an asset, out of the package that it is in or of the model's folder; None with a note."""
        name = asset.path.replace("\\", "/").rpartition("/")[2] or "an image"
        try:
            inside = asset.resolvedPath.partition("[")
            if inside[1]:
                data = _out_of_package(Path(inside[0]), inside[2].rstrip("]").rpartition("[")[2], self.path)
            else:
                whole, folder = Path(asset.resolvedPath or asset.path), self.path.parent.resolve()
                beside = str(whole.relative_to(folder)) if folder in whole.parents else asset.path
                data = read_beside(self.path, beside, LARGEST_IMAGE)
        except PartFaultError as fault:
            self.model.note(f"image left out: {fault}")
            return None
        return self.model.add_image(data, name)


def _out_of_package(package: Path, name: str, model: Path) -> bytes:
    """A file in a USDZ, which is a zip without compression. Raises PartFaultError."""
    if model.parent.resolve() not in package.resolve().parents:
        raise PartFaultError(f"'{package.name}' is outside of the model's folder")
    try:
        with zipfile.ZipFile(package) as archive:
            info = archive.getinfo(name)
            if info.file_size > LARGEST_IMAGE:
                raise PartFaultError(f"'{name}' is too large")
            return archive.read(info)
    except (OSError, KeyError, zipfile.BadZipFile, RuntimeError, NotImplementedError, ValueError) as fault:
        if isinstance(fault, PartFaultError):
            raise
        raise PartFaultError(f"'{name}' is missing in {package.name}, or damaged") from None


class _Spread:
    """Values of a mesh brought to its corners, whatever they are given by.

    Parameters
    ----------
    vertices, faces : int
        How many there are.
    counts, index : array
        Corners of each face, and the vertex of each corner.
    """

    def __init__(self, vertices: int, faces: int, counts: np.ndarray, index: np.ndarray):
        self.vertices, self.faces, self.counts, self.index = vertices, faces, counts, index

    def of(self, values: np.ndarray, by: str, width: int) -> np.ndarray | None:
        """Values at the corners, (C, width); None where they do not fit the mesh."""
        if values.ndim != 2 or values.shape[1] < width or not np.isfinite(values).all():
            return None
        values = values[:, :width]
        if by == UsdGeom.Tokens.constant and len(values) == 1:
            return np.repeat(values, len(self.index), axis=0)
        if by == UsdGeom.Tokens.faceVarying and len(values) == len(self.index):
            return values
        if by in (UsdGeom.Tokens.vertex, UsdGeom.Tokens.varying) and len(values) == self.vertices:
            return values[self.index]
        if by == UsdGeom.Tokens.uniform and len(values) == self.faces:
            return np.repeat(values, self.counts, axis=0)
        return None


def _is_net(mesh: UsdGeom.Mesh, time) -> bool:
    """True if a mesh is meant to be divided and smoothed."""
    is_divided = mesh.GetSubdivisionSchemeAttr().Get() != UsdGeom.Tokens.none
    return is_divided and mesh.GetNormalsAttr().Get(time) is None


def _shape(prim: Usd.Prim) -> tuple[np.ndarray, np.ndarray]:
    """Vertices and triangles of a shape that is given by its sizes. Raises PartFaultError."""
    kind, time = prim.GetTypeName(), Usd.TimeCode.EarliestTime()
    values = {name: prim.GetAttribute(name).Get(time) for name in ("size", "radius", "height", "axis")}
    sizes = [float(values[name]) for name in ("size", "radius", "height") if values[name] is not None]
    if not all(np.isfinite(sizes)) or min(sizes, default=0) <= 0:
        raise PartFaultError("it has no size")
    radius, height = values["radius"], values["height"]
    solid = {
        "Cube": lambda: trimesh.creation.box((values["size"],) * 3),
        "Sphere": lambda: trimesh.creation.icosphere(5, radius),
        "Cylinder": lambda: trimesh.creation.cylinder(radius, height, sections=_SIDES),
        "Cone": lambda: trimesh.creation.cone(radius, height, sections=_SIDES),
        "Capsule": lambda: trimesh.creation.capsule(height, radius, count=(_SIDES, _SIDES)),
    }[kind]()
    points = np.asarray(solid.vertices, np.float64)
    if kind in ("Cone", "Capsule"):
        points[:, 2] -= (points[:, 2].max() + points[:, 2].min()) / 2
    order = {"X": [2, 0, 1], "Y": [1, 2, 0]}.get(str(values["axis"]), [0, 1, 2])
    return points[:, order], np.asarray(solid.faces, np.int64)


def _fans(counts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Polygons cut into triangles: the polygon of each, (T,), and its corners, (T, 3)."""
    start = np.cumsum(counts) - counts
    made = np.maximum(counts - 2, 0)
    face = np.repeat(np.arange(len(counts)), made)
    step = np.arange(len(face)) - np.repeat(np.cumsum(made) - made, made)
    return face, np.stack([start[face], start[face] + step + 1, start[face] + step + 2], axis=1)
