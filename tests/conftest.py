"""Tests never touch the user's shelf; the cache of compiled kernels is shared with the program."""

import os
import tempfile

_HOME = tempfile.mkdtemp(prefix="mat-shelf-tests-")
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
    os.environ[_name] = os.path.join(_HOME, _name.lower())
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest  # noqa: E402

from mat_shelf.demo.desk_set import demo_project  # noqa: E402


@pytest.fixture(scope="session")
def demo():
    """The demo project and its meshes; both are immutable or only grow."""
    return demo_project()


@pytest.fixture
def shelf_folder(tmp_path):
    return tmp_path / "shelf"


@pytest.fixture
def open_window(qapp, qtbot, demo, shelf_folder):
    """Opens the window with the demo and waits for its first picture."""
    from driving import picture_of

    from mat_shelf.app.theme import apply_theme
    from mat_shelf.app.window import Window
    from mat_shelf.app.workshop import Workshop
    from mat_shelf.shelf.library import Shelf

    apply_theme(qapp)
    opened = []

    def opening():
        window = Window(Workshop(*demo, Shelf(shelf_folder)))
        window.resize(1040, 680)
        window.show()
        qtbot.waitExposed(window)
        opened.append(window)
        picture_of(qtbot, window)
        return window

    yield opening
    for window in opened:
        window.workshop.history.saved = window.workshop.project
        window.close()
