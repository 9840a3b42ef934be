"""Pictures of several projects, a sample of each in turn: what else the machine does slows all of them alike."""

import time

from benchmarks.picture_size import HEIGHT, SAMPLES, WIDTH
from mat_shelf.rendering.final_render import PictureRequest, picture_task
from mat_shelf.rendering.tracer import Tracer


def seconds_side_by_side(projects: dict, rounds: int) -> dict[str, list[float]]:
    """Times that pictures take, making their scenes ready included.

    Parameters
    ----------
    projects : dict of (Project, Assets)
        By name; each with assets of its own, since what is made of them is kept for the last project alone.
    rounds : int
        Pictures of each, after one that is not counted, in which what is kept is made.

    Returns
    -------
    dict of list of float
        By name, of each round, s.
    """
    tracer = Tracer()
    seconds: dict = {name: [] for name in projects}
    for number in range(rounds + 1):
        taken, films = dict.fromkeys(projects, 0.0), {}
        for name, shown in projects.items():
            started = time.perf_counter()
            task = picture_task(*shown, PictureRequest(WIDTH, HEIGHT))
            films[name] = task, task.film(WIDTH, HEIGHT)
            taken[name] += time.perf_counter() - started
        for _ in range(SAMPLES):
            for name in projects:
                started = time.perf_counter()
                tracer.add_samples(*films[name])
                taken[name] += time.perf_counter() - started
        for name, each in taken.items() if number else ():
            seconds[name].append(each)
    tracer.close()
    return seconds
