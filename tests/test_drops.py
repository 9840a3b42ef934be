"""Files dropped on the window, and the outline of the selection."""

import io

import numpy as np
import pytest
from driving import LEFT, PLAIN, click_part, drag_slider, dropped, grabbed, picture_of, place_of, seen
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.swatch_file import save_swatch


@pytest.fixture
def stripes(tmp_path):
    path = tmp_path / "stripes.png"
    rows = np.zeros((64, 64, 3), np.uint8)
    rows[::8] = rows[1::8] = rows[2::8] = rows[3::8] = (250, 240, 20)
    Image.fromarray(rows).save(path)
    return path


def chosen(window, qtbot, place: QPoint, path, beginning: str) -> list[str]:
    """Drops a file on the picture and takes what is offered with such a beginning; all that was offered."""
    dropped(window.viewport, path, place)
    qtbot.waitUntil(lambda: QApplication.activePopupWidget() is not None, timeout=5000)
    menu = QApplication.activePopupWidget()
    offered = [action.text() for action in menu.actions() if action.text()]
    action = next(action for action in menu.actions() if action.text().startswith(beginning))
    QTest.mouseClick(menu, LEFT, PLAIN, menu.actionGeometry(action).center())
    return offered


@pytest.mark.parametrize(
    "station", [3, pytest.param(0, marks=pytest.mark.long), pytest.param(1, marks=pytest.mark.long)]
)
@pytest.mark.long
def test_an_image_on_a_part_is_what_one_says_in_every_station(open_window, qtbot, stripes, station):
    window = open_window()
    workshop = window.workshop
    window.stations.buttons()[station].click()
    picture_of(qtbot, window)
    marks = len(workshop.project.marks)
    card = place_of(window, "card")
    offered = chosen(window, qtbot, card, stripes, "Label on")
    assert "Pattern for Card" in offered and "Reference" in offered
    qtbot.waitUntil(lambda: len(workshop.project.marks) == marks + 1, timeout=20_000)
    assert workshop.project.marks[-1].part == "card" and window.stations.checkedButton().text() == "Marks"
    workshop.undo()
    window.stations.buttons()[station].click()
    chosen(window, qtbot, card, stripes, "Pattern for Card")
    qtbot.waitUntil(lambda: window.board.patterns.pattern is not None, timeout=20_000)
    assert workshop.selected == "card" and window.board.patterns.pattern.name == "stripes"
    assert window.stations.checkedButton().text() == "Materials"


@pytest.mark.long
def test_an_image_on_a_row_feeds_that_input(open_window, qtbot, stripes):
    window = open_window()
    workshop = window.workshop
    click_part(window, "card")
    before = picture_of(qtbot, window)
    row = window.board.rows["base_color"]
    place = row.mapTo(window.board, row.rect().center())
    dropped(window.board, stripes, place)
    qtbot.waitUntil(lambda: workshop.selected_material.recipe.feed("base_color") is not None, timeout=20_000)
    assert workshop.history.undo_label == "Feed Base colour"
    after = picture_of(qtbot, window)
    card = seen(window, "card")
    assert after[card].astype(int).std(axis=0).max() > before[card].astype(int).std(axis=0).max() + 20
    rough = window.board.rows["specular_roughness"]
    value = workshop.selected_material.recipe.specular_roughness
    dropped(window.board, stripes, rough.mapTo(window.board, rough.rect().center()))
    qtbot.waitUntil(lambda: workshop.selected_material.recipe.feed("specular_roughness") is not None, timeout=20_000)
    feed = workshop.selected_material.recipe.feed("specular_roughness")
    assert 0.1 < feed.high - feed.low < 0.2 and feed.low <= value <= feed.high  # narrow, about its value
    workshop.undo()
    workshop.undo()
    assert workshop.selected_material.recipe.feeds == ()


@pytest.mark.long
def test_swatches_are_dropped_by_the_dozen(open_window, small_project, tmp_path):
    window = open_window(*small_project)
    paths = []
    for name in ("Clay", "Slate", "Slate"):
        paths.append(tmp_path / f"{len(paths)}.swatch")
        recipe = Recipe(specular_roughness=0.1 * len(paths))
        save_swatch(paths[-1], Swatch(id="mine", name=name, family="Ceramic", recipe=recipe))
    broken = tmp_path / "broken.swatch"
    broken.write_bytes(b"PK\x03\x04" + io.BytesIO(b"rubbish").getvalue())
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in (*paths, broken)])
    copy = Qt.DropAction.CopyAction
    enter = QDragEnterEvent(QPoint(600, 300), copy, data, LEFT, PLAIN)
    QApplication.sendEvent(window, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(window, QDropEvent(QPointF(600, 300), copy, data, LEFT, PLAIN))
    window.workshop.wait()
    QApplication.processEvents()
    names = [entry.name for entry in window.workshop.library_entries() if entry.family == "Ceramic"]
    assert {"Clay", "Slate", "Slate 2"} <= set(names)
    said = [text for _, text in window.notice.messages]
    assert any(text.startswith("In the library now: Clay, Slate, Slate 2") for text in said)
    assert said[-1].startswith("Not taken: broken.swatch")


@pytest.mark.refines(8)
@pytest.mark.long
def test_the_outline_is_two_toned_and_leaves_where_colours_are_judged(open_window, qtbot):
    window = open_window()
    workshop, viewport = window.workshop, window.viewport
    picture_of(qtbot, window, samples=8)
    bare = grabbed(viewport)
    viewport.setFocus()
    workshop.select("tray")

    def changed() -> np.ndarray:
        return grabbed(viewport) - bare

    line = changed()
    darker, lighter = (line.sum(axis=2) < -60).sum(), (np.abs(line).max(axis=2) > 60).sum()
    assert darker > 300 and lighter > darker
    QTest.keyClick(viewport, Qt.Key.Key_O)
    assert (np.abs(changed()).max(axis=2) > 60).sum() < lighter / 10
    QTest.keyClick(viewport, Qt.Key.Key_O)
    assert (np.abs(changed()).max(axis=2) > 60).sum() > lighter / 2
    window.stations.buttons()[4].click()
    assert viewport.select._hides_outline()
    window.stations.buttons()[1].click()
    assert not viewport.select._hides_outline()
    slider = window.board.rows["specular_roughness"].slider
    seen_while_dragged = []
    slider.moved.connect(lambda *_: seen_while_dragged.append(viewport.select._hides_outline()))
    drag_slider(slider, 0.8)
    assert seen_while_dragged and all(seen_while_dragged) and not viewport.select._hides_outline()
