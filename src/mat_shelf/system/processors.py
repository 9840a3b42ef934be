"""Processors that this process may use."""

import math
import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import cache
from pathlib import Path
from threading import get_native_id

from mat_shelf.system.control_groups import own_folders

_limit: list[int] = []
_pools: dict[int, ThreadPoolExecutor] = {}
_LEAST_PART = 16
"""Fewest things that are worth a thread of their own."""


def lower_priority() -> None:
    """Let other threads, the interface's above all, go before this one."""
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, get_native_id(), 5)


def in_parts(count: int, run: Callable[[int, int], None]) -> None:
    """Run something over ranges of things, each on a thread of its own; what it calls must release the interpreter.

    Parameters
    ----------
    count : int
        Number of things.
    run : callable (first, last) -> None
        Called with the first of a range, and the one behind the last.
    """
    threads = min(usable_processors(), count // _LEAST_PART)
    if threads < 2:
        run(0, count)
        return
    if threads not in _pools:
        _pools[threads] = ThreadPoolExecutor(threads, thread_name_prefix="parts", initializer=lower_priority)
    borders = [count * part // threads for part in range(threads + 1)]
    for done in [_pools[threads].submit(run, *ends) for ends in zip(borders, borders[1:], strict=False)]:
        done.result()


def limit_processors(count: int | None) -> None:
    """Use no more than so many processors from now on; None or 0 for all that may be used."""
    _limit[:] = [count] if count else []


def usable_processors() -> int:
    """Number of processors that this process may use, and is to use."""
    return min(_limit[0], _allowed_processors()) if _limit else _allowed_processors()


@cache
def _allowed_processors() -> int:
    """Number of processors by the affinity of this process, and by the quotas of the groups it is in.

    References
    ----------
    Linux kernel, Control Group v2, ``cpu.max``; CFS Bandwidth Control, for version 1.
    """
    allowed = len(os.sched_getaffinity(0))
    return max(math.ceil(min(allowed, _quota(own_folders("cpu")))), 1)


def _quota(folders: Iterable[Path]) -> float:
    """Fewest processors that any of some groups may use at a time; infinite where none is limited."""
    least = math.inf
    for folder in folders:
        for files in (("cpu.max",), ("cpu.cfs_quota_us", "cpu.cfs_period_us")):
            with suppress(OSError, ValueError, ZeroDivisionError):  # "max", or not limited here
                quota, period = " ".join((folder / name).read_text("ascii") for name in files).split()
                if int(quota) > 0:  # in version 1, -1 is no limit
                    least = min(least, int(quota) / int(period))
    return least
