"""Tests never touch the user's shelf; the cache of compiled kernels is shared with the program."""

import os
import shutil
import tempfile
from pathlib import Path

_HOME = tempfile.mkdtemp(prefix="mat-shelf-tests-")
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
    os.environ[_name] = os.path.join(_HOME, _name.lower())
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["MAT_SHELF_CHECK"] = "1"  # programs are looked through before they run
_count, _own = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", 1)), sorted(os.sched_getaffinity(0))
if 1 < _count <= len(_own):  # tests side by side share the processors, instead of taking them from each other
    os.sched_setaffinity(0, _own[int(os.environ["PYTEST_XDIST_WORKER"][2:]) % _count :: _count])

import numpy as np  # noqa: E402
import pytest  # noqa: E402

from mat_shelf.demo.desk_set import demo_project  # noqa: E402


@pytest.fixture
def figure(record_property):
    """Notes how far something is from what it should be, in percent of that, for docs/truth.md."""

    def note(seen, expected=1.0) -> None:
        apart = np.abs(np.asarray(seen, float) - expected) / np.maximum(np.abs(expected), 1e-12)
        record_property("figure", f"{100 * apart.max():.3g}")

    return note


@pytest.fixture(scope="session")
def desk_set():
    """The demo project and its meshes; both are immutable or only grow."""
    return demo_project()


@pytest.fixture(scope="session")
def demo(desk_set):
    """The demo with geometry maps that are coarse, and soon made."""
    return _with_coarse_maps(*desk_set)


@pytest.fixture(scope="session")
def plain_demo(desk_set):
    """The demo without its patterns, whose fine pictures come much sooner."""
    project, assets = desk_set
    return _with_coarse_maps(project.with_(materials=tuple(_bare(each) for each in project.materials)), assets)


def _bare(material):
    bare = {"feeds": (), "relief": (), "patterns": ()}
    return material.with_(recipe=material.recipe.with_(**bare))


def _with_coarse_maps(project, assets):
    from mat_shelf.scene import geometry_maps

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(geometry_maps, "MOST_MAP_NODES", 20_000)
        patch.setattr(geometry_maps, "RAYS", 24)
        geometry_maps.fill_geometry_maps(project, assets)
    return project, assets


@pytest.fixture(scope="session")
def small_project():
    """A red block on the floor, quick to render."""
    from mat_shelf.document.material import Material
    from mat_shelf.document.product import Part, Product
    from mat_shelf.document.recipe import Recipe
    from mat_shelf.exchange.assets import Assets
    from mat_shelf.exchange.models.mesh_glb import NamedMesh
    from mat_shelf.exchange.product_import import new_project
    from mat_shelf.geometry.solids import box

    assets = Assets()
    block = Part(id="block", name="Block", mesh=assets.add(NamedMesh("block", box((60, 40, 30), 3))), material="red")
    red = Material(id="red", name="Red", recipe=Recipe(base_color=(0.5, 0.05, 0.05)))
    return new_project(Product(name="Block", parts=(block,)), (red,), (60.0, 40.0, 30.0)), assets


@pytest.fixture(scope="session")
def scheduler():
    """Address of a scheduler whose one worker is a thread of these tests."""
    import signal

    from distributed import LocalCluster

    signal.signal(signal.SIGPIPE, signal.SIG_IGN)  # which gmsh undoes, by which other tests make models
    with LocalCluster(
        n_workers=1, threads_per_worker=1, processes=False, host="127.0.0.1", protocol="tcp://",
        dashboard_address="127.0.0.1:0", memory_limit=0,
    ) as cluster:  # fmt: skip
        yield cluster.scheduler_address


@pytest.fixture
def library_folder(tmp_path, shipped_library):
    """A library as it is after the first start, which writes it in half a second."""
    return Path(shutil.copytree(shipped_library, tmp_path / "shelf"))


@pytest.fixture(scope="session")
def shipped_library(tmp_path_factory):
    from mat_shelf.library.library import Library

    folder = tmp_path_factory.mktemp("shipped") / "shelf"
    Library(folder)
    return folder


@pytest.fixture(scope="session")
def themed(qapp):
    from mat_shelf.app.theme import apply_theme

    qapp.setOrganizationName("mat-shelf")  # so that settings have a file, in the folder of these tests
    qapp.setApplicationName("mat-shelf")
    apply_theme(qapp)
    return qapp


