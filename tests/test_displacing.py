"""True relief against solids of known size, and where it must not tear."""

import math

import numpy as np
import pytest
import trimesh
from driving import LEFT, click_part, picture_of
from PyQt6.QtTest import QTest

from mat_shelf.document.camera import Camera
from mat_shelf.document.mark import Mark
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.product import Part, Pose, Product, Zone
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.solids import box
from mat_shelf.patterns.sources import Checker, Constant, Gradient, Noise
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.session import RenderSession
from mat_shelf.scene import displacement
from mat_shelf.scene.displacement import ReshapedPart, displace, fill_displacements, needed_displacements


def project_of(mesh, recipe, pose=None, zones=(), others=(), marks=()):
    assets = Assets()
    part = Part(
        id="p", name="Block", mesh=assets.add(NamedMesh("p", mesh)), material="m", pose=pose or Pose(), zones=zones
    )
    materials = (Material(id="m", name="M", recipe=recipe), *others)
    project = new_project(Product(name="P", parts=(part,)), materials, (60.0, 60.0, 60.0))
    return project.with_(marks=tuple(marks)), assets


def relief_of(source, height, fineness, **placement):
    pattern = Pattern(id="r", name="R", steps=(source,), placement=Placement(**placement))
    row = Relief(id="row", pattern="r", height=height, is_displaced=True, fineness=fineness)
    return Recipe(patterns=(pattern,), relief=(row,))


def ball(radius=20.0):
    solid = trimesh.creation.icosphere(4)
    return checked(solid.vertices * radius, solid.faces, solid.vertices)


def solid_of(made: ReshapedPart) -> trimesh.Trimesh:
    return trimesh.Trimesh(made.mesh.vertices, made.mesh.triangles, process=True, merge_norm=True, merge_tex=True)


def test_a_ball_raised_all_over_is_a_larger_ball():
    project, assets = project_of(ball(), relief_of(Constant(value=1.0), 1.5, 0.8))
    made = displace(project, "p", assets)
    solid = solid_of(made)
    assert solid.is_watertight
    assert solid.volume == pytest.approx(4 / 3 * math.pi * 21.5**3, rel=0.004)
    sides = np.linalg.norm(np.diff(made.rest.reshape(-1, 3, 3)[:, [0, 1, 2, 0]], axis=1), axis=2)
    assert sides.max() <= 0.8


@pytest.mark.parametrize("mesh", [box((30, 20, 16), 0.01), box((30, 20, 16), 4), ball(12)])
def test_nothing_tears_at_creases_seams_and_borders_of_zones(mesh):
    """Noise of 2 mm over a sharp-edged body, two materials of different relief side by side: still one closed skin."""
    left = np.flatnonzero(mesh.vertices[mesh.triangles].mean(axis=1)[:, 0] < 0).astype(np.int32)
    assets = Assets()
    zone = Zone(id="z", name="Z", faces=assets.add_faces(left), material="other")
    other = Material(id="other", name="O", recipe=relief_of(Noise(seed=5), -1.0, 0.7, size=3.0))
    project, own = project_of(mesh, relief_of(Noise(), 2.0, 0.9, size=5.0), zones=(), others=(other,))
    own.faces.update(assets.faces)
    project = project.with_part(project.part("p").with_(zones=(zone,)))
    made = displace(project, "p", own)
    solid = solid_of(made)
    assert solid.is_watertight and solid.is_winding_consistent
    moved = np.linalg.norm(made.mesh.vertices[made.mesh.triangles].reshape(-1, 9) - made.rest, axis=1)
    assert moved.max() > 1.0


def seen_from(project, position, focal_length=200, target=(0, 0, 0)):
    camera = Camera(position=position, target=target, focal_length=focal_length)
    return project.with_view(project.view.with_(camera=camera))


def as_bump(project):
    material = project.material("m")
    rows = tuple(row.with_(is_displaced=False) for row in material.recipe.relief)
    return project.with_material(material.with_(recipe=material.recipe.with_(relief=rows)))


