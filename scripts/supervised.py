"""Thousands of cases in a process that may end under any of them, with what each took.

A case is a function of its number, so any of them can be looked at again by that.
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from pathlib import Path

from journal import Journal

MOST_SECONDS, MOST_MB = 20.0, 2048
_PAGE = os.sysconf("SC_PAGE_SIZE")
_HUNG_S = 120.0


def worker(
    run_case: Callable[[int, Path], str], first: int, count: int, memory: Callable[[], float], prepare: Callable
) -> None:
    """In the process that may end: run cases and print a line before and after each.

    Parameters
    ----------
    memory : callable () -> float
        MB to note after each case.
    prepare : callable ()
        Called before the first case, whose time does not count.
    """
    prepare()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(first, first + count):
            print(f"begins {number}", flush=True)
            started = time.monotonic()
            end = tried(run_case, number, Path(folder))
            took = time.monotonic() - started
            print(f"ended {took:.3f} {memory():.0f} {end}", flush=True)


def tried(run_case: Callable[[int, Path], str], number: int, folder: Path) -> str:
    """How a case ended, also if that was by an exception."""
    try:
        return run_case(number, folder)
    except Exception as fault:
        frame = traceback.extract_tb(fault.__traceback__)[-1]
        return f"traceback: {type(fault).__name__}: {str(fault)[:120]} in {Path(frame.filename).name}:{frame.lineno}"


def peak_mb() -> float:
    """Most that this process and each of those it started ever had resident, MB."""
    from mat_shelf.system import bounded

    own = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    ended = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    running = [_high_water(child.process.pid) for child in bounded._idle]
    return max(own, ended, *running) / 1024


def _high_water(process: int) -> int:
    try:
        text = Path(f"/proc/{process}/status").read_text()
    except OSError:
        return 0
    return int(text.partition("VmHWM:")[2].split()[0])


def supervise(script: str, times: int, journal: Journal, batch: int, is_bounded: bool) -> int:
    """Run a script's cases in batches, in processes of their own; how many ended in something else than they may."""
    while len(journal.cases) < times:
        first = len(journal.cases)
        child = subprocess.Popen(
            [sys.executable, script, "--batch", str(first), str(min(batch, times - first))],
            stdout=subprocess.PIPE,
            text=True,
        )
        begun = False
        for line in child.stdout:
            word, _, rest = line.rstrip("\n").partition(" ")
            begun = word == "begins"
            if word == "ended":
                seconds, mb, end = rest.split(" ", 2)
                journal.note(end, s=float(seconds), mb=float(mb))
        if child.wait() and begun:
            journal.note(f"abort: exit {child.returncode}", s=0.0, mb=0.0)
        print(f"{len(journal.cases)} of {times}: {dict(journal.ends().most_common(4))}", flush=True)
    return told(journal, is_bounded)


def told(journal: Journal, is_bounded: bool) -> int:
    """Print what came of all cases; how many ended in something else, or took more, than they may."""
    ends = journal.ends()
    bad = {end: count for end, count in ends.items() if end.startswith(("abort", "traceback"))}
    slow = [k for k, case in enumerate(journal.cases) if is_bounded and case.get("s", 0) > MOST_SECONDS]
    large = [k for k, case in enumerate(journal.cases) if is_bounded and case.get("mb", 0) > MOST_MB]
    kinds: dict[str, int] = {}
    for end, count in ends.items():
        kinds[end.split(":")[0]] = kinds.get(end.split(":")[0], 0) + count
    print(f"{len(journal.cases)} cases: {kinds}; longest {journal.most('s'):.1f} s, most {journal.most('mb'):.0f} MB")
    for end, count in list(bad.items())[:20]:
        numbers = [k for k, case in enumerate(journal.cases) if case["end"] == end][:5]
        print(f"  {count} x {end}, cases {numbers}")
    for words, found in (("longer than 20 s", slow), ("more than 2 GB", large)):
        if found:
            print(f"  {len(found)} took {words}: {found[:10]}")
    return sum(bad.values()) + len(slow) + len(large)


def main(
    script: str,
    run_case: Callable[[int, Path], str],
    usual: int,
    memory: Callable[[], float] = peak_mb,
    batch: int = 400,
    prepare: Callable = lambda: None,
    is_bounded: bool = True,
) -> int:
    """The command line of a script: ``[TIMES] [--journal FILE] [--case NUMBER]``."""
    words = sys.argv[1:]
    if words[:1] == ["--batch"]:
        worker(run_case, int(words[1]), int(words[2]), memory, prepare)
        return 0
    if words[:1] == ["--case"]:
        with tempfile.TemporaryDirectory() as folder:
            print(tried(run_case, int(words[1]), Path(folder)))
        return 0
    times = int(words[0]) if words and words[0].isdigit() else usual
    name = Path(script).stem
    path = Path(words[words.index("--journal") + 1]) if "--journal" in words else Path(f"/tmp/mat-shelf-{name}.jsonl")
    return 1 if supervise(script, times, Journal(path), batch, is_bounded) else 0
