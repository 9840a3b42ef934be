"""The menu bar: every command by menu, by its key and by the finder; the history as a list; what was said."""

from contextlib import suppress

import numpy as np
import pytest
from driving import CONTROL, LEFT, PLAIN, SHIFT, click_part, picture_of, seen, shortcut
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu

from mat_shelf.document.history import History

KEY = QKeySequence.StandardKey


def test_every_command_is_in_one_menu_with_a_key_of_its_own(open_window, small_project):
    window = open_window(*small_project)
    menus = [action.menu() for action in window.menus.actions()]
    shown: list[str] = []
    keys: list[str] = []

    def walk(menu: QMenu) -> None:
        for action in menu.actions():
            if action.menu() is not None:
                walk(action.menu())
            elif not action.isSeparator():
                shown.append(action.text())
                if not action.shortcut().isEmpty():
                    keys.append(action.shortcut().toString())

    for menu in menus:
        walk(menu)
    assert len(shown) > 50 and len(set(shown)) == len(shown)
    assert len(set(keys)) == len(keys)
    stations = {button.shortcut().toString() for button in window.stations.buttons()}
    assert not stations & set(keys)
    # Standard keys as the toolkit itself has them on this platform.
    for standard, name in (
        (KEY.New, "New project"),
        (KEY.Open, "Open…"),
        (KEY.Save, "Save"),
        (KEY.Undo, "Undo"),
        (KEY.Copy, "Copy material"),
        (KEY.Paste, "Paste material"),
        (KEY.Find, "Search the library"),
        (KEY.HelpContents, "Keys and gestures"),
    ):
        assert window.menus.find(name).shortcut() in QKeySequence.keyBindings(standard)
    assert window.menus.find("Redo").shortcut() in QKeySequence.keyBindings(KEY.Redo)
    assert window.menus.find("Save as…").shortcut() in QKeySequence.keyBindings(KEY.SaveAs)


@pytest.mark.long
def test_the_finder_runs_what_is_typed(open_window, qtbot):
    window = open_window()
    click_part(window, "wax-stick")
    shortcut(qtbot, window, Qt.Key.Key_P, CONTROL | SHIFT)
    finder = QApplication.activePopupWidget()
    QTest.keyClicks(finder.words, "hid")
    names = [finder.list.item(row).text() for row in range(finder.list.count())]
    assert names == ["Hide Wax stick", "Hide in Final"]
    before, stick = picture_of(qtbot, window), seen(window, "wax-stick")
    QTest.keyClick(finder.words, Qt.Key.Key_Return)
    assert not finder.isVisible() and window.workshop.project.part("wax-stick").is_hidden
    after = picture_of(qtbot, window)
    assert np.abs(after.astype(int) - before)[stick].mean() > 40
    # What cannot be done now comes last, and does nothing.
    window.workshop.select(None)
    shortcut(qtbot, window, Qt.Key.Key_P, CONTROL | SHIFT)
    QTest.keyClicks(finder.words, "isolate")
    QTest.keyClick(finder.words, Qt.Key.Key_Return)
    assert finder.isVisible() and not window.workshop.project.part("barrel").is_hidden
    QTest.keyClick(finder.words, Qt.Key.Key_A, CONTROL)
    QTest.keyClicks(finder.words, "zzz")
    assert finder.list.count() == 0
    QTest.keyClick(finder.words, Qt.Key.Key_Return)
    QTest.keyClick(finder.words, Qt.Key.Key_Escape)
    assert not finder.isVisible()


