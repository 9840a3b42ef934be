"""Set-up compiles the renderer while what it does not need is installed."""

import re
import subprocess
import sys
from importlib.metadata import PackageNotFoundError, distribution
from pathlib import Path

import pytest

pytestmark = pytest.mark.plain

MAKEFILE = Path(__file__).parents[1] / "Makefile"
IMPORT_WITH = """
import sys, sysconfig
from importlib.machinery import PathFinder

class Installed:
    def find_spec(self, name, path=None, target=None):
        spec = PathFinder.find_spec(name, path)
        if spec and path is None and name not in ours and "site-packages" in str(spec.origin):
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)

ours = set(sys.argv[1:]) | {"mat_shelf"}
sys.meta_path.insert(0, Installed())
import mat_shelf.rendering.warmup
"""


def test_what_is_installed_first_suffices_to_compile():
    first = re.search(r"^\$\(VENV\)/core:.*?\$\(PIP\) ([^\n]*)", MAKEFILE.read_text(), re.M | re.S)[1].split()
    assert "numba" in first
    done = subprocess.run(
        [sys.executable, "-c", IMPORT_WITH, *_modules(_with_their_needs(first))], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr


def _with_their_needs(names) -> set[str]:
    """Distributions that pip installs with these; needs of extras that nobody asked for are left out."""
    found, left = set(), list(names)
    while left:
        name = left.pop()
        if name in found:
            continue
        try:
            needs = distribution(name).requires or ()
        except PackageNotFoundError:  # of another system or version of Python
            continue
        found.add(name)
        left += [re.match(r"[\w.-]+", need)[0] for need in needs if "extra ==" not in need]
    return found


def _modules(distributions) -> set[str]:
    files = (file for name in distributions for file in distribution(name).files or ())
    return {file.parts[0].split(".")[0] for file in files}
