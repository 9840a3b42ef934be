"""Preferences: taken at once, kept, and passed over where they are damaged."""

from pathlib import Path

import numpy as np
import pytest
from driving import LEFT, PLAIN, grabbed, picture_of, place_of, shortcut
from PyQt6.QtCore import QPoint, QPointF, QSettings, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from mat_shelf.app.preferences.preferences import GROUP, PreferenceBook, Preferences, preferences
from mat_shelf.app.start import DESKTOP_TYPE, desktop_scale, remember_desktop_type
from mat_shelf.rendering.camera import make_camera_view, project_point
from mat_shelf.rendering.navigation import dolly, orbit
from mat_shelf.system.processors import limit_processors, usable_processors


@pytest.fixture(autouse=True)
def as_at_a_first_start():
    yield
    preferences().reset()
    QSettings().remove(GROUP)
    limit_processors(None)


@pytest.mark.long
def test_preferences_are_taken_at_once_and_found_again(open_window, small_project, qtbot, tmp_path, monkeypatch):
    window = open_window(*small_project)
    light = grabbed(window)
    shortcut(qtbot, window, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    (dialog,) = (shown for shown in QApplication.topLevelWidgets() if shown.windowTitle() == "Preferences")
    assert dialog.isVisible()
    QTest.keyClick(dialog.fields["look"], Qt.Key.Key_Down)
    assert preferences().now.look == "dark"
    surround = dialog.fields["surround"]
    surround.selectAll()
    QTest.keyClicks(surround, "20")
    QTest.keyClick(surround, Qt.Key.Key_Return)
    dark = grabbed(window)
    assert light[-3, 3].min() > 200 and dark[-3, 3].max() < 70
    corner = window.viewport.mapTo(window, QPoint(1, window.viewport.height() // 2))
    # L* 20 and L* 50 as sRGB (CIE 15 with IEC 61966-2-1): 48 and 119.
    assert abs(dark[corner.y(), corner.x()] - 48).max() <= 1 and abs(light[corner.y(), corner.x()] - 119).max() <= 1
    dialog.fields["threads"].setValue(1)
    assert usable_processors() == 1
    folder = tmp_path / "elsewhere"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    QTest.mouseClick(dialog.folder_button, LEFT)
    assert window.workshop.library.folder == folder and folder.is_dir()
    assert window.library.model.count == len(window.workshop.library_entries()) > 0
    again = PreferenceBook()
    assert again.now == preferences().now and not again.problems
    assert (again.now.look, again.now.surround, again.now.library) == ("dark", 20, str(folder))
    QTest.mouseClick(dialog.reset_button, LEFT)
    assert preferences().now == Preferences() and dialog.fields["surround"].value() == 50
    assert np.array_equal(grabbed(window)[-3, 3], light[-3, 3])
    dialog.close()


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("size", 72000),
        ("size", "72"),
        ("surround", "much"),
        ("look", "pink"),
        ("threads", -3),
        ("autosave_s", b"\x00\xff"),
        ("library", "../../somewhere"),
        ("drag", ["orbit"]),
    ],
)
def test_damaged_preferences_are_passed_over_and_said(themed, name, value):
    QSettings().setValue(f"{GROUP}/{name}", value)
    QSettings().setValue(f"{GROUP}/wheel", "out")
    book = PreferenceBook()
    assert getattr(book.now, name) == getattr(Preferences(), name) and book.now.wheel == "out"
    assert book.problems == [name.replace("_", " ")]
    with pytest.raises(ValueError, match=name):
        book.change(**{name: value})


def test_a_settings_file_of_rubbish_is_no_obstacle(open_window, small_project, tmp_path):
    QSettings().setValue(f"{GROUP}/look", "dark")
    QSettings().sync()
    path = Path(QSettings().fileName())
    kept = path.read_bytes()
    try:
        path.write_bytes(b"\x00\xff[[[pre\n=ferences" + bytes(range(256)) * 40)
        book = PreferenceBook()
        assert book.now == Preferences()
        assert open_window(*small_project).isVisible()
    finally:
        path.write_bytes(kept)


def wheel(window, place: QPoint, steps: int) -> None:
    at = QPointF(place)
    turned = QWheelEvent(
        at,
        window.viewport.mapToGlobal(at),
        QPoint(),
        QPoint(0, 120 * steps),
        Qt.MouseButton.NoButton,
        PLAIN,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(window.viewport, turned)


@pytest.mark.long
def test_the_wheel_zooms_to_the_pointer_and_drags_do_what_was_chosen(open_window, qtbot):
    window = open_window()
    workshop, viewport = window.workshop, window.viewport
    stick = place_of(window, "wax-stick")
    point = viewport.picker.place_at(QPointF(stick))
    for _ in range(4):
        wheel(window, stick, 1)
    picture_of(qtbot, window)
    near = viewport.picker.seen_place(point)
    assert (near - QPointF(stick)).manhattanLength() < 2 and viewport.picker.part_at(near) == "wax-stick"
    before = workshop.project.view.camera
    there = np.linalg.norm(np.subtract(workshop.camera.position, point))
    assert there == pytest.approx(0.9**4 * np.linalg.norm(np.subtract(before.position, point)), rel=1e-3)
    preferences().change(wheel="out")
    for _ in range(4):
        wheel(window, stick, 1)
    assert np.allclose(workshop.camera.position, before.position, atol=0.1)

    def drag(modifiers=PLAIN):
        workshop.explore(None)
        QTest.mousePress(viewport, LEFT, modifiers, stick)
        for k in range(1, 9):
            QTest.mouseMove(viewport, stick + QPoint(6 * k, 0))
        QTest.mouseRelease(viewport, LEFT, modifiers, stick + QPoint(48, 0))
        return workshop.camera

    distance = np.linalg.norm(np.subtract(before.position, before.target))
    orbited = drag()
    assert np.allclose(orbited.target, before.target) and not np.allclose(orbited.position, before.position)
    preferences().change(drag="pan")
    panned = drag()
    away = np.subtract(before.position, before.target)
    assert np.allclose(np.subtract(panned.position, panned.target), away, atol=0.01)
    assert not np.allclose(panned.target, before.target)
    preferences().change(drag="orbit", orbit_about="pointer")
    workshop.explore(None)
    picture_of(qtbot, window)
    about = drag()
    picture_of(qtbot, window)
    seen_at = viewport.picker.seen_place(point)
    assert (seen_at - QPointF(stick)).manhattanLength() < 2 and not np.allclose(about.target, before.target, atol=0.5)
    assert np.linalg.norm(np.subtract(about.position, about.target)) == pytest.approx(distance, rel=1e-4)


@pytest.mark.long
def test_cameras_turn_and_near_about_a_point_that_stays_in_the_picture(demo):
    camera = demo[0].view.camera
    point = np.add(camera.target, (60.0, 20.0, 35.0))

    def place(seen) -> np.ndarray:
        return np.asarray(project_point(make_camera_view(seen, 300, 200), point))

    before = place(camera)
    for moved in (orbit(camera, 0.7, -0.3, point), dolly(camera, 0.35, point), dolly(camera, 6.0, point)):
        assert np.allclose(place(moved), before, atol=1e-5)
        assert moved.focal_length == camera.focal_length


@pytest.mark.parametrize(("pixels", "scale"), [(12, 1), (15, 1), (30, 2), (900, 3), (-4, 1), ("rubbish", 1)])
def test_type_and_controls_follow_the_desktops_type(themed, pixels, scale):
    QSettings().setValue(DESKTOP_TYPE, pixels)
    assert desktop_scale() == scale
    remember_desktop_type()  # that of this display, which is a usual one
    assert 6 < int(QSettings().value(DESKTOP_TYPE)) <= 15 and desktop_scale() == 1
