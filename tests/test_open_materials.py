"""Materials as MaterialX and USD: checked by the standards' own libraries, and read back by them."""

from collections import Counter

import MaterialX
import numpy as np
import pytest
from checkers import gltf_issues
from gltf_samples import four_colors
from PIL import Image
from pxr import Usd, UsdGeom, UsdShade, UsdValidation
from test_product_glb import CONSTANT, GLASS, METAL, checkered, fed, image_of, project_of, square

from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.product import Part, Pose, Zone
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.flattening import flattened
from mat_shelf.exchange.materials.losses import materialx_losses
from mat_shelf.exchange.materials.materialx_writer import write_materials, write_product
from mat_shelf.exchange.materials.openpbr import INPUTS
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.models.product_glb import GlbOptions, export_glb
from mat_shelf.exchange.models.product_usd import UsdOptions, export_usd
from mat_shelf.exchange.product_import import product_of
from mat_shelf.geometry.solids import box
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.patterns.sources import Checker, Constant, Pictured
from mat_shelf.patterns.sources.noise import Noise
from mat_shelf.patterns.steps import Combine, Contrast, Invert, Levels, Ramp, Threshold

BY_UV = Placement(projection="whole uv", size=1.0)


@pytest.fixture(scope="module")
def standard():
    """The standard's own libraries of nodes."""
    found = MaterialX.createDocument()
    MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), found)
    return found


def valid(path, standard):
    """A document that MaterialX's own `validate()` finds nothing wrong with, nor a node without a definition."""
    document = MaterialX.createDocument()
    MaterialX.readFromXmlFile(document, str(path))
    document.setDataLibrary(standard)
    is_valid, words = document.validate()
    assert is_valid, words
    nodes = [*document.getNodes(), *(node for graph in document.getNodeGraphs() for node in graph.getNodes())]
    assert [node.getName() for node in nodes if node.getNodeDef() is None] == []
    return document


def test_shipped_swatches_are_valid_materials(tmp_path, standard):
    """Every one of the library, its patterns as nodes or images; each constant as MaterialX reads it."""
    materials = [Material(id=s.id, name=s.name, recipe=s.recipe) for s in SHIPPED]
    written, notes = write_materials(tmp_path / "all.mtlx", materials, Assets(), 64)
    document = valid(tmp_path / "all.mtlx", standard)
    shaders = {node.getName(): node for node in document.getNodes("open_pbr_surface")}
    assert len(document.getMaterialNodes()) == len(SHIPPED)
    for material in document.getMaterialNodes():
        assert MaterialX.getShaderNodes(material)
    plain = [s for s in SHIPPED if not s.recipe.feeds and not s.recipe.overlays]
    assert len(plain) > 5
    for swatch in plain:
        name = MaterialX.createValidName(f"{swatch.name} surface")
        node = next((n for key, n in shaders.items() if key.lower() == name.lower()), None)
        if node is None:  # a name with signs in it
            continue
        for key in INPUTS:
            read = node.getActiveInput(key)
            value = getattr(swatch.recipe, key)
            if read is None or read.getValue() is None:
                assert value == getattr(Recipe(), key) or read.getConnectedOutput() is not None
            elif isinstance(value, tuple):
                assert tuple(read.getValue().asTuple()) == pytest.approx(value, abs=1e-6)
            else:
                assert read.getValue() == pytest.approx(value, rel=1e-6)
    assert all(path.exists() for path in written) and notes


