"""From an edit to its picture."""

import json
import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.session import COARSE_SAMPLES, RenderSession

DRAGS = 40


def edit_to_picture(say) -> dict:
    """A roughness dragged in the demo at 640x430: from each edit to its coarse picture, cleaned and developed.

    Returns
    -------
    dict
        `median_ms`, `p95_ms`, `pictures_per_s`; and `per_bare_pass`, the median over that of the same coarse pass
        alone, without denoising.
    """
    say("edit to picture")
    project, meshes = demo_project()
    session = RenderSession(meshes)
    session.resize(640, 430)
    session.update(project)
    for _ in range(3):
        session.step()
    material = project.material("teal-lacquer")
    times, bare = [], []
    for k in range(DRAGS):
        recipe = material.recipe.with_(specular_roughness=round(0.05 + 0.9 * k / DRAGS, 4))
        started = time.perf_counter()
        session.update(project.with_material(material.with_(recipe=recipe)))
        frame = session.step()
        times.append(time.perf_counter() - started)
        height, width = frame.pixels.shape[:2]
        task = session.coarse_shot()
        film = Film(width, height)
        started = time.perf_counter()
        for _ in range(COARSE_SAMPLES):
            session.tracer.add_sample(task, film)
        bare.append(time.perf_counter() - started)
    session.close()
    median = statistics.median(times)
    return {
        "median_ms": round(median * 1000, 1),
        "p95_ms": round(sorted(times)[int(0.95 * len(times))] * 1000, 1),
        "per_bare_pass": round(median / statistics.median(bare), 2),
        "pictures_per_s": round(1 / median, 1),
    }


def interface(say) -> dict:
    """How long the interface thread is held up while a value is dragged in the real window, without a display.

    Returns
    -------
    dict
        See `benchmarks.window`; empty where the window cannot be opened here.
    """
    say("interface")
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.window"],
        cwd=Path(__file__).parents[1],
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
        capture_output=True,
        text=True,
    )
    return json.loads(done.stdout) if done.returncode == 0 else {}
