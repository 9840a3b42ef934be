"""Liquids on each other: how high they stand, what is seen of each, and all of it in the window."""

import manifold3d
import numpy as np
import pytest
from driving import picture_of
from test_fill_window import CAPACITY, fill, glass_project, station, told  # noqa: F401 - fixtures
from test_fills import mesh_of

from mat_shelf.commands.fills import FillCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.camera import Camera, View
from mat_shelf.document.fill import Fill
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.fills.liquids import LIQUIDS
from mat_shelf.geometry.mesh import places
from mat_shelf.library.library import Library
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.scene.material_table import project_material_table
from mat_shelf.scene.poured_liquids import poured_liquid

OIL = next(liquid for liquid in LIQUIDS if liquid.swatch == "olive-oil")


def liquid(color, index: float) -> Recipe:
    return Recipe(
        transmission_weight=1.0,
        specular_roughness=0.0,
        specular_ior=index,
        transmission_color=color,
        transmission_depth=30.0,
        contact="wet",
        nesting_priority=3,
    )


def glass_of(*fills: Fill, colors=((0.9, 0.5, 0.2), (0.4, 0.7, 0.9)), room=1.0, y=35.0) -> tuple[Project, Assets]:
    """A square tank, 40 mm wide inside, in an even room; `fills` lie on each other."""
    assets = Assets()
    tank = manifold3d.Manifold.cube([46, 46, 70]).translate([-23, -23, 0])
    tank -= manifold3d.Manifold.cube([40, 40, 70]).translate([-20, -20, 4])
    key = assets.add(NamedMesh("tank", mesh_of(tank)))
    clear = Recipe(transmission_weight=1.0, specular_roughness=0.0, nesting_priority=5)
    parts = [Part(id="tank", name="Tank", mesh=key, material="glass")]
    for number, each in enumerate(fills):
        over = f"liquid{number - 1}" if number else None
        own = each.with_(over=over, contact_angle=90.0)
        parts.append(Part(id=f"liquid{number}", name=str(number), mesh=key, material=f"m{number}", fill=own))
    recipes = (liquid(colors[0], 1.33), liquid(colors[1], 1.47))
    project = Project(
        name="Tank",
        product=Product(name="Tank", parts=tuple(parts)),
        materials=(
            Material(id="glass", name="Glass", recipe=clear),
            *(Material(id=f"m{k}", name=f"M{k}", recipe=recipe) for k, recipe in enumerate(recipes)),
        ),
        sets=(Set(id="s", name="s", surround=1000 * room, ground=1000 * room, backdrop=None),),
        current_set="s",
        views=(View(id="final", name="F", camera=Camera(position=(0, y, 500), target=(0, y, 0), focal_length=300)),),
    )
    return project, assets


def of(volume: float) -> Fill:
    return Fill(vessel=("tank",), measure="volume", volume=volume)


def test_each_stands_on_what_is_below_it():
    """Heights of 1.6 cm2 columns: a ml is 0.625 mm high."""
    project, assets = glass_of(of(32.0), of(16.0))
    low, high = (poured_liquid(project, project.part(f"liquid{k}"), assets) for k in (0, 1))
    assert low.level_mm == pytest.approx(20.0, abs=0.05) and high.level_mm == pytest.approx(30.0, abs=0.05)
    assert (low.volume_ml, high.volume_ml) == (pytest.approx(32.0, rel=2e-3), pytest.approx(16.0, rel=4e-3))
    top = project.part("liquid1")
    by_height = top.with_(fill=top.fill.with_(measure="headspace", headspace=26.0))
    found = poured_liquid(project.with_part(by_height), by_height, assets)
    assert found.volume_ml == pytest.approx((66 - 26) * 1.6 - 32, abs=0.1)
    too_much = top.with_(fill=top.fill.with_(volume=500.0))
    found = poured_liquid(project.with_part(too_much), too_much, assets)
    assert found.volume_ml == pytest.approx(66 * 1.6 - 32, rel=0.01)
    # Gravity is the lowest one's.
    tipped = project.with_part(project.part("liquid0").with_(fill=of(32.0).with_(tilt=10.0)))
    found = poured_liquid(tipped, tipped.part("liquid1"), assets)
    assert found.cavity is poured_liquid(tipped, tipped.part("liquid0"), assets).cavity is not high.cavity


@pytest.mark.parametrize("volume", [12.0, 20.0, 26.0, 33.0, 41.0, 50.0, 60.0])
def test_the_body_is_closed_at_every_level(volume, demo):
    """Of the demo's ink, whose bottle has corners at which the edge does not rise."""
    project, assets = demo
    part = next(p for p in project.product.parts if p.fill is not None)
    part = part.with_(fill=part.fill.with_(measure="volume", volume=volume))
    mesh = poured_liquid(project.with_part(part), part, assets).part.mesh
    corners = places(mesh.vertices)[mesh.triangles]
    edges = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])
    ahead = {tuple(edge) for edge in edges.tolist()}
    assert len(ahead) == len(edges) and all((b, a) in ahead for a, b in ahead)


