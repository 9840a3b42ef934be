"""The command line, run as a user would."""

import json
import os
import subprocess
import sys

import numpy as np
import pytest
from PyQt6.QtGui import QImage

from mat_shelf.cli import main
from mat_shelf.exchange.project_file import read_project, save_project


@pytest.fixture(scope="module")
def project_file(tmp_path_factory):
    path = tmp_path_factory.mktemp("cli") / "d.matshelf"
    assert main(["new-demo", str(path)]) == 0
    return path


def run(arguments) -> int:
    return subprocess.run([sys.executable, "-m", "mat_shelf.cli", *arguments], timeout=300).returncode


@pytest.mark.long
def test_exr_is_whole_and_the_same_twice(small_project, tmp_path):
    """Read back by the reader that `mitsuba` carries."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    pictures, block = [], tmp_path / "block.matshelf"
    save_project(block, *small_project)
    for name, begin in (("a.exr", run), ("b.exr", main)):  # in a process of its own, and here
        asked = ("render", block, "-o", tmp_path / name, "--width", 200, "--height", 134, "--samples", 2)
        assert begin([str(word) for word in (*asked, "--seed", 1)]) == 0
        pictures.append(np.array(mi.Bitmap(str(tmp_path / name))))
    assert pictures[0].shape == (134, 200, 3) and pictures[0].dtype == np.float32
    assert np.isfinite(pictures[0]).all() and (pictures[0] == pictures[1]).all()
    assert 0.05 < pictures[0].mean() < 2


def test_png_is_read_by_another_library(small_project, tmp_path):
    """Read back by Qt's own PNG reader. The block is red, the wall behind is light and nearly grey."""
    path, block = tmp_path / "d.png", tmp_path / "block.matshelf"
    save_project(block, *small_project)
    assert main(["render", str(block), "-o", str(path), "--width", "180", "--height", "120", "--samples", "4"]) == 0
    image = QImage(str(path)).convertToFormat(QImage.Format.Format_RGB888)
    assert (image.width(), image.height()) == (180, 120)
    pixels = np.array(image.constBits().asarray(image.sizeInBytes())).reshape(120, image.bytesPerLine())
    pixels = pixels[:, : 180 * 3].reshape(120, 180, 3).astype(int)
    red = (pixels[..., 0] > 90) & (pixels[..., 0] > 2 * pixels[..., 1])
    assert red.sum() > 700
    assert pixels[4, 90].min() > 110 and np.ptp(pixels[4, 90]) < 30


def test_a_vessel_is_filled_and_what_it_holds_is_told(project_file, tmp_path, capsys):
    path = tmp_path / "filled.matshelf"
    asked = ["fill", str(project_file), "Bottle", "--volume", "40", "--liquid", "Olive oil", "--tilt", "5"]
    assert main([*asked, "-o", str(path), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["volume_ml"] == pytest.approx(40, rel=2e-3) and 60 < told["capacity_ml"] < 69
    assert 0 < told["meniscus_mm"] < 6 and told["level_mm"] + told["headspace_mm"] == pytest.approx(50, rel=0.2)
    project, _ = read_project(path)
    assert project.material(project.part("ink").material).name == "Olive oil"
    assert project.part("ink").fill.tension == 32.0


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["render", "{f}", "-o", "x.bmp"], "must end in"),
        (["fill", "{f}", "Bottle", "--volume", "90", "-o", "x.matshelf"], "holds 68.6 ml; 90 ml would run out"),
        (["fill", "{f}", "Bottle", "--volume=-3", "-o", "x.matshelf"], "Volume must be a number"),
        (["fill", "{f}", "Card", "--share", "50", "-o", "x.matshelf"], "has no cavity"),
        (["fill", "{f}", "Bottle", "--headspace", "99", "-o", "x.matshelf"], "50.0 mm deep; fill in more"),
        (["fill", "{f}", "Seal", "--share", "50", "--wall", "80", "-o", "x.matshelf"], "make it thinner"),
        (["render", "{f}", "-o", "/nowhere/x.png"], "does not exist"),
        (["render", "missing.matshelf", "-o", "x.png"], "is not there"),
        (["render", "{self}", "-o", "x.png"], "is no Mat Shelf project"),
        (["new-demo", "/proc/x.matshelf"], "choose another"),
    ],
)
def test_bad_input_is_one_clear_line(project_file, capsys, arguments, says):
    filled = [a.format(f=project_file, self=__file__) for a in arguments]
    assert main(filled) == 2
    said = capsys.readouterr().err
    assert says in said and said.count("\n") == 1 and "Traceback" not in said


