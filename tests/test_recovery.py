"""Unsaved work survives whatever ends the program."""

import signal
import subprocess
import sys

import pytest

from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.recovery import Recovery

RUN = """
import sys
from pathlib import Path
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.exchange.recovery import Recovery
project, meshes = demo_project()
recovery = Recovery(Path(sys.argv[1]))
recovery.keep(project, meshes, None)
print("kept", flush=True)
n = 0
while True:
    n += 1
    recovery.keep(project.with_(name=f"Change {n}"), meshes, Path("/somewhere/desk.matshelf"))
    print(n, flush=True)
"""


@pytest.fixture(scope="module")
def killed(tmp_path_factory):
    """The folder after a run was killed in the middle of its work."""
    root = tmp_path_factory.mktemp("recovery")
    process = subprocess.Popen([sys.executable, "-c", RUN, str(root)], stdout=subprocess.PIPE, text=True)
    for _ in range(6):
        process.stdout.readline()
    others = Recovery(root)
    assert others.left_behind() == []  # it still runs
    others.close()
    process.send_signal(signal.SIGKILL)
    process.wait()
    return root


def test_work_of_a_killed_run_comes_back(killed, demo):
    recovery = Recovery(killed)
    (lost,) = recovery.left_behind()
    assert lost.name.startswith("Change ") and str(lost.path) == "/somewhere/desk.matshelf"
    project, meshes = recovery.restore(lost)
    assert project.product == demo[0].product and project.name.startswith("Change ")
    assert set(meshes.meshes) == {part.mesh for part in project.product.parts}
    mesh = next(iter((lost.folder / "meshes").iterdir()))
    whole = mesh.read_bytes()
    mesh.write_bytes(whole[:-10])
    with pytest.raises(PackageError, match="damaged in the unsaved work; open the last save"):
        recovery.restore(lost)
    mesh.write_bytes(whole)
    recovery.close()


def test_runs_that_end_well_leave_nothing(tmp_path, demo):
    recovery = Recovery(tmp_path)
    recovery.keep(*demo, None)
    recovery.close()
    assert list(tmp_path.iterdir()) == []
    saved = Recovery(tmp_path)
    saved.keep(*demo, None)
    saved.clear()
    other = Recovery(tmp_path)
    assert other.left_behind() == []


def test_work_is_offered_even_if_the_note_about_it_is_damaged(tmp_path, demo):
    recovery = Recovery(tmp_path)
    recovery.keep(*demo, None)
    recovery._lock.close()  # as if the run had ended badly
    (next(tmp_path.iterdir()) / "origin.json").write_text("{torn")
    (lost,) = Recovery(tmp_path).left_behind()
    assert Recovery.restore(lost)[0] == demo[0]


def test_the_window_offers_it_back(killed, qapp, qtbot, demo, tmp_path):
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from mat_shelf.app.window import Window
    from mat_shelf.app.workshop import Workshop
    from mat_shelf.library.library import Library

    window = Window(Workshop(*demo, Library(tmp_path / "shelf")), Recovery(killed))
    window.show()
    assert "was not saved when Mat Shelf last ended" in window.notice.text.text()
    assert [button.text() for button in window.notice.buttons] == ["Restore", "Delete"]
    window.say("A message meanwhile")  # does not take the question's place
    assert window.notice.buttons[0].text() == "Restore"
    QTest.mouseClick(window.notice.buttons[0], Qt.MouseButton.LeftButton)
    assert window.notice.text.text() == "A message meanwhile"
    workshop = window.workshop
    assert workshop.project.name.startswith("Change ") and workshop.history.is_changed
    assert str(workshop.path) == "/somewhere/desk.matshelf"
    # It is kept again at once, so that a second crash loses nothing either.
    workshop.edit("Rename", workshop.project.with_(name="After the crash"))
    window.autosave.write_now()
    window.autosave.wait()
    kept = [folder for folder in killed.iterdir() if (folder / "project.json").exists()]
    assert len(kept) == 1 and "After the crash" in (kept[0] / "project.json").read_text()
    # Once saved there is nothing to offer back, even if the program ends badly after that.
    workshop.history.saved = workshop.project
    window.autosave.write_now()
    assert not (kept[0] / "project.json").exists()
    window.close()
    assert list(killed.iterdir()) == []
