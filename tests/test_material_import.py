"""Materials made elsewhere: documents of MaterialX, GLBs, texture sets in folders and zips; and hostile ones."""

import zipfile

import MaterialX
import numpy as np
import pytest
from driving import dropped
from gltf_samples import Sample, four_colors
from PyQt6.QtCore import QPoint
from test_open_materials import BY_UV
from test_product_glb import image_of, png, project_of, square

from mat_shelf.cli import main
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Relief
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.material_files import MaterialFileError, read_material_file, swatches_of
from mat_shelf.exchange.materials.materialx_reader import ReadMaterials, read_materialx
from mat_shelf.exchange.materials.materialx_tree import MaterialxError
from mat_shelf.exchange.materials.materialx_writer import write_materials
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.library.library import Library
from mat_shelf.patterns.sources import Constant, Pictured
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import Combine, Contrast, Invert, Levels, Ramp, Threshold
from mat_shelf.rendering.baking import bake


def baked(recipe: Recipe, assets: Assets, size: int = 32) -> dict[str, np.ndarray]:
    """Maps of a recipe on a square."""
    mesh = assets.add(NamedMesh("square", square()))
    part = Part(id="a", name="Square", mesh=mesh, material="a")
    context = PatternContext({p.id: p for p in recipe.patterns}, assets.pictures)
    assert project_of(assets, (Material(id="a", name="A", recipe=recipe),), (part,))
    return bake(recipe, part, assets.meshes[mesh], size, context).maps


def with_images(found: ReadMaterials) -> Assets:
    assets = Assets()
    for data in found.images.values():
        assets.add_map(data)
    return assets


def test_what_is_written_as_nodes_is_read_as_it_was(tmp_path):
    """Images moved about, levels, ramps, masks, ranges and shares: the maps of both recipes are the same."""
    assets, rng = Assets(), np.random.default_rng(4)
    noisy = image_of(assets, rng.integers(0, 255, (16, 16, 3), np.uint8), "noisy.png")
    blob = np.zeros((16, 16), np.uint8)
    blob[4:10, 3:12] = 255
    mask = image_of(assets, blob, "blob.png")
    lies = BY_UV.with_(repeat=(1.5, -2.0), turn=30.0, shift=(0.3, 0.1))
    colors = ((0.0, (0.1, 0.0, 0.4)), (0.4, (0.9, 0.5, 0.1)), (1.0, (0.2, 0.8, 0.3)))
    patterns = (
        Pattern(
            id="grey",
            name="Grey",
            steps=(
                Pictured(picture=noisy, shown="grey", space="plain"),
                Levels(black=0.2, white=0.8, grey=1.4, low=0.1, high=0.9),
                Contrast(contrast=0.7, lift=0.05),
                Invert(),
            ),
            placement=lies,
        ),
        Pattern(id="mask", name="Mask", steps=(Pictured(picture=mask, shown="red", space="plain"),), placement=BY_UV),
        Pattern(
            id="color",
            name="Colour",
            steps=(
                Pictured(picture=noisy, shown="grey", space="plain", ends="mirror"),
                Ramp(stops=colors),
                Combine(way="multiply", other="flat", mask="mask", amount=1.0),
            ),
            placement=BY_UV.with_(repeat=(2.0, 1.0)),
        ),
        Pattern(id="flat", name="Flat", steps=(Constant(value=0.25),), placement=BY_UV),
        Pattern(
            id="edge", name="Edge", steps=(Pictured(picture=mask, shown="grey"), Threshold(edge=0.4, softness=0.3))
        ),
    )
    recipe = Recipe(coat_ior=1.45, subsurface_radius=2.5)
    for pattern in (patterns[3], *patterns[:3], patterns[4].with_(placement=BY_UV)):
        recipe = recipe.with_pattern(pattern)
    recipe = recipe.with_feed(Feed(input="base_color", pattern="color", low=(0.0,) * 3, high=(1.0, 0.8, 0.6)))
    recipe = recipe.with_feed(Feed(input="specular_roughness", pattern="grey", low=0.2, high=0.7, amount=0.5))
    recipe = recipe.with_feed(Feed(input="coat_weight", pattern="edge", low=0.9, high=0.1))
    recipe = recipe.with_relief(Relief(id="r", pattern="grey", height=0.6))
    path = tmp_path / "all.mtlx"
    _, notes = write_materials(path, [Material(id="a", name="All of it", recipe=recipe)], assets)
    assert notes == []
    found = read_material_file(path)
    ((name, back),) = found.materials
    assert name == "All of it" and (back.coat_ior, back.subsurface_radius) == (1.45, 2.5)
    before, after = baked(recipe, assets), baked(back, with_images(found))
    assert set(before) == set(after)
    for key, values in before.items():
        level = (values.mean(), after[key].mean()) if key == "height" else (0, 0)  # it counts for nothing
        assert after[key] - level[1] == pytest.approx(values - level[0], abs=0.01), key


