"""Lights that are kept apart and mixed: the mix is the render, in the session, in files and in the real window."""

import numpy as np
import OpenImageIO
import pytest
from driving import picture_of
from PIL import Image

from mat_shelf.document.light import Light
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.optics.color import luminance
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.session import RenderSession
from mat_shelf.rendering.tone import develop

SIZE = 90, 60
LIGHTS = (
    Light(name="Key", position=(300, 400, 300), width=200, height=200, luminance=6000),
    Light(name="Rim", kind="tube", position=(-300, 200, -100), length=300, luminance=9000, strength=-1.0),
    Light(name="Lamp", kind="spot", position=(0, 400, 50), diameter=20, luminance=2e6, is_on=False),
)


@pytest.fixture
def lit(small_project):
    project, assets = small_project
    return project.with_set(project.set.with_(lights=LIGHTS, keeps_apart=True)), assets


def shown(session: RenderSession, samples: int) -> np.ndarray:
    while True:
        frame = session.step()
        if frame is not None and not frame.is_coarse and frame.samples >= samples:
            return frame.pixels.astype(int)


@pytest.mark.long
def test_a_mixed_picture_is_the_one_that_would_be_rendered(lit):
    """By strength, colour, switch and all: the very film is kept, and its mix is a new render within noise."""
    project, assets = lit
    session = RenderSession(assets)
    session.resize(*SIZE)
    session.update(project)
    shown(session, 64)
    film = session._film
    key, rim, lamp = LIGHTS
    changed = (
        key.with_(strength=-2.0, temperature=2800.0, tint=0.5),
        rim.with_(is_on=False),
        lamp.with_(is_on=True, color=(1.0, 0.4, 0.2), luminance=3e6),
    )
    after = project.with_set(project.set.with_(lights=changed))
    session.update(after)
    first = session.step()
    assert session._film is film and film.samples >= 64 and not first.is_coarse  # no pixel begins anew
    mixed = shown(session, 128)
    session.close()
    fresh = RenderSession(assets)
    fresh.resize(*SIZE)
    fresh.update(after.with_set(after.set.with_(keeps_apart=False)))
    plain = shown(fresh, 128)
    fresh.close()
    assert np.abs(mixed.mean(axis=(0, 1)) - plain.mean(axis=(0, 1))).max() < 1.0
    assert np.abs(mixed - plain).mean() < 2.5
    assert np.abs(first.pixels.astype(int) - plain).mean() < 6


def test_a_moved_light_or_another_shape_renders_anew(lit):
    project, assets = lit
    session = RenderSession(assets)
    session.resize(*SIZE)
    session.update(project)
    shown(session, 2)
    for changes in ({"position": (200, 400, 300)}, {"edge": 0.5}, {"kind": "disc"}):
        film = session._film
        project = project.with_set(project.set.with_(lights=(LIGHTS[0].with_(**changes), *LIGHTS[1:])))
        session.update(project)
        shown(session, 2)
        assert session._film is not film
    session.close()


def test_passes_of_lights_sum_to_the_picture(lit, tmp_path):
    project, assets = lit
    path = tmp_path / "lights.exr"
    settings = RenderSettings(width=SIZE[0], height=SIZE[1], samples=24, passes=("lights",), denoise=False)
    render_to_file(project, assets, path, settings)
    pixels = OpenImageIO.ImageBuf(str(path))
    names, values = pixels.spec().channelnames, pixels.get_pixels(OpenImageIO.FLOAT)
    beauty = values[..., [names.index(c) for c in "RGB"]]
    parts = {name.rpartition(".")[0] for name in names if name.startswith("light.")}
    assert parts == {"light.Key", "light.Rim", "light.Surround", "light.Emission"}
    sums = sum(values[..., [names.index(f"{part}.{c}") for c in "RGB"]] for part in parts)
    assert sums == pytest.approx(beauty, rel=2e-2, abs=2e-3)
    key = values[..., [names.index(f"light.Key.{c}") for c in "RGB"]]
    alone = project.with_set(project.set.with_(lights=LIGHTS[:1], surround=0.0, ground=0.0))
    rendered = render_picture(alone, assets, *SIZE, 32, denoise=False).light
    assert luminance(key).mean() == pytest.approx(luminance(rendered).mean(), rel=0.05)


def test_a_switch_changes_the_pixels_at_once_in_the_window(open_window, lit, qtbot):
    window = open_window(*lit)
    workshop, board = window.workshop, window.set_board
    window.stations.buttons()[4].click()
    before = picture_of(qtbot, window)
    board.lights_card.list.setCurrentRow(0)
    slider = board.light_card.rows["strength"].slider
    slider.moved.emit(-3.0)
    slider.released.emit()
    assert workshop.light.strength == -3.0
    darker = picture_of(qtbot, window)
    assert darker.mean() < before.mean() - 5
    workshop.switch_light(2, True)
    assert picture_of(qtbot, window).mean() > darker.mean() + 1
    assert board.apart_box.isChecked()


def test_names_and_lights_that_are_off_start_no_pixel_again(lit):
    project, assets = lit
    project = project.with_set(project.set.with_(keeps_apart=False))
    session = RenderSession(assets)
    session.resize(*SIZE)
    session.update(project)
    shown(session, 4)
    film = session._film
    key, rim, lamp = LIGHTS
    for lights in ((key.with_(name="Main", keeps_power=True), rim, lamp), (key, rim, lamp.with_(luminance=5.0))):
        session.update(project.with_set(project.set.with_(lights=lights)))
        session.step()
        assert session._film is film and film.samples >= 4
    session.close()


@pytest.mark.long
def test_a_render_is_written_again_with_other_lights(lit, open_window, qtbot, tmp_path):
    window = open_window(*lit)
    window.top_bar.render_button.click()
    workshop, dialog = window.workshop, window.render_dialog
    path = tmp_path / "block.png"
    dialog.fields.width_box.setValue(96)
    dialog.fields.height_box.setValue(64)
    dialog.fields.samples_box.setValue(32)
    dialog.fields.path_field.setText(str(path))
    dialog.fields.apart_box.setChecked(True)
    assert "MB" in dialog.fields.apart_box.text() and not dialog.again_button.isVisible()
    dialog.start()
    qtbot.waitUntil(lambda: dialog.state.text().startswith("Written"), timeout=60_000)
    first = np.asarray(Image.open(path)).astype(int)
    workshop.select_light(0)
    workshop.shape_light({"strength": 1.5, "temperature": 3200.0})
    workshop.switch_light(1, False)
    assert dialog.again_button.isEnabled()
    dialog.again_button.click()
    qtbot.waitUntil(lambda: dialog.start_button.isEnabled(), timeout=60_000)
    assert dialog.state.text().startswith("Written")
    again = np.asarray(Image.open(path)).astype(int)
    assert np.abs(again - first).mean() > 8
    fresh = render_picture(workshop.project, workshop.assets, 96, 64, 32).light
    assert np.abs(develop(fresh).astype(int) - again).mean() < 2
    workshop.set_backdrop("")  # that is in the film, and stays as it was
    assert dialog.again_button.isEnabled()
    dialog.again_button.click()
    qtbot.waitUntil(lambda: dialog.start_button.isEnabled(), timeout=60_000)
    assert np.array_equal(np.asarray(Image.open(path)), again)
    workshop.undo()
    workshop.move_light((0.0, 90.0, 300.0))
    assert not dialog.again_button.isEnabled()  # its light falls otherwise, so it has to be rendered
    workshop.undo()
    assert dialog.again_button.isEnabled()
    dialog.close()
