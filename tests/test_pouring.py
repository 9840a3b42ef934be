"""Streams that are poured: their fall, their foot, what they land on, and both in the real window."""

import math

import manifold3d
import numpy as np
import pytest
import trimesh
from driving import picture_of
from test_beads import in_a_white_furnace
from test_fill_window import fill, glass_project, pulled, station, told  # noqa: F401 - fixtures
from test_fills import cavity_in, cup

from mat_shelf.commands.fills import FillCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.materials.flattening import flattened
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.liquid import pour, wall_depths, wall_thickness
from mat_shelf.fills.meniscus import capillary_length
from mat_shelf.fills.pouring import Fall, climbed, landing_nodes, stream_mesh
from mat_shelf.library.library import Library

G = 9806.65  # mm/s2


def test_a_surface_climbs_threads_and_walls_as_theory_says(figure):
    """A thin thread: h = r (ln(4 a / r) - 0.5772) (James 1974, J. Fluid Mech. 63); a wall: sqrt(2) a."""
    length = capillary_length(72.8, 0.998)
    for radius in (0.1, 0.2):
        distance, height = climbed(radius, length)
        assert distance[0] == pytest.approx(radius, rel=1e-3)
        assert height[0] == pytest.approx(radius * (math.log(4 * length / radius) - 0.5772), rel=0.02)
        figure(height[0], radius * (math.log(4 * length / radius) - 0.5772))
    distance, height = climbed(600.0, length)
    assert height[0] == pytest.approx(math.sqrt(2) * length, rel=0.005)
    # One capillary length from a plane wall (Batchelor 1967, 1.9): x / a from the height by the first integral.
    at = np.interp(600 + length, distance, height) / length
    gone = [math.acosh(2 / h) - math.sqrt(4 - h * h) for h in (at, math.sqrt(2))]
    assert gone[0] - gone[1] == pytest.approx(1, abs=0.01)


@pytest.mark.parametrize("radius", [0.01, 3.0, 100.0])
@pytest.mark.parametrize("length", [0.003, 2.7, 45.0])
def test_any_stream_has_a_foot_of_few_nodes(radius, length):
    """Of liquids next to without surface tension, and such with more than any has."""
    distance, height = climbed(radius, length)
    assert (np.diff(height) <= 1e-9).all() and 0 < height[0] < 1.5 * length and np.isfinite(distance).all()
    for rings, width in ((0.0, 0.5), (1.0, 0.5), (1.0, 200.0)):
        fall = Fall(0.0, 0.0, 50.0, width=2 * radius, rings=rings, ring_width=width)
        nodes, middle, reach = landing_nodes(fall, length)
        assert len(nodes) < 15_000 and np.hypot(*(nodes - middle).T).max() <= reach + 1e-9 + length


def test_a_stream_holds_what_flows_while_it_falls(figure):
    """Its volume in the air is its rate times the time that it falls; it begins and lands where it was asked to."""
    fall = Fall(3.0, -2.0, 150.0, 40.0, 30.0, 6.0, 0.4)
    skin = stream_mesh(fall, 20.0, 5.0)
    solid = trimesh.Trimesh(skin.vertices, skin.triangles, process=True)
    assert solid.is_watertight and solid.volume > 0
    air = manifold3d.Manifold(manifold3d.Mesh(np.float32(solid.vertices), np.uint32(solid.faces)))
    air = air.trim_by_plane((0, 1, 0), 20.0)
    duration = (math.sqrt(400**2 + 2 * G * 150) - 400) / G
    rate = math.pi * 3**2 * math.hypot(400, 40 / duration)
    begin = 2 / 3 * math.pi * 3**3  # its round end
    assert air.volume() - begin == pytest.approx(rate * duration, rel=0.01)
    figure(air.volume() - begin, rate * duration)
    assert fall.flow == pytest.approx(rate / 1000)
    around = skin.vertices[np.abs(skin.vertices[:, 1] - 20) < 0.5]
    assert around.mean(axis=0)[[0, 2]] == pytest.approx([3, -2], abs=0.2)
    top = skin.vertices[skin.vertices[:, 1] > 169].mean(axis=0)
    sideways = np.array([math.cos(math.radians(30)), -math.sin(math.radians(30))]) * 40
    assert top[[0, 2]] == pytest.approx(np.array([3, -2]) + sideways, abs=1)
    # Nothing holds it up: a piece on its way is where a thrown stone is.
    middle = fall.line(np.array([duration / 2]))[0]
    assert middle[1] == pytest.approx(150 - 400 * duration / 2 - G * duration**2 / 8)


def test_what_it_lands_on_keeps_its_volume_and_climbs_it():
    cavity = cavity_in(cup(25, 60, 2, 3))
    depths, volume = wall_depths(wall_thickness(cavity), 0.1), 70_000.0
    length = capillary_length(72.8, 0.998)
    for rings in (0.0, 0.8):
        fall = Fall(4.0, 3.0, 80.0, 10.0, 0.0, 5.0, 0.3, rings=rings)
        made = pour(cavity, depths, volume, Wetting(fall=fall))
        solid = trimesh.Trimesh(made.mesh.vertices, made.mesh.triangles, process=True)
        assert solid.is_watertight and made.volume == pytest.approx(volume, rel=2e-3)
        top = made.mesh.vertices[made.mesh.normals[:, 1] > 0.05]
        away = np.hypot(top[:, 0] - 4, top[:, 2] - 3)
        foot = top[(away < 1.05 * fall.foot) & (top[:, 1] > made.level - 1), 1]
        still = np.median(top[(away > 3 * length) & (away < 4 * length), 1])
        rise = climbed(round(fall.foot, 4), round(length, 4))[1][0]
        assert foot.max() - still == pytest.approx(rise, abs=0.25)
        ring = top[(away > fall.foot + 3.5) & (away < fall.foot + 10), 1]
        assert np.ptp(ring) > 0.5 if rings else np.ptp(ring) < 0.3


