"""The real window, by mouse and keyboard: what changes in the document and in the rendered pixels."""

from pathlib import Path

import numpy as np
import pytest
from driving import (
    CONTROL,
    LEFT,
    PLAIN,
    SHIFT,
    click_part,
    close_up_at,
    drag_slider,
    drag_swatch,
    grabbed,
    make_constant,
    picture_of,
    place_of,
    seen,
    shortcut,
)
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox

from mat_shelf.app.theme import DARK, LIGHT
from mat_shelf.optics.color import linear_from_hex, luminance
from mat_shelf.rendering.navigation import close_up_camera


@pytest.mark.on_screen
def test_the_whole_story(open_window, desk_set, plain_demo, qtbot, monkeypatch, tmp_path, library_folder):
    lacquer = desk_set[0].material("teal-lacquer")  # with its pattern
    window = open_window(plain_demo[0].with_material(lacquer), plain_demo[1], scale=0.42)
    workshop, board = window.workshop, window.board

    # They click the pen's barrel: it is outlined, and its material comes to the board.
    bare = grabbed(window.viewport)
    click_part(window, "barrel")
    assert workshop.selected == "barrel"
    changed = np.abs(grabbed(window.viewport) - bare).max(axis=2) > 40
    around = window.viewport.frame.first_hits.part == [p.id for p in workshop.project.product.parts].index("barrel")
    rect = window.viewport.picture_rect
    around = np.asarray(Image.fromarray(around).resize((rect.width(), rect.height()), Image.Resampling.NEAREST))
    offset = window.viewport.picture_rect.topLeft()
    ys, xs = np.nonzero(changed)
    box_y, box_x = np.nonzero(around)
    assert 200 < changed.sum() < 1.5 * around.sum()
    assert box_x.min() - 4 <= np.median(xs) - offset.x() <= box_x.max() + 4
    assert box_y.min() - 4 <= np.median(ys) - offset.y() <= box_y.max() + 4
    assert board.rows["coat_roughness"].number.text() == "0.05 – 0.12"
    assert board.rows["base_color"].text.text() == "#16635E"

    # They drag colour and roughness and see it at once.
    before = picture_of(qtbot, window)
    inside, wax = seen(window, "barrel"), seen(window, "wax-stick")
    make_constant(window, "coat_roughness")
    assert board.rows["coat_roughness"].number.text() == "0.05"
    drag_slider(board.rows["coat_roughness"].slider, 0.8)
    recipe = workshop.selected_material.recipe
    assert recipe.coat_roughness == pytest.approx(0.8, abs=0.02)
    rough = picture_of(qtbot, window)
    assert np.ptp(before[inside].mean(axis=1)) > np.ptp(rough[inside].mean(axis=1)) * 1.3  # the highlight is gone
    assert workshop.history.undo_label == "Coat roughness"

    QTest.mouseClick(board.rows["base_color"].bar, LEFT)
    popover = board.rows["base_color"].popover
    assert popover.isVisible()
    drag_slider(popover.sliders["Hue"], 30 / 360)
    popover.close()
    red = picture_of(qtbot, window)
    assert before[inside].mean(axis=0)[1] > before[inside].mean(axis=0)[0]
    assert red[inside].mean(axis=0)[0] > red[inside].mean(axis=0)[1] + 20
    assert np.abs(red[wax].astype(int).mean(axis=0) - before[wax].astype(int).mean(axis=0)).max() < 12

    # They drag "Satin steel" from the library onto the collar; it lights up before the drop.
    collar = seen(window, "collar")
    drag_swatch(window, monkeypatch, "Satin steel", "collar")
    assert workshop.project.part("collar").material == "satin-steel" and workshop.selected == "collar"
    point = place_of(window, "collar")
    assert np.abs(window.lit_before_drop[point.y(), point.x()] - bare[point.y(), point.x()]).max() > 8
    steel = picture_of(qtbot, window)
    steel_warmth, brass_warmth = (float(np.subtract(*p[collar].astype(int).mean(axis=0)[[0, 2]])) for p in (steel, red))
    assert brass_warmth > steel_warmth + 25

    # They undo: the collar, then the colour as one step, then the roughness as one step, then its pattern's end.
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert workshop.project.part("collar").material == "turned-brass"
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert workshop.project.material("teal-lacquer").recipe.coat_roughness == recipe.coat_roughness
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert workshop.project.material("teal-lacquer").recipe.coat_roughness == 0.05
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert not workshop.history.is_changed and workshop.history.undo_label is None
    undone = picture_of(qtbot, window)
    assert np.abs(undone[inside].astype(int).mean(axis=0) - before[inside].astype(int).mean(axis=0)).max() < 6
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL | SHIFT)
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL | SHIFT)
    assert workshop.project.material("teal-lacquer").recipe.coat_roughness == recipe.coat_roughness

    # They keep their tuned lacquer on the library under a name ...
    click_part(window, "barrel")
    shortcut(qtbot, window, Qt.Key.Key_K, CONTROL)
    assert board.header.save_popover.isVisible()
    board.header.save_popover.name.clear()
    QTest.keyClicks(board.header.save_popover.name, "Matt lacquer")
    QTest.keyClick(board.header.save_popover.name, Qt.Key.Key_Return)
    assert not board.header.save_popover.isVisible() and workshop.selected_material.name == "Matt lacquer"

    # ... save, render to PNG and EXR ...
    path = tmp_path / "mine.matshelf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    shortcut(qtbot, window, Qt.Key.Key_S, CONTROL)
    qtbot.waitUntil(lambda: not workshop.history.is_changed, timeout=30_000)
    assert path.exists()
    shortcut(qtbot, window, Qt.Key.Key_R, CONTROL)
    dialog = window.render_dialog
    for name in ("out.png", "out.exr"):
        dialog.fields.path_field.setText(str(tmp_path / name))
        dialog.fields.width_box.setValue(96)
        dialog.fields.height_box.setValue(64)
        dialog.fields.samples_box.setValue(4)
        QTest.mouseClick(dialog.start_button, LEFT)
        assert not dialog.start_button.isEnabled()
        qtbot.waitUntil(dialog.start_button.isEnabled, timeout=60_000)
        assert dialog.state.text() == f"Written to {tmp_path / name}"
    assert np.asarray(Image.open(tmp_path / "out.png")).shape == (64, 96, 3)
    assert (tmp_path / "out.exr").read_bytes()[:4] == bytes([0x76, 0x2F, 0x31, 0x01])  # OpenEXR's magic number
    saved = workshop.project
    window.close()

    # ... start again, and it is there; and they open what they saved.
    again = open_window()
    names = [again.library.model.data(again.library.model.index(i)) for i in range(again.library.model.rowCount())]
    assert "Matt lacquer" in names
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(path), ""))
    shortcut(qtbot, again, Qt.Key.Key_O, CONTROL)
    qtbot.waitUntil(lambda: again.workshop.path == path, timeout=30_000)
    assert again.workshop.project == saved
    opened = picture_of(qtbot, again)
    barrel = seen(again, "barrel")
    assert np.ptp(opened[barrel].mean(axis=1)) < np.ptp(before[inside].mean(axis=1)) / 1.3