def test_patterns_are_the_standards_nodes_where_it_has_them(tmp_path, standard):
    """Images, levels, thresholds, ramps, combinations and noise; what has none is an image, and both are told."""
    assets = Assets()
    shown = image_of(assets, four_colors(), "four colours.png")
    lies = BY_UV.with_(repeat=(2.0, 1.0), turn=30.0, shift=(0.25, 0.0))
    steps = (Pictured(picture=shown, shown="grey"), Levels(black=0.2, grey=1.5), Invert(), Contrast(contrast=0.5))
    grey = Pattern(id="grey", name="Grey", steps=(*steps, Threshold(edge=0.4)), placement=lies)
    mixed = Pattern(
        id="mixed",
        name="Mixed",
        steps=(Constant(value=0.7), Combine(way="screen", other="grey", mask="noise", amount=0.5), Ramp()),
    )
    noise = Pattern(id="noise", name="Noise", steps=(Noise(octaves=3),), placement=Placement(size=4.0))
    squares = Pattern(id="squares", name="Squares", steps=(Checker(),), placement=Placement(projection="uv", size=10))
    recipe = Recipe()
    for pattern in (noise, grey, mixed, squares):
        recipe = recipe.with_pattern(pattern)
    recipe = recipe.with_feed(Feed(input="base_color", pattern="mixed", low=(0.0,) * 3, high=(0.5, 1.0, 1.0)))
    recipe = recipe.with_feed(Feed(input="specular_roughness", pattern="grey", low=0.2, high=0.6, amount=0.5))
    recipe = recipe.with_feed(Feed(input="coat_weight", pattern="squares", low=0.0, high=1.0))
    recipe = recipe.with_relief(Relief(id="r", pattern="noise", height=0.3))
    path = tmp_path / "stuff.mtlx"
    written, notes = write_materials(path, [Material(id="a", name="Stuff", recipe=recipe)], assets, 100)
    document = valid(path, standard)
    graph = document.getNodeGraph("Stuff_patterns")
    kinds = Counter(node.getCategory() for node in graph.getNodes())
    for kind in ("invert", "smoothstep", "screen", "fractal3d", "bump", "rotate2d", "luminance", "constant"):
        assert kinds[kind] == 1, kind
    assert kinds["range"] == 2  # of the levels, and of the ramp's one slope
    assert kinds["image"] == 2 and kinds["texcoord"] == 1
    files = {node.getActiveInput("file").getValueString() for node in graph.getNodes("image")}
    assert files == {"stuff_maps/four_colours.png", "stuff_maps/Squares.png"}
    assert (tmp_path / "stuff_maps/four_colours.png").read_bytes() == assets.data(shown.digest)
    squares = np.asarray(Image.open(tmp_path / "stuff_maps/Squares.png"), np.float64) / 65535
    # 100 mm of squares of 10 mm, each 10 pixels wide: 0.8 and 0.2, the lower left one light
    assert squares[95, 5] == pytest.approx(0.8, abs=1e-3) and squares[95, 15] == pytest.approx(0.2, abs=1e-3)
    said = " / ".join(notes)
    assert "'Squares' became an image of 100 mm" in said and "the noise of 'Noise' looks alike" in said
    (node,) = document.getNodes("open_pbr_surface")
    for key in ("base_color", "specular_roughness", "coat_weight", "geometry_normal"):
        assert node.getActiveInput(key).getConnectedOutput() is not None


def test_overlays_are_mixtures_of_surfaces(tmp_path, standard):
    """A mask of the overlay's own, one of the base's by reference, and one that lies all over by half."""
    mask = Pattern(id="mask", name="Mask", steps=(Constant(value=0.25),))
    dust = Overlay(id="dust", name="Dust", recipe=Recipe().with_pattern(mask), mask="mask", amount=0.5)
    frost = Overlay(id="frost", name="Frost", mask="own", mask_of="material")
    film = Overlay(id="film", name="Film", amount=0.5)
    recipe = Recipe(age=0.5).with_pattern(mask.with_(id="own"))
    for overlay in (dust, frost, film):
        recipe = recipe.with_overlay(overlay)
    path = tmp_path / "dusty.mtlx"
    write_materials(path, [Material(id="a", name="Dusty", recipe=recipe)], Assets())
    document = valid(path, standard)
    mixes = document.getNodes("mix")
    assert len(mixes) == 3 and len(document.getNodes("open_pbr_surface")) == 4
    assert mixes[2].getInputValue("mix") == pytest.approx(0.25)  # its amount by the age
    (material,) = document.getMaterialNodes()
    assert MaterialX.getShaderNodes(material)[0].getName() == mixes[2].getName()
    assert materialx_losses(recipe) == []


