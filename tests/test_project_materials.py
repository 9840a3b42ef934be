"""Materials of the project: their list, and what is done with them by mouse and by key."""

import numpy as np
import pytest
from driving import CONTROL, LEFT, PLAIN, click_part, grabbed, picture_of, place_of, seen, shortcut
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.library.swatch_drag import wearable_mime
from mat_shelf.commands.materials import Wearable
from mat_shelf.commands.session import Session
from mat_shelf.document.material import Material
from mat_shelf.document.recipe import Recipe
from mat_shelf.library.library import Library


@pytest.fixture
def session(small_project, library_folder):
    project, assets = small_project
    blue = Material(id="blue", name="Blue", recipe=Recipe(base_color=(0.05, 0.05, 0.5)))
    return Session(project.with_material(blue), assets, Library(library_folder))


def dropped_on(target, what: Wearable, at: QPointF) -> None:
    """Drops a swatch or material on a widget by the events that a drag sends."""
    data, copy = wearable_mime(what), Qt.DropAction.CopyAction
    for kind in (QDragEnterEvent, QDragMoveEvent):
        QApplication.sendEvent(target, kind(at.toPoint(), copy, data, LEFT, PLAIN))
    QApplication.sendEvent(target, QDropEvent(at, copy, data, LEFT, PLAIN))


def test_materials_are_copied_replaced_and_deleted_by_commands(session, small_project):
    said = []
    session.said.connect(said.append)
    session.select("block")
    session.put_on([("block", None)], Wearable("material", "blue"))
    assert session.project.part("block").material == "blue" and session.history.undo_label == "Blue on Block"
    session.delete_materials(["blue"])
    assert said[-1] == "Blue is worn by Block. Replace it there first, then delete it."
    session.replace_everywhere("blue", Wearable("material", "red"))
    assert session.project.part("block").material == "red"
    session.copy_material()
    session.put_on([("block", None)], Wearable("material", "blue"))
    session.paste_material()
    assert session.project.part("block").material == "red"
    session.make_variant()
    variant = session.selected_material
    session.put_on([("block", None)], Wearable("material", "blue"))
    session.delete_materials(["red"])
    assert "follows Red as a variant" in said[-1]
    session.delete_materials(["red", variant.id])
    assert [m.id for m in session.project.materials] == ["blue"]
    session.undo()
    assert len(session.project.materials) == 3
    session.put_on([("block", None)], Wearable("material", "gone"))
    assert said[-1] == "That material is no longer in the project." and session.project.part("block").material == "blue"
    # A material that was copied is pasted into another project too, under a free name and by itself.
    other, assets = small_project
    session.open_material("blue")
    session.copy_material()
    taken = Material(id="mine", name="Blue", recipe=Recipe())
    session.replace(other.with_material(taken), assets, None)
    session.paste_material()
    pasted = session.selected_material
    assert pasted.name == "Blue 2" and pasted.recipe.base_color == (0.05, 0.05, 0.5)


def test_the_name_of_a_copy_counts_on(session):
    session.select("block")
    for _ in range(3):
        session.duplicate_material()
    assert [m.name for m in session.project.materials] == ["Red", "Blue", "Red 2", "Red 3", "Red 4"]


@pytest.fixture
def window(open_window):
    made = open_window()
    made.library_pane.show_materials()
    return made


def row_place(window, name: str):
    model = window.materials.model
    row = next(row for row, m in enumerate(model.rows) if m.name == name)
    window.materials.list.scrollTo(model.index(row))
    return window.materials.list.visualRect(model.index(row)).center()


@pytest.mark.long
def test_the_list_shows_where_a_material_is_worn(window, qtbot):
    workshop = window.workshop
    project = workshop.project
    names = [m.name for m in window.materials.model.rows]
    assert sorted(names) == sorted(m.name for m in project.materials)
    assert names.index("Sealing wax, plum") == names.index("Sealing wax") + 1  # a variant lies under its parent
    before = grabbed(window.viewport)
    QTest.mouseClick(window.materials.list.viewport(), LEFT, PLAIN, row_place(window, "Teal lacquer"))
    assert {workshop.selected, *workshop.also_selected} == {"barrel", "pen-cap"}
    assert window.board.header.name.text() == "Teal lacquer"
    assert np.abs(grabbed(window.viewport) - before).max() > 60  # their outlines
    # By key: the next row, then a search.
    QTest.keyClick(window.materials.list, Qt.Key.Key_Down)
    assert workshop.selected_material.name == names[names.index("Teal lacquer") + 1]
    QTest.keyClicks(window.materials.search, "onyx")
    assert [m.name for m in window.materials.model.rows] == ["Green onyx"]
    QTest.keyClicks(window.materials.search, " nothing")
    assert window.materials.hint.isVisible() and not window.materials.list.isVisible()
    window.materials.search.clear()
    # Clicking a part marks the row of what it wears.
    click_part(window, "card")
    assert [m.name for m in window.materials.chosen()] == ["Card"]