@pytest.mark.on_screen
def test_by_keyboard_alone(open_window, qtbot):
    window = open_window()
    workshop = window.workshop
    window.viewport.setFocus()
    QTest.keyClick(window.viewport, Qt.Key.Key_PageDown)
    assert workshop.selected == workshop.project.product.parts[0].id
    QTest.keyClick(window.viewport, Qt.Key.Key_PageUp)
    assert workshop.selected == workshop.project.product.parts[-1].id
    slider = window.board.rows["specular_roughness"].slider
    before = workshop.selected_material.recipe.specular_roughness
    slider.setFocus()
    for _ in range(3):
        QTest.keyClick(slider, Qt.Key.Key_Right)
    assert workshop.selected_material.recipe.specular_roughness == pytest.approx(before + 0.03, abs=1e-3)
    number = window.board.rows["transmission_depth"].number
    number.setFocus()
    number.selectAll()
    QTest.keyClicks(number, "12,5")
    QTest.keyClick(number, Qt.Key.Key_Return)
    assert workshop.selected_material.recipe.transmission_depth == 12.5
    shortcut(qtbot, window, Qt.Key.Key_F, CONTROL)
    QTest.keyClicks(window.library.search, "brass")
    assert window.library.model.rowCount() == 3  # the family, and two of it
    window.library.list.setFocus()
    window.library.list.setCurrentIndex(window.library.model.index(1))
    QTest.keyClick(window.library.list, Qt.Key.Key_Return)
    assert workshop.selected_material.name.startswith("Polished brass")
    QTest.keyClick(window.viewport, Qt.Key.Key_Escape)
    assert workshop.selected is None


