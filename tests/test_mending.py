"""Holes closed, sheets thickened, parts divided and joined: volumes and areas by another library."""

import numpy as np
import pytest
import trimesh
from driving import LEFT, picture_of, seen
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.product.thickness_dialog import ThicknessDialog
from mat_shelf.document.mark import Mark
from mat_shelf.document.product import Part, Pose, Zone
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mending import with_holes_closed
from mat_shelf.geometry.mesh import Mesh, MeshError, checked
from mat_shelf.geometry.offsetting import layers, thickened
from mat_shelf.geometry.pose import posed


def solid_of(mesh: Mesh) -> trimesh.Trimesh:
    return trimesh.Trimesh(mesh.vertices, mesh.triangles)


def without(solid: trimesh.Trimesh, gone) -> Mesh:
    return checked(solid.vertices, solid.faces[~gone])


def extruded(outline, height=10.0) -> trimesh.Trimesh:
    """The wall of an outline, open above and below."""
    flat = np.array(outline, float)
    n = len(flat)
    vertices = np.concatenate([np.insert(flat, 2, 0, 1), np.insert(flat, 2, height, 1)])
    k = np.arange(n)
    after = (k + 1) % n
    faces = np.concatenate([np.stack([k, after, after + n], 1), np.stack([k, after + n, k + n], 1)])
    return trimesh.Trimesh(vertices, faces, process=False)


STAR = [(np.cos(a) * r, np.sin(a) * r) for a, r in zip(np.arange(24) * np.pi / 12, [10, 4] * 12, strict=True)]
COMB = [(0, 0), (9, 0), (9, 8), (8, 8), (8, 1), (6, 1), (6, 8), (5, 8), (5, 1), (3, 1), (3, 8), (2, 8), (2, 1), (0, 1)]


@pytest.mark.parametrize("outline", [STAR, COMB], ids=["star", "comb"])
def test_holes_of_any_outline_get_flat_lids(outline):
    wall = extruded(outline)
    flat = np.array(outline)
    after = np.roll(flat, -1, axis=0)
    area = (flat[:, 0] * after[:, 1] - flat[:, 1] * after[:, 0]).sum() / 2  # the shoelace formula
    mesh = checked(wall.vertices, wall.faces)
    closed, count = with_holes_closed(mesh, adjacency(mesh))
    solid = solid_of(closed)
    assert count == 2 and solid.is_watertight
    assert solid.volume == pytest.approx(area * 10, rel=1e-5)
    assert np.array_equal(closed.triangles[: len(mesh.triangles)], mesh.triangles)  # zones keep their faces


def test_a_ball_with_a_hole_is_closed_and_a_closed_one_is_told():
    ball = trimesh.creation.icosphere(3, 10)
    opened = without(ball, ball.triangles_center[:, 2] > 8)
    closed, count = with_holes_closed(opened, adjacency(opened))
    assert count == 1 and solid_of(closed).is_watertight and solid_of(closed).volume < ball.volume
    whole = checked(ball.vertices, ball.faces)
    with pytest.raises(MeshError, match="no hole"):
        with_holes_closed(whole, adjacency(whole))


