"""The Product station in the real window, on a model that another library wrote."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from driving import CONTROL, LEFT, PLAIN, grabbed, picture_of, pixel_place, place_of, seen, shortcut
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox

from mat_shelf.app.product.parts_card import GROUP, PART, ZONE
from mat_shelf.commands.materials import Wearable
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Zone
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.pose import posed
from mat_shelf.geometry.solids import box as rounded_box


def model_in_inches(folder: Path) -> Path:
    """A lamp of 2.1 by its numbers: a base, a glass hidden inside a shade, written as metres though it is inches."""
    base = rounded_box((1.4, 0.3, 1.4), 0.08)
    shade = trimesh.creation.cylinder(0.6, 1.5, sections=96)
    shade.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0)))
    glass = shade.copy()
    glass.apply_scale(0.5)
    for part, height in ((shade, 1.35), (glass, 1.35)):
        part.apply_translation((0, height, 0))
    scene = trimesh.Scene()
    scene.add_geometry(
        trimesh.Trimesh(base.vertices, base.triangles, process=False), node_name="Base", geom_name="Base"
    )
    scene.add_geometry(shade, node_name="Shade", geom_name="Shade")
    scene.add_geometry(glass, node_name="Glass", geom_name="Glass")
    path = folder / "lamp.glb"
    path.write_bytes(scene.export(file_type="glb"))
    return path


def drop(window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    enter = QDragEnterEvent(QPoint(600, 60), Qt.DropAction.CopyAction, data, LEFT, PLAIN)
    QApplication.sendEvent(window, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(window, QDropEvent(QPointF(600, 60), Qt.DropAction.CopyAction, data, LEFT, PLAIN))


def answer(qtbot, window, text: str) -> None:
    """Waits for a question with such an answer, and gives it."""

    def offered():
        return window.notice.isVisible() and any(b.text().startswith(text) for b in window.notice.buttons)

    qtbot.waitUntil(offered, timeout=60_000)
    QTest.mouseClick(next(b for b in window.notice.buttons if b.text().startswith(text)), LEFT)


def by_name(window, name: str):
    return next(part for part in window.workshop.project.product.parts if part.name == name)


@pytest.fixture
def lamp(open_window, small_project, qtbot, tmp_path, monkeypatch):
    """The window with the lamp in a project of its own, at its true size."""
    monkeypatch.setattr(QMessageBox, "question", lambda *a: QMessageBox.StandardButton.Discard)
    window = open_window(*small_project, 0.6)
    drop(window, model_in_inches(tmp_path))
    answer(qtbot, window, "New project")
    qtbot.waitUntil(lambda: "unit inches" in window.notice.text.text(), timeout=10_000)
    assert "2.1 m high" in window.notice.text.text()
    answer(qtbot, window, "in: 53.3 mm")
    picture_of(qtbot, window)
    return window


def test_a_model_comes_in_and_gets_its_true_size(lamp, qtbot):
    window, work = lamp, lamp.work
    assert window.product_board.isVisible() and [p.name for p in work.project.product.parts] == [
        "Base",
        "Shade",
        "Glass",
    ]
    size = work.bounds()[1] - work.bounds()[0]
    assert size[1] == pytest.approx(2.1 * 25.4, rel=1e-3) and work.bounds()[0, 1] == pytest.approx(0, abs=1e-3)
    sides = [side.text() for side in window.product_board.size_card.sides]
    assert "53.3" in sides
    assert seen(window, by_name(window, "Shade").id).mean() > 0.02  # the view suits the true size
    assert window.workshop.history.undo_label == "Read as in"
    window.workshop.undo()  # size, sets and view are one step
    assert window.workshop.history.undo_label is None
    window.workshop.redo()
    picture_of(qtbot, window)

    # Measured across the base from edge to edge of its front, and set to what it is in truth.
    card = window.product_board.size_card
    QTest.mouseClick(card.measure_button, LEFT)
    window.viewport.setFocus()
    window.viewport.frame_part(by_name(window, "Base").id)
    QTest.keyClick(window.viewport, Qt.Key.Key_1)
    picture_of(qtbot, window)
    ys, xs = np.nonzero(seen(window, by_name(window, "Base").id))
    row = int(np.median(ys))
    ends = xs[ys == row].min(), xs[ys == row].max()
    rect, shape = window.viewport.picture_rect, window.viewport.frame.first_hits.part.shape
    for x in ends:
        point = QPoint(
            round(rect.x() + (x + 0.5) / shape[1] * rect.width()),
            round(rect.y() + (row + 0.5) / shape[0] * rect.height()),
        )
        QTest.mouseClick(window.viewport, LEFT, PLAIN, point)
    assert card.measured == pytest.approx(1.4 * 25.4, rel=0.06)  # `seen` leaves out three pixels at each border
    before, factor = work.bounds(), 40 / card.measured
    card.known.setText("40")
    QTest.keyClick(card.known, Qt.Key.Key_Return)
    after = work.bounds()
    assert (after[1] - after[0]) == pytest.approx((before[1] - before[0]) * factor, rel=1e-4)
    assert after[0, 1] == pytest.approx(before[0, 1], abs=1e-3)
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert work.bounds() == pytest.approx(before)
    card.known.setText("nonsense")
    QTest.keyClick(card.known, Qt.Key.Key_Return)
    assert work.bounds() == pytest.approx(before) and "must be a number" in window.notice.text.text()


@pytest.mark.long
def test_parts_are_moved_hidden_and_clicked_through(lamp, qtbot):
    window, work, workshop = lamp, lamp.work, lamp.workshop
    shade, glass = by_name(window, "Shade"), by_name(window, "Glass")
    ys, xs = np.nonzero(seen(window, shade.id))
    row = int(np.median(ys))
    spot = pixel_place(window, row, int(np.median(xs[ys == row])))
    QTest.mouseClick(window.viewport, LEFT, PLAIN, spot)
    assert workshop.selected == shade.id
    QTest.mouseClick(window.viewport, LEFT, PLAIN, spot)
    assert workshop.selected == glass.id  # behind the shade
    workshop.select(shade.id)
    tree = window.product_board.parts_card.tree
    tree.topLevelItem(1).setCheckState(0, Qt.CheckState.Unchecked)
    qtbot.waitUntil(lambda: by_name(window, "Shade").is_hidden, timeout=5_000)
    picture_of(qtbot, window)
    assert seen(window, glass.id).any() and not (window.viewport.frame.first_hits.part == 1).any()
    QTest.mouseClick(window.product_board.parts_card.all_button, LEFT)
    assert not by_name(window, "Shade").is_hidden

    workshop.select(by_name(window, "Base").id)
    place = window.product_board.place_card
    place.middle[1].setValue(10.0)
    place.middle[1].editingFinished.emit()
    assert work.bounds([by_name(window, "Base")])[0, 1] == pytest.approx(10, abs=0.01)
    QTest.mouseClick(place.floor_button, LEFT)
    assert work.bounds([by_name(window, "Base")])[0, 1] == pytest.approx(0, abs=0.01)
    QTest.mouseClick(place.copy_button, LEFT)
    assert workshop.selected_part.name == "Base 2"
    apart = work.bounds([by_name(window, "Base 2")]) - work.bounds([by_name(window, "Base")])
    assert apart[0, 0] > 30 and apart[0, 1] == pytest.approx(0, abs=1e-3)
    QTest.mouseClick(place.remove_button, LEFT)
    assert len(work.project.product.parts) == 3
    workshop.select(None)
    QTest.mouseClick(place.upright_button, LEFT)
    assert work.bounds()[0, 1] == pytest.approx(0, abs=1e-2) and workshop.history.undo_label == "Z-up to Y-up"
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert (work.bounds()[1] - work.bounds()[0])[1] == pytest.approx(53.34, abs=0.1)


def dragged_handle(window, name: str, pixels: float) -> np.ndarray:
    """Drags a handle some pixels along its way; gives the vertices of what is selected as they stand then, mm."""
    handle = window.viewport.move_handles.handles()[name]
    way = handle.way * (pixels / np.hypot(handle.way.x(), handle.way.y()))
    start, history = handle.knob, window.workshop.history
    steps = history.position
    QTest.mousePress(window.viewport, LEFT, PLAIN, start.toPoint())
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(window.viewport, (start + way * share).toPoint())
    QTest.mouseRelease(window.viewport, LEFT, PLAIN, (start + way).toPoint())
    assert history.position == steps + 1
    part = window.workshop.selected_part
    return posed(window.workshop.assets.meshes[part.mesh], part.pose).vertices


@pytest.mark.parametrize("axis", [0, *(pytest.param(axis, marks=pytest.mark.long) for axis in (1, 2))])
@pytest.mark.long
def test_a_part_is_rotated_and_moved_by_its_handles(lamp, qtbot, axis):
    """Rotations follow the right hand, about the middle of the box, by another library's matrices."""
    window, workshop = lamp, lamp.workshop
    base = by_name(window, "Base")
    workshop.select(base.id)
    window.viewport.frame_part(base.id)
    picture_of(qtbot, window)
    before = posed(workshop.assets.meshes[base.mesh], base.pose).vertices
    name = "xyz"[axis]
    moved = dragged_handle(window, name, 40) - before
    assert moved[:, axis].min() > 1 and np.ptp(moved, axis=0).max() < 1e-3
    assert np.delete(moved, axis, axis=1) == pytest.approx(0, abs=1e-4)
    assert workshop.history.undo_label == "Move"
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert posed(workshop.assets.meshes[base.mesh], by_name(window, "Base").pose).vertices == pytest.approx(before)

    picture_of(qtbot, window)
    rotated = dragged_handle(window, f"about {name}", 40)
    middle = window.work.bounds([base]).mean(axis=0)
    angles = np.radians(np.arange(1, 180))
    matrices = [trimesh.transformations.rotation_matrix(angle, np.eye(3)[axis], middle) for angle in angles]
    off = [np.abs(trimesh.transform_points(before, matrix) - rotated).max() for matrix in matrices]
    assert min(off) < 1e-2 and 5 < np.argmin(off) + 1 < 90
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert by_name(window, "Base").pose == base.pose


