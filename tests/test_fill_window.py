"""Vessels filled and wetted in the real window: by buttons, by the level in the picture, by rows."""

import time

import manifold3d
import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of, seen
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from test_fills import mesh_of

from mat_shelf.app.widgets.paced import HAND_MS
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.exchange.project_file import read_project, save_project

CLEAR = Recipe(transmission_weight=1.0, specular_roughness=0.0)


def beaker() -> manifold3d.Manifold:
    outer = manifold3d.Manifold.cylinder(70, 30, 30, 96)
    return outer - manifold3d.Manifold.cylinder(70, 27, 27, 96).translate([0, 0, 4])


@pytest.fixture
def glass_project():
    """A beaker that another library made, and a block beside it that holds nothing."""
    assets = Assets()
    block = manifold3d.Manifold.cube([20, 20, 20]).translate([45, -10, 0])
    parts = (
        Part(id="beaker", name="Beaker", mesh=assets.add(NamedMesh("Beaker", mesh_of(beaker()))), material="glass"),
        Part(id="block", name="Block", mesh=assets.add(NamedMesh("Block", mesh_of(block))), material="glass"),
    )
    glass = Material(id="glass", name="Glass", family="Glass", recipe=CLEAR)
    return new_project(Product(name="Set", parts=parts), (glass,), (110.0, 70.0, 60.0)), assets


CAPACITY = np.pi * 27**2 * 66 / 1000


@pytest.fixture
def station(open_window, glass_project, qtbot):
    window = open_window(*glass_project, 0.4)
    window.resize(1500, 900)
    window.stations.buttons()[3].click()
    qtbot.waitUntil(lambda: window.viewport.frame.first_hits.part.shape[1] > 300, timeout=60_000)
    picture_of(qtbot, window)
    return window


def told(qtbot, window):
    """The liquid on the board, once it is that of the newest edit."""
    fills, board = window.fills, window.fill_board
    qtbot.waitUntil(
        lambda: fills.liquid is not None and not (board._asked.isActive() or fills.model._is_busy), timeout=30_000
    )
    return fills.liquid


def fill(qtbot, window):
    window.workshop.select("beaker")
    window.fill_board.vessel_card.fill_button.click()
    qtbot.waitUntil(lambda: window.fills.fill_part is not None, timeout=30_000)
    return told(qtbot, window)


def pulled(widget, start, end, steps=5) -> None:
    QTest.mousePress(widget, LEFT, PLAIN, start)
    for k in range(1, steps + 1):
        QTest.mouseMove(widget, start + (end - start) * k / steps)
    QTest.mouseRelease(widget, LEFT, PLAIN, end)


def test_a_vessel_is_filled_and_its_level_dragged_in_the_picture(station, qtbot):
    window, workshop = station, station.workshop
    card = window.fill_board.vessel_card
    assert not card.fill_button.isEnabled()  # nothing is selected
    before = picture_of(qtbot, window).astype(int)
    poured = fill(qtbot, window)
    assert poured.capacity_ml == pytest.approx(CAPACITY, rel=0.01)
    assert poured.volume_ml == pytest.approx(0.75 * poured.capacity_ml, rel=0.01)
    assert card.values["Capacity"].text() == f"{poured.capacity_ml:.1f} ml" and not card.fill_button.isVisible()
    assert workshop.project.product.parts[-1].name == "Water"
    water = picture_of(qtbot, window).astype(int)
    glass = seen(window, "beaker")
    assert np.abs(water - before).sum(axis=2)[glass].mean() > 6

    workshop.select("beaker")
    steps, line = workshop.history.position, window.level_handle.line
    start = line()[1].toPoint() - QPoint(4, 0)
    level = told(qtbot, window).level_mm
    edits = []
    workshop.project_changed.connect(lambda: edits.append(time.monotonic()))
    began = time.monotonic()
    pulled(window.viewport, start, start + QPoint(0, 60), steps=60)
    # A hand that is quicker than any picture makes no edit that none shows, and the level ends where it does.
    assert 2 <= len(edits) <= (time.monotonic() - began) * 1000 / HAND_MS + 3
    assert workshop.history.position == steps + 1 and workshop.project.part(window.fills.fill_part.id).fill.share < 70
    lower = told(qtbot, window)
    mm = window.viewport.picker.pixel_width(window.fills.section.origin)
    assert level - lower.level_mm == pytest.approx(60 * mm, rel=0.15)  # the camera looks down a little
    assert line()[1].y() == pytest.approx(start.y() + 60, abs=4)
    emptier = picture_of(qtbot, window).astype(int)
    assert np.abs(emptier - water).sum(axis=2)[glass].mean() > 3

    # In the section, and by keys.
    view = window.fill_board.section_view
    handle = view.handle().toPoint() + QPoint(5, 0)
    pulled(view, handle, handle - QPoint(0, 20))
    higher = told(qtbot, window)
    assert higher.level_mm > lower.level_mm + 2
    QTest.keyClick(view, Qt.Key.Key_Up)
    assert told(qtbot, window).level_mm == pytest.approx(higher.level_mm + 0.5, abs=0.1)
    while workshop.history.position:
        workshop.undo()
    assert [p.id for p in workshop.project.product.parts] == ["beaker", "block"]


