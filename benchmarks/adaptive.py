"""Time to a picture as clean as it is asked for, sampled where it is noisy, over even sampling. Takes ten minutes."""

import time
from dataclasses import replace

import numpy as np

from benchmarks.picture_size import HEIGHT, WIDTH
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.rendering.adaptive import NOISE_LEVELS, TILE, SamplePlan
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tracer import Tracer

_TRUTH, _MOST = 640, 320


def adaptive(say) -> dict[str, float]:
    """Both ways to "good" noise on the demo.

    The noise of a picture is what 95 of 100 tiles keep: the root of the mean of (a - b)^2 / (b^2 + 0.01) over each, b
    being a picture of 640 samples with other random numbers.

    Returns
    -------
    dict of float
        `time_at_equal_error`: time until that noise is the same; `samples_at_equal_error`: samples of a pixel, on
        average; `mean_difference`: of the two pictures, as a share.
    """
    project, assets = demo_project()
    task = render_picture(project, assets, WIDTH, HEIGHT, 1, denoise=False).task
    tracer, truth = Tracer(), task.film(WIDTH, HEIGHT)
    while truth.samples < _TRUTH:
        say(f"adaptive: the truth, {truth.samples} of {_TRUTH} samples")
        tracer.fill(replace(task, seed=7), truth, truth.samples + 64)
    expected = truth.picture()
    say("adaptive: where it is noisy")
    film = task.film(WIDTH, HEIGHT)
    film.halve()
    plan = SamplePlan(film, 4096, NOISE_LEVELS["good"], np.ones(3))
    started = time.perf_counter()
    while (due := plan.due())[1]:
        pixels, most = due
        tracer.add_samples(task, film, pixels=pixels, most=most)
    took = time.perf_counter() - started
    noise = _noise(film.picture(), expected)
    say("adaptive: evenly")
    even, passed, before = task.film(WIDTH, HEIGHT), 0.0, (0.0, np.inf)
    while passed < 20 * took and even.samples < _MOST:
        started = time.perf_counter()
        tracer.fill(task, even, even.samples + 4)
        passed += time.perf_counter() - started
        now = _noise(even.picture(), expected)
        if now <= noise:
            break
        before = passed, now
    tracer.close()
    share = (before[1] - noise) / (before[1] - now) if np.isfinite(before[1]) else 1.0
    needed = before[0] + (passed - before[0]) * share
    return {
        "time_at_equal_error": took / needed,
        "samples_at_equal_error": film.mean_samples / (even.samples - 4 * (1 - share)),
        "mean_difference": float(film.picture().mean() / even.picture().mean() - 1),
    }


def _noise(picture: np.ndarray, expected: np.ndarray) -> float:
    wrong = ((picture - expected) ** 2 / (expected**2 + 0.01)).mean(axis=2)
    height, width = (size // TILE * TILE for size in wrong.shape)
    tiles = wrong[:height, :width].reshape(height // TILE, TILE, width // TILE, TILE).mean(axis=(1, 3))
    return float(np.quantile(np.sqrt(tiles), 0.95))
