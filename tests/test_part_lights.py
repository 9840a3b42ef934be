"""Parts that glow as lights of a set: as other materials would, mixed like lights, switched in the real window."""

import numpy as np
import OpenImageIO
import pytest
from driving import picture_of
from PyQt6.QtCore import Qt
from test_relighting import shown
from test_rendering import ball, floor, take

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import PartLight
from mat_shelf.document.mark import Mark
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.session import RenderSession
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.part_lights import glowing_parts
from mat_shelf.scene.rooms import plain_room

GROUND = Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)
LAMP = Recipe(base_weight=0.0, specular_weight=0.0, emission_luminance=4000.0)
SIZE = 60, 40


@pytest.fixture
def glowing(small_project):
    """The block between two glowing ones of one material."""
    project, assets = small_project
    product = project.product
    for name, x in (("Left glow", -70), ("Right glow", 70)):
        mesh = assets.add(NamedMesh(name, moved(box((30, 30, 30), 1), (x, 15, 20))))
        part = Part(id=name[0].lower(), name=name, mesh=mesh, material="lamp")
        product = product.with_(parts=(*product.parts, part))
    lamp = Material(id="lamp", name="Lamp", recipe=LAMP)
    dim = project.set.with_(surround=20.0, ground=20.0, lights=())
    return project.with_(product=product, materials=(*project.materials, lamp)).with_set(dim), assets


def test_a_part_in_another_light_is_as_one_of_another_material():
    """Of two balls of one material, one two stops dimmer behind a red filter, on a shiny floor: seen, mirrored, aimed
    at.
    """
    meshes = [floor(), ball(12, (-30, 20, 0)), ball(9, (25, 12, 20))]
    shiny = GROUND.with_(specular_weight=1.0, specular_roughness=0.25)
    view = Camera(position=(0, 90, 160), target=(0, 8, 0), focal_length=50)
    other = LAMP.with_(emission_luminance=1000.0 * 0.2126 + 1000.0 * 0.5 * 0.7152 + 1000.0 * 0.25 * 0.0722)
    other = other.with_(emission_color=(1.0, 0.5, 0.25))
    dark = make_lights(plain_room(0, 0))
    expected = take(meshes, [shiny, LAMP, other], dark, view, SIZE)
    tuned = PartLight(part="two", strength=-2.0, color=(1.0, 0.5, 0.25))
    lights = make_lights(plain_room(0, 0), parts=["floor", "one", "two"], part_lights=[tuned])
    seen = take(meshes, [shiny, LAMP, LAMP], lights, view, SIZE)
    assert seen.mean(axis=(0, 1)) == pytest.approx(expected.mean(axis=(0, 1)), rel=0.01)
    blocks = [picture.reshape(5, 8, 6, 10, 3).mean(axis=(1, 3)) for picture in (seen, expected)]
    assert blocks[0] == pytest.approx(blocks[1], rel=0.05, abs=0.005)


def test_what_is_off_gives_no_light_and_the_other_part_all_of_its_own(glowing):
    project, assets = glowing
    session = RenderSession(assets)
    session.resize(*SIZE)
    pictures = []
    for off in ((), ("l",), ("l", "r")):
        lights = tuple(PartLight(part=part, is_on=False) for part in off)
        session.update(project.with_set(project.set.with_(part_lights=lights)))
        pictures.append(shown(session, 8))
    session.close()
    both, right, none = pictures
    assert right[:, :20].mean() < 0.6 * both[:, :20].mean() and right[:, -15:].mean() > 0.8 * both[:, -15:].mean()
    assert none.mean() < 0.6 * right.mean()


