"""Lights aimed by pointing: highlights by construction on simple bodies, and the Set station in the real window."""

import numpy as np
import pytest
import trimesh
from driving import LEFT, PLAIN, grabbed, picture_of, pixel_place, shortcut
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from mat_shelf.commands.session import Session
from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import MOST_LIGHTS, Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.mesh import checked
from mat_shelf.library.library import Library
from mat_shelf.optics.color import luminance
from mat_shelf.rendering.camera import make_camera_view, ray_through
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.scene.lights import light_outline

SIZE = 120, 80
MIRROR = Material(id="mirror", name="Mirror", recipe=Recipe(base_metalness=1.0, specular_roughness=0.0))


def body(kind: str) -> trimesh.Trimesh:
    if kind == "ball":
        return trimesh.creation.icosphere(5, 40)
    if kind == "plane":
        return trimesh.creation.box((120, 120, 10))
    can = trimesh.creation.cylinder(30, 100, sections=512)
    can.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0)))
    return can


@pytest.fixture
def mirrors(small_project, library_folder):
    """A function that stands a mirror in a dark room before the camera, with one small light."""
    project, _ = small_project

    def standing(kind: str, turn: float = 0.0) -> Session:
        assets, solid = Assets(), body(kind)
        normals = solid.vertices / 40 if kind == "ball" else None
        mesh = checked(solid.vertices, solid.faces, normals)
        part = Part(id="body", name="Body", mesh=assets.add(NamedMesh("body", mesh)), material="mirror")
        light = Light(position=(0, 500, 300), width=25.0, height=25.0, luminance=1e6)
        studio = Set(id="s", name="S", lights=(light,), surround=0, ground=0, backdrop=None, turn=turn)
        view = project.views[0].with_(camera=Camera(position=(60, 90, 400), target=(0, 0, 0), focal_length=60))
        made = project.with_(
            product=project.product.with_(parts=(part,)), materials=(MIRROR,), sets=(studio,), current_set="s",
            views=(view,), current_view=view.id,
        )  # fmt: skip
        return Session(made, assets, Library(library_folder))

    return standing


@pytest.mark.parametrize("kind", ["ball", "can", "plane"])
@pytest.mark.parametrize("turn", [0.0, 70.0])
def test_a_highlight_lies_within_a_pixel_of_where_it_was_put(mirrors, kind, turn):
    """The place and its normal by another library's ray; the picture's brightest place is that pixel."""
    session = mirrors(kind, turn)
    camera = session.project.view.camera
    view, solid = make_camera_view(camera, *SIZE), body(kind)
    for x, y in ((0.47, 0.45), (0.55, 0.52), (0.5, 0.38)):
        origin, way = ray_through(view, x, y)
        (place,), _, (face,) = solid.ray.intersects_location([origin], [way], multiple_hits=False)
        normal = place / np.linalg.norm(place) if kind == "ball" else solid.face_normals[face]
        if kind == "can":
            normal = np.array([place[0], 0, place[2]]) / np.hypot(place[0], place[2])
        session.put_highlight(place, normal, camera.position)
        away = np.linalg.norm(np.subtract(session.light.position, session.light.target))
        assert away == pytest.approx(np.hypot(500, 300), rel=1e-4)  # its distance stays
        light = luminance(render_picture(session.project, session.assets, *SIZE, 16, denoise=False).light)
        weight = light * (light > 0.2 * light.max())
        rows, columns = np.indices(light.shape)
        found = (columns * weight).sum() / weight.sum() + 0.5, (rows * weight).sum() / weight.sum() + 0.5
        assert np.abs(np.subtract(found, (x * SIZE[0], y * SIZE[1]))).max() < 1.0, (found, x, y)