def test_commands_that_cannot_be_done_are_grey_and_their_keys_rest(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop = window.workshop
    assert not window.menus.find("Copy material").isEnabled() and not window.menus.find("Undo").isEnabled()
    shortcut(qtbot, window, Qt.Key.Key_D, CONTROL)
    assert len(workshop.project.materials) == 1
    workshop.select("block")
    QApplication.processEvents()
    QTest.keyClick(window, Qt.Key.Key_D, CONTROL)
    assert [m.name for m in workshop.project.materials] == ["Red", "Red 2"]
    assert workshop.project.part("block").material == workshop.project.materials[1].id
    QApplication.processEvents()
    assert window.menus.find("Undo Duplicate Red").isEnabled()
    window.stations.buttons()[0].click()
    QApplication.processEvents()
    QTest.keyClick(window, Qt.Key.Key_D, CONTROL)
    assert [p.name for p in workshop.project.product.parts] == ["Block", "Block 2"]


@pytest.mark.long
def test_one_goes_back_and_forth_in_the_history(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop = window.workshop
    first = picture_of(qtbot, window)
    for color in ((0.05, 0.5, 0.05), (0.05, 0.05, 0.5), (0.5, 0.5, 0.05)):
        workshop.tune("red", base_color=color)
    last = picture_of(qtbot, window)
    block = seen(window, "block")
    listed = window.dialogs.open_history()
    assert listed.list.count() == 4 and listed.list.currentRow() == 3
    QTest.mouseClick(listed.list.viewport(), LEFT, PLAIN, listed.list.visualItemRect(listed.list.item(0)).center())
    assert workshop.history.position == 0
    back = picture_of(qtbot, window)
    assert np.abs(back.astype(int) - first)[block].mean() < 2 and np.abs(back.astype(int) - last)[block].mean() > 20
    listed.list.setCurrentRow(3)
    QTest.keyClick(listed.list, Qt.Key.Key_Return)
    assert workshop.history.position == 3 and listed.isVisible()
    assert np.abs(picture_of(qtbot, window).astype(int) - last)[block].mean() < 2
    listed.list.setCurrentRow(1)
    QTest.keyClick(listed.list, Qt.Key.Key_Return)
    workshop.rename_material("Green", "red")
    assert workshop.history.steps == ["Edit Red", "Rename"] and listed.list.count() == 3
    listed.close()


def test_a_history_goes_no_further_than_it_reaches(small_project):
    project, _ = small_project
    history = History(project)
    named = [project.with_(name=name) for name in ("a", "b", "c")]
    for one in named:
        history.edit(one.name, one)
    history.go_to(-5)
    assert history.present is project and history.steps == ["a", "b", "c"]
    history.go_to(2)
    assert history.present is named[1] and history.position == 2
    history.go_to(99)
    assert history.present is named[2]


def test_all_that_was_said_can_be_read_again(open_window, small_project):
    window = open_window(*small_project)
    window.say("The first thing.")
    window.notice.ask("Really?", ("Yes", lambda: None))
    window.say("A thing during a question.")
    window.notice.ask("Reading, 20 %…", ("Cancel", lambda: None))
    listed = window.dialogs.open_messages()
    lines = [line[11:] for line in listed.text.toPlainText().splitlines()]
    assert lines[-3:] == ["The first thing.", "Really?", "A thing during a question."]
    window.say("Later.")
    assert listed.text.toPlainText().endswith("Later.")
    listed.copy_button.click()
    assert QApplication.clipboard().text() == listed.text.toPlainText()
    listed.close()


@pytest.mark.long
def test_a_new_project_is_empty_and_asks_for_what_is_not_saved(open_window, small_project, qtbot, monkeypatch):
    window = open_window(*small_project)
    monkeypatch.setattr(type(window.files), "may_leave", lambda self: False)
    shortcut(qtbot, window, Qt.Key.Key_N, CONTROL)
    assert window.workshop.project.name == "Block"
    monkeypatch.setattr(type(window.files), "may_leave", lambda self: True)
    QTest.keyClick(window, Qt.Key.Key_N, CONTROL)
    assert not window.workshop.project.product.parts and window.workshop.path is None
    assert window.stations.checkedButton().text() == "Product" and not window.workshop.history.is_changed
    picture = picture_of(qtbot, window)
    assert picture.std() < 60 and picture.mean() > 60  # the lit backdrop, nothing on it


@pytest.mark.long
def test_rendering_pauses_and_goes_on_without_loss(open_window, qtbot):
    window = open_window()
    shortcut(qtbot, window, Qt.Key.Key_P, CONTROL)
    assert window.menus.find("Pause rendering").isChecked()
    QTest.qWait(600)
    samples, revision = window.viewport.frame.samples, window.viewport.frame.revision
    window.workshop.tune(window.workshop.project.part("wax-stick").material, specular_roughness=0.9)
    QTest.qWait(600)
    assert (window.viewport.frame.samples, window.viewport.frame.revision) == (samples, revision)
    QTest.keyClick(window, Qt.Key.Key_P, CONTROL)
    picture_of(qtbot, window)
    assert window.viewport.frame.revision > revision


@pytest.mark.long
def test_about_tells_the_licences_of_what_it_is_made_of(open_window, small_project):
    from mat_shelf.app.menu.about_dialog import licences

    with suppress(ImportError):
        import importlib_metadata  # noqa: F401, which reads metadata in place of Python's own from then on
    told = dict(licences())
    assert len(told) > 12 and all(told.values())
    assert any(name.startswith("PyQt6 ") and "GPL" in licence for name, licence in told.items())
    window = open_window(*small_project)
    dialog = window.dialogs.open_about()
    assert dialog.isVisible()
    dialog.close()


def test_f6_goes_from_region_to_region(open_window, small_project, qtbot):
    window = open_window(*small_project)
    window.workshop.select("block")
    window.viewport.setFocus()
    regions = [window.wall.viewport, window.wall.close_up, window.wall.reference, window.board, window.library]

    def region() -> int:
        focus = QApplication.focusWidget()
        return next(k for k, r in enumerate(regions) if r is focus or r.isAncestorOf(focus))

    seen_regions = [region()]
    for _ in range(5):
        shortcut(qtbot, window, Qt.Key.Key_F6, PLAIN)
        seen_regions.append(region())
    assert seen_regions == [0, 1, 2, 3, 4, 0]
    shortcut(qtbot, window, Qt.Key.Key_F6, SHIFT)
    assert region() == 4
    window.panes.fold_library(True)
    shortcut(qtbot, window, Qt.Key.Key_F6, PLAIN)
    assert region() != 4
