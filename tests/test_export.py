"""Products written as GLB: what another reader and our own find in them."""

import io

import numpy as np
import pytest
import trimesh
from gltf_samples import Sample

from mat_shelf.cli import main
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Pose, Product, Zone
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.importer import read_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.models.product_glb import export_glb
from mat_shelf.exchange.product_import import new_project, product_of
from mat_shelf.exchange.project_file import save_project
from mat_shelf.geometry.adjacency import face_areas
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.geometry.solids import box, lathe

GLASS = Recipe(
    transmission_weight=1.0,
    transmission_color=(0.5, 0.8, 0.7),
    transmission_depth=25.0,
    specular_ior=1.52,
    specular_roughness=0.0,
)
GLOW = Recipe(base_color=(0.2, 0.2, 0.2), emission_luminance=1500.0, emission_color=(1.0, 0.5, 0.25))
BRASS = Recipe(base_color=(0.88, 0.7, 0.36), base_metalness=1.0, specular_roughness=0.2)


@pytest.fixture
def project():
    """A turned block with a zone, a bare zone and a hidden neighbour; a vessel; a mesh with coordinates."""
    assets = Assets()
    block, vessel = box((60, 40, 30), 3), lathe(np.array([(0, 0), (15, 0), (15, 40), (0, 40)], float), 64)
    sheet = checked(
        [[0, 0, 0], [30, 0, 0], [30, 20, 0], [0, 20, 0]], [[0, 1, 2], [0, 2, 3]], uv=[[0, 0], [1, 0], [1, 1], [0, 1]]
    )
    keys = {name: assets.add(NamedMesh(name, mesh)) for name, mesh in (("b", block), ("v", vessel), ("s", sheet))}
    normals = np.cross(*(block.vertices[block.triangles[:, k]] - block.vertices[block.triangles[:, 0]] for k in (1, 2)))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    top, front = np.flatnonzero(normals[:, 1] > 0.9), np.flatnonzero(normals[:, 2] > 0.9)
    parts = (
        Part(
            id="block",
            name="Block",
            mesh=keys["b"],
            material="brass",
            pose=Pose(shift=(5, 10, -3), turn=(0, 30, 0), scale=1.5),
            zones=(
                Zone(id="top", name="Top", faces=assets.add_faces(top), material="glow"),
                Zone(id="front", name="Front", faces=assets.add_faces(front), material=None),
            ),
        ),
        Part(id="vessel", name="Vessel", mesh=keys["v"], material="glass"),
        Part(id="sheet", name="Sheet", mesh=keys["s"], material="brass"),
        Part(id="away", name="Away", mesh=keys["b"], material="brass", is_hidden=True),
    )
    materials = tuple(
        Material(id=name.lower(), name=name, recipe=recipe)
        for name, recipe in (("Brass", BRASS), ("Glass", GLASS), ("Glow", GLOW))
    )
    return new_project(Product(name="Things", parts=parts), materials, (90, 60, 60)), assets


def test_a_round_trip_keeps_parts_zones_and_materials(project, tmp_path):
    made, assets = project
    path = tmp_path / "things.glb"
    export_glb(path, made, assets)
    back = Assets()
    product, materials = product_of(read_model(path), back)
    assert [part.name for part in product.parts] == ["Block", "Vessel", "Sheet"]
    recipes = {material.id: material for material in materials}
    assert {m.name for m in materials} == {"Brass", "Glass", "Glow"}
    block, vessel, sheet = product.parts
    assert recipes[block.material].name == "Brass" and recipes[vessel.material].name == "Glass"
    assert recipes[sheet.material].name == "Brass" and back.meshes[sheet.mesh].uv is not None
    glow = next(zone for zone in block.zones if zone.material and recipes[zone.material].name == "Glow")
    ours, theirs = assets.meshes[made.product.parts[0].mesh], back.meshes[block.mesh]
    area = face_areas(ours)[assets.faces[made.product.parts[0].zone("top").faces]].sum() * 1.5**2
    bare = next(zone for zone in block.zones if zone.material is None)
    front = face_areas(ours)[assets.faces[made.product.parts[0].zone("front").faces]].sum() * 1.5**2
    assert len(block.zones) == 2 and face_areas(theirs)[back.faces[bare.faces]].sum() == pytest.approx(front, rel=1e-4)
    assert face_areas(theirs)[back.faces[glow.faces]].sum() == pytest.approx(area, rel=1e-4)
    assert face_areas(theirs).sum() == pytest.approx(face_areas(ours).sum() * 1.5**2, rel=1e-4)
    glass = recipes[vessel.material].recipe
    assert glass.transmission_depth == pytest.approx(25.0) and glass.specular_ior == pytest.approx(1.52)
    assert glass.transmission_color == pytest.approx((0.5, 0.8, 0.7)) and glass.transmission_weight == 1
    lit = recipes[glow.material].recipe
    assert lit.emission_luminance == pytest.approx(1500) and lit.emission_color == pytest.approx((1, 0.5, 0.25))
    brass = recipes[block.material].recipe
    assert brass.base_color == pytest.approx(BRASS.base_color, abs=1e-5) and brass.base_metalness == 1


