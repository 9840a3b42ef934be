"""Paths a second, and error at equal time, beside the vectorised reference renderer; run as a program, it prints JSON.

It is a process of its own, since a library that the reference cannot compile with ends it.
"""

import json
import os
import statistics
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.paths import reference_scene, reference_task
from benchmarks.picture_size import HEIGHT, SAMPLES, WIDTH
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import NO_LIMIT
from mat_shelf.rendering.tracer import Tracer

VARIANT, OLDEST = "llvm_ad_rgb", 16
"""Of the reference, and the oldest LLVM that it can use on all processors."""
TURNS = 9
"""Rounds; other work on a machine comes and goes."""
SMALL, EQUAL_SAMPLES, TRUTH_SAMPLES, SEEDS = (160, 108), 16, 4096, 6


def measure_vectorised() -> dict:
    """Both renderers in turn on the reference scene; compilation apart.

    Returns
    -------
    dict
        `paths_vs_vectorised`, the median over rounds in which both ran one after the other; `equal_time`,
        its `error_vs_vectorised` the root of the mean square of relative errors of ours, each against its own picture
        of `TRUTH_SAMPLES` samples, over that of the reference which took as long: `EQUAL_SAMPLES` of its samples.
    """
    import mitsuba

    tracer, task = Tracer(), reference_task()
    scene, film, ratios = reference_scene(VARIANT), Film(WIDTH, HEIGHT), []

    def render(scene, samples: int, seed: int) -> np.ndarray:
        return np.array(mitsuba.render(scene, spp=samples, seed=seed))

    for seed in range(2):  # compiles
        render(scene, SAMPLES, seed)
        tracer.fill(task, film, film.samples + SAMPLES)
    for number in range(TURNS):
        time.sleep(0.1)  # until the other's threads are at rest
        started = time.perf_counter()
        tracer.fill(task, film, film.samples + SAMPLES)
        taken = time.perf_counter() - started
        time.sleep(0.1)
        started = time.perf_counter()
        render(scene, SAMPLES, number)
        ratios.append((time.perf_counter() - started) / taken)
    ratio = statistics.median(ratios)

    scene = reference_scene(VARIANT, *SMALL)
    task = replace(reference_task(*SMALL), brightest=NO_LIMIT)

    def take(samples: int, seed: int) -> np.ndarray:
        film = Film(*SMALL)
        tracer.fill(replace(task, seed=seed), film, samples)
        return film.picture()

    truth = np.mean([render(scene, TRUTH_SAMPLES // 16, 1000 + seed) for seed in range(16)], axis=0)
    theirs = statistics.mean(_error(render(scene, EQUAL_SAMPLES, seed), truth) for seed in range(SEEDS))
    truth = take(TRUTH_SAMPLES, 1000)
    ours = statistics.mean(_error(take(round(EQUAL_SAMPLES * ratio), seed), truth) for seed in range(SEEDS))
    tracer.close()
    return {"paths_vs_vectorised": round(ratio, 2), "equal_time": {"error_vs_vectorised": round(ours / theirs, 2)}}


def _error(picture: np.ndarray, truth: np.ndarray) -> float:
    return float(np.sqrt(np.mean((picture - truth) ** 2 / (truth**2 + 0.01))))


def find_llvm() -> Path | None:
    """The newest library of LLVM in the usual folders; None where each is too old."""
    libraries = Path("/usr/lib").glob("*/libLLVM-[0-9]*")
    found = [(int(path.name.partition("-")[2].split(".")[0]), path) for path in libraries]
    version, path = max(found, default=(0, None))
    return path if version >= OLDEST else None


if __name__ == "__main__":
    library = find_llvm()
    if library is None:
        sys.exit("no LLVM that the reference can use")
    os.environ["DRJIT_LIBLLVM_PATH"] = str(library)
    print(json.dumps(measure_vectorised()))