@pytest.mark.parametrize("arguments", [["--samples", "0"], ["--width", "many"], ["--height", "99999999"]])
def test_impossible_options_are_refused(project_file, arguments, capsys):
    with pytest.raises(SystemExit) as stop:
        main(["render", str(project_file), "-o", "x.png", *arguments])
    assert stop.value.code == 2 and arguments[0] in capsys.readouterr().err


@pytest.mark.long
def test_bench_scene_is_the_same_in_both_renderers():
    """The bench is fair only if both render the same picture; plastic differs by its model, the rest may not."""
    pytest.importorskip("mitsuba")
    import mitsuba as mi

    from benchmarks import paths
    from benchmarks.picture_size import HEIGHT, WIDTH
    from mat_shelf.rendering.film import Film
    from mat_shelf.rendering.tracer import Tracer

    theirs = np.array(mi.render(paths.reference_scene(), spp=16))
    film, tracer, task = Film(WIDTH, HEIGHT), Tracer(), paths.reference_task()
    tracer.fill(task, film, 16)
    tracer.close()
    assert film.picture().mean() == pytest.approx(theirs.mean(), rel=0.02)


def test_a_fault_of_ours_is_one_line_and_a_log(project_file, capsys, monkeypatch, tmp_path):
    from mat_shelf import cli
    from mat_shelf.system import fault_log

    monkeypatch.setattr(fault_log, "state_folder", lambda: tmp_path)
    for fault, says in (
        (RuntimeError("of ours"), "something went wrong inside Mat Shelf (RuntimeError)"),
        (MemoryError(), "not enough memory"),
        (OSError(28, "No space left on device"), "the disk is full; free some space"),
    ):
        monkeypatch.setattr(cli.export, "run", lambda options, fault=fault: (_ for _ in ()).throw(fault))
        assert main(["export", str(project_file), "-o", "x.glb"]) == 2
        said = capsys.readouterr().err
        assert says in said and "Traceback" not in said and str(fault_log.log_path()) in said
    log = fault_log.log_path().read_text()
    assert "RuntimeError: of ours" in log and "Traceback" in log
    monkeypatch.setattr(fault_log, "_LARGEST", 2000)
    for number in range(90):
        fault_log.log_fault(RuntimeError(f"number {number}"), "a test")
    kept = sorted(path.name for path in tmp_path.iterdir())
    assert len(kept) == 3 and sum(path.stat().st_size for path in tmp_path.iterdir()) < 8000
    assert "number 89" in fault_log.log_path().read_text()


@pytest.mark.long
@pytest.mark.parametrize(
    "environment",
    [
        {"PYTHONIOENCODING": "ascii", "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"},
        pytest.param(
            {"LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0", "PYTHONIOENCODING": "latin-1"},
            marks=pytest.mark.long,
        ),
    ],
)
def test_names_that_the_terminal_has_no_letters_for(environment, small_project, tmp_path):
    """Also what is kept of unsaved work, and its names, do not depend on the locale."""

    project, assets = small_project
    material = project.materials[0].with_(name="Grün – 緑 ✓")
    path = tmp_path / "block.matshelf"
    save_project(path, project.with_(name="Köter – 犬", materials=(material,)), assets)
    code = (
        "import sys; from pathlib import Path; from mat_shelf.cli import main;"
        "from mat_shelf.exchange.recovery import Recovery;"
        "from mat_shelf.exchange.project_file import read_project;"
        "sys.argv[0] = 'mat-shelf'; assert main(['measure', sys.argv[2]]) == 0;"
        "run = Recovery(Path(sys.argv[1])); run.keep(*read_project(sys.argv[2]), Path(sys.argv[2])); run._lock.close();"
        "lost, = Recovery(Path(sys.argv[1])).left_behind(); print(ascii(lost.name), ascii(run.restore(lost)[0].name))"
    )
    done = run_in(environment, "-c", code, tmp_path / "runs", path)
    assert done.returncode == 0 and b"Gr" in done.stdout and b"Traceback" not in done.stderr, done.stderr
    name = ascii("Köter – 犬")
    assert done.stdout.decode("latin-1").splitlines()[-1] == f"{name} {name}", done.stderr


