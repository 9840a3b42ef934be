"""The panes of the window: dragged, folded, filling it, and found so at the next start."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of
from PyQt6.QtCore import QByteArray, QPoint, QSettings, Qt
from PyQt6.QtTest import QTest

from mat_shelf.app.panes import BOARD_HEIGHT, LIBRARY_WIDTH, LINE
from mat_shelf.app.window import Window


def key(window, pressed, modifiers=PLAIN) -> None:
    QTest.keyClick(window, pressed, modifiers)


def shape_of(qtbot, window) -> tuple[int, int]:
    """Height and width of the picture, once it is as large as its pane."""

    def fits():
        frame, rect = window.viewport.frame, window.viewport.picture_rect
        height, width = frame.first_hits.part.shape
        ratio = window.viewport.devicePixelRatioF()
        return abs(height - rect.height() * ratio) <= 1 and abs(width - rect.width() * ratio) <= 1

    qtbot.waitUntil(fits, timeout=60_000)
    return picture_of(qtbot, window).shape[:2]


@pytest.mark.long
def test_library_and_board_fold_and_come_back(open_window, small_project, qtbot):
    window = open_window(*small_project, 0.6)
    height, width = shape_of(qtbot, window)
    key(window, Qt.Key.Key_F8)
    assert not window.library.isVisible() and window.panes.library.tab.isVisible()
    assert shape_of(qtbot, window)[1] > width + 80
    key(window, Qt.Key.Key_F9)
    assert window.board_pane.boards.isHidden() and window.board_pane.height() == LINE
    assert shape_of(qtbot, window)[0] > height + 80
    QTest.mouseClick(window.panes.library.tab, LEFT)
    QTest.mouseClick(window.board_pane.line, LEFT)
    assert window.library.isVisible() and window.board_pane.boards.isVisible()
    assert shape_of(qtbot, window) == (height, width)
    key(window, Qt.Key.Key_F9)
    QTest.mouseClick(window.stations.buttons()[4], LEFT)  # whoever asks for a station wants its board
    assert window.set_board.isVisible()


@pytest.mark.parametrize("name", ["viewport", "close_up", pytest.param("reference", marks=pytest.mark.long)])
@pytest.mark.long
def test_a_double_click_on_its_caption_lets_a_pane_fill_the_window(open_window, small_project, qtbot, name):
    window = open_window(*small_project, 0.6)
    shape_of(qtbot, window)
    pane, wall = getattr(window.wall, name), window.wall
    before = pane.size()
    QTest.mouseDClick(pane, LEFT, PLAIN, pane.caption.center())
    others = {wall.viewport, wall.close_up, wall.reference, window.panes.library, window.board_pane} - {pane}
    assert pane.width() > 0.97 * window.width() and not any(other.isVisible() for other in others)
    if pane is wall.viewport:
        assert shape_of(qtbot, window)[1] > 0.57 * window.width()  # pictures of tests have 0.6 pixels for each
    key(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: pane.size() == before, timeout=5000)
    assert all(other.isVisible() for other in others)


@pytest.mark.long
def test_the_board_makes_room_where_nothing_is_selected(open_window, small_project, qtbot):
    window = open_window(*small_project, 0.6)
    low = shape_of(qtbot, window)[0]
    window.menus.find("Fold the empty board").trigger()
    assert window.board_pane.height() == LINE and "Click a part" in window.board_pane.line.text()
    assert shape_of(qtbot, window)[0] > low + 80
    window.workshop.select("block")
    assert window.board.isVisible() and shape_of(qtbot, window)[0] == low
    window.workshop.select(None)
    assert window.board_pane.height() == LINE
    QTest.mouseClick(window.stations.buttons()[0], LEFT)
    assert window.product_board.isVisible()


@pytest.mark.long
def test_borders_are_dragged_and_all_is_found_again(open_window, small_project, qtbot):
    """The picture's shape follows the hand, by two thirds, as the panes beside it give way too. What is damaged of what
    is kept is passed over."""
    window = open_window(*small_project, 0.6)
    height, width = shape_of(qtbot, window)
    for splitter, by in ((window.panes.whole, QPoint(60, 0)), (window.panes.down, QPoint(0, 30))):
        grip = splitter.handle(1)
        QTest.mousePress(grip, LEFT, PLAIN, grip.rect().center())
        QTest.mouseMove(grip, grip.rect().center() + by)
        QTest.mouseRelease(grip, LEFT, PLAIN, grip.rect().center() + by)
    taller, narrower = shape_of(qtbot, window)
    assert narrower == pytest.approx(width - 24, abs=6) and taller == pytest.approx(height + 18, abs=3)
    key(window, Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    wall = window.wall
    assert wall.viewport.width() == pytest.approx(wall.side.width(), rel=0.05) and not window.library.isVisible()
    window.panes.fill(wall.viewport)
    window.panes.keep(window)
    again = Window(window.workshop)
    again.show()
    qtbot.waitExposed(again)
    assert again.panes.is_library_folded and again.panes.is_board_folded
    assert again.wall.side.width() == pytest.approx(again.wall.viewport.width(), rel=0.05)
    again.panes.fold_library(False)
    assert again.panes.whole.sizes()[0] == pytest.approx(LIBRARY_WIDTH + 60, abs=3)
    for name, value in (("geometry", "no geometry"), ("wall", QByteArray(b"\xff" * 90)), ("library_width", "wide")):
        QSettings().setValue(f"panes/{name}", value)
    again.panes.recall(again)
    again.panes.take("board")
    assert np.allclose(again.panes.whole.sizes()[0], LIBRARY_WIDTH, atol=2)
    assert again.panes.down.sizes()[1] == pytest.approx(BOARD_HEIGHT, abs=2)
    again.workshop.history.saved = again.workshop.project
    again.close()