@pytest.mark.long
def test_amounts_liquids_and_tilt(station, qtbot):
    window, workshop = station, station.workshop
    said = []
    workshop.said.connect(said.append)
    fill(qtbot, window)
    card, fills = window.fill_board.liquid_card, window.fills
    card.measure_box.setCurrentIndex(0)
    card.measure_box.activated.emit(0)
    assert fills.fill.measure == "volume" and fills.fill.volume == pytest.approx(0.75 * CAPACITY, rel=0.01)
    assert card.rows["volume"].isVisible() and not card.rows["share"].isVisible()
    assert card.rows["volume"].binding.set(1000.0)
    assert said[-1] == f"Beaker holds {fills.liquid.capacity_ml:.1f} ml; more would run out."
    assert fills.fill.volume == pytest.approx(CAPACITY, rel=0.01)
    card.rows["volume"].binding.set(100.0)
    upright = told(qtbot, window)
    card.rows["tilt"].binding.set(20.0)
    tilted = told(qtbot, window)
    assert tilted.volume_ml == pytest.approx(100.0, rel=0.002) and upright.volume_ml == pytest.approx(100.0, rel=0.002)
    assert tilted.part.mesh.bounds[1, 1] > upright.part.mesh.bounds[1, 1] + 5
    oil = next(k for k in range(card.liquid_box.count()) if card.liquid_box.itemText(k) == "Olive oil")
    card.liquid_box.setCurrentIndex(oil)
    card.liquid_box.activated.emit(oil)
    assert fills.fill.tension == 32.0 and workshop.project.material(fills.fill_part.material).name == "Olive oil"
    assert workshop.selected == "beaker"
    workshop.undo()
    assert fills.fill.tension == 72.8

    workshop.select("block")
    window.fill_board.vessel_card.fill_button.click()
    qtbot.waitUntil(lambda: said[-1].startswith("Block cannot be filled: it has no cavity"), timeout=30_000)
    window.fill_board.vessel_card.hollow_button.click()
    dialog = window.fill_board.vessel_card.dialog
    dialog.boxes["corner"].setValue(0.0)
    dialog.boxes["follows"].setValue(100)  # as flat as the outside is
    QTest.mouseClick(dialog.confirm, LEFT)
    qtbot.waitUntil(lambda: workshop.history.undo_label == "Hollow Block", timeout=30_000)
    window.fill_board.vessel_card.fill_button.click()
    qtbot.waitUntil(lambda: fills.vessel.name == "Block" and fills.fill_part is not None, timeout=30_000)
    qtbot.waitUntil(
        lambda: told(qtbot, window).capacity_ml == pytest.approx(16 * 16 * 17 / 1000, rel=1e-3), timeout=30_000
    )
    for _ in range(2):
        workshop.undo()

    workshop.select("beaker")
    fills.put("Headspace", fills.fill.with_(measure="headspace", headspace=900.0))
    qtbot.waitUntil(lambda: "Next to nothing" in window.fill_board.vessel_card.note.text(), timeout=30_000)
    picture_of(qtbot, window)  # and nothing of it is seen
    water = [p.id for p in workshop.project.product.parts].index(fills.fill_part.id)
    assert not (window.viewport.frame.first_hits.part == water).any() and fills.liquid is None
    window.fill_board.vessel_card.empty_button.click()
    assert fills.fill_part is None and [p.id for p in workshop.project.product.parts] == ["beaker", "block"]


