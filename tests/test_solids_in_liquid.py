"""Solids in liquid: what they push aside, how deep they float, and light through all of it."""

import manifold3d
import numpy as np
import pytest
from driving import picture_of
from PyQt6.QtWidgets import QInputDialog
from test_fill_window import fill, glass_project, station, told  # noqa: F401 - fixtures
from test_fills import mesh_of
from test_stacked_liquids import glass_of, of

from mat_shelf.commands.fills import FillCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.product import Part, Pose
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.library.library import Library
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.scene.poured_liquids import poured_liquid

SIDE, FLOOR, AREA = 14.0, 4.0, 1600.0
"""mm and mm2: of the cube, and of the tank of `glass_of`."""


def with_solid(project: Project, assets: Assets, at, solid=None, **fields) -> Project:
    if solid is None:
        solid = manifold3d.Manifold.cube([SIDE] * 3).translate([-SIDE / 2, -SIDE / 2, 0])
    mesh = solid if isinstance(solid, Mesh) else mesh_of(solid)
    key = assets.add(NamedMesh("solid", mesh))
    part = Part(id="solid", name="Cube", mesh=key, material="glass", pose=Pose(shift=at), **fields)
    return project.with_parts((*project.product.parts, part))


def level_of(project: Project, assets: Assets) -> float:
    """Over the floor of the tank, mm."""
    poured = poured_liquid(project, project.part("liquid0"), assets)
    assert poured.volume_ml == pytest.approx(48.0, rel=2e-3)
    return poured.body.level - FLOOR


@pytest.mark.parametrize(
    ("bottom", "expected"),
    [
        (4.0, 30 + SIDE**3 / AREA),  # on the floor, whole
        (18.0, 30 + SIDE**3 / AREA),
        (28.0, (30 * AREA - 24 * SIDE**2) / (AREA - SIDE**2)),  # up to there it is a tank with less of a floor
        (45.0, 30.0),  # above it
    ],
)
def test_liquid_rises_by_what_is_pushed_aside(bottom, expected):
    project, assets = glass_of(of(48.0))
    assert level_of(with_solid(project, assets, (3.0, bottom, -2.0)), assets) == pytest.approx(expected, abs=0.01)


def test_only_solids_that_are_in_it_count():
    project, assets = glass_of(of(48.0))
    assert level_of(with_solid(project, assets, (60.0, 4.0, 0.0)), assets) == pytest.approx(30.0, abs=0.01)
    hidden = with_solid(project, assets, (0.0, 4.0, 0.0), is_hidden=True)
    assert level_of(hidden, assets) == pytest.approx(30.0, abs=0.01)
    cube = mesh_of(manifold3d.Manifold.cube([SIDE] * 3))
    torn = crease_normals(cube.vertices, cube.triangles[2:])  # two faces are missing
    assert level_of(with_solid(project, assets, (0.0, 4.0, 0.0), torn), assets) == pytest.approx(30.0, abs=0.01)
    # A rod leans out over the brim; a lid over all of it would leave no brim, and takes no room.
    rod = manifold3d.Manifold.cylinder(90, 3, 3, 64)
    expected = 48_000 / (AREA - 32 * 9 * np.sin(2 * np.pi / 64))  # of the polygon of 64 sides
    assert level_of(with_solid(project, assets, (0.0, 4.0, 0.0), rod), assets) == pytest.approx(expected, abs=0.02)
    lid = manifold3d.Manifold.cube([44, 44, 8]).translate([-22, -22, 66])
    shut = with_solid(project, assets, (0.0, 0.0, 0.0), lid)
    assert level_of(shut, assets) == pytest.approx(30.0, abs=0.01)
    assert not poured_liquid(shut, shut.part("liquid0"), assets).cavity.is_closed
    # It counts where it is now.
    moved = with_solid(project, assets, (60.0, 4.0, 0.0))
    back = moved.with_part(moved.part("solid").with_(pose=Pose(shift=(0.0, 4.0, 0.0))))
    assert level_of(back, assets) == pytest.approx(30 + SIDE**3 / AREA, abs=0.01)


