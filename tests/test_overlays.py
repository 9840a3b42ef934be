"""Overlays: what lies over a material, in the pixels, in the document, in baked maps and in the window."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, click_part, drag_slider, open_card, picture_of, seen
from numba import njit
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from test_rendering import AHEAD, EVEN, ball, take

from mat_shelf.app.library.swatch_drag import wearable_mime
from mat_shelf.app.patterns.pattern_mime import dropped_pattern, pattern_mime
from mat_shelf.commands.materials import Wearable
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.geometry.solids import box, moved
from mat_shelf.library.shipped import READY_OVERLAYS
from mat_shelf.patterns.points import flat_points
from mat_shelf.patterns.sources import Constant, Noise
from mat_shelf.scene.chance import chosen_overlay
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_evaluation import coverage
from mat_shelf.scene.recipe_program import bind_overlays


def lit(color) -> Recipe:
    """A surface whose radiance is the colour itself: 1000 cd/m2, 1 in the picture, times its CIE Y."""
    bright = 1000 * float(np.dot(color, (0.2126390, 0.7151687, 0.0721923)))
    return Recipe(base_weight=0, specular_weight=0, emission_luminance=bright, emission_color=color)


def constant(value: float) -> Pattern:
    return Pattern(id="mask", name="Mask", steps=(Constant(value=value),))


def over(color, mask: float, amount=1.0, key="o", **more) -> Overlay:
    recipe = lit(color).with_(patterns=(constant(mask),))
    return Overlay(id=key, name=key.upper(), recipe=recipe, mask="mask", amount=amount, **more)


RED, GREEN, BLUE = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


def shown(recipe: Recipe, samples=48) -> np.ndarray:
    picture = take([ball()], [recipe], make_lights(EVEN * 0), AHEAD, size=(48, 48), samples=samples)
    return picture[18:30, 18:30].mean(axis=(0, 1))


def test_what_is_seen_is_an_exact_mixture():
    """A mask of 0.6 at an amount of 0.5 shows three tenths of the overlay; what lies above hides what lies below."""
    one = lit(RED).with_(overlays=(over(BLUE, 0.6, 0.5),))
    assert shown(one) == pytest.approx([0.7, 0, 0.3], abs=0.02)
    two = lit(RED).with_(overlays=(over(BLUE, 0.5), over(GREEN, 0.5, key="p")))
    assert shown(two) == pytest.approx([0.25, 0.5, 0.25], abs=0.02)
    full = lit(RED).with_(overlays=(over(BLUE, 1.0), over(GREEN, 1.0, key="p")))
    assert shown(full, 2) == pytest.approx(GREEN, abs=1e-5)
    assert shown(full.with_(age=0.0), 2) == pytest.approx(RED, abs=1e-5)
    assert shown(two.with_(age=0.5)) == pytest.approx([0.5625, 0.25, 0.1875], abs=0.02)
    off = full.with_overlay(full.overlays[1].with_(is_on=False))
    assert shown(off, 2) == pytest.approx(BLUE, abs=1e-5)


@njit
def choose(covers, random, seen):
    for i in range(len(random)):
        seen[i] = chosen_overlay(covers, i, covers.shape[1], random[i], 0)


def test_choices_at_two_overlays_are_independent():
    """Were they drawn from one number, the lower of two half masks would never be seen."""
    recipe = lit(RED).with_(overlays=(over(BLUE, 0.5), over(GREEN, 0.5, key="p")))
    random = np.random.default_rng(1).integers(0, 2**32, 40_000, dtype=np.uint32)
    points = flat_points(10, 200, 200)
    covers = np.ascontiguousarray(coverage(bind_overlays(recipe, {}), points).T)
    seen = np.empty(40_000, np.int64)
    choose(covers, random, seen)
    share = np.bincount(seen + 1) / 40_000
    assert share == pytest.approx([0.25, 0.25, 0.5], abs=0.01)


def test_what_lies_over_marks_lies_over_what_lies_under_them():
    """Whatever the order of the list; in pictures and in what bakes take."""
    recipe = lit(GREEN).with_(overlays=(over(RED, 1.0, is_over_marks=True), over(BLUE, 1.0, key="p")))
    assert shown(recipe, 2) == pytest.approx(RED, abs=1e-5)
    assert [binding.overlay.id for binding in bind_overlays(recipe, {})] == ["p", "o"]


def test_one_pattern_of_the_material_drives_its_input_and_the_mask():
    """It shows the overlay as much as it dims what lies below: w b + (1 - w) (1 - w) r. The material keeps it."""
    pattern = constant(0.4).with_(id="map", name="Map")
    feed = Feed(input="emission_color", pattern="map", low=RED, high=(0.0, 0.0, 0.0))
    over_it = Overlay(id="o", name="Frost", recipe=lit(BLUE), mask="map", mask_of="material")
    recipe = lit(RED).with_(patterns=(pattern,), feeds=(feed,), overlays=(over_it,))
    red = shown(recipe.with_(overlays=()), 2)[0]
    assert shown(recipe) == pytest.approx([0.6 * red, 0, 0.4], abs=0.02)
    assert recipe.uses_of("map")[-1] == "Mask of Frost"
    with pytest.raises(ValueError, match="used by Mask of Frost"):
        recipe.without_pattern("map")
    with pytest.raises(ValueError, match="which is not there"):
        lit(RED).with_(overlays=(over_it,))
    variant = Material(id="b", name="B", recipe=recipe, parent="a")
    variant = variant.tuned(recipe.with_overlay(over_it.with_(amount=0.5)))
    bare = variant.following(lit(RED)).recipe  # the parent has thrown both out; the overlay is the variant's own
    assert bare.overlays[0].amount == 0.5 and bare.pattern("map") == pattern


def test_something_opaque_hides_glass():
    """Soot on a glass ball: no light of the room behind comes through it."""
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.0)
    soot = Recipe(base_color=(0, 0, 0), specular_weight=0.0, patterns=(constant(1.0),))
    sooty = glass.with_(overlays=(Overlay(id="s", name="Soot", recipe=soot, mask="mask"),))

    def look(recipe):
        return take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(24, 24), samples=16)[9:15, 9:15].mean()

    assert look(glass) == pytest.approx(1, abs=0.02) and look(sooty) < 1e-3


def test_relief_comes_on_top_or_replaces():
    """Grooves of the overlay alone, or with those below: seen by the spread of what the surface reflects."""
    waves = Pattern(id="mask", name="Waves", steps=(Noise(octaves=2),))
    smooth = Recipe(base_metalness=1.0, specular_roughness=0.0)
    rough = smooth.with_(patterns=(waves,), relief=(Relief(id="r", pattern="mask", height=2.0),))
    room = make_lights(np.where(np.arange(16)[:, None, None] < 5, 1, 0) * EVEN)

    def look(recipe):
        return take([ball()], [recipe], room, AHEAD, size=(64, 64), samples=32)[16:48, 16:48, 1]

    def overlaid(way):
        return look(rough.with_(overlays=(Overlay(id="o", name="O", recipe=smooth, relief=way),)))

    assert np.abs(overlaid("replaces") - look(smooth)).mean() < 1e-3
    assert np.abs(overlaid("adds") - look(rough)).mean() < 1e-3
    assert np.abs(look(rough) - look(smooth)).mean() > 0.02


def test_bad_overlays_are_refused_and_variants_follow_in_each():
    with pytest.raises(ValueError, match="is not there"):
        Overlay(id="o", name="Dust", mask="gone")
    with pytest.raises(ValueError, match="overlays of its own"):
        Overlay(id="p", name="Dust", recipe=Recipe(overlays=(over(RED, 1.0),)))
    with pytest.raises(ValueError, match="share an id"):
        Recipe(overlays=(over(RED, 1.0), over(BLUE, 1.0)))
    parent = Material(id="a", name="A", recipe=Recipe(overlays=(over(RED, 0.2), over(BLUE, 0.3, key="p"))))
    variant = Material(id="b", name="B", recipe=parent.recipe, parent="a")
    variant = variant.tuned(variant.recipe.with_overlay(variant.recipe.overlays[0].with_(amount=0.9)))
    assert variant.own == ("overlays/o",)
    changed = parent.recipe.with_overlay(parent.recipe.overlays[1].with_(amount=0.4)).with_overlay(
        parent.recipe.overlays[0].with_(amount=0.1)
    )
    followed = variant.following(changed).recipe.overlays
    assert [o.amount for o in followed] == [0.9, 0.4]


@pytest.mark.parametrize("overlay", READY_OVERLAYS, ids=lambda o: o.id)
def test_ready_overlays_survive_a_file(overlay):
    recipe = Recipe(overlays=(overlay,))
    assert Recipe.model_validate_json(recipe.model_dump_json()) == recipe


def test_an_overlay_is_laid_opened_tuned_and_undone(open_window, qtbot, small_project):
    """Soot from the menu darkens the block's top; opened, its colour changes in the picture; Escape goes back."""
    window = open_window(*small_project)
    workshop, board = window.workshop, window.board
    click_part(window, "block")
    before = picture_of(qtbot, window).astype(int)
    inside = seen(window, "block")
    open_card(board, "Overlays")
    card = board.overlays_card
    assert card.isVisible() and not card.rows
    menu = card.menu()
    next(action for action in menu.actions() if action.text() == "Settled dust").trigger()
    menu.close()
    assert workshop.history.undo_label == "Add settled dust" and len(card.rows) == 1
    row = next(iter(card.rows.values()))
    drag_slider(row.slider, 1.0)
    assert workshop.selected_material.recipe.overlays[0].amount == 1
    dusty = picture_of(qtbot, window).astype(int)
    paler = (dusty - before)[..., 2] > 15
    assert 0.03 < paler[inside].mean() < 0.95  # what faces up, not the sides
    top = np.nonzero(paler)[0].mean()
    assert top < np.nonzero(inside)[0].mean()

    QTest.mouseClick(row.name, LEFT)
    assert workshop.overlay is not None and board.header.name.text() == "Settled dust"
    assert board.header.mask_box.currentText() == "Mask: Faces up" and board.header.back_button.isVisible()
    field = board.rows["base_color"].text
    field.setText("#20C020")
    field.setModified(True)
    field.editingFinished.emit()
    assert workshop.selected_material.recipe.base_color == small_project[0].materials[0].recipe.base_color
    green = picture_of(qtbot, window).astype(int)[paler & inside].mean(axis=0)
    pale = dusty[paler & inside].mean(axis=0)
    assert green[0] < pale[0] - 15 and green[2] < pale[2] - 15 and green[1] > pale[1] - 15
    board.header.mask_box.setCurrentIndex(0)
    board.header.mask_box.activated.emit(0)
    assert workshop.overlay.mask is None
    QTest.keyClick(window.viewport, Qt.Key.Key_Escape)
    assert workshop.overlay is None and workshop.selected == "block" and board.header.name.text() == "Red"
    for _ in range(4):
        workshop.undo()
    assert not workshop.selected_material.recipe.overlays
    clean = picture_of(qtbot, window).astype(int)
    assert np.abs(clean[inside].mean(axis=0) - before[inside].mean(axis=0)).max() < 4