def test_its_outline_is_seen_and_its_colours_stay_where_they_were():
    """Of a ball with steps of 3 mm the outline changes, which bump leaves. Colours are not carried along."""
    recipe = relief_of(Checker(), 3.0, 0.5, projection="box", size=10.0)
    recipe = recipe.with_feed(Feed(input="base_color", pattern="r", low=(0, 0, 0), high=(0.8, 0.8, 0.8)))
    project, assets = project_of(ball(), recipe)
    project = seen_from(project, (0, 0, 400))
    both = as_bump(project), project
    bump, true = (render_picture(one, assets, 160, 120, 8, cut_out=True, denoise=False) for one in both)
    inside = bump.alpha[..., 0] > 0.5
    assert (true.alpha[..., 0] > 0.5).sum() > 1.05 * inside.sum()
    albedos = [one.film.picture("albedo")[..., 0] for one in (bump, true)]
    middle = (slice(45, 75), slice(65, 95))
    assert np.corrcoef(albedos[0][middle].ravel(), albedos[1][middle].ravel())[0, 1] > 0.8


def test_faces_are_picked_as_those_of_the_parts_own_mesh():
    cube = trimesh.creation.box((30, 30, 30))
    mesh = checked(cube.vertices, cube.faces, crease_degrees=10)
    project, assets = project_of(mesh, relief_of(Noise(), 1.0, 0.7, size=6.0))
    project = seen_from(project, (120, 80, 200), 85)
    session = RenderSession(assets)
    try:
        session.resize(64, 48)
        session.update(project)
        before = session.step().first_hits
        assert fill_displacements(project, assets) == []
        session.update(project)
        after = session.step().first_hits
    finally:
        session.close()
    assert len(after.geometry.triangles.corners) > 5 * len(before.geometry.triangles.corners)
    both = (before.part == 0) & (after.part == 0)
    assert (
        both.sum() > 300 and (before.faces[both] == after.faces[both]).mean() > 0.9
    )  # borders move by the relief's 1 mm
    assert after.faces[after.part == 0].max() < len(mesh.triangles)


def test_what_is_too_fine_is_refused_in_words_and_left_as_bump(monkeypatch):
    monkeypatch.setattr(displacement, "MOST_RELIEF_TRIANGLES", 200_000)
    project, assets = project_of(ball(), relief_of(Noise(), 0.5, 0.02))
    (words,) = fill_displacements(project, assets)
    assert "Block" in words and "more than 0.2 million" in words and "mm on it fits" in words
    picture = render_picture(project, assets, 32, 24, 1, denoise=False)
    assert np.isfinite(picture.light).all() and picture.task.geometry.rest is None
    enough = float(words.split("from ")[1].split(" mm")[0])
    coarse = project.with_material(project.material("m").with_(recipe=relief_of(Noise(), 0.5, enough)))
    assert fill_displacements(coarse, assets) == []
    monkeypatch.setattr(displacement, "MOST_RELIEF_TOGETHER", 1000)
    assert "stays bump" in displace(coarse, "p", assets, 1000)


def test_it_is_made_anew_where_what_it_depends_on_changed_and_only_then():
    project, assets = project_of(ball(), relief_of(Gradient(), 0.5, 1.5, size=20.0))
    fill_displacements(project, assets)
    first = assets.displaced["p"][1]
    repainted = project.with_material(
        project.material("m").with_(recipe=project.material("m").recipe.with_(base_color=(0.1, 0.1, 0.1)))
    )
    fill_displacements(repainted, assets)
    assert assets.displaced["p"][1] is first
    higher = project.with_material(project.material("m").with_(recipe=relief_of(Gradient(), 0.6, 1.5, size=20.0)))
    fill_displacements(higher, assets)
    assert assets.displaced["p"][1] is not first
    assert needed_displacements(as_bump(project)) == {}
    fill_displacements(as_bump(project), assets)
    assert assets.displaced == {}


