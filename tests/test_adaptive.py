"""Pictures that stop where they are clean enough."""

from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from mat_shelf.app.render_dialog import RenderDialog
from mat_shelf.app.widgets.noise_box import NoiseBox
from mat_shelf.cli import main
from mat_shelf.document.shot import ENOUGH_SAMPLES, SAMPLES, Shot
from mat_shelf.exchange import checkpoint
from mat_shelf.exchange.checkpoint import Checkpoint
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.shot_queue import render_shots
from mat_shelf.rendering import adaptive
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import PictureRequest, picture_task, render_picture
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.tracer import Tracer

SIZE = 96, 64


def errors(light, truth):
    """Relative errors of pixels, as noise is defined."""
    return np.sqrt(((light - truth) ** 2 / (truth**2 + 0.01)).mean(axis=2))


@pytest.fixture(scope="module")
def truth(small_project):
    return render_picture(*small_project, *SIZE, 1600, seed=99, denoise=False).light


@pytest.mark.parametrize("noise", [0.1, pytest.param(0.06, marks=pytest.mark.long)])
@pytest.mark.long
def test_the_noise_is_what_was_asked_for_and_the_mean_stays(small_project, truth, noise):
    told = []
    made = render_picture(
        *small_project, *SIZE, 3000, denoise=False, noise=noise, progress=lambda *counts: told.append(counts) or True
    )
    wrong = errors(made.light, truth).reshape(8, 8, 12, 8)
    tiles = np.sqrt((wrong**2).mean(axis=(1, 3)))
    assert noise / 4 < np.quantile(tiles, adaptive.SHARE) < 1.25 * noise
    counts = made.film.sums.counts
    assert counts.min() >= adaptive.FIRST and counts.max() > 2 * counts.min()
    # What is left where it is noisy costs most: evenly, all pixels would need what the noisiest have.
    assert made.film.mean_samples < 0.8 * counts.max()
    assert abs(made.light.mean() / truth.mean() - 1) < 0.003
    assert all(done <= total for done, total in told) and told[-1][0] == told[-1][1] == round(made.film.mean_samples)


@pytest.mark.long
def test_regions_are_as_bright_as_evenly_sampled_ones(small_project):
    """The share that stopping by chance makes darker, over many small pictures."""
    uneven, even = [], []
    for seed in range(40):
        made = render_picture(*small_project, 48, 32, 400, seed=seed, denoise=False, noise=0.12)
        uneven.append(made.light)
        even.append(render_picture(*small_project, 48, 32, 64, seed=1000 + seed, denoise=False).light)
    regions = [np.mean(lights, axis=0).reshape(2, 16, 3, 16, 3).mean(axis=(1, 3, 4)) for lights in (uneven, even)]
    spread = np.std([x.reshape(2, 16, 3, 16, 3).mean(axis=(1, 3, 4)) for x in even], axis=0) / np.sqrt(40)
    assert (np.abs(regions[0] - regions[1]) < 0.003 * regions[1] + 4 * spread).all()
    assert (spread < 0.003 * regions[1]).all()


def test_the_estimate_is_that_of_known_noise():
    """Light that varies by a known amount, in one half of the picture by twice as much."""
    film, random = Film(64, 64), np.random.default_rng(5)
    film.halve()
    deviation = np.where(np.arange(64) < 32, 0.5, 1.0)
    for sample in range(40):
        light = 2 + random.normal(0, deviation[None, :, None], (64, 64, 3))
        film.sums.light[:, 0] += light.reshape(-1, 3).astype(np.float32)
        if adaptive.is_of_half(sample):
            film.halves[:, 0] += light.reshape(-1, 3).astype(np.float32)
        film.sums.counts[:] += 1
        if sample in (30, 39):
            found = np.sqrt(adaptive.tile_variances(film, np.ones(3))[0])
            assert abs(found[:, 0:3].mean() / (0.5 / 2) - 1) < 0.05 and abs(found[:, 5:8].mean() / (1 / 2) - 1) < 0.05


def test_the_estimate_is_how_far_pictures_of_other_random_numbers_lie_apart(small_project, figure):
    """Beside the variance over 32 pictures, which knows nothing of halves. On smooth faces samples that are evenly
    spread bring less noise than as many that are not, and the estimate is to know it."""
    task = picture_task(*small_project, PictureRequest(48, 32))
    lights, estimates, tracer = [], [], Tracer()
    for seed in range(32):
        film = task.film(48, 32)
        film.halve()
        tracer.fill(replace(task, seed=seed), film, 64)
        lights.append(film.picture())
        estimates.append(adaptive.tile_variances(film, np.ones(3))[0] / 64)
    tracer.close()
    light = np.mean(lights, axis=0)
    apart = (np.var(lights, axis=0, ddof=1) / (light**2 + 0.01)).mean(axis=2)
    tiles, estimate = apart.reshape(4, 8, 6, 8).mean(axis=(1, 3)), np.mean(estimates, axis=0)
    assert 0.7 < (estimate.mean() / tiles.mean()) < 2
    assert np.median(estimate / tiles) < 4 and (estimate > 0.4 * tiles).all()
    figure((estimate / tiles).mean())


