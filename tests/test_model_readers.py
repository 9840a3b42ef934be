"""Readers of models: textures and materials of open formats, and what other programs write that is sound but rare."""

import json
import math

import DracoPy
import gmsh
import lib3mf
import numpy as np
import pytest
import trimesh
from gltf_samples import QUAD, QUAD_FACES, QUAD_UV, Sample, four_colors
from PIL import Image
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdUtils, Vt

from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.importer import read_model
from mat_shelf.exchange.product_import import product_of
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.optics.color import decode_srgb
from mat_shelf.patterns.step import PatternContext
from mat_shelf.rendering.baking import bake


def imported(path):
    """A model with its product, its materials by name, and its files."""
    assets, model = Assets(), import_model(path)
    product, materials = product_of(model, assets)
    return model, product, {material.name: material for material in materials}, assets


def baked(product, material, assets, size: int = 8) -> dict[str, np.ndarray]:
    """Maps of a material on the first part: what its surface shows at each place of its UVs."""
    part, recipe = product.parts[0], material.recipe
    context = PatternContext({p.id: p for p in recipe.patterns}, assets.pictures)
    return bake(recipe, part, assets.meshes[part.mesh], size, context).maps


def quad_with(path, transform=None, pixels=None, **material) -> dict[str, np.ndarray]:
    """Baked maps of a square with a texture in its base colour."""
    sample = Sample()
    info = {"index": sample.image(four_colors() if pixels is None else pixels)}
    if transform:
        info["extensions"] = {"KHR_texture_transform": transform}
    plain = {"baseColorTexture": info, "metallicFactor": 0, "roughnessFactor": 0.5}
    sample.quad({"name": "Label", "pbrMetallicRoughness": plain | material.pop("plain", {}), **material})
    _, product, materials, assets = imported(sample.write(path))
    return baked(product, materials["Label"], assets)


@pytest.mark.parametrize(
    "transform, expected",
    [
        (None, lambda image: image),
        ({"offset": [0.5, 0]}, lambda image: np.roll(image, -4, axis=1)),
        ({"offset": [0, 0.25]}, lambda image: np.roll(image, -2, axis=0)),
        # Coordinates turned counter-clockwise show the texture turned clockwise (KHR_texture_transform).
        ({"rotation": math.pi / 2}, lambda image: np.rot90(image, -1)),
        ({"rotation": -math.pi / 2}, lambda image: np.rot90(image, 1)),
        ({"scale": [-1, 1]}, lambda image: image[:, ::-1]),
        ({"scale": [0.5, 1]}, lambda image: np.repeat(image[:, :4], 2, axis=1)),
        (
            {"scale": [0.5, 1], "rotation": math.pi, "offset": [0.5, 0]},
            lambda image: np.repeat(image[:, 3::-1], 2, axis=1)[::-1],
        ),
    ],
)
def test_textures_lie_as_they_do_elsewhere(tmp_path, transform, expected):
    """glTF 2.0, 3.8: the upper left corner of an image is at (0, 0); sRGB 255 is 1."""
    image = four_colors()
    image[0, :4], image[7, :4] = (255, 255, 0), 0  # so that no turn looks like another
    shown, meant = quad_with(tmp_path / "label.glb", transform, image)["base_color"], expected(image) / 255
    # Enlarged, neighbours run into each other where they meet.
    sharp = [1, 2, 5, 6] if transform and abs(transform.get("scale", [1])[0]) < 1 else slice(None)
    assert shown[:, sharp] == pytest.approx(meant[:, sharp], abs=0.02)