def run_in(environment, *arguments) -> subprocess.CompletedProcess:
    return subprocess.run(
        [sys.executable, *map(str, arguments)], capture_output=True, env=os.environ | environment, timeout=300
    )


@pytest.mark.long
@pytest.mark.skipif(os.getuid() != 0, reason="needs another user")
def test_without_a_home_or_a_name_the_program_runs(small_project, tmp_path):
    """As a user whom the system has no entry for, in an environment without HOME."""
    code = """
import os, sys
sys.argv = ["x"]
import mat_shelf.cli, mat_shelf.exchange.project_file, mat_shelf.exchange.models.mesh_glb
from mat_shelf.system.bounded import prepare
prepare("mat_shelf.exchange.models.glb_reader")
from mat_shelf.cli import main
block = os.environ["OUT"] + "/block.matshelf"
main(["export", block, "-o", os.environ["OUT"] + "/first.glb"])  # loads whatever is loaded late, as the user who may
for name in [name for name in os.environ if name == "HOME" or name.startswith("XDG_")]:
    del os.environ[name]
os.setuid(54321)
from mat_shelf.system.user_folders import data_folder, ensure_home, home_folder
ensure_home.cache_clear()
print(main(["export", block, "-o", os.environ["OUT"] + "/block.glb"]))
print(ensure_home(), home_folder().is_dir(), str(data_folder()).startswith("~"))
"""
    save_project(tmp_path / "block.matshelf", *small_project)
    tmp_path.chmod(0o777)
    for folder in tmp_path.parents:
        os.chmod(folder, os.stat(folder).st_mode | 0o555)
    done = run_in({"OUT": str(tmp_path)}, "-c", code)
    assert done.stdout.split()[-4:] == [b"0", b"False", b"True", b"False"], (done.stdout, done.stderr)
    assert (tmp_path / "block.glb").stat().st_size > 1000


def test_a_cache_that_is_damaged_or_cannot_be_written_costs_time_only(tmp_path, monkeypatch):
    from mat_shelf.exchange import geometry_map_cache
    from mat_shelf.geometry.solids import box
    from mat_shelf.scene.geometry_maps import GeometryMapKey
    from mat_shelf.system.user_folders import cache_root

    monkeypatch.setattr(geometry_map_cache, "cache_root", lambda: tmp_path)
    key = GeometryMapKey("0" * 64, "edges", 3.0, 1.0)
    mesh = box((10, 10, 10), 1)
    made = geometry_map_cache.geometry_map(mesh, key)
    (kept,) = (tmp_path / "shape-maps").iterdir()
    whole = kept.read_bytes()
    for damage in (whole[: len(whole) // 2], whole[:-30], b"PK\x03\x04" + whole[90:], b"", whole[:200] + b"\xff" * 400):
        kept.write_bytes(damage)
        again = geometry_map_cache.geometry_map(mesh, key)
        assert np.array_equal(again.values, made.values)
    blocked = tmp_path / "blocked"
    blocked.write_text("no folder")
    monkeypatch.setattr(geometry_map_cache, "cache_root", lambda: blocked)
    assert np.array_equal(geometry_map_cache.geometry_map(mesh, key).values, made.values)
    monkeypatch.setattr("mat_shelf.system.user_folders.user_cache_path", lambda name: blocked / "inside")
    cache_root.cache_clear()
    assert os.access(cache_root(), os.W_OK)
    cache_root.cache_clear()
