"""Looking at the product from beneath, its lights turned by hand, and the frame of the render."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, grabbed, picture_of, seen
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from mat_shelf.rendering.camera import make_camera_view, project_point
from mat_shelf.rendering.final_render import render_picture


def test_from_beneath_the_floor_is_not_in_the_way(small_project):
    project, assets = small_project
    view = project.view
    below = view.camera.with_(position=(0.0, -250.0, 350.0), target=(0.0, 20.0, 0.0))
    beneath = project.with_view(view.with_(camera=below))
    red = []
    for one in (project, beneath):
        light = render_picture(one, assets, 60, 40, 8, denoise=False).light
        red.append((light[..., 0] > 3 * light[..., 1]).mean())
    assert red[1] > 0.02 and red[0] > 0.02  # the block is seen from both sides
    with_floor = render_picture(beneath, assets, 60, 40, 2, cut_out=True).alpha
    assert 0.02 < with_floor.mean() < 0.9


def test_the_lights_are_turned_by_a_drag_in_any_station(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop, viewport = window.workshop, window.viewport
    viewport.setFocus()
    before, camera = picture_of(qtbot, window), workshop.camera
    place = viewport.picture_rect.center()
    QTest.keyPress(viewport, Qt.Key.Key_L)
    QTest.mousePress(viewport, LEFT, PLAIN, place)
    for k in range(1, 11):
        QTest.mouseMove(viewport, place + QPoint(18 * k, 0))
    QTest.mouseRelease(viewport, LEFT, PLAIN, place + QPoint(180, 0))
    QTest.keyRelease(viewport, Qt.Key.Key_L)
    assert workshop.project.set.turn == pytest.approx(90, abs=3) and workshop.camera == camera
    assert workshop.history.steps == ["Rotation"]  # one step
    after = picture_of(qtbot, window)
    block = seen(window, "block")
    assert np.abs(after.astype(int) - before)[block].mean() > 4
    # Without the key it orbits.
    QTest.mousePress(viewport, LEFT, PLAIN, place)
    for k in range(1, 5):
        QTest.mouseMove(viewport, place + QPoint(18 * k, 0))
    QTest.mouseRelease(viewport, LEFT, PLAIN, place + QPoint(72, 0))
    assert workshop.camera != camera and workshop.history.steps == ["Rotation"]


def test_the_frame_shows_what_the_render_crops(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop, viewport = window.workshop, window.viewport
    picture_of(qtbot, window)
    bare = grabbed(viewport)
    workshop.picture_size = 1500, 1000
    QTest.keyClick(viewport, Qt.Key.Key_G)
    frame, rect = viewport.crop_frame.frame(), QPointF(viewport.picture_rect.topLeft())
    shaded = grabbed(viewport).sum(axis=2) - bare.sum(axis=2)
    inside, outside = frame.center().toPoint(), (QPointF(rect) + QPointF(12, 60)).toPoint()
    assert frame.width() < viewport.picture_rect.width() - 30 and shaded[outside.y(), outside.x()] < -60
    assert abs(shaded[inside.y(), inside.x()]) < 12
    # What lies at the frame's edge lies at the render's edge: the same point of the scene.
    point = viewport.picker.place_at(QPointF(frame.center().x() + frame.width() * 0.25, frame.bottom() - 4))
    x, y = project_point(make_camera_view(workshop.camera, 1500, 1000), point)
    assert x == pytest.approx(0.75, abs=0.01) and y == pytest.approx(1 - 4 / frame.height(), abs=0.01)
    QTest.keyClick(viewport, Qt.Key.Key_G)
    assert not viewport.crop_frame.is_shown


def test_the_overall_size_is_typed_and_parts_are_rotated_by_number(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop, board = window.workshop, window.product_board
    window.stations.buttons()[0].click()
    sides = board.size_card.sides
    assert [side.text() for side in sides] == ["60", "40", "30"]

    def type_into(field, text: str) -> None:
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)

    type_into(sides[1], "100 mm")
    low, high = window.work.bounds()
    assert np.allclose(high - low, (150, 100, 75), rtol=1e-4) and low[1] == pytest.approx(0, abs=0.01)
    assert [side.text() for side in sides] == ["150", "100", "75"] and workshop.history.steps == ["Overall size"]
    for nonsense in ("0", "-3", "abc", "1e99"):
        type_into(sides[0], nonsense)
        assert workshop.history.steps == ["Overall size"] and sides[0].text() == "150"
    type_into(sides[1], "60 m")  # what is large is told in metres, and typed so
    assert [side.text() for side in sides] == ["90", "60", "45"] and board.size_card.unit.text() == "m"
    type_into(sides[1], "50")
    assert np.allclose(np.ptp(window.work.bounds(), axis=0), (75_000, 50_000, 37_500), rtol=1e-4)
    type_into(sides[1], "100 mm")
    assert [side.text() for side in sides] == ["150", "100", "75"] and board.size_card.unit.text() == "mm"
    card = board.place_card
    card.axis_box.setCurrentIndex(2)
    type_into(card.angle, "90")
    QTest.mouseClick(card.turn_buttons[0], LEFT)
    low, high = window.work.bounds()
    assert np.allclose(high - low, (100, 150, 75), atol=0.1)
    QTest.mouseClick(card.turn_buttons[1], LEFT)
    low, high = window.work.bounds()
    assert np.allclose(high - low, (150, 100, 75), atol=0.1)
