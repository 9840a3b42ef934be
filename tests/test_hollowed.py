"""Solids that were hollowed are hollowed anew: by values, and by handles in the section."""

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QPoint
from test_fill_window import glass_project, pulled, station, told  # noqa: F401 - fixtures

from mat_shelf.commands.fills import FillCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.product import Zone
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.library.library import Library


def capacity(wall: float, base: float) -> float:
    """Of a cube of 20 mm that is open above, ml."""
    return (20 - 2 * wall) ** 2 * (20 - base) / 1000


@pytest.fixture
def block(glass_project):  # noqa: F811 - a fixture
    """Commands on a block, hollowed and filled, whose left side is a zone; whatever was said."""
    project, assets = glass_project
    part = project.part("block")
    mesh = assets.meshes[part.mesh]
    side = np.flatnonzero((mesh.vertices[mesh.triangles][:, :, 0] < 45 + 1e-3).all(axis=1))
    part = part.with_(zones=(Zone(id="z", name="Side", faces=assets.add_faces(side)),))
    session = Session(project.with_part(part), assets, Library())
    said: list[str] = []
    session.said.connect(said.append)
    session.select("block")
    fills = FillCommands(session)
    fills.hollow(2.0, 3.0, 0.0)
    fills.add_fill()
    fills.tell()
    return fills, said


def side_area(fills) -> float:
    part = fills.project.part("block")
    mesh = fills.session.assets.meshes[part.mesh]
    corners = mesh.vertices[mesh.triangles[fills.session.assets.faces[part.zones[0].faces]]].astype(float)
    return float(trimesh.triangles.area(corners).sum())


def test_it_is_made_of_the_solid_again(block, tmp_path):
    fills, said = block
    assert fills.liquid.capacity_ml == pytest.approx(capacity(2, 3), rel=1e-3)
    assert side_area(fills) == pytest.approx(400, rel=1e-3)
    solid = fills.project.part("block").hollowed.solid
    fills.hollow_anew(wall=4.0)
    fills.hollow_anew(base=6.5)
    fills.tell()
    # As if it had been hollowed so at once: nothing of the first wall is left.
    assert fills.liquid.capacity_ml == pytest.approx(capacity(4, 6.5), rel=1e-3)
    assert side_area(fills) == pytest.approx(400, rel=0.02) and not said
    save_project(tmp_path / "hollow.matshelf", fills.project, fills.session.assets)
    project, assets = read_project(tmp_path / "hollow.matshelf")
    assert project == fills.project and len(assets.meshes[solid].triangles) == 12
    fills.session.undo()
    fills.session.undo()
    fills.tell()
    assert fills.liquid.capacity_ml == pytest.approx(capacity(2, 3), rel=1e-3)


def test_what_cannot_be_is_said_and_changes_nothing(block):
    fills, said = block
    before = fills.project
    for values, words in (({"wall": 11.0}, "thinner"), ({"base": 40.0}, "thinner"), ({"wall": -1.0}, "Wall")):
        fills.hollow_anew(**values)
        assert words in said[-1] and fills.project is before, values
    for lengths in ((2.0, 3.0, 5e4), (1e-5, 3.0, 0.0), (2.0, float("nan"), 0.0), (2.0, 3.0, 0.0, 0.0, 7.0)):
        fills.hollow(*lengths)
        assert "must be" in said[-1] and fills.project is before, lengths
    # Whoever exchanges the mesh has another solid.
    part = fills.project.part("block")
    fills.session.edit("Mesh", fills.project.with_part(part.with_(mesh=part.hollowed.solid)))
    assert fills.project.part("block").hollowed is None
    fills.hollow_anew(wall=3.0)
    assert fills.project.part("block").mesh == part.hollowed.solid


def test_wall_and_base_are_dragged_in_the_section(station, qtbot):  # noqa: F811 - a fixture
    window, workshop = station, station.workshop
    card, view = window.fill_board.vessel_card, window.fill_board.section_view
    workshop.select("block")
    card.hollow_button.click()
    card.dialog.boxes["corner"].setValue(0.0)
    card.dialog.confirm.click()
    qtbot.waitUntil(lambda: workshop.project.part("block").hollowed is not None, timeout=30_000)
    assert not card.hollow_button.isVisible() and card.wall_button.isVisible()
    card.fill_button.click()
    qtbot.waitUntil(lambda: window.fills.fill_part is not None, timeout=30_000)
    assert told(qtbot, window).capacity_ml == pytest.approx(capacity(2, 3), rel=1e-3)
    window.fill_board.row.unfold("Section")
    qtbot.waitUntil(lambda: len(view.handles()) == 4, timeout=10_000)

    handle = view.handles()["base"].toPoint()
    pulled(view, handle, handle - QPoint(0, 24))
    qtbot.waitUntil(lambda: workshop.history.undo_label == "Wall of Block", timeout=30_000)
    made = workshop.project.part("block").hollowed
    assert made.base > 4 and made.wall == 2
    qtbot.waitUntil(lambda: told(qtbot, window).capacity_ml == pytest.approx(capacity(2, made.base), rel=1e-3))

    handle = view.handles()["wall"].toPoint()
    pulled(view, handle, handle - QPoint(9, 0))
    qtbot.waitUntil(lambda: workshop.project.part("block").hollowed != made, timeout=30_000)
    thick = workshop.project.part("block").hollowed
    assert thick.wall > 2.2 and thick.base == made.base
    qtbot.waitUntil(lambda: told(qtbot, window).capacity_ml == pytest.approx(capacity(thick.wall, made.base), rel=1e-3))
    # The handle is where it was dragged to, on the new wall.
    assert abs(view.handles()["wall"].x() - (handle.x() - 9)) < 4

    card.wall_button.click()
    assert card.dialog.boxes["wall"].value() == pytest.approx(thick.wall, abs=0.01)
    card.dialog.boxes["wall"].setValue(3.0)
    card.dialog.confirm.click()
    qtbot.waitUntil(lambda: workshop.project.part("block").hollowed.wall == 3.0, timeout=30_000)
