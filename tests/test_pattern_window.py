"""Patterns in the real window: what is clicked, dragged and typed, in the document and in the pixels."""

import numpy as np
import pytest
from driving import (
    LEFT,
    PLAIN,
    click_part,
    drag_slider,
    make_constant,
    open_card,
    picture_of,
    pixel_place,
    seen,
)
from PyQt6.QtCore import QCoreApplication, QEvent, QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QScrollArea
from test_pictures import bumps, bytes_of, normals_of

from mat_shelf.app.missing_images import missing_images
from mat_shelf.app.patterns.pattern_mime import pattern_mime
from mat_shelf.commands.patterns import PLACING
from mat_shelf.document.image import ImageRef
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement
from mat_shelf.document.product import Part, Product
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.solids import box, lathe, moved
from mat_shelf.patterns.ready import Ready
from mat_shelf.patterns.sources import Noise, Pictured
from mat_shelf.rendering.navigation import square_on


@pytest.fixture
def window(open_window):
    """A brass roller and a grey block beside it."""
    assets = Assets()
    roller = lathe(np.array([(0, 0), (20, 0), (20, 40), (0, 40)], float), 128)
    block = moved(box((40, 40, 40), 2), (50, 0, 0))
    parts = tuple(
        Part(id=name.lower(), name=name, mesh=assets.add(NamedMesh(name, mesh)), material=material)
        for name, mesh, material in (("Roller", roller, "brass"), ("Block", block, "grey"))
    )
    materials = (
        Material(id="brass", name="Brass", recipe=Recipe(base_color=(0.88, 0.7, 0.36), base_metalness=1.0)),
        Material(id="grey", name="Grey", recipe=Recipe(base_color=(0.4, 0.4, 0.4), specular_roughness=0.5)),
    )
    return open_window(new_project(Product(name="Pair", parts=parts), materials, (90.0, 40.0, 40.0)), assets)


def begin(window, name):
    """Begins a pattern with a tile of the popover."""
    board = window.board
    open_card(board, "Patterns")
    QTest.mouseClick(board.patterns_card.add_button, LEFT)
    assert board.new_popover.isVisible()
    tile = next(tile for tile, ready in board.new_popover.tiles if ready.pattern.name == name)
    tile.click()
    assert not board.new_popover.isVisible()
    return board.patterns.pattern


def add_step(strip, label):
    menu = strip.step_menu()
    next(action for action in menu.actions() if action.text() == label).trigger()
    menu.close()
    QTest.qWait(60)  # until its rows are laid out


def drop(data, target):
    """Drops something on a widget."""
    middle, copy = target.rect().center(), Qt.DropAction.CopyAction
    for event in (
        QDragEnterEvent(middle, copy, data, LEFT, PLAIN),
        QDropEvent(QPointF(middle), copy, data, LEFT, PLAIN),
    ):
        QApplication.sendEvent(target, event)
        assert event.isAccepted()


def drop_pattern(monkeypatch, button, target):
    """Drags a pattern's picture onto another widget. The system's own drag loop is replaced by the events it sends."""

    def exec_(drag, action):
        drop(drag.mimeData(), target)
        return action

    monkeypatch.setattr(QDrag, "exec", exec_)
    middle = button.rect().center()
    QTest.mousePress(button, LEFT, PLAIN, middle)
    for far in (4, 12):
        QTest.mouseMove(button, middle + type(middle)(far, 0))
    QTest.mouseRelease(button, LEFT, PLAIN, middle)