def test_factors_scale_textures_and_channels_are_told_apart(tmp_path):
    """glTF 2.0, 3.9.2: green is roughness, blue is metalness; the colour's numbers are sRGB (IEC 61966-2-1)."""
    sample = Sample()
    rough = np.zeros((4, 4, 3), np.uint8)
    rough[:, :2], rough[:, 2:] = (255, 51, 204), (0, 204, 51)
    color = sample.image(np.full((4, 4, 3), (188, 92, 255), np.uint8))
    sample.quad(
        {
            "name": "Brass",
            "pbrMetallicRoughness": {
                "baseColorFactor": [0.5, 1, 1, 1],
                "roughnessFactor": 0.5,
                "baseColorTexture": {"index": color},
                "metallicRoughnessTexture": {"index": sample.image(rough)},
            },
            "occlusionTexture": {"index": color},
        }
    )
    model, product, materials, assets = imported(sample.write(tmp_path / "brass.glb"))
    maps = baked(product, materials["Brass"], assets, 4)
    left, right = maps["specular_roughness"][:, 0], maps["specular_roughness"][:, 3]
    assert left == pytest.approx(0.1) and right == pytest.approx(0.4)
    assert maps["base_metalness"][:, 0] == pytest.approx(0.8) and maps["base_metalness"][:, 3] == pytest.approx(0.2)
    # 188 and 92 of sRGB are 0.5029 and 0.1070 linear
    assert maps["base_color"][0, 0] == pytest.approx([0.2514, 0.1070, 1.0], abs=1e-3)
    assert "Occlusion" in [pattern.name for pattern in materials["Brass"].recipe.patterns]
    assert not model.notes


def test_alpha_is_presence_and_not_glass(tmp_path):
    """glTF 2.0, 3.9.4: BLEND mixes by alpha, MASK cuts at the cutoff, OPAQUE looks past it."""
    pixels = np.full((4, 4, 4), 255, np.uint8)
    pixels[:, :2, 3] = 64
    for mode, left in (("BLEND", 64 / 255), ("MASK", 0), ("OPAQUE", 1)):
        maps = quad_with(tmp_path / f"{mode}.glb", None, pixels, alphaMode=mode)
        opacity = maps.get("geometry_opacity", np.ones((8, 8)))
        assert opacity[:, 1] == pytest.approx(left, abs=1e-3) and opacity[:, 6] == pytest.approx(1)
        assert "transmission_weight" not in maps


def test_extensions_reach_the_inputs_that_say_the_same(tmp_path):
    """Khronos' ratified extensions of materials, each by its own words and units."""
    sample = Sample()
    extensions = {
        "ior": {"ior": 1.8},
        "specular": {"specularFactor": 0.4, "specularColorFactor": [1, 0.5, 0.25]},
        "clearcoat": {"clearcoatFactor": 0.7, "clearcoatRoughnessFactor": 0.2},
        "sheen": {"sheenColorFactor": [0.5, 0.25, 0], "sheenRoughnessFactor": 0.6},
        "transmission": {"transmissionFactor": 0.9},
        "volume": {"thicknessFactor": 0.01, "attenuationDistance": 0.004, "attenuationColor": [0.5, 0.25, 0.1]},
        "iridescence": {"iridescenceFactor": 0.5, "iridescenceIor": 1.4, "iridescenceThicknessMaximum": 550},
        "anisotropy": {"anisotropyStrength": 0.6, "anisotropyRotation": math.pi / 6},
        "dispersion": {"dispersion": 0.5},
        "emissive_strength": {"emissiveStrength": 3},
    }
    sample.quad(
        {"name": "All", "emissiveFactor": [0.5, 0.5, 0.5]}
        | {"extensions": {f"KHR_materials_{name}": value for name, value in extensions.items()}}
    )
    recipe = imported(sample.write(tmp_path / "all.glb"))[2]["All"].recipe
    assert (recipe.specular_ior, recipe.specular_weight) == (1.8, 0.4)
    assert recipe.specular_color == (1, 0.5, 0.25)
    assert (recipe.coat_weight, recipe.coat_roughness) == (0.7, 0.2)
    assert [recipe.fuzz_weight * c for c in recipe.fuzz_color] == pytest.approx([0.5, 0.25, 0])
    assert recipe.fuzz_roughness == 0.6
    assert (recipe.transmission_weight, recipe.transmission_depth) == (0.9, pytest.approx(4.0))  # mm
    assert recipe.transmission_color == (0.5, 0.25, 0.1) and not recipe.geometry_thin_walled
    assert (recipe.thin_film_weight, recipe.thin_film_ior) == (0.5, 1.4)
    assert recipe.thin_film_thickness == pytest.approx(0.55)  # micrometres
    assert (recipe.specular_roughness_anisotropy, recipe.brush_turn) == (0.6, pytest.approx(30))
    # 20 over the factor is the Abbe number; OpenPBR's is the number over its scale
    abbe = recipe.transmission_dispersion_abbe_number / recipe.transmission_dispersion_scale
    assert abbe == pytest.approx(40)
    assert recipe.emission_luminance == pytest.approx(1500)