@pytest.mark.long
def test_zones_are_made_dressed_and_counted(lamp, qtbot, tmp_path):
    window, work, workshop = lamp, lamp.work, lamp.workshop
    coverage = window.product_board.coverage_card
    assert "3 regions are unassigned" in coverage.words.text()
    for part in work.project.product.parts:
        workshop.wear(part.id, "shell-white")
    assert coverage.words.text() == "Every face has a material."

    # The shade's side is chosen by smoothness, made a zone, and dressed by dropping a swatch on it.
    zones = window.product_board.zones_card
    QTest.mouseClick(zones.way_buttons["smooth"], LEFT)
    shade = by_name(window, "Shade")
    picture_of(qtbot, window)
    QTest.mouseClick(window.viewport, LEFT, PLAIN, place_of(window, shade.id))
    qtbot.waitUntil(lambda: work.chosen is not None, timeout=30_000)
    mesh = workshop.assets.meshes[shade.mesh]
    assert 0 < work.chosen[1].sum() < len(mesh.triangles)
    QTest.mouseClick(zones.change_buttons["invert"], LEFT)
    QTest.mouseClick(zones.change_buttons["invert"], LEFT)
    QTest.mouseClick(zones.make_button, LEFT)
    zone = workshop.selected_zone
    assert zone.name == "Zone 1" and work.chosen is None
    QTest.mouseClick(zones.way_buttons["smooth"], LEFT)
    before = picture_of(qtbot, window).astype(int)
    workshop.wear(shade.id, "copper", zone.id)
    after = picture_of(qtbot, window).astype(int)
    mask = window.viewport.picker.mask_of(shade.id, zone.id)
    changed = np.abs(after - before).max(axis=2) > 25
    assert changed[mask].mean() > 0.5 and window.workshop.project.part(shade.id).material == "shell-white"

    # A click on it selects the zone, not the part; its faces are taken back, and undone.
    workshop.select(None)
    ys, xs = np.nonzero(mask)
    rect, shape, k = window.viewport.picture_rect, mask.shape, len(ys) // 2
    point = QPoint(
        round(rect.x() + (xs[k] + 0.5) / shape[1] * rect.width()),
        round(rect.y() + (ys[k] + 0.5) / shape[0] * rect.height()),
    )
    QTest.mouseClick(window.viewport, LEFT, PLAIN, point)
    assert workshop.selected_zone == workshop.project.part(shade.id).zone(zone.id)
    assert workshop.selected_material.name == "Copper"
    QTest.mouseClick(zones.dissolve_button, LEFT)
    assert not by_name(window, "Shade").zones
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert by_name(window, "Shade").zones[0].material == "copper"

    # The lasso takes only what is seen inside it; Escape lets go.
    workshop.select(by_name(window, "Base").id)
    QTest.mouseClick(zones.way_buttons["lasso"], LEFT)
    picture_of(qtbot, window)
    corner = window.viewport.picture_rect
    track = [corner.topLeft(), corner.topRight(), corner.bottomRight(), corner.bottomLeft()]
    QTest.mousePress(window.viewport, LEFT, PLAIN, track[0] + QPoint(2, 2))
    for spot in (*track[1:], track[0]):
        QTest.mouseMove(window.viewport, spot)
    QTest.mouseRelease(window.viewport, LEFT, PLAIN, track[0] + QPoint(2, 40))
    count = len(workshop.assets.meshes[by_name(window, "Base").mesh].triangles)
    assert work.chosen is not None and 0 < work.chosen[1].sum() < count
    window.viewport.setFocus()
    QTest.keyClick(window.viewport, Qt.Key.Key_Escape)
    assert work.chosen is None

    # Bared faces are counted again and walked to; all comes back from the file.
    part = by_name(window, "Shade")
    workshop.edit("Bare", workshop.project.with_part(part.with_zone(part.zones[0].with_(material=None))))
    assert "1 region is unassigned" in coverage.words.text()
    camera = workshop.camera
    QTest.mouseClick(coverage.next_button, LEFT)
    assert workshop.camera != camera and "Shade" in coverage.here.text() and work.chosen[0] == part.id
    assert workshop.save(tmp_path / "lamp.matshelf")
    saved = workshop.project
    assert workshop.open(tmp_path / "lamp.matshelf") and workshop.project == saved


