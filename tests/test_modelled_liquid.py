"""Bubbles in liquids that were modelled: where their top, edge and wall are, and the real window."""

import manifold3d
import numpy as np
import pytest
import trimesh
from driving import picture_of
from test_fill_window import CLEAR, beaker, station, told  # noqa: F401 - fixtures
from test_fills import mesh_of

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.fills.bubbling import Amounts, bubbles
from mat_shelf.fills.modelled_liquid import modelled_liquid
from mat_shelf.fills.vessel import VesselError, make_vessel
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import lathe

RADIUS, HEIGHT = 27.2, 46.0


def body_of_water() -> manifold3d.Manifold:
    """Water as it is modelled for a beaker: it reaches into the glass by a hair."""
    return manifold3d.Manifold.cylinder(HEIGHT, RADIUS, RADIUS, 128).translate([0, 0, 3.9])


def test_a_cylinder_has_its_top_edge_and_wall():
    body, wall = modelled_liquid(make_vessel(mesh_of(body_of_water())))
    assert body.level == pytest.approx(3.9 + HEIGHT, abs=1e-4)
    assert body.volume == pytest.approx(np.pi * RADIUS**2 * HEIGHT, rel=1e-3)
    assert body.edge == pytest.approx((0, 0), abs=1e-4)
    ((line, inwards),) = body.contact_lines
    around = np.linalg.norm(np.roll(line, -1, axis=0) - line, axis=1).sum()
    assert around == pytest.approx(2 * np.pi * RADIUS, rel=1e-3)
    assert (np.einsum("nk,nk->n", inwards, -line * (1, 0, 1)) / RADIUS > 0.99).all()
    wetted = trimesh.Trimesh(wall.vertices, wall.triangles, process=False)
    assert wetted.area == pytest.approx(2 * np.pi * RADIUS * HEIGHT + np.pi * RADIUS**2, rel=1e-3)
    away = wall.vertices[wall.triangles].mean(axis=1) - (0, 25, 0)
    assert (np.einsum("nk,nk->n", wetted.face_normals, away) < 0).all()


def test_a_modelled_edge_that_climbs_is_part_of_the_top():
    turn = np.linspace(0, np.pi / 2.4, 12)
    rise = [(24.0 - 3 * (1 - np.sin(t)) + 3 * np.sin(t) - 3 * np.sin(turn[-1]), 30 + 3 * (1 - np.cos(t))) for t in turn]
    edge = max(at[1] for at in rise)
    line = [(0, 0), (rise[-1][0], 0), *reversed(rise), (0, 30)]
    body, _ = modelled_liquid(make_vessel(lathe(line, 128)))
    assert len(body.contact_lines) == 1 and body.edge == pytest.approx((edge - 30,) * 2, abs=1e-3)
    assert 30 < body.level < 30.6


def test_bubbles_of_all_kinds_are_in_it():
    amounts = Amounts(20.0, 4.0, 10.0, 6, 0.8, 0.4, 0.0, 10.0, 3)
    body, wall = modelled_liquid(make_vessel(mesh_of(body_of_water())))
    made = bubbles(body, wall, amounts)
    inside = trimesh.creation.cylinder(RADIUS, HEIGHT, sections=128)
    place = made.centre[:, [0, 2, 1]] * (1, -1, 1) - (0, 0, 3.9 + HEIGHT / 2)
    assert len(made) > 20 * body.volume / 1000 + 100 and inside.contains(place).mean() > 0.999


@pytest.mark.parametrize("kind", ["open", "upside down"])
def test_what_is_no_body_of_liquid_is_said(kind):
    mesh = mesh_of(body_of_water())
    if kind == "open":
        broken = Mesh(mesh.vertices, mesh.triangles[40:], mesh.normals)
    else:
        broken = mesh_of(manifold3d.Manifold.cylinder(40, 20, 0.0, 64))  # a cone: nothing of it is level
    with pytest.raises(VesselError, match="hole|closed|level"):
        modelled_liquid(make_vessel(broken))


@pytest.fixture
def glass_project():
    """A beaker, and water that was modelled in it by another library."""
    assets = Assets()
    water = mesh_of(body_of_water())
    open_ = Mesh(water.vertices, water.triangles[60:], water.normals)
    parts = (
        Part(id="beaker", name="Beaker", mesh=assets.add(NamedMesh("Beaker", mesh_of(beaker()))), material="glass"),
        Part(id="water", name="Water", mesh=assets.add(NamedMesh("Water", water)), material="water"),
        Part(id="open", name="Open", mesh=assets.add(NamedMesh("Open", open_)), material="water", is_hidden=True),
    )
    glass = Material(id="glass", name="Glass", family="Glass", recipe=CLEAR)
    wet = Material(id="water", name="Water", family="Liquid", recipe=CLEAR.with_(specular_ior=1.33, contact="wet"))
    return new_project(Product(name="Set", parts=parts), (glass, wet), (60.0, 70.0, 60.0)), assets


def test_bubbles_rise_in_it_in_the_window(station, qtbot, tmp_path):  # noqa: F811
    window, workshop = station, station.workshop
    board, card = window.fill_board, window.fill_board.bubbles_card
    workshop.select("beaker")
    assert not card.add_button.isEnabled()
    workshop.select("water")
    assert board.row.folds["Bubbles"].card.isVisible() and card.add_button.isEnabled()
    still = picture_of(qtbot, window).astype(int)
    card.add_button.click()
    qtbot.waitUntil(lambda: window.fills.bubble_count > 100, timeout=30_000)
    assert "bubbles" in card.count.text() and not card.add_button.isVisible()
    card.rows["wall"].binding.set(25.0)
    card.rows["size"].binding.set(1.6)
    qtbot.waitUntil(lambda: window.fills.bubble_count > 1000, timeout=30_000)
    fizzy = picture_of(qtbot, window).astype(int)
    # Glass and water are of the same priority: bubbles that gave way would change a fiftieth of the picture.
    assert (np.abs(fizzy - still).sum(axis=2) > 40).mean() > 0.05
    save_project(tmp_path / "fizz.matshelf", workshop.project, workshop.assets)
    assert read_project(tmp_path / "fizz.matshelf")[0] == workshop.project
    bubble = window.fills.bubbles_part
    workshop.select(bubble.id)
    assert window.fills.bubbles_part == bubble and window.fills.fill_part is None
    card.remove_button.click()
    assert window.fills.bubbles_part is None

    workshop.select("open")
    card.add_button.click()
    note = board.vessel_card.note
    qtbot.waitUntil(lambda: note.text().startswith("No bubbles rise in it"), timeout=30_000)