@pytest.mark.parametrize(("density", "liquid"), [(0.917, 0.998), (0.5, 0.998), (0.7, 0.91)])
def test_a_cube_floats_as_archimedes_says(density, liquid, tmp_path):
    """Under the level is the share of its height that its density is of the liquid's."""
    project, assets = glass_of(of(48.0).with_(density=liquid))
    session, said = Session(with_solid(project, assets, (2.0, 9.0, 1.0)), assets, Library(tmp_path)), []
    session.said.connect(said.append)
    session.select("solid")
    fills = FillCommands(session)
    fills.float_part(density)
    level = level_of(session.project, assets) + FLOOR
    bottom = session.project.part("solid").pose.shift[1]
    assert level - bottom == pytest.approx(SIDE * density / liquid, abs=0.02)
    assert level - FLOOR == pytest.approx(30 + SIDE**3 * density / liquid / AREA, abs=0.01)
    fills.float_part(1.4)
    assert "denser" in said[-1] and session.project.part("solid").pose.shift[1] == bottom
    session.undo()
    assert session.project.part("solid").pose.shift == (2.0, 9.0, 1.0)


def under_level(session, assets, part="solid"):
    """How deep a part lies, mm."""
    return level_of(session.project, assets) + FLOOR - session.project.part(part).pose.shift[1]


def test_what_floats_follows_the_level(tmp_path):
    """By Archimedes at each level, in the step of the history that changed it; what stays does not."""
    project, assets = glass_of(of(48.0))
    project = with_solid(project, assets, (8.0, 9.0, 1.0))
    other = project.part("solid").with_(id="other", name="Other", pose=Pose(shift=(-9.0, 30.0, 0.0)))
    session = Session(project.with_parts((*project.product.parts, other)), assets, Library(tmp_path))
    fills = FillCommands(session)
    for part, density in (("solid", 0.5), ("other", 0.25)):
        session.select(part)
        fills.float_part(density)
    assert under_level(session, assets) == pytest.approx(SIDE * 0.5 / 0.998, abs=0.02)  # the other one lifted it
    count, floating = session.history.position, session.project
    session.select("liquid0")
    fills.tell()
    for volume in (60.0, 72.0):
        fills.put("Volume", fills.fill.with_(volume=volume), "drag")
    session.history.end_gesture()
    body = poured_liquid(session.project, session.project.part("liquid0"), assets).body
    for part, density in (("solid", 0.5), ("other", 0.25)):
        deep = body.level - session.project.part(part).pose.shift[1]
        assert deep == pytest.approx(SIDE * density / 0.998, abs=0.02)
    assert body.level - FLOOR == pytest.approx(45 + SIDE**3 * 0.75 / 0.998 / AREA, abs=0.02)
    assert session.history.position == count + 1
    session.undo()
    assert session.project == floating
    session.redo()
    session.select("other")
    fills.let_stay()
    before = session.project.part("other").pose
    session.select("liquid0")
    fills.put("Volume", fills.fill.with_(volume=50.0))
    assert session.project.part("other").pose == before and session.project.part("other").floats is None
    assert session.project.part("solid").pose.shift[1] < before.shift[1]
    # Too little to bear it: it stays where it floated last.
    low, said = session.project.part("solid").pose, []
    session.said.connect(said.append)
    for volume in (3.0, 2.5):
        fills.put("Volume", fills.fill.with_(volume=volume))
    assert session.project.part("solid").pose == low
    (words,) = said
    assert "Cube stays where it is" in words and "too little liquid" in words


def test_what_was_found_before_an_undo_moves_nothing(tmp_path):
    project, assets = glass_of(of(48.0))
    waiting = []
    session = Session(with_solid(project, assets, (2.0, 9.0, 1.0)), assets, Library(tmp_path))
    session.select("solid")
    fills = FillCommands(session)
    fills.float_part(0.5)
    floating = session.project
    session.select("liquid0")
    session.aside = lambda work, then, failed: waiting.append((work, then))
    fills.put("Volume", fills.fill.with_(volume=60.0))
    session.undo()
    while waiting:
        work, then = waiting.pop(0)
        then(work())
        assert session.project == floating


def test_what_floats_may_be_carried_by_hand(tmp_path):
    project, assets = glass_of(of(48.0))
    session = Session(with_solid(project, assets, (2.0, 9.0, 1.0)), assets, Library(tmp_path))
    session.select("solid")
    fills = FillCommands(session)
    fills.float_part(0.5)
    lifted = session.project.part("solid").with_(pose=Pose(shift=(2.0, 38.0, 1.0)))
    session.edit("Lift", session.project.with_part(lifted))
    assert session.project.part("solid").pose == lifted.pose
    session.select("liquid0")
    fills.put("Density", fills.fill.with_(density=1.2))
    assert under_level(session, assets) == pytest.approx(SIDE * 0.5 / 1.2, abs=0.02)