def things(assets) -> tuple:
    """A block with a zone, and a variant; a square that is baked."""
    block = box((40, 40, 40), 2)
    top = np.arange(len(block.triangles) // 6)
    zones = (Zone(id="z", name="Top", faces=assets.add_faces(top), material="glass"),)
    parts = (
        Part(id="a", name="Block", mesh=assets.add(NamedMesh("a", block)), material="stuff", zones=zones),
        Part(
            id="b",
            name="Square",
            mesh=assets.add(NamedMesh("b", square(40.0))),
            material="squares",
            pose=Pose(shift=(60, 0, 0)),
        ),
    )
    squares = fed(checkered(10.0), "coat_weight", Constant(value=1.0), BY_UV, 0.0, 0.5)
    waves = Pattern(id="waves", name="Waves", steps=(Noise(),), placement=Placement(size=8.0))
    squares = squares.with_pattern(waves).with_relief(Relief(id="r", pattern="waves", height=0.8))
    plum = CONSTANT.with_(base_color=(0.3, 0, 0.3))
    materials = (
        Material(id="stuff", name="Stuff", recipe=CONSTANT),
        Material(id="plum", name="Stuff, plum", recipe=plum, parent="stuff", own=("base_color",)),
        Material(id="glass", name="Glass", recipe=GLASS),
        Material(id="squares", name="Squares", recipe=squares),
    )
    return project_of(assets, materials, parts), materials


def test_a_product_with_baked_maps_says_who_wears_what(tmp_path, standard):
    assets = Assets()
    project, _ = things(assets)
    written, _ = write_product(tmp_path / "things.mtlx", flattened(project, assets, 64), assets)
    document = valid(tmp_path / "things.mtlx", standard)
    (look,) = document.getLooks()
    worn = {assign.getGeom(): assign.getMaterial() for assign in look.getMaterialAssigns()}
    assert worn == {"/Block": "Stuff", "/Block/Top": "Glass", "/Square": "Squares_on_Square"}
    names = {path.name for path in written}
    assert names == {
        "things.mtlx",
        "Squares_on_Square_base_color.png",
        "Squares_on_Square_specular_roughness.png",
        "Squares_on_Square_normal.png",
    }


def test_usd_passes_its_own_validation_and_comes_back(tmp_path):
    """`UsdValidation` of OpenUSD, whose wheel has no definitions of MaterialX's nodes: those ids are looked up in
    MaterialX itself. Recipes come back through the OpenPBR network, all of them.
    """
    assets = Assets()
    project, materials = things(assets)
    path = tmp_path / "things.usdz"
    assert export_usd(path, project, assets, UsdOptions(size=128)) == []
    stage = Usd.Stage.Open(str(path))
    found = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators()).Validate(stage)
    others = [error.GetMessage() for error in found if error.GetName() != "MissingShaderIdInRegistry"]
    assert others == []
    library = MaterialX.createDocument()
    MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), library)
    ids = {UsdShade.Shader(prim).GetIdAttr().Get() for prim in stage.Traverse() if prim.IsA(UsdShade.Shader)}
    assert {name for name in ids if name.startswith("ND_") and library.getNodeDef(name) is None} == set()
    assert UsdGeom.GetStageMetersPerUnit(stage) == 0.001
    wears = stage.GetDefaultPrim().GetVariantSets().GetVariantSet("Stuff")
    assert set(wears.GetVariantNames()) == {"Stuff", "Stuff__plum"} and wears.GetVariantSelection() == "Stuff"
    wears.SetVariantSelection("Stuff__plum")
    block = stage.GetPrimAtPath(f"{stage.GetDefaultPrim().GetPath()}/Block/Rest")
    bound, _ = UsdShade.MaterialBindingAPI(block).ComputeBoundMaterial()
    assert bound.GetPrim().GetDisplayName() == "Stuff, plum"

    back_assets, model = Assets(), import_model(path)
    product, back = product_of(model, back_assets)
    assert model.unit == "mm" and [part.name for part in product.parts] == ["Block", "Square"]
    assert model.parts[1].mesh.bounds == pytest.approx(np.array([[60, 0, 0], [100, 40, 0]]), abs=1e-4)
    by_name = {material.name: material.recipe for material in back}
    for name, recipe in (("Stuff", CONSTANT), ("Glass", GLASS)):
        for key in INPUTS:
            assert getattr(by_name[name], key) == pytest.approx(getattr(recipe, key), abs=1e-6), key
    squares = by_name["Squares on Square"]
    assert {feed.input for feed in squares.feeds} == {"base_color", "specular_roughness"}
    assert squares.coat_weight == pytest.approx(0.5) and squares.relief[0].kind == "normal"