def test_every_input_of_an_overlay_counts():
    """Its index reflects, and its own depth decides how far light gets, whatever lies below."""
    below = Recipe(base_color=(0, 0, 0), specular_weight=0.0)

    def look(recipe):
        recipe = below.with_(overlays=(Overlay(id="o", name="O", recipe=recipe),))
        return take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(24, 24), samples=48)[9:15, 9:15].mean()

    black = Recipe(base_color=(0, 0, 0), specular_roughness=0.0)
    # Born and Wolf 1.5.2: 0.04 and 0.25 straight on
    assert look(black.with_(specular_ior=1.5)) == pytest.approx(0.04, abs=0.005)
    assert look(black.with_(specular_ior=3.0)) == pytest.approx(0.25, abs=0.01)

    # Lit from behind, a slab that wears a soft overlay lets more through the deeper light gets in it.
    slab = moved(box((400, 400, 2), 0.01), (0, -200, 0))
    far = np.where(np.abs(np.arange(32) - 15.5)[None, :, None] < 8, 0, 1) * EVEN
    through = []
    for radius in (0.05, 5.0):
        soft = Recipe(subsurface_weight=1.0, specular_weight=0.0, subsurface_radius=radius)
        recipe = below.with_(overlays=(Overlay(id="o", name="O", recipe=soft),))
        sides = [
            take([slab], [recipe], make_lights(room), AHEAD, size=(8, 8), samples=150).mean() for room in (far, 1 - far)
        ]
        through.append(min(sides))
    assert through[1] > 4 * through[0]


