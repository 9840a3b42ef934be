"""Looking at one input of all materials over the scene."""

import numpy as np
import pytest
from driving import CONTROL, LEFT, PLAIN, SHIFT, click_part, grabbed, picture_of, place_of, seen, shortcut
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.optics.color import hex_from_linear
from mat_shelf.patterns.sources import Constant, Gradient
from mat_shelf.rendering.input_picture import INPUT_VIEWS, SAMPLES
from mat_shelf.rendering.session import RenderSession
from mat_shelf.rendering.tracer import Tracer

SIZE = 96, 64


@pytest.fixture
def look(small_project):
    """A function that shows a recipe on the block: values where it is seen, and the pixels, of an input."""
    project, assets = small_project
    session = RenderSession(assets, threads=2)
    session.resize(*SIZE)

    def looking(key: str, recipe: Recipe):
        red = Material(id="red", name="Red", recipe=recipe)
        session.look_at(key)
        session.update(project.with_material(red))
        frame = session.step()
        while not session.is_at_rest:
            frame = session.step()
        inside = np.isfinite(frame.values[..., 0]) & (frame.first_hits.part == 0)
        assert inside.sum() > 200 and frame.samples == SAMPLES
        assert np.isnan(frame.values[frame.first_hits.part < 0][:5]).all()
        return frame.values, frame.pixels, inside

    yield looking
    session.close()


def test_constant_inputs_are_shown_as_they_are(look):
    """Also of glass, of metal and of what glows: no light takes part."""
    recipe = Recipe(
        base_color=(0.2, 0.5, 0.05),
        base_weight=0.5,
        specular_roughness=0.37,
        base_metalness=0.25,
        transmission_weight=0.6,
        specular_ior=1.75,
        geometry_opacity=0.9,
        coat_weight=0.4,
        emission_luminance=250.0,
    )
    for key, expected, tone in (
        ("specular_roughness", 0.37, 0.37),
        ("base_metalness", 0.25, 0.25),
        ("transmission_weight", 0.6, 0.6),
        ("specular_ior", 1.75, 0.5),
        ("geometry_opacity", 0.9, 0.9),
        ("coat_weight", 0.4, 0.4),
    ):
        values, pixels, inside = look(key, recipe)
        assert np.allclose(values[inside], expected, atol=1e-5), key
        assert abs(np.median(pixels[inside], axis=0) / 255 - tone).max() < 0.005, key
    values, pixels, inside = look("base_color", recipe)
    assert np.allclose(values[inside], (0.1, 0.25, 0.025), atol=1e-5)
    shown = "#" + "".join(f"{int(v):02X}" for v in np.median(pixels[inside], axis=0))
    assert shown == hex_from_linear((0.1, 0.25, 0.025)).upper()
    values, _, inside = look("emission", recipe)
    assert np.allclose(values[inside].mean(axis=1), 250.0, rtol=1e-4)  # cd/m2 of a white emission


def test_normals_and_the_colours_of_materials(look):
    values, pixels, inside = look("normal", Recipe())
    top = inside & (values[..., 1] > 0.9999)
    assert top.sum() > 50 and np.allclose(values[top], (0, 1, 0), atol=0.02)
    assert np.allclose(np.median(pixels[top], axis=0), (128, 255, 128), atol=2)
    assert np.allclose(np.linalg.norm(values[inside], axis=1), 1, atol=0.2)
    values, _, inside = look("material", Recipe())
    assert np.ptp(values[inside], axis=0).max() < 1e-5
    _, pixels, inside = look("facets", Recipe())
    assert pixels[inside].std() > 5


def test_heights_of_relief_are_told_in_millimetres(look):
    """Rows add up; what is off, and what feeds other inputs, adds nothing. A ramp rises by its share of its length."""
    deep = Pattern(id="deep", name="Deep", steps=(Constant(value=0.75),))
    shallow = Pattern(id="shallow", name="Shallow", steps=(Constant(value=0.5),))
    rows = (
        Relief(id="a", pattern="deep", height=0.4),
        Relief(id="b", pattern="shallow", height=-0.1),
        Relief(id="c", pattern="deep", height=3.0, is_on=False),
    )
    feed = Feed(input="thin_film_thickness", pattern="deep", low=0.0, high=1.0)
    recipe = Recipe(patterns=(deep, shallow), relief=rows, feeds=(feed,), thin_film_weight=0.5)
    values, _, inside = look("height", recipe)
    assert np.allclose(values[inside], 0.4 * 0.75 - 0.1 * 0.5, atol=1e-6)
    values, _, inside = look("height", Recipe(thin_film_weight=0.5, thin_film_thickness=0.7))
    assert np.all(values[inside] == 0)
    place = Placement(projection="solid", axis="x", size=10.0)
    ramp = Pattern(id="ramp", name="Ramp", steps=(Gradient(),), placement=place)
    rising = Recipe(patterns=(ramp,), relief=(Relief(id="a", pattern="ramp", height=0.5),))
    values, pixels, inside = look("height", rising)
    heights, tones = values[inside][:, 0], pixels[inside][:, 0].astype(float)
    assert 0 <= heights.min() < 0.1 and 0.4 < heights.max() <= 0.5
    assert np.corrcoef(heights, tones)[0, 1] > 0.99 and tones.min() < 30 and tones.max() > 225