def test_the_preview_says_what_it_can(tmp_path):
    """What a viewer without OpenPBR shows: the values of the preview surface, as OpenUSD reads them."""
    assets = Assets()
    block = assets.add(NamedMesh("a", box((40, 40, 40), 2)))
    shown = fed(METAL, "geometry_opacity", Checker(), Placement(projection="box", size=10), 0.0, 1.0)
    parts = tuple(
        Part(id=name, name=name, mesh=block, material=name, pose=Pose(shift=(50.0 * k, 0, 0)))
        for k, name in enumerate(("glass", "metal", "stuff", "gauze"))
    )
    materials = tuple(
        Material(id=name, name=name, recipe=recipe)
        for name, recipe in (("glass", GLASS), ("metal", METAL), ("stuff", CONSTANT), ("gauze", shown))
    )
    path = tmp_path / "a.usda"
    export_usd(path, project_of(assets, materials, parts), assets, UsdOptions(size=64))
    stage = Usd.Stage.Open(str(path))

    def read(material: str) -> dict:
        prim = stage.GetPrimAtPath(f"{stage.GetDefaultPrim().GetPath()}/Materials/{material}/Preview")
        return {key.GetBaseName(): key.Get() for key in UsdShade.Shader(prim).GetInputs()}

    glass, metal, stuff = read("glass"), read("metal"), read("stuff")
    assert glass["opacity"] == 0 and glass["ior"] == pytest.approx(1.52)
    assert tuple(glass["diffuseColor"]) == pytest.approx((0.5, 0.8, 0.7))
    assert metal["metallic"] == 1 and metal["roughness"] == pytest.approx(0.2)
    assert stuff["clearcoat"] == pytest.approx(0.5) and stuff["clearcoatRoughness"] == pytest.approx(0.1)
    # 300 cd/m2 in its colour; a luminance of 1 there stands for 1000
    weights = np.array([0.2126, 0.7152, 0.0722])
    assert np.dot(weights, stuff["emissiveColor"]) == pytest.approx(0.3, rel=1e-3)
    gauze = read("gauze_on_gauze")
    assert gauze["opacityMode"] == "presence" and "opacity" in gauze
    assert (tmp_path / "a_maps" / "gauze_on_gauze_geometry_opacity.png").exists()


@pytest.mark.long
def test_every_file_of_the_demo_passes_its_checker(demo, tmp_path, standard):
    """Khronos' validator, `UsdValidation` and `validate()` on all that the demo is exported as."""
    project, assets = demo
    export_glb(tmp_path / "demo.glb", project, assets, GlbOptions(size=256))
    assert gltf_issues(tmp_path / "demo.glb") == []
    export_usd(tmp_path / "demo.usdz", project, assets, UsdOptions(size=256))
    stage = Usd.Stage.Open(str(tmp_path / "demo.usdz"))
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    found = UsdValidation.ValidationContext(validators).Validate(stage)
    assert {error.GetName() for error in found} <= {"MissingShaderIdInRegistry"}
    write_materials(tmp_path / "nodes.mtlx", project.materials, assets, 64)
    valid(tmp_path / "nodes.mtlx", standard)
    write_product(tmp_path / "maps.mtlx", flattened(project, assets, 128), assets)
    valid(tmp_path / "maps.mtlx", standard)
