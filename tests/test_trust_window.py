"""Whatever a user or a fault does, the window stays, says what went wrong, and the work is there."""

import errno
import os
import threading
import time
from pathlib import Path

import numpy as np
import pytest
import trimesh
from driving import CONTROL, dropped, picture_of, seen, shortcut
from PIL import Image
from pydantic import ValidationError
from PyQt6.QtCore import Qt, QThread, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from mat_shelf.app.fault_guard import FaultGuard, fault_words
from mat_shelf.app.fault_report import report
from mat_shelf.app.notice import Notice
from mat_shelf.app.window import Window
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.ids import LONGEST_NAME
from mat_shelf.document.mark import Mark
from mat_shelf.document.product import Part
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.exchange.recovery import Recovery
from mat_shelf.library.library import Library
from mat_shelf.patterns.ready import READY
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.session import RenderSession
from mat_shelf.system import file_writer
from mat_shelf.system.fault_log import log_path

LEFT = Qt.MouseButton.LeftButton
LONG = "N" * LONGEST_NAME


@pytest.fixture
def guarded(themed, qtbot, small_project, tmp_path, monkeypatch):
    """The window with the block, a recovery folder and the guard; pytest's own hooks come back at its end."""
    from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker

    monkeypatch.setattr(ThumbnailWorker, "want", lambda *arguments: None)
    monkeypatch.setattr("mat_shelf.system.fault_log.state_folder", lambda: tmp_path / "state")
    library = Library(tmp_path / "shelf")
    window = Window(Workshop(*small_project, library), Recovery(tmp_path / "recovery"))
    window.guard = FaultGuard(window)
    window.guard.install()
    window.resize(1040, 640)
    window.show()
    yield window
    window.guard.remove()
    window.workshop.history.saved = window.workshop.project
    window.close()


def told(qtbot, window, words: str) -> None:
    qtbot.waitUntil(lambda: window.notice.isVisible() and words in window.notice.text.text(), timeout=30_000)


def change(window, name="Changed") -> None:
    window.workshop.edit("Rename", window.workshop.project.with_(name=name))


# The last line of defence


def test_a_fault_in_a_slot_is_told_kept_and_survived(guarded, qtbot, tmp_path):
    change(guarded)

    def fail():
        raise RuntimeError("a slot of ours")

    QTimer.singleShot(0, fail)
    told(qtbot, guarded, "Something went wrong inside Mat Shelf")
    assert "Your work was saved aside; you can go on." in guarded.notice.text.text()
    guarded.autosave.wait()
    (kept,) = (tmp_path / "recovery").glob("*/project.json")
    assert '"name":"Changed"' in kept.read_text()
    assert guarded.notice.buttons[0].text() == "Copy details"
    QTest.mouseClick(guarded.notice.buttons[0], LEFT)
    assert "RuntimeError: a slot of ours" in QApplication.clipboard().text()
    assert "a slot of ours" in log_path().read_text()
    change(guarded, "And on")
    assert guarded.workshop.project.name == "And on"


def test_faults_in_threads_are_told_once_and_survived(guarded, qtbot):
    class Job(QThread):
        def run(self):
            raise ValueError("in a thread of Qt")

    def fail():
        raise ValueError("in a thread of Python")

    for _ in range(5):
        thread = threading.Thread(target=fail, name="worker seven")
        thread.start()
        thread.join()
    told(qtbot, guarded, "Something went wrong")
    assert log_path().read_text().count("in a thread of Python") == 2  # the line, and the message of one fault
    assert "worker seven" in log_path().read_text()
    job = Job()
    job.start()
    job.wait()
    qtbot.waitUntil(lambda: "in a thread of Qt" in log_path().read_text(), timeout=30_000)


