"""The library's list and grid: families fold, swatches are marked, filtered and found again."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, click_part, grabbed
from PyQt6.QtCore import QPoint, QSettings, Qt
from PyQt6.QtTest import QTest

from mat_shelf.app.library.entry_painter import star_place
from mat_shelf.library.library import LibraryEntry


@pytest.fixture
def library(open_window, small_project):
    QSettings().remove("library")
    window = open_window(*small_project)
    yield window.library
    QSettings().remove("library")


def names(library) -> list[str]:
    return [row.name for row in library.model.rows if isinstance(row, LibraryEntry)]


def row_of(library, name: str):
    rows = library.model.rows
    index = library.model.index(next(i for i, r in enumerate(rows) if isinstance(r, LibraryEntry) and r.name == name))
    library.list.scrollTo(index)
    return index


def click(library, index, place: QPoint | None = None) -> None:
    place = place or library.list.visualRect(index).center()
    QTest.mouseClick(library.list.viewport(), LEFT, PLAIN, place)


def choose(box, words: str) -> None:
    """Takes an entry of a box by key, as a hand would."""
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Home)
    while box.currentText() != words:
        before = box.currentIndex()
        QTest.keyClick(box, Qt.Key.Key_Down)
        assert box.currentIndex() > before, words


@pytest.mark.long
def test_a_family_folds_at_its_heading_and_stays_folded(library, open_window, small_project):
    whole = names(library)
    heading = library.model.index(0)
    family, count = library.model.rows[0]
    click(library, heading)
    assert len(names(library)) == len(whole) - count and library.model.rows[0] == (family, count)
    # A search shows what it finds, folded or not.
    QTest.keyClicks(library.search, whole[0])
    assert whole[0] in names(library)
    library.search.clear()
    again = open_window(*small_project).library
    assert len(names(again)) == len(whole) - count
    again.list.setCurrentIndex(again.model.index(0))
    QTest.keyClick(again.list, Qt.Key.Key_Return)
    assert names(again) == whole


def test_favourites_and_swatches_used_lately_are_found_by_themselves(library, small_project):
    workshop = library.workshop
    index = row_of(library, "Copper")
    click(library, index, star_place(library.list.visualRect(index)).center())
    assert library.model.is_favourite(index.data(Qt.ItemDataRole.UserRole))
    choose(library.filter_box, "Favourites")
    assert names(library) == ["Copper"]
    workshop.wear("block", "chrome")
    workshop.wear("block", "copper")
    choose(library.filter_box, "Used lately")
    assert names(library) == ["Copper", "Chrome"]
    workshop.wear("block", "sterling-silver")
    assert names(library) == ["Silver", "Copper", "Chrome"]
    choose(library.filter_box, "In this project")
    assert set(names(library)) == {"Silver", "Copper", "Chrome"}
    workshop.remove_unused()
    assert names(library) == ["Silver"]
    choose(library.filter_box, "Favourites")
    index = row_of(library, "Copper")
    click(library, index, star_place(library.list.visualRect(index)).center())
    assert names(library) == [] and library.hint.isVisible()
    choose(library.filter_box, "All swatches")
    assert len(names(library)) == library.model.count


@pytest.mark.long
def test_a_grid_shows_more_and_is_remembered(library, open_window, small_project, qtbot):
    def visible() -> int:
        area = library.list.viewport().rect()
        shown = (library.list.visualRect(library.model.index(row)) for row in range(len(library.model.rows)))
        return sum(area.intersects(rect) for rect in shown if rect.isValid())

    rows = visible()
    choose(library.arrangement_box, "Grid")
    qtbot.waitUntil(lambda: visible() > 1.5 * rows, timeout=5000)
    first, second = (library.list.visualRect(library.model.index(row)) for row in (1, 2))
    assert first.top() == second.top() and second.left() == first.right() + 1
    picture = grabbed(library.list.viewport())
    assert np.ptp(picture[first.center().y(), first.left() : second.right()].sum(axis=1)) > 60
    again = open_window(*small_project).library
    assert again.arrangement_box.currentText() == "Grid"
    QSettings().setValue("library/arrangement", "nonsense")
    QSettings().setValue("library/favourites", 7)
    QSettings().setValue("library/folded", [b"\xff"])
    third = open_window(*small_project)
    assert third.library.arrangement_box.currentText() == "List" and len(names(third.library)) > 10
    click_part(third, "block")
    third.library.list.setCurrentIndex(row_of(third.library, "Copper"))
    QTest.keyClick(third.library.list, Qt.Key.Key_Return)
    assert third.workshop.selected_material.name == "Copper"
