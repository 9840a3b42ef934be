"""The library survives damage of its index and of its folder, and what does not fit together."""

import os
import sqlite3
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from mat_shelf.document.ids import new_id
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.swatch_file import open_swatch, save_swatch
from mat_shelf.library.index import SwatchIndex
from mat_shelf.library.library import Library, LibraryError
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.patterns.ready import READY


def pattern(pattern_id: str, *steps) -> Pattern:
    return Pattern(id=pattern_id, name=pattern_id, steps=steps or READY[0].pattern.steps)


def family() -> tuple[Swatch, Swatch]:
    """A swatch with a pattern, and a variant of it that threw the pattern out."""
    parent = Swatch(id="parent", name="Parent", recipe=Recipe(patterns=(pattern("p"), pattern("q"))))
    variant = Swatch(id="variant", name="Variant", recipe=parent.recipe, parent="parent")
    return parent, variant.tuned(variant.recipe.without_pattern("p"))


def test_a_variant_gets_a_pattern_back_that_its_parent_now_needs(tmp_path):
    library = Library(tmp_path / "shelf")
    parent, variant = family()
    library.add(parent)
    library.add(variant)
    assert [p.id for p in library.swatch("variant").recipe.patterns] == ["q"]
    feed = Feed(input="specular_roughness", pattern="p", low=0.1, high=0.3)
    library.add(parent.with_(recipe=parent.recipe.with_feed(feed)))
    follows = library.swatch("variant").recipe
    assert follows.feed("specular_roughness") == feed and {p.id for p in follows.patterns} == {"p", "q"}
    assert Library(tmp_path / "shelf").problems == []
    # The same in a project.
    materials = [Material(id=s.id, name=s.name, recipe=s.recipe, parent=s.parent, own=s.own) for s in family()]
    project = Project(
        name="P", product={"name": "P"}, materials=materials, sets=({"id": "s", "name": "S"},), current_set="s"
    )
    changed = project.with_material(materials[0].with_(recipe=materials[0].recipe.with_feed(feed)))
    assert changed.material("variant").recipe.feed("specular_roughness") == feed


def test_a_swatch_that_its_variant_cannot_follow_is_refused_before_it_is_written(tmp_path):
    """The variant's own pattern uses one of the parent's, which then comes to use the variant's: a circle."""
    from mat_shelf.patterns.steps import Combine

    field = Combine.pattern_fields()[0]
    library = Library(tmp_path / "shelf")
    parent = Swatch(id="parent", name="Parent", recipe=Recipe(patterns=(pattern("a"), pattern("b"))))
    variant = Swatch(id="variant", name="Variant", recipe=parent.recipe, parent="parent")
    uses_b = pattern("a").with_(steps=(*pattern("a").steps, Combine(**{field: "b"})))
    library.add(parent)
    library.add(variant.tuned(variant.recipe.with_pattern(uses_b)))
    uses_a = pattern("b").with_(steps=(*pattern("b").steps, Combine(**{field: "a"})))
    before = (tmp_path / "shelf" / "parent.swatch").read_bytes()
    with pytest.raises(LibraryError, match="its variant 'Variant' could not follow it"):
        library.add(parent.with_(recipe=parent.recipe.with_pattern(uses_a)))
    assert (tmp_path / "shelf" / "parent.swatch").read_bytes() == before
    # Should such a folder come from elsewhere, it opens all the same and says so.
    save_swatch(tmp_path / "shelf" / "parent.swatch", parent.with_(recipe=parent.recipe.with_pattern(uses_a)))
    again = Library(tmp_path / "shelf")
    assert len(again.problems) == 1 and "'Variant' cannot follow" in again.problems[0]
    assert len(again.entries()) == len(SHIPPED) + 2


def test_an_index_damaged_anywhere_is_made_anew(tmp_path):
    folder = tmp_path / "shelf"
    entries = Library(folder).entries()
    index = folder / "index.sqlite"
    whole, rng = index.read_bytes(), np.random.default_rng(5)
    for number in range(20):
        data = bytearray(whole)
        for _ in range(1 + number % 7):
            first = int(rng.integers(0, len(data)))
            length = int(rng.integers(1, 400))
            data[first : first + length] = rng.bytes(len(data[first : first + length]))
        index.write_bytes(data if number % 5 else data[: int(rng.integers(0, len(data)))])
        library = Library(folder)
        found = library.entries()
        assert [entry.id for entry in found] and len(found) == len(entries)
        library.search("brass")
        for entry in found[::9]:
            assert library.swatch(entry.id).id == entry.id