def test_a_sheet_without_thickness_is_thin_walled_and_unlit_is_dull(tmp_path):
    """KHR_materials_volume: without it a surface that transmits is infinitely thin."""
    sample = Sample(scene=0)
    sample.quad({"name": "Pane", "extensions": {"KHR_materials_transmission": {"transmissionFactor": 1}}})
    sample.quad({"name": "Sign", "extensions": {"KHR_materials_unlit": {}}})
    model, _, materials, _ = imported(sample.write(tmp_path / "sheets.glb"))
    assert materials["Pane"].recipe.geometry_thin_walled
    assert materials["Sign"].recipe.specular_weight == 0 and any("unlit" in note for note in model.notes)


def test_specular_glossiness_becomes_metal_and_roughness(tmp_path):
    """A gold and a plastic of the older kind; what they are is common practice."""
    name = "KHR_materials_pbrSpecularGlossiness"
    sample = Sample()
    gold = {"diffuseFactor": [0, 0, 0, 1], "specularFactor": [1, 0.77, 0.34], "glossinessFactor": 0.8}
    plastic = {"diffuseFactor": [0.2, 0.4, 0.6, 1], "specularFactor": [0.04] * 3, "glossinessFactor": 0.4}
    sample.quad({"name": "Gold", "extensions": {name: gold}})
    sample.quad({"name": "Plastic", "extensions": {name: plastic}})
    materials = imported(sample.write(tmp_path / "old.glb"))[2]
    recipe = materials["Gold"].recipe
    assert recipe.base_metalness == pytest.approx(1, abs=0.01) and recipe.specular_roughness == pytest.approx(0.2)
    assert recipe.base_color == pytest.approx((1, 0.77, 0.34), abs=0.01)
    recipe = materials["Plastic"].recipe
    assert recipe.base_metalness == pytest.approx(0, abs=0.01) and recipe.specular_roughness == pytest.approx(0.6)
    assert recipe.base_color == pytest.approx((0.2, 0.4, 0.6), abs=0.01)


def test_materials_of_one_name_or_of_none_stay_apart(tmp_path):
    sample = Sample()
    for color, name in (([1, 0, 0, 1], "dup"), ([0, 0, 1, 1], "dup"), ([0, 1, 0, 1], None), ([1, 1, 0, 1], None)):
        sample.quad({"pbrMetallicRoughness": {"baseColorFactor": color}} | ({"name": name} if name else {}))
    _, product, materials, _ = imported(sample.write(tmp_path / "dup.glb"))
    by_id = {material.id: material for material in materials.values()}
    worn = [by_id[part.material].recipe.base_color for part in product.parts]
    assert worn == [(1, 0, 0), (0, 0, 1), (0, 1, 0), (1, 1, 0)]


def test_strips_fans_sparse_numbers_and_scenes_without_a_default(tmp_path):
    """glTF 2.0, 3.7.2.1 and 3.6.2.3: areas of the same square by each way of writing it."""
    sample = Sample()
    square = sample.numbers(QUAD)
    moved = {"count": 1, "indices": {"bufferView": sample.view(np.uint16([2]).tobytes()), "componentType": 5123}}
    moved["values"] = {"bufferView": sample.view(np.float32([[0.05, 0.2, 0]]).tobytes())}
    kite = sample.add("accessors", sample.text["accessors"][square] | {"sparse": moved})
    zeros = sample.add("accessors", {"componentType": 5126, "count": 4, "type": "VEC3"})
    ways = {
        "Strip": ({"POSITION": square}, sample.numbers(np.uint8([0, 1, 3, 2])), 5),
        "Fan": ({"POSITION": square}, sample.numbers(np.uint16([0, 1, 2, 3])), 6),
        "Sparse": ({"POSITION": kite}, sample.numbers(QUAD_FACES), 4),
        "Flat": ({"POSITION": zeros}, sample.numbers(QUAD_FACES), 4),
        "Lines": ({"POSITION": square}, sample.numbers(QUAD_FACES), 1),
    }
    for name, (attributes, indices, mode) in ways.items():
        mesh = sample.add("meshes", {"primitives": [{"attributes": attributes, "indices": indices, "mode": mode}]})
        sample.add("nodes", {"mesh": mesh, "name": name})
    model = import_model(sample.write(tmp_path / "ways.glb"))
    areas = {part.name: trimesh.Trimesh(part.mesh.vertices, part.mesh.triangles).area for part in model.parts}
    assert areas == pytest.approx({"Strip": 1e4, "Fan": 1e4, "Sparse": 1.5e4})
    for part in model.parts[:2]:  # both triangles face the same way
        assert part.repairs.turned == 0
    assert any("'Flat' left out" in note for note in model.notes) and any("'Lines'" in note for note in model.notes)


