"""Names as the window shows them, whatever is in them: ampersands, and what looks like markup.

The toolkit leaves a single ampersand of a button or a menu out, and underlines what follows (Qt: QAbstractButton.text,
QAction.text); a label or a tooltip that might be rich text is laid out as such (Qt.mightBeRichText).
"""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QAbstractButton, QLabel, QListWidget, QMenu, QTreeWidget, QWidget

from mat_shelf.app.widgets.value_row import ValueRow
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.patterns.sources import Constant

NAME = "<b>Gannet</b> & Reed"


@pytest.fixture
def named(plain_demo):
    """The demo, in which everything has that name."""
    project, assets = plain_demo
    mask = Pattern(id="m", name=NAME, steps=(Constant(value=0.25),))
    overlay = Overlay(id="o", name=NAME, recipe=Recipe(patterns=(mask,)), mask="m")
    feeds = {"patterns": (mask,), "overlays": (overlay,)}

    def renamed(listed):
        return tuple(each.with_(name=NAME) for each in listed)

    materials = [each.with_(recipe=each.recipe.with_(**feeds)) for each in renamed(project.materials)]
    project = project.with_(
        name=NAME,
        materials=tuple(materials),
        marks=renamed(project.marks),
        views=renamed(project.views),
        sets=tuple(each.with_(lights=renamed(each.lights)) for each in renamed(project.sets)),
        product=project.product.with_(parts=renamed(project.product.parts)),
    )
    return project, assets


def misread(window) -> list[str]:
    """Texts of a window and its menus that are not shown as they are."""
    for menu in window.findChildren(QMenu):
        menu.aboutToShow.emit()
    found = [button.text() for button in window.findChildren(QAbstractButton) if " & " in button.text()]
    found += [action.text() for action in window.findChildren(QAction) if " & " in action.text()]
    found += [menu.title() for menu in window.findChildren(QMenu) if " & " in menu.title()]
    for label in window.findChildren(QLabel):
        if NAME in label.text() and label.textFormat() != Qt.TextFormat.PlainText:
            found.append(label.text())
    tips = [widget.toolTip() for widget in window.findChildren(QWidget)]
    for listed in window.findChildren(QListWidget):
        tips += [listed.item(row).toolTip() for row in range(listed.count())]
    for tree in window.findChildren(QTreeWidget):
        tips += [tree.topLevelItem(row).toolTip(0) for row in range(tree.topLevelItemCount())]
    return [*found, *(tip for tip in tips if NAME in tip)]


def test_names_are_shown_as_they_are(open_window, qtbot, named):
    window = open_window(*named)
    workshop = window.workshop
    workshop.select("wax-stick")
    boards = [window.product_board, window.board, window.marks_board, window.fill_board, window.set_board]
    for board in (*boards, window.hand_over_board):
        window.stations.show(board)
        assert not misread(window), (board, misread(window))
    window.marks.open(workshop.project.marks[0].id)
    window.stations.show(window.board)
    window.board.patterns.open("m")
    workshop.make_variant()
    qtbot.waitUntil(lambda: workshop.selected_material.parent is not None)
    assert misread(window) == []
    window.notice.show_text(f"{NAME} was read again.")
    assert misread(window) == [] and window.notice.text.text().startswith(NAME)
    shown = [label.text() for label in window.findChildren(QLabel)]
    shown += [button.text().replace("&&", "&") for button in window.findChildren(QAbstractButton)]
    assert sum(NAME in text for text in shown) > 4


def test_a_long_name_leaves_room_for_what_it_is(open_window, qtbot, plain_demo):
    """The list of marks is as wide as its card; a row says that its mark is off at the end of any name."""
    project, assets = plain_demo
    long = "Label on the front of the bottle of the second size"
    marks = tuple(each.with_(name=long, is_on=False) for each in project.marks)
    window = open_window(project.with_(marks=marks), assets)
    board = window.marks_board
    window.stations.show(board)
    row = next(iter(board.list.rows.values()))
    qtbot.waitUntil(row.isVisible)
    assert row.geometry().right() < row.parentWidget().parentWidget().width() and long in row.toolTip()
    there = row.grab().toImage()
    window.workshop.edit("Marks on", window.workshop.project.with_(marks=tuple(m.with_(is_on=True) for m in marks)))
    qtbot.waitUntil(lambda: row.text().endswith("screen"))
    here = row.grab().toImage()
    changed = [
        x for x in range(there.width()) if any(there.pixel(x, y) != here.pixel(x, y) for y in range(there.height()))
    ]
    assert changed and max(changed) > 0.7 * row.width()  # its end is seen, not cut off


def test_names_and_numbers_of_rows_stand_in_one_line(open_window):
    window = open_window()
    window.workshop.select("wax-stick")
    window.stations.show(window.board)
    rows = [row for row in window.board.findChildren(ValueRow) if row.isVisible()]
    assert len(rows) > 5
    for row in rows:
        places = [each.mapTo(row, each.rect().center()).y() for each in (row.label.name, row.number, row.unit)]
        assert max(places) - min(places) <= 1, row.binding.name
        assert row.slider.geometry().top() >= row.number.geometry().bottom()
