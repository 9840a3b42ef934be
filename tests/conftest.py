"""Tests never touch the user's shelf; the cache of compiled kernels is shared with the program."""

import os
import tempfile

_HOME = tempfile.mkdtemp(prefix="mat-shelf-tests-")
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
    os.environ[_name] = os.path.join(_HOME, _name.lower())
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest  # noqa: E402

from mat_shelf.demo.desk_set import demo_project  # noqa: E402


@pytest.fixture(scope="session")
def demo():
    """The demo project and its meshes; both are immutable or only grow."""
    return demo_project()