def test_nodes_keep_their_place_scale_mirror_and_assembly(tmp_path):
    sample = Sample()
    inner = [
        sample.quad(name="Left", translation=[1, 0, 0], scale=[-2, 1, 1]),
        sample.quad(name="Right", rotation=[0, 0, math.sin(math.pi / 4), math.cos(math.pi / 4)]),
    ]
    hinge = sample.add("nodes", {"name": "Hinge", "children": inner, "translation": [0, 0.5, 0]})
    base = sample.quad(name="Base")
    sample.text["scenes"] = [{"nodes": [sample.add("nodes", {"name": "All", "children": [hinge, base]})]}]
    model = import_model(sample.write(tmp_path / "hinge.glb"))
    parts = {part.name: part for part in model.parts}
    assert parts["Left"].mesh.bounds == pytest.approx(np.array([[900, 500, 0], [1100, 600, 0]]), abs=1e-3)
    assert parts["Right"].mesh.bounds == pytest.approx(np.array([[-100, 450, 0], [0, 550, 0]]), abs=1e-3)
    assert [parts[name].group for name in ("Left", "Right", "Base")] == ["Hinge", "Hinge", None]
    assert (parts["Left"].mesh.normals[:, 2] > 0.99).all()  # a mirrored square still faces the viewer


def test_colours_of_vertices_become_materials_where_they_are_few(tmp_path):
    sample = Sample()
    attributes = {
        "POSITION": sample.numbers(np.concatenate([QUAD, QUAD + np.float32([0.2, 0, 0])])),
        "COLOR_0": sample.numbers(np.uint8([[255, 0, 0, 255]] * 4 + [[0, 0, 255, 255]] * 4), normalized=True),
    }
    indices = sample.numbers(np.concatenate([QUAD_FACES, QUAD_FACES + 4]).astype(np.uint16))
    mesh = sample.add("meshes", {"primitives": [{"attributes": attributes, "indices": indices}]})
    sample.add("nodes", {"mesh": mesh, "name": "Pair"})
    _, product, materials, _ = imported(sample.write(tmp_path / "pair.glb"))
    by_id = {material.id: material.recipe.base_color for material in materials.values()}
    (part,) = product.parts
    assert {by_id[part.material], by_id[part.zones[0].material]} == {(1, 0, 0), (0, 0, 1)}


def test_compression_is_undone_or_named(tmp_path):
    """Draco by its own library; meshopt, which is not read, is named; so is glTF 1.0."""
    ball = trimesh.creation.icosphere(3, 0.02)
    packed = DracoPy.encode(ball.vertices, ball.faces, quantization_bits=16)
    sample = Sample(extensionsRequired=["KHR_draco_mesh_compression"])
    draco = {"bufferView": sample.view(packed), "attributes": {"POSITION": 0}}
    accessor = {"componentType": 5126, "count": len(ball.vertices), "type": "VEC3"}
    primitive = {"attributes": {"POSITION": sample.add("accessors", accessor)}}
    primitive["extensions"] = {"KHR_draco_mesh_compression": draco}
    sample.add("nodes", {"mesh": sample.add("meshes", {"primitives": [primitive]}), "name": "Ball"})
    (part,) = import_model(sample.write(tmp_path / "draco.glb")).parts
    volume = trimesh.Trimesh(part.mesh.vertices, part.mesh.triangles).volume
    assert volume == pytest.approx(ball.volume * 1e9, rel=1e-3)

    sample = Sample(extensionsRequired=["EXT_meshopt_compression"])
    sample.quad()
    sample.text["bufferViews"][0]["extensions"] = {"EXT_meshopt_compression": {}}
    with pytest.raises(MeshError, match="meshopt compression; export it without"):
        import_model(sample.write(tmp_path / "meshopt.glb"))
    (tmp_path / "old.gltf").write_text(json.dumps({"asset": {"version": "1.0"}, "meshes": {}}))
    with pytest.raises(MeshError, match=r"glTF 1\.0, which is not read"):
        import_model(tmp_path / "old.gltf")