def test_an_overlay_shows_as_much_as_its_mask_lets_it(look):
    mask = Pattern(id="m", name="Half", steps=(Constant(value=0.25),))
    overlay = Overlay(id="o", name="Dust", recipe=Recipe(specular_roughness=1.0, patterns=(mask,)), mask="m")
    values, _, inside = look("specular_roughness", Recipe(specular_roughness=0.2, overlays=(overlay,)))
    assert values[inside].mean() == pytest.approx(0.25 * 1.0 + 0.75 * 0.2, abs=0.01)


def test_the_render_goes_on_where_it_was(small_project):
    """Looking at an input costs the picture nothing, and an edit meanwhile is not lost."""
    project, assets = small_project

    def picture(session, samples=4):
        frame = session.step()
        while frame is None or frame.is_coarse or frame.samples < samples or frame.values is not None:
            frame = session.step()
        return frame.pixels

    session = RenderSession(assets, threads=2)
    session.resize(*SIZE)
    session.update(project)
    first = picture(session)
    session.look_at("base_color")
    assert session.is_behind and session.step().values is not None
    session.look_at("")
    assert np.array_equal(picture(session), first)
    session.look_at("normal")
    session.step()
    green = project.material("red").with_(recipe=Recipe(base_color=(0.05, 0.5, 0.05)))
    session.update(project.with_material(green))
    assert session.step().values is not None
    session.look_at("")
    after = picture(session)
    fresh = RenderSession(assets, threads=2)
    fresh.resize(*SIZE)
    fresh.update(project.with_material(green))
    assert np.array_equal(after, picture(fresh))
    for one in (session, fresh):
        one.close()


@pytest.mark.long
def test_one_looks_at_inputs_by_menu_by_key_and_from_a_row(open_window, qtbot):
    window = open_window()
    workshop, viewport = window.workshop, window.viewport
    picture_of(qtbot, window)
    stick = seen(window, "wax-stick")

    def looked() -> np.ndarray:
        qtbot.waitUntil(
            lambda: viewport.frame.revision == viewport.revision and viewport.frame.values is not None, timeout=60_000
        )
        return viewport.frame.pixels

    window.menus.find("Metalness").trigger()
    metal = looked()
    ids = [part.id for part in workshop.project.product.parts]
    collar = viewport.frame.first_hits.part == ids.index("collar")
    assert metal[stick].max() == 0 and np.median(metal[collar]) == 255
    window.menus.follow()
    assert window.menus.find("Metalness").isChecked() and not window.menus.find("Render").isChecked()
    place = place_of(window, "card")
    QTest.mouseMove(viewport, place)
    assert viewport.input_legend.words_here() == "here 0.000"
    grabbed(viewport)
    # An edit shows at once; selecting works as in the render.
    click_part(window, "wax-stick")
    QTest.keyClick(viewport, Qt.Key.Key_I)
    picture_of(qtbot, window)
    assert viewport.frame.values is None and workshop.input_shown == ""
    menu = window.board.row_menu("specular_roughness")
    menu.actions()[0].trigger()
    rough = looked()[stick]
    workshop.tune(workshop.selected_material.id, specular_roughness=0.95)
    again = looked()[stick]
    assert np.median(again) == pytest.approx(242, abs=1) and abs(np.median(rough) - 242) > 20
    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert workshop.input_shown == "" and workshop.selected == "wax-stick"
    # By the finder.
    shortcut(qtbot, window, Qt.Key.Key_P, CONTROL | SHIFT)
    finder = QApplication.activePopupWidget()
    QTest.keyClicks(finder.words, "normals")
    QTest.keyClick(finder.words, Qt.Key.Key_Return)
    assert workshop.input_shown == "normal"
    with pytest.raises(KeyError):
        workshop.look_at_input("no such input")
    assert len({view.label for view in INPUT_VIEWS.values()}) == len(INPUT_VIEWS)
    QTest.mouseClick(viewport, LEFT, PLAIN, QPoint(20, 20))


@pytest.mark.parametrize("size", [(160, 125), (200, 160), (230, 150)])
def test_every_pixel_is_looked_at_once_whatever_the_size(small_project, size):
    """Sizes of which a thread gets more than a wave, in one run or in several."""
    seen = np.zeros(size[0] * size[1], np.int32)
    met = np.zeros((2, len(seen)), np.int32)
    session = RenderSession(small_project[1], threads=2)
    session.resize(*size)
    session.update(small_project[0])
    task = session.step() and session._task
    for threads, parts in zip((1, 2), met, strict=True):
        tracer = Tracer(threads)

        def take(surfaces, parts=parts):
            seen[surfaces.pixels] += 1
            parts[surfaces.pixels] = surfaces.part
            assert len(surfaces.look) == len(surfaces.part) == len(surfaces.pixels)

        assert tracer.look_at_surfaces(task, size, 0, take)
        tracer.close()
    session.close()
    assert (seen == 2).all() and (met[0] == met[1]).all() and (met[0] == 0).any()
