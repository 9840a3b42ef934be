"""A product as USD or USDZ: its parts as meshes, their zones as subsets, preview surfaces beside OpenPBR networks.

References
----------
OpenUSD, specification of preview surfaces, 2.6; UsdShade's names for MaterialX nodes (``ND_...``).
"""

import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Tf, Usd, UsdGeom, UsdShade, UsdUtils, Vt

from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_writing import png_bytes
from mat_shelf.exchange.materials.flat_product import FlatMaterial, FlatPart
from mat_shelf.exchange.materials.flattening import flattened
from mat_shelf.exchange.materials.gltf_material import base_of
from mat_shelf.exchange.materials.openpbr import INPUTS
from mat_shelf.exchange.models.gltf_materials import GLOW
from mat_shelf.optics.color import encode_srgb
from mat_shelf.optics.parameters import of_unit_luminance
from mat_shelf.system.file_writer import write_file

_KINDS = Sdf.ValueTypeNames
_MAPPED = {
    "roughness": "specular_roughness",
    "metallic": "base_metalness",
    "clearcoat": "coat_weight",
    "clearcoatRoughness": "coat_roughness",
}
"""Inputs of the preview surface that are one number of ours."""


@dataclass(frozen=True)
class UsdOptions:
    """Choices for USD.

    Attributes
    ----------
    size : int
        Texels along a side of the largest maps.
    has_variants : bool
        Whether variants of the materials come along, as variant sets.
    """

    size: int = 2048
    has_variants: bool = True


