"""Variants keep their differences and follow in all else, in a project and on the library."""

import sqlite3

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.document.swatch import Swatch, tags_from
from mat_shelf.library.library import Library, LibraryError


def family() -> Project:
    """A plastic, its variant, and a variant of that; the last is worn."""
    project = Project(
        name="p",
        product=Product(name="p", parts=(Part(id="cap", name="Cap", mesh="0" * 64, material="plastic"),)),
        materials=(Material(id="plastic", name="Plastic"),),
        sets=(Set(id="s", name="s"),),
        current_set="s",
    )
    project = project.with_variant("plastic", "dark", "Dark").with_variant("dark", "shiny", "Shiny")
    dark, shiny = project.material("dark"), project.material("shiny")
    project = project.with_material(dark.tuned(dark.recipe.with_(base_color=(0.1, 0.1, 0.1))))
    shiny = project.material("shiny")
    assert shiny.recipe.base_color == (0.1, 0.1, 0.1)  # it came down from Dark
    project = project.with_material(shiny.tuned(shiny.recipe.with_(specular_roughness=0.05)))
    return project.with_part(project.part("cap").with_(material="shiny"))


def test_a_change_of_the_parent_reaches_all_but_what_a_variant_owns():
    project = family()
    plastic = project.material("plastic")
    changed = plastic.recipe.with_(specular_roughness=0.6, base_color=(0.5, 0, 0), specular_ior=1.46)
    project = project.with_material(plastic.tuned(changed))
    dark, shiny = project.material("dark").recipe, project.material("shiny").recipe
    assert (dark.base_color, dark.specular_roughness, dark.specular_ior) == ((0.1, 0.1, 0.1), 0.6, 1.46)
    assert (shiny.base_color, shiny.specular_roughness, shiny.specular_ior) == ((0.1, 0.1, 0.1), 0.05, 1.46)
    given_back = project.material("dark").given_back("base_color", project.material("plastic").recipe)
    project = project.with_material(given_back)
    assert project.material("shiny").recipe.base_color == (0.5, 0, 0) and project.material("dark").own == ()


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["plastic", "dark", "shiny"]),
            st.sampled_from(["specular_roughness", "base_weight", "base_metalness"]),
            st.floats(0, 1),
        ),
        max_size=12,
    )
)
@settings(max_examples=60, deadline=None)
def test_any_edits_leave_a_family_that_can_be_read_back(edits):
    project = family()
    for key, name, value in edits:
        material = project.material(key)
        project = project.with_material(material.tuned(material.recipe.with_(**{name: value})))
    assert Project.model_validate_json(project.model_dump_json()) == project  # the validator checks who follows whom


def test_families_that_cannot_be_are_refused():
    project = family()
    dark = project.material("dark")
    with pytest.raises(ValidationError, match="'Dark' is a variant of 'gone', which is not there"):
        project.with_(materials=(dark.with_(parent="gone"), *project.materials[2:]))
    circle = dark.with_(parent="shiny")
    with pytest.raises(ValidationError, match="variants of each other"):
        project.with_(materials=(project.materials[0], circle, project.materials[2]))
    stray = dark.with_(recipe=dark.recipe.with_(specular_ior=2.0))
    with pytest.raises(ValidationError, match="'Dark' differs from its parent in more than it owns"):
        project.with_(materials=(project.materials[0], stray, project.materials[2]))
    with pytest.raises(ValidationError, match="no parameter 'gleam'"):
        dark.with_(own=("gleam",))


def test_unused_materials_are_those_nothing_needs():
    project = family().with_material(Material(id="spare", name="Spare")).with_variant("spare", "spare-2", "Spare 2")
    assert {m.id for m in project.unused_materials()} == {"spare", "spare-2"}  # parents of a worn one stay
    assert [m.id for m in project.without(project.unused_materials()).materials] == ["plastic", "dark", "shiny"]


@pytest.fixture
def library(tmp_path):
    return Library(tmp_path / "shelf")


def test_swatches_follow_in_the_library_and_keep_their_look_without_their_parent(library):
    plum, wax = library.swatch("wax-plum"), library.swatch("sealing-wax")
    assert plum.parent == "sealing-wax" and plum.own == ("base_color", "subsurface_color")
    library.add(wax.tuned(wax.recipe.with_(specular_roughness=0.77, base_color=(0.2, 0.2, 0.2))))
    assert library.swatch("wax-plum").recipe == plum.recipe.with_(specular_roughness=0.77)
    names = {entry.id: entry.parent for entry in library.entries()}
    assert names["wax-plum"] == wax.name

    library.remove("sealing-wax")
    again = Library(library.folder)
    assert again.swatch("sealing-wax") is None and again.swatch("wax-plum").recipe.specular_roughness == 0.77
    assert {entry.id: entry.parent for entry in again.entries()}["wax-plum"] is None
    again.rebuild()
    assert again.swatch("wax-plum").recipe.specular_roughness == 0.77
    again.put_back("sealing-wax")
    assert again.swatch("sealing-wax").recipe.specular_roughness == 0.77
    with pytest.raises(LibraryError, match="could not be restored"):
        again.put_back("never-there")


def test_swatches_that_vary_each_other_stay_as_they_are(library):
    for key, other in (("a", "b"), ("b", "a")):
        library.add(Swatch(id=key, name=key, parent=other, recipe=Recipe(specular_roughness=0.9)))
    assert library.swatch("a").recipe.specular_roughness == library.swatch("b").recipe.specular_roughness == 0.9


def test_tags_are_found_by_search(library):
    wax = library.swatch("sealing-wax")
    library.add(wax.with_(tags=tags_from(" spring range, shiny,, shiny ")))
    assert library.search("spring") == ["sealing-wax"] and library.swatch("sealing-wax").tags == (
        "spring range",
        "shiny",
    )


def test_an_index_that_another_program_holds_says_so(library, monkeypatch):
    real = sqlite3.connect
    monkeypatch.setattr(sqlite3, "connect", lambda path, timeout: real(path, timeout=0.05))
    holder = real(library.folder / "index.sqlite")
    holder.execute("BEGIN EXCLUSIVE")
    with pytest.raises(LibraryError, match="another program holds the library's index"):
        library.entries()
    with pytest.raises(LibraryError, match="another program holds"):
        library.add(library_swatch())
    holder.rollback()
    holder.close()
    assert library.entries()


def library_swatch() -> Swatch:
    return Swatch(id="mine", name="Mine")