def test_slivers_of_a_fine_part_are_counted_once_they_are_found(open_window, small_project, qtbot):
    """A ball of 80,000 faces in a zone of another material, but for one of them."""
    project, assets = small_project
    ball = trimesh.creation.icosphere(6, 20)
    mesh = checked(ball.vertices, ball.faces, ball.vertex_normals)
    green = Material(id="green", name="Green", recipe=Recipe(base_color=(0.05, 0.4, 0.1)))
    zone = Zone(id="z", name="Z", faces=assets.add_faces(np.arange(1, len(mesh.triangles))), material="green")
    part = Part(id="ball", name="Ball", mesh=assets.add(NamedMesh("ball", mesh)), material="red", zones=(zone,))
    project = project.with_material(green).with_parts((*project.product.parts, part))
    window = open_window(project, assets)
    window.stations.buttons()[0].click()
    words = window.product_board.coverage_card.words
    qtbot.waitUntil(lambda: "1 sliver between zones kept an old material" in words.text(), timeout=20_000)
    window.work.show_gap(1)
    assert window.work.chosen[0] == "ball" and np.flatnonzero(window.work.chosen[1]).tolist() == [0]
    assert "still Red" in window.product_board.coverage_card.here.text()


@pytest.mark.long
def test_a_zone_takes_more_faces_and_gives_some_back(lamp, qtbot):
    """Faces of the shade's ends join the zone of one of them, and leave it again."""
    window, work, workshop = lamp, lamp.work, lamp.workshop
    zones = window.product_board.zones_card
    part = by_name(window, "Shade")
    faces = workshop.assets.meshes[part.mesh].triangles
    heights = workshop.assets.meshes[part.mesh].vertices[faces][..., 1].mean(axis=1)
    top, bottom = heights > heights.max() - 1e-3, heights < heights.min() + 1e-3
    workshop.select(part.id)
    work.choose((part.id, top))
    QTest.mouseClick(zones.make_button, LEFT)
    zone = workshop.selected_zone
    assert len(workshop.assets.faces[zone.faces]) == top.sum()
    work.choose((part.id, bottom))
    QTest.mouseClick(zones.add_button, LEFT)
    grown = workshop.selected_zone
    assert grown.id == zone.id and len(workshop.assets.faces[grown.faces]) == top.sum() + bottom.sum()
    work.choose((part.id, top))
    QTest.mouseClick(zones.subtract_button, LEFT)
    left = workshop.assets.faces[workshop.selected_zone.faces]
    assert sorted(left) == sorted(np.flatnonzero(bottom))
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert workshop.project.part(part.id).zone(zone.id) == grown