def test_what_is_damaged_is_left_out_and_the_rest_comes_in(tmp_path):
    sample = Sample()
    sample.quad({"name": "Good"}, name="Good")
    bad = sample.quad(name="Bad")
    mesh = sample.text["meshes"][sample.text["nodes"][bad]["mesh"]]
    sample.text["accessors"][mesh["primitives"][0]["indices"]]["count"] = 10**7
    texture = sample.add("textures", {"source": sample.add("images", {"uri": "../outside.png"})})
    damaged = sample.add("images", {"bufferView": sample.view(b"\x89PNG\r\n\x1a\n damaged"), "mimeType": "image/png"})
    sample.text["materials"][0] |= {
        "pbrMetallicRoughness": {
            "baseColorTexture": {"index": texture},
            "metallicRoughnessTexture": {"index": sample.add("textures", {"source": damaged})},
        }
    }
    Image.fromarray(four_colors()).save(tmp_path.parent / "outside.png")
    model, product, materials, _ = imported(sample.write(tmp_path / "half.glb"))
    assert [part.name for part in product.parts] == ["Good"]
    assert not materials["Good"].recipe.patterns
    said = " / ".join(model.notes)
    assert "'Bad' left out: it claims more numbers than its file holds" in said
    assert "outside.png" in said and "image 'Image 2' left out" in said


def test_obj_maps_lie_as_their_options_say(tmp_path):
    """UTF-16 and decimal commas, as some programs write; Kd is sRGB, -o and -s move and repeat a map."""
    (tmp_path / "maps").mkdir()
    Image.fromarray(four_colors()).save(tmp_path / "maps" / "Four Colours.PNG")
    Image.fromarray(np.full((4, 4, 3), (128, 128, 255), np.uint8)).save(tmp_path / "Card_Normal.png")
    (tmp_path / "card.mtl").write_text(
        "newmtl Card\nKd 1 1 1\nPm 0.25\nPr 0.4\nmap_Kd -s 1 1 1 -o 0.5 0 0 maps\\four colours.png\n"
        "map_Bump -bm 0.5 C:\\Users\\me\\Card_Normal.png\nmap_Ks gone.png\n"
    )
    text = "mtllib card.mtl\no Card\nv 0,0 0 0\nv 10 0 0\nv 10 10,0 0\nv 0 1d1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
    (tmp_path / "card.obj").write_bytes((text + "usemtl Card\nf 1/1 2/2 3/3 4/4\n").encode("utf-16"))
    _, product, materials, assets = imported(tmp_path / "card.obj")
    recipe = materials["Card"].recipe
    assert (recipe.base_metalness, recipe.specular_roughness) == (0.25, 0.4)
    (row,) = recipe.relief
    assert row.kind == "normal" and row.height == pytest.approx(0.005)  # half as steep as it says at 0.01
    maps = baked(product, materials["Card"], assets)
    assert maps["base_color"] == pytest.approx(np.roll(four_colors(), -4, axis=1) / 255, abs=0.02)


def test_3mf_has_its_unit_its_objects_and_their_colours(tmp_path):
    """Written by the consortium's own library: a box of 1 x 2 x 3 in, moved, half of it in another colour."""
    document = lib3mf.get_wrapper().CreateModel()
    document.SetUnit(lib3mf.ModelUnit.Inch)
    mesh, solid = document.AddMeshObject(), trimesh.creation.box((1, 2, 3))
    mesh.SetName("Block")
    vertices = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*v)) for v in solid.vertices]
    triangles = [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*map(int, f))) for f in solid.faces]
    mesh.SetGeometry(vertices, triangles)
    group = document.AddBaseMaterialGroup()
    red = group.AddMaterial("Red wax", lib3mf.get_wrapper().RGBAToColor(255, 0, 0, 255))
    blue = group.AddMaterial("Blue wax", lib3mf.get_wrapper().RGBAToColor(0, 0, 128, 255))
    mesh.SetObjectLevelProperty(group.GetResourceID(), red)
    for face in range(6):
        mesh.SetTriangleProperties(
            face, lib3mf.TriangleProperties(group.GetResourceID(), (lib3mf.ctypes.c_uint32 * 3)(blue, blue, blue))
        )
    document.AddBuildItem(mesh, lib3mf.get_wrapper().GetTranslationTransform(10, 0, 0))
    document.QueryWriter("3mf").WriteToFile(str(tmp_path / "block.3mf"))
    model, product, materials, _ = imported(tmp_path / "block.3mf")
    assert (model.unit, model.unit_is_known, model.up) == ("in", True, "z")
    (part,) = model.parts
    assert part.mesh.bounds == pytest.approx(np.array([[9.5, -1, -1.5], [10.5, 1, 1.5]]) * 25.4, abs=1e-3)
    assert part.name == "Block" and {part.material, part.zones[0][2]} == {"Red wax", "Blue wax"}
    assert materials["Blue wax"].recipe.base_color == pytest.approx(decode_srgb(np.array([0, 0, 128 / 255])), abs=1e-5)