def test_overlays_come_back_as_overlays(tmp_path):
    assets = Assets()
    mask = Pattern(id="mask", name="Mask", steps=(Constant(value=0.75),), placement=BY_UV)
    dust = Recipe(base_color=(0.7, 0.6, 0.5), fuzz_weight=0.8).with_pattern(mask)
    recipe = Recipe(base_color=(0.1, 0.2, 0.3), coat_weight=1.0)
    recipe = recipe.with_overlay(Overlay(id="dust", name="Dust", recipe=dust, mask="mask", amount=0.5))
    recipe = recipe.with_overlay(Overlay(id="wet", name="Wet", recipe=Recipe(coat_weight=1.0), amount=0.25))
    write_materials(tmp_path / "a.mtlx", [Material(id="a", name="Dusty", recipe=recipe)], assets)
    ((_, back),) = read_material_file(tmp_path / "a.mtlx").materials
    assert back.base_color == pytest.approx((0.1, 0.2, 0.3)) and len(back.overlays) == 2
    assert [overlay.recipe.fuzz_weight for overlay in back.overlays] == [pytest.approx(0.8), 0]
    before, after = (baked(each, Assets(), 8)["base_color"] for each in (recipe, back))
    assert after == pytest.approx(before, abs=0.01)


def document_of(category: str, **values):
    """A document of MaterialX's own making, with one material."""
    document = MaterialX.createDocument()
    shader = document.addNode(category, "surface", "surfaceshader")
    for name, value in values.items():
        kind = {bool: "boolean", int: "integer", tuple: "color3"}.get(type(value), "float")
        given = MaterialX.Color3(*value) if isinstance(value, tuple) else value
        shader.addInput(name, kind).setValue(given, kind)
    material = document.addNode("surfacematerial", "Stuff", "material")
    material.addInput("surfaceshader", "surfaceshader").setNodeName("surface")
    return document, shader


def read(document, images=()) -> tuple[Recipe, ReadMaterials]:
    found = ReadMaterials()
    read_materialx(MaterialX.writeToXmlString(document).encode(), dict(images).get, found)
    return found.materials[0][1], found


def test_standard_surfaces_become_openpbr():
    """Documents that MaterialX writes; inputs and usual values by its own definition of the surface."""
    recipe, _ = read(document_of("standard_surface")[0])
    assert (recipe.base_weight, recipe.specular_roughness, recipe.coat_ior) == (0.8, 0.2, 1.5)
    assert recipe.base_color == (1, 1, 1) and recipe.emission_luminance == 0
    recipe, _ = read(
        document_of(
            "standard_surface",
            base=1.0,
            metalness=1.0,
            specular_IOR=1.7,
            coat=0.5,
            sheen=0.3,
            subsurface=1.0,
            subsurface_radius=(4.0, 2.0, 1.0),
            subsurface_scale=0.5,
            thin_film_thickness=400.0,
            transmission=0.25,
            transmission_dispersion=40.0,
            emission=2.0,
            emission_color=(1.0, 0.5, 0.5),
            thin_walled=True,
        )[0]
    )
    assert (recipe.base_metalness, recipe.specular_ior, recipe.coat_weight, recipe.fuzz_weight) == (1, 1.7, 0.5, 0.3)
    assert recipe.subsurface_radius == 2.0 and recipe.subsurface_radius_scale == (1, 0.5, 0.25)
    assert recipe.thin_film_thickness == pytest.approx(0.4) and recipe.thin_film_weight == 1
    assert recipe.transmission_dispersion_abbe_number == 40 and recipe.geometry_thin_walled
    assert recipe.emission_luminance == pytest.approx(2000 * (0.2126 + 0.5 * 0.7874), rel=1e-3)


