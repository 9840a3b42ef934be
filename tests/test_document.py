"""The project's values and its history."""

from pathlib import Path

import MaterialX
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from mat_shelf.document.camera import Camera
from mat_shelf.document.history import History
from mat_shelf.document.light import Light
from mat_shelf.document.material import Material
from mat_shelf.document.parameter import explain
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.document.shot import Shot

DIGEST = "0" * 64


def small_project(**changes) -> Project:
    fields = {
        "name": "Small",
        "product": Product(name="P", parts=(Part(id="a", name="A", mesh=DIGEST, material="m"),)),
        "materials": (Material(id="m", name="M"),),
        "sets": (Set(id="s", name="S"),),
        "current_set": "s",
    }
    return Project(**(fields | changes))


def _standard_inputs():
    """OpenPBR Surface 1.1 and its inputs, by name, from the file that the MaterialX package carries."""
    definition = MaterialX.createDocument()
    library = Path(MaterialX.__file__).parent / "libraries" / "bxdf" / "open_pbr_surface.mtlx"
    MaterialX.readFromXmlFile(definition, str(library))
    inputs = definition.getNodeDef("ND_open_pbr_surface_surfaceshader").getInputs()
    return definition, {entry.getName(): entry for entry in inputs if entry.getValueString()}


def test_openpbr_names_defaults_and_ranges():
    """Against the definition in the MaterialX library. Only a mean cosine of exactly 1 or -1 is narrowed, for which
    there is no scattering."""
    recipe, (_document, inputs) = Recipe(), _standard_inputs()  # the inputs live as long as it does
    assert len(inputs) > 35
    for name, entry in inputs.items():
        ours, default = getattr(recipe, name), entry.getValue()
        if entry.getType() == "color3":
            assert ours == pytest.approx(tuple(default)), name
            continue
        assert ours == pytest.approx(default), name
        if entry.getType() != "float":
            continue
        low, high = Recipe.limits(name)
        if entry.getAttribute("uimax") and not name.endswith("scatter_anisotropy"):
            assert (low, high) == (float(entry.getAttribute("uimin")), float(entry.getAttribute("uimax"))), name
        if entry.getAttribute("uisoftmax"):
            assert high >= float(entry.getAttribute("uisoftmax")), name
        assert low >= float(entry.getAttribute("uimin")), name


@pytest.mark.parametrize(
    "wrong",
    [
        {"specular_roughness": 1.2},
        {"specular_roughness": float("nan")},
        {"specular_ior": float("inf")},
        {"base_color": (0.5, -0.1, 0.5)},
        {"base_color": (0.5, 0.5)},
        {"gloss": 1.0},
    ],
)
def test_impossible_values_are_refused(wrong):
    with pytest.raises(ValidationError) as fault:
        Recipe(**wrong)
    assert next(iter(wrong)) in explain(fault.value)


def test_dangling_references_are_refused_by_name():
    with pytest.raises(ValidationError, match="part 'A' refers to material 'm', which is not there"):
        small_project(materials=())
    with pytest.raises(ValidationError, match="current set 'other' is not there"):
        small_project(current_set="other")
    with pytest.raises(ValidationError, match="two materials share the id 'm'"):
        small_project(materials=(Material(id="m", name="M"), Material(id="m", name="N")))
    with pytest.raises(ValidationError, match="stands on the point it looks at"):
        Camera(position=(1, 2, 3), target=(1, 2, 3))


def test_an_edit_shares_what_it_does_not_touch():
    before = small_project()
    after = before.with_material(before.material("m").with_(name="Other"))
    assert after.product is before.product and after.sets is before.sets
    assert before.material("m").name == "M" and after.material("m").name == "Other"


edits = st.lists(
    st.one_of(
        st.tuples(st.just("edit"), st.floats(0, 1, width=32), st.sampled_from([None, "drag"])),
        st.tuples(st.sampled_from(["undo", "redo", "release"])),
    ),
    max_size=40,
)


