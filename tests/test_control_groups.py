"""Processors that may be used, by quotas as the Linux kernel writes them (Control Group v2, ``cpu.max``)."""

import math
import os
import subprocess
import sys

import pytest

from mat_shelf.system.processors import _quota


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
    (tmp_path / "a" / "b").mkdir(parents=True)
    for group, text in limits.items():
        (tmp_path / group / "cpu.max").write_text(text)
    assert _quota("/a/b", tmp_path) == expected


@pytest.mark.long
def test_a_process_on_one_processor_traces_with_one_thread():
    code = "from mat_shelf.rendering.tracer import Tracer; print(Tracer().threads)"
    one = min(os.sched_getaffinity(0))
    done = subprocess.run(["taskset", "-c", str(one), sys.executable, "-c", code], capture_output=True, text=True)
    assert done.stdout.strip() == "1", done.stderr
