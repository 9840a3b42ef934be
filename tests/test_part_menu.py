"""The menu of a right click on the picture."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, close_up_at, picture_of, place_of, seen
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

RIGHT = Qt.MouseButton.RightButton


def chosen(window, qtbot, place: QPoint, beginning: str) -> list[str]:
    """Right-clicks, takes what begins so, and says all that was offered."""
    QTest.mouseClick(window.viewport, RIGHT, PLAIN, place)
    qtbot.waitUntil(lambda: QApplication.activePopupWidget() is not None, timeout=5000)
    menu = QApplication.activePopupWidget()
    offered = [action.text() for action in menu.actions() if action.text()]
    action = next(action for action in menu.actions() if action.text().startswith(beginning))
    QTest.mouseClick(menu, LEFT, PLAIN, menu.actionGeometry(action).center())
    return offered


@pytest.mark.long
def test_a_right_click_offers_what_can_be_done_with_the_part(open_window, qtbot):
    window = open_window()
    workshop, viewport = window.workshop, window.viewport
    wax = place_of(window, "wax-stick")
    shown = picture_of(qtbot, window)
    stick = seen(window, "wax-stick")
    offered = chosen(window, qtbot, wax, "Hide")
    assert workshop.selected == "wax-stick" and "Open Sealing wax" in offered
    assert workshop.project.part("wax-stick").is_hidden
    hidden = picture_of(qtbot, window)
    assert np.abs(hidden.astype(int) - shown)[stick].mean() > 40  # what was behind it
    # Somewhere else nothing is offered that needs a part.
    corner = (QPointF(viewport.picture_rect.topRight()) + QPointF(-20, 20)).toPoint()
    offered = chosen(window, qtbot, corner, "Show all")
    assert not any(text.startswith(("Open", "Isolate", "Remove")) for text in offered)
    assert not workshop.project.part("wax-stick").is_hidden
    picture_of(qtbot, window)
    chosen(window, qtbot, place_of(window, "barrel"), "Select all with")
    same = {p.id for p in workshop.project.product.parts if p.material == workshop.project.part("barrel").material}
    assert {workshop.selected, *workshop.also_selected} == same
    window.stations.buttons()[4].click()
    chosen(window, qtbot, place_of(window, "barrel"), "Open ")
    assert window.board.isVisible() and workshop.selected_material.id == workshop.project.part("barrel").material
    chosen(window, qtbot, place_of(window, "barrel"), "Close-up here")
    by_menu = workshop.close_up_point
    assert by_menu is not None
    close_up_at(window, place_of(window, "card"))
    assert workshop.close_up_point != by_menu


@pytest.mark.long
def test_a_part_is_shown_in_one_view_and_not_in_another(open_window, qtbot):
    """Hidden in this view, it is still there in the others; a view saved from this one hides the same."""
    window = open_window()
    workshop, card = window.workshop, window.product_board.parts_card
    first, other = workshop.project.views[:2]
    before = {view.id: view.hides for view in workshop.project.views}
    shown, stick = picture_of(qtbot, window), seen(window, "wax-stick")
    chosen(window, qtbot, place_of(window, "wax-stick"), f"Hide in {first.name}")
    without = picture_of(qtbot, window)
    assert np.abs(without.astype(int) - shown)[stick].mean() > 40
    assert not workshop.project.part("wax-stick").is_hidden and workshop.project.view.hides == (
        *first.hides,
        "wax-stick",
    )
    workshop.save_view("Bare")
    assert workshop.project.view.hides == (*first.hides, "wax-stick") and not workshop.project.view.is_locked
    workshop.look_through(other.id)
    assert "wax-stick" not in {p.id for p in workshop.project.as_seen().product.parts if p.is_hidden}
    workshop.look_through(first.id)
    workshop.select("wax-stick")
    workshop.show_only_in_view(["wax-stick"])
    again = picture_of(qtbot, window)
    assert np.abs(again.astype(int) - shown)[stick].mean() < 12
    for view in workshop.project.views:
        rest = before.get(view.id, first.hides)
        assert view.hides == (rest if view.id == first.id else (*rest, "wax-stick"))
    workshop.look_through(other.id)
    card.follow()
    [line] = [item for item in card._items() if item.text(0) == workshop.project.part("wax-stick").name]
    assert other.name in line.toolTip(0)