@given(edits)
def test_history_equals_a_list_with_a_cursor(actions):
    """Undo and redo are exact whatever comes before; a drag is one step."""
    project = small_project()
    history, states, at, dragging = History(project), [project], 0, False
    for action in actions:
        if action[0] == "edit":
            project = history.present.with_(name=f"n{action[1]}")
            history.edit("Edit", project, action[2])
            if project != states[at]:
                keep = at if dragging and action[2] else at + 1
                states, at = [*states[:keep], project], keep
                dragging = action[2] is not None
        elif action[0] == "release":
            history.end_gesture()
            dragging = False
        else:
            getattr(history, action[0])()
            at = max(at - 1, 0) if action[0] == "undo" else min(at + 1, len(states) - 1)
            dragging = False
        assert history.present == states[at]
        assert (history.undo_label is not None) == (at > 0)


CAMERA_FIELDS = tuple(
    name for name in Camera.model_fields if name not in ("position", "target", "focal_length", "f_stop", "focus")
)
LIGHT_FIELDS = tuple(
    name
    for name in Light.model_fields
    if name not in ("name", "is_on", "position", "target", "width", "height", "luminance", "temperature", "roll")
)
NEW_FIELDS = {
    3: {"recipe": ("emission_luminance", "emission_color"), "material": ("parent", "own"), "set": ("room", "turn")},
    4: {"part": ("pose", "zones", "is_hidden", "group")},
    5: {"recipe": ("patterns", "feeds", "relief")},
    6: {"recipe": ("overlays", "age")},
    7: {"recipe": ("thin_film_weight", "thin_film_thickness", "thin_film_ior", "geometry_thin_walled")},
    8: {"recipe": ("contact",)},
    9: {"part": ("priority",)},
    10: {"project": ("references", "current_reference", "colors"), "material": ("color_links",)},
    11: {"part": ("edge_radius", "rounded_edges", "smoothing", "hard_angle", "cad_faces", "hard_regions")},
    12: {
        "set": ("sky", "room_tilt", "room_blur", "room_most", "keeps_apart", "plate", "props"),
        "light": LIGHT_FIELDS,
        "backdrop": ("form", "material", "roughness"),
        "camera": CAMERA_FIELDS,
    },
    13: {"part": ("fill", "beads", "bubbles")},
    14: {"project": ("hand_over",), "part": ("foam",)},
    19: {"set": ("part_lights",), "shot": ("packing", "has_parts")},
    20: {
        "view": ("hides",),
        "hand_over": ("proof",),
        "finish": ("healed",),
        "mark": ("clip",),
        "shot": ("turn", "crop"),
    },
    16: {"shot": ("noise",), "adjustment": ("curve",)},
    22: {"part": ("stream", "hollowing")},
}
"""The fields that came with each schema, which older projects are without."""


