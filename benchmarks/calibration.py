"""How slow the machine is just now: a fixed task, timed beside the others."""

import time
from concurrent.futures import ThreadPoolExecutor
from functools import cache

import numpy as np

CALM_MS = 19.5
"""Of the task on the machine that figures are told for, two cores of a 2.5 GHz server with nothing else on them: the
least of some hundreds of times, on 2026-11-29."""
_COUNT, _THREADS, _TURNS = 1 << 20, 2, 3


class Calibration:
    """Slowness over the time that something is measured in.

    Attributes
    ----------
    found : list of float
        Times of the task so far, over those of a calm machine.
    """

    def __init__(self):
        self.found: list[float] = []

    def take(self) -> None:
        """Measures once more."""
        self.found.append(task_ms() / CALM_MS)

    @property
    def slowness(self) -> float:
        """Mean of what was found; 1 is a calm machine."""
        return float(np.mean(self.found))

    @property
    def least(self) -> float:
        """The least of what was found, for the least of several times."""
        return min(self.found)


def calibration(say) -> float:
    """Slowness of the machine now.

    Returns
    -------
    float
        Median of some times of the task, over that of a calm machine.
    """
    say("calibration")
    return round(float(np.median([task_ms() for _ in range(15)])) / CALM_MS, 2)


def task_ms() -> float:
    """Time of the task, which is none of ours: sums of what lies scattered in memory, and of powers, on two threads.

    Returns
    -------
    float
        In ms.
    """
    places, values, threads = _task()
    started = time.perf_counter()
    list(threads.map(lambda _: [_work(places, values) for _ in range(_TURNS)], range(_THREADS)))
    return 1e3 * (time.perf_counter() - started)


@cache
def _task():
    random = np.random.default_rng(1)
    return (
        random.integers(0, 8 * _COUNT, _COUNT // 4),
        random.random(8 * _COUNT, np.float32),
        ThreadPoolExecutor(_THREADS),
    )


def _work(places: np.ndarray, values: np.ndarray) -> float:
    return float(np.exp(values[places]).sum() + np.sqrt(values[: _COUNT // 2]).sum())
