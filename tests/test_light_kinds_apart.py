"""Light kept apart by how it was turned: it adds up, and each kind is what a picture with nothing else shows."""

import numpy as np
import OpenEXR
import pytest
from scipy.ndimage import binary_erosion

from mat_shelf.cli import main
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Plate
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.exchange.shot_files import check_shot, film_key
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.final_render import render_picture

SIZE = 48, 32
KINDS = ("emission", "diffuse", "reflection", "transmission", "subsurface")


def kinds_of(project, assets, samples=16, **options) -> tuple:
    """A picture and its kinds of light."""
    made = render_picture(project, assets, *SIZE, samples, denoise=False, by_kind=True, **options)
    return made, {name[5:]: layer for name, layer in render_aovs(project, made, ("kinds",)).items()}


def worn(small_project, recipe: Recipe, **changes):
    """The block in a recipe, in a set."""
    project, assets = small_project
    project = project.with_material(project.material("red").with_(recipe=recipe))
    return project.with_set(project.set.with_(**changes)), assets


def test_they_add_up_to_the_picture_and_change_none(plain_demo):
    """With all that the demo has, within rounding; on average it is the picture that is rendered without them."""
    project, assets = plain_demo
    made, kinds = kinds_of(project, assets, 8)
    assert set(kinds) == {*KINDS, "shadow"} and all(kinds[name].any() for name in kinds)
    assert np.abs(sum(kinds[name] for name in KINDS) - made.light).max() < 1e-4
    plain = render_picture(project, assets, *SIZE, 8, denoise=False).light
    assert made.light.mean(axis=(0, 1)) == pytest.approx(plain.mean(axis=(0, 1)), rel=0.01)


@pytest.mark.parametrize(
    ("kind", "recipe"),
    [
        ("diffuse", Recipe(base_color=(0.5, 0.3, 0.2), specular_weight=0.0)),
        ("reflection", Recipe(base_color=(0.9, 0.8, 0.5), base_metalness=1.0, specular_roughness=0.3)),
        ("reflection", Recipe(base_color=(0.9, 0.8, 0.5), base_metalness=1.0, specular_roughness=0.0)),
        ("subsurface", Recipe(subsurface_weight=1.0, subsurface_radius=2.0, specular_weight=0.0)),
        ("emission", Recipe(base_weight=0.0, specular_weight=0.0, emission_luminance=200.0)),
    ],
)
def test_what_turns_light_one_way_has_one_kind(small_project, kind, recipe):
    project, assets = worn(small_project, recipe, backdrop=None)
    _, kinds = kinds_of(project, assets, 4)
    seen = slice(13, 19), slice(20, 28)
    assert kinds[kind][seen].mean() > 0.01
    assert all(not kinds[other][seen].any() for other in KINDS if other != kind)


def test_glass_reflects_and_transmits(small_project):
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.1)
    project, assets = worn(small_project, glass, backdrop=None)
    _, kinds = kinds_of(project, assets)
    seen = slice(13, 19), slice(20, 28)
    assert kinds["transmission"][seen].mean() > 3 * kinds["reflection"][seen].mean() > 0
    assert not kinds["diffuse"][seen].any()


@pytest.mark.parametrize("coat", [0.0, 1.0])
def test_the_reflection_of_a_glossy_surface_is_that_of_a_black_one(small_project, coat):
    """In light that comes from outside alone: under a gloss the colour below changes nothing of the reflection."""
    glossy = Recipe(base_color=(0.6, 0.2, 0.1), specular_roughness=0.3, coat_weight=coat, coat_roughness=0.2)
    project, assets = worn(small_project, glossy, backdrop=None)
    _, kinds = kinds_of(project, assets, 256)
    black = worn(small_project, glossy.with_(base_color=(0.0, 0.0, 0.0)), backdrop=None)
    alone = render_picture(*black, *SIZE, 256, denoise=False).light
    seen = slice(12, 20), slice(19, 29)
    assert kinds["reflection"][seen].mean(axis=(0, 1)) == pytest.approx(alone[seen].mean(axis=(0, 1)), rel=0.04)
    assert kinds["diffuse"][seen][..., 0].mean() > 2 * kinds["diffuse"][seen][..., 2].mean()


def test_shadow_is_the_light_that_the_product_takes(small_project):
    """Of a block that is black all over: without it the floor is lighter by just the shadow, in direct light."""
    black = Recipe(base_color=(0.0, 0.0, 0.0), specular_weight=0.0)
    lamp = Light(position=(-200, 260, 120), width=60, height=60, luminance=20000, is_seen=False)
    dark = small_project[0].set.backdrop.with_(color=(0.03, 0.03, 0.03), gloss=0.0)  # which lights itself hardly
    changes = {"surround": 0.0, "ground": 0.0, "lights": (lamp,), "room": None, "backdrop": dark}
    project, assets = worn(small_project, black, **changes)
    made, kinds = kinds_of(project, assets, 64)
    bare = project.with_parts(part.with_(is_hidden=True) for part in project.product.parts)
    empty = render_picture(bare, assets, *SIZE, 64, denoise=False).light
    floor = binary_erosion(made.film.part != 0, iterations=2)  # no pixel that shows some of the block itself
    lacks = (empty - made.light)[floor]
    assert kinds["shadow"][floor].max() > 0.1 * empty.max()
    assert kinds["shadow"][floor].sum() == pytest.approx(lacks.sum(), rel=0.08)


def test_they_add_up_over_a_photograph_and_cut_out(small_project):
    project, assets = small_project
    plated = project.with_set(project.set.with_(plate=Plate()))
    for shown, options in ((project, {"cut_out": True}), (plated, {})):
        made, kinds = kinds_of(shown, assets, 4, **options)
        total = sum(layer for name, layer in kinds.items() if name != "shadow")
        assert np.abs(total - made.light).max() < 1e-4 and made.light.max() > 0.01


def test_files_hold_them_and_what_cannot_be_is_said_first(small_project, tmp_path, capsys):
    project, assets = small_project
    save_project(tmp_path / "a.matshelf", project, assets)
    command = ["render", str(tmp_path / "a.matshelf"), "-o", str(tmp_path / "a.exr"), "--width", "48", "--height", "32"]
    assert main([*command, "--samples", "2", "--passes", "kinds"]) == 0
    with OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True) as file:
        channels = {name: channel.pixels for name, channel in file.channels().items()}
    total = sum(channels[f"kind.{name}.R"] for name in KINDS if f"kind.{name}.R" in channels)
    assert np.abs(total - channels["R"]).max() < 1e-4 and "kind.shadow.G" in channels
    both = RenderSettings(*SIZE, 1, passes=("lights", "kinds"))
    with pytest.raises(ImageError, match="by light or by kind"):
        render_to_file(project, assets, tmp_path / "b.exr", both)
    shot = Shot(id="s", name="S", view=project.current_view, set=project.current_set, kind="exr", passes=("kinds",))
    with pytest.raises(ImageError, match="two shots"):
        check_shot(shot.with_(passes=("lights", "kinds")), tmp_path / "s.exr")
    assert film_key(project, shot) != film_key(project, shot.with_(passes=("lights",)))