def test_bad_input_is_told_and_changes_nothing(open_window, qtbot, tmp_path, monkeypatch):
    window = open_window()
    workshop = window.workshop
    workshop.select("barrel")
    project = workshop.project

    def refused(says: str) -> None:
        assert window.notice.isVisible() and says in window.notice.text.text()
        assert workshop.project is project
        window.notice.hide()

    for row, text, says in (
        ("specular_roughness", "7", "Specular roughness must be a number from 0 to 1."),
        ("specular_ior", "glass", "IOR must be a number from 1 to 3."),
    ):
        number = window.board.rows[row].number
        shown = number.text()
        number.setFocus()
        number.selectAll()
        QTest.keyClicks(number, text)
        QTest.keyClick(number, Qt.Key.Key_Return)
        refused(says)
        assert number.text() == shown
    text = window.board.rows["base_color"].text
    text.setFocus()
    text.selectAll()
    QTest.keyClicks(text, "teal")
    QTest.keyClick(text, Qt.Key.Key_Return)
    refused("is no colour; write six hexadecimal digits")

    broken = tmp_path / "broken.matshelf"
    broken.write_bytes(b"PK\x03\x04 and then nothing")
    workshop.open(broken)
    refused("Not opened: broken.matshelf is no Mat Shelf project, or it is damaged")
    workshop.save(Path("/proc/desk.matshelf"))
    refused("choose another folder")
    workshop.save_swatch("Teal lacquer", "Lacquer")
    refused("already has a swatch called 'Teal lacquer'")

    window.open_render()
    dialog = window.render_dialog
    dialog.fields.path_field.setText("/nowhere/out.png")
    QTest.mouseClick(dialog.start_button, LEFT)
    assert "does not exist" in dialog.state.text() and dialog.start_button.isEnabled()
    dialog.fields.path_field.setText(str(tmp_path / "out.gif"))
    QTest.mouseClick(dialog.start_button, LEFT)
    assert "must end in" in dialog.state.text()

    window.viewport.setFocus()
    workshop.edit("Rename", project.with_(name="Changed"))
    monkeypatch.setattr(QMessageBox, "question", lambda *a: QMessageBox.StandardButton.Cancel)
    assert not window.close() and window.isVisible()


@pytest.mark.long
def test_a_render_can_be_cancelled(open_window, small_project, qtbot, tmp_path):
    window = open_window(*small_project)
    window.open_render()
    dialog = window.render_dialog
    dialog.fields.path_field.setText(str(tmp_path / "long.png"))
    dialog.fields.samples_box.setValue(5000)
    dialog.fields.width_box.setValue(480)
    dialog.fields.height_box.setValue(320)
    QTest.mouseClick(dialog.start_button, LEFT)
    qtbot.waitUntil(lambda: dialog.bar.value() > 0, timeout=60_000)
    assert "left" in dialog.state.text()
    QTest.mouseClick(dialog.cancel_button, LEFT)
    qtbot.waitUntil(dialog.start_button.isEnabled, timeout=60_000)
    assert dialog.state.text() == "Cancelled; nothing was written." and not (tmp_path / "long.png").exists()


@pytest.mark.on_screen
def test_while_a_value_is_dragged_pictures_follow(open_window, qtbot):
    """While a value is dragged coarse pictures follow, and the last one shows the last value."""
    window = open_window()
    workshop = window.workshop
    workshop.select("wax-stick")
    coarse = []
    window.wall._worker.frame_ready.connect(lambda _, frame: coarse.append(frame) if frame.is_coarse else None)
    for k in range(600):  # as long as it takes on a busy machine
        green = 0.02 + 0.02 * min(k, 29)
        window.board.rows["subsurface_color"].binding.set((0.02, green, 0.02 + 0.00001 * k), gesture="drag")
        QTest.qWait(40)
        if k >= 30 and len(coarse) >= 3:
            break
    assert len(coarse) >= 3
    picture = picture_of(qtbot, window)
    mean = picture[seen(window, "wax-stick")].mean(axis=0)
    assert mean[1] > 2 * mean[0]
    assert workshop.history.undo_label == "Subsurface colour"
    workshop.undo()
    assert not workshop.history.is_changed


