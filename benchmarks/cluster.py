"""Speed of workers beside that of one process with as many threads."""

import time

from benchmarks.picture_size import HEIGHT, WIDTH
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.exchange.cluster import crew_at
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.rendering.final_render import render_picture

_SAMPLES, _TURNS = 48, 2


def cluster(say) -> dict[str, float]:
    """The demo rendered by two workers of one thread and by one process of two, in turns, once both are warm.

    Returns
    -------
    dict of float
        `two_workers_over_one_process`: how many times as fast the workers are.
    """
    say("cluster")
    project, assets = demo_project()
    prepare_supplies(project, assets)
    took: dict[bool, list[float]] = {False: [], True: []}
    with crew_at("local:2") as crew:
        workers = crew.of(project, assets)
        for turn in range(_TURNS + 1):
            for has_crew in (False, True):
                samples = _SAMPLES if turn else 1
                started = time.perf_counter()
                found = workers if has_crew else None
                render_picture(project, assets, WIDTH, HEIGHT, samples, denoise=False, threads=2, crew=found)
                if turn:
                    took[has_crew].append(time.perf_counter() - started)
    return {"two_workers_over_one_process": min(took[False]) / min(took[True])}
