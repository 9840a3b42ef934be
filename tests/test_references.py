"""References: several, aligned with the render, blended, read by the eyedropper; snapshots kept with the project."""

import cmath

import numpy as np
import pytest
from driving import CONTROL, LEFT, PLAIN, SHIFT, click_part, dropped, grabbed, picture_of, seen, shortcut
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from mat_shelf.app.wall.tools.wipe import BLEND
from mat_shelf.commands.references import overlap_of
from mat_shelf.optics.color import color_difference, linear_from_hex


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
        ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0),
        ((50, 0, 0), (50, -1, 2), 2.3669),
        ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792),
        ((50, 2.49, -0.001), (50, -2.49, 0.0011), 7.2195),
        ((50, 2.5, 0), (73, 25, -18), 27.1492),
        ((50, 2.5, 0), (61, -5, 29), 22.8977),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
        ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
    ],
)
def test_colour_differences_are_the_published_ones(one, other, expected):
    """Pairs of table 1 of Sharma, Wu and Dalal, 2005 (from memory)."""
    assert float(color_difference(one, other)) == pytest.approx(expected, abs=1e-4)
    assert float(color_difference(other, one)) == pytest.approx(expected, abs=1e-4)


def test_an_alignment_is_found_again_from_two_or_more_points():
    rng = np.random.default_rng(5)
    for count in (2, 3, 7):
        scale, turn, middle = 1.7, -0.4, complex(0.21, -0.33)
        image = rng.uniform(-0.5, 0.5, (count, 2))
        picture = [complex(x, y) * cmath.rect(scale, turn) + middle for x, y in image]
        found = overlap_of([((x, y), (z.real, z.imag)) for (x, y), z in zip(image, picture, strict=True)])
        assert (found.scale, found.turn, found.right, found.down) == pytest.approx((1.7, -0.4, 0.21, -0.33), abs=1e-5)
    with pytest.raises(ValueError, match="too near"):
        overlap_of([((0.1, 0.1), (0.2, 0.2)), ((0.1, 0.1), (0.3, 0.3))])


RED, BLUE = (200, 30, 40), (20, 60, 190)


@pytest.fixture
def photographs(tmp_path):
    """A red one with a blue square in its upper left, and a green one."""
    made = []
    for name, ground in (("red.png", RED), ("green.png", (30, 150, 60))):
        pixels = np.zeros((120, 160, 3), np.uint8)
        pixels[:] = ground
        pixels[20:40, 20:40] = BLUE
        made.append(tmp_path / name)
        Image.fromarray(pixels).save(made[-1])
    return made


@pytest.fixture
def window(open_window, photographs, qtbot):
    made = open_window()
    for number, path in enumerate(photographs, 1):
        dropped(made.wall.reference, path, made.wall.reference.rect().center())
        qtbot.waitUntil(lambda number=number: len(made.workshop.project.references) == number, timeout=30_000)
    return made


def middle_of(widget) -> tuple[int, int]:
    return widget.height() // 2, widget.width() // 2


@pytest.mark.long
def test_several_references_are_gone_through_named_and_removed(window, qtbot, tmp_path, monkeypatch):
    workshop, pane = window.workshop, window.wall.reference
    assert workshop.project.reference.name == "green.png"
    assert grabbed(pane)[middle_of(pane)] == pytest.approx([30, 150, 60], abs=3)
    pane.setFocus()
    QTest.keyClick(pane, Qt.Key.Key_PageUp)
    assert grabbed(pane)[middle_of(pane)] == pytest.approx(RED, abs=3)
    menu = pane.menu()
    assert [a.text() for a in menu.actions()][:2] == ["red.png", "green.png"] and not menu.actions()[0].icon().isNull()
    menu.actions()[1].trigger()
    assert workshop.project.reference.name == "green.png"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Studio, left", True))
    next(a for a in pane.menu().actions() if a.text() == "Rename…").trigger()
    assert workshop.project.reference.name == "Studio, left"
    path = tmp_path / "two.matshelf"
    assert workshop.save(path) and workshop.open(path)
    assert [r.name for r in workshop.project.references] == ["red.png", "Studio, left"]
    QTest.keyClick(pane, Qt.Key.Key_Delete)
    assert workshop.project.reference.name == "red.png"
    QTest.keyClick(pane, Qt.Key.Key_Delete)
    assert workshop.project.reference is None and pane.image is None
    workshop.undo()
    assert workshop.project.reference.name == "red.png"