@pytest.mark.on_screen
@pytest.mark.long
def test_cameras_and_sets(open_window, qtbot, monkeypatch):
    """They orbit, frame, keep named views, set the lens and click what is sharp, switch sets and turn the light."""
    window = open_window(scale=1.0)
    workshop, viewport, board = window.workshop, window.viewport, window.set_board
    start = picture_of(qtbot, window)
    final = workshop.project.view.camera

    # A drag goes round the product with a free camera; the final view stays, and nothing is there to undo.
    viewport_middle = viewport.rect().center()
    QTest.mousePress(viewport, LEFT, PLAIN, viewport_middle)
    for k in range(1, 9):
        QTest.mouseMove(viewport, viewport_middle + QPoint(12 * k, -3 * k))
        QTest.qWait(10)
    QTest.mouseRelease(viewport, LEFT, PLAIN, viewport_middle + QPoint(96, -24))
    assert workshop.free_camera is not None and workshop.selected is None
    away = [np.linalg.norm(np.subtract(c.position, c.target)) for c in (final, workshop.camera)]
    assert away[0] == pytest.approx(away[1], rel=1e-4) and workshop.camera.position != final.position
    assert workshop.project.view.camera == final and workshop.history.undo_label is None
    turned = picture_of(qtbot, window)
    assert np.abs(turned.astype(int) - start).mean() > 3
    QTest.keyClick(viewport, Qt.Key.Key_Home)
    assert workshop.free_camera is None
    assert np.abs(picture_of(qtbot, window).astype(int) - start).mean() < 2

    # F fills the view with the selected piece; it can be kept as a view with a name.
    share = seen(window, "collar").mean()
    click_part(window, "collar")
    QTest.keyClick(viewport, Qt.Key.Key_F)
    picture_of(qtbot, window)
    assert seen(window, "collar").mean() > 5 * share
    QTest.mouseClick(window.stations.buttons()[4], LEFT)
    assert board.isVisible() and not window.board.isVisible()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a: ("Collar", True))
    QTest.mouseClick(board.keep_view_button, LEFT)
    assert [v.name for v in workshop.project.views] == ["Final", "Nib", "Bottle", "Cold", "Collar"]
    assert workshop.project.view.name == "Collar" and workshop.free_camera is None

    # A longer lens sees less of it; one step of history for the drag.
    narrow = workshop.project.view.camera.focal_length
    drag_slider(board.camera_card.rows["focal_length"].slider, 0.95)
    assert workshop.project.view.camera.focal_length > narrow * 1.5
    assert workshop.history.undo_label == "Focal length"

    # Click to focus takes the distance of what was clicked.
    workshop.look_through("final")
    picture_of(qtbot, window)
    QTest.mouseClick(board.camera_card.focus_button, LEFT)
    click_part(window, "wax-stick")
    assert not board.camera_card.focus_button.isChecked() and workshop.selected == "collar"
    camera = workshop.project.view.camera
    stick = workshop.assets.meshes[workshop.project.part("wax-stick").mesh].bounds
    forward = np.subtract(camera.target, camera.position)
    forward = forward / np.linalg.norm(forward)
    corners = [(x, y, z) for x in stick[:, 0] for y in stick[:, 1] for z in stick[:, 2]]
    depths = [np.dot(np.subtract(c, camera.position), forward) for c in corners]
    assert min(depths) <= camera.focus <= max(depths)

    # While exploring, the focus is still that of the view's own camera, and the lens changes what is seen.
    QTest.keyClick(viewport, Qt.Key.Key_Home)
    viewport.frame_part("wax-stick")
    picture_of(qtbot, window)
    QTest.mouseClick(board.camera_card.focus_button, LEFT)
    click_part(window, "wax-stick")
    assert min(depths) <= workshop.project.view.camera.focus <= max(depths)
    drag_slider(board.camera_card.rows["focal_length"].slider, 0.9)
    assert workshop.free_camera.focal_length == workshop.project.view.camera.focal_length > 200
    workshop.undo()
    workshop.explore(None)

    # Another set is another picture; turning and exposing it too.
    bright = picture_of(qtbot, window)
    ids = [studio.id for studio in window.workshop.project.sets]
    board.sets_card.list.setCurrentRow(ids.index("rim-and-fill"))
    assert workshop.project.set.name == "Rim and fill"
    dark = picture_of(qtbot, window)
    assert dark.mean() < bright.mean() / 2
    drag_slider(board.surround_card.rows["exposure"].slider, 0.75)
    assert workshop.project.set.exposure == pytest.approx(2, abs=0.15)
    assert picture_of(qtbot, window).mean() > dark.mean() * 1.4
    lit = picture_of(qtbot, window)
    drag_slider(board.surround_card.rows["turn"].slider, 1.0)
    assert np.abs(picture_of(qtbot, window).astype(int) - lit).mean() > 4
    for _ in range(20):
        workshop.undo()
    assert workshop.project.view.camera == final and workshop.project.set.name == "Side window"