def test_drops_are_strewn_seen_and_switched_off(station, qtbot, tmp_path):
    window, workshop = station, station.workshop
    before = picture_of(qtbot, window).astype(int)
    workshop.select("block")
    window.fill_board.vessel_card.drops_button.click()
    drops, card = window.fills.beads_part, window.fill_board.drops_card
    assert drops.name == "Drops on Block" and workshop.selected == "block"
    qtbot.waitUntil(lambda: window.fills.drop_count > 100, timeout=30_000)
    qtbot.waitUntil(lambda: f"{window.fills.drop_count:,}" in card.count.text(), timeout=10_000)
    wet = picture_of(qtbot, window).astype(int)
    place = [p.id for p in workshop.project.product.parts].index(drops.id)
    mask = window.viewport.frame.first_hits.part == place
    assert mask.sum() > 30 and np.abs(wet - before).sum(axis=2)[mask].mean() > 8
    # What drops lie on is outlined whole.
    outline = window.viewport.picker.mask_of("block", None)
    assert (outline & mask).sum() == mask.sum() and window.viewport.picker.mask_of(
        drops.id, None
    ).sum() == outline.sum()
    count = window.fills.drop_count
    card.rows["density"].binding.set(60.0)
    qtbot.waitUntil(lambda: window.fills.drop_count > 1.4 * count, timeout=30_000)
    card.rows["density"].binding.set(0.0)  # none at all is a picture too
    qtbot.waitUntil(lambda: window.fills.drop_count == 0, timeout=30_000)
    assert (picture_of(qtbot, window) >= 0).all() and not (window.viewport.frame.first_hits.part == place).any()
    card.rows["density"].binding.set(60.0)
    qtbot.waitUntil(lambda: window.fills.drop_count > 1.4 * count, timeout=30_000)
    still, count = picture_of(qtbot, window).astype(int), window.fills.drop_count
    number = card.rows["runs"].number
    number.selectAll()
    QTest.keyClicks(number, "30")
    QTest.keyClick(number, Qt.Key.Key_Return)
    assert window.fills.beads.runs == 30
    qtbot.waitUntil(lambda: window.fills.drop_count != count, timeout=30_000)
    ran = picture_of(qtbot, window).astype(int)
    assert (np.abs(ran - still).sum(axis=2) > 60)[mask].mean() > 0.02
    save_project(tmp_path / "wet.matshelf", workshop.project, workshop.assets)
    assert read_project(tmp_path / "wet.matshelf")[0] == workshop.project
    card.on_box.click()
    dry = picture_of(qtbot, window).astype(int)
    assert np.abs(dry - before).sum(axis=2)[mask].mean() < 8 and workshop.project.part(drops.id).is_hidden
    card.remove_button.click()
    assert window.fills.beads_part is None


@pytest.mark.long
def test_bubbles_rise_in_the_liquid_and_go_with_it(station, qtbot):
    window, workshop = station, station.workshop
    card = window.fill_board.bubbles_card
    workshop.select("beaker")
    assert not card.add_button.isEnabled()
    fill(qtbot, window)
    still = picture_of(qtbot, window).astype(int)
    card.add_button.click()
    part = window.fills.bubbles_part
    assert part.name == "Bubbles in Water" and workshop.project.material(part.material).name == "Air"
    card.rows["density"].binding.set(20.0)
    card.rows["size"].binding.set(3.0)
    qtbot.waitUntil(lambda: window.fills.bubble_count > 1000, timeout=30_000)
    risen = picture_of(qtbot, window).astype(int)
    glass = seen(window, "beaker")
    assert np.abs(risen - still).sum(axis=2)[glass].mean() > 12
    card.on_box.click()
    assert workshop.project.part(part.id).is_hidden
    bare, card = picture_of(qtbot, window).astype(int), window.fill_board.foam_card
    card.add_button.click()
    head = window.fills.foam_part
    assert head.name == "Foam on Water" and workshop.project.material(head.material).name == "Foam film"
    card.rows["thickness"].binding.set(12.0)
    card.rows["size"].binding.set(4.0)
    qtbot.waitUntil(lambda: window.fills.foam_count > 100, timeout=30_000)
    foamed = picture_of(qtbot, window).astype(int)
    assert seen(window, head.id).any()
    assert np.abs(foamed - bare).sum(axis=2)[seen(window, head.id)].mean() > 6
    window.fill_board.vessel_card.empty_button.click()
    assert [p.id for p in workshop.project.product.parts] == ["beaker", "block"]


def test_what_stands_in_a_vessel_follows_it(station, qtbot):
    window, workshop, work = station, station.workshop, station.work
    poured = fill(qtbot, window)
    workshop.select(window.fills.fill_part.id)
    assert [part.id for part in work.picked()] == ["beaker"]  # the vessel is moved
    work.shift(work.picked(), (0, 0, 12))
    moved = told(qtbot, window)
    assert moved.part.mesh.bounds[0, 2] == pytest.approx(poured.part.mesh.bounds[0, 2] + 12, abs=1e-3)
    assert moved.volume_ml == pytest.approx(poured.volume_ml, rel=1e-3)
    said = []
    workshop.said.connect(said.append)
    work.close_holes()
    work.duplicate()
    assert "no mesh of its own" in said[0] and "follows from other parts" in said[1]
    workshop.select("beaker")
    work.remove()
    assert [p.id for p in workshop.project.product.parts] == ["block"]
    workshop.undo()
    assert len(workshop.project.product.parts) == 3
