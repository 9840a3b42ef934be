"""The start page and the tour: what a newcomer sees first."""

from pathlib import Path

import numpy as np
import pytest
from driving import LEFT, PLAIN, click_part, close_up_at, drag_slider, grabbed, picture_of, place_of, seen
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from mat_shelf.app.recent import note_recent
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.product_import import empty_project
from mat_shelf.exchange.project_file import save_project


def test_the_start_page_opens_what_is_wanted(open_window, small_project, qtbot, tmp_path):
    path = tmp_path / "block.matshelf"
    save_project(path, *small_project)
    note_recent(path)
    window = open_window(empty_project(), Assets())
    page = window.start_page
    assert page.isVisible() and window.viewport.rect().contains(page.geometry())
    shown = grabbed(page)
    assert shown.std() > 20  # words on a card
    recent = [page.recent.itemAt(k).widget() for k in range(page.recent.count())]
    button = next(widget for widget in recent if widget is not None and widget.text() == "block")
    QTest.mouseClick(button, LEFT)
    qtbot.waitUntil(lambda: window.workshop.path == path, timeout=20_000)
    assert not page.isVisible()
    picture_of(qtbot, window)
    assert seen(window, "block").sum() > 100
    # Without its last part the product can be begun anew.
    window.workshop.select("block")
    window.work.remove()
    assert page.isVisible()
    window.workshop.undo()
    assert not page.isVisible()


@pytest.mark.long
def test_the_demo_is_opened_beside_the_window(open_window, small_project, qtbot):
    window = open_window(*small_project)
    window.menus.find("Open the demo").trigger()
    assert window.workshop.project.name == "Block"  # it is still being read
    qtbot.waitUntil(lambda: window.workshop.project.name == "Desk set", timeout=60_000)
    assert window.workshop.path is None and not window.workshop.history.is_changed


@pytest.mark.long
def test_the_tour_goes_on_as_its_steps_are_done(open_window, qtbot, monkeypatch):
    window = open_window()
    workshop = window.workshop
    monkeypatch.setattr(type(window.files), "open_demo", lambda self, then: then())
    window.menus.find("Take the tour").trigger()
    tour = window.dialogs._made["tour"]
    assert tour.isVisible() and tour.text.text().startswith("1 of 6")
    assert tour.text.height() >= tour.text.heightForWidth(tour.text.width())
    picture_of(qtbot, window)

    def step(number: int) -> None:
        qtbot.waitUntil(lambda: tour.number == number - 1, timeout=10_000)
        assert tour.text.text().startswith(f"{number} of 6")
        assert window.centralWidget().rect().contains(tour.geometry())

    click_part(window, "barrel")
    step(2)
    QTest.qWait(100)
    drag_slider(window.board.rows["specular_roughness"].slider, 0.7)
    step(3)
    workshop.wear("card", "copper")
    step(4)
    picture_of(qtbot, window)
    close_up_at(window, place_of(window, "sleeve"))
    step(5)
    # Its ring is seen, and a click reaches what is inside.
    lit = grabbed(window)
    assert (np.abs(lit - np.array([22, 163, 148])).max(axis=2) < 12).sum() > 50
    QTest.mouseClick(tour.back_button, LEFT)
    step(4)
    QTest.mouseClick(tour.next_button, LEFT)
    QTest.mouseClick(tour.next_button, LEFT)
    step(6)
    assert tour.next_button.text() == "Done"
    QTest.mouseClick(tour.next_button, LEFT)
    assert not tour.isVisible()
    tour.begin()
    QTest.mouseClick(tour.leave_button, LEFT)
    assert not tour.isVisible()
    tour.begin()
    QTest.keyClick(tour, Qt.Key.Key_Escape, PLAIN)
    assert not tour.isVisible()


@pytest.mark.parametrize("gone", [True, False])
@pytest.mark.long
def test_a_recent_project_that_is_gone_or_damaged_is_no_trap(open_window, qtbot, tmp_path, gone):
    path = tmp_path / "lost.matshelf"
    path.write_bytes(b"rubbish")
    note_recent(path)
    window = open_window(empty_project(), Assets())
    if gone:
        path.unlink()
    window.start_page.recent_wanted.emit(Path(path))
    qtbot.waitUntil(lambda: window.notice.text.text().startswith("Not opened"), timeout=20_000)
    assert window.start_page.isVisible() and not window.workshop.project.product.parts