@pytest.mark.long
def test_a_fault_of_the_renderer_is_told_and_the_next_edit_is_shown(guarded, qtbot, monkeypatch):
    picture_of(qtbot, guarded)
    step = RenderSession.step
    monkeypatch.setattr(RenderSession, "step", lambda self: (_ for _ in ()).throw(RuntimeError("in the renderer")))
    workshop = guarded.workshop
    material = workshop.project.material("red")
    green = material.with_(recipe=material.recipe.with_(base_color=(0.05, 0.5, 0.05)))
    workshop.edit("Green", workshop.project.with_material(green))
    told(qtbot, guarded, "Rendering failed: in the renderer")
    assert "in the renderer" in log_path().read_text()
    monkeypatch.setattr(RenderSession, "step", step)
    workshop.edit("Greener", workshop.project.with_(name="Greener"))
    shown = picture_of(qtbot, guarded)[seen(guarded, "block")].astype(int).mean(axis=0)
    assert shown[1] > shown[0] + 20


@pytest.mark.long
def test_workers_outlive_what_they_cannot_draw(guarded, qtbot, monkeypatch):
    from mat_shelf.app.patterns import painter

    values_of, failed = painter.values_of, []

    def fail_once(*arguments):
        if not failed:
            failed.append(True)
            raise RuntimeError("a pattern that cannot be drawn")
        return values_of(*arguments)

    monkeypatch.setattr(painter, "values_of", fail_once)
    work, painted = guarded.board.patterns, []
    guarded.workshop.select("block")
    pattern_id = work.begin_with_ready(READY[0].pattern.id)
    guarded.board.painter.painted.connect(lambda *arguments: painted.append(arguments))
    work.open(pattern_id)
    qtbot.waitUntil(lambda: bool(failed) and bool(painted), timeout=30_000)


def test_words_for_faults_say_what_to_do():
    with pytest.raises(ValidationError) as refused:
        Part(id="x", name="", mesh="0" * 64)
    assert fault_words(refused.value, True).startswith("That was not done: name: ")
    assert "memory" in fault_words(MemoryError(), True)
    assert "the disk is full; free some space" in fault_words(OSError(errno.ENOSPC, "full"), True)
    assert "save your work soon" in fault_words(KeyError("x"), False)


# Ordinary use


def written_glb(path, size, color=None):
    """A box in metres, as another program writes one."""
    solid = trimesh.creation.box(size)
    if color is not None:
        material = trimesh.visual.material.PBRMaterial(name="Paint", baseColorFactor=color)
        solid.visual = trimesh.visual.TextureVisuals(material=material)
    scene = trimesh.Scene()
    scene.add_geometry(solid, node_name="Hall")
    path.write_bytes(scene.export(file_type="glb"))
    return path


def answer(window, starts: str) -> None:
    button = next(button for button in window.notice.buttons if button.text().startswith(starts))
    QTest.mouseClick(button, LEFT)


@pytest.mark.parametrize(
    "size", [(30, 20, 10), *(pytest.param(size, marks=pytest.mark.long) for size in ((20, 3, 2), (900, 400, 300)))]
)
def test_a_model_in_the_wrong_unit_comes_in_and_is_asked_about(size, guarded, qtbot, tmp_path):
    dropped(guarded, written_glb(tmp_path / "hall.glb", size, (200, 30, 30, 255)))
    told(qtbot, guarded, "1 part read")
    answer(guarded, "New project")
    told(qtbot, guarded, "very large for a product")
    longest = guarded.work.bounds()[1] - guarded.work.bounds()[0]
    assert longest.max() == pytest.approx(max(size) * 1000, rel=1e-4)
    worn = guarded.workshop.project.product.parts[0].material
    assert worn is not None
    answer(guarded, "mm")
    assert guarded.workshop.project.product.parts[0].material == worn
    assert guarded.workshop.project.material(worn).name == "Paint"
    picture_of(qtbot, guarded, fine=False)


