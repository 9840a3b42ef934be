"""A product as a GLB: its parts as nodes, their zones as primitives, materials with their textures and variants.

References
----------
Khronos glTF 2.0, KHR_materials_variants, KHR_texture_transform. Its lengths are metres.
"""

import io
import json
import struct
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.direct_images import DirectImage
from mat_shelf.exchange.materials.flat_product import FlatMaterial, FlatPart
from mat_shelf.exchange.materials.flattening import flattened
from mat_shelf.exchange.materials.gltf_material import WRAPS, GltfMaterial, can_keep_images
from mat_shelf.exchange.models.mesh_glb import MM_PER_M
from mat_shelf.geometry.tangents import vertex_tangents
from mat_shelf.optics.color import encode_srgb
from mat_shelf.system.file_writer import write_file
from mat_shelf.system.processors import usable_processors

_FLOAT, _UINT, _USHORT = 5126, 5125, 5123
_PNG_EFFORT = 4
_JPEG_QUALITY = 92


@dataclass(frozen=True)
class GlbOptions:
    """Choices for a GLB.

    Attributes
    ----------
    size : int
        Texels along a side of the largest maps.
    is_compact : bool
        Whether maps of colour are JPEG rather than PNG.
    has_variants : bool
        Whether variants of the materials come along.
    """

    size: int = 2048
    is_compact: bool = False
    has_variants: bool = True


def export_glb(
    path: Path,
    project: Project,
    assets: Assets,
    options: GlbOptions = GlbOptions(),
    progress: Callable[[str, int, int], bool] = lambda what, done, total: True,
) -> list[str]:
    """Writes the visible parts where they stand.

    Parameters
    ----------
    path : Path
        File to write; an older one there stays whole until the new one is.
    project : Project
        The project.
    assets : Assets
        Files of the project.
    options : GlbOptions
        Choices.
    progress : callable (what, done, total) -> bool
        False cancels.

    Returns
    -------
    list of str
        What was noticed on the way.

    Raises
    ------
    OSError
        If the file cannot be written.
    BakeError, MeshError
        If a part cannot be baked.
    InterruptedError
        If `progress` said so.
    """
    flat = flattened(project, assets, options.size, progress, options.has_variants, can_keep_images)
    with ThreadPoolExecutor(usable_processors()) as threads:
        writer = _Writer(assets, options, threads)
        if options.has_variants:
            worn = {i for found in flat.parts for choices in found.variants for i in choices}
            writer.variants = {m.id: place for place, m in enumerate(m for m in project.materials if m.id in worn)}
            writer.variant_names = [m.name for m in project.materials if m.id in worn]
        for part in flat.parts:
            writer.add_part(part)
        if not progress("Writing", 0, 0):
            raise InterruptedError("cancelled")
        write_file(path, writer.file())
    return flat.notes