def test_a_pattern_is_made_shown_alone_fed_and_shared(window, qtbot, monkeypatch):
    workshop, board = window.workshop, window.board
    work, strip = board.patterns, board.strip

    # They begin "Wipe marks" on the brass: the strip opens, with a live picture of its source.
    click_part(window, "roller")
    pattern = begin(window, "Wipe marks")
    assert strip.isVisible() and strip.name.text() == "Wipe marks" and workshop.history.undo_label.startswith("New")
    qtbot.waitUntil(lambda: strip.tiles[0].picture.values is not None, timeout=20_000)
    source = strip.tiles[0].picture.values
    assert source.std() > 0.05

    # They add levels and drag black and white in until only thin lines are left.
    add_step(strip, "Levels")
    rows = {row.binding.name: row for row in strip.rows}
    drag_slider(rows["black"].slider, 0.7)
    drag_slider(rows["white"].slider, 0.95)
    levels = work.pattern.steps[1]
    assert levels.black == pytest.approx(0.7, abs=0.02) and levels.white == pytest.approx(0.95, abs=0.02)
    qtbot.waitUntil(lambda: strip.tiles[1].picture.values is not None, timeout=20_000)
    qtbot.waitUntil(lambda: strip.tiles[1].picture.values.mean() < 0.4 * source.mean(), timeout=20_000)

    # They hold a key and see it alone on the roller, white on black; they let go and the brass is back.
    before = picture_of(qtbot, window)
    inside, other = seen(window, "roller"), seen(window, "block")
    strip.tiles[1].setFocus()
    QTest.keyPress(strip.tiles[1], Qt.Key.Key_A)
    alone = picture_of(qtbot, window).astype(int)
    assert strip.alone_button.isChecked()
    assert np.ptp(alone[inside], axis=1).mean() < 8 < 30 < np.ptp(before[inside].astype(int), axis=1).mean()
    assert np.median(alone[inside]) < 25 and alone[inside].max() > 60
    assert np.abs(alone[other].mean(0) - before[other].mean(0)).max() < 14  # the block is as it was
    QTest.keyRelease(strip.tiles[1], Qt.Key.Key_A)
    back = picture_of(qtbot, window)
    assert np.abs(back[inside].mean(0) - before[inside].mean(0)).max() < 6
    assert workshop.history.undo_label == "Levels"  # looking is not editing

    # Back on the material they feed roughness with it, and type the range.
    QTest.keyClick(strip.tiles[1], Qt.Key.Key_Escape)
    assert not strip.isVisible() and board.patterns_card.rows[pattern.id].uses.text() == "feeds nothing"
    row = board.rows["specular_roughness"]
    drop_pattern(monkeypatch, board.patterns_card.rows[pattern.id].button, row.chip)
    row.number.setText("0.18 – 0.32")
    row.number.setModified(True)
    row.number.editingFinished.emit()
    feed = workshop.selected_material.recipe.feed("specular_roughness")
    assert (feed.pattern, feed.low, feed.high) == (pattern.id, 0.18, 0.32)

    # The same chip is dragged onto relief, at 0.002 mm ...
    board.patterns.open(None)  # where the release of the drag was a click
    open_card(board, "Relief")
    drop_pattern(monkeypatch, row.chip, board.relief_card)
    relief = next(iter(board.relief_card.rows.values()))
    relief.number.setText("0.002")
    relief.number.setModified(True)
    relief.number.editingFinished.emit()
    recipe = workshop.selected_material.recipe
    assert [(r.pattern, r.height) for r in recipe.relief] == [(pattern.id, 0.002)]
    assert recipe.uses_of(pattern.id) == ["Specular roughness", "Relief"]

    # ... and onto a second material, which gets a copy of it.
    data = pattern_mime(work, pattern.id)
    click_part(window, "block")
    grey = picture_of(qtbot, window).astype(int)
    target = board.rows["base_color"].chip
    drop(data, target)
    block = workshop.project.material("grey").recipe
    assert block.pattern(pattern.id).steps == recipe.pattern(pattern.id).steps
    assert block.feed("base_color").pattern == pattern.id
    marked = picture_of(qtbot, window).astype(int)
    assert marked[other].mean() < grey[other].mean() - 8  # black is a darker grey

    # What is fed becomes constant again, and the pattern goes; all of it undoes.
    make_constant(window, "base_color")
    work.remove(pattern.id)
    assert not workshop.project.material("grey").recipe.patterns
    while workshop.history.undo_label:
        workshop.undo()
    assert not workshop.project.material("brass").recipe.patterns and not workshop.history.is_changed


