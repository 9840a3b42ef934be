"""Checks how far a picture can be trusted, and writes docs/truth.md. Run it with `make truth`; it takes half an hour.

    .venv/bin/python scripts/truth.py [--materials 500] [--scenes 20] [--seed SEED]

Random materials in a white furnace and random scenes beside an independent renderer are drawn with fresh seeds, which
are printed; the other checks are those tests that note a figure.
"""

import argparse
import ast
import os
import secrets
import subprocess
import sys
import tempfile
import textwrap
import xml.etree.ElementTree as ET
from collections import Counter
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parent
ROOT = HERE.parent
PAGE = ROOT / "docs" / "truth.md"
sys.path.insert(0, str(HERE))

from journal import Journal  # noqa: E402

FILES = (
    "tests/test_truth.py",
    "tests/test_inside.py",
    "tests/test_furnace.py",
    "tests/test_denoise.py",
    "tests/test_rendering.py",
    "tests/test_soft_bodies.py",
)
"""Where tests note figures."""


class Check(NamedTuple):
    """A test of the rendering: what it says of itself, how far off it was, and whether it passed."""

    name: str
    source: str
    figures: list[float]
    is_passed: bool


def tested() -> list[Check]:
    """The tests that note figures, one entry for all cases of each."""
    with tempfile.TemporaryDirectory() as folder:
        report = Path(folder) / "report.xml"
        command = [sys.executable, "-m", "pytest", "-q", "-o", "junit_family=xunit1", f"--junitxml={report}", *FILES]
        subprocess.run(command, cwd=ROOT, check=False, env=os.environ | {"MAT_SHELF_THOROUGH": "1"})
        cases = ET.parse(report).getroot().iter("testcase")
    checks: dict[str, Check] = {}
    for case in cases:
        figures = [float(p.get("value")) for p in case.iter("property") if p.get("name") == "figure"]
        name = f"{case.get('file')}::{case.get('name').partition('[')[0]}"
        known = checks.get(name, Check(name, source_of(name), [], True))
        is_passed = known.is_passed and case.find("failure") is None and case.find("error") is None
        checks[name] = Check(name, known.source, known.figures + figures, is_passed)
    return [check for check in checks.values() if check.figures or not check.is_passed]


def source_of(name: str) -> str:
    """What a test says of itself."""
    file, _, function = name.partition("::")
    for node in ast.parse((ROOT / file).read_text("utf-8")).body:
        if isinstance(node, ast.FunctionDef) and node.name == function:
            return " ".join((ast.get_docstring(node) or "").split())
    return ""


def furnace(count: int, first: int) -> tuple[list[str], bool]:
    """Lines about random materials in a white furnace, and whether all are sound."""
    from truth_furnace import run_case

    journal = Journal(ROOT / "build" / f"furnace-{first}.jsonl")
    for number in journal.left(count):
        end, words = run_case(first + number)
        journal.note(end, seed=first + number, words=words)
        if words:
            print(f"{first + number}: {words}", flush=True)
    ends = journal.ends()
    lines = [f"- {count} materials at random, seeds {first} to {first + count - 1}: {told(ends)}."]
    lines += [f"  - {case['seed']}: {case['words']}" for case in journal.cases if case["words"]]
    return lines, set(ends) <= {"sound"}


def scenes(count: int, first: int) -> tuple[list[str], bool]:
    """Lines about random scenes beside an independent renderer, and whether all are alike."""
    import numpy as np
    from scipy import stats
    from truth_scenes import FURTHEST, LEAST_LIKELY, deviations

    journal = Journal(ROOT / "build" / f"scenes-{first}.jsonl")
    for number in journal.left(count):
        apart = deviations(first + number)
        worst = float(np.abs(apart).max())
        end = "apart" if worst > FURTHEST else "alike"
        journal.note(end, seed=first + number, worst=worst, square=float((apart**2).sum()), regions=len(apart))
        print(f"{first + number}: at most {worst:.2f} standard errors apart", flush=True)
    square, regions = (sum(case[name] for case in journal.cases) for name in ("square", "regions"))
    chance = float(stats.chi2.sf(square, regions))
    is_sound = set(journal.ends()) == {"alike"} and chance > LEAST_LIKELY
    line = (
        f"- {count} scenes at random, seeds {first} to {first + count - 1}: means of {regions} regions are at most "
        f"{journal.most('worst'):.1f} standard errors apart; chi-square {square:.0f}, chance {chance:.2g}."
    )
    return [line], is_sound


def told(ends: Counter) -> str:
    return ", ".join(f"{count} {end}" for end, count in sorted(ends.items()))


def page(checks: list[Check], random_lines: list[str]) -> str:
    """The text of docs/truth.md."""
    text = [
        "# How far to trust a picture",
        "",
        "Made by `make truth`, which runs all of this again. Each check compares the renderer with something outside",
        "of it: theory, published values, or the independent renderer `mitsuba` (scalar_rgb). A figure is the largest",
        "deviation in any channel of any of its cases, noise of the check itself included.",
        "",
        "## At random",
        "",
        "In a white furnace, a ball in an even room, what absorbs nothing reads 1 within 2 percent, and nothing reads",
        "more than 1.02; beside `mitsuba`, means by region of 16 renders each lie within 5 standard errors.",
        "",
        *random_lines,
        "",
        "To run these alone: `.venv/bin/python scripts/truth_furnace.py`, `.venv/bin/python scripts/truth_scenes.py`.",
        "",
        "## One by one",
        "",
        "To run one: `.venv/bin/pytest` and its name.",
        "",
    ]
    for check in checks:
        figure = f"{max(check.figures):.2g} %" if check.figures else "no figure"
        state = "" if check.is_passed else ", **fails**"
        text += [f"**{figure}**{state} `{check.name}`", ""]
        text += [*textwrap.wrap(check.source, 116), ""]
    return "\n".join(text).rstrip() + "\n"


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--materials", type=int, default=500)
    parser.add_argument("--scenes", type=int, default=20)
    parser.add_argument("--seed", type=int, default=None, help="of the first material and scene")
    given = parser.parse_args()
    first = secrets.randbelow(1 << 32) if given.seed is None else given.seed
    print(f"seed {first}", flush=True)
    materials, are_sound = furnace(given.materials, first)
    beside, are_alike = scenes(given.scenes, first)
    checks = tested()
    PAGE.write_text(page(checks, [*materials, *beside]), "utf-8")
    print(f"{PAGE.relative_to(ROOT)} is written")
    return 0 if are_sound and are_alike and all(check.is_passed for check in checks) else 1


if __name__ == "__main__":
    sys.exit(main())