def test_lights_face_what_they_are_told_and_give_nothing_when_off(mirrors):
    session = mirrors("plane", 40.0)
    before = session.light
    session.aim_light((10, 20, 30))
    after = session.light
    assert after.position == pytest.approx(before.position, abs=1e-3)
    c, s = np.cos(np.radians(40)), np.sin(np.radians(40))
    x, y, z = after.target
    assert (c * x + s * z, y, c * z - s * x) == pytest.approx((10, 20, 30), abs=1e-3)
    session.put_light_away(321.0)
    assert np.linalg.norm(np.subtract(session.light.position, session.light.target)) == pytest.approx(321, abs=1e-3)
    session.switch_light(0, False)
    dark = render_picture(session.project, session.assets, 40, 30, 4, denoise=False).light
    assert dark.max() == 0
    session.solo_light()
    assert session.light.is_on
    for _ in range(MOST_LIGHTS + 3):
        session.duplicate_light()
    assert len(session.project.set.lights) == MOST_LIGHTS
    names = [light.name for light in session.project.set.lights]
    assert len(set(names)) == MOST_LIGHTS
    session.select_light(MOST_LIGHTS - 1)
    few = session.project.set.with_(lights=session.project.set.lights[:2])
    session.edit("Fewer", session.project.with_set(few))
    assert session.light == few.lights[1]  # as in another set, the last one that there is
    session.undo()
    for _ in range(MOST_LIGHTS):
        session.remove_light()
    assert session.light is None and not session.project.set.lights
    session.put_highlight((0, 0, 0), (0, 0, 1), (0, 0, 100))
    session.aim_light((0, 0, 0))
    session.remove_light()
    session.duplicate_light()  # nothing to do any of it to, and no harm


def test_a_light_rolls_about_its_own_axis():
    """By a quarter it is as one of its height and width; by 30 degrees as another library turns it."""
    box = Light(position=(300, 200, 100), target=(10, 20, 30), width=80.0, height=200.0)
    rolled, swapped = light_outline(box.with_(roll=90.0)), light_outline(box.with_(width=200.0, height=80.0))
    apart = np.linalg.norm(rolled[:, None] - swapped[None], axis=2)
    assert apart.min(axis=1).max() < 1e-3
    facing = np.subtract(box.target, box.position)  # towards who looks at it, so a positive angle is anticlockwise
    turned = trimesh.transformations.rotation_matrix(np.radians(30), facing, box.position)
    expected = trimesh.transform_points(light_outline(box), turned)
    assert light_outline(box.with_(roll=30.0)) == pytest.approx(expected, abs=1e-2)


