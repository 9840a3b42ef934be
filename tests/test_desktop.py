"""Files for the desktop, by the validators of freedesktop.org."""

import subprocess
from pathlib import Path

import pytest

DATA = Path(__file__).parents[1] / "data"


@pytest.mark.parametrize(
    "command",
    [
        ("desktop-file-validate", "mat-shelf.desktop"),
        ("appstreamcli", "validate", "--no-net", "mat-shelf.metainfo.xml"),
    ],
)
def test_desktop_files_are_valid(command):
    done = subprocess.run(command, cwd=DATA, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