@pytest.mark.parametrize("rise", [0.4, -0.3])
def test_a_stamp_stands_as_high_and_slopes_as_wide_as_it_says(rise):
    """A stamp of 10 mm on a plate: measured on the displaced mesh, its middle is `rise` high, its flanks 1 mm wide."""
    stamp = Mark(
        id="s",
        name="S",
        kind="stamp",
        part="p",
        point=(0, 2, 0),
        facing=(0, 1, 0),
        width=10.0,
        height=10.0,
        rise=rise,
        slope=1.0,
        profile="straight",
        is_displaced=True,
    )
    project, assets = project_of(box((40, 4, 40), 0.01), Recipe(), marks=[stamp])
    made = displace(project, "p", assets)
    assert solid_of(made).is_watertight
    own = made.mesh.vertices
    top = own[(np.abs(own[:, 0]) < 8) & (np.abs(own[:, 2]) < 8) & (own[:, 1] > 1)]
    middle = top[np.abs(top[:, [0, 2]]).max(axis=1) < 3.5]
    assert middle[:, 1] == pytest.approx(own_top(made) + rise, abs=0.01)
    flank = top[(np.abs(top[:, 2]) < 3) & (top[:, 0] > 4.1) & (top[:, 0] < 4.9)]
    slope, _ = np.polyfit(flank[:, 0], flank[:, 1], 1)
    assert len(flank) > 10 and slope == pytest.approx(-rise / 1.0, rel=0.08)
    beyond = top[np.abs(top[:, 0]) > 5.3]
    assert beyond[:, 1] == pytest.approx(own_top(made), abs=1e-4)


def test_a_stamp_over_an_edge_leaves_what_is_far_from_it_as_it_was():
    """A plain one made flat onto a plate reaches 5 mm beyond its edge, where its net has no place."""
    stamp = Mark(
        id="s", name="S", kind="stamp", part="p", point=(18, 2, 0), facing=(0, 1, 0), width=14, height=14,
        way="flat", rise=0.4, slope=1.0, is_displaced=True,
    )  # fmt: skip
    project, assets = project_of(box((40, 4, 40), 0.01), Recipe(), marks=[stamp])
    made = displace(project, "p", assets)
    assert isinstance(made, ReshapedPart)
    middle = made.rest.reshape(-1, 3, 3).mean(axis=1)
    assert ((middle[:, 0] > 10) & (abs(middle[:, 2]) < 8)).mean() > 0.8  # the plate has triangles of its own


def own_top(made):
    return made.rest.reshape(-1, 3)[:, 1].max()


@pytest.mark.long
def test_a_row_becomes_true_relief_in_the_window_and_back_by_one_click(open_window, qtbot):
    """The outline of a block with 3 mm steps changes once the surface is made, and is straight again as bump."""
    recipe = relief_of(Checker(), 3.0, 1.0, projection="box", size=12.0).with_(base_color=(0.5, 0.05, 0.05))
    project, assets = project_of(box((40, 40, 40), 1), recipe)
    window = open_window(as_bump(project), assets)
    click_part(window, "p")
    flat = seen_share(qtbot, window)
    row = window.board.relief_card.rows["row"]
    assert row.way.text() == "Bump"
    QTest.mouseClick(row.way, LEFT)
    assert window.workshop.project.material("m").recipe.relief[0].is_displaced
    qtbot.waitUntil(lambda: "p" in assets.displaced and window.shapes.job is None, timeout=60_000)
    assert seen_share(qtbot, window) > flat + 200 and row.way.text() == "True"
    QTest.mouseClick(row.way, LEFT)
    assert abs(seen_share(qtbot, window) - flat) < 20
    window.workshop.undo()
    assert seen_share(qtbot, window) > flat + 200  # what was made is still there


def seen_share(qtbot, window) -> int:
    picture_of(qtbot, window)
    return int((window.viewport.frame.first_hits.part == 0).sum())