@pytest.mark.long
def test_what_is_seen_of_each_is_that_liquid_alone():
    """At its own height each looks as a tank that holds nothing else."""
    both, assets = glass_of(of(48.0), of(32.0))
    seen = {}
    for name, fills, recipes in (
        ("both", (of(48.0), of(32.0)), None),
        ("low", (of(80.0),), 0),
        ("high", (of(80.0),), 1),
    ):
        project, assets = glass_of(*fills)
        if recipes == 1:
            project = project.with_part(project.part("liquid0").with_(material="m1"))
        seen[name] = render_picture(project, assets, 60, 60, 64, denoise=False).light

    def strip(name: str, low: float, high: float) -> np.ndarray:
        """Mean light of what lies between two heights, mm, in the middle of the tank."""
        rows = [round((0.5 - (y - 35.0) / (500 * 24 / 300)) * 60) for y in (high, low)]
        return seen[name][rows[0] : rows[1], 22:38].mean(axis=(0, 1))

    assert strip("both", 22, 28) == pytest.approx(strip("low", 22, 28), rel=0.02)
    assert strip("both", 40, 46) == pytest.approx(strip("high", 40, 46), rel=0.02)
    assert np.abs(strip("low", 22, 28) / strip("high", 22, 28) - 1).max() > 0.4
    assert seen["both"].min() >= 0


@pytest.mark.long
def test_clear_liquids_on_each_other_neither_take_nor_give_light():
    """A white furnace: three clear bodies that lie in each other."""
    white = ((1.0, 1.0, 1.0),) * 2
    project, assets = glass_of(of(32.0), of(32.0), colors=white, y=24.0)
    rendered = render_picture(project, assets, 48, 48, 256, denoise=False)
    tank = rendered.film.part >= 0
    assert tank.mean() > 0.6 and not rendered.film.sums.dropped.any()
    assert rendered.light[tank].mean() == pytest.approx(1.0, abs=0.004)


@pytest.mark.long
def test_liquids_are_poured_on_each_other_chosen_and_taken_out_in_the_window(station, qtbot, tmp_path):  # noqa: F811
    window, workshop = station, station.workshop
    fill(qtbot, window)
    card, fills = window.fill_board.liquid_card, window.fills
    fills.put("Volume", fills.fill.with_(measure="volume", volume=70.0))
    told(qtbot, window)
    low = fills.fill_part
    assert not card.stack_box.isVisible()
    before = picture_of(qtbot, window).astype(int)
    action = next(a for a in card.pour_button.menu().actions() if a.text() == OIL.name)
    action.trigger()
    qtbot.waitUntil(lambda: len(fills.stacked) == 2, timeout=30_000)
    poured = told(qtbot, window)
    high = fills.fill_part
    assert high.fill.over == low.id and workshop.selected == high.id and card.stack_box.isVisible()
    assert poured.below == pytest.approx(70_000) and poured.volume_ml == pytest.approx(0.25 * CAPACITY, rel=0.02)
    assert len(fills.section.liquids) == 2 and all(len(lines) for lines, _ in fills.section.liquids)
    after = picture_of(qtbot, window).astype(int)
    assert (np.abs(after - before).sum(axis=2) > 60).sum() > 100
    # The lower one takes its place on the board, and more of it lifts the other.
    card.stack_box.setCurrentIndex(0)
    card.stack_box.activated.emit(0)
    assert fills.fill_part.id == low.id
    told(qtbot, window)
    fills.put("Volume", fills.fill.with_(volume=85.0))
    workshop.select(high.id)
    assert told(qtbot, window).below == pytest.approx(85_000)
    # By its own level too, which cannot be dragged below what it lies on.
    fills.set_level(0.0)
    assert told(qtbot, window).volume_ml > 0.1
    card.rows["tilt"].binding.set(8.0)
    assert {workshop.project.part(i).fill.tilt for i in (low.id, high.id)} == {8.0}
    save_project(tmp_path / "layers.matshelf", workshop.project, workshop.assets)
    assert read_project(tmp_path / "layers.matshelf")[0] == workshop.project
    # Without the lower one the other sinks to the bottom.
    workshop.select(low.id)
    told(qtbot, window)
    window.fill_board.vessel_card.empty_button.click()
    assert [p.id for p in workshop.project.product.parts if p.fill is not None] == [high.id]
    assert workshop.project.part(high.id).fill.over is None
    workshop.select(high.id)
    assert told(qtbot, window).below == 0 and not card.stack_box.isVisible()


def test_stacks_that_cannot_be_are_refused_in_words(glass_project, tmp_path):  # noqa: F811
    session, said = Session(*glass_project, Library(tmp_path)), []
    session.said.connect(said.append)
    fills = FillCommands(session)
    session.select("beaker")
    fills.pour_on_top(OIL)
    assert "Fill a vessel first" in said[-1]
    fills.add_fill(share=99.9)
    fills.tell()
    fills.pour_on_top(OIL)
    assert "is full" in said[-1] and len(fills.stacked) == 1
    fills.put("Level", fills.fill.with_(share=20.0))
    for _ in range(5):
        session.select("beaker")
        fills.tell()
        fills.pour_on_top(OIL, volume=5.0)
    assert len(fills.stacked) == 4 and "4 liquids" in said[-1]
    top = fills.stacked[-1]
    session.select(top.id)
    fills.tell()
    fills.put("Volume", fills.fill.with_(volume=1e6))
    assert "beside what is below" in said[-1]
    # A ring, as a damaged file may have it, stands as if each lay on the others' floor, and ends.
    ring = session.project.with_part(fills.stacked[0].with_(fill=fills.stacked[0].fill.with_(over=top.id)))
    assert len(ring.product.liquids_under(ring.part(top.id).fill)) <= 4
    assert poured_liquid(ring, ring.part(top.id), session.assets).volume_ml > 0
    assert len(project_material_table(ring, session.assets).bodies.priority) == len(ring.product.parts) + 1