def test_parts_kept_apart_are_mixed_as_lights_are(glowing):
    """The film is kept, and its mix is a new render within noise."""
    project, assets = glowing
    apart = project.with_set(project.set.with_(keeps_apart=True))
    tuned = (PartLight(part="l", strength=-1.5, color=(1.0, 0.4, 0.2)), PartLight(part="r", is_on=False))
    session, fresh = RenderSession(assets), RenderSession(assets)
    for each in (session, fresh):
        each.resize(*SIZE)
    session.update(apart)
    shown(session, 16)
    film = session._film
    session.update(apart.with_set(apart.set.with_(part_lights=tuned)))
    mixed = shown(session, 32)
    assert session._film is film and film.layers == 4  # the room, what else glows, and both parts
    fresh.update(project.with_set(project.set.with_(part_lights=tuned)))
    plain = shown(fresh, 32)
    session.close()
    fresh.close()
    assert np.abs(mixed.mean(axis=(0, 1)) - plain.mean(axis=(0, 1))).max() < 1.5
    assert np.abs(mixed - plain).mean() < 3


def test_passes_by_light_name_the_parts(glowing, tmp_path):
    project, assets = glowing
    path = tmp_path / "lights.exr"
    settings = RenderSettings(width=SIZE[0], height=SIZE[1], samples=8, passes=("lights",), denoise=False)
    render_to_file(project, assets, path, settings)
    pixels = OpenImageIO.ImageBuf(str(path))
    names, values = pixels.spec().channelnames, pixels.get_pixels(OpenImageIO.FLOAT)
    light = {name.rpartition(".")[0] for name in names if name.startswith("light.")}
    assert {"light.Left glow", "light.Right glow", "light.Surround"} <= light
    sums = sum(values[..., [names.index(f"{part}.{c}") for c in "RGB"]] for part in light)
    assert sums == pytest.approx(values[..., [names.index(c) for c in "RGB"]], rel=2e-2, abs=2e-3)
    left = values[..., names.index("light.Left glow.G")]
    assert left[:, :20].mean() > 3 * left[:, -20:].mean()


def test_parts_glow_by_material_overlay_or_mark(glowing):
    project, _ = glowing
    assert glowing_parts(project) == ("l", "r")
    hidden = project.product.parts[1].with_(is_hidden=True)
    assert glowing_parts(project.with_part(hidden)) == ("r",)
    red = project.material("red")
    over = red.recipe.with_overlay(Overlay(id="o", name="Glow", recipe=LAMP))
    assert "block" in glowing_parts(project.with_material(red.with_(recipe=over)))
    screen = Mark(id="s", name="Figures", kind="screen", part="block", point=(0, 40, 0), facing=(0, 1, 0))
    assert glowing_parts(project.with_mark(screen))[0] == "block"
    assert glowing_parts(project.with_mark(screen.with_(luminance=0.0))) == ("l", "r")


def test_glowing_parts_are_switched_and_dimmed_in_the_window(open_window, glowing, qtbot):
    window = open_window(*glowing)
    workshop, board = window.workshop, window.set_board
    window.stations.buttons()[4].click()
    before = picture_of(qtbot, window).astype(float)
    rows = board.lights_card.list
    assert [rows.item(k).text() for k in range(rows.count())] == ["Left glow", "Right glow"]
    rows.setCurrentRow(0)
    assert board.part_light_card.isVisible() and not board.light_card.isVisible()
    assert board.lights_card.solo_button.isEnabled() and not board.lights_card.remove_button.isEnabled()
    rows.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert workshop.project.set.part_lights == (PartLight(part="l", is_on=False),)
    third = before.shape[1] // 3
    dark = picture_of(qtbot, window).astype(float)
    assert dark[:, :third].mean() < 0.75 * before[:, :third].mean()
    workshop.undo()
    assert not workshop.project.set.part_lights and rows.item(0).checkState() == Qt.CheckState.Checked
    slider = board.part_light_card.rows["strength"].slider
    slider.moved.emit(-3.0)
    slider.released.emit()
    assert workshop.part_light.strength == -3.0
    qtbot.waitUntil(lambda: rows.item(0).data(Qt.ItemDataRole.UserRole) == "-3.0", timeout=5000)
    workshop.solo_light()
    assert not workshop.project.set.part_lights[-1].is_on and workshop.part_light.is_on
    assert workshop.history.undo_label == "Left glow alone"
    workshop.solo_light()
    assert workshop.project.set.part_lights == (PartLight(part="l", strength=-3.0),)
    board.part_light_card.select_button.click()
    assert workshop.selected == "l"