def test_clear_water_that_is_poured_neither_takes_nor_gives_light():
    """A stream in the room of the water that it lands in; a path that lost count would bring 0.56 of the light."""
    cavity = cavity_in(cup(25, 40, 2, 3))
    fall = Fall(0.0, 0.0, 60.0, 8.0, 0.0, 6.0, 0.3, 0.5, 0.4)
    body = pour(cavity, wall_depths(wall_thickness(cavity), 0.1), 40_000.0, Wetting(fall=fall))
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.52, nesting_priority=5)
    water = glass.with_(specular_ior=1.333, nesting_priority=3)
    above = Camera(position=(80, 160, 120), target=(0, 30, 0), focal_length=110)
    mean, least = in_a_white_furnace(
        [cup(25, 40, 2, 3), body.mesh, stream_mesh(fall, body.level, 5.0)], [glass, water, water], above
    )
    assert mean == pytest.approx(1, abs=3e-3) and least > 0.75


@pytest.fixture
def poured(glass_project):  # noqa: F811 - a fixture
    """Commands on a beaker with water; whatever was said."""
    session = Session(*glass_project, Library())
    said: list[str] = []
    session.said.connect(said.append)
    session.select("beaker")
    fills = FillCommands(session)
    fills.add_fill()
    fills.tell()
    return fills, said


def test_what_cannot_be_poured_says_why(poured):
    fills, said = poured
    fills.add_stream()
    fills.tell()
    assert "ml/s" in fills.stream_words and not said
    for values, words in (
        ({"across": 26.6}, "beside the liquid"),
        ({"across": 300.0}, "beside the liquid"),
        ({"aside": 900.0, "height": 40.0}, "through the wall"),
    ):
        fills.session.edit("Stream", fills.with_stream(fills.stream.with_(**values)))
        fills.tell()
        assert words in fills.note and fills.stream_words == "not poured", values
        fills.session.undo()
    fills.session.select("block")
    fills.add_stream()
    assert "Fill a vessel first" in said[-1]


def test_it_goes_with_its_liquid_and_into_models(poured):
    fills, _ = poured
    fills.add_stream()
    stream = fills.stream_part
    assert stream.material == fills.fill_part.material
    flat = flattened(fills.project, fills.session.assets, 64)
    tops = [part.mesh.bounds[1][1] for part in flat.parts]
    brim = tops[0]
    assert len(flat.parts) == 4 and max(tops) > brim + 10
    fills.remove(fills.fill_part)
    assert fills.stream_part is None and [p.id for p in fills.project.product.parts] == ["beaker", "block"]


@pytest.mark.long
def test_it_is_poured_dragged_and_switched_off_in_the_window(station, qtbot, tmp_path):  # noqa: F811 - a fixture
    window, workshop = station, station.workshop
    card = window.fill_board.stream_card
    workshop.select("beaker")
    assert not card.add_button.isEnabled()
    fill(qtbot, window)
    still = picture_of(qtbot, window).astype(int)
    card.add_button.click()
    assert window.fill_board.row.folds["Stream"].card.isVisible()
    told(qtbot, window)
    made = picture_of(qtbot, window).astype(int)
    change = np.abs(made - still).sum(axis=2)
    assert change.max() > 60 and 0.001 < (change > 40).mean() < 0.2
    assert "ml/s" in card.count.text()

    card.rows["height"].binding.set(36.0)
    told(qtbot, window)
    mouth = window.stream_handles.places()["mouth"].toPoint()
    before = window.fills.stream
    to = mouth + (window.stream_handles.places()["landing"].toPoint() - mouth) * 0.4
    pulled(window.viewport, mouth, to)
    assert window.fills.stream.height < 0.8 * before.height
    assert workshop.history.undo_label == "Mouth of the stream"
    landing = window.stream_handles.places()["landing"].toPoint()
    aside = landing + (window.viewport.rect().topRight() - window.viewport.rect().topLeft()) / 60
    pulled(window.viewport, landing, aside)
    assert window.fills.stream.across > 2 and abs(window.fills.stream.ahead) < 12
    told(qtbot, window)
    moved = picture_of(qtbot, window).astype(int)
    assert (np.abs(moved - made).sum(axis=2) > 40).mean() > 0.001
    save_project(tmp_path / "poured.matshelf", workshop.project, workshop.assets)
    assert read_project(tmp_path / "poured.matshelf")[0] == workshop.project
    card.on_box.click()
    dry = picture_of(qtbot, window).astype(int)
    assert np.abs(dry - still).sum(axis=2).mean() < 6 and window.stream_handles.places() == {}
    card.remove_button.click()
    assert window.fills.stream_part is None


def test_a_stream_into_a_vessel_of_another_library_at_a_tilt(poured):
    """It falls along gravity, which is tilted, and lands on the level surface."""
    from mat_shelf.scene.poured_streams import poured_stream

    fills, _ = poured
    fills.add_stream()
    fills.put("Tilt", fills.fill.with_(tilt=20.0))
    made = poured_stream(fills.project, fills.stream_part, fills.session.assets)
    solid = trimesh.Trimesh(made.part.mesh.vertices, made.part.mesh.triangles, process=True)
    assert solid.is_watertight
    fills.tell()
    mouth, landing = fills.stream_ends
    up = fills.stream_up
    assert (mouth - landing) @ up == pytest.approx(fills.stream.height, rel=1e-3)
    assert up[1] == pytest.approx(math.cos(math.radians(20)), abs=1e-6)
    ends = solid.vertices @ up
    assert ends.max() == pytest.approx(mouth @ up + fills.stream.width / 2, abs=0.3)