def test_a_part_with_holes_is_told(tmp_path):
    project, assets = glass_of(of(48.0))
    cube = mesh_of(manifold3d.Manifold.cube([SIDE] * 3))
    torn = with_solid(project, assets, (0.0, 4.0, 0.0), crease_normals(cube.vertices, cube.triangles[2:]))
    session = Session(torn, assets, Library(tmp_path))
    fills = FillCommands(session)
    session.select("tank")
    fills.tell()
    assert "Cube pushes nothing aside" in fills.note and not fills.fault
    session.edit("Whole", with_solid(project, assets, (0.0, 4.0, 0.0)))
    fills.tell()
    assert not fills.note


def test_a_part_of_its_own_priority_needs_no_material():
    project, assets = glass_of(of(48.0), of(16.0))
    bare = with_solid(project, assets, (0.0, 4.0, 0.0))
    bare = bare.with_part(bare.part("solid").with_(material=None, priority=7))
    for part_id in ("solid", "liquid0"):
        bare = bare.with_part(bare.part(part_id).with_(material=None))
    assert np.isfinite(render_picture(bare, assets, 16, 16, 1, denoise=False).light).all()


def test_what_cannot_float_is_said(tmp_path):
    project, assets = glass_of(of(6.0))
    session, said = Session(with_solid(project, assets, (0.0, 4.0, 0.0)), assets, Library(tmp_path)), []
    session.said.connect(said.append)
    fills = FillCommands(session)
    fills.float_part(0.9)
    assert "Select a solid" in said[-1]
    session.select("solid")
    fills.float_part(0.9)
    assert "too little liquid" in said[-1]
    session.edit("Away", session.project.with_part(session.project.part("solid").with_(pose=Pose(shift=(90, 0, 0)))))
    fills.float_part(0.9)
    assert "in no liquid" in said[-1]


@pytest.mark.long
def test_clear_solids_in_two_liquids_neither_take_nor_give_light():
    """A white furnace: ice half in oil, half in water, in glass."""
    project, assets = glass_of(of(32.0), of(32.0), colors=((1.0, 1.0, 1.0),) * 2, y=24.0)
    project = with_solid(project, assets, (3.0, 17.0, 2.0))
    rendered = render_picture(project, assets, 48, 48, 256, denoise=False)
    tank = rendered.film.part >= 0
    assert tank.mean() > 0.6 and not rendered.film.sums.dropped.any()
    assert rendered.light[tank].mean() == pytest.approx(1.0, abs=0.004)


@pytest.mark.long
def test_a_solid_floats_in_the_window(station, qtbot, monkeypatch):  # noqa: F811
    window, workshop = station, station.workshop
    fill(qtbot, window)
    fills, card = window.fills, window.fill_board.vessel_card
    fills.put("Volume", fills.fill.with_(measure="volume", volume=90.0))
    before = told(qtbot, window).level_mm
    block = workshop.project.part("block")  # 20 mm, from x = 45: into the middle of the beaker, off its floor
    pose = block.pose.with_(shift=tuple(np.add(block.pose.shift, (-55.0, 12.0, 0.0)).tolist()))
    workshop.edit("Into it", workshop.project.with_part(block.with_(pose=pose)))
    workshop.select("beaker")
    dipped = told(qtbot, window).level_mm
    assert dipped == pytest.approx(before + 20**3 / (np.pi * 27**2), abs=0.05)
    workshop.select("block")
    picture = picture_of(qtbot, window).astype(int)
    qtbot.waitUntil(card.float_button.isVisible, timeout=10_000)
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_: (0.5, True))
    card.float_button.click()
    qtbot.waitUntil(lambda: workshop.project.part("block").pose != pose, timeout=30_000)
    workshop.select("beaker")
    poured = told(qtbot, window)
    bottom = workshop.project.part("block").pose.shift[1]
    assert poured.body.level - bottom == pytest.approx(20 * 0.5 / 0.998, abs=0.05)
    floating = picture_of(qtbot, window).astype(int)
    assert (np.abs(floating - picture).sum(axis=2) > 60).sum() > 100
    workshop.select("block")
    assert card.float_button.text() == "Floats, 0.5 g/cm³…"
    workshop.select("beaker")
    fills.put("Volume", fills.fill.with_(volume=120.0))
    qtbot.waitUntil(lambda: workshop.project.part("block").pose.shift[1] > bottom + 8, timeout=30_000)
    poured = told(qtbot, window)
    now = workshop.project.part("block").pose.shift[1]
    assert poured.body.level - now == pytest.approx(20 * 0.5 / 0.998, abs=0.05)
    lifted = picture_of(qtbot, window).astype(int)
    assert (np.abs(lifted - floating).sum(axis=2) > 60).sum() > 100
    workshop.select("block")
    card.stay_button.click()
    assert workshop.project.part("block").floats is None and not card.stay_button.isVisible()
