"""The model's file, changed elsewhere while the window is open."""

import time
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.commands.materials import Wearable
from mat_shelf.exchange.product_import import new_project, read_product


def write(path: Path, height: float) -> None:
    body = trimesh.creation.box((30, 30, height))
    lid = trimesh.creation.cylinder(8, 5)
    lid.apply_translation((60, 0, 0))
    scene = trimesh.Scene()
    for name, solid in (("Body", body), ("Lid", lid)):
        solid.apply_scale(0.001)
        scene.add_geometry(solid, node_name=name, geom_name=name)
    path.write_bytes(scene.export(file_type="glb"))


@pytest.fixture
def watched(open_window, small_project, tmp_path, monkeypatch):
    """The window with a product out of a file, the time for which it must be settled cut short."""
    path = tmp_path / "lamp.glb"
    write(path, 40)
    found = read_product(path)
    materials = (*small_project[0].materials, *found.materials)
    project = new_project(found.product, materials, (100.0, 40.0, 60.0))
    window = open_window(project, found.assets)
    window.model_watch._settled.setInterval(250)
    return window, path


def height_of(window, name: str) -> float:
    part = next(part for part in window.work.project.product.parts if part.name == name)
    return float(np.ptp(window.work.bounds([part]), axis=0).max())


def offered(window) -> bool:
    return window.notice.isVisible() and "was changed since" in window.notice.text.text()


def test_a_newer_state_is_offered_and_taken(watched, qtbot):
    window, path = watched
    workshop = window.workshop
    body = next(part for part in workshop.project.product.parts if part.name == "Body")
    workshop.put_on([(body.id, None)], Wearable("material", "red"))
    workshop.edit("Edge radius", workshop.project.with_part(workshop.project.part(body.id).with_(edge_radius=0.7)))
    QTest.qWait(800)
    assert not offered(window)  # nothing has changed
    write(path, 90)
    qtbot.waitUntil(lambda: offered(window), timeout=10_000)
    next(b for b in window.notice.buttons if b.text().startswith("Update")).click()
    qtbot.waitUntil(lambda: workshop.history.undo_label.startswith("Update"), timeout=30_000)
    again = next(part for part in workshop.project.product.parts if part.name == "Body")
    assert (again.id, again.material, again.edge_radius) == (body.id, "red", 0.7)
    assert height_of(window, "Body") == pytest.approx(90, abs=0.01)
    next(b for b in window.notice.buttons if b.text() == "OK").click()
    QTest.qWait(800)
    assert not offered(window)  # it is that of the file now
    workshop.undo()
    assert height_of(window, "Body") == pytest.approx(40, abs=0.01)


@pytest.mark.long
def test_half_written_files_and_ones_that_go_are_waited_for(watched, qtbot):
    window, path = watched
    whole = path.read_bytes()
    for part in (20, 60, 90):
        path.write_bytes(whole[: len(whole) * part // 100])
        until = time.monotonic() + 0.15
        while time.monotonic() < until:
            QApplication.processEvents()
            assert not offered(window)
    path.unlink()
    QTest.qWait(800)
    assert not offered(window)
    spare = path.with_suffix(".new")
    write(spare, 70)
    spare.replace(path)  # as programs do that save whole
    qtbot.waitUntil(lambda: offered(window), timeout=10_000)
    next(b for b in window.notice.buttons if b.text() == "Later").click()
    QTest.qWait(800)
    assert not offered(window) and height_of(window, "Body") == pytest.approx(40, abs=0.01)
    window.menus.find("As it is now").trigger()  # later
    qtbot.waitUntil(lambda: height_of(window, "Body") > 60, timeout=30_000)
    next(b for b in window.notice.buttons if b.text() == "OK").click()
    path.write_bytes(b"glTF rubbish")
    qtbot.waitUntil(lambda: offered(window), timeout=10_000)
    next(b for b in window.notice.buttons if b.text().startswith("Update")).click()
    qtbot.waitUntil(lambda: "Not imported" in window.notice.text.text(), timeout=30_000)
    assert height_of(window, "Body") == pytest.approx(70, abs=0.01)


@pytest.mark.long
def test_a_question_is_answered_before_another_comes(watched, qtbot):
    window, path = watched
    window.notice.ask("Which one?", ("This", lambda: None))
    write(path, 90)
    QTest.qWait(1500)
    assert window.notice.text.text() == "Which one?"
    window.notice.buttons[0].click()
    qtbot.waitUntil(lambda: offered(window), timeout=10_000)


@pytest.mark.long
def test_a_folder_without_letters_and_a_source_that_cannot_be_are_no_obstacle(open_window, small_project, tmp_path):
    folder = tmp_path / "caf\udce9"  # as the system tells a name that is no UTF-8
    folder.mkdir()
    write(folder / "lamp.glb", 40)
    found = read_product(folder / "lamp.glb")
    assert len(found.product.parts) == 2 and found.product.source is None
    project, assets = small_project
    for source in ("x" * 4000, "/nowhere/model.step", "a\0b", "/dev/zero", "/"):
        product = project.product.with_(source=source, source_modified=1)
        window = open_window(project.with_(product=product), assets)
        QTest.qWait(50)
        assert not window.notice.isVisible()
