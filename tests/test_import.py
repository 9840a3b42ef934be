"""Models from other programs: sizes, parts, names, units, materials; and files that are broken or hostile."""

import json
from pathlib import Path

import gmsh
import numpy as np
import pytest
import trimesh

from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.importer import read_model
from mat_shelf.exchange.product_import import new_project, product_of
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.geometry.size import depth_warning, other_units, size_question
from mat_shelf.geometry.solids import box, moved
from mat_shelf.scene.drop_test import clearance_below

BOX = (10.0, 20.0, 30.0)


def solids() -> trimesh.Scene:
    """A box of 10 x 20 x 30 and a ball of radius 5 beside it, in whatever unit one takes them for."""
    body, knob = trimesh.creation.box(BOX), trimesh.creation.icosphere(4, 5.0)
    knob.apply_translation((30, 0, 0))
    scene = trimesh.Scene()
    scene.add_geometry(body, node_name="Body", geom_name="Body")
    scene.add_geometry(knob, node_name="Knob", geom_name="Knob")
    return scene


def written(folder: Path, ending: str) -> Path:
    """The solids as trimesh writes them; a STEP box comes from OpenCASCADE by way of gmsh."""
    path = folder / f"solids.{ending}"
    if ending == "step":
        gmsh.initialize(interruptible=False)
        gmsh.option.setNumber("General.Terminal", 0)
        gmsh.model.occ.addBox(0, 0, 0, *BOX)
        gmsh.model.occ.addSphere(30, 10, 15, 5)
        gmsh.model.occ.synchronize()
        gmsh.write(str(path))
        gmsh.finalize()
        return path
    scene = solids()
    data = scene.export(file_type=ending) if ending in ("glb", "obj") else scene.to_geometry().export(file_type=ending)
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return path


@pytest.mark.parametrize(
    "ending, unit, known, parts",
    [("glb", 1000, True, 2), ("obj", 1, False, 2), ("stl", 1, False, 1), ("ply", 1, False, 1)],
)
def test_solids_keep_size_area_and_volume(tmp_path, ending, unit, known, parts):
    """Volume, area and size against trimesh's own of what was written; glTF numbers are metres (glTF 2.0, 3.4)."""
    model = import_model(written(tmp_path, ending))
    assert model.unit_is_known == known and len(model.parts) == parts
    theirs = solids().to_geometry()
    ours = [trimesh.Trimesh(p.mesh.vertices, p.mesh.triangles) for p in model.parts]
    assert sum(mesh.volume for mesh in ours) == pytest.approx(theirs.volume * unit**3, rel=1e-4)
    assert sum(mesh.area for mesh in ours) == pytest.approx(theirs.area * unit**2, rel=1e-4)
    if parts == 2:
        assert [part.name for part in model.parts] == ["Body", "Knob"]
        assert model.parts[0].mesh.bounds[1] - model.parts[0].mesh.bounds[0] == pytest.approx(np.array(BOX) * unit)
    assert all(part.repairs.is_watertight for part in model.parts)


def test_a_step_box_is_ten_by_twenty_by_thirty(tmp_path):
    model = import_model(written(tmp_path, "step"))
    assert model.unit == "mm" and model.unit_is_known and len(model.parts) == 2
    boxes = [part.mesh.bounds[1] - part.mesh.bounds[0] for part in model.parts]
    box = min(boxes, key=lambda size: abs(size - BOX).max())
    assert box == pytest.approx(np.array(BOX), abs=1e-4)
    ball = next(p for p, size in zip(model.parts, boxes, strict=True) if size is not box)
    volume = trimesh.Trimesh(ball.mesh.vertices, ball.mesh.triangles).volume
    assert volume == pytest.approx(4 / 3 * np.pi * 125, rel=0.03)  # its facets lie inside, up to 0.05 mm


OBJ = """mtllib {library}
o Lid
v 0 0 0
v 10 0 0
v 10 10 0
v 0 10 0
v 5 5 8
usemtl Amber
f 4 3 2 1
f 1 2 5
usemtl Teal
f 2 3 5
f 3 4 5
f 4 1 5
o Pin
v 20 0 0
v 21 0 0
v 20 1 0
v 20 0 1
usemtl Teal
f -4 -2 -3
f -4 -3 -1
f -3 -2 -1
f -2 -4 -1
"""


