"""Spots of pictures healed from their surroundings, and areas painted over them."""

import numpy as np
import pytest
from driving import CONTROL, LEFT, picture_of
from PIL import Image
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtTest import QTest

from mat_shelf.commands.retouching import HEAL, PAINT
from mat_shelf.document.finish import Adjustment, Finish, MaskedAdjustment
from mat_shelf.document.retouch import AreaBrush, AreaStroke, HealedSpot, PaintedArea
from mat_shelf.exchange.look_file import KeptLook
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.rendering.retouching import Spot, area_mask, healed


def grained(height: int, width: int, seed: int = 3) -> np.ndarray:
    """A ground that gets lighter to the right, with fine grain."""
    ground = np.linspace(0.2, 0.8, width)[None, :, None] * np.array([1.0, 0.8, 0.6])
    grain = np.random.default_rng(seed).normal(0, 0.02, (height, width, 1))
    return (np.broadcast_to(ground, (height, width, 3)) + grain).astype(np.float32)


@pytest.mark.parametrize("place", [(60.0, 40.0), (9.0, 8.0), (114.0, 75.0)])
def test_a_spot_becomes_what_is_around_it(place):
    """On a slope of light: the fault is gone, the slope and the grain are there, and nothing else has changed."""
    clean = grained(80, 120)
    faulty, (x, y), radius = clean.copy(), place, 6.0
    rows, columns = np.mgrid[:80, :120]
    far = np.hypot(columns + 0.5 - x, rows + 0.5 - y)
    faulty[far < 4] = (3.0, 0.0, 3.0)
    made = healed(faulty, [Spot(x, y, radius)])
    inside, outside = far < 4, far > radius
    assert (made[outside] == faulty[outside]).all() and faulty[inside].max() == 3
    assert np.abs(made[inside] - clean[inside]).mean() < 0.035
    assert np.abs(made[inside].mean(axis=0) - clean[inside].mean(axis=0)) == pytest.approx(0, abs=0.02)
    assert 0.5 < made[inside][:, 1].std() / clean[inside][:, 1].std() < 2


def test_spots_beyond_the_picture_or_as_large_as_it_leave_it():
    light = grained(20, 30)
    for spot in (Spot(-50, 5, 4), Spot(15, 10, 40), Spot(1e6, 1e6, 3)):
        assert np.array_equal(healed(light, [spot]), light)


