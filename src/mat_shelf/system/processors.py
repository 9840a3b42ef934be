"""Processors that this process may use."""

import math
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import cache
from pathlib import Path
from threading import get_native_id

_GROUPS = Path("/sys/fs/cgroup")


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
    Linux kernel, Control Group v2, ``cpu.max``.
    """
    allowed = len(os.sched_getaffinity(0))
    return max(math.ceil(min(allowed, _quota(_own_group(), _GROUPS))), 1)


def _own_group() -> str:
    try:
        lines = Path("/proc/self/cgroup").read_text("ascii", "replace").splitlines()
    except OSError:
        return "/"
    return next((line[3:] for line in lines if line.startswith("0::")), "/")


def _quota(group: str, groups: Path) -> float:
    """Fewest processors that a group, or any that it lies in, may use at a time; infinite where none is limited."""
    folder, least = groups / group.lstrip("/"), math.inf
    while folder == groups or groups in folder.parents:
        try:
            quota, period = (folder / "cpu.max").read_text("ascii").split()
            least = min(least, int(quota) / int(period))
        except (OSError, ValueError, ZeroDivisionError):  # "max", or not limited here
            pass
        folder = folder.parent
    return least
