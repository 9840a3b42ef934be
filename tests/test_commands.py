"""The program without its window: the documented script, sessions, and the commands."""

import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import mat_shelf
from mat_shelf.commands.patterns import PatternCommands
from mat_shelf.commands.product import ProductCommands
from mat_shelf.commands.session import Session
from mat_shelf.exchange.project_file import read_project
from mat_shelf.library.library import Library
from mat_shelf.patterns.sources import Noise

PAGE = Path(__file__).parents[1] / "docs" / "scripting.md"


def test_no_part_of_a_session_hides_what_another_has():
    owners: dict[str, str] = {}
    for part in Session.__mro__[:-1]:
        for name in vars(part):
            if not name.startswith("__"):
                assert name not in owners, f"{name} of {part.__name__} is hidden by that of {owners[name]}"
                owners[name] = part.__name__


@pytest.mark.long
def test_the_documented_script_runs(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    names = {}
    exec(re.search(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL).group(1), names)
    session = names["session"]
    brass = session.project.material("polished-brass").recipe
    assert brass.specular_roughness == 0.3 and brass.base_color == (0.80, 0.62, 0.30)
    variant = session.selected_material
    assert variant.parent == "polished-brass" and variant.recipe.specular_roughness == 0.3  # undone
    saved, _ = read_project(tmp_path / "desk.matshelf")
    assert saved == session.project and saved.current_set == "tent"
    with Image.open(tmp_path / "desk.png") as picture:
        assert picture.size == (320, 214) and np.asarray(picture).std() > 10


def test_what_is_not_used_is_not_loaded():
    code = "import mat_shelf, sys; print([m for m in ('numba', 'numpy', 'PyQt6', 'pydantic') if m in sys.modules])"
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert said.strip() == "[]"
    with pytest.raises(AttributeError, match="nothing_like_it"):
        getattr(mat_shelf, "nothing_like_it")  # noqa: B009


@pytest.fixture
def session(small_project, tmp_path):
    return Session(*small_project, Library(tmp_path / "library"))


def test_commands_tell_of_changes_and_are_refused_in_words(session):
    changes, words = [], []
    session.project_changed.connect(lambda: changes.append(session.project))
    session.said.connect(words.append)
    before = session.project
    session.tune("red", specular_roughness=0.75)
    assert changes == [session.project] and session.history.undo_label == "Edit Red"
    assert session.tune("red", specular_roughness=7.0) is None
    assert session.project is changes[-1] and "Nothing was changed" in words[-1]
    with pytest.raises(KeyError):
        session.tune("red", shininess=1.0)
    session.undo()
    assert session.project == before


def test_parts_and_faces_without_a_window(session):
    """A lift by millimetres, and a zone of the side that a click on a face selects."""
    work = ProductCommands(session)
    (block,) = session.project.product.parts
    low = work.bounds()[0, 1]
    work.shift([block], (0, 12.5, 0))
    assert work.bounds()[0, 1] - low == pytest.approx(12.5, abs=1e-4)
    mesh = session.assets.meshes[block.mesh]
    corners = mesh.vertices[mesh.triangles]
    face = int(corners[..., 1].mean(axis=1).argmax())
    work.way, work.degrees = "alike", 5.0
    work.pick("block", face)
    chosen = work.chosen[1]
    assert chosen[face] and 0 < chosen.sum() < len(chosen)
    assert corners[chosen][..., 1].min() > corners[..., 1].max() - 1e-3
    work.make_zone()
    assert len(session.project.product.parts[0].zones) == 1 and session.selected_zone is not None


def test_a_pattern_is_brought_from_another_material(session):
    work = PatternCommands(session)
    session.select("block")
    made = work.begin((Noise(),), "Clouds", Noise.usual)
    session.wear("block", "copper")
    brought = work.copy_from("red", "", made)
    assert brought is not None and work.recipe.pattern(brought).name == "Clouds"
    assert work.copy_from("red", "", "never-there") is None