def test_gltf_surfaces_and_nodes_of_others_are_read(tmp_path):
    """`gltf_pbr` with `place2d`, `tiledimage`, `separate3` and a mix of constants; a node without a pattern is told."""
    document, shader = document_of("gltf_pbr", metallic=0.0, roughness=0.4, clearcoat=0.6, alpha=0.5, alpha_mode=2)
    assets = Assets()
    shown = image_of(assets, four_colors(), "four.png")
    uv = document.addNode("texcoord", "uv", "vector2")
    place = document.addNode("place2d", "place", "vector2")
    place.setConnectedNode("texcoord", uv)
    place.setInputValue("scale", MaterialX.Vector2(0.5, 0.25))
    place.setInputValue("offset", MaterialX.Vector2(0.25, 0.0))
    image = document.addNode("image", "image", "color3")
    image.addInput("file", "filename").setValueString("four.png")
    image.getInput("file").setAttribute("colorspace", "srgb_texture")
    image.setConnectedNode("texcoord", place)
    shader.setConnectedNode("base_color", image)
    tiled = document.addNode("tiledimage", "tiled", "vector3")
    tiled.addInput("file", "filename").setValueString("four.png")
    tiled.setInputValue("uvtiling", MaterialX.Vector2(3, 2))
    parts = document.addNode("separate3", "parts", "multioutput")
    parts.setConnectedNode("in", tiled)
    mix = document.addNode("mix", "mix", "float")
    mix.setInputValue("fg", 0.9)
    mix.setInputValue("bg", 0.3)
    mix.addInput("mix", "float").setNodeName("parts")
    mix.getInput("mix").setOutputString("outy")
    shader.setConnectedNode("roughness", mix)
    odd = document.addNode("worleynoise3d", "odd", "float")
    shader.setConnectedNode("metallic", odd)
    recipe, found = read(document, {"four.png": shown})
    assert recipe.coat_weight == 0.6 and recipe.geometry_opacity == 0.5
    fed = recipe.feed("base_color")
    lies = recipe.pattern(fed.pattern).placement
    assert lies.repeat == (2, 4) and lies.shift == (0.25, 0) and fed.high == (1, 1, 1)
    rough = recipe.feed("specular_roughness")
    pattern = recipe.pattern(rough.pattern)
    assert (rough.low, rough.high) == (pytest.approx(0.3), pytest.approx(0.9))
    assert pattern.steps[0].shown == "green" and pattern.placement.repeat == (3, 2)
    assert recipe.feed("base_metalness") is None
    assert any("worleynoise3d is not understood" in note for note in found.notes)


def element(inner: str) -> bytes:
    return f'<?xml version="1.0"?><materialx version="1.39">{inner}</materialx>'.encode()


SHADER = '<open_pbr_surface name="s" type="surfaceshader">{}</open_pbr_surface>'


@pytest.mark.parametrize(
    "data, says",
    [
        (b"", "damaged"),
        (b"<materialx", "damaged"),
        (b"<html></html>", "no MaterialX"),
        (b'<!DOCTYPE m [<!ENTITY x SYSTEM "file:///etc/passwd">]><materialx>&x;</materialx>', "entities"),
        (element(""), "no material that is understood"),
        (element('<volume name="s" type="volumeshader"/>'), "no material that is understood"),
        (element("<a/>" * 500_000), "more than"),
    ],
)
def test_documents_that_cannot_be_used_say_why(tmp_path, data, says):
    path = tmp_path / "bad.mtlx"
    path.write_bytes(data)
    with pytest.raises(MaterialFileError, match=says):
        read_material_file(path)


def test_loops_odd_values_and_references_out_of_the_folder(tmp_path):
    """A material with damage comes in without what is damaged; a graph that feeds itself is no endless work."""
    (tmp_path.parent / "secret.png").write_bytes(png(four_colors()))
    loop = '<add name="a" type="float"><input name="in1" type="float" nodename="a"/></add>'
    inner = '<input name="specular_roughness" type="float" nodename="a"/>'
    with pytest.raises(MaterialxError, match="loop"):
        read_materialx(element(loop + SHADER.format(inner)), lambda file: None, ReadMaterials())
    outside = (
        '<image name="i" type="color3"><input name="file" type="filename" value="../secret.png"/></image>'
        '<input_ name="x"/>'
    )
    inner = (
        '<input name="base_color" type="color3" nodename="i"/><input name="specular_ior" type="float" value="x"/>'
        '<input name="coat_weight" type="float" value="7"/><input name="base_metalness" type="float" nodename="gone"/>'
    )
    path = tmp_path / "odd.mtlx"
    path.write_bytes(element(outside + SHADER.format(inner)))
    found = read_material_file(path)
    ((_, recipe),) = found.materials
    assert not recipe.patterns and recipe.specular_ior == 1.5 and recipe.coat_weight == 1
    assert any("secret.png" in note for note in found.notes)