@pytest.mark.parametrize("schema", range(1, 22))
def test_projects_of_every_older_schema_open(schema):
    """What they hold is kept, and what is new is as it was before it could be chosen."""
    from mat_shelf.document.migration import migrated

    materials = (
        Material(id="m", name="Brass", recipe=Recipe(base_metalness=1.0, specular_roughness=0.21)),
        Material(id="ink", name="Ink", recipe=Recipe(transmission_weight=1.0, nesting_priority=3, contact="wet")),
    )
    curve = "exact" if schema >= 9 else "neutral"
    lit = small_project().set.with_(lights=(Light(position=(0, 300, 200), width=90.0, roll=12.0),), tone_curve=curve)
    project = small_project(materials=materials).with_set(lit)
    project = project.with_shots([Shot(id="s", name="S", view=project.current_view, set=project.current_set)])
    old = project.model_dump(mode="json") | {"schema_version": schema}
    whole = {"material": old["materials"], "recipe": [m["recipe"] for m in old["materials"]], "set": old["sets"]}
    whole["part"], whole["project"] = old["product"]["parts"], [old]
    whole["light"] = [light for fields in old["sets"] for light in fields["lights"]]
    whole["camera"] = [view["camera"] for view in old["views"]]
    whole["view"], whole["hand_over"] = old["views"], [old["hand_over"]]
    whole["finish"], whole["mark"] = [old["hand_over"]["finish"]], old["marks"]
    whole["backdrop"] = [fields["backdrop"] for fields in old["sets"]]
    whole["shot"], whole["adjustment"] = old["hand_over"]["shots"], [old["hand_over"]["finish"]["whole"]]
    for new in range(schema + 1, SCHEMA + 1):
        for kind, names in NEW_FIELDS.get(new, {}).items():
            for fields in whole[kind]:
                for name in names:
                    del fields[name]
    for fields in old["sets"] if schema < 18 else ():
        exact = fields.pop("tone_curve") == "exact"
        if schema >= 9:
            fields["exact_colors"] = exact
    if schema < 12:
        for fields in old["sets"]:
            fields["softboxes"] = fields.pop("lights")
    if schema == 1:
        camera = old["views"][0]["camera"]
        del old["views"], old["current_view"], camera["focus"]
        old["sets"] = [fields | {"camera": camera | {"focal_length": 70.0}} for fields in old["sets"]]
    image = {"name": "photo.png", "digest": "a" * 64, "kind": "png"}
    if schema < 10:
        old["reference"] = image
    opened = Project.model_validate(migrated(old))
    assert opened.schema_version == SCHEMA and opened.materials == materials
    assert schema < 14 or opened.hand_over == project.hand_over
    if schema < 10:
        assert opened.reference.name == "photo.png" and opened.reference.image.model_dump() == image
    assert opened.product == project.product and opened.sets == project.sets
    assert opened.view.camera.focal_length == (70.0 if schema == 1 else project.view.camera.focal_length)


def test_projects_of_schema_7_keep_how_they_touch_and_glow():
    """Liquids wet; a coloured glow gives off what it did; a variant that decides either for itself owns it."""
    from mat_shelf.document.migration import migrated, migrated_swatch

    clear = {"transmission_weight": 1.0, "nesting_priority": 3}
    red = {"emission_luminance": 1000.0, "emission_color": [1.0, 0.0, 0.0]}
    white = {"emission_luminance": 1000.0, "emission_color": [1.0, 1.0, 1.0]}

    def whole(**fields):
        recipe = Recipe().model_dump(mode="json") | fields
        recipe.pop("contact")
        return recipe

    old = {
        "schema_version": 7,
        "name": "Old",
        "product": {"name": "Old"},
        "sets": [{"id": "s", "name": "S"}],
        "current_set": "s",
        "materials": [
            {"id": "ink", "name": "Ink", "recipe": whole(**clear)},
            {"id": "glass", "name": "Glass", "recipe": whole(transmission_weight=1.0)},
            {"id": "lamp", "name": "Lamp", "recipe": whole(**white)},
            {"id": "red", "name": "Red", "recipe": whole(**red), "parent": "lamp", "own": ["emission_color"]},
            {
                "id": "solid",
                "name": "Solid",
                "recipe": whole(**clear | {"nesting_priority": 7}),
                "parent": "ink",
                "own": ["nesting_priority"],
            },
        ],
    }
    project = Project.model_validate(migrated(old))
    found = {material.id: material for material in project.materials}
    assert [found[name].recipe.contact for name in ("ink", "glass", "solid")] == ["wet", "dry", "dry"]
    assert found["lamp"].recipe.emission_luminance == pytest.approx(1000)
    assert found["red"].recipe.emission_luminance == pytest.approx(212.6, abs=0.1)  # CIE Y of Rec.709's red
    assert found["red"].owns("emission_luminance") and found["solid"].owns("contact")
    swatch = migrated_swatch({"schema_version": 5, "id": "x", "name": "X", "recipe": whole(**clear)})
    assert swatch["recipe"]["contact"] == "wet" and swatch["schema_version"] == 8
    for damaged in ({"materials": [7, None, {"recipe": []}]}, {"materials": "x"}, {"sets": 3}):
        migrated(old | damaged)  # whoever validates it says what is wrong