@pytest.mark.long
def test_long_names_make_room_for_their_numbers(guarded, qtbot):
    workshop = guarded.workshop
    part = workshop.project.part("block").with_(name=LONG)
    workshop.edit("Rename", workshop.project.with_part(part))
    workshop.select("block")
    guarded.work.duplicate()
    names = [p.name for p in workshop.project.product.parts]
    assert len(set(names)) == 2 and max(map(len, names)) <= LONGEST_NAME
    workshop.rename_material(LONG)
    workshop.select("block")
    workshop.make_variant()
    workshop.save_view(LONG)
    workshop.save_view(LONG)
    swatch = workshop.library.swatch("polished-brass").with_(id="long", name=LONG)
    workshop.library.add(swatch)
    workshop.duplicate_swatch(swatch)
    workshop.make_swatch_variant(swatch)
    assert len([entry for entry in workshop.library.entries() if entry.name.startswith("NNNN")]) == 3
    guarded.work.workshop.also_selected = (workshop.project.product.parts[1].id,)
    guarded.work.group()
    assert workshop.project.product.parts[0].group.startswith("NNN")


@pytest.mark.long
def test_what_the_document_cannot_hold_is_refused_in_words(guarded, qtbot):
    workshop, work = guarded.workshop, guarded.work
    workshop.select("block")
    before, labels = workshop.project, workshop.history.undo_label
    work.shift(work.picked(), (1e9, 0, 0))
    told(qtbot, guarded, "Nothing was changed")
    work.scale_to(9e5)
    work.scale_to(9e5)
    work.scale_to(9e5)
    assert workshop.project.part("block").pose.scale <= 1e9
    while workshop.history.undo_label != labels:
        workshop.undo()
    assert workshop.project == before
    # A step of several edits is taken back whole.
    with pytest.raises(ValidationError), workshop.as_one("Both"):
        workshop.edit("One", workshop.project.with_(name="Half"))
        workshop.project.with_(name="")
    assert workshop.project == before and workshop.history.undo_label == labels


@pytest.mark.long
def test_art_cropped_to_nothing_is_refused(guarded, qtbot):
    workshop, marks = guarded.workshop, guarded.marks
    mark = Mark(id="m", name="M", part="block", point=(0, 20, 0), facing=(0, 1, 0), width=20, height=10)
    workshop.edit("Mark", workshop.project.with_mark(mark))
    before = workshop.project
    for taken in ({"left": 20.0}, {"left": 9.99, "right": 9.995}, {"top": -1e9}, {"left": float("nan")}):
        marks.crop(workshop.project.mark("m"), {"left": 0.0, "right": 0.0, "top": 0.0, "bottom": 0.0} | taken)
        assert workshop.project == before


@pytest.mark.long
def test_files_with_names_of_another_encoding_are_taken(guarded, qtbot, tmp_path):
    path = os.fsencode(tmp_path) + b"/gr\xfcn.png"
    Image.new("RGB", (8, 8), (1, 99, 3)).save(tmp_path / "green.png")
    os.rename(tmp_path / "green.png", path)
    guarded.workshop.set_reference(Path(os.fsdecode(path)))
    qtbot.waitUntil(lambda: guarded.workshop.project.reference is not None, timeout=30_000)
    assert guarded.workshop.project.reference.name == "gr n.png"
    saved = tmp_path / "kept.matshelf"
    assert guarded.workshop.save(saved) and read_project(saved)[0] == guarded.workshop.project


def test_a_flat_mark_far_larger_than_its_part_leaves_the_picture(small_project):
    project, assets = small_project
    mark = Mark(id="m", name="M", part="block", point=(0, 20, 0), facing=(0, 1, 0), way="flat", width=2000, height=2000)
    plain = render_picture(project, assets, 48, 32, 2).light
    marked = render_picture(project.with_mark(mark), assets, 48, 32, 2).light
    assert marked.shape == plain.shape and np.isfinite(marked).all()