@pytest.mark.long
def test_steps_are_moved_switched_and_mixed(window, qtbot):
    board, work = window.board, window.board.patterns
    strip = board.strip
    click_part(window, "block")
    begin(window, "Noise")
    first = work.pattern_id
    for label in ("Invert", "Colour ramp", "Curve"):
        add_step(strip, label)
    assert [s.kind for s in work.pattern.steps] == ["noise", "invert", "ramp", "curve"]
    work.feed("base_color", first)
    assert work.recipe.feed("base_color").high == (1.0, 1.0, 1.0)  # its own colours
    assert board.rows["base_color"].chip.gives_colors

    # A tile is dragged two places to the left; by keyboard it goes back.
    tile = strip.tiles[3]
    middle = tile.rect().center()
    QTest.mousePress(tile, LEFT, PLAIN, middle)
    QTest.mouseMove(tile, middle - type(middle)(232, 0))
    QTest.mouseRelease(tile, LEFT, PLAIN, middle - type(middle)(232, 0))
    assert [s.kind for s in work.pattern.steps] == ["noise", "curve", "invert", "ramp"]
    QTest.keyClick(strip.tiles[1], Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert [s.kind for s in work.pattern.steps] == ["noise", "invert", "curve", "ramp"]

    # Switched off, the ramp leaves a grey, and what it feeds follows.
    work.switch_step(3)
    assert not work.pattern.steps[3].is_on and work.recipe.feed("base_color").high == (0.4, 0.4, 0.4)
    work.remove_step(3)
    work.duplicate_step(1)
    assert [s.kind for s in work.pattern.steps] == ["noise", "invert", "invert", "curve"]

    # A second pattern limits the first; then it cannot be thrown out, nor use the first in turn.
    QTest.keyClick(strip.tiles[0], Qt.Key.Key_Escape)
    second = begin(window, "Checker").id
    work.open(first)
    add_step(strip, "Combine")
    row = next(row for row in strip.rows if row.binding.name == "other")
    row.box.setCurrentIndex(row.box.findData(second))
    row.box.activated.emit(row.box.currentIndex())
    assert work.pattern.used() == [second]
    work.remove(second)
    assert second in {p.id for p in work.recipe.patterns} and "is used by Noise" in window.notice.text.text()
    work.open(second)
    add_step(strip, "Combine")
    row = next(row for row in strip.rows if row.binding.name == "other")
    row.box.setCurrentIndex(row.box.findData(first))
    row.box.activated.emit(row.box.currentIndex())
    assert "use each other" in window.notice.text.text() and work.pattern.used() == []


def test_a_curve_and_a_ramp_are_drawn(window):
    strip, work = window.board.strip, window.board.patterns
    click_part(window, "block")
    begin(window, "Noise")
    add_step(strip, "Curve")
    curve = next(row for row in strip.rows if row.binding.name == "nodes")
    place = curve._at((0.5, 0.5)).toPoint()
    QTest.mousePress(curve, LEFT, PLAIN, place)
    QTest.mouseMove(curve, curve._at((0.5, 0.9)).toPoint())
    QTest.mouseRelease(curve, LEFT)
    assert work.pattern.steps[1].nodes[1] == pytest.approx((0.5, 0.9), abs=0.03)
    QTest.mouseClick(curve, Qt.MouseButton.RightButton, PLAIN, curve._at((0.5, 0.9)).toPoint())
    assert len(work.pattern.steps[1].nodes) == 2
    add_step(strip, "Colour ramp")
    ramp = next(row for row in strip.rows if row.binding.name == "stops")
    middle = ramp._bar().center().toPoint()
    QTest.mouseClick(ramp, LEFT, PLAIN, middle)
    assert len(work.pattern.steps[2].stops) == 3
    ramp.open_color()
    drag_slider(ramp.popover.sliders["Chroma"], 0.6)
    drag_slider(ramp.popover.sliders["Hue"], 0.1)
    ramp.popover.close()
    color = work.pattern.steps[2].stops[1][1]
    assert color[0] > 1.5 * color[2]


def test_grain_goes_round_a_turned_part(window, qtbot):
    """The picture of the roller changes along its height, and not around it; its seam is gone."""
    board, work = window.board, window.board.patterns
    click_part(window, "roller")
    begin(window, "Turned")
    rows = board.strip.placement
    assert rows["projection"].box.currentData() == "cylinder" and rows["seam"].isVisible()
    rows["size"].number.setText("3")
    rows["size"].number.setModified(True)
    rows["size"].number.editingFinished.emit()
    assert work.pattern.placement.size == 3.0
    # the seam in front, where it would show
    work.put(work.pattern.with_(placement=work.pattern.placement.with_(seam=0.0)), "Seam")
    work.show_alone(True)
    alone = picture_of(qtbot, window).astype(float)[..., 1]
    parts = [p.id for p in window.workshop.project.product.parts]
    first_hits = window.viewport.frame.first_hits
    ys, xs = np.nonzero(first_hits.part == parts.index("roller"))
    middle = round(xs.mean())
    rows_in = range(ys.min() + (ys.max() - ys.min()) // 3, ys.max() - 12)
    patch = alone[rows_in.start : rows_in.stop, middle - 14 : middle + 15]
    down, across = np.abs(np.diff(patch, axis=0)).mean(), np.abs(np.diff(patch, axis=1)).mean()
    assert down > 2.5 * across
    at_seam = np.abs(np.diff(patch, axis=1)).mean(0)
    assert at_seam.max() < at_seam.mean() * 3
    work.show_alone(False)


@pytest.mark.long
def test_a_texture_set_is_dropped_recognised_and_sized(window, qtbot, tmp_path):
    board, workshop = window.board, window.workshop
    height, x, y = bumps()
    grey = ((height - height.min()) / np.ptp(height) * 255).astype(np.uint8)
    rng = np.random.default_rng(3)
    files = {
        "hide_color.png": np.stack([rng.integers(90, 120, height.shape, dtype=np.uint8)] * 3, axis=2) // (1, 2, 4),
        "hide_gloss.png": grey,
        "hide_normal.png": normals_of(x / 4, y / 4, down=True),
        "hide_height.png": grey,
        "hide_metallic.png": np.zeros_like(grey),
    }
    for name, pixels in files.items():
        (tmp_path / name).write_bytes(bytes_of(pixels.astype(np.uint8)))
    (tmp_path / "broken.png").write_bytes(b"\x89PNG nothing")
    click_part(window, "block")
    before = picture_of(qtbot, window).astype(int)
    inside = seen(window, "block")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / name)) for name in (*files, "broken.png")])
    drop(data, board)
    qtbot.waitUntil(lambda: board.images.texture_dialog is not None, timeout=30_000)
    dialog = board.images.texture_dialog
    assert "broken.png cannot be used" in window.notice.text.text()
    assert [b.currentData() for b in dialog.boxes] == ["color", "gloss", "normal down", "height", "metal"]
    # 128 pixels at 128 per inch are an inch
    dialog.per_inch.setValue(128)
    assert dialog.size.value() == pytest.approx(25.4, abs=0.06)
    QTest.mouseClick(dialog.apply_button, LEFT)
    recipe = workshop.selected_material.recipe
    assert {f.input for f in recipe.feeds} == {"base_color", "specular_roughness", "base_metalness"}
    assert [row.kind for row in recipe.relief] == ["normal, green down", "height"]
    brown = picture_of(qtbot, window).astype(int)
    assert brown[inside].mean(0)[0] > brown[inside].mean(0)[2] + 15
    assert abs(before[inside].mean(0)[0] - before[inside].mean(0)[2]) < 12
    assert workshop.history.undo_label == "Texture set"

    # The way green points can be flipped: the picture's bumps turn into dents.
    row = recipe.relief[0]
    board.patterns.remove_relief(recipe.relief[1].id)
    one = picture_of(qtbot, window).astype(int)
    board.patterns.set_relief(row.with_(kind="normal"))
    other = picture_of(qtbot, window).astype(int)
    assert np.abs(one[inside] - other[inside]).mean() > 1.5


