"""What is painted by hand: its width in mm, where it lies, what erases it; and the brush in the window."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, click_part, open_card, picture_of, pixel_place, seen
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from mat_shelf.document.pattern import Pattern
from mat_shelf.document.product import Part
from mat_shelf.geometry.solids import box
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.placement_edit import PlacementHit, in_part
from mat_shelf.patterns.points import Points, part_frames, part_salt
from mat_shelf.patterns.sources.painted import Brush, Painted, Stroke
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.thumbnail import thumbnail

UP = (0.0, 0.0, 1.0)
CREASE = Stroke(
    part="sheet",
    brush=Brush(width=4, softness=0.5, strength=0.8, fades=False),
    points=((-10, 0, 1), (0, 0, 1), (10, 0, 1)),
    normals=(UP, UP, UP),
)


def values(painted, places, normal=UP, part="sheet"):
    """A painted source at places of a sheet of 40 x 40 x 2 mm in its own frame."""
    mesh = box((40, 40, 2), 0.1)
    frames = part_frames([mesh], [(np.eye(3), np.zeros(3), 1.0)], [part_salt(part)])
    places = np.float32(places) + np.float32(mesh.bounds.mean(axis=0))
    normals = np.tile(np.float32([normal]), (len(places), 1))
    points = Points(places, normals, np.zeros(len(places), np.int32), frames)
    return evaluate(Pattern(id="p", name="P", steps=(painted,)), points)


def test_a_stroke_is_as_wide_and_strong_as_its_brush():
    across = np.linspace(-3, 3, 601)
    line = values(Painted(strokes=(CREASE,)), [(3, y, 1) for y in across])
    assert line.max() == pytest.approx(0.8, abs=1e-3)
    assert np.ptp(across[line > 0]) == pytest.approx(4, abs=0.03)  # mm: the brush's width
    assert np.ptp(across[line > 0.4]) == pytest.approx(3, abs=0.05)  # half soft: half strength half way in
    assert values(Painted(strokes=(CREASE,)), [(11.9, 0, 1), (12.1, 0, 1)])[0] > 0
    assert values(Painted(strokes=(CREASE,)), [(12.1, 0, 1)])[0] == 0


def test_ends_fade_and_erasers_take_away():
    fading = CREASE.with_(brush=CREASE.brush.with_(fades=True))
    middle, near_end, end = values(Painted(strokes=(fading,)), [(0, 0, 1), (8, 0, 1), (10, 0, 1)])
    assert middle == pytest.approx(0.8, abs=1e-3) and 0 < near_end < 0.25 and end == pytest.approx(0, abs=1e-6)
    eraser = CREASE.with_(
        brush=Brush(width=6, softness=0.1, strength=1, erases=True, fades=False),
        points=((5, -9, 1), (5, 9, 1)),
        normals=(UP, UP),
    )
    left, right = values(Painted(strokes=(CREASE, eraser)), [(5, 0, 1), (-5, 0, 1)])
    assert left == 0 and right == pytest.approx(0.8, abs=1e-3)
    # In the other order the paint lies over what was erased.
    assert values(Painted(strokes=(eraser, CREASE)), [(5, 0, 1)])[0] == pytest.approx(0.8, abs=1e-3)


def test_it_stays_on_its_side_and_its_part():
    painted = Painted(strokes=(CREASE,))
    assert values(painted, [(0, 0, -1)], normal=(0, 0, -1))[0] == 0  # 2 mm through the sheet, within the brush
    assert values(painted, [(0, 0, 1)], part="other")[0] == 0
    assert values(Painted(), [(0, 0, 1)])[0] == 0


def test_places_of_a_turned_part_are_its_own():
    part = Part(id="sheet", name="Sheet", mesh="0" * 64)
    part = part.with_(pose=part.pose.with_(turn=(0, 90, 0), shift=(100, 0, 0)))
    mesh = box((40, 40, 2), 0.1)
    # Turned by 90 degrees about y, the sheet's front (+z) looks along +x.
    place, normal = in_part(part, mesh, PlacementHit("sheet", (101.0, 25.0, 7.0), (1.0, 0.0, 0.0)))
    assert np.allclose(normal, UP, atol=1e-3)
    assert np.allclose(place, np.subtract((-7, 25, 1), mesh.bounds.mean(axis=0)), atol=1e-3)


def test_its_thumbnail_shows_all_of_it_flat():
    pattern = Pattern(id="p", name="P", steps=(Painted(strokes=(CREASE,)),))
    pixels = thumbnail(pattern, PatternContext(), 64, 64)[..., 0]
    columns, rows = np.nonzero(pixels.max(axis=0) > 40)[0], np.nonzero(pixels.max(axis=1) > 40)[0]
    assert np.ptp(columns) > 45 and np.ptp(rows) < 20 and abs(columns.mean() - 31.5) < 2 and abs(rows.mean() - 31.5) < 2


def test_bad_strokes_are_refused():
    with pytest.raises(ValueError, match="another number of normals"):
        CREASE.with_(normals=(UP,))
    long = CREASE.with_(points=((0.0, 0.0, 0.0),) * 5000, normals=(UP,) * 5000)
    with pytest.raises(ValueError, match="more than 50000 points"):
        Painted(strokes=(long,) * 11)
    with pytest.raises(ValueError):
        CREASE.with_(points=((float("nan"), 0, 0),) * 3)


@pytest.mark.long
def test_a_crease_is_painted_on_the_product(open_window, qtbot, small_project):
    """Painted, it shows in relief and in the colour; undo takes one stroke away; beside the part nothing happens."""
    window = open_window(*small_project)
    board, work, workshop, viewport = window.board, window.board.patterns, window.workshop, window.viewport
    click_part(window, "block")
    open_card(board, "Patterns")
    QTest.mouseClick(board.patterns_card.add_button, LEFT)
    next(tile for tile, ready in board.new_popover.tiles if ready.pattern.name == "Painted by hand").click()
    work.feed("base_color", work.pattern_id)
    work.set_feed(work.recipe.feed("base_color").with_(low=(0.5, 0.05, 0.05), high=(0.05, 0.05, 0.5)))
    before = picture_of(qtbot, window).astype(int)
    inside, camera = seen(window, "block"), workshop.camera
    ys, xs = np.nonzero(inside)
    row, left, right = int(np.median(ys)), int(np.percentile(xs, 25)), int(np.percentile(xs, 75))

    def paint(modifiers=PLAIN):
        QTest.mousePress(viewport, LEFT, modifiers, pixel_place(window, row, left))
        for column in range(left, right + 1, 6):
            QTest.mouseMove(viewport, pixel_place(window, row, column))
            QTest.qWait(5)
        QTest.mouseRelease(viewport, LEFT, modifiers, pixel_place(window, row, right))

    paint()  # the brush is off: this goes round the product
    assert not work.painted.strokes and workshop.camera != camera
    workshop.explore(None)
    picture_of(qtbot, window)
    assert not any(row.isVisible() for row in board.strip.placement.values())  # there is nothing to place
    brush = next(row for row in board.strip.rows if hasattr(row, "paint_button"))
    QTest.mouseClick(brush.paint_button, LEFT)
    width = next(row for row in board.strip.rows if getattr(row, "binding", None) and row.binding.name == "width")
    width.number.setText("6")
    width.number.setModified(True)
    width.number.editingFinished.emit()
    paint()
    assert len(work.painted.strokes) == 1 and work.painted.strokes[0].brush.width == 6
    assert workshop.camera == camera and workshop.history.undo_label == "Paint"
    painted = picture_of(qtbot, window).astype(int)
    blue = (painted - before)[..., 2] > 25
    assert abs(np.median(np.nonzero(blue)[0]) - row) < 8 and blue[inside].mean() > 0.02
    assert not blue[~(viewport.frame.first_hits.part == 0)].any()
    assert np.median(np.nonzero(blue)[1]) == pytest.approx((left + right) / 2, abs=12)

    work.set_brush(work.brush.with_(strength=1.0))
    paint(Qt.KeyboardModifier.ControlModifier)  # erases
    assert len(work.painted.strokes) == 2 and work.painted.strokes[1].brush.erases
    erased = picture_of(qtbot, window).astype(int)
    assert (erased - before)[blue, 2].mean() < 0.6 * (painted - before)[blue, 2].mean()
    workshop.undo()
    assert len(work.painted.strokes) == 1
    QTest.keyClick(viewport, Qt.Key.Key_Escape)  # lays the brush down, and the strip stays
    assert not work.hand and work.pattern is not None
    QTest.mouseClick(brush.paint_button, LEFT)
    QTest.mouseClick(viewport, LEFT, PLAIN, pixel_place(window, 3, 3))
    assert "Paint on a part that wears" in window.notice.text.text() and len(work.painted.strokes) == 1
    QTest.mouseClick(brush.clear_button, LEFT)
    assert not work.painted.strokes
    workshop.undo()
    assert len(work.painted.strokes) == 1