def test_a_stroke_is_as_wide_as_its_brush_at_any_size():
    """A bar of 12 x 4 mm in the middle of a film 36 mm wide; what is erased is gone."""
    stroke = AreaStroke(points=((-6.0, 0.0), (6.0, 0.0)), brush=AreaBrush(width=4.0, softness=0.0))
    for width, height in ((360, 240), (720, 480), (480, 480)):
        mask = area_mask(PaintedArea(view="v", strokes=(stroke,)), width, height)
        film = max(36.0, 24.0 * width / height)
        assert mask.sum() * (film / width) ** 2 == pytest.approx(12 * 4 + np.pi * 4, rel=0.05)
        assert mask[height // 2, width // 2] == pytest.approx(1, abs=1e-3) and mask[2, 2] == 0
    soft = stroke.with_(brush=AreaBrush(width=4.0, softness=1.0))
    profile = area_mask(PaintedArea(view="v", strokes=(soft,)), 720, 480)[240:300, 360]
    assert (np.diff(profile) <= 1e-6).all() and 0.4 < profile[20] < 0.6 and 0.05 < profile[40] < 0.3
    gone = PaintedArea(view="v", strokes=(stroke, stroke.with_(erases=True)))
    assert area_mask(gone, 360, 240).max() < 0.26  # of the soft line between them


def test_a_growing_area_is_as_if_it_was_painted_at_once():
    """Each step goes on from the one before; another area of the same begin is not taken for it."""
    random = np.random.default_rng(4)
    strokes = tuple(
        AreaStroke(points=tuple(map(tuple, random.uniform(-10, 10, (3, 2)))), erases=bool(k % 3 == 2)) for k in range(7)
    )
    for count in range(1, 8):
        grown = area_mask(PaintedArea(view="v", strokes=strokes[:count]), 90, 60)
    other = area_mask(PaintedArea(view="v", strokes=(*strokes[:5], strokes[0])), 90, 60)
    fresh = [tuple(stroke.model_copy() for stroke in each) for each in (strokes, (*strokes[:5], strokes[0]))]
    for made, own in ((grown, fresh[0]), (other, fresh[1])):
        assert np.array_equal(made, area_mask(PaintedArea(view="v", strokes=own), 90, 60))


def test_files_have_them_in_their_view_alone(small_project, tmp_path):
    project, assets = small_project
    area = PaintedArea(view=project.current_view, strokes=(AreaStroke(points=((0.0, 0.0),), brush=AreaBrush(width=9)),))
    darker = MaskedAdjustment(id="a", kind="area", area=area, adjustment=Adjustment(exposure=-4))
    spot = HealedSpot(view=project.current_view, place=(-13.0, -8.0), radius=1.5)
    finish = Finish(masked=(darker,), healed=(spot,))
    other = project.view.with_(id="other", name="Other")
    project = project.with_view(other).with_finish(finish)
    size = RenderSettings(72, 48, 2)
    render_to_file(project, assets, tmp_path / "a.png", size)
    render_to_file(project.with_(current_view="other"), assets, tmp_path / "b.png", size)
    here, there = (np.asarray(Image.open(tmp_path / name)).astype(int) for name in ("a.png", "b.png"))
    assert here[24, 36].max() < there[24, 36].max() / 2
    corner = slice(30, 48), slice(0, 20)
    assert np.array_equal(here[corner], there[corner]) and not np.array_equal(here[5:11, 7:13], there[5:11, 7:13])
    assert KeptLook.of("Look", finish).finish == Finish()  # neither is of any other picture


def test_spots_and_areas_are_made_in_the_picture(open_window, small_project, qtbot):
    window = open_window(*small_project)
    work, card = window.hand_over, window.hand_over_board.finish_card
    window.stations.show(window.hand_over_board)
    before = picture_of(qtbot, window)
    rect = QRectF(window.viewport.picture_rect)
    middle = rect.center().toPoint()
    QTest.mouseClick(card.hands[HEAL], LEFT)
    assert work.hand == HEAL and card.hands[HEAL].isChecked()
    card.width_box.setValue(3.0)
    edge = QPoint(round(rect.left() + 0.5 * rect.width()), round(rect.top() + 0.3 * rect.height()))
    QTest.mouseClick(window.viewport, LEFT, pos=edge)
    assert len(work.spots) == 1 and work.spots[0].radius == pytest.approx(1.5)
    healed_one = picture_of(qtbot, window)
    assert (healed_one != before).any()
    QTest.mouseClick(window.viewport, LEFT, CONTROL, edge)
    assert work.spots == () and np.abs(picture_of(qtbot, window).astype(int) - before).mean() < 2
    QTest.mouseClick(card.hands[PAINT], LEFT)
    assert work.hand == PAINT and work.masked.kind == "area"
    QTest.mousePress(window.viewport, LEFT, pos=middle)
    for step in range(1, 6):
        QTest.mouseMove(window.viewport, middle + QPoint(8 * step, 0))
    QTest.mouseRelease(window.viewport, LEFT, pos=middle + QPoint(40, 0))
    assert len(work.area.strokes) == 1 and len(work.area.strokes[0].points) > 2
    work.session.edit("Darker", work.with_adjustment(Adjustment(exposure=-4)))
    dark = picture_of(qtbot, window)
    height, width = dark.shape[:2]
    assert dark[height // 2, width // 2].mean() < before[height // 2, width // 2].mean() / 2
    assert np.abs(dark[-4:, :4].astype(int) - before[-4:, :4]).max() <= 6
    undone = window.workshop.history.undo_label
    window.workshop.undo()
    window.workshop.undo()
    assert undone == "Darker" and work.finish.masked[0].area.strokes == ()  # the stroke was one step
    QTest.keyClick(window.viewport, Qt.Key.Key_Escape)
    assert work.hand == "" and not card.hands[PAINT].isChecked()
    window.workshop.explore(window.workshop.camera.with_(focal_length=60))
    QTest.mouseClick(card.hands[HEAL], LEFT)
    assert work.hand == "" and "Return to the view" in window.notice.text.text()