def test_a_region_and_a_bound_and_an_even_picture(small_project):
    region = PictureRegion(30, 20, 40, 24)
    part = render_picture(*small_project, *SIZE, 60, denoise=False, noise=0.01, region=region)
    counts = part.film.sums.counts.reshape(SIZE[::-1])
    outside = np.ones_like(counts, bool)
    outside[region.slices()] = False
    assert (counts[outside] == 0).all() and counts.max() == 60
    plain = render_picture(*small_project, *SIZE, 20, denoise=False)
    bound = render_picture(*small_project, *SIZE, 20, denoise=False, noise=1e-4)
    assert plain.light == pytest.approx(bound.light, rel=1e-5)  # summed in another order
    assert render_picture(*small_project, *SIZE, 1, denoise=False, noise=0.1).film.samples == 1


@pytest.mark.long
def test_broken_off_it_ends_as_unbroken(small_project, tmp_path, monkeypatch):
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "films")
    monkeypatch.setattr(checkpoint, "_EVERY_S", 0)
    monkeypatch.setattr(checkpoint, "_SHARE", 0)
    project, assets = small_project
    options = {"denoise": False, "noise": 0.05}
    counts = []
    whole = render_picture(project, assets, 48, 32, 500, **options, progress=lambda *done: counts.append(done) or True)
    assert len(counts) > 9
    for stop in (3, len(counts) - 3):  # within the first samples, and within later rounds
        keeper, calls = Checkpoint(f"film{stop}"), []
        with pytest.raises(InterruptedError):
            render_picture(
                project, assets, 48, 32, 500, **options, keeper=keeper,
                progress=lambda *_, calls=calls, stop=stop: calls.append(0) or len(calls) < stop,
            )  # fmt: skip
        again = render_picture(project, assets, 48, 32, 500, **options, keeper=Checkpoint(f"film{stop}"))
        assert (again.light == whole.light).all()
        assert (again.film.sums.counts == whole.film.sums.counts).all()


@pytest.mark.long
def test_threads_make_no_difference(small_project):
    lights = [render_picture(*small_project, 48, 32, 100, denoise=False, noise=0.1, threads=n).light for n in (1, 2, 3)]
    assert (lights[0] == lights[1]).all() and (lights[0] == lights[2]).all()


def test_the_command_and_the_shots(small_project, tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "films")
    project, assets = small_project
    path = tmp_path / "block.matshelf"
    save_project(path, project, assets)
    size = ["--width", "48", "--height", "32"]
    assert main(["render", str(path), "-o", str(tmp_path / "a.png"), *size, "--noise", "draft"]) == 0
    assert "Samples: 16" in str(Image.open(tmp_path / "a.png").info)
    assert main(["render", str(path), "-o", str(tmp_path / "a.png"), *size, "--noise", "4"]) == 0
    told = Image.open(tmp_path / "a.png").info
    assert " on average" in str(told) and " to " in str(told)
    for wrong in ("fine", "0", "nan", "1e9"):
        with pytest.raises(SystemExit) as left:
            main(["render", str(path), "-o", str(tmp_path / "b.png"), "--noise", wrong])
        assert left.value.code == 2 and "percentage" in capsys.readouterr().err
    shot = Shot(
        id="s", name="S", view=project.current_view, set=project.current_set,
        width=48, height=32, samples=300, noise=0.04,
    )  # fmt: skip
    states = []
    render_shots(project.with_shots([shot]), assets, [shot], tmp_path, lambda key, state: states.append(state))
    assert states[-1].kind == "done" and any(16 < state.samples < 300 for state in states if state.kind == "renders")


def test_a_level_is_chosen_or_typed(qtbot):
    box, chosen = NoiseBox(), []
    qtbot.addWidget(box)
    box.show()
    box.chosen.connect(chosen.append)
    for text, noise in (("4", 0.04), ("2,5 %", 0.025), ("Good, 10 %", 0.1), ("words", 0.1), ("500", 1.0), ("nan", 1.0)):
        box.lineEdit().selectAll()
        QTest.keyClicks(box.lineEdit(), text)
        QTest.keyClick(box.lineEdit(), Qt.Key.Key_Return)
        assert box.noise == noise
    assert chosen == [0.04, 0.025, 0.1, 1.0]


@pytest.mark.long
def test_the_dialog_stops_where_it_is_clean(open_window, small_project, qtbot, tmp_path):
    window = open_window(*small_project)
    dialog = RenderDialog(window.workshop, window)
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.fields.noise_box.setCurrentIndex(1)
    dialog.fields.noise_box.activated.emit(1)
    assert dialog.fields.samples_box.value() == ENOUGH_SAMPLES
    dialog.fields.width_box.setValue(48)
    dialog.fields.height_box.setValue(32)
    dialog.fields.path_field.setText(str(tmp_path / "out.png"))
    dialog.start()
    qtbot.waitUntil(lambda: dialog.state.text().startswith("Written"), timeout=60_000)
    assert Image.open(tmp_path / "out.png").size == (48, 32)
    dialog.fields.noise_box.setCurrentIndex(0)
    dialog.fields.noise_box.activated.emit(0)
    assert dialog.fields.samples_box.value() == SAMPLES
    dialog.close_thread()
