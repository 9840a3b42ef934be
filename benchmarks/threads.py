"""Threads: what more of them cost on the same cores, how much of their time is Python's, and their memory."""

import statistics
import time
from pathlib import Path

from benchmarks.picture_size import HEIGHT, WIDTH
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.rendering import film as filming
from mat_shelf.rendering import passes
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import fill_geometry_maps
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry_map_lookup import geometry_map_lookup
from mat_shelf.scene.lights import set_lights
from mat_shelf.scene.material_table import project_material_table
from mat_shelf.scene.project_geometry import project_geometry

FEW, MANY = 2, 16
ROUNDS = 5


def threads(say) -> dict:
    """The demo, with its patterns and marks, on few threads and on many.

    Returns
    -------
    dict
        `fed_16_over_2`, the time of a sample with 16 threads over that with 2, on the same cores, the median of rounds
        in which both were taken one after the other; `python_share`, the share of the render threads' processor time
        that is not in kernels; `memory_mb_per_thread`, resident memory that each further thread takes.
    """
    say("threads")
    task = _demo_task()
    tracers = {count: Tracer(count) for count in (FEW, MANY)}
    film, memory = Film(WIDTH, HEIGHT), {}
    for count, tracer in tracers.items():
        tracer.add_samples(task, film)
        memory[count] = _resident_mb()
    ratios = []
    for _ in range(ROUNDS):
        seconds = {}
        for count, tracer in tracers.items():
            started = time.perf_counter()
            tracer.add_samples(task, film)
            seconds[count] = time.perf_counter() - started
        ratios.append(seconds[MANY] / seconds[FEW])
    share = _python_share(task, tracers[FEW], film)
    for tracer in tracers.values():
        tracer.close()
    return {
        "fed_16_over_2": round(statistics.median(ratios), 2),
        "python_share": round(share, 4),
        "memory_mb_per_thread": round((memory[MANY] - memory[FEW]) / MANY, 1),
    }


def _demo_task() -> RenderTask:
    project, assets = demo_project()
    fill_geometry_maps(project, assets)
    geometry = project_geometry(project, assets.meshes)
    geometry.shapes = geometry_map_lookup(project, geometry, assets.geometry_maps)
    view = make_camera_view(project.view.camera, WIDTH, HEIGHT)
    return RenderTask(geometry, project_material_table(project, assets), set_lights(project.set, assets), view)


def _python_share(task: RenderTask, tracer: Tracer, film: Film) -> float:
    """Processor time of the threads outside of kernels, over all of it."""
    inside, whole = [], []
    kernels = [(passes, "trace_paths"), (filming, "add_sums")]
    own = [getattr(module, name) for module, name in kernels]
    submit = tracer._pool.submit

    def timed(function, times):
        def run(*arguments):
            started = time.thread_time()
            function(*arguments)
            times.append(time.thread_time() - started)

        return run

    def submit_timed(function, *arguments):
        return submit(timed(function, whole), *arguments)

    for (module, name), kernel in zip(kernels, own, strict=True):
        setattr(module, name, timed(kernel, inside))
    tracer._pool.submit = submit_timed
    try:
        for _ in range(ROUNDS):
            tracer.add_samples(task, film)
    finally:
        for (module, name), kernel in zip(kernels, own, strict=True):
            setattr(module, name, kernel)
        del tracer._pool.submit
    return 1 - sum(inside) / sum(whole)


def _resident_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096 / 1e6