def test_art_becomes_a_soft_relief(window, qtbot, tmp_path, monkeypatch):
    """Black and white art, softened by half a millimetre, is a slope in the picture and not a cliff."""
    board, work = window.board, window.board.patterns
    art = np.zeros((200, 200), np.uint8)
    art[60:140, 60:140] = 255
    path = tmp_path / "emblem.png"
    path.write_bytes(bytes_of(art))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: ([str(path)], ""))
    click_part(window, "block")
    open_card(board, "Patterns")
    QTest.mouseClick(board.patterns_card.add_button, LEFT)
    QTest.mouseClick(board.new_popover.pictures_button, LEFT)
    qtbot.waitUntil(lambda: work.pattern is not None, timeout=30_000)
    assert work.pattern.name == "emblem" and work.pattern.steps[0].space == "plain"
    row = next(row for row in board.strip.rows if row.binding.name == "picture")
    row.per_inch.setValue(200 / 40 * 25.4)  # as wide as the block
    assert work.pattern.placement.size == pytest.approx(40, abs=0.01)
    flat = picture_of(qtbot, window).astype(int)
    inside = seen(window, "block")
    work.add_relief(work.pattern_id)
    work.set_relief(work.recipe.relief[0].with_(height=3.0))
    add_step(board.strip, "Blur")
    radius = next(row for row in board.strip.rows if row.binding.name == "radius")
    radius.number.setText("2")
    radius.number.setModified(True)
    radius.number.editingFinished.emit()
    raised = picture_of(qtbot, window).astype(int)
    changed = np.abs(raised - flat).max(2) > 6
    assert 0.03 < changed[inside].mean() < 0.6  # its rim catches the light, its top and the field do not