def test_obj_names_materials_and_polygons(tmp_path):
    """Two objects, a quad, negative indices and an MTL; the lid's second material becomes a zone."""
    (tmp_path / "lid.obj").write_text(OBJ.format(library="lid.mtl"))
    (tmp_path / "lid.mtl").write_text("newmtl Amber\nKd 1 0.5 0\nNi 1.6\nd 0.25\nnewmtl Teal\nKd 0 0.5 0.5\nNs 10\n")
    model = read_model(tmp_path / "lid.obj")
    lid, pin = model.parts
    assert (lid.name, pin.name, pin.material) == ("Lid", "Pin", "Teal") and len(lid.mesh.triangles) == 6
    assert lid.material in ("Amber", "Teal") and [(name, len(faces)) for name, faces, _ in lid.zones] == [
        ("Teal" if lid.material == "Amber" else "Amber", 3)
    ]
    assert lid.repairs.is_watertight and pin.repairs.is_watertight
    volume = trimesh.Trimesh(lid.mesh.vertices, lid.mesh.triangles).volume
    assert volume == pytest.approx(10 * 10 * 8 / 3)  # a pyramid, facing outward
    amber = model.materials["Amber"]
    assert amber.transmission_weight == 0.75 and amber.specular_ior == 1.6
    assert amber.base_color == pytest.approx((1, 0.2140, 0), abs=1e-3)  # sRGB 0.5 is 0.214 linear (IEC 61966-2-1)


def test_references_never_leave_the_folder(tmp_path):
    secret = tmp_path / "secret.mtl"
    secret.write_text("newmtl Amber\nKd 1 0 0\n")
    inner = tmp_path / "inner"
    inner.mkdir()
    for library in ("../secret.mtl", str(secret), "..\\secret.mtl"):
        (inner / "lid.obj").write_text(OBJ.format(library=library))
        assert read_model(inner / "lid.obj").materials["Amber"].base_color == (0.8, 0.8, 0.8)
    (tmp_path / "outside.bin").write_bytes(np.zeros(36, np.float32).tobytes())
    gltf = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 12, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": 144}],
        "buffers": [{"uri": "../outside.bin", "byteLength": 144}],
    }
    (inner / "leaving.gltf").write_text(json.dumps(gltf))
    with pytest.raises(MeshError):
        read_model(inner / "leaving.gltf")


def test_damage_is_mended_and_told(tmp_path):
    ball = trimesh.creation.icosphere(3, 10)
    faces = ball.faces.copy()
    rng = np.random.default_rng(5)
    turned = rng.choice(len(faces), 200, replace=False)
    faces[turned] = faces[turned][:, ::-1]
    faces = np.concatenate([faces, faces[:7], [[0, 0, 1], [2, 2, 2]]])
    trimesh.Trimesh(ball.vertices, faces, process=False).export(tmp_path / "ball.ply")
    part = read_model(tmp_path / "ball.ply").parts[0]
    assert (part.repairs.degenerate, part.repairs.duplicate, part.repairs.turned) == (2, 7, 200)
    mended = trimesh.Trimesh(part.mesh.vertices, part.mesh.triangles)
    assert (
        mended.is_watertight and mended.is_winding_consistent and mended.volume == pytest.approx(ball.volume, rel=1e-5)
    )
    inside_out = trimesh.Trimesh(ball.vertices, ball.faces[:, ::-1], process=False)
    inside_out.export(tmp_path / "inside.ply")
    assert trimesh.Trimesh(*mesh_of(tmp_path / "inside.ply")).volume == pytest.approx(ball.volume, rel=1e-5)
    trimesh.Trimesh(ball.vertices, ball.faces[:-40], process=False).export(tmp_path / "open.ply")
    assert "not watertight" in read_model(tmp_path / "open.ply").parts[0].repairs.words()[0]


def mesh_of(path: Path):
    mesh = read_model(path).parts[0].mesh
    return mesh.vertices, mesh.triangles


@pytest.mark.parametrize("ending, height", [("step", 30), ("stl", 30), ("glb", 20_000), ("obj", 20), ("ply", 20)])
def test_a_model_stands_on_the_axis_that_its_format_calls_up(tmp_path, ending, height):
    """STEP and STL models stand along z by common practice, glTF ones along y (glTF 2.0, 3.4)."""
    assets = Assets()
    product, _ = product_of(import_model(written(tmp_path, ending)), assets)
    bounds = np.array([posed_bounds(assets.meshes[part.mesh], part.pose) for part in product.parts])
    low, high = bounds[:, 0].min(axis=0), bounds[:, 1].max(axis=0)
    assert low[1] == pytest.approx(0, abs=1e-3) and high[1] == pytest.approx(height, rel=1e-4)


def test_sizes_that_can_hardly_be_are_asked_about():
    """2.1 read as metres is 2.1 m; as inches it is 53 mm (1 in = 25.4 mm exactly)."""
    question = size_question("lamp.glb", (300, 2100, 300), "m")
    assert question.startswith("lamp.glb is 2.1 m high") and question.endswith("Is the unit inches?")
    guesses = {guess.unit: guess.longest_mm for guess in other_units(2100, "m")}
    assert guesses == pytest.approx({"in": 53.34, "cm": 21.0, "ft": 640.08})
    assert other_units(85, "mm") == [] and size_question("pen", (12, 12, 140), "mm") is None
    assert "very small" in size_question("pen.stl", (0.1, 0.1, 1.4), "mm")


