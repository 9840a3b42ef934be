"""Clear bodies that touch, overlap, or leave a gap."""

import numpy as np
import pytest
from test_rendering import AHEAD, take

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Pose, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.geometry.solids import box, lathe
from mat_shelf.scene import dielectric_contact
from mat_shelf.scene.dielectric_contact import Body, resolve_contact
from mat_shelf.scene.kept import Kept
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.project_geometry import project_geometry
from mat_shelf.scene.rooms import plain_room

SOLID, LIQUID = Body(5, False, True), Body(3, True, True)
GLASS = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.52, nesting_priority=5)
INK = Recipe(
    transmission_weight=1.0,
    specular_roughness=0.0,
    specular_ior=1.333,
    nesting_priority=3,
    transmission_color=(0.3, 0.5, 0.8),
    transmission_depth=20.0,
)
SHELL = lathe([(0, -32), (32, -32), (32, 32), (0, 32), (0, 28), (28, 28), (28, -28), (0, -28)], 192)


def liquid(half, sides=192):
    return lathe([(0, -half), (half, -half), (half, half), (0, half)], sides)


def picture(ink, tolerance=0.05):
    solids = resolve_contact([SHELL, ink], [SOLID, LIQUID], tolerance)
    room = make_lights(plain_room(1400, 200))
    return take(solids, [GLASS, INK], room, AHEAD, samples=64, size=(48, 48))


@pytest.mark.parametrize("half", [28.0, 27.97, 28.02])
def test_contact_looks_as_an_overlap(half):
    """Meeting the wall, a hair's gap and a hair's overlap are one and the same interface (Schmidt and Budge 2002)."""
    reaching = picture(liquid(30.0))
    assert picture(liquid(half)).mean(axis=(0, 1)) == pytest.approx(reaching.mean(axis=(0, 1)), rel=0.02)


def test_contact_holds_where_both_are_cut_into_other_facets():
    """64 facets in 192: the chords leave gaps and overlaps of up to 0.04 mm by turns."""
    seen = picture(liquid(28.0, 64)).mean(axis=(0, 1))
    assert seen == pytest.approx(picture(liquid(30.0)).mean(axis=(0, 1)), rel=0.03)


def test_a_wider_gap_keeps_both_its_surfaces():
    apart = liquid(27.8)
    assert resolve_contact([SHELL, apart], [SOLID, LIQUID], 0.05)[1] is apart
    assert resolve_contact([SHELL, liquid(27.97)], [SOLID, LIQUID], 0.0)[1].bounds[1, 0] == pytest.approx(27.97)
    gap, contact = picture(apart), picture(apart, tolerance=0.3)
    assert np.abs(gap.mean(axis=(0, 1)) / contact.mean(axis=(0, 1)) - 1).max() > 0.03


def test_only_the_lower_one_is_carried_on_and_only_where_they_touch():
    level = lathe([(0, -28), (27.97, -28), (27.97, 5), (0, 5)], 192)  # the liquid's top stands free
    shell, ink = resolve_contact([SHELL, level], [SOLID, LIQUID], 0.05)
    assert shell is SHELL
    assert ink.bounds[1, 1] == pytest.approx(5, abs=1e-3)
    assert 28.0 < ink.bounds[1, 0] < 28.13 and -28.13 < ink.bounds[0, 1] < -28.0


def test_sheets_and_what_has_holes_are_kept_out_of_what_they_touch():
    """A box of panes and a box of lace stand on the floor: light that passes their feet comes upon the floor."""
    looks = {
        "pane": Recipe(transmission_weight=1.0, geometry_thin_walled=True),
        "lace": Recipe(geometry_opacity=0.5),
        "matt": Recipe(),
    }
    parts = [
        Part(id=name, name=name, mesh="0" * 64, material=name, pose=Pose(shift=(40 * place, 0, 0)))
        for place, name in enumerate(looks)
    ]
    project = Project(
        name="p",
        product=Product(name="p", parts=tuple(parts)),
        materials=tuple(Material(id=name, name=name, recipe=recipe) for name, recipe in looks.items()),
        sets=(Set(id="s", name="s"),),
        current_set="s",
    )
    solid = box((20, 20, 20), 0.01)
    corners = project_geometry(project, {"0" * 64: solid}).triangles.corners
    pane, lace, matt = corners[: 3 * len(solid.triangles), 1::3].reshape(3, -1).min(axis=1)
    assert 1e-4 < pane < 0.05 and 1e-4 < lace < 0.05 and matt == 0


@pytest.mark.long
def test_a_part_that_is_moved_is_all_that_is_made_anew(demo, monkeypatch):
    project, assets = demo
    kept, calls = Kept(), []
    touching = dielectric_contact._contact
    monkeypatch.setattr(dielectric_contact, "_contact", lambda *given: calls.append(1) or touching(*given))
    project_geometry(project, assets.meshes, kept=kept)
    whole = len(calls)
    seal = project.part("seal")
    for shift in (1.0, 2.0, 3.0):
        moved_on = project.with_part(seal.with_(pose=seal.pose.with_(shift=(shift, 0.0, 0.0))))
        calls.clear()
        again = project_geometry(moved_on, assets.meshes, kept=kept)
        assert len(calls) < whole / 3
        fresh = project_geometry(moved_on, assets.meshes)
        assert np.array_equal(again.triangles.corners, fresh.triangles.corners)
        assert np.array_equal(again.triangles.normals, fresh.triangles.normals)