def test_a_pattern_is_moved_on_the_product(window, qtbot):
    """It follows the pointer: what lay under it at the start lies under it at the end."""
    board, work = window.board, window.board.patterns
    strip = board.strip
    click_part(window, "block")
    begin(window, "Checker")
    rows = strip.placement
    rows["size"].number.setText("9")
    rows["size"].number.setModified(True)
    rows["size"].number.editingFinished.emit()
    work.show_alone(True)
    before = picture_of(qtbot, window).astype(int)[..., 1]
    QTest.mouseClick(strip.place_button, LEFT)
    assert work.hand == PLACING
    camera, viewport = window.workshop.camera, window.viewport
    ys, xs = np.nonzero(seen(window, "block"))
    front = ys > np.median(ys)
    row, column = int(np.median(ys[front])), int(np.median(xs[front]))
    start, end = pixel_place(window, row, column), pixel_place(window, row + 6, column + 10)
    QTest.mousePress(viewport, LEFT, PLAIN, start)
    for share in (0.4, 0.7, 1.0):
        QTest.mouseMove(viewport, start + (end - start) * share)
        QTest.qWait(20)
    QTest.mouseRelease(viewport, LEFT, PLAIN, end)
    assert window.workshop.camera == camera and work.pattern.placement.shift != (0, 0)
    assert window.workshop.history.undo_label == "Placement"
    after = picture_of(qtbot, window).astype(int)[..., 1]
    patch = before[row - 14 : row + 15, column - 14 : column + 15]
    moved = after[row - 8 : row + 21, column - 4 : column + 25]
    still = after[row - 14 : row + 15, column - 14 : column + 15]
    assert np.abs(patch - moved).mean() < 0.4 * np.abs(patch - still).mean()
    window.workshop.undo()
    assert work.pattern.placement.shift == (0, 0)

    # With Shift the drag turns it; the wheel with Control sizes it.
    QTest.mousePress(viewport, LEFT, Qt.KeyboardModifier.ShiftModifier, start)
    send_move(viewport, start, start + type(start)(40, 0))
    QTest.mouseRelease(viewport, LEFT, Qt.KeyboardModifier.ShiftModifier, start + type(start)(40, 0))
    assert work.pattern.placement.turn == pytest.approx(20, abs=1)
    QTest.mouseClick(strip.place_button, LEFT)
    assert work.hand == ""