def test_a_product_stands_on_the_floor_and_survives_a_project(tmp_path):
    model = import_model(written(tmp_path, "obj"))
    assets = Assets()
    product, materials = product_of(model, assets)
    boxes = np.array([posed_bounds(assets.meshes[p.mesh], p.pose) for p in product.parts])
    low, high = boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)
    assert low[1] == pytest.approx(0, abs=1e-4) and (low + high)[[0, 2]] == pytest.approx([0, 0], abs=1e-3)
    project = new_project(product, materials, high - low)
    assert project.set.lights[0].width < 560  # smaller than for the demo, which is larger


@pytest.mark.parametrize(
    "name, data, says",
    [
        ("none.obj", b"", "is empty"),
        ("text.obj", b"hello world\n", "no vertices"),
        ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not numbers"),
        ("far.obj", b"v 1e30 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "kilometre|not numbers"),
        ("tiny.obj", b"v 1e-30 0 0\nv 0 0 0\nv 0 1e-30 0\nf 1 2 3\n", "no size"),
        ("beyond.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "not there"),
        ("words.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf a b c\n", "not numbers"),
        ("points.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "no surfaces"),
        ("claims.stl", b"\0" * 80 + b"\xff\xff\xff\x7f" + b"\0" * 50, "damaged|empty|no surfaces"),
        (
            "claims.ply",
            b"ply\nformat binary_little_endian 1.0\nelement vertex 2000000000\nproperty float x\n"
            b"property float y\nproperty float z\nend_header\n\0\0",
            "damaged|no surfaces|memory",
        ),
        ("not.step", b"ISO-10303-21; nonsense", "not a STEP"),
        ("model.fbx", b"x", "is none of"),
    ],
)
def test_what_cannot_be_imported_says_why(tmp_path, name, data, says):
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(MeshError, match=says):
        import_model(path, seconds=60)


def test_nodes_that_contain_each_other_are_refused(tmp_path):
    data = (written(tmp_path, "glb")).read_bytes()
    length = int.from_bytes(data[12:16], "little")
    text = json.loads(data[20 : 20 + length])
    text["nodes"] += [{"children": [len(text["nodes"]) + 1]}, {"children": [len(text["nodes"])]}]
    text["scenes"][0]["nodes"] = [len(text["nodes"]) - 2]
    packed = json.dumps(text).encode()
    packed += b" " * (-len(packed) % 4)
    whole = data[:12] + len(packed).to_bytes(4, "little") + b"JSON" + packed + data[20 + length :]
    (tmp_path / "cycle.glb").write_bytes(whole[:8] + len(whole).to_bytes(4, "little") + whole[12:])
    with pytest.raises(MeshError):
        import_model(tmp_path / "cycle.glb", seconds=60)


@pytest.mark.parametrize("ending", ["glb", "obj", "stl", "ply"])
def test_random_damage_ends_in_a_message_or_a_mesh(tmp_path, ending):
    """100 damaged files of each kind; `scripts/fuzz_import.py` tries thousands, STEP too."""
    from fuzzing import damaged

    whole = written(tmp_path, ending).read_bytes()
    target = tmp_path / f"damaged.{ending}"
    for data in damaged(whole, 100, seed=1):
        target.write_bytes(data)
        try:
            model = read_model(target)
        except MeshError:
            continue
        for part in model.parts:
            assert np.isfinite(part.mesh.vertices).all() and part.mesh.triangles.max() < len(part.mesh.vertices)


def test_reading_can_be_cancelled_and_is_given_up(tmp_path):
    path = written(tmp_path, "glb")
    with pytest.raises(InterruptedError):
        import_model(path, progress=lambda text: False)
    with pytest.raises(MeshError, match="takes longer than"):
        import_model(path, seconds=0.0)


def test_tints_and_sizes_that_disagree_are_told():
    """Beer-Lambert: a tint of 0.5 over 1 mm leaves 0.5 ** 50 of the light after 50 mm, 0.5 ** 0.001 after a micron."""
    assert "black throughout" in depth_warning((0.5, 0.4, 0.3), 1.0, 50.0)
    assert "will not show" in depth_warning((0.5, 0.4, 0.3), 1000.0, 1.0)
    assert depth_warning((0.5, 0.4, 0.3), 10.0, 20.0) is None
    assert depth_warning((0.99, 0.98, 0.99), 1000.0, 20.0) is None and depth_warning((0.5, 0.4, 0.3), 0, 20) is None


def test_a_part_sinks_until_it_touches():
    table = box((100, 20, 100), 1)
    cup = moved(box((20, 30, 20), 1), (0, 47.5, 0))
    assert clearance_below(cup, [table]) == pytest.approx(27.5, abs=1e-3)
    assert clearance_below(moved(cup, (200, 0, 0)), [table]) == pytest.approx(47.5, abs=1e-3)  # beside it is the floor
    spike = moved(box((4, 60, 4), 0.2), (0, 0, 0))
    wide = moved(box((80, 5, 80), 1), (0, 100, 0))
    assert clearance_below(wide, [spike]) == pytest.approx(40, abs=1e-2)  # found from the spike's vertices