def usd_square(stage, path: str, uv_at: str = "faceVarying") -> UsdGeom.Mesh:
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreatePointsAttr(Vt.Vec3fArray([Gf.Vec3f(*map(float, p * 100)) for p in QUAD]))
    mesh.CreateFaceVertexCountsAttr([4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    mesh.CreateSubdivisionSchemeAttr("none")
    uv = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("map1", Sdf.ValueTypeNames.TexCoord2fArray, uv_at)
    uv.Set(Vt.Vec2fArray([Gf.Vec2f(float(u), float(1 - v)) for u, v in QUAD_UV]))
    return mesh


def preview(stage, path: str, image: str | None = None, **inputs) -> UsdShade.Material:
    material, kinds = UsdShade.Material.Define(stage, path), Sdf.ValueTypeNames
    shader = UsdShade.Shader.Define(stage, path + "/Surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    for name, value in inputs.items():
        shader.CreateInput(name, kinds.Color3f if isinstance(value, tuple) else kinds.Float).Set(value)
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    if image:
        reader = UsdShade.Shader.Define(stage, path + "/Reader")
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", kinds.String).Set("map1")
        moved = UsdShade.Shader.Define(stage, path + "/Moved")
        moved.CreateIdAttr("UsdTransform2d")
        moved.CreateInput("rotation", kinds.Float).Set(90.0)
        moved.CreateInput("in", kinds.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
        texture = UsdShade.Shader.Define(stage, path + "/Texture")
        texture.CreateIdAttr("UsdUVTexture")
        texture.CreateInput("file", kinds.Asset).Set(image)
        texture.CreateInput("wrapS", kinds.Token).Set("repeat")
        texture.CreateInput("wrapT", kinds.Token).Set("repeat")
        texture.CreateInput("st", kinds.Float2).ConnectToSource(moved.ConnectableAPI(), "result")
        shader.CreateInput("diffuseColor", kinds.Color3f).ConnectToSource(texture.ConnectableAPI(), "rgb")
    return material


@pytest.mark.parametrize("ending", ["usda", "usdc", "usdz"])
def test_usd_keeps_units_subsets_preview_surfaces_and_textures(tmp_path, ending):
    """Stages written by OpenUSD; coordinates turned by 90 degrees counter-clockwise show the image turned clockwise."""
    Image.fromarray(four_colors()).save(tmp_path / "four.png")
    name = tmp_path / f"card.{'usdc' if ending == 'usdz' else ending}"
    stage = Usd.Stage.CreateNew(str(name))
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.Xform.Define(stage, "/Set")
    card = usd_square(stage, "/Set/Card")
    UsdShade.MaterialBindingAPI.Apply(card.GetPrim()).Bind(preview(stage, "/Looks/Card", "./four.png", roughness=0.3))
    other = usd_square(stage, "/Set/Other", "vertex")
    UsdGeom.Xformable(other).AddTranslateOp().Set(Gf.Vec3d(20, 0, 0))
    subset = UsdGeom.Subset.CreateGeomSubset(other, "Front", "face", [0], "materialBind")
    metal = preview(stage, "/Looks/Metal", diffuseColor=(0.9, 0.6, 0.2), metallic=1.0, roughness=0.2, clearcoat=0.5)
    UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(metal)
    UsdGeom.Imageable(usd_square(stage, "/Set/Hidden")).MakeInvisible()
    rod = UsdGeom.Cylinder.Define(stage, "/Set/Rod")
    rod.CreateRadiusAttr(1.0)
    rod.CreateHeightAttr(6.0)
    rod.CreateAxisAttr("X")
    UsdGeom.BasisCurves.Define(stage, "/Set/Thread")
    stage.GetRootLayer().Save()
    path = name
    if ending == "usdz":
        path = tmp_path / "card.usdz"
        assert UsdUtils.CreateNewUsdzPackage(str(name), str(path))
        (tmp_path / "four.png").unlink()
    model, product, materials, assets = imported(path)
    assert (model.unit, model.unit_is_known, model.up) == ("cm", True, "z")
    parts = {part.name: part for part in model.parts}
    assert set(parts) == {"Card", "Other", "Rod"} and any("BasisCurves is no surface" in n for n in model.notes)
    assert parts["Rod"].mesh.bounds == pytest.approx(np.array([[-30, -10, -10], [30, 10, 10]]), abs=0.02)
    assert trimesh.Trimesh(parts["Rod"].mesh.vertices, parts["Rod"].mesh.triangles).volume > 0
    assert parts["Other"].mesh.bounds == pytest.approx(np.array([[150, 0, 0], [250, 100, 0]]), abs=1e-3)
    recipe = materials["Metal"].recipe
    assert recipe.base_metalness == 1 and recipe.base_color == pytest.approx((0.9, 0.6, 0.2))
    assert recipe.coat_weight == 0.5 and parts["Other"].material == "Metal"
    maps = baked(product, materials["Card"], assets)
    assert maps["base_color"] == pytest.approx(np.rot90(four_colors(), -1) / 255, abs=0.02)


def test_networks_of_materialx_in_usd_are_read_by_its_reader(tmp_path):
    """A standard surface with nodes of MaterialX, in centimetres: colours, an inverted map, a depth in that unit."""
    Image.fromarray(four_colors()).save(tmp_path / "four.png")
    stage, kinds = Usd.Stage.CreateNew(str(tmp_path / "card.usda")), Sdf.ValueTypeNames
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    material = UsdShade.Material.Define(stage, "/Looks/Card")

    def node(name: str, kind: str) -> UsdShade.Shader:
        made = UsdShade.Shader.Define(stage, f"/Looks/Card/{name}")
        made.CreateIdAttr(kind)
        return made

    surface, place = node("surface", "ND_standard_surface_surfaceshader"), node("place", "ND_geompropvalue_vector2")
    place.CreateInput("geomprop", kinds.String).Set("map1")
    image, invert = node("image", "ND_image_color3"), node("invert", "ND_invert_color3")
    image.CreateInput("file", kinds.Asset).Set("./four.png")
    image.GetInput("file").GetAttr().SetColorSpace("srgb_texture")
    image.CreateInput("texcoord", kinds.Float2).ConnectToSource(place.CreateOutput("out", kinds.Float2))
    invert.CreateInput("in", kinds.Color3f).ConnectToSource(image.CreateOutput("out", kinds.Color3f))
    surface.CreateInput("base_color", kinds.Color3f).ConnectToSource(invert.CreateOutput("out", kinds.Color3f))
    for name, value in (
        ("base", 1.0),
        ("specular_roughness", 0.35),
        ("transmission", 0.5),
        ("transmission_depth", 2.5),
    ):
        surface.CreateInput(name, kinds.Float).Set(value)
    material.CreateSurfaceOutput("mtlx").ConnectToSource(surface.CreateOutput("out", kinds.Token))
    UsdShade.MaterialBindingAPI.Apply(usd_square(stage, "/Card").GetPrim()).Bind(material)
    stage.GetRootLayer().Save()
    model, product, materials, assets = imported(tmp_path / "card.usda")
    recipe = materials["Card"].recipe
    assert recipe.specular_roughness == pytest.approx(0.35) and recipe.transmission_depth == pytest.approx(25)  # mm
    maps = baked(product, materials["Card"], assets)
    assert maps["base_color"] == pytest.approx(1 - four_colors() / 255, abs=0.02)


def test_usd_is_composed_of_its_own_folder_alone(tmp_path):
    outside = Usd.Stage.CreateNew(str(tmp_path / "secret.usda"))
    usd_square(outside, "/Secret")
    outside.SetDefaultPrim(outside.GetPrimAtPath("/Secret"))
    outside.GetRootLayer().Save()
    inner = tmp_path / "inner"
    inner.mkdir()
    beside = Usd.Stage.CreateNew(str(inner / "beside.usda"))
    usd_square(beside, "/Beside")
    beside.SetDefaultPrim(beside.GetPrimAtPath("/Beside"))
    beside.GetRootLayer().Save()
    stage = Usd.Stage.CreateNew(str(inner / "all.usda"))
    for name, file in (("A", "../secret.usda"), ("B", str(tmp_path / "secret.usda")), ("C", "./beside.usda")):
        stage.DefinePrim(f"/{name}").GetReferences().AddReference(file)
    stage.GetRootLayer().Save()
    model = import_model(inner / "all.usda")
    assert [part.name for part in model.parts] == ["C"] and any("'secret.usda'" in note for note in model.notes)


def test_iges_is_read_in_millimetres(tmp_path):
    """A box of 10 x 20 x 30 written by gmsh; the same numbers as inches (1 in = 25.4 mm, IGES 5.3, 2.2.4.3.14)."""
    gmsh.initialize(interruptible=False)
    gmsh.option.setNumber("General.Terminal", 0)
    gmsh.model.occ.addBox(0, 0, 0, 10, 20, 30)
    gmsh.model.occ.synchronize()
    gmsh.write(str(tmp_path / "box.iges"))
    gmsh.finalize()
    text = (tmp_path / "box.iges").read_text()
    assert ",1.,2,2HMM," in text
    (tmp_path / "inches.igs").write_text(text.replace(",1.,2,2HMM,", ",1.,1,2HIN,"))
    for name, unit in (("box.iges", 1.0), ("inches.igs", 25.4)):
        model = import_model(tmp_path / name)
        bounds = np.array([part.mesh.bounds for part in model.parts])
        size = bounds[:, 1].max(axis=0) - bounds[:, 0].min(axis=0)
        assert size == pytest.approx(np.array([10, 20, 30]) * unit, rel=1e-4) and model.up == "z"


@pytest.mark.parametrize("ending", ["usda", "usdc", "3mf", "gltf"])
def test_random_damage_of_newer_formats_ends_in_a_message_or_a_mesh(tmp_path, ending):
    """100 damaged files of each kind; `scripts/fuzz_import.py` tries thousands."""
    from fuzzing import damaged

    whole = sample_of(tmp_path, ending).read_bytes()
    target = tmp_path / f"damaged.{ending}"
    read = import_model if ending.startswith("usd") else read_model  # its library may crash
    for data in damaged(whole, 100, seed=3):
        target.write_bytes(data)
        try:
            model = read(target)
        except MeshError:
            continue
        for part in model.parts:
            assert np.isfinite(part.mesh.vertices).all() and part.mesh.triangles.max() < len(part.mesh.vertices)


def sample_of(folder, ending: str):
    """A small sound file of a format."""
    path = folder / f"sound.{ending}"
    if ending in ("usda", "usdc"):
        Image.fromarray(four_colors()).save(folder / "four.png")
        stage = Usd.Stage.CreateNew(str(path))
        card = usd_square(stage, "/Card")
        UsdShade.MaterialBindingAPI.Apply(card.GetPrim()).Bind(preview(stage, "/Looks/Card", "./four.png"))
        stage.GetRootLayer().Save()
    elif ending == "3mf":
        document = lib3mf.get_wrapper().CreateModel()
        mesh, solid = document.AddMeshObject(), trimesh.creation.box((1, 2, 3))
        vertices = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*v)) for v in solid.vertices]
        mesh.SetGeometry(vertices, [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*map(int, f))) for f in solid.faces])
        document.AddBuildItem(mesh, lib3mf.get_wrapper().GetIdentityTransform())
        document.QueryWriter("3mf").WriteToFile(str(path))
    else:
        sample = Sample()
        sample.quad(
            {"name": "Card", "pbrMetallicRoughness": {"baseColorTexture": {"index": sample.image(four_colors())}}}
        )
        sample.write(folder / "card.glb")
        sample.text["buffers"] = [{"byteLength": len(sample.data), "uri": "card.bin"}]
        (folder / "card.bin").write_bytes(bytes(sample.data))
        path.write_text(json.dumps(sample.text))
    return path
