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
_ABREAST = 0.6
"""Time of the one over that of the other, as they take turns: what slows the machine down then slows both."""


def adaptive(say) -> dict[str, float]:
    """Both ways to "good" noise on the demo, by turns.

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
    say("adaptive: where it is noisy, and evenly, by turns")
    film, even = task.film(WIDTH, HEIGHT), task.film(WIDTH, HEIGHT)
    film.halve()
    plan = SamplePlan(film, 4096, NOISE_LEVELS["good"], np.ones(3))
    took, noise, steps = 0.0, None, [(0.0, 0, np.inf)]  # of the even picture: time, samples and noise
    while noise is None or (even.samples < _MOST and steps[-1][2] > noise):
        started = time.perf_counter()
        tracer.fill(task, even, even.samples + 4)
        passed = steps[-1][0] + time.perf_counter() - started
        steps.append((passed, even.samples, _noise(even.picture(), expected)))
        while noise is None and took < _ABREAST * passed:
            started = time.perf_counter()
            pixels, most = plan.due()
            if most:
                tracer.add_samples(task, film, pixels=pixels, most=most)
            else:
                noise = _noise(film.picture(), expected)
            took += time.perf_counter() - started
    tracer.close()
    after = next((k for k, step in enumerate(steps) if step[2] <= noise), len(steps) - 1)
    (time_before, samples_before, noise_before), (time_after, samples_after, noise_after) = steps[after - 1 : after + 1]
    share = min((noise_before - noise) / (noise_before - noise_after), 1.0) if np.isfinite(noise_before) else 1.0
    return {
        "time_at_equal_error": took / (time_before + share * (time_after - time_before)),
        "samples_at_equal_error": film.mean_samples / (samples_before + share * (samples_after - samples_before)),
        "mean_difference": float(film.picture().mean() / even.picture().mean() - 1),
    }


def _noise(picture: np.ndarray, expected: np.ndarray) -> float:
    wrong = ((picture - expected) ** 2 / (expected**2 + 0.01)).mean(axis=2)
    height, width = (size // TILE * TILE for size in wrong.shape)
    tiles = wrong[:height, :width].reshape(height // TILE, TILE, width // TILE, TILE).mean(axis=(1, 3))
    return float(np.quantile(np.sqrt(tiles), 0.95))