@pytest.mark.long
def test_what_is_done_meanwhile_stays_when_a_part_is_set_down(guarded, qtbot, monkeypatch):
    from mat_shelf.commands import poses

    workshop, work = guarded.workshop, guarded.work
    workshop.select("block")
    work.shift(work.picked(), (0, 50, 0))
    go_on = threading.Event()

    def slow(*arguments):
        go_on.wait(10)
        return 50.0

    monkeypatch.setattr(poses, "clearance_below", slow)
    work.set_down()
    workshop.wear("block", "polished-brass")
    go_on.set()
    qtbot.waitUntil(lambda: workshop.project.part("block").pose.shift[1] == pytest.approx(0), timeout=30_000)
    assert workshop.project.part("block").material == "polished-brass"
    go_on.clear()
    work.set_down()
    work.remove()
    go_on.set()
    qtbot.wait(300)
    assert not workshop.project.product.parts


# Saving


@pytest.mark.long
def test_saving_leaves_the_window_to_the_user(guarded, qtbot, tmp_path, monkeypatch):
    path, write = tmp_path / "slow.matshelf", file_writer._written_beside

    def slow(*arguments):
        time.sleep(0.5)
        return write(*arguments)

    monkeypatch.setattr(file_writer, "_written_beside", slow)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    change(guarded, "First")
    started = time.monotonic()
    job = guarded.files.save()
    assert time.monotonic() - started < 0.4 and not path.exists()
    assert guarded.files.save() is None  # one at a time
    change(guarded, "Second")
    job.wait()
    qtbot.waitUntil(lambda: guarded.files.save_job is None, timeout=30_000)
    assert read_project(path)[0].name == "First"
    assert guarded.workshop.history.is_changed  # what came while it was written is not saved yet


def test_another_programs_change_is_noticed_before_it_is_replaced(guarded, qtbot, tmp_path, monkeypatch):
    path = tmp_path / "shared.matshelf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    change(guarded, "Mine")
    guarded.files.save()
    qtbot.waitUntil(lambda: not guarded.workshop.history.is_changed, timeout=30_000)
    save_project(path, guarded.workshop.project.with_(name="Theirs"), guarded.workshop.assets)
    change(guarded, "Mine again")
    shortcut(qtbot, guarded, Qt.Key.Key_S, CONTROL)
    told(qtbot, guarded, "changed by another program")
    assert read_project(path)[0].name == "Theirs"
    answer(guarded, "Overwrite")
    qtbot.waitUntil(lambda: not guarded.workshop.history.is_changed, timeout=30_000)
    assert read_project(path)[0].name == "Mine again"
    assert read_project(path.with_name(path.name + "~"))[0].name == "Theirs"


def test_closing_saves_first_and_stays_open_where_that_fails(guarded, qtbot, tmp_path, monkeypatch):
    path = tmp_path / "last.matshelf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    monkeypatch.setattr(QMessageBox, "question", lambda *a: QMessageBox.StandardButton.Save)
    change(guarded, "Last")

    def refuse(*_):
        raise OSError(errno.EROFS, "Read-only file system")

    monkeypatch.setattr(file_writer, "_written_beside", refuse)
    assert not guarded.close() and guarded.isVisible()
    told(qtbot, guarded, "can only be read; choose another folder")
    assert "free some space" not in guarded.notice.text.text()
    monkeypatch.undo()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    monkeypatch.setattr(QMessageBox, "question", lambda *a: QMessageBox.StandardButton.Save)
    assert guarded.files.may_leave() and read_project(path)[0].name == "Last"


@pytest.mark.long
def test_work_of_two_runs_is_kept_apart_and_offered_in_order(guarded, small_project, tmp_path):
    project, assets = small_project
    root = tmp_path / "runs"
    first, second = Recovery(root), Recovery(root)
    first.keep(project.with_(name="Older"), assets, None)
    second.keep(project.with_(name="Newer"), assets, None)
    assert Recovery(root).left_behind() == []  # both still run
    for run in (first, second):
        run._lock.close()
    os.utime(second._folder / "project.json", (0, 0))  # as if the clock had been set back
    looking, other = Recovery(root), Recovery(root)
    found = looking.left_behind()
    assert [lost.name for lost in found] == ["Newer", "Older"]
    assert other.left_behind() == []  # nobody else is offered the same
    looking.forget(found[0])
    looking.leave(found[1])
    assert [lost.name for lost in other.left_behind()] == ["Older"]