@pytest.mark.long
def test_materials_are_found_and_replaced_everywhere(lamp, qtbot):
    window, workshop = lamp, lamp.workshop
    for name in ("Base", "Glass"):
        workshop.wear(by_name(window, name).id, "copper")
    window.stations.buttons()[1].click()
    workshop.select(by_name(window, "Base").id)
    QTest.mouseClick(window.board.header.wearers_button, LEFT)
    assert workshop.selected == by_name(window, "Glass").id
    workshop.replace_everywhere("copper", Wearable("swatch", "chrome"))
    assert {by_name(window, name).material for name in ("Base", "Glass")} == {"chrome"}
    assert workshop.history.undo_label == "Replace Copper"
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert {by_name(window, name).material for name in ("Base", "Glass")} == {"copper"}


def test_an_import_is_cancelled_refused_or_added(open_window, small_project, qtbot, tmp_path):
    window = open_window(*small_project)
    workshop = window.workshop
    project = workshop.project
    (tmp_path / "broken.step").write_bytes(b"ISO-10303-21; not really")
    drop(window, tmp_path / "broken.step")
    qtbot.waitUntil(lambda: "Not imported" in window.notice.text.text(), timeout=60_000)
    assert workshop.project is project
    path = model_in_inches(tmp_path)
    drop(window, path)
    answer(qtbot, window, "Cancel")
    qtbot.waitUntil(lambda: window.model_import.job is None, timeout=30_000)
    assert workshop.project is project
    drop(window, path)
    answer(qtbot, window, "Add to this product")
    answer(qtbot, window, "in: ")
    assert len(workshop.project.product.parts) == len(project.product.parts) + 3
    added = [by_name(window, name) for name in ("Base", "Shade", "Glass")]
    size = np.ptp(window.work.bounds(added), axis=0)
    assert size[1] == pytest.approx(53.34, rel=1e-3)
    assert workshop.project.material("red") == project.material("red")