def export_usd(
    path: Path,
    project: Project,
    assets: Assets,
    options: UsdOptions = UsdOptions(),
    progress: Callable[[str, int, int], bool] = lambda what, done, total: True,
) -> list[str]:
    """Writes the visible parts where they stand, in millimetres.

    Parameters
    ----------
    path : Path
        A ``.usdz``, or a ``.usda`` or ``.usdc`` with a folder of maps beside it.
    project : Project
        The project.
    assets : Assets
        Files of the project.
    options : UsdOptions
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
    flat = flattened(project, assets, options.size, progress, options.has_variants)
    if not progress("Writing", 0, 0):
        raise InterruptedError("cancelled")
    is_package = path.suffix.lower() == ".usdz"
    with tempfile.TemporaryDirectory() as folder:
        inner = Path(folder) / f"{Tf.MakeValidIdentifier(path.stem)}{'.usdc' if is_package else path.suffix.lower()}"
        maps = "maps" if is_package else f"{path.stem}_maps"
        writer = _Writer(inner, maps, project.name)
        for part in flat.parts:
            writer.add_part(part)
        if options.has_variants:
            names = {material.id: material.name for material in project.materials}
            writer.add_variants(names)
        writer.save()
        if is_package:
            packed = Path(folder) / "packed.usdz"
            if not UsdUtils.CreateNewUsdzPackage(str(inner), str(packed)):
                raise OSError("the package could not be made; there may be too little room")
            write_file(path, packed.read_bytes())
        else:
            beside = path.with_name(maps)
            for file in sorted((Path(folder) / maps).glob("*.png")):
                beside.mkdir(parents=True, exist_ok=True)
                write_file(beside / file.name, file.read_bytes())
            write_file(path, inner.read_bytes())
    return flat.notes


class _Writer:
    """A stage as it grows."""

    def __init__(self, path: Path, maps: str, name: str):
        self.folder, self.maps = path.parent / maps, maps
        self.stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageMetersPerUnit(self.stage, 0.001)
        UsdGeom.SetStageUpAxis(self.stage, UsdGeom.Tokens.y)
        self.root = UsdGeom.Xform.Define(self.stage, "/" + Tf.MakeValidIdentifier(name))
        Usd.ModelAPI(self.root).SetKind("component")
        self.stage.SetDefaultPrim(self.root.GetPrim())
        self._taken: set[str] = set()
        self._materials: list[tuple[FlatMaterial, UsdShade.Material]] = []
        self._variants: dict[str, list[tuple[Usd.Prim, FlatMaterial, Mapping[str, FlatMaterial]]]] = {}

    def save(self) -> None:
        self.stage.GetRootLayer().Save()

    def _free(self, parent: str, name: str) -> str:
        """A path that is free under a prim."""
        base = Tf.MakeValidIdentifier(name)
        path, count = f"{parent}/{base}", 2
        while path in self._taken:
            path, count = f"{parent}/{base}_{count}", count + 1
        self._taken.add(path)
        return path

    def add_part(self, flat: FlatPart) -> None:
        """Adds a part, and what its faces wear."""
        mesh = flat.mesh
        path = self._free(str(self.root.GetPath()), flat.part.name)
        made = UsdGeom.Mesh.Define(self.stage, path)
        made.GetPrim().SetDisplayName(flat.part.name)
        made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.vertices, np.float32)))
        made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(mesh.triangles), 3, np.int32)))
        made.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(mesh.triangles.astype(np.int32).reshape(-1)))
        made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        low, high = mesh.bounds
        made.CreateExtentAttr(Vt.Vec3fArray([Gf.Vec3f(*map(float, low)), Gf.Vec3f(*map(float, high))]))
        made.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.normals, np.float32)))
        made.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        if mesh.uv is not None:
            primvars = UsdGeom.PrimvarsAPI(made)
            uv = primvars.CreatePrimvar("st", _KINDS.TexCoord2fArray, UsdGeom.Tokens.vertex)
            uv.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(mesh.uv, np.float32)))
        if len(flat.worn) > 1:
            UsdShade.MaterialBindingAPI.Apply(made.GetPrim())
        double = any(worn is not None and worn.is_double_sided for _, worn in flat.worn)
        made.CreateDoubleSidedAttr(double)
        for place, ((faces, worn), variants) in enumerate(zip(flat.worn, flat.variants, strict=True)):
            prim = made.GetPrim()
            if len(flat.worn) > 1:
                prim = self._subset(made, flat, place, faces).GetPrim()
            if worn is not None:
                self._bind(prim, worn)
                if variants:
                    self._variants.setdefault(worn.original.id, []).append((prim, worn, variants))
        if len(flat.worn) > 1:
            family = UsdGeom.Tokens.partition  # each face is in one of them
            UsdShade.MaterialBindingAPI(made.GetPrim()).SetMaterialBindSubsetsFamilyType(family)

    def _subset(self, mesh: UsdGeom.Mesh, flat: FlatPart, place: int, faces: np.ndarray) -> UsdGeom.Subset:
        name = flat.zones[place] or "Rest"
        path = self._free(str(mesh.GetPath()), name)
        indices = Vt.IntArray.FromNumpy(np.ascontiguousarray(faces, np.int32))
        return UsdGeom.Subset.CreateGeomSubset(
            mesh, path.rpartition("/")[2], UsdGeom.Tokens.face, indices, UsdShade.Tokens.materialBind
        )

    def _bind(self, prim: Usd.Prim, flat: FlatMaterial) -> None:
        UsdShade.MaterialBindingAPI.Apply(prim).Bind(self._material(flat))

    def add_variants(self, names: Mapping[str, str]) -> None:
        """Adds a variant set for each material that has variants."""
        for key, worn in self._variants.items():
            wanted = self.root.GetPrim().GetVariantSets().AddVariantSet(Tf.MakeValidIdentifier(names[key]))
            for choice in (key, *dict.fromkeys(i for _, _, variants in worn for i in variants)):
                shown = [(prim, flat if choice == key else variants.get(choice)) for prim, flat, variants in worn]
                made = [(prim, self._material(flat)) for prim, flat in shown if flat is not None]
                name = Tf.MakeValidIdentifier(names[choice])
                wanted.AddVariant(name)
                wanted.SetVariantSelection(name)
                with wanted.GetVariantEditContext():
                    for prim, material in made:
                        UsdShade.MaterialBindingAPI.Apply(prim).Bind(material)
            wanted.SetVariantSelection(Tf.MakeValidIdentifier(names[key]))
            for prim, _, _ in worn:  # what is said outside of the set would win over it
                UsdShade.MaterialBindingAPI(prim).UnbindDirectBinding()
                prim.RemoveProperty("material:binding")

    def _material(self, flat: FlatMaterial) -> UsdShade.Material:
        known = next((made for other, made in self._materials if other.is_same(flat)), None)
        if known is None:
            path = self._free(f"{self.root.GetPath()}/Materials", flat.name)
            if not self.stage.GetPrimAtPath(f"{self.root.GetPath()}/Materials"):
                UsdGeom.Scope.Define(self.stage, f"{self.root.GetPath()}/Materials")
            known = UsdShade.Material.Define(self.stage, path)
            known.GetPrim().SetDisplayName(flat.name)
            maps = {name: self._write_map(path.rpartition("/")[2], name, values) for name, values in _maps_of(flat)}
            _Preview(self.stage, known, flat, maps).write()
            _OpenPbr(self.stage, known, flat, maps).write()
            self._materials.append((flat, known))
        return known

    def _write_map(self, material: str, name: str, values: np.ndarray) -> str:
        """Path of a map's file from the stage."""
        self.folder.mkdir(parents=True, exist_ok=True)
        if _is_color(name):
            pixels = np.round(encode_srgb(np.clip(values, 0, 1)) * 255).astype(np.uint8)
        else:
            pixels = np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)
        file = f"{material}_{name}.png"
        (self.folder / file).write_bytes(png_bytes(pixels))
        return f"./{self.maps}/{file}"


