"""Proof sheets and compared pictures in the real window."""

import numpy as np
import pypdfium2
import pytest
from driving import LEFT, picture_of
from PIL import Image
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from mat_shelf.app.hand_over.shots_card import MORE
from mat_shelf.app.widgets.file_job_dialog import numbered_files


def tick(ticks, *names):
    """Ticks just these."""
    for row in range(ticks.count()):
        item = ticks.item(row)
        item.setCheckState(Qt.CheckState.Checked if item.text() in names else Qt.CheckState.Unchecked)


def test_a_sheet_is_chosen_made_and_cancelled(open_window, small_project, qtbot, tmp_path):
    window = open_window(*small_project)
    window.stations.show(window.hand_over_board)
    menu = window.hand_over_board.shots_card.more_button.menu()
    assert [action.text() for action in menu.actions()] == list(MORE.values())
    menu.actions()[1].trigger()
    dialog = window.dialogs.open_sheet()
    assert dialog.isVisible() and dialog.state.text() == "1 picture."
    sets = [dialog.sets.item(row).text() for row in range(2)]
    tick(dialog.sets, *sets)
    tick(dialog.shapes, "Sphere", "Slab with steps")
    assert dialog.state.text() == "4 pictures."
    tick(dialog.materials)
    QTest.mouseClick(dialog.start_button, LEFT)
    assert "at least one material" in dialog.state.text()
    QTest.mouseClick(dialog.all_button, LEFT)
    dialog.dpi_box.setValue(50)
    dialog.samples_box.setValue(2)
    QTest.keyClicks(dialog.title_field, "Two lights")
    dialog.path_field.setText(str(tmp_path / "sheet.pdf"))
    QTest.mouseClick(dialog.start_button, LEFT)
    qtbot.waitUntil(lambda: dialog.state.text().startswith("Written"), timeout=60_000)
    words = pypdfium2.PdfDocument(tmp_path / "sheet.pdf")[0].get_textpage().get_text_range()
    assert all(name in words for name in ("Two lights", "Red", "Sphere", "Slab with steps", *sets))
    assert dialog.open_button.isEnabled()
    written = (tmp_path / "sheet.pdf").stat().st_mtime_ns
    QTest.mouseClick(dialog.start_button, LEFT)
    assert "there already; press Make sheet again" in dialog.state.text()
    assert (tmp_path / "sheet.pdf").stat().st_mtime_ns == written and dialog.start_button.isEnabled()
    dialog.close()
    assert window.dialogs.open_sheet().sets.ticked() == [each.id for each in window.workshop.project.sets[:2]]

    dialog.kind_box.setCurrentIndex(1)
    dialog.kind_box.activated.emit(1)
    assert not dialog.shapes.isEnabled() and dialog.state.text() == "2 pictures."
    dialog.samples_box.setValue(5000)
    dialog.path_field.setText(str(tmp_path / "long.pdf"))
    QTest.mouseClick(dialog.start_button, LEFT)
    QTest.mouseClick(dialog.cancel_button, LEFT)
    qtbot.waitUntil(lambda: dialog.state.text().startswith("Cancelled"), timeout=30_000)
    assert not (tmp_path / "long.pdf").exists() and dialog.start_button.isEnabled()
    dialog.kind_box.setCurrentIndex(2)
    dialog.kind_box.activated.emit(2)
    assert dialog.variants.isVisible() and not dialog.shapes.isVisible() and not dialog.materials.isEnabled()


@pytest.mark.long
def test_what_an_edit_changed_is_seen_as_a_map(open_window, small_project, qtbot, tmp_path, monkeypatch):
    window = open_window(*small_project)
    before = picture_of(qtbot, window)
    window.viewport.snapshots.take("A")
    red = window.workshop.project.material("red")
    blue = red.with_(recipe=red.recipe.with_(base_color=(0.05, 0.1, 0.6)))
    window.workshop.edit("Blue", window.workshop.project.with_material(blue))
    picture_of(qtbot, window)
    dialog = window.dialogs.open_difference()
    qtbot.waitUntil(lambda: dialog.difference is not None, timeout=20_000)
    assert dialog.boxes[0].currentText() == "Snapshot A" and "FLIP" in dialog.numbers.text()
    colors = dialog.difference.colors
    assert colors.shape == before.shape[:2]
    wore = (before[..., 0].astype(int) > 1.5 * before[..., 1]) & (before[..., 0] > 60)
    assert colors[wore].mean() > 20 > 10 * np.median(colors[:8])
    shown = np.frombuffer(dialog.picture._pixels, np.uint8).reshape(*colors.shape, 3)
    assert shown[wore].mean() > shown[:8].mean() + 60

    place = np.argwhere(wore)[wore.sum() // 2]
    room = dialog.picture._room()
    spot = [room.x() + (place[1] + 0.5) / colors.shape[1] * room.width()]
    spot.append(room.y() + (place[0] + 0.5) / colors.shape[0] * room.height())
    none, plain = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier  # both windows lie at one place off screen
    at = QPointF(*(float(each) for each in spot))
    QApplication.sendEvent(dialog.picture, QMouseEvent(QEvent.Type.MouseMove, at, at, none, none, plain))
    qtbot.waitUntil(lambda: dialog.value.text() != "", timeout=3000)
    assert float(dialog.value.text().split("CIEDE2000")[1].split()[0]) > 10

    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "map.png"), ""))
    QTest.mouseClick(dialog.save_button, LEFT)
    assert (np.asarray(Image.open(tmp_path / "map.png")) == shown).all()
    dialog.shown_box.setCurrentIndex(0)
    assert not dialog.save_button.isEnabled()

    Image.fromarray(before[:, ::-1]).save(tmp_path / "mirrored.png")
    (tmp_path / "broken.png").write_bytes(b"\x89PNG\r\n\x1a\n")
    for name, words in (("mirrored.png", "Colour difference"), ("broken.png", "broken.png")):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        dialog.boxes[0].setCurrentText("A file…")
        dialog.boxes[0].activated.emit(dialog.boxes[0].currentIndex())
        assert dialog.boxes[0].currentText() == name
        qtbot.waitUntil(lambda words=words: words.lower() in dialog.numbers.text().lower(), timeout=20_000)
    assert dialog.difference is None
    dialog.close_thread()


def test_numbered_images_are_in_the_way_of_images_only(tmp_path):
    for name in ("Turn-001.png", "Turn-1 of mine.txt", "Other-001.png"):
        (tmp_path / name).touch()
    assert numbered_files(tmp_path / "Turn.mp4") == [tmp_path / "Turn.mp4"]
    assert numbered_files(tmp_path / "Turn.png") == [tmp_path / "Turn.png", tmp_path / "Turn-001.png"]