def test_random_damage_ends_in_a_message_or_a_material(tmp_path):
    """200 damaged documents, read where they would be in the program but for its process."""
    from fuzzing import damaged

    assets = Assets()
    shown = image_of(assets, four_colors(), "four.png")
    pattern = Pattern(
        id="p", name="P", steps=(Pictured(picture=shown, shown="grey"), Levels(black=0.2), Ramp()), placement=BY_UV
    )
    recipe = Recipe().with_pattern(pattern)
    recipe = recipe.with_feed(Feed(input="base_color", pattern="p", low=(0.0,) * 3, high=(1.0,) * 3))
    recipe = recipe.with_overlay(Overlay(id="o", name="O", recipe=recipe.with_(overlays=()), mask="p"))
    write_materials(tmp_path / "a.mtlx", [Material(id="a", name="A", recipe=recipe)], assets)
    for data in damaged((tmp_path / "a.mtlx").read_bytes(), 200, seed=9):
        found = ReadMaterials()
        try:
            read_materialx(data, lambda file: shown, found)
        except MaterialxError:
            continue
        assert found.materials


def test_folders_and_zips_hold_texture_sets_or_materials(tmp_path):
    folder = tmp_path / "Oak boards"
    folder.mkdir()
    rough = np.tile(np.linspace(50, 200, 16, dtype=np.uint8), (16, 1))
    (folder / "oak_BaseColor.png").write_bytes(png(four_colors()))
    (folder / "oak_Roughness.png").write_bytes(png(rough))
    (folder / "readme.txt").write_text("no image")
    ((name, recipe),) = read_material_file(folder).materials
    assert name == "Oak boards" and {feed.input for feed in recipe.feeds} == {"base_color", "specular_roughness"}
    packed = tmp_path / "oak.zip"
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as package:
        for path in folder.iterdir():
            package.write(path, f"textures/{path.name}")
        package.writestr("../../escaped.png", png(rough))
    found = read_material_file(packed)
    assert found.materials[0][0] == "oak" and len(found.images) == 2
    assert not (tmp_path.parent / "escaped.png").exists() and not list(tmp_path.rglob("escaped.png"))
    bomb = zipfile.ZipFile(tmp_path / "bomb.zip", "w", zipfile.ZIP_DEFLATED)
    with bomb, bomb.open("bomb.png", "w", force_zip64=True) as inner:
        for _ in range(600):
            inner.write(b"\0" * (1 << 20))
    for name, data in (("none.zip", b"PK nothing"), ("empty.zip", None)):
        if data is None:
            zipfile.ZipFile(tmp_path / name, "w").close()
        else:
            (tmp_path / name).write_bytes(data)
    for name in ("bomb.zip", "none.zip", "empty.zip"):
        with pytest.raises(MaterialFileError):
            read_material_file(tmp_path / name)


def test_a_glb_and_a_document_dropped_on_the_library_become_swatches(open_window, small_project, qtbot, tmp_path):
    """Dropped on the real list; the new swatch looks like the original where it is put on a part."""
    sample = Sample()
    color = {"index": sample.image(four_colors())}
    sample.quad({"name": "Card stock", "pbrMetallicRoughness": {"baseColorTexture": color, "metallicFactor": 0}})
    sample.write(tmp_path / "card.glb")
    wax = Recipe(subsurface_weight=1.0, subsurface_color=(0.8, 0.1, 0.1), subsurface_radius=1.5)
    write_materials(tmp_path / "wax.mtlx", [Material(id="a", name="Red wax", recipe=wax)], Assets())
    (tmp_path / "bad.mtlx").write_bytes(b"nothing")
    window = open_window(*small_project)
    workshop = window.workshop
    said = []
    workshop.said.connect(said.append)
    for name in ("card.glb", "wax.mtlx", "bad.mtlx"):
        dropped(window.library.list.viewport(), tmp_path / name, QPoint(40, 40))
        qtbot.waitUntil(lambda: bool(said), timeout=60_000)
        assert ("bad.mtlx" in said[0]) == (name == "bad.mtlx")
        said.clear()
    entries = {entry.name: entry for entry in workshop.library.entries()}
    assert {"Card stock", "Red wax"} <= set(entries) and entries["Red wax"].family == "Wax and soft"
    kept = workshop.library.swatch(entries["Red wax"].id)
    assert kept.recipe.subsurface_color == pytest.approx((0.8, 0.1, 0.1)) and kept.recipe.subsurface_radius == 1.5
    part = workshop.project.product.parts[0]
    workshop.wear(part.id, entries["Card stock"].id)
    recipe = workshop.project.material(workshop.project.part(part.id).material).recipe
    assert recipe.feed("base_color") is not None
    assert all(workshop.assets.holds(image.digest) for image in recipe.pictures())


