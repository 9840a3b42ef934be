"""Colours of the project: one thing changed once for all that have it."""

import numpy as np
import pytest
from driving import LEFT, drag_slider, picture_of, seen
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from mat_shelf.commands.session import Session
from mat_shelf.document.color import ColorLink
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.solids import box, moved
from mat_shelf.library.library import Library

ORANGE, GREEN = (0.6, 0.2, 0.02), (0.05, 0.4, 0.1)


@pytest.fixture
def two(small_project):
    """The red block, and a grey one beside it."""
    project, assets = small_project
    mesh = assets.add(NamedMesh("other", moved(box((60, 40, 30), 3), (80, 0, 0))))
    other = Part(id="other", name="Other", mesh=mesh, material="grey")
    project = project.with_material(Material(id="grey", name="Grey", recipe=Recipe()))
    return project.with_parts((*project.product.parts, other)), assets


@pytest.fixture
def session(two, library_folder):
    return Session(*two, Library(library_folder))


def color_of(session, material: str, name: str = "base_color"):
    return getattr(session.project.material(material).recipe, name)


def test_all_inputs_that_have_a_colour_follow_it(session):
    session.select("block")
    session.tune("red", base_color=ORANGE)
    session.name_color("base_color", "Brand orange")
    (color,) = session.project.colors
    assert (color.name, color.value) == ("Brand orange", ORANGE)
    session.select("other")
    session.link_color("base_color", color.id)
    session.link_color("coat_color", color.id)
    assert color_of(session, "grey") == color_of(session, "grey", "coat_color") == ORANGE
    steps = len(session.history.steps)
    session.change_color(color.id, GREEN)
    assert color_of(session, "red") == color_of(session, "grey") == color_of(session, "grey", "coat_color") == GREEN
    assert len(session.history.steps) == steps + 1
    session.undo()
    assert color_of(session, "red") == color_of(session, "grey") == ORANGE
    # One that is changed by hand goes its own way; one that is unlinked keeps its value.
    session.tune("grey", base_color=(0.1, 0.1, 0.1))
    session.select("block")
    session.unlink_color("base_color")
    session.change_color(color.id, GREEN)
    assert (color_of(session, "red"), color_of(session, "grey")) == (ORANGE, (0.1, 0.1, 0.1))
    assert color_of(session, "grey", "coat_color") == GREEN
    session.remove_color(color.id)
    assert session.project.colors == () and color_of(session, "grey", "coat_color") == GREEN
    assert all(not material.color_links for material in session.project.materials)


def test_links_outlive_saving_variants_and_overlays(session, tmp_path):
    overlay = Overlay(id="o", name="Print", recipe=Recipe(base_color=ORANGE))
    session.edit("x", session.project.with_material(Material(id="red", name="Red", recipe=Recipe(overlays=(overlay,)))))
    session.select("block")
    session.make_variant()
    variant = session.selected_material.id
    session.open_overlay("o")
    session.name_color("base_color")
    color = session.project.colors[0]
    path = tmp_path / "linked.matshelf"
    assert session.save(path) and session.open(path)
    session.change_color(color.id, GREEN)
    assert session.project.material(variant).recipe.overlay("o").recipe.base_color == GREEN
    # The overlay goes, and its link with it.
    session.select("block")
    bare = session.project.material(variant)
    session.edit("x", session.project.with_material(bare.tuned(bare.recipe.without_overlay("o"))))
    assert session.project.material(variant).color_links == ()
    session.change_color(color.id, ORANGE)


def test_a_link_to_what_is_not_there_is_refused(session):
    red = session.project.material("red")
    for link, words in (
        (ColorLink(input="base_color", color="gone"), "which is not there"),
        (ColorLink(input="specular_roughness", color="gone"), "which is not there"),
    ):
        with pytest.raises(ValueError, match=words):
            session.project.with_material(red.with_(color_links=(link,)))


@pytest.mark.long
def test_a_colour_is_named_and_used_from_the_popover(open_window, two, qtbot, monkeypatch):
    window = open_window(*two)
    workshop, board = window.workshop, window.board
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Brand red", True))
    workshop.select("block")
    row = board.rows["base_color"]
    QTest.mouseClick(row.bar, LEFT)
    QTest.mouseClick(row.popover.chips.add_button, LEFT)
    assert [color.name for color in workshop.project.colors] == ["Brand red"] and row.bar.words == "Brand red"
    row.popover.hide()
    workshop.select("other")
    assert row.bar.words == ""
    before = picture_of(qtbot, window)
    QTest.mouseClick(row.bar, LEFT)
    QTest.mouseClick(row.popover.chips._row.itemAt(0).widget(), LEFT)
    assert row.bar.words == "Brand red"
    steps = len(workshop.history.steps)
    row.popover.set_color(row._color())
    drag_slider(row.popover.sliders["Hue"], 0.4)
    row.popover.hide()
    after = picture_of(qtbot, window)
    assert len(workshop.history.steps) == steps + 1
    for part in ("block", "other"):
        assert np.abs(after.astype(int) - before)[seen(window, part)].mean() > 10
    assert workshop.project.material("red").recipe.base_color == workshop.project.material("grey").recipe.base_color
    QTest.mouseClick(row.bar, LEFT)
    QTest.mouseClick(row.popover.chips.unlink_button, LEFT)
    assert row.bar.words == "" and workshop.project.material("grey").color_links == ()


def test_tracks_of_a_colour_are_painted_anew_with_its_other_values(open_window, small_project, qtbot):
    """Another hue leaves lightness and chroma as they are, but not what their tracks show."""
    window = open_window(*small_project)
    window.workshop.select("block")
    row = window.board.rows["base_color"]
    QTest.mouseClick(row.bar, LEFT)
    sliders = row.popover.sliders
    qtbot.waitUntil(sliders["Lightness"].isVisible)
    qtbot.wait(50)  # whatever is painted at first
    others, painted = (sliders["Lightness"], sliders["Chroma"]), PaintCount()
    for slider in others:
        slider.installEventFilter(painted)
    QTest.mousePress(sliders["Hue"], LEFT, pos=sliders["Hue"].rect().center())
    QTest.mouseRelease(sliders["Hue"], LEFT, pos=sliders["Hue"].rect().center())
    qtbot.waitUntil(lambda: painted.seen == set(map(id, others)), timeout=3000)
    row.popover.hide()


class PaintCount(QObject):
    """Notes which widgets are painted."""

    def __init__(self):
        super().__init__()
        self.seen = set()

    def eventFilter(self, watched, event) -> bool:
        if event.type() == QEvent.Type.Paint:
            self.seen.add(id(watched))
        return False