@pytest.mark.long
def test_the_close_up_shows_millimetres_of_its_point(open_window, qtbot):
    window = open_window(scale=1.0)
    workshop, close_up = window.workshop, window.wall.close_up
    spot = place_of(window, "collar")
    close_up_at(window, spot)
    collar = workshop.assets.meshes[workshop.project.part("collar").mesh]
    distances = np.linalg.norm(collar.vertices - np.array(workshop.close_up_point), axis=1)
    assert distances.min() < 1.0  # mm: on the collar's surface, to its vertices' spacing and a pixel

    def shown():
        frame = close_up.frame
        return frame is not None and frame.revision == close_up.revision and frame.samples >= 2

    qtbot.waitUntil(shown, timeout=60_000)
    ids = [part.id for part in workshop.project.product.parts]
    middle = close_up.frame.first_hits.part.shape[0] // 2
    assert close_up.frame.first_hits.part[middle, middle] == ids.index("collar")

    def width_seen(frame) -> float:
        """mm across the close-up, from the focal length and the distance it was taken from."""
        return float(np.median(frame.first_hits.depth[middle, middle])) * 36 / focal

    focal = close_up_camera(workshop.camera, workshop.close_up_point, workshop.close_up_width).focal_length
    assert width_seen(close_up.frame) == pytest.approx(12, rel=0.02)
    share = (close_up.frame.first_hits.part == ids.index("collar")).mean()
    workshop.set_close_up_width(3)
    qtbot.waitUntil(shown, timeout=60_000)
    assert (close_up.frame.first_hits.part == ids.index("collar")).mean() > share
    # It follows the material: brass to steel.
    brass = close_up.frame.pixels.astype(int).mean(axis=(0, 1))
    workshop.wear("collar", "satin-steel")
    qtbot.waitUntil(shown, timeout=60_000)
    steel = close_up.frame.pixels.astype(int).mean(axis=(0, 1))
    assert (brass[0] - brass[2]) > (steel[0] - steel[2]) + 20


@pytest.mark.on_screen
def test_light_and_dark(open_window, qtbot):
    """The dark look changes the panels at once, not the picture; words stay at 4.5 : 1 or more (WCAG 2.1)."""
    window = open_window()
    picture_of(qtbot, window)
    light = grabbed(window)
    window.menus.find("Dark look").trigger()
    dark = grabbed(window)
    window.menus.find("Dark look").trigger()
    assert light[-3, 3].min() > 200 and dark[-3, 3].max() < 70
    rect = window.viewport.picture_rect
    corner = window.viewport.mapTo(window, rect.center())
    assert (light[corner.y(), corner.x()] == dark[corner.y(), corner.x()]).all()

    def contrast(a: str, b: str) -> float:
        high, low = sorted((float(luminance(linear_from_hex(c))) for c in (a, b)), reverse=True)
        return (high + 0.05) / (low + 0.05)

    for look in (LIGHT, DARK):
        for words, ground in (
            (look.text, look.panel),
            (look.quiet, look.panel),
            (look.quiet, look.card),
            (look.on_accent, look.accent),
        ):
            assert contrast(words, ground) >= 4.5, (words, ground)


