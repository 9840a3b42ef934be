"""Baked texture sets against what the renderer sees."""

import numpy as np
import OpenImageIO
import pytest
from test_patterns import pattern, plate

from mat_shelf.cli import main
from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Feed, Placement, Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.texture_files import write_maps
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.texture_set import recognised, with_set
from mat_shelf.geometry.mesh import checked
from mat_shelf.patterns.sources import Checker, Constant, Noise
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import Ramp
from mat_shelf.rendering.baking import BakeError, bake
from mat_shelf.rendering.final_render import render_picture


def patterned() -> Recipe:
    """Colour, roughness and relief by patterns that run through the part."""
    tones = pattern(Noise(octaves=3), Ramp(stops=((0.2, (0.5, 0.1, 0.05)), (0.8, (0.1, 0.2, 0.6)))), size=9, name="a")
    dull = pattern(Noise(octaves=2, seed=4), size=14, name="b")
    waves = pattern(Noise(octaves=1, seed=8), size=8, name="c")
    return Recipe(
        patterns=(tones, dull, waves),
        feeds=(
            Feed(input="base_color", pattern="a", low=(0, 0, 0), high=(1, 1, 1)),
            Feed(input="specular_roughness", pattern="b", low=0.1, high=0.6),
        ),
        relief=(Relief(id="r", pattern="c", height=0.8),),
    )


def with_coordinates(project):
    """The plate of a project with coordinates that fill the unit square, turned and not square to the part."""
    corners = np.array([[-20, 0, 20], [20, 0, 20], [20, 0, -20], [-20, 0, -20]], float)
    uv = np.array([[0.9, 0.1], [0.9, 0.9], [0.1, 0.9], [0.1, 0.1]])
    assets = Assets()
    mesh = checked(corners, [[0, 1, 2], [0, 2, 3]], uv=uv)
    part = project.product.parts[0].with_(mesh=assets.add(NamedMesh("plate", mesh)))
    return project.with_part(part), assets


@pytest.mark.long
def test_a_baked_set_looks_as_what_it_was_baked_from(tmp_path):
    project, assets = with_coordinates(plate(patterned())[0])
    softbox = project.set.with_(surround=300.0, ground=100.0)
    project = project.with_set(softbox)
    recipe, part = project.materials[0].recipe, project.product.parts[0]
    context = PatternContext({p.id: p for p in recipe.patterns})
    baked = bake(recipe, part, assets.meshes[part.mesh], 1024, context)
    assert 0.62 < baked.covered.mean() < 0.66  # 0.8 by 0.8 of the square
    paths = write_maps(tmp_path, "M", baked.maps)
    taken = []
    for path in paths:
        if path.suffix == ".png":
            key, kind = assets.add_map(path.read_bytes())
            taken.append(recognised(ImageRef(name=path.name, digest=key, kind=kind), assets.pictures[key]))
    assert {t.role for t in taken} == {"color", "roughness", "metal", "normal"}  # green up, as glTF has it
    again = with_set(Recipe(), taken, Placement(projection="whole uv", size=1.0))
    copied = project.with_material(project.materials[0].with_(recipe=again))
    one = render_picture(project, assets, 120, 80, 96, denoise=False).light
    other = render_picture(copied, assets, 120, 80, 96, denoise=False).light
    flat = render_picture(
        project.with_material(project.materials[0].with_(recipe=recipe.with_(relief=()))),
        assets,
        120,
        80,
        96,
        denoise=False,
    ).light
    assert np.abs(one - flat).mean() > 3 * np.abs(one - other).mean()  # relief matters, and is in the set
    assert np.abs(one - other).mean() < 0.02 * one.mean()


def test_heights_are_baked_in_mm_and_read_back_elsewhere(tmp_path):
    made = pattern(Checker(), size=7.0, projection="planar", axis="y")
    recipe = Recipe(patterns=(made,), relief=(Relief(id="r", pattern="p", height=0.5),))
    project, assets = with_coordinates(plate(recipe)[0])
    part = project.product.parts[0]
    baked = bake(recipe, part, assets.meshes[part.mesh], 256, PatternContext({"p": made}))
    write_maps(tmp_path, "M", baked.maps)
    read = OpenImageIO.ImageBuf(str(tmp_path / "m_height.exr")).get_pixels(OpenImageIO.FLOAT)[..., 0]
    values = np.unique(read[baked.covered])
    assert values == pytest.approx([0.1, 0.4], abs=1e-6)  # the checker's 0.2 and 0.8 of half a millimetre
    # 40 mm of plate lie on 0.8 of 256 texels: a square of 7 mm is 35.8 texels wide
    row = read[128, 30:226]
    widths = np.diff(np.flatnonzero(np.diff(row)))
    assert widths == pytest.approx(7 / 40 * 0.8 * 256, abs=1.0)


def test_what_cannot_be_baked_is_said(small_project, tmp_path, capsys):
    project, assets = small_project
    block = project.product.parts[0]
    mesh = assets.meshes[block.mesh]
    with pytest.raises(BakeError, match="no UVs; unwrap it first"):
        bake(Recipe(), block, mesh, 64, PatternContext())
    outside = checked(mesh.vertices, mesh.triangles, mesh.normals, uv=mesh.vertices[:, :2])
    with pytest.raises(BakeError, match="leave the unit square"):
        bake(Recipe(), block, outside, 64, PatternContext())
    path = tmp_path / "a.matshelf"
    save_project(path, project, assets)
    assert main(["bake", str(path), "Nope", "Block", "-o", str(tmp_path / "out")]) == 2
    assert "Nope" in capsys.readouterr().err
    (tmp_path / "file").write_text("in the way")
    assert main(["bake", str(path), "Red", "Block", "-o", str(tmp_path / "file"), "--size", "64"]) == 2


def test_a_part_without_coordinates_is_unwrapped_for_its_set(small_project, tmp_path):
    project, assets = small_project
    path = tmp_path / "a.matshelf"
    save_project(path, project, assets)
    assert main(["bake", str(path), "Red", "Block", "-o", str(tmp_path / "out"), "--size", "128"]) == 0
    names = {p.name for p in (tmp_path / "out").iterdir()}
    assert {"block.glb", "red_base_color.png", "red_specular_roughness.png", "red_base_metalness.png"} == names


def test_overlays_are_baked_in():
    """Where a mask is 0.25, a quarter of the overlay's value is in the map; its height comes on top."""
    project, assets = with_coordinates(plate(Recipe())[0])
    part = project.product.parts[0]
    mask = pattern(Constant(value=0.25), name="m")
    relief = (Relief(id="r", pattern="m", height=0.4),)
    over = Recipe(base_color=(0, 0, 1), specular_roughness=0.9, patterns=(mask,), relief=relief)
    recipe = Recipe(
        base_color=(1, 0, 0), specular_roughness=0.1, overlays=(Overlay(id="o", name="O", recipe=over, mask="m"),)
    )
    baked = bake(recipe, part, assets.meshes[part.mesh], 32, PatternContext())
    inside = baked.covered
    assert baked.maps["base_color"][inside] == pytest.approx(np.tile([0.75, 0, 0.25], (inside.sum(), 1)), abs=1e-6)
    assert baked.maps["specular_roughness"][inside] == pytest.approx(0.3, abs=1e-6)
    assert baked.maps["height"][inside] == pytest.approx(0.25 * 0.4 * 0.25, abs=1e-6)
