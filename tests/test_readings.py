"""Readings against standards and handbooks."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mat_shelf.cli import main
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.project_file import save_project
from mat_shelf.optics.measurements import GLOSS_STANDARD, measure


def test_black_glass_reads_a_hundred_gloss_units():
    """ISO 2813: polished black glass of n = 1.567 reads 100 at 20, 60 and 85 degrees; at 60 its reflectance is 0.1001
    (the standard's own figure, from memory), and glass of n = 1.5 reads less at 20 than at 60 and 85."""
    black = Recipe(base_color=(0, 0, 0), specular_ior=GLOSS_STANDARD, specular_roughness=0.0)
    assert list(measure(black).gloss.values()) == pytest.approx([100, 100, 100], abs=0.5)
    assert measure(black).albedo[60] == pytest.approx([0.1001] * 3, abs=0.001)
    weaker = measure(black.with_(specular_ior=1.5)).gloss
    assert 70 < weaker[20] < weaker[60] < weaker[85] < 100


@pytest.mark.long
def test_gloss_falls_with_roughness():
    """Common practice: matt surfaces read below 10 GU at 60 degrees, and each step duller reads less."""

    def gloss(roughness):
        return measure(Recipe(base_color=(0, 0, 0), specular_roughness=roughness)).gloss

    steps = [gloss(r)[60] for r in (0.0, 0.15, 0.3, 0.45, 0.7)]
    assert all(a > b for a, b in zip(steps, steps[1:], strict=False)) and steps[-1] < 10


def test_colour_and_reflectance_straight_on():
    """A matt grey of 18.4 percent is L* 50 (CIE 15); F0 of water and diamond as in Born and Wolf 1.5.2."""
    grey = measure(Recipe(base_color=(0.184,) * 3, specular_weight=0.0))
    assert grey.lab == pytest.approx([50, 0, 0], abs=0.3)
    assert measure(Recipe(specular_ior=1.333)).f0 == pytest.approx([0.0204] * 3, abs=2e-4)
    assert measure(Recipe(specular_ior=2.417)).f0 == pytest.approx([0.172] * 3, abs=5e-4)


def test_the_way_through_a_clear_body():
    """Beer-Lambert: the tint at its depth, its root at half of that; glass passes 0.96 straight on."""
    glass = Recipe(
        transmission_weight=1.0, specular_roughness=0.0, transmission_color=(0.25, 0.5, 0.81), transmission_depth=2.0
    )
    measurements = measure(glass)
    assert measurements.through[1] == pytest.approx([0.5, 0.5**0.5, 0.9], rel=1e-5)
    assert measurements.transmitted[0] == pytest.approx([0.96] * 3, abs=0.003)
    assert measurements.most == pytest.approx(1.0, abs=0.01)


_UNIT = st.floats(0, 1)
_COLOR = st.tuples(_UNIT, _UNIT, _UNIT)


@given(
    st.builds(
        Recipe,
        base_color=_COLOR,
        base_diffuse_roughness=_UNIT,
        base_metalness=_UNIT,
        specular_weight=_UNIT,
        specular_color=_COLOR,
        specular_roughness=_UNIT,
        specular_roughness_anisotropy=_UNIT,
        specular_ior=st.floats(1.0, 3.0),
        transmission_weight=_UNIT,
        subsurface_weight=_UNIT,
        subsurface_color=_COLOR,
        coat_weight=_UNIT,
        coat_color=_COLOR,
        coat_roughness=_UNIT,
        coat_ior=st.floats(1.0, 3.0),
        fuzz_weight=_UNIT,
        fuzz_color=_COLOR,
        fuzz_roughness=_UNIT,
    )
)
@settings(max_examples=60, deadline=None)
@pytest.mark.long
def test_no_recipe_makes_light(recipe):
    """White furnace for any recipe: never more than comes in, and no NaN. Two percent are for the tables and for the
    noise of 20,000 samples."""
    measurements = measure(recipe, 20_000)
    every = np.array([*measurements.albedo.values(), *measurements.transmitted.values()])
    assert np.isfinite(every).all() and (every >= 0).all()
    assert measurements.most < 1.02


_WHITE = (1.0, 1.0, 1.0)
_PURE = st.sampled_from(
    [
        {"base_metalness": 1.0},
        {},
        {"transmission_weight": 1.0},
        {"subsurface_weight": 1.0},
        {"transmission_weight": 1.0, "geometry_thin_walled": True},
    ]
)


@pytest.mark.long
@given(
    _PURE,
    st.fixed_dictionaries(
        {
            "specular_roughness": _UNIT,
            "specular_roughness_anisotropy": _UNIT,
            "specular_ior": st.floats(1.1, 2.5),
            "base_diffuse_roughness": _UNIT,
        }
    ),
)
@settings(max_examples=20, deadline=None)
def test_lossless_bodies_give_all_light_back(body, finish):
    """White furnace for bodies of any finish that take no light: all of it comes back or passes. One percent for the
    tables, one more for the noise of 40,000 samples at the most grazing angle."""
    recipe = Recipe(base_color=_WHITE, subsurface_color=_WHITE, **body, **finish)
    measurements = measure(recipe, 40_000)
    for angle, reflected in measurements.albedo.items():
        assert (reflected + measurements.transmitted[angle]).mean() == pytest.approx(1.0, abs=0.02), angle


def test_measure_tells_it_on_the_command_line(small_project, tmp_path, capsys):
    path = tmp_path / "block.matshelf"
    save_project(path, *small_project)
    assert main(["measure", str(path), "Red", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["Red"]
    assert told["lab_d65"][1] > 40 and told["albedo"]["0"][0] > 0.4 > 0.15 > told["albedo"]["0"][2]
    assert main(["measure", str(path), "Blue"]) == 2
    assert "no material called 'Blue'" in capsys.readouterr().err


@pytest.mark.long
def test_readings_are_shown_in_the_window(open_window, qtbot):
    """The card fills from a thread, with what the readings themselves say."""
    window = open_window()
    window.workshop.select("bottle")
    window.board.header.measurements_button.click()
    card = window.board.header.measurements_popover
    qtbot.waitUntil(lambda: "GU" in card.values["gloss"].text(), timeout=20_000)
    found = measure(window.workshop.selected_material.recipe)
    assert card.values["gloss"].text().startswith(f"{found.gloss[20]:.0f} ·")
    assert card.values["f0"].text() == "4.3 %"  # ((1.52 - 1) / (1.52 + 1))^2
    assert not card.values["through"].isHidden()
    card.close()
    window.workshop.select("collar")
    window.board.header.measurements_button.click()
    assert card.values["through"].isHidden()
    card.close()
