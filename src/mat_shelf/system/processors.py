"""Processors that this process may use."""

import math
import os
from functools import cache
from pathlib import Path

_GROUPS = Path("/sys/fs/cgroup")


_limit: list[int] = []


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