def test_another_axis_may_point_up(open_window, small_project, qtbot, tmp_path):
    """An STL comes in standing on its z axis; the message of its size lays it down again, and undo takes that back."""
    window = open_window(*small_project)
    body = trimesh.creation.box((30, 40, 120))
    (tmp_path / "tower.stl").write_bytes(body.export(file_type="stl"))

    def height():
        return float(np.ptp(window.work.bounds([by_name(window, "tower")]), axis=0)[1])

    drop(window, tmp_path / "tower.stl")
    answer(qtbot, window, "Add to this product")
    assert height() == pytest.approx(120, abs=1e-3)
    # The question's buttons are gone: what stands under the message belongs to it.
    assert [b.text() for b in window.notice.buttons] == ["Y is up", "Close"]
    assert all(b.isVisible() for b in window.notice.buttons)
    answer(qtbot, window, "Y is up")
    assert height() == pytest.approx(40, abs=1e-3)
    assert window.work.bounds([by_name(window, "tower")])[0, 1] == pytest.approx(0, abs=1e-3)
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert height() == pytest.approx(120, abs=1e-3)


@pytest.mark.long
def test_parts_are_unwrapped_and_their_coordinates_shown(lamp, qtbot):
    window, workshop = lamp, lamp.workshop
    card = window.product_board.uv_card
    base = by_name(window, "Base")
    workshop.select(base.id)
    assert workshop.assets.meshes[base.mesh].uv is None and "No UVs" in card.words.text()
    card.texel.setValue(0.5)
    QTest.mouseClick(card.unwrap_button, LEFT)
    qtbot.waitUntil(lambda: by_name(window, "Base").mesh != base.mesh, timeout=60_000)
    made = workshop.assets.meshes[by_name(window, "Base").mesh]
    assert made.uv is not None and len(made.triangles) == len(workshop.assets.meshes[base.mesh].triangles)
    assert workshop.history.undo_label == "Unwrap"
    picture_of(qtbot, window)
    ys, xs = np.nonzero(seen(window, base.id))
    spots = [pixel_place(window, y, x) for y, x in zip(ys[::7], xs[::7], strict=True)]
    rows, columns = np.array([spot.y() for spot in spots]), np.array([spot.x() for spot in spots])
    plain = grabbed(window.viewport)[rows, columns].mean(axis=1)
    card.view_box.setCurrentIndex(card.view_box.findData("checker"))
    squares = grabbed(window.viewport)[rows, columns].mean(axis=1)
    # Squares are lit by how they face, so they are told apart from the picture by how they change it.
    assert (np.abs(squares - plain) > 20).mean() > 0.4 and 0.25 < (squares < squares.mean()).mean() < 0.75
    window.stations.buttons()[1].click()
    assert window.viewport.uv_overlay.shown == ""  # the picture returns with the next station
    window.menus.find("UVs: checker, 5 mm").trigger()  # where the coordinates are looked at as any input is

    def share_of_squares():  # all but where handles of the station were drawn
        return (grabbed(window.viewport)[rows, columns].mean(axis=1) == squares).mean()

    assert share_of_squares() > 0.6
    window.menus.find("Render").trigger()
    assert share_of_squares() < 0.3