def test_an_index_damaged_while_it_is_open_is_made_anew(tmp_path):
    library = Library(tmp_path / "shelf")
    (tmp_path / "shelf" / "index.sqlite").write_bytes(b"no index" * 1000)
    assert len(library.entries()) == len(SHIPPED)
    with sqlite3.connect(tmp_path / "shelf" / "index.sqlite") as index:
        index.execute("UPDATE swatches SET json = '{torn'")
    assert library.swatch("polished-brass").name == SHIPPED_NAME


SHIPPED_NAME = next(swatch.name for swatch in SHIPPED if swatch.id == "polished-brass")


def test_what_else_lies_in_the_folder_is_passed_over(tmp_path):
    folder = tmp_path / "shelf"
    Library(folder)
    (folder / "gone.swatch").symlink_to(tmp_path / "nowhere")
    (folder / ".half.swatch.tmp1234.swatch").write_bytes(b"PK half")
    (folder / "shipped.txt").write_bytes("Brücke".encode("latin-1"))
    os.mkfifo(folder / "pipe.swatch")
    (folder / "folder.swatch").mkdir()
    library = Library(folder)
    assert len(library.entries()) == len(SHIPPED)
    assert sorted(problem.split()[0] for problem in library.problems) == ["folder.swatch", "gone.swatch", "pipe.swatch"]


def test_a_folder_that_cannot_be_written_is_read(tmp_path):
    folder = tmp_path / "shelf"
    library = Library(folder)
    library.add(Swatch(id="mine", name="Mine", recipe=Recipe(base_color=(0.1, 0.2, 0.3))))
    for path in (Path("/proc/shelf"), tmp_path / "file" / "shelf"):
        (tmp_path / "file").write_text("in the way")
        blocked = Library(path)
        assert not blocked.is_writable and len(blocked.entries()) == len(SHIPPED)
        assert "cannot be written, so nothing is saved in it" in blocked.problems[0]
        assert blocked.search("brass") and blocked.swatch("polished-brass") is not None
        with pytest.raises(LibraryError, match="nothing was saved"):
            blocked.add(Swatch(id=new_id("swatch"), name="New"))
        with pytest.raises(LibraryError, match="nothing was saved"):
            blocked.remove("polished-brass")


@pytest.mark.long
@pytest.mark.skipif(os.getuid() != 0, reason="needs another user")
def test_another_users_folder_is_read_and_nothing_is_written(tmp_path):
    """As a user who may read the folder and no more; root itself may do anything."""
    folder = tmp_path / "shelf"
    library = Library(folder)
    library.add(Swatch(id="mine", name="Mine"))
    (folder / "index.sqlite").unlink()
    before = sorted(path.name for path in folder.iterdir())
    for path in (tmp_path, *tmp_path.parents):
        os.chmod(path, os.stat(path).st_mode | 0o555)
    code = (
        "import os, sys; from mat_shelf.library.library import Library; from pathlib import Path;"
        "Library(Path(sys.argv[1] + '-other'));"  # whatever is loaded late is loaded now, as the user who may
        "os.setuid(65534);"
        "library = Library(Path(sys.argv[1]));"
        "print(library.is_writable, len(library.entries()), library.swatch('mine').name)"
    )
    said = subprocess.run([sys.executable, "-c", code, str(folder)], capture_output=True, text=True, check=True).stdout
    assert said.split() == ["False", str(len(SHIPPED) + 1), "Mine"]
    assert sorted(path.name for path in folder.iterdir()) == before


def test_a_full_disk_is_told_and_nothing_is_half_kept(tmp_path, monkeypatch):
    from mat_shelf.system import file_writer

    library = Library(tmp_path / "shelf")
    mine = Swatch(id="mine", name="Mine", recipe=Recipe(base_color=(0.1, 0.2, 0.3)))
    library.add(mine)

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(file_writer, "_written_beside", full)
    with pytest.raises(LibraryError, match="could not be saved.*disk is full"):
        library.add(mine.with_(name="Other"))
    monkeypatch.undo()
    assert library.swatch("mine") == mine and open_swatch(tmp_path / "shelf" / "mine.swatch") == mine
    # A disk that has room for the package and none for the index.
    monkeypatch.setattr(
        SwatchIndex, "_opened", lambda self: (_ for _ in ()).throw(sqlite3.OperationalError("disk is full"))
    )
    with pytest.raises(LibraryError, match="full"):
        library.add(mine.with_(name="Third"))
    monkeypatch.undo()
    assert open_swatch(tmp_path / "shelf" / "mine.swatch") == mine  # nor does it come back by itself