def send_move(widget, start, end):
    """A mouse move with Shift held, which QTest's own cannot send."""
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        QPointF(end),
        QPointF(widget.mapToGlobal(end)),
        Qt.MouseButton.NoButton,
        LEFT,
        Qt.KeyboardModifier.ShiftModifier,
    )
    QApplication.sendEvent(widget, event)


def test_the_seam_is_turned_from_the_camera(window, qtbot):
    board, work = window.board, window.board.patterns
    click_part(window, "roller")
    begin(window, "Checker")
    work.put_placement(work.pattern.placement.with_(projection="cylinder", blend=0.0, size=9.3))
    window.workshop.explore(square_on(window.workshop.camera, "right"))
    assert board.strip.away_button.isVisible()
    QTest.mouseClick(board.strip.away_button, LEFT)
    # seen from +x the seam belongs on -x: at -90 degrees of the front, which is +z
    assert work.pattern.placement.seam == pytest.approx(-90, abs=3)


@pytest.mark.long
def test_worn_edges_are_made_in_the_background(window, qtbot):
    work = window.board.patterns
    click_part(window, "block")
    before = picture_of(qtbot, window).astype(int)
    inside = seen(window, "block")
    begin(window, "Edges")
    work.put_step(0, work.pattern.steps[0].with_(radius=7.0))
    work.feed("base_color", work.pattern_id)
    work.set_feed(work.recipe.feed("base_color").with_(low=(0.4, 0.4, 0.4), high=(1.0, 0.0, 0.0)))
    qtbot.waitUntil(lambda: 7.0 in {key.radius for key in window.workshop.assets.geometry_maps}, timeout=60_000)
    qtbot.waitUntil(lambda: window.shapes.job is None, timeout=20_000)
    worn = picture_of(qtbot, window).astype(int)
    red = (worn - before)[..., 0] - (worn - before)[..., 2]
    part = window.viewport.frame.first_hits.part == 1
    rim = part & ~inside
    assert red[rim].mean() > red[inside].mean() + 10


def test_a_ready_pattern_comes_from_the_library(window, qtbot):
    """Found by its tag, begun by Enter on the material of the selected piece; its placement is laid on another."""
    library, work = window.library, window.board.patterns
    library.search.setText("turned")
    rows = [row for row in library.model.rows if isinstance(row, Ready)]
    assert rows and all("turned" in row.tags or "turned" in row.pattern.name.lower() for row in rows)
    index = library.model.index(library.model.rows.index(rows[0]))
    qtbot.waitUntil(lambda: library.model.picture(rows[0]) is not None, timeout=20_000)
    window.workshop.select(None)
    library.list.activated.emit(index)
    assert "Select a part" in window.notice.text.text()
    click_part(window, window.workshop.project.product.parts[0].id)
    count = len(work.recipe.patterns)
    library.list.activated.emit(index)
    assert len(work.recipe.patterns) == count + 1 and work.pattern.steps == rows[0].pattern.steps
    work.put_placement(work.pattern.placement.with_(size=7.5, turn=30.0))
    QTest.mouseClick(window.board.strip.copy_button, LEFT)
    laid = work.pattern.placement
    other = work.begin((Noise(),), "Other", Noise.usual)
    work.open(other)
    QTest.mouseClick(window.board.strip.paste_button, LEFT)
    assert work.pattern.id == other and work.pattern.placement == laid