def test_the_command_puts_materials_into_the_library(tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "home"))
    write_materials(
        tmp_path / "a.mtlx", [Material(id="a", name="Slate", recipe=Recipe(base_color=(0.1,) * 3))], Assets()
    )
    assert main(["import-material", str(tmp_path / "a.mtlx"), str(tmp_path / "a.mtlx")]) == 0
    assert capsys.readouterr().out.count("Slate") == 2
    names = [entry.name for entry in Library().entries()]
    assert "Slate" in names and "Slate 2" in names
    assert main(["import-material", str(tmp_path / "gone.mtlx")]) == 2
    assert swatches_of(read_material_file(tmp_path / "a.mtlx"))[0].family == "Plastic"


@pytest.mark.long
def test_a_newer_state_of_a_materials_file_is_offered(open_window, small_project, qtbot, tmp_path):
    """A texture set keeps what was tuned and takes the new image; a document is taken whole; both undo."""
    folder = tmp_path / "Oak"
    folder.mkdir()
    (folder / "oak_BaseColor.png").write_bytes(png(four_colors()))
    (folder / "oak_Roughness.png").write_bytes(png(np.full((8, 8), 90, np.uint8)))
    path = tmp_path / "wax.mtlx"
    write_materials(path, [Material(id="a", name="Wax", recipe=Recipe(base_color=(0.8, 0.1, 0.1)))], Assets())
    window = open_window(*small_project)
    workshop = window.workshop
    window.material_watch._settled.setInterval(150)
    for what in (folder, path):
        workshop.take_swatches([what])
    qtbot.waitUntil(lambda: {"Oak", "Wax"} <= {entry.name for entry in workshop.library.entries()}, timeout=60_000)
    entries = {entry.name: entry.id for entry in workshop.library.entries()}
    part = workshop.project.product.parts[0]
    workshop.wear(part.id, entries["Wax"])
    workshop.wear(part.id, entries["Oak"])

    def material(name):
        return next(m for m in workshop.project.materials if m.name == name)

    workshop.tune(material("Oak").id, coat_weight=0.5)
    before = material("Oak")
    image = before.recipe.pattern(before.recipe.feed("base_color").pattern).steps[0].picture
    qtbot.wait(700)
    assert not window.notice.is_asking  # nothing is newer yet
    (folder / "oak_BaseColor.png").write_bytes(png(four_colors()[::-1].copy()))
    qtbot.waitUntil(lambda: window.notice.is_asking, timeout=20_000)
    assert "Oak was changed since Oak came from it" in window.notice.text.text()
    window.notice.buttons[0].click()
    qtbot.waitUntil(lambda: workshop.history.undo_label == "Update from file", timeout=20_000)
    after = material("Oak")
    newer = after.recipe.pattern(after.recipe.feed("base_color").pattern).steps[0].picture
    assert newer.digest != image.digest and workshop.assets.holds(newer.digest)
    assert after.recipe.coat_weight == 0.5 and after.source_modified > before.source_modified
    workshop.undo()
    assert material("Oak").recipe == before.recipe
    write_materials(path, [Material(id="a", name="Wax", recipe=Recipe(base_color=(0.1, 0.1, 0.8)))], Assets())
    workshop.update_from_source([material("Wax").id])
    qtbot.waitUntil(lambda: material("Wax").recipe.base_color == (0.1, 0.1, 0.8), timeout=20_000)
    path.unlink()
    said = []
    workshop.said.connect(said.append)
    workshop.update_from_source([material("Wax").id])
    qtbot.waitUntil(lambda: any("was not updated" in words for words in said), timeout=20_000)
