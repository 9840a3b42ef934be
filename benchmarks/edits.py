"""From an edit to its picture."""

import json
import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.rendering.session import RenderSession

DRAGS = 40


def edit_to_picture(say) -> dict:
    """A roughness dragged in the demo at 640x430: from each edit to its picture, cleaned and developed.

    Returns
    -------
    dict
        `median_ms`, `p95_ms`, `pictures_per_s`, and `pixels` of the pictures, squares of pixels that share what one of
        them saw counted once.
    """
    say("edit to picture")
    project, meshes = demo_project()
    session = RenderSession(meshes)
    session.resize(640, 430)
    session.update(project)
    frame = session.step()
    while frame is None or frame.is_coarse or frame.samples < 8:
        frame = session.step()
    material = project.material("teal-lacquer")
    times, pixels = [], []
    for k in range(DRAGS):
        recipe = material.recipe.with_(specular_roughness=round(0.05 + 0.9 * k / DRAGS, 4))
        started = time.perf_counter()
        session.update(project.with_material(material.with_(recipe=recipe)))
        frame = session.step()
        times.append(time.perf_counter() - started)
        pixels.append(frame.pixels.shape[0] * frame.pixels.shape[1] // frame.stride**2)
    session.close()
    median = statistics.median(times)
    return {
        "median_ms": round(median * 1000, 1),
        "p95_ms": round(sorted(times)[int(0.95 * len(times))] * 1000, 1),
        "pictures_per_s": round(1 / median, 1),
        "pixels": int(statistics.median(pixels)),
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