@pytest.mark.long
def test_missing_pictures_are_told_and_found_again_by_content_or_name(
    open_window, qtbot, small_project, tmp_path, monkeypatch
):
    """One file was renamed, one saved anew under its name: both come back, and the picture is seen again."""
    project, assets = small_project
    kept = Assets()
    kept.take(assets)
    rng = np.random.default_rng(1)
    pictures = []
    for k, name in enumerate(("red.png", "blue.png")):
        data = bytes_of(
            np.full((8, 8, 3), ((255, 0, 0), (0, 0, 255))[k], np.uint8) - rng.integers(0, 2, (8, 8, 3), np.uint8)
        )
        digest, kind = kept.add_map(data)
        pictures.append((ImageRef(name=name, digest=digest, kind=kind), data))
    patterns = tuple(
        Pattern(id=f"p{k}", name=f"P{k}", steps=(Pictured(picture=picture),), placement=Pictured.usual)
        for k, (picture, _) in enumerate(pictures)
    )
    recipe = project.material("red").recipe.with_(patterns=patterns)
    recipe = recipe.with_feed(Feed(input="base_color", pattern="p1", low=(0, 0, 0), high=(1, 1, 1)))
    project = project.with_material(project.material("red").with_(recipe=recipe))
    for picture, _ in pictures:
        del kept.pictures[picture.digest]
    window = open_window(project, kept)
    window.workshop.replace(project, kept, None)
    assert "2 images are missing: red.png, blue.png" in window.notice.text.text()
    before = picture_of(qtbot, window)[seen(window, "block")].astype(int).mean(axis=0)
    (tmp_path / "deep").mkdir()
    (tmp_path / "deep" / "renamed.png").write_bytes(pictures[0][1])
    (tmp_path / "blue.png").write_bytes(bytes_of(np.full((4, 4, 3), (0, 0, 250), np.uint8)))
    (tmp_path / "broken.png").write_bytes(b"\x89PNG nonsense")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(tmp_path))
    next(button for button in window.notice.buttons if button.text().startswith("Search")).click()
    qtbot.waitUntil(lambda: "2 found" in window.notice.text.text(), timeout=20_000)
    assert missing_images(window.workshop) == []
    after = picture_of(qtbot, window)[seen(window, "block")].astype(int).mean(axis=0)
    assert abs(np.ptp(before)) < 30 and after[2] > after[0] + 60


def test_relief_is_made_of_a_photograph_in_the_window(window, qtbot, tmp_path):
    """Dropped as a picture, its relief is made in the dialog and becomes a pattern that feeds relief."""
    grey = np.uint8(128 + 8 * bumps(96)[0])
    (tmp_path / "photo.png").write_bytes(bytes_of(np.repeat(grey[..., None], 3, axis=2)))
    click_part(window, window.workshop.project.product.parts[0].id)
    board, work = window.board, window.board.patterns
    board.images.read([tmp_path / "photo.png"])
    qtbot.waitUntil(lambda: work.pattern is not None and work.pattern.name == "photo", timeout=20_000)
    row = next(row for row in board.strip.rows if hasattr(row, "make_button"))
    row.open_dialog()
    dialog = row.dialog
    dialog.sliders["within"].moved.emit(0.1)
    QTest.mouseClick(dialog.make_button, LEFT)
    qtbot.waitUntil(lambda: work.pattern is not None and work.pattern.name == "photo, height", timeout=20_000)
    source = work.pattern.steps[0]
    made = window.workshop.assets.pictures[source.picture.digest]
    assert source.space == "plain" and made.levels[0].dtype == np.uint16 and made.width == 96


def test_cards_without_room_wait_as_tabs_with_their_counts(open_window, small_project):
    window = open_window(*small_project)
    window.resize(1280, 800)
    board, work = window.board, window.board.patterns
    window.workshop.select("block")
    for name in ("Grain", "Dents"):
        work.add_relief(work.begin((Noise(),), name, Placement()))
    work.open(None)
    QCoreApplication.processEvents()
    patterns = board.folds["Patterns"]
    assert patterns.tab.isVisible() and patterns.tab.text() == "Patterns  2"
    assert board.folds["Relief"].card.isVisible()
    assert all(
        area.horizontalScrollBar().maximum() == 0 for area in board.findChildren(QScrollArea) if area.isVisible()
    )
    open_card(board, "Patterns")
    window.resize(1040, 640)
    QCoreApplication.processEvents()
    assert patterns.card.isVisible()  # what the user opened stays open