def test_another_reader_finds_it_in_its_place(project, tmp_path):
    made, assets = project
    path = tmp_path / "things.glb"
    export_glb(path, made, assets)
    scene = trimesh.load(io.BytesIO(path.read_bytes()), file_type="glb", force="scene")
    low, high = scene.bounds * 1000
    boxes = [posed_bounds(assets.meshes[p.mesh], p.pose) for p in made.product.parts if not p.is_hidden]
    ours = np.stack([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])
    assert np.stack([low, high]) == pytest.approx(ours, abs=1e-3)


def test_the_command_says_what_is_wrong(project, tmp_path, capsys):
    made, assets = project
    path = tmp_path / "a.matshelf"
    save_project(path, made, assets)
    assert main(["export", str(path), "-o", str(tmp_path / "a.xyz")]) == 2
    assert ".glb" in capsys.readouterr().err
    assert main(["export", str(path), "-o", str(tmp_path / "nowhere" / "a.glb")]) == 2
    assert main(["export", str(path), "-o", str(tmp_path / "a.glb")]) == 0 and (tmp_path / "a.glb").exists()


def test_extensions_that_make_no_sense_are_passed_over(tmp_path):
    """Whatever JSON stands where a number belongs, the part comes in, and its other inputs with it."""
    for material in (
        {"extensions": {"KHR_materials_ior": {"ior": -3}}},
        {
            "extensions": {
                "KHR_materials_ior": {"ior": "x"},
                "KHR_materials_sheen": {"sheenColorFactor": [1, "x", None]},
            }
        },
        {"extensions": {"KHR_materials_transmission": {"transmissionFactor": 1}, "KHR_materials_volume": [3]}},
        {"extensions": {"KHR_materials_transmission": []}, "emissiveFactor": {"r": 1}, "alphaMode": 7},
        {"pbrMetallicRoughness": {"baseColorFactor": ["x", 2, None], "baseColorTexture": {"index": -1}}},
        {"pbrMetallicRoughness": 3, "normalTexture": {"index": 10**30}, "extensions": "all"},
    ):
        sample = Sample()
        sample.quad(material)
        recipe = read_model(sample.write(tmp_path / "odd.glb")).materials["Material 1"]
        assert recipe.specular_ior in (1.0, 1.5) and recipe.base_color == (1, 1, 1) and not recipe.patterns


def test_parts_that_are_only_called_alike_stay_apart(tmp_path):
    """Children that are named after their node, as bolts in an assembly often are, are parts, not primitives of it."""
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box((1, 1, 1)), node_name="Bolt", geom_name="a")
    for name in ("Bolt_000001", "Bolt_000002"):
        scene.add_geometry(trimesh.creation.box((1, 1, 1)), node_name=name, geom_name=name, parent_node_name="Bolt")
    path = tmp_path / "bolts.glb"
    path.write_bytes(scene.export(file_type="glb"))
    assert sorted(part.name for part in read_model(path).parts) == ["Bolt", "Bolt_000001", "Bolt_000002"]


def test_coats_and_fuzz_are_kept(tmp_path):
    """Khronos' extensions for both, read back by our own reader; `trimesh` opens the file."""
    assets = Assets()
    mesh = assets.add(NamedMesh("block", box((60, 40, 30), 3)))
    recipe = Recipe(
        coat_weight=0.8, coat_roughness=0.1, fuzz_weight=0.5, fuzz_color=(0.8, 0.4, 0.2), fuzz_roughness=0.3
    )
    part = Part(id="block", name="Block", mesh=mesh, material="lacquer")
    material = Material(id="lacquer", name="Lacquer", recipe=recipe)
    path = tmp_path / "block.glb"
    made = new_project(Product(name="Block", parts=(part,)), (material,), (60, 40, 30))
    export_glb(path, made, assets)
    trimesh.load(path)
    back = product_of(read_model(path), Assets())[1][0].recipe
    assert (back.coat_weight, back.coat_roughness, back.fuzz_roughness) == (0.8, 0.1, 0.3)
    assert [back.fuzz_weight * c for c in back.fuzz_color] == pytest.approx([0.4, 0.2, 0.1])