@pytest.mark.long
def test_a_reference_beside_and_against_the_render(open_window, qtbot, tmp_path):
    window = open_window()
    workshop, viewport, pane = window.workshop, window.viewport, window.wall.reference
    picture_of(qtbot, window)
    photo = tmp_path / "photo.png"
    pixels = np.zeros((80, 120, 3), np.uint8)
    pixels[:, :60], pixels[:, 60:] = (200, 30, 40), (20, 60, 190)
    Image.fromarray(pixels).save(photo)
    QTest.keyClick(viewport, Qt.Key.Key_W)
    assert "no reference" in window.notice.text.text() and viewport.wipe.share is None

    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(photo))])
    middle = QPointF(pane.width() / 2, pane.height() / 2)
    enter = QDragEnterEvent(middle.toPoint(), Qt.DropAction.CopyAction, data, LEFT, PLAIN)
    QApplication.sendEvent(pane, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(pane, QDropEvent(middle, Qt.DropAction.CopyAction, data, LEFT, PLAIN))
    qtbot.waitUntil(lambda: workshop.project.reference is not None, timeout=30_000)
    assert workshop.project.reference.name == "photo.png"
    shown = grabbed(pane)
    left = pane.width() // 2 - 20
    assert shown[pane.height() // 2, left] == pytest.approx([200, 30, 40], abs=3)
    # CIELAB of that red by the CIE formula: about L 43, a 63, b 37 (from memory of public converters).
    assert pane.color_at(QPointF(left, pane.height() / 2)) == pytest.approx((43, 63, 37), abs=3)

    # The wipe: the reference left of the line, the render right of it; the line can be dragged.
    rect = viewport.picture_rect
    bare = grabbed(viewport)
    QTest.keyClick(viewport, Qt.Key.Key_W)
    wiped = grabbed(viewport)
    y = rect.center().y()
    assert wiped[y, rect.x() + 60] == pytest.approx([200, 30, 40], abs=3)
    assert np.abs(wiped[y, rect.right() - 60] - bare[y, rect.right() - 60]).max() < 4
    line = QPoint(rect.x() + rect.width() // 2, y)
    QTest.mousePress(viewport, LEFT, PLAIN, line)
    QTest.mouseMove(viewport, QPoint(rect.right() - 20, y))
    QTest.mouseRelease(viewport, LEFT, PLAIN, QPoint(rect.right() - 20, y))
    assert viewport.wipe.share > 0.9 and workshop.free_camera is None
    assert grabbed(viewport)[y, rect.right() - 60] == pytest.approx([20, 60, 190], abs=3)

    # It is kept with the project, and can be taken away and brought back.
    path = tmp_path / "with.matshelf"
    assert workshop.save(path) and workshop.open(path)
    assert workshop.project.reference.name == "photo.png" and pane.image.width() == 120
    pane.setFocus()
    QTest.keyClick(pane, Qt.Key.Key_Delete)
    assert workshop.project.reference is None and pane.image is None and viewport.wipe.share is None
    workshop.undo()
    assert pane.image is not None
    broken = tmp_path / "broken.jpg"
    broken.write_bytes(b"\xff\xd8\xff\xe0 not much of a picture")
    workshop.set_reference(broken)
    qtbot.waitUntil(lambda: "broken.jpg cannot be a reference" in window.notice.text.text(), timeout=30_000)
    assert workshop.project.reference.name == "photo.png"


@pytest.mark.long
def test_snapshots_are_flipped_between(open_window, qtbot):
    window = open_window()
    workshop, viewport = window.workshop, window.viewport
    picture_of(qtbot, window)
    spot = place_of(window, "wax-stick")
    QTest.keyClick(viewport, Qt.Key.Key_B)
    assert "no snapshot B yet" in window.notice.text.text() and viewport.snapshots.shown is None
    QTest.keyClick(viewport, Qt.Key.Key_A, Qt.KeyboardModifier.AltModifier)
    workshop.wear("wax-stick", "polished-brass")
    workshop.select(None)
    picture_of(qtbot, window)
    QTest.keyClick(viewport, Qt.Key.Key_B, Qt.KeyboardModifier.AltModifier)
    now = grabbed(viewport)[spot.y(), spot.x()]
    QTest.keyClick(viewport, Qt.Key.Key_A)
    a = grabbed(viewport)[spot.y(), spot.x()]
    QTest.keyClick(viewport, Qt.Key.Key_B)
    b = grabbed(viewport)[spot.y(), spot.x()]
    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert viewport.snapshots.shown is None
    assert a[0] > 2 * a[1] and np.abs(b - now).max() < 12 and np.abs(a - b).max() > 40
    QTest.keyClick(viewport, Qt.Key.Key_A)
    workshop.undo()  # an edit shows the render again
    assert viewport.snapshots.shown is None
