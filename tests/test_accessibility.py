"""What assistive technology is told of each main view, over the bus that screen readers use."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from accessible_window import ROUGHNESS, STATIONS, flat

PROGRAM = Path(__file__).parent / "accessible_window.py"
pytestmark = pytest.mark.on_screen


@pytest.fixture(scope="module")
def found() -> dict:
    """Trees by station, and what the window said when its slider was set."""
    if shutil.which("dbus-run-session") is None:
        pytest.fail("dbus-run-session is missing: install the packages that scripts/system_packages.sh names")
    done = subprocess.run(
        ["dbus-run-session", "--", sys.executable, str(PROGRAM)], capture_output=True, text=True, timeout=240
    )
    assert done.returncode == 0, done.stderr[-3000:]
    return json.loads(done.stdout.splitlines()[-1])


@pytest.mark.parametrize("station", STATIONS)
def test_all_that_takes_the_focus_has_a_name_and_a_role(found, station):
    nodes = list(flat(found["trees"][station]))
    showing = [node for node in nodes if node["showing"] and node["focusable"]]
    assert len(showing) > 20
    nameless = [node["role"] for node in showing if not node["name"].strip()]
    assert nameless == []
    names = {node["name"] for node in nodes if node["showing"]}
    assert {"Picture", "Close-up", "Reference", "Search the library", station} <= names
    menus = {node["name"] for node in nodes if node["role"] == "menu item"}
    assert {"File", "Edit", "Part", "Material", "View", "Window", "Help"} <= menus


def test_a_slider_says_its_value_and_can_be_set(found):
    nodes = flat(found["trees"]["Materials"])
    sliders = {node["name"]: node for node in nodes if node["role"] == "slider" and node["showing"]}
    assert f"{ROUGHNESS}, 0.31" in sliders and "Metalness, 0.00" in sliders
    assert sliders[f"{ROUGHNESS}, 0.31"]["value"] == pytest.approx(0.31 * 1000)
    assert found["said"] == "roughness 0.5"