@pytest.mark.long
def test_faults_are_told_while_a_question_waits(guarded, qtbot):
    asked = []
    guarded.notice.ask("Which?", ("This", lambda: asked.append(True)))
    report(RuntimeError("meanwhile"))
    qtbot.wait(100)
    assert guarded.notice.text.text() == "Which?" and len(guarded.notice.buttons) == 1
    answer(guarded, "This")
    assert asked and "Something went wrong" in guarded.notice.text.text()
    assert guarded.notice.buttons[0].text() == "Copy details"


@pytest.mark.long
def test_pictures_land_on_the_material_they_were_read_for(guarded, qtbot, tmp_path, monkeypatch):
    from mat_shelf.app import image_file

    Image.new("RGB", (16, 16), (1, 99, 3)).save(tmp_path / "green.png")
    go_on, read = threading.Event(), image_file.picture_data

    def slow(*arguments):
        go_on.wait(10)
        return read(*arguments)

    monkeypatch.setattr(image_file, "picture_data", slow)
    workshop = guarded.workshop
    workshop.select("block")
    guarded.board.images.read([tmp_path / "green.png"])
    workshop.wear("block", "polished-brass")  # another material is on the board by the time that it is read
    go_on.set()
    qtbot.waitUntil(lambda: bool(workshop.project.material("red").recipe.patterns), timeout=30_000)
    assert workshop.selected_material.id == "red"
    assert not workshop.project.material("polished-brass").recipe.pictures()
    # Where that is gone, nothing is changed, and it is said.
    go_on.clear()
    workshop.select("block")
    guarded.board.images.read([tmp_path / "green.png"])
    workshop.wear("block", "turned-brass")
    workshop.remove_unused()
    before = workshop.project
    go_on.set()
    told(qtbot, guarded, "were not used")
    assert workshop.project == before


@pytest.mark.long
def test_a_project_is_not_given_what_was_read_for_another(guarded, qtbot, small_project, tmp_path, monkeypatch):
    from mat_shelf.commands import sets
    from mat_shelf.exchange.assets import Assets

    Image.new("RGB", (16, 16), (1, 99, 3)).save(tmp_path / "green.png")
    go_on, read = threading.Event(), sets.read_file

    def slow(*arguments):
        go_on.wait(10)
        return read(*arguments)

    monkeypatch.setattr(sets, "read_file", slow)
    guarded.workshop.set_reference(tmp_path / "green.png")
    project, assets = small_project
    fresh = Assets()
    fresh.take(assets)
    guarded.workshop.replace(project, fresh, None)
    go_on.set()
    guarded.workshop.wait()
    qtbot.wait(200)
    assert guarded.workshop.project.reference is None


def test_progress_takes_no_message_or_question_away(qtbot):
    notice, answered = Notice(), []
    qtbot.addWidget(notice)
    notice.show_progress("True relief: 10 %…", ("Cancel", lambda: answered.append("cancel")))
    assert notice.isVisible() and notice.text.text().startswith("True relief")
    notice.show_text("tumbler.stl is 60 mm large.", ("Y is up", lambda: answered.append("y")))
    notice.show_progress("True relief: 20 %…", ("Cancel", lambda: answered.append("cancel")))
    notice.end_progress()
    assert notice.isVisible() and [button.text() for button in notice.buttons] == ["Y is up", "Close"]
    notice.buttons[0].click()
    assert answered == ["y"] and not notice.isVisible()
    notice.show_progress("True relief: 30 %…", ("Cancel", lambda: answered.append("cancel")))
    assert notice.text.text() == "True relief: 30 %…"
    notice.end_progress()
    assert not notice.isVisible() and not any("True relief" in text for _, text in notice.messages)