@pytest.mark.long
def test_parts_are_grouped_lined_up_and_moved_together(lamp, qtbot):
    window, work, workshop = lamp, lamp.work, lamp.workshop
    card, place = window.product_board.parts_card, window.product_board.place_card
    base, shade, glass = (by_name(window, name) for name in ("Base", "Shade", "Glass"))

    def click(part_id, modifiers=PLAIN):
        item = next(item for item in card._items() if item.data(0, PART) == part_id and item.data(0, ZONE) is None)
        where = card.tree.visualItemRect(item).center()
        QTest.mouseClick(card.tree.viewport(), LEFT, modifiers, where)

    # One is clicked in the list, another Ctrl-clicked; both are outlined and lined up by their middles.
    click(base.id)
    one = grabbed(window.viewport)
    click(shade.id, CONTROL)
    assert (workshop.selected, workshop.also_selected) == (base.id, (shade.id,))
    assert (np.abs(grabbed(window.viewport) - one).max(2) > 40).sum() > 100
    work.shift([shade], (7.0, 0, 3.0))
    next(a for a in place.align_menu().actions() if a.text() == "Centres, X").trigger()
    middles = [work.bounds([by_name(window, name)]).mean(0) for name in ("Base", "Shade")]
    assert middles[0][0] == pytest.approx(middles[1][0], abs=1e-3) and middles[1][2] != pytest.approx(middles[0][2])

    # They become a group, which is picked by its line and moves as one; the rest stays.
    QTest.mouseClick(card.group_button, LEFT)
    assert by_name(window, "Base").group == by_name(window, "Shade").group == "Base group"
    click(glass.id)
    heading = next(item for item in card._items() if item.data(0, GROUP) == "Base group")
    QTest.mouseClick(card.tree.viewport(), LEFT, PLAIN, card.tree.visualItemRect(heading).center())
    assert {workshop.selected, *workshop.also_selected} == {base.id, shade.id}
    before = {name: work.bounds([by_name(window, name)]) for name in ("Base", "Shade", "Glass")}
    place.middle[0].setValue(place.middle[0].value() + 12)
    place.middle[0].editingFinished.emit()
    for name, moved in (("Base", 12), ("Shade", 12), ("Glass", 0)):
        assert work.bounds([by_name(window, name)])[:, 0] == pytest.approx(before[name][:, 0] + moved, abs=0.02)
    heading = next(item for item in card._items() if item.data(0, GROUP) == "Base group")
    heading.setText(0, "Body")
    qtbot.waitUntil(lambda: by_name(window, "Base").group == "Body", timeout=5000)
    workshop.select_group("Body")
    QTest.mouseClick(card.group_button, LEFT)
    assert by_name(window, "Base").group is None
