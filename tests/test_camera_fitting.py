"""Cameras that are fitted to points of a photograph."""

import math

import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of, pixel_place
from PIL import Image
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from scipy.spatial.transform import Rotation

from mat_shelf.document.camera import Camera
from mat_shelf.rendering.camera_fitting import fitted_camera
from mat_shelf.rendering.first_hit import find_first_hits
from mat_shelf.scene.project_geometry import project_geometry


def pinhole(points: np.ndarray, position, turned: Rotation, lens: float) -> np.ndarray:
    """Points on the film by the matrix of a pinhole camera (Hartley and Zisserman, 6.1): x right, y down, z ahead."""
    inner = np.diag([lens, lens, 1.0])
    outer = np.hstack([turned.as_matrix(), -turned.as_matrix() @ np.reshape(position, (3, 1))])
    seen = np.hstack([points, np.ones((len(points), 1))]) @ (inner @ outer).T
    return seen[:, :2] / seen[:, 2:]


def camera_round(rng, lens: float) -> tuple[np.ndarray, Rotation]:
    """Somewhere about the origin, above the floor, held nearly upright and looking near it."""
    away = rng.normal(size=3)
    away[1] = abs(away[1])
    position = away / np.linalg.norm(away) * 8 * max(lens, 50)
    ahead = rng.uniform(-20, 20, 3) - position
    ahead /= np.linalg.norm(ahead)
    right = np.cross(ahead, [0, 1, 0])
    right /= np.linalg.norm(right)
    level = Rotation.from_matrix(np.array([right, np.cross(ahead, right), ahead]))
    return position, Rotation.from_euler("z", rng.uniform(-25, 25), degrees=True) * level


@pytest.mark.parametrize(
    "count", [pytest.param(5, marks=pytest.mark.long), 6, pytest.param(12, marks=pytest.mark.long)]
)
def test_a_pinhole_camera_is_found_again(count):
    rng = np.random.default_rng(count)
    off = []
    for _ in range(12):
        lens = rng.uniform(28, 140)
        position, turned = camera_round(rng, lens)
        points = rng.uniform(-60, 60, (count, 3))
        camera, missed = fitted_camera(Camera(), points, pinhole(points, position, turned, lens))
        assert missed < 0.02
        others = rng.uniform(-60, 60, (50, 3))
        way = np.subtract(camera.target, camera.position)
        right = np.cross(way, [0, 1, 0]) / np.linalg.norm(np.cross(way, [0, 1, 0]))
        ahead = way / np.linalg.norm(way)
        found = Rotation.from_euler("z", camera.roll, degrees=True) * Rotation.from_matrix(
            np.array([right, np.cross(ahead, right), ahead])
        )
        again = pinhole(others, camera.position, found, camera.focal_length)
        off.append(np.abs(again - pinhole(others, position, turned, lens)).max())
    # mm on a film of 24: what no click told is where it was, too
    assert np.median(off) < 0.02 and max(off) < 0.3


def test_points_that_tell_no_camera_are_refused():
    line = np.linspace(0, 100, 6)[:, None] * [1.0, 0.5, 0.2]
    spread = np.random.default_rng(1).uniform(-8, 8, (6, 2))
    with pytest.raises(ValueError, match="line"):
        fitted_camera(Camera(), line, spread)
    with pytest.raises(ValueError, match="near each other"):
        fitted_camera(Camera(), np.random.default_rng(2).uniform(-50, 50, (6, 3)), np.zeros((6, 2)))
    with pytest.raises(ValueError, match="4 points"):
        fitted_camera(Camera(), line[:3], spread[:3])
    # Points that no camera sees so end in one that is far off, and tells so.
    wild = fitted_camera(Camera(), np.random.default_rng(3).uniform(-50, 50, (9, 3)), np.tile(spread, (2, 1))[:9])
    assert wild.missed > 1 and all(math.isfinite(x) for x in wild.camera.position)


@pytest.mark.long
def test_the_camera_is_fitted_to_a_photograph_by_clicks(open_window, qtbot, tmp_path):
    window = open_window()
    workshop, pane, viewport = window.workshop, window.wall.reference, window.viewport
    path = tmp_path / "table.png"
    Image.fromarray(np.full((600, 900, 3), 90, np.uint8)).save(path)
    workshop.set_reference(path)
    qtbot.waitUntil(lambda: workshop.project.reference is not None, timeout=30_000)
    picture_of(qtbot, window)
    # The photograph's camera stood further round, higher, and had a shorter lens.
    truth = Camera(position=(250.0, 240.0, 420.0), target=(5.0, 25.0, 0.0), focal_length=70.0, roll=3.0)
    project, geometry = workshop.project, project_geometry(workshop.project, workshop.assets.meshes)
    shown_there = find_first_hits(project, geometry, truth, 360, 240)
    ahead = np.subtract(truth.target, truth.position) / np.linalg.norm(np.subtract(truth.target, truth.position))
    right = np.cross(ahead, [0, 1, 0]) / np.linalg.norm(np.cross(ahead, [0, 1, 0]))
    level = Rotation.from_matrix(np.array([right, np.cross(ahead, right), ahead]))
    turned = Rotation.from_euler("z", truth.roll, degrees=True) * level

    window.menus.find("Fit the camera to the reference").trigger()
    QTest.mouseClick(viewport, LEFT, PLAIN, viewport.picture_rect.center())
    assert "reference first" in window.notice.text.text() and not window.wall.comparison.pairs
    before, clicked = workshop.camera, 0
    for part in (p.id for p in project.product.parts):
        window.wall._worker.pause(True)  # or a finer picture comes between the look and the click
        qtbot.wait(200)
        rows, columns = np.nonzero(viewport.frame.first_hits.part == [p.id for p in project.product.parts].index(part))
        if len(rows) < 60 or clicked == 9:
            continue
        at = pixel_place(window, int(rows[len(rows) // 2]), int(columns[len(rows) // 2]))
        point = viewport.picker.place_at(at.toPointF())
        if point is None or viewport.picker.part_at(at.toPointF()) != part:
            continue
        place = pinhole(np.array([point]), truth.position, turned, truth.focal_length)[0] / 24
        shown = pane._picture_rect()
        QTest.mouseClick(pane, LEFT, PLAIN, (shown.center() + QPointF(*place) * shown.height()).toPoint())
        QTest.mouseClick(viewport, LEFT, PLAIN, at)
        window.wall._worker.pause(False)
        clicked += 1
        assert len(window.wall.comparison.pairs) == clicked
        assert (workshop.camera == before) == (clicked < 4)
        picture_of(qtbot, window, fine=False)
    assert clicked >= 6 and f"{clicked} points" in window.notice.text.text()
    (button,) = window.notice.buttons  # of a message that took the place of one with less text
    assert button.geometry().left() > window.notice.text.geometry().right()
    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert not window.wall.comparison.is_aligning
    # The photograph fills the frame, and the render shows the parts where it does.
    assert workshop.project.reference.overlap.scale == pytest.approx(1.0)
    found = find_first_hits(project, geometry, workshop.camera, 360, 240).part
    assert np.mean(found == shown_there.part) > 0.97 > np.mean(shown_there.part < 0)
    workshop.save_view("As photographed")
    assert workshop.project.view.camera == workshop.camera and workshop.free_camera is None
