"""Memory that the process may use."""

from contextlib import suppress
from pathlib import Path

from mat_shelf.system.control_groups import own_folders

_LIMITS = (
    ("memory.max", "memory.current", "inactive_file"),
    ("memory.limit_in_bytes", "memory.usage_in_bytes", "total_inactive_file"),
)
"""Files of a control group's limit and of what is used of it, and what of that is given back when it is needed."""


def usable_memory() -> int | None:
    """Bytes that are free for this process, limits of its control groups included; None where nothing tells."""
    found = []
    with suppress(OSError, ValueError):
        found.append(_entry(Path("/proc/meminfo"), "MemAvailable:") * 1024)
    found += [free for folder in own_folders("memory") if (free := free_in_group(folder)) is not None]
    return min(found, default=None)


def free_in_group(folder: Path) -> int | None:
    """Bytes that are free in a control group; None where it has no limit, or nothing tells.

    Parameters
    ----------
    folder : Path
        Of the group.

    Returns
    -------
    int or None
    """
    for limit, usage, cached in _LIMITS:
        with suppress(OSError, ValueError):
            most, used = (int((folder / name).read_text("ascii")) for name in (limit, usage))
            with suppress(OSError, ValueError):
                used -= _entry(folder / "memory.stat", cached)
            return max(most - max(used, 0), 0)
    return None


def _entry(path: Path, name: str) -> int:
    """A number of a file that has a name and a number in each line. Raises OSError, ValueError."""
    for line in path.read_text("ascii").splitlines():
        words = line.split()
        if words[:1] == [name]:
            return int(words[1])
    raise ValueError(f"no {name} in {path}")