@pytest.mark.long
def test_the_reference_is_laid_over_the_render_by_two_points(window, qtbot):
    workshop, pane, viewport = window.workshop, window.wall.reference, window.viewport
    picture_of(qtbot, window)
    window.menus.find("Align the reference").trigger()
    shown = pane._picture_rect()
    rect = viewport.picture_rect
    # Corners of the blue square: (20, 20) and (40, 40) of 160 x 120 go to a square in the middle of the picture.
    targets = [
        QPoint(rect.center().x() - 60, rect.center().y() - 60),
        QPoint(rect.center().x() + 60, rect.center().y() + 60),
    ]
    for pixel, target in zip((20, 40), targets, strict=True):
        at = QPointF(shown.x() + pixel / 160 * shown.width(), shown.y() + pixel / 120 * shown.height())
        QTest.mouseClick(pane, LEFT, PLAIN, at.toPoint())
        QTest.mouseClick(viewport, LEFT, PLAIN, target)
    assert workshop.project.reference.overlap is not None and workshop.selected is None
    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert not window.wall.comparison.is_aligning
    QTest.keyClick(viewport, Qt.Key.Key_W)
    viewport.wipe.share = 1.0
    over = grabbed(viewport)
    centre = rect.center()
    assert over[centre.y(), centre.x()] == pytest.approx(BLUE, abs=3)
    for away in (-50, 50):
        assert over[centre.y() + away, centre.x() + away] == pytest.approx(BLUE, abs=3)
    assert over[centre.y() + 75, centre.x() + 75] == pytest.approx([30, 150, 60], abs=3)
    next(a for a in pane.menu().actions() if a.text() == "Fill the picture").trigger()
    assert workshop.project.reference.overlap is None
    # Blended, it is seen through; the slider is dragged.
    bare = grabbed(viewport)
    QTest.keyClick(viewport, Qt.Key.Key_W, SHIFT)
    assert viewport.wipe.mode == BLEND
    knob = viewport.wipe._place().toPoint()
    QTest.mousePress(viewport, LEFT, PLAIN, knob)
    QTest.mouseMove(viewport, knob - QPoint(45, 0))
    QTest.mouseRelease(viewport, LEFT, PLAIN, knob - QPoint(45, 0))
    assert viewport.wipe.share == pytest.approx(0.25, abs=0.02)
    assert bare[centre.y(), centre.x()] == pytest.approx([30, 150, 60], abs=3)
    QTest.keyClick(viewport, Qt.Key.Key_W, SHIFT)
    plain = grabbed(viewport)[centre.y() - 60, centre.x() - 60]
    QTest.keyClick(viewport, Qt.Key.Key_W, SHIFT)
    viewport.wipe.share = 0.25
    mixed = grabbed(viewport)[centre.y() - 60, centre.x() - 60]
    assert mixed == pytest.approx(0.75 * plain + 0.25 * np.array([30, 150, 60]), abs=4)


@pytest.mark.long
def test_the_eyedropper_reads_both_and_gives_a_colour_to_an_input(window, qtbot):
    workshop, pane, viewport = window.workshop, window.wall.reference, window.viewport
    picture_of(qtbot, window)
    QTest.keyClick(viewport, Qt.Key.Key_E)
    QTest.mouseMove(viewport, viewport.picture_rect.center())
    QTest.mouseMove(pane, pane.rect().center())
    lines = [words for words, _ in window.wall.comparison.lines()]
    assert lines[0].startswith("Render   #") and lines[1].startswith("Reference   #1E963C") and "ΔE" in lines[2]
    bare = grabbed(viewport)
    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert np.abs(grabbed(viewport) - bare).max() > 60
    click_part(window, "wax-stick")
    row = window.board.rows["base_color"]
    QTest.mouseClick(row.bar, LEFT)
    QTest.mouseClick(row.popover.pick_button, LEFT)
    assert not row.popover.isVisible()
    QTest.mouseClick(pane, LEFT, PLAIN, pane.rect().center())
    expected = linear_from_hex("#1E963C")
    assert workshop.selected_material.recipe.base_color == pytest.approx(expected, abs=1e-4)
    assert workshop.history.undo_label == "Base colour" and workshop.color_wanted is None
    QTest.mouseClick(row.bar, LEFT)
    QTest.mouseClick(row.popover.pick_button, LEFT)
    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert workshop.color_wanted is None and workshop.selected == "wax-stick"


@pytest.mark.long
def test_snapshots_are_kept_with_the_project(window, qtbot, tmp_path):
    workshop, viewport = window.workshop, window.viewport
    before = picture_of(qtbot, window)
    shortcut(qtbot, window, Qt.Key.Key_K, CONTROL | SHIFT)
    qtbot.waitUntil(lambda: len(workshop.project.references) == 3, timeout=30_000)
    kept = workshop.project.reference
    assert kept.name.startswith("Snapshot") and kept.taken
    workshop.tune(workshop.project.part("wax-stick").material, subsurface_color=(0.02, 0.3, 0.02))
    after = picture_of(qtbot, window)
    stick = seen(window, "wax-stick")
    assert np.abs(after.astype(int) - before)[stick].mean() > 20
    path = tmp_path / "kept.matshelf"
    assert workshop.save(path) and workshop.open(path)
    pixels = workshop.assets.references[workshop.project.reference.image.digest]
    assert np.abs(pixels[stick].astype(int) - before[stick]).mean() < 3
    # Over the picture it lies just where it was taken.
    picture_of(qtbot, window)
    viewport.wipe.toggle(BLEND)
    viewport.wipe.share = 1.0
    QApplication.processEvents()
    shown = grabbed(viewport)
    rect = viewport.picture_rect
    ys, xs = np.nonzero(stick)
    height, width = stick.shape
    y = rect.y() + int((ys[len(ys) // 2] + 0.5) / height * rect.height())
    x = rect.x() + int((xs[len(xs) // 2] + 0.5) / width * rect.width())
    assert shown[y, x] == pytest.approx(pixels[ys[len(ys) // 2], xs[len(xs) // 2]].astype(int), abs=25)


@pytest.mark.long
def test_a_snapshot_lies_over_the_render_in_a_picture_of_another_shape(window, qtbot):
    """The frame of the camera is whole in every picture, so what was at its middle and edges stays there."""
    workshop, viewport = window.workshop, window.viewport
    picture_of(qtbot, window)
    window.keep_snapshot()
    qtbot.waitUntil(lambda: len(workshop.project.references) == 3, timeout=30_000)
    before = viewport.picker.seen_place(workshop.camera.target), viewport.picture_rect
    point = viewport.picker.place_at(QPointF(before[1].center()) + QPointF(60, 20))
    was = viewport.wipe.image_place(viewport.picker.seen_place(point))
    window.panes.take("picture")
    picture_of(qtbot, window)
    assert (
        abs(viewport.picture_rect.width() / viewport.picture_rect.height() - before[1].width() / before[1].height())
        > 0.1
    )
    now = viewport.wipe.image_place(viewport.picker.seen_place(point))
    assert (now - was).manhattanLength() < 2
