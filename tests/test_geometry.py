"""Meshes: solids against formulas, GLB against an independent reader, broken input."""

import io

import numpy as np
import pytest
import trimesh

from mat_shelf.demo import ink_bottle
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh, glb_bytes, read_glb
from mat_shelf.geometry.mesh import MeshError, checked
from mat_shelf.geometry.solids import box, lathe, rounded


def as_trimesh(mesh) -> trimesh.Trimesh:
    return trimesh.Trimesh(mesh.vertices, mesh.triangles, process=True, merge_norm=True)


def test_turned_solids_have_the_volume_of_the_formula():
    cylinder = as_trimesh(lathe([(0, 0), (5, 0), (5, 10), (0, 10)], 256))
    angle = np.linspace(-np.pi / 2, np.pi / 2, 129)
    ball = as_trimesh(lathe(np.stack([7 * np.cos(angle), 7 * np.sin(angle)], axis=1), 256))
    assert cylinder.is_watertight and cylinder.volume == pytest.approx(np.pi * 250, rel=1e-3)
    assert ball.is_watertight and ball.volume == pytest.approx(4 / 3 * np.pi * 343, rel=1e-3)


def test_rounded_box_has_the_volume_of_its_core_faces_edges_and_corners():
    x, y, z, r = 20.0, 30.0, 40.0, 3.0
    a, b, c = x - 2 * r, y - 2 * r, z - 2 * r
    wanted = a * b * c + 2 * r * (a * b + b * c + c * a) + np.pi * r * r * (a + b + c) + 4 / 3 * np.pi * r**3
    solid = as_trimesh(box((x, y, z), r, steps=16))
    assert solid.is_watertight and solid.volume == pytest.approx(wanted, rel=2e-3)


def test_fillets_are_tangent_to_their_sides():
    line = rounded([(0, 0), (10, 0), (10, 10)], [0, 2, 0], steps=32)
    corner = line[1:-1]
    assert np.linalg.norm(corner - (8, 2), axis=1) == pytest.approx(2, abs=1e-9)
    assert corner[0] == pytest.approx((8, 0)) and corner[-1] == pytest.approx((10, 2))


def test_bevelled_edges_keep_flats_flat():
    mesh = box((20, 20, 20), 2)
    top = np.isclose(mesh.vertices[:, 1], 20) & (np.abs(mesh.vertices[:, [0, 2]]).max(axis=1) < 7.5)
    assert top.any() and (mesh.normals[top][:, 1] > 0.999).all()


def test_bottle_holds_its_ink():
    """Closed solids, and the ink reaches into the wall instead of leaving a gap."""
    glass, ink = as_trimesh(ink_bottle.glass()), as_trimesh(ink_bottle.ink())
    assert glass.is_watertight and ink.is_watertight and glass.volume > 0 and ink.volume > 0
    assert 20 < ink.volume / 1000 < 60  # a desk bottle holds 30 to 60 ml: common practice
    wall = ink.vertices[np.abs(ink.vertices[:, 0]).argmax()]
    assert abs(wall[0]) > ink_bottle.HALF - ink_bottle.WALL


def test_glb_is_in_metres_for_others_and_in_millimetres_for_us():
    """glTF 2.0, 3.4: all units are metres. Read by trimesh as an independent reader."""
    solid = box((20, 30, 40), 2)
    data = glb_bytes([NamedMesh("Solid", solid), NamedMesh("Other", lathe([(0, 0), (5, 0), (0, 9)]))])
    scene = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
    assert set(scene.geometry) == {"Solid", "Other"}
    assert scene.geometry["Solid"].extents == pytest.approx([0.02, 0.03, 0.04], rel=1e-5)
    back = {part.name: part.mesh for part in read_glb(data)}
    assert back["Solid"].vertices == pytest.approx(solid.vertices, abs=1e-4)
    assert back["Solid"].normals == pytest.approx(solid.normals, abs=1e-4)


def test_nodes_that_turn_and_shift_are_applied():
    scene = trimesh.Scene()
    matrix = trimesh.transformations.rotation_matrix(np.pi / 2, (0, 0, 1), (0, 0, 0))
    matrix[:3, 3] = (1, 0, 0)
    scene.add_geometry(trimesh.creation.box((0.1, 0.2, 0.3)), node_name="turned", transform=matrix)
    mesh = read_glb(scene.export(file_type="glb"))[0].mesh
    assert mesh.bounds == pytest.approx(np.array([[900, -50, -150], [1100, 50, 150]]), abs=0.1)


@pytest.mark.parametrize(
    ("vertices", "triangles", "says"),
    [
        ([[0, 0, 0]], np.zeros((0, 3)), "no faces"),
        ([[0, 0, 0], [1, 0, 0], [np.nan, 1, 0]], [[0, 1, 2]], "not numbers"),
        ([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 3]], "not there"),
        ([[0, 0, 0], [1, 0, 0], [2, 0, 0]], [[0, 1, 2]], "no size"),
        ([[0, 0, 0], [1e8, 0, 0], [0, 1, 0]], [[0, 1, 2]], "unit"),
    ],
)
def test_meshes_that_cannot_be_used_say_why(vertices, triangles, says):
    with pytest.raises(MeshError, match=says):
        checked(vertices, triangles)


def test_damaged_models_never_get_past_the_reader():
    data = bytearray(glb_bytes([NamedMesh("Solid", box((1, 2, 3), 0.1))]))
    rng = np.random.default_rng(1)
    for _ in range(60):
        broken = bytearray(data)
        for place in rng.integers(0, len(data), 8):
            broken[place] = rng.integers(0, 256)
        for candidate in (bytes(broken), bytes(broken[: rng.integers(0, len(data))])):
            try:
                Assets().add_mesh(candidate)
            except MeshError as fault:
                assert len(str(fault)) > 10