def _is_color(name: str) -> bool:
    return name.endswith("color") or name in ("diffuse", "glow")


def _maps_of(flat: FlatMaterial):
    """Maps of a material in [0, 1], and those that the preview alone needs."""

    def value(name: str) -> np.ndarray:
        found = flat.maps.get(name)
        return np.asarray(getattr(flat.recipe, name), np.float32) if found is None else found

    for name, values in flat.maps.items():
        if name == "normal":
            yield name, (values + 1) / 2
        elif name in INPUTS:
            yield name, values / max(float(values.max()), 1.0)
    diffuse = _diffuse(flat, value)
    if diffuse.ndim == 3:
        yield "diffuse", diffuse
    if "emission_color" in flat.maps or "emission_luminance" in flat.maps:
        bright = value("emission_luminance")
        glow = value("emission_color") * (bright[..., None] if bright.ndim == 2 else bright)
        if glow.max() > 0:
            yield "glow", glow / glow.max()


def _diffuse(flat: FlatMaterial, value) -> np.ndarray:
    is_clear = flat.recipe.transmission_weight > 0 and "transmission_weight" not in flat.maps
    return base_of(value, is_clear, has_volume=False)


class _Network:
    """Nodes of one material."""

    def __init__(self, stage: Usd.Stage, material: UsdShade.Material, flat: FlatMaterial, maps: Mapping[str, str]):
        self.stage, self.material, self.flat, self.maps = stage, material, flat, maps

    def node(self, name: str, kind: str) -> UsdShade.Shader:
        shader = UsdShade.Shader.Define(self.stage, f"{self.material.GetPath()}/{name}")
        shader.CreateIdAttr(kind)
        return shader

    def value(self, name: str) -> np.ndarray:
        found = self.flat.maps.get(name)
        return np.asarray(getattr(self.flat.recipe, name), np.float64) if found is None else found


