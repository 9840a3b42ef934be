"""Pictures that stop where they are clean enough."""

import numpy as np
import pytest

from mat_shelf.cli import main
from mat_shelf.exchange.project_file import save_project
from mat_shelf.rendering.adaptive import NOISE, TILE, is_checked, tile_noise, unfinished
from mat_shelf.rendering.film import Film, add_sums, new_sums
from mat_shelf.rendering.final_render import render_picture


@pytest.mark.parametrize("count", [16, 48, 130])
def test_the_noise_of_a_mean_is_told_from_its_halves(count):
    """The standard error of a mean of n independent samples is their deviation over the root of n."""
    film, chance = Film(96, 64), np.random.default_rng(3)
    pixels = np.arange(96 * 64, dtype=np.int32)
    deviation = np.where(pixels % 96 < 48, 0.1, 0.8)
    for _ in range(count):
        sums = new_sums(len(pixels))
        sums.light[:, 0] = 2 + deviation * chance.standard_normal(len(pixels))
        add_sums(pixels, sums, film.sums)
    noise = tile_noise(film) * np.sqrt(2 + 0.01)
    assert noise[:, 0] == pytest.approx(np.full(4, 0.1 / np.sqrt(count)), rel=0.2)
    assert noise[:, 5] == pytest.approx(np.full(4, 0.8 / np.sqrt(count)), rel=0.2)
    assert noise[:, 2] == pytest.approx(noise[:, 3], rel=0.2)  # it is as noisy as the tile beside it
    threshold = 0.4 / np.sqrt(count) / np.sqrt(2.01)
    left, more = unfinished(film, pixels, threshold)
    assert set(left % 96 // TILE) == {2, 3, 4, 5}
    assert more == pytest.approx(64 * TILE * 4 * count * 3, rel=0.25)  # twice as noisy needs four times as many


def test_noise_is_looked_at_seldom():
    assert [n for n in range(1, 200) if is_checked(n)] == [16, 24, 32, 48, 64, 96, 128, 192]


def test_a_clean_picture_ends_early_and_is_as_bright(small_project):
    told = []
    done = render_picture(
        *small_project, 120, 80, 512, noise=0.06, denoise=False, progress=lambda *n: told.append(n) or True
    )
    counts = done.film.sums.counts
    assert counts.min() >= 16 and counts.max() > counts.min() and counts.mean() < 256
    assert told[-1][0] == told[-1][1] == round(counts.mean()) and all(a <= b for a, b in told)
    even = render_picture(*small_project, 120, 80, 512, seed=9, denoise=False)
    part = even.film.part
    for seen in np.unique(part):
        mean, truth = (light[part == seen].mean(axis=0) for light in (done.light, even.light))
        assert mean == pytest.approx(truth, rel=0.003), seen
    rough = render_picture(*small_project, 120, 80, 512, noise=0.2, denoise=False)
    assert rough.film.sums.counts.mean() < counts.mean()


def test_the_command_line_takes_levels_and_numbers(small_project, tmp_path, capsys):
    path = tmp_path / "block.matshelf"
    save_project(path, *small_project)
    asked = ["render", str(path), "-o", str(tmp_path / "a.png"), "--width", "64", "--height", "48", "--samples", "40"]
    for level in (*NOISE, "0.2"):
        assert main([*asked, "--noise", level]) == 0
    for level in ("best", "0", "-1", "nan", "2"):
        with pytest.raises(SystemExit) as stop:
            main([*asked, f"--noise={level}"])
        assert stop.value.code == 2 and "draft, good, final" in capsys.readouterr().err