_DEMO_MESHES: dict = {}
"""Meshes of the demo as they stand and touch in a scene, from the first window; each other one begins with them."""
_CLOSED: list = []
"""Geometries of windows that are closed: the next one takes them over, instead of building what is the same again."""
RESTS_AT = 2
"""Samples after which a picture in a tested window is at rest, where no mark `refines(samples)` asks for more."""


@pytest.fixture
def open_window(themed, qtbot, plain_demo, library_folder, monkeypatch, request):
    """Opens the window with the demo, without patterns, and waits for its first picture.

    Pictures are small (`scale`), and refined no further than the tests look, so that they leave the processor to the
    test beside. Swatches are not pictured: on a new machine that takes minutes of it, beside every test of the window.
    """
    from driving import SCALE, picture_of
    from PyQt6.QtCore import QCoreApplication, QEvent, QSettings

    from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
    from mat_shelf.app.wall.render_worker import MAIN
    from mat_shelf.app.wall.viewport import Viewport
    from mat_shelf.app.window import Window
    from mat_shelf.app.workshop import Workshop
    from mat_shelf.library.library import Library
    from mat_shelf.rendering.task_keeper import _SPARE
    from mat_shelf.scene.kept import Kept

    monkeypatch.setattr(ThumbnailWorker, "want", lambda *arguments: None)

    def kept() -> Kept:
        made = Kept()
        made._last = dict(_DEMO_MESHES)  # as if the demo was what it built last
        return made

    monkeypatch.setattr("mat_shelf.rendering.task_keeper.Kept", kept)
    asked = request.node.get_closest_marker("refines")
    monkeypatch.setattr("mat_shelf.rendering.session.REST_SAMPLES", asked.args[0] if asked else RESTS_AT)
    opened, built = [], []

    def opening(project=None, assets=None, scale=SCALE):
        monkeypatch.setattr(Viewport, "devicePixelRatioF", lambda viewport: scale)
        QSettings().remove("panes")
        QSettings().setValue("panes/folds_empty_board", False)  # so that pictures stay as large as they are
        window = Window(Workshop(project or plain_demo[0], assets or plain_demo[1], Library(library_folder)))
        built.append(window.wall._worker._sessions[MAIN]._tasks._built)
        built[-1]["spare"] = [_CLOSED.pop(0) for _ in range(min(_SPARE, len(_CLOSED)))]
        window.resize(1040, 660)
        window.show()
        qtbot.waitExposed(window)
        opened.append(window)
        picture_of(qtbot, window)
        if project is None and not _DEMO_MESHES:
            _DEMO_MESHES.update(window.wall._worker._sessions[MAIN]._tasks._meshes._last)
        return window

    yield opening
    for window in opened:
        monkeypatch.setattr(type(window.files), "may_leave", lambda self: True)
        window.close()
        window.deleteLater()
    _CLOSED.extend(geometry for each in built for geometry in each["spare"])
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


_RENDERING = {
    "test_art",
    "test_baking",
    "test_cli",
    "test_commands",
    "test_contact",
    "test_denoise",
    "test_displacing",
    "test_furnace",
    "test_hostile_files",
    "test_inside",
    "test_lights",
    "test_marks",
    "test_optics",
    "test_optics_window",
    "test_overlays",
    "test_painted",
    "test_passes",
    "test_pattern_window",
    "test_product_window",
    "test_readings",
    "test_rendering",
    "test_shape_maps",
    "test_soft_bodies",
    "test_thin",
    "test_trials",
    "test_trust_window",
    "test_truth",
    "test_window",
    "test_workshop",
}


_PLAIN = {
    "test_codes",
    "test_document",
    "test_file_writer",
    "test_files",
    "test_hostile_files",
    "test_import",
    "test_library_trust",
    "test_model_readers",
    "test_model_watch",
    "test_optics",
    "test_recovery",
}


def pytest_ignore_collect(collection_path, config):
    """Files that have nothing of what is asked for are not read: reading all of them takes ten seconds."""
    asks_plain = config.option.markexpr.startswith("plain")
    return (asks_plain and collection_path.suffix == ".py" and collection_path.stem not in _PLAIN) or None


def pytest_collection_modifyitems(items):
    """Marks what renders: `make test-quick` leaves it out; and what needs no renderer."""
    for item in items:
        renders = item.get_closest_marker("renders")
        if item.path.stem in _PLAIN and not ("open_window" in item.fixturenames or renders):
            item.add_marker(pytest.mark.plain)
        if item.path.stem in _RENDERING or "open_window" in item.fixturenames:
            item.add_marker(pytest.mark.renders)
