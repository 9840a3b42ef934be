"""Memory that the process may use."""

from contextlib import suppress
from pathlib import Path

_LIMITS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")


def usable_memory() -> int | None:
    """Bytes that are free for this process, limits of its control group included; None where nothing tells."""
    found = []
    with suppress(OSError, ValueError):
        for line in Path("/proc/meminfo").read_text().splitlines():
            if line.startswith("MemAvailable:"):
                found.append(int(line.split()[1]) * 1024)
    for limit in _LIMITS:
        with suppress(OSError, ValueError):
            found.append(int(Path(limit).read_text()))
    return min(found, default=None)