def test_sheets_become_bodies_and_bodies_layers():
    """Shells of a box by its formula; walls measured by rays; a sheet's volume is its area times its thickness."""
    sheet = checked([[0, 0, 0], [30, 0, 0], [30, 20, 0], [0, 20, 0]], [[0, 1, 2], [0, 2, 3]])
    plate = solid_of(thickened(sheet, 1.5))
    assert plate.is_watertight and plate.volume == pytest.approx(30 * 20 * 1.5, rel=1e-5)
    box = trimesh.creation.box((20, 30, 40))
    mesh = checked(box.vertices, box.faces)
    made = [solid_of(layer) for layer in layers(mesh, adjacency(mesh), 2.0, 3)]
    sizes = [np.array((20, 30, 40)) - 4 * k for k in range(4)]
    for k in range(3):
        assert made[k].volume == pytest.approx(np.prod(sizes[k]) - np.prod(sizes[k + 1]), rel=1e-4)
    assert made[3].volume == pytest.approx(np.prod(sizes[3]), rel=1e-4)
    ball = trimesh.creation.icosphere(4, 10)
    whole = checked(ball.vertices, ball.faces)
    shell = solid_of(layers(whole, adjacency(whole), 1.0, 1)[0])
    ways = np.random.default_rng(2).normal(size=(50, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    hits, rays, _ = shell.ray.intersects_location(np.zeros((50, 3)), ways)
    depths = np.linalg.norm(hits, axis=1)
    walls = [np.ptp(depths[rays == k]) for k in range(50)]
    assert np.array(walls) == pytest.approx(1.0, abs=0.01)
    with pytest.raises(MeshError, match="cross"):
        layers(mesh, adjacency(mesh), 4.0, 3)
    with pytest.raises(MeshError, match="open"):
        layers(sheet, adjacency(sheet), 0.1, 1)


@pytest.fixture
def fused(small_project):
    """A part of two boxes in one mesh, turned and moved, half of one in a zone, a mark on it; and a lid apart."""
    project, _ = small_project
    assets = Assets()
    one, two = trimesh.creation.box((40, 40, 40)), trimesh.creation.box((20, 20, 20))
    two.apply_translation((50, 0, 0))
    both = trimesh.util.concatenate([one, two])
    mesh = checked(both.vertices, both.faces)
    zone = Zone(id="half", name="Half", faces=assets.add_faces(np.arange(18, 24)), material=None, edge_radius=1.0)
    pose = Pose(shift=(0, 30, 0), turn=(0, 20, 0), scale=1.5)
    part = Part(
        id="block", name="Block", mesh=assets.add(NamedMesh("b", mesh)), material="red", zones=(zone,), pose=pose
    )
    lid = Part(id="lid", name="Lid", mesh=assets.add(NamedMesh("l", checked(one.vertices, one.faces))))
    lid = lid.with_(pose=Pose(shift=(0, 120, 0), turn=(10, 0, 30)))
    mark = Mark(id="m", name="M", part="block", point=(50, 0, 10), facing=(0.0, 0.0, 1.0), width=8.0, height=8.0)
    project = project.with_(product=project.product.with_(parts=(part, lid)), marks=(mark,))
    return project, assets


def call(window, name: str) -> None:
    window.menus.follow()
    window.menus.find(name).trigger()


def standing(window, name: str) -> trimesh.Trimesh:
    part = next(part for part in window.work.project.product.parts if part.name == name)
    return solid_of(posed(window.workshop.assets.meshes[part.mesh], part.pose))


@pytest.mark.long
def test_a_fused_part_is_divided_and_joined_again(open_window, fused, qtbot):
    window = open_window(*fused)
    workshop, work = window.workshop, window.work
    before = standing(window, "Block")
    workshop.select("block")
    call(window, "Split connected parts")
    qtbot.waitUntil(lambda: len(work.project.product.parts) == 3, timeout=20_000)
    big, small, _ = work.project.product.parts
    assert (big.id, big.name, small.name, big.material, small.material) == ("block", "Block", "Block 2", "red", "red")
    assert standing(window, "Block").volume == pytest.approx(60**3, rel=1e-4)
    assert standing(window, "Block 2").volume == pytest.approx(30**3, rel=1e-4)
    assert not big.zones and workshop.assets.faces[small.zones[0].faces].tolist() == list(range(6, 12))
    assert small.zones[0].edge_radius == 1.0 and work.project.marks[0].part == small.id
    picture_of(qtbot, window)
    assert seen(window, small.id).any()
    work.hide({small.id}, "Hide")
    picture_of(qtbot, window)
    assert not (window.viewport.frame.first_hits.part == 1).any()
    workshop.undo()

    workshop.select("block")
    workshop.select_also(small.id)
    call(window, "Join parts")
    assert len(work.project.product.parts) == 2
    (again, _) = work.project.product.parts
    after = standing(window, "Block")
    assert after.volume == pytest.approx(before.volume, rel=1e-4) and after.bounds == pytest.approx(
        before.bounds, abs=1e-3
    )
    assert [zone.name for zone in again.zones] == ["Half"] and work.project.marks[0].part == "block"
    assert work.project.marks[0].point == pytest.approx((50, 0, 10), abs=1e-3)
    workshop.select("block")
    workshop.select_also("lid")
    call(window, "Join parts")
    (whole,) = work.project.product.parts
    assert standing(window, "Block").volume == pytest.approx(before.volume + 40**3, rel=1e-4)
    assert [zone.name for zone in whole.zones] == ["Half", "Lid"] and whole.zones[1].material is None
    for _ in range(3):
        workshop.undo()
    assert workshop.project.product == fused[0].product


@pytest.mark.long
def test_layers_thickness_and_holes_by_menu(open_window, fused, qtbot):
    window = open_window(*fused)
    workshop, work = window.workshop, window.work
    workshop.select("lid")
    call(window, "Split into layers…")
    dialog = next(d for d in QApplication.topLevelWidgets() if isinstance(d, ThicknessDialog) and d.isVisible())
    dialog.thickness.setValue(2.0)
    dialog.count.setValue(2)
    QTest.mouseClick(dialog.confirm, LEFT)
    qtbot.waitUntil(lambda: len(work.project.product.parts) == 4, timeout=20_000)
    names = [part.name for part in work.project.product.parts]
    assert names == ["Block", "Lid layer 1", "Lid layer 2", "Lid core"]
    assert standing(window, "Lid core").volume == pytest.approx(32**3, rel=1e-3)
    workshop.undo()
    work.choose(("block", np.arange(24) < 12))  # one of the boxes
    call(window, "Split off the selected faces")
    assert [part.name for part in work.project.product.parts] == ["Block", "Block 2", "Lid"]
    workshop.select("lid")
    lid = solid_of(workshop.assets.meshes[workshop.project.part("lid").mesh])
    work.choose(("lid", lid.face_normals[:, 2] > 0.9))
    call(window, "Split off the selected faces")
    assert not standing(window, "Lid").is_watertight
    workshop.select("lid")
    call(window, "Close holes")
    qtbot.waitUntil(lambda: standing(window, "Lid").is_watertight, timeout=20_000)
    assert standing(window, "Lid").volume == pytest.approx(40**3, rel=1e-4)
    call(window, "Flip faces")
    assert standing(window, "Lid").volume == pytest.approx(-(40**3), rel=1e-4)
    call(window, "Close holes")
    qtbot.waitUntil(lambda: "no hole" in window.notice.text.text(), timeout=20_000)
    sheet = work.project.product.parts[-1]
    workshop.select(sheet.id)
    call(window, "Thicken…")
    dialog = next(d for d in QApplication.topLevelWidgets() if isinstance(d, ThicknessDialog) and d.isVisible())
    QTest.keyClick(dialog, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: standing(window, sheet.name).is_watertight, timeout=20_000)
    assert abs(standing(window, sheet.name).volume) == pytest.approx(40 * 40 * 1.0, rel=1e-3)


def test_without_a_part_it_is_said_what_to_do(open_window, fused):
    window = open_window(*fused)
    window.workshop.select(None)
    work = window.work
    for run in (work.close_holes, work.split_pieces, lambda: work.thicken(1.0), lambda: work.split_layers(1.0, 2)):
        window.notice.hide()
        run()
        assert window.notice.isVisible() and "Select a part first" in window.notice.text.text()
    assert window.workshop.project == fused[0]
