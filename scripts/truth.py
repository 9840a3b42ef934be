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
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parent
ROOT = HERE.parent
PAGE = ROOT / "docs" / "truth.md"
sys.path.insert(0, str(HERE))

import truth_furnace  # noqa: E402
import truth_scenes  # noqa: E402

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


def page(checks: list[Check], materials: str, scenes: str) -> str:
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
        materials,
        scenes,
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
    materials, are_sound = truth_furnace.run(given.materials, first)
    scenes, are_alike = truth_scenes.run(given.scenes, first)
    checks = tested()
    PAGE.write_text(page(checks, materials, scenes), "utf-8")
    print(f"{PAGE.relative_to(ROOT)} is written")
    return 0 if are_sound and are_alike and all(check.is_passed for check in checks) else 1


if __name__ == "__main__":
    sys.exit(main())