class _Writer:
    """The JSON and the binary of one file, as they grow."""

    def __init__(self, assets: Assets, options: GlbOptions, threads: ThreadPoolExecutor):
        self.variants: dict[str, int] = {}
        self.variant_names: list[str] = []
        self._assets, self._options, self._threads = assets, options, threads
        self._materials: list[dict] = []
        self._places: dict[int, int] = {}
        self._kept: list[FlatMaterial] = []
        self._nodes: list[dict] = []
        self._meshes: list[dict] = []
        self._accessors: list[dict] = []
        self._views: list[dict] = []
        self._images: list[dict] = []
        self._textures: list[dict] = []
        self._samplers: list[dict] = []
        self._encoded: list[tuple[int, Future | bytes]] = []
        self._known_images: dict[str, int] = {}
        self._data = bytearray()

    def add_part(self, part: FlatPart) -> None:
        """Adds a part as a node, its zones as primitives."""
        mesh = part.mesh
        attributes = {
            "POSITION": self._accessor(mesh.vertices / np.float32(MM_PER_M), "VEC3", has_bounds=True),
            "NORMAL": self._accessor(mesh.normals, "VEC3"),
        }
        if mesh.uv is not None:
            # glTF counts v from the top
            if _bends(part):
                attributes["TANGENT"] = self._accessor(vertex_tangents(mesh), "VEC4")
            attributes["TEXCOORD_0"] = self._accessor(mesh.uv * np.float32([1, -1]) + np.float32([0, 1]), "VEC2")
        primitives = []
        for (faces, material), variants in zip(part.worn, part.variants, strict=True):
            index = mesh.triangles[faces].reshape(-1)
            index = index.astype(np.uint16 if len(mesh.vertices) < 65535 else np.uint32)
            primitive: dict = {"attributes": attributes, "indices": self._accessor(index, "SCALAR")}
            if material is not None:
                primitive["material"] = self._material(material)
            mappings = [
                {"material": self._material(flat), "variants": [self.variants[key]]}
                for key, flat in variants.items()
                if key in self.variants
            ]
            if mappings:
                primitive["extensions"] = {"KHR_materials_variants": {"mappings": mappings}}
            primitives.append(primitive)
        self._nodes.append({"name": part.part.name, "mesh": len(self._meshes)})
        self._meshes.append({"name": part.part.name, "primitives": primitives})

    def _material(self, flat: FlatMaterial) -> int:
        """Place of a material; of one without maps that several parts wear, one place."""
        known = next((k for k, other in enumerate(self._kept) if other.is_same(flat)), None)
        if known is None:
            known = len(self._kept)
            self._kept.append(flat)
            self._materials.append(GltfMaterial(flat, self._add_pixels, self._add_image).json())
        return known

    def _add_pixels(self, name: str, pixels: np.ndarray, is_color: bool) -> dict:
        compact = self._options.is_compact and pixels.shape[2] == 3 and not name.endswith("normals")
        future = self._threads.submit(_encoded, pixels, is_color, compact)
        return {"index": self._texture(self._image(name, future, "image/jpeg" if compact else "image/png"), "repeat")}

    def _add_image(self, image: DirectImage) -> dict:
        kind = {"jpg": "image/jpeg", "png": "image/png", "webp": "image/webp"}[image.image.kind]
        key = image.image.digest
        if key not in self._known_images:
            self._known_images[key] = self._image(image.image.name, self._assets.data(key), kind)
        made: dict = {"index": self._texture(self._known_images[key], image.ends, kind)}
        moved = {"offset": list(image.offset), "rotation": image.rotation, "scale": list(image.scale)}
        plain = {"offset": [0.0, 0.0], "rotation": 0.0, "scale": [1.0, 1.0]}
        moved = {name: value for name, value in moved.items() if value != plain[name]}
        if moved:
            made["extensions"] = {"KHR_texture_transform": moved}
        return made

    def _image(self, name: str, data: Future | bytes, kind: str) -> int:
        self._images.append({"name": name, "mimeType": kind})
        self._encoded.append((len(self._images) - 1, data))
        return len(self._images) - 1

    def _texture(self, image: int, ends: str, kind: str = "") -> int:
        sampler = {"wrapS": WRAPS[ends], "wrapT": WRAPS[ends], "magFilter": 9729, "minFilter": 9987}
        if sampler not in self._samplers:
            self._samplers.append(sampler)
        made: dict = {"sampler": self._samplers.index(sampler)}
        made |= {"extensions": {"EXT_texture_webp": {"source": image}}} if kind == "image/webp" else {"source": image}
        if made not in self._textures:
            self._textures.append(made)
        return self._textures.index(made)

    def _accessor(self, values: np.ndarray, kind: str, has_bounds: bool = False) -> int:
        values = np.ascontiguousarray(values)
        is_index = values.dtype != np.float32
        view = self._view(values.tobytes())
        self._views[view]["target"] = 34963 if is_index else 34962
        component = {np.dtype(np.uint16): _USHORT, np.dtype(np.uint32): _UINT}.get(values.dtype, _FLOAT)
        made = {"bufferView": view, "componentType": component, "count": len(values), "type": kind}
        if has_bounds:
            made |= {"min": values.min(0).tolist(), "max": values.max(0).tolist()}
        self._accessors.append(made)
        return len(self._accessors) - 1

    def _view(self, data: bytes) -> int:
        self._data += b"\0" * (-len(self._data) % 4)
        self._views.append({"buffer": 0, "byteOffset": len(self._data), "byteLength": len(data)})
        self._data += data
        return len(self._views) - 1

    def file(self) -> bytes:
        """The whole file."""
        for place, data in self._encoded:
            self._images[place]["bufferView"] = self._view(data if isinstance(data, bytes) else data.result())
        text = {
            "asset": {"version": "2.0", "generator": "Mat Shelf"},
            "scene": 0,
            "scenes": [{"nodes": list(range(len(self._nodes)))}],
            "nodes": self._nodes,
            "meshes": self._meshes,
            "materials": self._materials,
            "textures": self._textures,
            "images": self._images,
            "samplers": self._samplers,
            "accessors": self._accessors,
            "bufferViews": self._views,
            "buffers": [{"byteLength": len(self._data)}],
        }
        if self.variant_names:
            named = [{"name": name} for name in self.variant_names]
            text["extensions"] = {"KHR_materials_variants": {"variants": named}}
        used = sorted(_extensions(text))
        text |= {"extensionsUsed": used, "extensionsRequired": [name for name in used if name == "EXT_texture_webp"]}
        text = {key: value for key, value in text.items() if value != []}
        words = json.dumps(text, separators=(",", ":")).encode()
        words += b" " * (-len(words) % 4)
        data = bytes(self._data) + b"\0" * (-len(self._data) % 4)
        chunks = struct.pack("<II", len(words), 0x4E4F534A) + words + struct.pack("<II", len(data), 0x004E4942) + data
        return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks


def _bends(part: FlatPart) -> bool:
    """True if anything on a part has a map of normals."""
    worn = [flat for _, flat in part.worn if flat is not None] + [flat for c in part.variants for flat in c.values()]
    return any("normal" in flat.maps or "normal" in flat.images for flat in worn)


def _extensions(value) -> set[str]:
    """Names of all extensions in some JSON."""
    if isinstance(value, dict):
        found = set(value.get("extensions", {}))
        return found.union(*(_extensions(inner) for inner in value.values()))
    return set().union(*(_extensions(inner) for inner in value)) if isinstance(value, list) else set()


def _encoded(pixels: np.ndarray, is_color: bool, is_compact: bool) -> bytes:
    """A PNG, or a JPEG, of numbers in [0, 1]; a fourth channel is never sRGB."""
    if is_color:
        pixels = np.concatenate([encode_srgb(np.clip(pixels[..., :3], 0, 1)), pixels[..., 3:]], axis=2)
    image = Image.fromarray(np.round(np.clip(pixels, 0, 1) * 255).astype(np.uint8))
    data = io.BytesIO()
    if is_compact:
        image.save(data, "JPEG", quality=_JPEG_QUALITY, subsampling=0)
    else:
        image.save(data, "PNG", compress_level=_PNG_EFFORT)
    return data.getvalue()
