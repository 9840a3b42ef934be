"""Overlays and patterns that the library keeps by themselves, for other materials."""

import numpy as np
import PIL.Image
import pytest
from driving import LEFT, PLAIN, picture_of, seen
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.commands.materials import Wearable
from mat_shelf.commands.patterns import PatternCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.document.swatch import OVERLAYS, OWN_PATTERNS, Swatch
from mat_shelf.library.library import Library, LibraryEntry
from mat_shelf.patterns.sources import Constant, Noise
from mat_shelf.patterns.steps import Levels

GOLD = Recipe(base_color=(0.9, 0.6, 0.1), base_metalness=1.0)
MASK = Pattern(id="m", name="Half", steps=(Constant(value=0.5),))


@pytest.fixture
def gilded(small_project):
    """The block in red with gold leaf on half of it, by a mask of its own, and a green one."""
    project, assets = small_project
    leaf = Overlay(id="leaf", name="Gold leaf", recipe=GOLD, mask="m", mask_of="material", amount=0.8)
    red = project.material("red")
    cloud = Pattern(id="c", name="Cloud", steps=(Noise(), Levels(black=0.3)))
    recipe = red.recipe.with_(patterns=(MASK, cloud), overlays=(leaf,))
    green = Material(id="green", name="Green", recipe=Recipe(base_color=(0.05, 0.4, 0.1)))
    return project.with_material(red.with_(recipe=recipe)).with_material(green), assets


@pytest.fixture
def session(gilded, library_folder):
    session = Session(*gilded, Library(library_folder))
    session.select("block")
    return session


def entry(session, name: str) -> LibraryEntry:
    return next(entry for entry in session.library_entries() if entry.name == name)


def test_an_overlay_is_kept_with_its_mask_and_laid_over_other_materials(session, library_folder):
    session.save_overlay("leaf")
    kept = entry(session, "Gold leaf")
    assert (kept.kind, kept.family) == ("overlay", OVERLAYS)
    swatch = session.library.swatch(kept.id)
    assert swatch.overlay.mask_of == "overlay" and swatch.overlay.recipe.pattern(swatch.overlay.mask).name == "Half"
    session.put_on([("block", None)], Wearable("material", "green"))
    session.put_on([("block", None)], Wearable("swatch", kept.id))
    overlay = session.project.material("green").recipe.overlays[0]
    assert (overlay.name, overlay.amount) == ("Gold leaf", 0.8) and overlay.recipe.base_metalness == 1.0
    assert session.project.part("block").material == "green"  # it lies over what is worn, and is not worn itself
    session.lay_over(Wearable("swatch", kept.id))
    assert [o.name for o in session.project.material("green").recipe.overlays] == ["Gold leaf", "Gold leaf 2"]
    session.undo()
    session.undo()
    assert session.project.material("green").recipe.overlays == ()
    said = []
    session.said.connect(said.append)
    bare = session.project.part("block").with_(material=None)
    session.edit("x", session.project.with_part(bare))
    session.put_on([("block", None)], Wearable("swatch", kept.id))
    assert said[-1].startswith("Give the part a material first")
    # Another program finds it again, by its words too.
    again = Library(library_folder)
    assert again.swatch(kept.id) == swatch and kept.id in again.search("gold leaf")


def test_a_pattern_is_kept_with_those_it_needs(session):
    work = PatternCommands(session)
    session.save_pattern("c")
    kept = entry(session, "Cloud")
    assert (kept.kind, kept.family) == ("pattern", OWN_PATTERNS)
    said = []
    session.said.connect(said.append)
    session.put_on([("block", None)], Wearable("swatch", kept.id))
    assert "drop it on the ring" in said[-1]
    session.put_on([("block", None)], Wearable("material", "green"))
    made = work.copy_from("", "", kept.id)
    copied = session.project.material("green").recipe.pattern(made)
    assert copied.steps == session.project.material("red").recipe.pattern("c").steps and copied.name == "Cloud"
    assert work.copy_from("", "", "no-such-one") is None


def test_what_is_not_of_its_kind_is_refused():
    for kind, words in (("overlay", "kept as an overlay"), ("pattern", "kept as a pattern")):
        with pytest.raises(ValueError, match=words):
            Swatch(id="x", name="X", kind=kind)


