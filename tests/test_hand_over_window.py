"""The Hand over station in the real window: shots, their queue, and the finish on the picture."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, click_part, drag_slider, picture_of, seen
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QMessageBox

from mat_shelf.app.hand_over.add_shots_dialog import AddShotsDialog
from mat_shelf.commands.hand_over import SIZES
from mat_shelf.exchange import checkpoint


@pytest.fixture
def station(open_window, qtbot, tmp_path, monkeypatch):
    """A window at the station, whose shots go to a folder of their own."""
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "films")
    window = open_window()
    window.stations.show(window.hand_over_board)
    for name in ("Shot", "Finish"):  # which the narrow window of tests has folded away
        if not window.hand_over_board.row.folds[name].card.isVisible():
            QTest.mouseClick(window.hand_over_board.row.folds[name].tab, LEFT)
    window.hand_over_board.run.set_folder(tmp_path)
    return window


def test_shots_are_added_rendered_paused_and_done(station, qtbot, tmp_path, monkeypatch):
    window, board, work = station, station.hand_over_board, station.hand_over
    card, run = board.shots_card, board.run
    assert not card.start_button.isEnabled()
    QTest.mouseClick(card.add_button, LEFT)
    dialog = card.findChild(AddShotsDialog)
    for row in range(dialog.views.count()):
        dialog.views.item(row).setCheckState(Qt.CheckState.Checked)
    dialog.size_box.setCurrentIndex(dialog.size_box.findData(SIZES["Proof"]))
    dialog.ground_box.setCurrentIndex(dialog.ground_box.findData("white"))
    views = [view.name for view in work.project.views]
    assert dialog.count.text() == f"{len(views)} shots"
    QTest.mouseClick(dialog.confirm, LEFT)
    assert [shot.name for shot in work.shots] == views and card.list.count() == len(views)
    place = card.list.visualItemRect(card.list.item(0)).center()
    QTest.mouseClick(card.list.viewport(), LEFT, PLAIN, place)
    assert board.shot_card.isVisible() and board.shot_card.name_field.text() == views[0]
    for box, value in ((board.shot_card.width_box, 90), (board.shot_card.height_box, 60)):
        box.lineEdit().selectAll()
        QTest.keyClicks(box.lineEdit(), str(value))
        QTest.keyClick(box.lineEdit(), Qt.Key.Key_Return)
    board.shot_card.samples_box.setValue(2)
    assert (work.shots[0].width, work.shots[0].height, work.shots[0].samples) == (90, 60, 2)
    for row in range(1, card.list.count()):
        card.list.item(row).setCheckState(Qt.CheckState.Unchecked)
    assert [shot.is_on for shot in work.shots] == [True] + [False] * (len(views) - 1)

    (tmp_path / f"{views[0]}.png").write_bytes(b"not of these shots")
    asked = []
    answers = iter((QMessageBox.StandardButton.No, QMessageBox.StandardButton.Yes))
    monkeypatch.setattr(QMessageBox, "question", lambda *a: asked.append(a[2]) or next(answers))
    QTest.mouseClick(card.start_button, LEFT)
    assert views[0] in asked[0] and not run.runs
    QTest.mouseClick(card.start_button, LEFT)
    assert run.runs and card.start_button.text() == "Pause"
    revision = window.viewport.revision
    window.workshop.use_set(window.workshop.project.sets[1].id)  # the window is of use meanwhile
    qtbot.waitUntil(lambda: window.viewport.frame.revision > revision, timeout=60_000)
    qtbot.waitUntil(lambda: not run.runs, timeout=120_000)
    assert run.state(work.shots[0]).kind == "done" and "done" in card.list.item(0).text()
    made = np.asarray(Image.open(tmp_path / f"{views[0]}.png"))
    assert made.shape == (60, 90, 3) and (made[0, 0] == 255).all()
    assert [path.name for path in tmp_path.glob("*.png")] == [f"{views[0]}.png"]

    board.shot_card.samples_box.setValue(4000)
    QTest.mouseClick(card.start_button, LEFT)
    qtbot.waitUntil(
        lambda: run.state(work.shots[0]).kind == "renders" and run.state(work.shots[0]).samples > 3, timeout=60_000
    )
    QTest.mouseClick(card.start_button, LEFT)
    qtbot.waitUntil(lambda: not run.runs and run.state(work.shots[0]).kind == "stopped", timeout=60_000)
    assert run.state(work.shots[0]).samples > 3 and "kept" in card.list.item(0).text()
    count = len(work.shots)
    QTest.mouseClick(card.remove_button, LEFT)
    assert len(work.shots) == count - 1
    window.workshop.undo()
    assert len(work.shots) == count


def test_what_cannot_be_written_is_said_on_the_card(station, qtbot):
    work, board = station.hand_over, station.hand_over_board
    work.add_shots(size=(60, 40, 72.0), samples=1, kind="png")
    work.set_pattern("{shot} {nonsense}")
    QTest.mouseClick(board.shots_card.start_button, LEFT)
    qtbot.waitUntil(lambda: not board.run.runs and "nonsense" in board.shots_card.words.text(), timeout=30_000)
    work.set_pattern("{shot}")
    board.shot_card.kind_box.setCurrentIndex(board.shot_card.kind_box.findData("jpg"))
    board.shot_card.kind_box.activated.emit(board.shot_card.kind_box.currentIndex())
    board.shot_card.ground_box.setCurrentIndex(board.shot_card.ground_box.findData("transparent"))
    board.shot_card.ground_box.activated.emit(board.shot_card.ground_box.currentIndex())
    assert (work.shot.kind, work.shot.background) == ("png", "transparent")


def test_the_finish_shows_at_once_and_only_where_it_should(station, qtbot):
    window, card, work = station, station.hand_over_board.finish_card, station.hand_over
    before = picture_of(qtbot, window).astype(int)
    tray = seen(window, "tray")
    click_part(window, "tray")
    card.menu.aboutToShow.emit()
    card.menu.actions()[0].trigger()
    assert work.masked.target == "tray" and card.mask_box.currentText() == work.project.part("tray").name
    counts = window.viewport.frame.samples
    drag_slider(card.rows["exposure"].slider, 0.85)
    after = picture_of(qtbot, window).astype(int)
    assert 1.2 < work.adjustment.exposure < 1.6 and window.viewport.frame.samples >= counts
    assert (after[tray] - before[tray]).mean() > 20
    wax = seen(window, "wax-red") if "wax-red" in [p.id for p in work.project.product.parts] else seen(window, "bottle")
    assert abs(after[wax] - before[wax]).mean() < 2
    QTest.mouseClick(card.on_box, LEFT, PLAIN, QPoint(8, card.on_box.height() // 2))
    assert abs(picture_of(qtbot, window).astype(int)[tray] - before[tray]).mean() < 2
    QTest.mouseClick(card.on_box, LEFT, PLAIN, QPoint(8, card.on_box.height() // 2))
    QTest.mouseClick(card.compare_button, LEFT)
    qtbot.waitUntil(lambda: window.viewport.frame.as_rendered is not None, timeout=60_000)
    split, rect = window.viewport.finish_split, window.viewport.picture_rect
    assert abs(window.viewport.frame.as_rendered.astype(int) - before)[tray].mean() < 2
    shown = window.viewport.grab().toImage()
    middle = QPoint(rect.center().x(), rect.center().y())
    QTest.mousePress(window.viewport, LEFT, PLAIN, middle)
    QTest.mouseMove(window.viewport, QPoint(rect.left() + rect.width() // 4, rect.center().y()))
    QTest.mouseRelease(window.viewport, LEFT, PLAIN, QPoint(rect.left() + rect.width() // 4, rect.center().y()))
    assert split.share == pytest.approx(0.25, abs=0.02) and window.viewport.grab().toImage() != shown
    window.stations.show(window.set_board)
    assert split.share is None and not card.compare_button.isChecked()
    for _ in range(3):  # off and on, and the drag
        window.workshop.undo()
    assert work.finish.masked[0].adjustment.exposure == 0


def test_tones_are_adjusted_alone_and_looks_kept(station, qtbot, monkeypatch):
    window, card, work = station, station.hand_over_board.finish_card, station.hand_over
    before = picture_of(qtbot, window).astype(int)
    card.menu.aboutToShow.emit()
    tones = next(action.menu() for action in card.menu.actions() if action.text() == "Tones")
    next(action for action in tones.actions() if action.text() == "Shadows").trigger()
    assert card.mask_box.currentText() == "Shadows" and work.masked.target == "shadows"
    drag_slider(card.rows["exposure"].slider, 0.95)
    after = picture_of(qtbot, window).astype(int)
    dark, bright = before.max(axis=2) < 50, before.min(axis=2) > 170
    assert (after[dark] - before[dark]).mean() > 15 and abs(after[bright] - before[bright]).max() <= 1

    work.choose_adjustment("")
    card_of_curve = station.hand_over_board.row.folds["Curve"]
    if not card_of_curve.card.isVisible():
        QTest.mouseClick(card_of_curve.tab, LEFT)
    curve = station.hand_over_board.curve_card.curve
    middle = curve.rect().center()
    QTest.mousePress(curve, LEFT, PLAIN, middle)
    QTest.mouseMove(curve, middle - QPoint(0, 14))
    QTest.mouseMove(curve, middle - QPoint(0, 20))
    QTest.mouseRelease(curve, LEFT, PLAIN, middle - QPoint(0, 20))
    assert work.finish.whole.curve[1][1] > 0.65
    lifted = picture_of(qtbot, window).astype(int)
    grey = (before.min(axis=2) > 90) & (before.max(axis=2) < 160)
    assert (lifted[grey] - after[grey]).mean() > 12
    QTest.mouseClick(station.hand_over_board.curve_card.reset_button, LEFT)
    assert abs(picture_of(qtbot, window).astype(int) - after).mean() < 0.5
    work.choose_adjustment(work.finish.masked[0].id)

    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("Open shadows", True))
    card.looks.aboutToShow.emit()
    next(each for each in card.looks.actions() if each.text().startswith("Save this finish as a look")).trigger()
    assert [path.stem for path in work.kept_looks()] == ["Open shadows"]
    click_part(window, "tray")
    work.add_masked("part", "tray")
    work.reset_adjustment()
    work.choose_adjustment(work.finish.masked[0].id)
    work.remove_masked()
    assert [each.kind for each in work.finish.masked] == ["part"]
    card.looks.aboutToShow.emit()
    card.looks.actions()[0].trigger()
    assert [each.kind for each in work.finish.masked] == ["part", "tones"]
    again = picture_of(qtbot, window).astype(int)
    assert abs(again - after).mean() < 1
    window.workshop.undo()
    assert [each.kind for each in work.finish.masked] == ["part"]
    work.kept_looks()[0].write_bytes(b"{}")
    said = []
    window.workshop.said.connect(said.append)
    work.apply_look(work.kept_looks()[0])
    assert "Open shadows" in said[-1] and [each.kind for each in work.finish.masked] == ["part"]
    work.forget_look(work.kept_looks()[0])
    assert work.kept_looks() == []


@pytest.mark.long
def test_workers_render_shots_and_say_what_they_cannot(station, scheduler, qtbot, tmp_path):
    window, board, work = station, station.hand_over_board, station.hand_over
    dialog = window.dialogs.open_workers()
    assert dialog.alone.isChecked() and not dialog.count_box.isEnabled()
    QTest.mouseClick(dialog.remote, LEFT, PLAIN, QPoint(8, dialog.remote.height() // 2))
    QTest.keyClicks(dialog.address_field, "tcp://10.0.0.7:8786")
    dialog._confirm()
    assert dialog.isVisible() and "tls://" in dialog.state.text()
    QTest.mouseClick(dialog.local, LEFT, PLAIN, QPoint(8, dialog.local.height() // 2))
    dialog.count_box.setValue(1)
    dialog._confirm()
    assert not dialog.isVisible() and window.dialogs.open_workers().count_box.value() == 1
    QTest.mouseClick(dialog.remote, LEFT, PLAIN, QPoint(8, dialog.remote.height() // 2))
    dialog.address_field.setText(scheduler)
    dialog._confirm()
    work.add_shots([work.project.current_view], [work.project.current_set], [None], None)
    work.change_shot("Shot", None, width=64, height=48, samples=2)
    QTest.mouseClick(board.shots_card.start_button, LEFT)
    assert "workers" in board.run.words
    qtbot.waitUntil(lambda: not board.run.runs, timeout=120_000)
    state = board.run.state(work.shot)
    assert state.kind in ("done", "was done"), state.words
    assert np.asarray(Image.open(tmp_path / f"{work.shot.name}.png")).std() > 5
