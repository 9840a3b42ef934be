"""The command line, run as a user would."""

import subprocess
import sys

import numpy as np
import pytest
from PyQt6.QtGui import QImage

from mat_shelf.cli import main


@pytest.fixture(scope="module")
def project_file(tmp_path_factory):
    path = tmp_path_factory.mktemp("cli") / "d.matshelf"
    assert main(["new-demo", str(path)]) == 0
    return path


def run(*arguments) -> subprocess.CompletedProcess:
    return subprocess.run(
        [sys.executable, "-m", "mat_shelf.cli", *map(str, arguments)], capture_output=True, text=True, timeout=300
    )


def test_exr_is_whole_and_the_same_twice(project_file, tmp_path):
    """Read back by the reader that `mitsuba` carries."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    pictures = []
    for name in ("a.exr", "b.exr"):
        done = run(
            "render", project_file, "-o", tmp_path / name, "--width", 200, "--height", 134, "--samples", 2, "--seed", 1
        )
        assert done.returncode == 0, done.stderr
        pictures.append(np.array(mi.Bitmap(str(tmp_path / name))))
    assert pictures[0].shape == (134, 200, 3) and pictures[0].dtype == np.float32
    assert np.isfinite(pictures[0]).all() and (pictures[0] == pictures[1]).all()
    assert 0.05 < pictures[0].mean() < 2


def test_png_is_read_by_another_library(project_file, tmp_path):
    """Read back by Qt's own PNG reader. The wax stick is red, the wall behind is light and nearly grey."""
    path = tmp_path / "d.png"
    assert run("render", project_file, "-o", path, "--width", 240, "--height", 160, "--samples", 4).returncode == 0
    image = QImage(str(path)).convertToFormat(QImage.Format.Format_RGB888)
    assert (image.width(), image.height()) == (240, 160)
    pixels = np.array(image.constBits().asarray(image.sizeInBytes())).reshape(160, image.bytesPerLine())
    pixels = pixels[:, : 240 * 3].reshape(160, 240, 3).astype(int)
    red = (pixels[..., 0] > 90) & (pixels[..., 0] > 2 * pixels[..., 1])
    assert red.sum() > 300
    assert pixels[5, 120].min() > 110 and np.ptp(pixels[5, 120]) < 30


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["render", "{f}", "-o", "x.bmp"], "must end in"),
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


def test_bench_scene_is_the_same_in_both_renderers():
    """The bench is fair only if both render the same picture; plastic differs by its model, the rest may not."""
    pytest.importorskip("mitsuba")
    import mitsuba as mi

    from mat_shelf import bench
    from mat_shelf.rendering.film import Film
    from mat_shelf.rendering.tracer import Tracer

    theirs = np.array(mi.render(bench._reference_scene(), spp=16))
    film, tracer, shot = Film(bench.WIDTH, bench.HEIGHT), Tracer(), bench.reference_shot()
    for _ in range(16):
        tracer.add_sample(shot, film)
    tracer.close()
    assert film.picture().mean() == pytest.approx(theirs.mean(), rel=0.02)