def test_they_are_dragged_out_of_the_library(open_window, gilded, qtbot, monkeypatch):
    window = open_window(*gilded)
    workshop, library = window.workshop, window.library
    workshop.select("block")
    workshop.save_overlay("leaf")
    workshop.save_pattern("c")
    workshop.put_on([("block", None)], Wearable("material", "green"))
    before = picture_of(qtbot, window)

    def drag(name: str, target, place) -> None:
        rows = library.model.rows
        row = next(k for k, r in enumerate(rows) if isinstance(r, LibraryEntry) and r.name == name)

        def exec_(drag, action):
            enter = QDragEnterEvent(place, action, drag.mimeData(), LEFT, PLAIN)
            QApplication.sendEvent(target, enter)
            assert enter.isAccepted(), name
            QApplication.sendEvent(target, QDropEvent(QPointF(place), action, drag.mimeData(), LEFT, PLAIN))
            return action

        monkeypatch.setattr(QDrag, "exec", exec_)
        library.list.setCurrentIndex(library.model.index(row))
        library.list.startDrag(Qt.DropAction.CopyAction)

    ys, xs = np.nonzero(seen(window, "block"))
    rect, shape = window.viewport.picture_rect, window.viewport.frame.first_hits.part.shape
    k = len(ys) // 2
    place = rect.topLeft() + (rect.bottomRight() - rect.topLeft()) * 0
    place.setX(rect.x() + int(xs[k] / shape[1] * rect.width()))
    place.setY(rect.y() + int(ys[k] / shape[0] * rect.height()))
    drag("Gold leaf", window.viewport, place)
    assert [o.name for o in workshop.project.material("green").recipe.overlays] == ["Gold leaf"]
    after = picture_of(qtbot, window)
    assert np.abs(after.astype(int) - before)[seen(window, "block")].mean() > 5
    chip = window.board.rows["specular_roughness"].chip
    drag("Cloud", chip, chip.rect().center())
    feed = workshop.selected_material.recipe.feed("specular_roughness")
    assert workshop.selected_material.recipe.pattern(feed.pattern).name == "Cloud"
    # By key: Enter opens the pattern's strip.
    row = next(k for k, r in enumerate(library.model.rows) if isinstance(r, LibraryEntry) and r.name == "Cloud")
    library.list.setCurrentIndex(library.model.index(row))
    QTest.keyClick(library.list, Qt.Key.Key_Return)
    assert window.board.patterns.pattern.name.startswith("Cloud")


@pytest.mark.long
def test_the_menu_of_what_is_kept_offers_what_it_is_for(open_window, gilded):
    window = open_window(*gilded)
    workshop, library = window.workshop, window.library
    workshop.select("block")
    workshop.save_overlay("leaf")
    workshop.save_pattern("c")
    workshop.put_on([("block", None)], Wearable("material", "green"))
    for name, beginning in (("Gold leaf", "Lay over"), ("Cloud", "Add to")):
        rows = library.model.rows
        row = next(k for k, r in enumerate(rows) if isinstance(r, LibraryEntry) and r.name == name)
        library.list.setCurrentIndex(library.model.index(row))
        actions = library.menu().actions()
        assert not any(action.text().startswith(("Put on", "Replace", "Compare")) for action in actions)
        next(action for action in actions if action.text().startswith(beginning)).trigger()
    green = workshop.project.material("green").recipe
    assert [o.name for o in green.overlays] == ["Gold leaf"] and [p.name for p in green.patterns] == ["Cloud"]


@pytest.mark.long
def test_images_are_dropped_on_the_library_and_used_in_another_material(open_window, gilded, qtbot, tmp_path):
    window = open_window(*gilded)
    workshop, library = window.workshop, window.library
    stripes = np.zeros((64, 64, 3), np.uint8)
    stripes[:, ::8], stripes[:, 1::8] = 255, 255
    PIL.Image.fromarray(stripes).save(tmp_path / "Stripes.png")
    (tmp_path / "Torn.png").write_bytes((tmp_path / "Stripes.png").read_bytes()[:60])
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / name)) for name in ("Stripes.png", "Torn.png")])
    target, place = library.list.viewport(), library.list.viewport().rect().center()
    enter = QDragEnterEvent(place, Qt.DropAction.CopyAction, data, LEFT, PLAIN)
    QApplication.sendEvent(target, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(target, QDropEvent(QPointF(place), Qt.DropAction.CopyAction, data, LEFT, PLAIN))
    qtbot.waitUntil(lambda: any(e.name == "Stripes" for e in workshop.library_entries()), timeout=10_000)
    assert any("Torn.png cannot be used" in words for _, words in window.notice.messages)
    kept = entry(workshop, "Stripes")
    assert (kept.kind, kept.family) == ("pattern", OWN_PATTERNS) and not any(
        e.name == "Torn" for e in workshop.library_entries()
    )
    reopened = Library(library.workshop.library.folder)  # the file itself lies in the library
    assert [len(data) for data in reopened.pictures(reopened.swatch(kept.id)).values()] == [
        (tmp_path / "Stripes.png").stat().st_size
    ]
    (tmp_path / "Stripes.png").unlink()
    workshop.select("block")
    workshop.put_on([("block", None)], Wearable("material", "green"))
    before = picture_of(qtbot, window)
    library.pattern_wanted.emit(kept.id)
    window.board.patterns.feed("base_color", window.board.patterns.pattern.id)
    after = picture_of(qtbot, window)
    assert np.abs(after.astype(int) - before)[seen(window, "block")].mean() > 5