class _Preview(_Network):
    """The preview surface."""

    def write(self) -> None:
        """Writes it, and makes it the material's surface."""
        flat, recipe = self.flat, self.flat.recipe
        self.shader = self.node("Preview", "UsdPreviewSurface")
        diffuse = _diffuse(flat, self.value)
        if "diffuse" in self.maps:
            self._connect("diffuseColor", _KINDS.Color3f, "diffuse", "rgb", "sRGB")
        else:
            self.shader.CreateInput("diffuseColor", _KINDS.Color3f).Set(Gf.Vec3f(*map(float, diffuse)))
        for name, ours in _MAPPED.items():
            if ours in self.maps:
                self._connect(name, _KINDS.Float, ours, "r", "raw")
            else:
                self.shader.CreateInput(name, _KINDS.Float).Set(float(getattr(recipe, ours)))
        self.shader.CreateInput("ior", _KINDS.Float).Set(float(recipe.specular_ior))
        self._write_glow()
        self._write_opacity()
        if "normal" in self.maps:
            texture = self._connect("normal", _KINDS.Normal3f, "normal", "rgb", "raw")
            texture.CreateInput("scale", _KINDS.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
            texture.CreateInput("bias", _KINDS.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
        surface = self.shader.CreateOutput("surface", _KINDS.Token)
        self.material.CreateSurfaceOutput().ConnectToSource(surface)

    def _write_glow(self) -> None:
        recipe = self.flat.recipe
        if "glow" in self.maps:
            texture = self._connect("emissiveColor", _KINDS.Color3f, "glow", "rgb", "sRGB")
            bright = self.value("emission_luminance")
            glow = self.value("emission_color") * (bright[..., None] if bright.ndim == 2 else bright)
            most = float(glow.max()) / GLOW
            texture.CreateInput("scale", _KINDS.Float4).Set(Gf.Vec4f(most, most, most, 1))
        elif recipe.emission_luminance > 0:
            color = np.multiply(of_unit_luminance(recipe.emission_color), recipe.emission_luminance / GLOW)
            self.shader.CreateInput("emissiveColor", _KINDS.Color3f).Set(Gf.Vec3f(*map(float, color)))

    def _write_opacity(self) -> None:
        recipe = self.flat.recipe
        if "geometry_opacity" in self.maps:
            self._connect("opacity", _KINDS.Float, "geometry_opacity", "r", "raw")
            self.shader.CreateInput("opacityMode", _KINDS.Token).Set("presence")
        elif recipe.geometry_opacity < 1:
            self.shader.CreateInput("opacity", _KINDS.Float).Set(float(recipe.geometry_opacity))
            self.shader.CreateInput("opacityMode", _KINDS.Token).Set("presence")
        elif recipe.transmission_weight > 0 and "transmission_weight" not in self.maps:
            self.shader.CreateInput("opacity", _KINDS.Float).Set(float(1 - recipe.transmission_weight))

    def _connect(self, name: str, kind, key: str, output: str, space: str) -> UsdShade.Shader:
        reader = self.node("Coordinates", "UsdPrimvarReader_float2")
        reader.CreateInput("varname", _KINDS.String).Set("st")
        place = reader.CreateOutput("result", _KINDS.Float2)
        texture = self.node(f"Preview_{key}", "UsdUVTexture")
        texture.CreateInput("file", _KINDS.Asset).Set(Sdf.AssetPath(self.maps[key]))
        texture.CreateInput("st", _KINDS.Float2).ConnectToSource(place)
        texture.CreateInput("wrapS", _KINDS.Token).Set("repeat")
        texture.CreateInput("wrapT", _KINDS.Token).Set("repeat")
        texture.CreateInput("sourceColorSpace", _KINDS.Token).Set(space)
        made = texture.CreateOutput(output, _KINDS.Float3 if output == "rgb" else _KINDS.Float)
        self.shader.CreateInput(name, kind).ConnectToSource(made)
        return texture


class _OpenPbr(_Network):
    """The OpenPBR network, for renderers that read MaterialX within USD."""

    def write(self) -> None:
        """Writes it, and makes it the material's surface for them."""
        usual, recipe = Recipe(), self.flat.recipe
        self.shader = self.node("OpenPBR", "ND_open_pbr_surface_surfaceshader")
        for name in INPUTS:
            value = getattr(recipe, name)
            is_color, is_flag = isinstance(value, tuple), isinstance(value, bool)
            kind = _KINDS.Color3f if is_color else _KINDS.Bool if is_flag else _KINDS.Float
            if name in self.maps:
                self._connect(name, kind, is_color)
            elif value != getattr(usual, name):
                self.shader.CreateInput(name, kind).Set(Gf.Vec3f(*value) if is_color else value)
        if "normal" in self.maps:
            texture = self._image("normal", "ND_image_vector3", _KINDS.Float3)
            bent = self.node("MaterialX_bent", "ND_normalmap_float")
            bent.CreateInput("in", _KINDS.Float3).ConnectToSource(texture)
            made = bent.CreateOutput("out", _KINDS.Float3)
            self.shader.CreateInput("geometry_normal", _KINDS.Float3).ConnectToSource(made)
        surface = self.shader.CreateOutput("out", _KINDS.Token)
        self.material.CreateSurfaceOutput("mtlx").ConnectToSource(surface)

    def _connect(self, name: str, kind, is_color: bool) -> None:
        made = self._image(name, f"ND_image_{'color3' if is_color else 'float'}", kind)
        most = 1.0 if is_color else float(max(self.flat.maps[name].max(), 1.0))
        if most > 1:
            scaled = self.node(f"MaterialX_{name}_scaled", "ND_multiply_float")
            scaled.CreateInput("in1", _KINDS.Float).ConnectToSource(made)
            scaled.CreateInput("in2", _KINDS.Float).Set(most)
            made = scaled.CreateOutput("out", _KINDS.Float)
        self.shader.CreateInput(name, kind).ConnectToSource(made)

    def _image(self, name: str, kind: str, values) -> UsdShade.Output:
        place = self.node("MaterialX_coordinates", "ND_geompropvalue_vector2")
        place.CreateInput("geomprop", _KINDS.String).Set("st")
        texture = self.node(f"MaterialX_{name}", kind)
        file = texture.CreateInput("file", _KINDS.Asset)
        file.Set(Sdf.AssetPath(self.maps[name]))
        file.GetAttr().SetColorSpace("srgb_texture" if _is_color(name) else "lin_rec709")
        texture.CreateInput("texcoord", _KINDS.Float2).ConnectToSource(place.CreateOutput("out", _KINDS.Float2))
        return texture.CreateOutput("out", values)
