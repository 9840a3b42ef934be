"""The plan of the set, the handles of lights in the picture, and what the light card changes, in the real window."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of
from PyQt6.QtCore import QPoint
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog
from test_light_kinds import ies

from mat_shelf.app.set.plan_card import SIDE
from mat_shelf.document.light import Light


@pytest.fixture
def station(open_window, small_project, qtbot):
    project, assets = small_project
    lights = (
        Light(name="Back", position=(-10, -20, -150), target=(0, 20, 0), width=60.0, height=30.0, luminance=9000),
        Light(name="Key", position=(200, 300, 200), target=(0, 10, 0), width=150.0, height=100.0),
    )
    window = open_window(project.with_set(project.set.with_(lights=lights, backdrop=None)), assets, 0.35)
    window.resize(1600, 1000)
    window.stations.buttons()[4].click()
    picture_of(qtbot, window)
    window.workshop.select_light(0)
    return window


def drag(widget, start, end, steps=4) -> None:
    start, end = QPoint(*map(round, start)), QPoint(*map(round, end))
    QTest.mousePress(widget, LEFT, PLAIN, start)
    for k in range(1, steps + 1):
        QTest.mouseMove(widget, start + (end - start) * k / steps)
    QTest.mouseRelease(widget, LEFT, PLAIN, end)


def xy(point) -> np.ndarray:
    return np.array([point.x(), point.y()])


def test_handles_size_roll_move_and_aim_a_light(station, qtbot):
    window, workshop = station, station.workshop
    handles = window.viewport.light_handles.handles
    assert {"corner 3", "right", "top", "move", "roll", "target"} <= set(handles())
    before, steps = picture_of(qtbot, window), workshop.history.position
    places = {name: xy(place) for name, place in handles().items()}
    middle = places["move"]
    drag(window.viewport, places["right"], middle + 1.2 * (places["right"] - middle))
    light = workshop.light
    assert light.width == pytest.approx(72, rel=0.05) and light.height == 30.0
    assert workshop.history.position == steps + 1  # one step for the whole drag
    assert np.abs(picture_of(qtbot, window).astype(int) - before).max() > 30
    places = {name: xy(place) for name, place in handles().items()}
    drag(window.viewport, places["corner 3"], middle + 0.5 * (places["corner 3"] - middle))
    assert workshop.light.width == pytest.approx(36, rel=0.08) and workshop.light.height == pytest.approx(15, rel=0.1)
    places = {name: xy(place) for name, place in handles().items()}
    out = places["roll"] - middle
    drag(window.viewport, places["roll"], middle + np.array([-out[1], out[0]]))  # a quarter clockwise on screen
    assert abs(abs(workshop.light.roll) - 90) < 12
    places = {name: xy(place) for name, place in handles().items()}
    drag(window.viewport, places["move"], places["move"] + (30, 0))
    moved = workshop.light
    assert moved.target == light.target and moved.position != light.position
    assert xy(window.viewport.picker.seen_place(moved.position)) == pytest.approx(places["move"] + (30, 0), abs=3)
    target = xy(handles()["target"])
    ys, xs = np.nonzero(window.viewport.frame.first_hits.part == 0)
    rect, shape = window.viewport.picture_rect, window.viewport.frame.first_hits.part.shape
    k = len(ys) // 3
    point = np.array([rect.x() + xs[k] / shape[1] * rect.width(), rect.y() + ys[k] / shape[0] * rect.height()])
    drag(window.viewport, target, point)
    assert workshop.light.target != moved.target and workshop.light.position == moved.position
    assert xy(window.viewport.picker.seen_place(workshop.light.target)) == pytest.approx(point, abs=3)


@pytest.mark.long
def test_the_plan_moves_lights_camera_and_what_they_face(station, qtbot):
    window, workshop, plan = station, station.workshop, station.set_board.plan
    assert plan.isVisible()
    key = workshop.project.set.lights[1]
    start = xy(plan.place_of(key.position))
    before = picture_of(qtbot, window)
    drag(plan, start, start + (-25, 12))
    moved = workshop.light  # the drag selected it
    assert moved.name == "Key" and moved.position[1] == pytest.approx(key.position[1], abs=0.01)
    assert moved.position[0] < key.position[0] and moved.position[2] > key.position[2]
    assert workshop.history.undo_label == "Move light"
    assert np.abs(picture_of(qtbot, window).astype(int) - before).mean() > 0.2
    target = xy(plan.place_of(moved.target))
    drag(plan, target, target + (8, 0))
    assert workshop.light.target[0] > moved.target[0] and workshop.light.position == moved.position
    camera = workshop.camera
    at = xy(plan.place_of(camera.position))
    drag(plan, at, at + (-20, 0))
    assert workshop.free_camera is not None and workshop.camera.position[0] < camera.position[0]
    assert workshop.camera.position[1] == pytest.approx(camera.position[1], abs=0.01)
    workshop.explore(None)
    window.set_board.plan_sides.click()
    assert plan.side == SIDE
    light = workshop.light
    start = xy(plan.place_of(light.position))
    drag(plan, start, start + (0, -10))
    assert workshop.light.position[1] > light.position[1]
    assert workshop.light.position[0] == pytest.approx(light.position[0], abs=0.01)


def test_parts_are_carried_about_on_the_plan(station, qtbot):
    window, workshop, plan = station, station.workshop, station.set_board.plan
    before, mask = picture_of(qtbot, window), window.viewport.frame.first_hits.part == 0
    workshop.select_light(-1)  # its ring lies over the block
    low, high = (xy(plan.place_of(corner)) for corner in ((-30, 0, -15), (30, 0, 15)))
    start = low + 0.2 * (high - low)
    scale = plan.frame()[1]
    drag(plan, start, start + (24, 10))
    part = workshop.project.product.parts[0]
    assert workshop.selected == part.id and workshop.history.undo_label == "Move"
    assert part.pose.shift == pytest.approx((24 / scale, 0, 10 / scale), abs=1.5 / scale)
    picture_of(qtbot, window)
    now = window.viewport.frame.first_hits.part == 0
    assert np.nonzero(now)[1].mean() > np.nonzero(mask)[1].mean() + 3
    workshop.undo()
    assert workshop.project.product.parts[0].pose.shift == (0, 0, 0)
    again = picture_of(qtbot, window)
    assert np.abs(again.astype(int) - before).mean() < 3


@pytest.mark.long
def test_shadows_are_put_where_they_are_wanted(station, qtbot):
    """The light stands on the line from the shadow through what casts it."""
    workshop = station.workshop
    caster, floor = np.array([10.0, 40.0, 0.0]), np.array([-60.0, 0.0, 30.0])
    distance = np.linalg.norm(np.subtract(workshop.light.position, workshop.light.target))
    workshop.put_shadow(caster, floor)
    way = np.subtract(workshop.light.position, floor)
    assert np.cross(way / np.linalg.norm(way), (caster - floor) / np.linalg.norm(caster - floor)) == pytest.approx(
        0, abs=1e-4
    )
    assert np.linalg.norm(np.subtract(workshop.light.position, caster)) == pytest.approx(distance, rel=1e-3)
    board = station.set_board
    QTest.mouseClick(board.light_card.way_buttons["shadow"], LEFT)
    hits = station.viewport.frame.first_hits
    ys, xs = np.nonzero(hits.part >= 0)
    rect, shape = station.viewport.picture_rect, hits.part.shape
    ends = [
        (rect.x() + xs[k] / shape[1] * rect.width(), rect.y() + ys[k] / shape[0] * rect.height())
        for k in (len(ys) // 4, 3 * len(ys) // 4)
    ]
    before = workshop.light
    drag(station.viewport, *ends)
    assert workshop.light != before and workshop.history.undo_label == "Place shadow"


@pytest.mark.long
def test_power_is_kept_while_the_size_changes(station, qtbot):
    workshop, card = station.workshop, station.set_board.light_card
    QTest.mouseClick(card.boxes["keeps_power"], LEFT)
    power = workshop.light_power(workshop.light)
    workshop.shape_light({"width": 6.0})
    assert workshop.light.luminance == pytest.approx(90_000, rel=1e-3)
    assert workshop.light_power(workshop.light) == pytest.approx(power, rel=1e-4)
    workshop.set_light_kind("tube")
    assert workshop.light_power(workshop.light) == pytest.approx(power, rel=1e-4)
    row = card.rows["lumens"]
    row.number.setText("2000")
    row.number.setModified(True)
    row.number.editingFinished.emit()
    assert workshop.light_power(workshop.light) == pytest.approx(2000, rel=1e-3)


@pytest.mark.long
def test_images_and_distributions_are_put_on_a_light(station, qtbot, tmp_path, monkeypatch):
    window, workshop, card = station, station.workshop, station.set_board.light_card
    plain = picture_of(qtbot, window)
    card.image_button.menu().actions()[0].trigger()
    assert workshop.light.image.name == "Window"
    shown = picture_of(qtbot, window)
    assert np.abs(shown.astype(int) - plain).max() > 60  # its bars are seen
    card.follow()
    card.no_image.trigger()
    assert workshop.light.image is None

    card.kind_box.setCurrentIndex(card.kind_box.findText("Spot"))
    card.kind_box.activated.emit(card.kind_box.currentIndex())
    assert workshop.light.kind == "spot" and not card.rows["cone"].isHidden() and card.rows["width"].isHidden()
    path = tmp_path / "lamp.ies"
    path.write_bytes(ies([0, 30, 60, 90], [0], [[900, 700, 200, 0]]))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(path), ""))
    QTest.mouseClick(card.file_button, LEFT)
    qtbot.waitUntil(lambda: workshop.light.distribution is not None, timeout=30_000)
    assert card.rows["cone"].isHidden() and card.file_button.text() == "Remove IES"
    light = workshop.light
    assert light.luminance * np.pi * (light.diameter / 2000) ** 2 == pytest.approx(900, rel=1e-3)
    saved = tmp_path / "lit.matshelf"
    assert workshop.save(saved)
    workshop.open(saved)
    qtbot.waitUntil(lambda: workshop.path == saved, timeout=30_000)
    assert workshop.light.distribution.digest in workshop.assets.distributions
    path.write_bytes(b"nothing of the kind")
    workshop.set_light_distribution(path)
    qtbot.waitUntil(lambda: "lamp.ies cannot be a light distribution" in window.notice.text.text(), timeout=30_000)


@pytest.mark.long
def test_the_sky_lights_the_set(station, qtbot):
    window, workshop, card = station, station.workshop, station.set_board.surround_card
    card.kind_box.setCurrentIndex(card.kind_box.findText("Sky and sun"))
    card.kind_box.activated.emit(card.kind_box.currentIndex())
    assert workshop.project.set.sky is not None and not card.rows["sky height"].isHidden()
    clear = picture_of(qtbot, window)
    assert (clear == 255).all(axis=2).mean() < 0.3  # a set exposed for a studio is not flooded
    card.sky_boxes["is_overcast"].click()
    grey = picture_of(qtbot, window)
    assert workshop.project.set.sky.is_overcast and np.abs(clear.astype(int) - grey).mean() > 3
    card.kind_box.setCurrentIndex(card.kind_box.findText("Even room"))
    card.kind_box.activated.emit(card.kind_box.currentIndex())
    assert workshop.project.set.sky is None


@pytest.mark.long
def test_sets_are_kept_in_the_library_and_come_in_at_the_size_of_another_product(station, qtbot, tmp_path):
    """With its lights' files and what its backdrop wears; a damaged file is told and adds nothing."""
    window, workshop, card = station, station.workshop, station.set_board.sets_card
    workshop.set_light_image("Blind")
    workshop.set_backdrop("box")
    workshop.dress_backdrop(workshop.project.materials[0].id)
    workshop.rename_set("My rig")
    card.keep_action.trigger()
    qtbot.waitUntil(lambda: "My rig is in the library now" in window.notice.text.text(), timeout=30_000)
    (path,) = workshop.kept_sets()
    before = workshop.project.set
    card.fill_menu()
    action = next(action for action in card.menu.actions() if action.text() == "My rig")
    count = len(workshop.project.sets)
    action.trigger()
    qtbot.waitUntil(lambda: len(workshop.project.sets) == count + 1, timeout=30_000)
    added = workshop.project.set
    assert added.name == "My rig 2"
    assert added.lights == before.lights and added.id != before.id
    assert workshop.project.material(added.backdrop.material).recipe == workshop.project.materials[0].recipe
    workshop.add_kept_set(path, 2 * card._longest())
    qtbot.waitUntil(lambda: len(workshop.project.sets) == count + 2, timeout=30_000)
    twice = workshop.project.set
    assert twice.lights[0].width == pytest.approx(2 * before.lights[0].width, rel=1e-3)
    assert twice.lights[0].position == pytest.approx(np.multiply(2, before.lights[0].position), rel=1e-3)
    assert twice.backdrop.depth == pytest.approx(2 * before.backdrop.depth, rel=1e-3)
    data = path.read_bytes()
    project = workshop.project
    path.write_bytes(data[: len(data) // 2])
    workshop.add_kept_set(path, 100.0)
    qtbot.waitUntil(lambda: "My rig was not added" in window.notice.text.text(), timeout=30_000)
    assert workshop.project is project
    workshop.forget_kept_set(path)
    assert not workshop.kept_sets()
    window.notice.buttons[0].click()
    assert [p.read_bytes() for p in workshop.kept_sets()] == [data[: len(data) // 2]]
    workshop.forget_kept_set(path)
    shipped = next(action for action in card.menu.actions() if action.text() == "Dark-field glass")
    shipped.trigger()
    assert workshop.project.set.name == "Dark-field glass 2"  # the demo has it already


@pytest.mark.long
def test_each_set_is_pictured_on_the_board(station, qtbot):
    """Different light makes different pictures; they come by themselves."""
    card, workshop = station.set_board.sets_card, station.workshop
    station.set_board.row.folds["Set"].turned.emit(True)
    workshop.add_shipped_set("dark-field", 100.0)
    shown = {}
    card.thumbnails.made.connect(lambda set_id, pixels: shown.__setitem__(set_id, pixels.astype(int)))
    qtbot.waitUntil(lambda: len(shown) == len(workshop.project.sets), timeout=60_000)
    first, dark = (shown[studio.id] for studio in (workshop.project.sets[0], workshop.project.sets[-1]))
    assert dark.shape == (44, 66, 3) and np.abs(first.mean() - dark.mean()) > 10
    icon = card.list.item(card.list.count() - 1).icon().pixmap(66, 44).toImage()
    assert icon.pixelColor(33, 22).alpha() == 255


@pytest.mark.long
def test_a_backdrop_takes_forms_and_materials(station, qtbot):
    window, workshop, card = station, station.workshop, station.set_board.backdrop_card
    workshop.set_backdrop("sweep")
    sweep = picture_of(qtbot, window)
    card.material_box.setCurrentIndex(1)
    card.material_box.activated.emit(1)
    worn = workshop.project.set.backdrop.material
    assert worn == workshop.project.materials[0].id and card.rows["color"].isHidden()
    assert np.abs(picture_of(qtbot, window).astype(int) - sweep).mean() > 1
    workshop.delete_materials([worn])
    assert "Backdrop of" in window.notice.text.text() and workshop.project.material(worn)
    card.form_box.setCurrentIndex(card.form_box.findText("None"))
    card.form_box.activated.emit(card.form_box.currentIndex())
    assert workshop.project.set.backdrop is None and card.rows["width"].isHidden()


@pytest.mark.long
def test_rigs_keep_their_ratios_and_places(station):
    """A fill two stops below its key; rims behind the product as the camera sees it."""
    workshop, card = station.workshop, station.set_board.lights_card
    count = len(workshop.project.set.lights)
    card.add_rig("Key, fill and rim")
    key, fill, rim = workshop.project.set.lights[count:]
    assert workshop.light_place == count and key.strength - fill.strength == 2.0 and rim.strength > key.strength
    eye = np.subtract(workshop.camera.position, key.target) * (1, 0, 1)
    sides = [np.subtract(light.position, light.target) @ eye for light in (key, fill, rim)]
    assert sides[0] > 0 and sides[1] > 0 and sides[2] < 0
    card.add_rig("Key, fill and rim")
    names = [light.name for light in workshop.project.set.lights]
    assert len(set(names)) == len(names)


@pytest.mark.long
def test_a_light_is_limited_to_the_selected_parts(station, qtbot):
    window, workshop, card = station, station.workshop, station.set_board.light_card
    workshop.select_light(1)
    before = picture_of(qtbot, window)
    card.only_action.trigger()
    assert "Select the parts first" in window.notice.text.text() and not workshop.light.only_parts
    workshop.select(workshop.project.product.parts[0].id)
    card.only_action.trigger()
    assert (
        workshop.light.only_parts == (workshop.project.product.parts[0].id,)
        and card.parts_button.text() == "Lights some"
    )
    workshop.light_only(("another",))
    assert picture_of(qtbot, window).mean() < before.mean() - 1
