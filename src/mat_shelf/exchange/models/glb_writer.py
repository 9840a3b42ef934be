"""A product as a GLB: its parts as nodes, their zones as primitives, materials as far as glTF has words for them.

References
----------
Khronos glTF 2.0, with KHR_materials_ior, _transmission, _volume, _clearcoat, _sheen and _emissive_strength. Its lengths
are metres.
"""

import json
import struct
from contextlib import suppress
from pathlib import Path

import numpy as np

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import MM_PER_M
from mat_shelf.fills.vessel import VesselError
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed
from mat_shelf.optics.color import luminance
from mat_shelf.scene.poured_liquids import poured_liquid
from mat_shelf.system.file_writer import write_file

_FLOAT, _UINT = 5126, 5125
_GLOW = 1000.0
"""cd/m2 of an emissive factor of 1; glTF leaves that to who exports."""


def export_glb(path: Path, project: Project, assets: Assets) -> None:
    """Writes the visible parts where they stand. Raises OSError; an older file there stays whole.

    Parameters
    ----------
    path : Path
        File to write.
    project : Project
        The project.
    assets : Assets
        Files of the project.
    """
    writer = _Writer()
    used = {i for part in project.product.parts for i in part.worn()}
    places = {}
    for material in project.materials:
        if material.id in used:
            places[material.id] = len(places)
            writer.materials.append(_material(material))
    for part in project.product.parts:
        if not part.is_hidden and part.beads is None and part.bubbles is None and part.foam is None:
            writer.add_part(part, _stands(project, part, assets), assets, places)
    write_file(path, writer.file())


def _material(material: Material) -> dict:
    recipe = material.recipe
    color = [recipe.base_weight * c for c in recipe.base_color]
    made: dict = {
        "name": material.name,
        "pbrMetallicRoughness": {
            "baseColorFactor": [*color, 1.0],
            "metallicFactor": recipe.base_metalness,
            "roughnessFactor": recipe.specular_roughness,
        },
    }
    extensions: dict = {"KHR_materials_ior": {"ior": recipe.specular_ior}}
    if recipe.transmission_weight > 0:
        extensions["KHR_materials_transmission"] = {"transmissionFactor": recipe.transmission_weight}
        made["pbrMetallicRoughness"]["baseColorFactor"] = [1.0, 1.0, 1.0, 1.0]
        if recipe.transmission_depth > 0:
            extensions["KHR_materials_volume"] = {
                "thicknessFactor": 1.0 / MM_PER_M,
                "attenuationColor": list(recipe.transmission_color),
                "attenuationDistance": recipe.transmission_depth / MM_PER_M,
            }
        else:
            made["pbrMetallicRoughness"]["baseColorFactor"] = [*recipe.transmission_color, 1.0]
    if recipe.coat_weight > 0:
        extensions["KHR_materials_clearcoat"] = {
            "clearcoatFactor": recipe.coat_weight,
            "clearcoatRoughnessFactor": recipe.coat_roughness,
        }
    if recipe.fuzz_weight > 0:
        extensions["KHR_materials_sheen"] = {
            "sheenColorFactor": [recipe.fuzz_weight * c for c in recipe.fuzz_color],
            "sheenRoughnessFactor": recipe.fuzz_roughness,
        }
    if recipe.emission_luminance > 0:
        made["emissiveFactor"] = list(recipe.emission_color)
        extensions["KHR_materials_emissive_strength"] = {
            "emissiveStrength": recipe.emission_luminance / _GLOW / max(float(luminance(recipe.emission_color)), 1e-6)
        }
    made["extensions"] = extensions
    return made


def _stands(project: Project, part: Part, assets: Assets) -> Mesh:
    """Mesh of a part as it stands; of a liquid as it is poured."""
    if part.fill is not None:
        with suppress(VesselError):
            return poured_liquid(project, part, assets).part.mesh
    return posed(assets.meshes[part.mesh], part.pose)


class _Writer:
    """The JSON and the binary of one file, as they grow."""

    def __init__(self):
        self.materials: list[dict] = []
        self._nodes: list[dict] = []
        self._meshes: list[dict] = []
        self._accessors: list[dict] = []
        self._views: list[dict] = []
        self._data = bytearray()

    def add_part(self, part: Part, mesh: Mesh, assets: Assets, places: dict[str, int]) -> None:
        attributes = {
            "POSITION": self._accessor(mesh.vertices / np.float32(MM_PER_M), "VEC3", has_bounds=True),
            "NORMAL": self._accessor(mesh.normals, "VEC3"),
        }
        if mesh.uv is not None:
            # glTF counts v from the top
            attributes["TEXCOORD_0"] = self._accessor(mesh.uv * np.float32([1, -1]) + np.float32([0, 1]), "VEC2")
        rest = np.ones(len(mesh.triangles), bool)
        pieces = []
        for zone in part.zones:
            faces = assets.faces[zone.faces]
            rest[faces] = False
            pieces.append((faces, zone.material))
        primitives = []
        for faces, material in ((np.flatnonzero(rest), part.material), *pieces):
            if not len(faces):
                continue
            indices = self._accessor(mesh.triangles[faces].astype(np.uint32).reshape(-1), "SCALAR")
            primitive = {"attributes": attributes, "indices": indices}
            if material is not None:
                primitive["material"] = places[material]
            primitives.append(primitive)
        self._nodes.append({"name": part.name, "mesh": len(self._meshes)})
        self._meshes.append({"name": part.name, "primitives": primitives})

    def _accessor(self, values: np.ndarray, kind: str, has_bounds: bool = False) -> int:
        values = np.ascontiguousarray(values)
        is_index = values.dtype == np.uint32
        self._views.append(
            {
                "buffer": 0,
                "byteOffset": len(self._data),
                "byteLength": values.nbytes,
                "target": 34963 if is_index else 34962,
            }
        )
        self._data += values.tobytes()
        made = {
            "bufferView": len(self._views) - 1,
            "componentType": _UINT if is_index else _FLOAT,
            "count": len(values),
            "type": kind,
        }
        if has_bounds:
            made |= {"min": values.min(0).tolist(), "max": values.max(0).tolist()}
        self._accessors.append(made)
        return len(self._accessors) - 1

    def file(self) -> bytes:
        """The whole file."""
        used = sorted({name for material in self.materials for name in material.get("extensions", {})})
        text = {
            "asset": {"version": "2.0", "generator": "Mat Shelf"},
            "scene": 0,
            "scenes": [{"nodes": list(range(len(self._nodes)))}],
            "nodes": self._nodes,
            "meshes": self._meshes,
            "materials": self.materials,
            "accessors": self._accessors,
            "bufferViews": self._views,
            "buffers": [{"byteLength": len(self._data)}],
            "extensionsUsed": used,
        }
        text = {key: value for key, value in text.items() if value != []}
        words = json.dumps(text, separators=(",", ":")).encode()
        words += b" " * (-len(words) % 4)
        data = bytes(self._data) + b"\0" * (-len(self._data) % 4)
        chunks = struct.pack("<II", len(words), 0x4E4F534A) + words + struct.pack("<II", len(data), 0x004E4942) + data
        return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks
