"""Error of the demo after ten seconds, beside a converged render."""

from dataclasses import replace

import numpy as np

from benchmarks.picture_size import HEIGHT, WIDTH
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.denoise import denoise_film
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.render_task import NO_LIMIT
from mat_shelf.rendering.tracer import Tracer

ERROR_SIZE, ERROR_SECONDS, TRUTH_SAMPLES, SEEDS = (160, 108), 10.0, 4096, 6


def error_after_ten_seconds(say) -> dict:
    """How far the demo's picture is from the truth after ten seconds. Takes a quarter of an hour.

    As many samples as ten seconds give at WIDTH x HEIGHT are taken of a smaller picture, whose truth can be waited for.

    Returns
    -------
    dict
        `samples_in_10_s`; `error_raw` and `error_denoised`, roots of the mean of (a - b)^2 / (b^2 + 0.01) over pixels,
        b being a picture of TRUTH_SAMPLES samples and no limit to what a path may bring; `mean_difference`, how far
        the mean is from the truth's, as a share.
    """
    say("samples in ten seconds")
    project, assets = demo_project()
    rendered = render_picture(project, assets, WIDTH, HEIGHT, 10_000, seconds=ERROR_SECONDS, denoise=False)
    samples = rendered.film.samples
    width, height = ERROR_SIZE
    task = replace(rendered.task, view=make_camera_view(project.view.camera, width, height))
    tracer = Tracer()
    truth = Film(width, height)
    while truth.samples < TRUTH_SAMPLES:
        say(f"the truth, {truth.samples} of {TRUTH_SAMPLES} samples")
        tracer.fill(replace(task, brightest=NO_LIMIT, seed=7), truth, truth.samples + 64)
    expected = truth.picture().astype(float)
    raw, clean, mean = [], [], []
    for seed in range(SEEDS):
        film = Film(width, height)
        tracer.fill(replace(task, seed=100 + seed), film, samples)
        for errors, picture in ((raw, film.picture()), (clean, denoise_film(film))):
            errors.append(np.sqrt(np.mean((picture - expected) ** 2 / (expected**2 + 0.01))))
        mean.append(film.picture().mean())
    tracer.close()
    return {
        "samples_in_10_s": samples,
        "error_raw": round(float(np.mean(raw)), 4),
        "error_denoised": round(float(np.mean(clean)), 4),
        "mean_difference": round(float(np.mean(mean) / expected.mean() - 1), 4),
    }