@pytest.mark.long
def test_a_material_is_renamed_in_place_duplicated_and_deleted(window, qtbot):
    workshop, listed = window.workshop, window.materials.list
    QTest.mouseClick(listed.viewport(), LEFT, PLAIN, row_place(window, "Card"))
    shortcut(qtbot, window, Qt.Key.Key_F2, PLAIN)
    editor = QApplication.focusWidget()
    QTest.keyClick(editor, Qt.Key.Key_A, CONTROL)
    QTest.keyClicks(editor, "Visiting card")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()  # it is closed once the key has been dealt with
    assert workshop.project.part("card").material == workshop.selected_material.id
    assert workshop.selected_material.name == "Visiting card"
    listed.setFocus()
    count = len(workshop.project.materials)
    menu = window.materials.menu()
    next(a for a in menu.actions() if a.text().startswith("Duplicate")).trigger()
    copy = workshop.selected_material
    assert copy.name == "Visiting card 2" and window.materials.model.use(copy) == "not worn"
    assert [m.name for m in window.materials.chosen()] == ["Visiting card 2"]
    QTest.keyClick(listed, Qt.Key.Key_Delete)
    assert len(workshop.project.materials) == count and "2" not in [m.name[-1] for m in workshop.project.materials]
    QTest.mouseClick(listed.viewport(), LEFT, PLAIN, row_place(window, "Visiting card"))
    QTest.keyClick(listed, Qt.Key.Key_Delete)
    assert "is worn by Card" in window.notice.text.text() and len(workshop.project.materials) == count


@pytest.mark.long
def test_a_material_is_dragged_from_the_list_onto_parts_and_into_the_library(window, qtbot, monkeypatch):
    workshop = window.workshop
    stick = seen(window, "wax-stick")
    before = picture_of(qtbot, window)
    teal = workshop.project.part("barrel").material
    taken = []
    monkeypatch.setattr(QDrag, "exec", lambda drag, action: taken.append(drag.mimeData().formats()) or action)
    window.materials.list.setCurrentIndex(window.materials.model.index(window.materials.model.row_of(teal)))
    window.materials.list.startDrag(Qt.DropAction.CopyAction)
    assert taken == [["application/x-mat-shelf-material"]]
    what = Wearable("material", teal)
    dropped_on(window.viewport, what, QPointF(place_of(window, "wax-stick")))
    assert workshop.project.part("wax-stick").material == teal
    after = picture_of(qtbot, window)
    red = (before[stick][:, 0].astype(int) - before[stick][:, 1]).mean()
    assert red > 60 and (after[stick][:, 0].astype(int) - after[stick][:, 1]).mean() < 10
    window.library_pane.show_page(window.library)
    listed = window.library.list
    dropped_on(listed.viewport(), what, QPointF(listed.viewport().rect().center()))
    assert "Teal lacquer" in [entry.name for entry in workshop.library_entries()]


@pytest.mark.long
def test_a_material_is_carried_from_part_to_part_in_the_picture(window, qtbot, monkeypatch):
    workshop, viewport = window.workshop, window.viewport
    card = QPointF(place_of(window, "card"))

    def exec_(drag, action):
        data = drag.mimeData()
        for kind in (QDragEnterEvent, QDragMoveEvent):
            QApplication.sendEvent(viewport, kind(card.toPoint(), action, data, LEFT, PLAIN))
        QApplication.sendEvent(viewport, QDropEvent(card, action, data, LEFT, PLAIN))
        return action

    monkeypatch.setattr(QDrag, "exec", exec_)
    camera = workshop.camera
    QTest.keyPress(viewport, Qt.Key.Key_M)
    QTest.mousePress(viewport, LEFT, PLAIN, place_of(window, "wax-stick"))
    QTest.mouseRelease(viewport, LEFT, PLAIN, card.toPoint())
    QTest.keyRelease(viewport, Qt.Key.Key_M)
    assert workshop.project.part("card").material == workshop.project.part("wax-stick").material
    assert workshop.camera == camera
    # By key: copy, the next part, paste.
    workshop.select("wax-stick")
    QApplication.processEvents()
    shortcut(qtbot, window, Qt.Key.Key_C, CONTROL)
    viewport.setFocus()
    QTest.keyClick(viewport, Qt.Key.Key_PageDown)
    other = workshop.selected
    QApplication.processEvents()
    QTest.keyClick(window, Qt.Key.Key_V, CONTROL)
    assert other != "wax-stick"
    assert workshop.project.part(other).material == workshop.project.part("wax-stick").material


def test_a_copy_of_another_project_is_not_taken_for_one_of_the_same_swatch(session, small_project):
    """Both have red by one id; what comes in keeps its own values, and not its links to colours that are not there."""
    session.select("block")
    session.name_color("base_color", "Brand")
    session.copy_material()
    other, assets = small_project
    green = other.material("red").with_(recipe=Recipe(base_color=(0.05, 0.4, 0.1)))
    session.replace(other.with_material(green), type(assets)(), None)
    session.project.material("red")
    session.select("block")
    session.paste_material()
    pasted = session.selected_material
    assert pasted.recipe.base_color == (0.5, 0.05, 0.05) and pasted.color_links == () and pasted.name == "Red 2"