def test_lights_are_added_aimed_and_switched_on_the_board(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop, board = window.workshop, window.set_board
    window.stations.buttons()[4].click()
    plain, count = picture_of(qtbot, window), len(workshop.project.set.lights)
    board.lights_card.add_button.menu().actions()[0].trigger()
    assert len(workshop.project.set.lights) == count + 1 and workshop.light_place == count
    lit = picture_of(qtbot, window)
    assert lit.mean() > plain.mean() + 1
    row = board.light_card.rows["width"]
    row.number.setFocus()
    row.number.selectAll()
    QTest.keyClicks(row.number, "15")
    QTest.keyClick(row.number, Qt.Key.Key_Return)
    assert workshop.light.width == 15
    smaller = picture_of(qtbot, window)
    assert smaller.mean() < lit.mean()

    QTest.mouseClick(board.light_card.way_buttons["highlight"], LEFT)
    hits = window.viewport.frame.first_hits
    ys, xs = np.nonzero(hits.part == 0)
    places = [pixel_place(window, ys[k], xs[k]) for k in (len(ys) // 3, len(ys) // 2)]
    steps = workshop.history.position
    QTest.mousePress(window.viewport, LEFT, PLAIN, places[0])
    first = workshop.light
    QTest.mouseMove(window.viewport, places[1])
    second = workshop.light
    QTest.mouseRelease(window.viewport, LEFT, PLAIN, places[1])
    assert first != second and workshop.history.position == steps + 1
    assert workshop.history.undo_label == "Place highlight" and workshop.selected is None
    place = np.array(second.target)
    eye, light = np.array(workshop.camera.position) - place, np.array(second.position) - place
    half = eye / np.linalg.norm(eye) + light / np.linalg.norm(light)
    facing = hits.facing(ys[len(ys) // 2], xs[len(ys) // 2])
    assert abs(half @ facing) / np.linalg.norm(half) > 0.98  # the mirror's law, on the block's flat side
    at = QPointF(places[1])
    away = np.linalg.norm(light)
    none, phase = Qt.MouseButton.NoButton, Qt.ScrollPhase.NoScrollPhase
    turned = QWheelEvent(at, at, QPoint(), QPoint(0, 120), none, PLAIN, phase, False)
    QApplication.sendEvent(window.viewport, turned)
    moved = np.linalg.norm(np.subtract(workshop.light.position, workshop.light.target))
    assert moved == pytest.approx(1.1 * away, rel=1e-3)
    drawn = grabbed(window.viewport).astype(int)
    window.viewport.setFocus()
    QTest.keyClick(window.viewport, Qt.Key.Key_Escape)
    assert not board.light_card.way_buttons["highlight"].isChecked() and window.viewport.aim_light.way == ""
    assert np.abs(grabbed(window.viewport).astype(int) - drawn).max() > 60  # ring and words are gone

    item = board.lights_card.list.item(count)
    lit = picture_of(qtbot, window)
    item.setCheckState(Qt.CheckState.Unchecked)
    assert not workshop.light.is_on and picture_of(qtbot, window).mean() < lit.mean()
    item.setText("Kicker")
    assert workshop.light.name == "Kicker" and workshop.history.undo_label == "Rename light"
    QTest.mouseClick(board.lights_card.remove_button, LEFT)
    assert len(workshop.project.set.lights) == count == board.lights_card.list.count()
    shortcut(qtbot, window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert board.lights_card.list.item(count).text() == "Kicker"


@pytest.mark.long
def test_lights_are_reached_by_the_menu(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop = window.workshop
    window.stations.buttons()[1].click()
    count = len(workshop.project.set.lights)
    window.menus.find("Add a softbox").trigger()
    assert window.set_board.isVisible() and len(workshop.project.set.lights) == count + 1
    window.menus.follow()
    window.menus.find("Light here").trigger()
    assert window.viewport.aim_light.way == "aim"
    before = workshop.light
    picture_of(qtbot, window)
    hits = window.viewport.frame.first_hits
    ys, xs = np.nonzero(hits.part == 0)
    place = pixel_place(window, ys[len(ys) // 2], xs[len(ys) // 2])
    QTest.mouseClick(window.viewport, LEFT, PLAIN, place)
    assert (
        workshop.light.position == pytest.approx(before.position, abs=1e-3) and workshop.light.target != before.target
    )
    window.stations.buttons()[1].click()
    assert window.viewport.aim_light.way == ""  # clicks select again elsewhere
    window.menus.find("Solo").trigger()
    assert [light.is_on for light in workshop.project.set.lights] == [False] * count + [True]
    window.menus.find("Remove the light").trigger()
    assert len(workshop.project.set.lights) == count


def test_sets_are_duplicated_renamed_and_removed(open_window, small_project, monkeypatch):
    window = open_window(*small_project)
    workshop, board = window.workshop, window.set_board
    window.stations.buttons()[4].click()
    before = workshop.project.sets
    board.sets_card.copy_action.trigger()
    assert len(workshop.project.sets) == len(before) + 1 and workshop.project.set.name == f"{before[0].name} 2"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("My window", True))
    board.sets_card.name_action.trigger()
    workshop.select_light(0)
    workshop.remove_light()
    assert workshop.project.set.name == "My window" and not workshop.project.set.lights
    assert workshop.project.sets[: len(before)] == before  # the one that it was copied from stays
    assert "My window" in [board.sets_card.list.item(k).text() for k in range(board.sets_card.list.count())]
    board.sets_card.drop_action.trigger()
    assert workshop.project.sets == before
    for _ in before[1:]:
        workshop.remove_set()
    assert len(workshop.project.sets) == 1 and not board.sets_card.drop_action.isEnabled()
    workshop.remove_set()
    assert "add another one first" in window.notice.text.text()
