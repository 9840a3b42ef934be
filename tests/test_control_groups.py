"""Processors and memory that may be used, by limits as the Linux kernel writes them.

Its documents: Control Group v2, ``cpu.max`` and ``memory.max``; of version 1, CFS Bandwidth Control and Memory Resource
Controller.
"""

import math
import os
import subprocess
import sys

import pytest

from mat_shelf.system.control_groups import own_folders
from mat_shelf.system.memory import free_in_group, usable_memory
from mat_shelf.system.processors import _quota

MIB = 1 << 20


def write(folder, **files):
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        (folder / name.replace("__", ".")).write_text(text)


def test_a_group_and_those_that_it_lies_in(tmp_path):
    own = tmp_path / "own"
    own.write_text("9:name=systemd:/a\n4:memory:/x/y\n2:cpu,cpuacct:/c\nnonsense\n0::/a/b\n")

    def found(controller):
        return [str(folder.relative_to(tmp_path)) for folder in own_folders(controller, tmp_path, own)]

    assert found("memory") == ["memory/x/y", "memory/x", "memory", "a/b", "a", "."]
    assert found("cpu") == ["cpu/c", "cpu", "a/b", "a", "."]
    assert own_folders("cpu", tmp_path, tmp_path / "none") == [tmp_path]


@pytest.mark.parametrize(
    ("limits", "expected"),
    [
        ({}, math.inf),
        ({"a/b": "max 100000"}, math.inf),
        ({"a/b": "150000 100000"}, 1.5),
        ({"a/b": "400000 100000", "a": "250000 100000", "": "max 100000"}, 2.5),
        ({"a/b": "nonsense", "a": "100000 0", "": "50000 100000"}, 0.5),
    ],
)
def test_the_tightest_group_counts(tmp_path, limits, expected):
    for group, text in limits.items():
        write(tmp_path / group, cpu__max=text)
    assert _quota([tmp_path / "a" / "b", tmp_path / "a", tmp_path]) == expected


def test_processors_of_version_1(tmp_path):
    write(tmp_path / "free", cpu__cfs_quota_us="-1\n", cpu__cfs_period_us="100000\n")
    write(tmp_path / "held", cpu__cfs_quota_us="350000\n", cpu__cfs_period_us="100000\n")
    assert _quota([tmp_path / "free"]) == math.inf and _quota([tmp_path / "held", tmp_path / "free"]) == 3.5


def test_memory_that_is_used_already_is_not_free(tmp_path):
    """What files are kept in is given back when it is needed, but for those in use."""
    stat = f"anon {300 * MIB}\nactive_file {50 * MIB}\ninactive_file {100 * MIB}\n"
    write(tmp_path / "two", memory__max=f"{512 * MIB}\n", memory__current=f"{450 * MIB}\n", memory__stat=stat)
    assert free_in_group(tmp_path / "two") == 162 * MIB
    stat = f"inactive_file 0\ntotal_inactive_file {20 * MIB}\n"
    files = {"memory__limit_in_bytes": f"{64 * MIB}", "memory__usage_in_bytes": f"{70 * MIB}", "memory__stat": stat}
    write(tmp_path / "one", **files)
    assert free_in_group(tmp_path / "one") == 14 * MIB
    write(tmp_path / "full", memory__max=f"{64 * MIB}", memory__current=f"{70 * MIB}")
    assert free_in_group(tmp_path / "full") == 0
    write(tmp_path / "free", memory__max="max\n", memory__current=f"{70 * MIB}", memory__stat="nonsense")
    assert free_in_group(tmp_path / "free") is None and free_in_group(tmp_path / "none") is None


def test_a_small_group_bounds_what_is_usable(tmp_path, monkeypatch):
    whole = usable_memory()
    write(tmp_path, memory__max=f"{64 * MIB}", memory__current=f"{60 * MIB}")
    monkeypatch.setattr("mat_shelf.system.memory.own_folders", lambda controller: [tmp_path])
    assert usable_memory() == 4 * MIB < whole


@pytest.mark.long
def test_a_process_on_one_processor_traces_with_one_thread():
    code = "from mat_shelf.rendering.tracer import Tracer; print(Tracer().threads)"
    one = min(os.sched_getaffinity(0))
    done = subprocess.run(["taskset", "-c", str(one), sys.executable, "-c", code], capture_output=True, text=True)
    assert done.stdout.strip() == "1", done.stderr