def test_the_mask_is_not_thrown_out_from_under_an_overlay(open_window, small_project):
    window = open_window(*small_project)
    workshop, work = window.workshop, window.board.patterns
    workshop.select("block")
    window.board.overlays_card.add(READY_OVERLAYS[0])
    workshop.open_overlay(workshop.selected_material.recipe.overlays[0].id)
    project = workshop.project
    work.remove("mask")
    assert workshop.project is project and "choose another mask first" in window.notice.text.text()

    # A pattern dragged from the overlay to the material becomes one of its own, whatever it is called there.
    data = pattern_mime(work, "mottle")
    workshop.open_overlay(None)
    window.board.patterns.begin((Constant(value=0.5),), "Mine", Placement())
    own = workshop.selected_material.recipe.patterns[0].with_(id="mottle")
    work.edit("Rename", workshop.selected_material.recipe.with_(patterns=(own,)))
    came = dropped_pattern(work, data)
    recipe = workshop.selected_material.recipe
    assert came != "mottle" and recipe.pattern("mottle") == own
    assert recipe.pattern(came).steps == READY_OVERLAYS[0].recipe.pattern("mottle").steps


@pytest.mark.long
def test_a_swatch_or_material_dropped_on_the_card_becomes_an_overlay(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop = window.workshop
    workshop.select("block")
    before = picture_of(qtbot, window)
    open_card(window.board, "Overlays")
    card = window.board.overlays_card
    data = wearable_mime(Wearable("swatch", "copper"))
    place, copy = card.rect().center(), Qt.DropAction.CopyAction
    enter = QDragEnterEvent(place, copy, data, LEFT, PLAIN)
    QApplication.sendEvent(card, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(card, QDropEvent(QPointF(place), copy, data, LEFT, PLAIN))
    (overlay,) = workshop.selected_material.recipe.overlays
    assert (overlay.name, overlay.amount) == ("Copper", 0.5) and overlay.recipe.base_metalness == 1.0
    assert workshop.history.undo_label == "Overlay Copper"
    after = picture_of(qtbot, window)
    block = seen(window, "block")
    assert np.abs(after.astype(int) - before)[block].mean() > 5
    workshop.duplicate_material()
    own = workshop.selected_material
    menu = card.menu().actions()[-1].menu()
    next(action for action in menu.actions() if action.text() == "Red").trigger()
    assert [o.name for o in workshop.selected_material.recipe.overlays] == ["Copper", "Red"]
    assert workshop.selected_material.recipe.overlays[1].recipe.overlays == () and own.name == "Red 2"
