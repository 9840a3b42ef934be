"""Products as GLB with textures: checked by Khronos' validator, and read back by `trimesh` and by our own reader."""

import io

import numpy as np
import pytest
import trimesh
from checkers import gltf_issues
from gltf_samples import four_colors
from PIL import Image

from mat_shelf.document.ids import new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.product import Part, Pose, Product, Zone
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.losses import gltf_losses, product_losses
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.models.product_glb import GlbOptions, export_glb
from mat_shelf.exchange.product_import import new_project, product_of
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.solids import box
from mat_shelf.optics.color import decode_srgb
from mat_shelf.patterns.sources import Checker, Pictured
from mat_shelf.patterns.sources.noise import Noise

SIZE = GlbOptions(size=256)


def png(pixels: np.ndarray) -> bytes:
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG")
    return data.getvalue()


def image_of(assets: Assets, pixels: np.ndarray, name: str) -> ImageRef:
    digest, kind = assets.add_map(png(pixels))
    return ImageRef(name=name, digest=digest, kind=kind)


def square(width: float = 100.0):
    corners = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]) * width
    return checked(corners, [[0, 1, 2], [0, 2, 3]], uv=[[0, 0], [1, 0], [1, 1], [0, 1]])


def fed(recipe: Recipe, name: str, step, placement: Placement, low, high) -> Recipe:
    pattern = Pattern(id=new_id("pattern"), name=name, steps=(step,), placement=placement)
    return recipe.with_pattern(pattern).with_feed(Feed(input=name, pattern=pattern.id, low=low, high=high))


def checkered(size: float) -> Recipe:
    """Squares on the six sides of a part: 0.8 and 0.2 of a red, with a roughness the other way round."""
    placement = Placement(projection="box", size=size, blend=0.0)
    recipe = fed(Recipe(), "base_color", Checker(), placement, (0.0, 0.0, 0.0), (1.0, 0.5, 0.25))
    return fed(recipe, "specular_roughness", Checker(), placement, 1.0, 0.0)


def project_of(assets, materials, parts, **more):
    made = new_project(Product(name="Things", parts=parts), materials, (100, 100, 100))
    return made.with_(**more)


def exported(path, project, assets, options=SIZE) -> list[str]:
    notes = export_glb(path, project, assets, options)
    assert gltf_issues(path) == []
    return notes


def sampled(image: Image.Image, uv) -> np.ndarray:
    """Texels of an image at coordinates that `trimesh` gives, which count v upwards."""
    pixels = np.asarray(image, np.float64) / 255
    rows = np.clip(((1 - uv[:, 1]) * pixels.shape[0]).astype(int), 0, pixels.shape[0] - 1)
    columns = np.clip((uv[:, 0] * pixels.shape[1]).astype(int), 0, pixels.shape[1] - 1)
    return pixels[rows, columns]


def test_patterns_are_baked_where_they_are_seen(tmp_path):
    """A checker on a turned cube without UVs: what `trimesh` reads at a place is what its square there says."""
    assets = Assets()
    cube = assets.add(NamedMesh("cube", box((40, 40, 40), 0)))
    pose = Pose(shift=(5, 20, -3), turn=(0, 30, 0))
    part = Part(id="cube", name="Cube", mesh=cube, material="squares", pose=pose)
    project = project_of(assets, (Material(id="squares", name="Squares", recipe=checkered(10.0)),), (part,))
    path = tmp_path / "cube.glb"
    assert exported(path, project, assets) == []
    scene = trimesh.load(path, force="scene")
    (solid,) = scene.geometry.values()
    material = solid.visual.material
    points, faces = trimesh.sample.sample_surface(solid, 4000, seed=3)
    corners = trimesh.triangles.points_to_barycentric(solid.triangles[faces], points)
    uv = (solid.visual.uv[solid.faces[faces]] * corners[..., None]).sum(axis=1)
    turn = np.radians(-30)
    local = points * 1000 - np.array(pose.shift)
    local = local @ np.array([[np.cos(turn), 0, -np.sin(turn)], [0, 1, 0], [np.sin(turn), 0, np.cos(turn)]])
    at = (np.abs(local) / 10) % 1
    side = np.abs(local).argmax(axis=1)
    inner = np.ones(len(points), bool)
    for axis in range(3):  # away from the borders of squares, where texels mix
        inner &= (side == axis) | (np.abs(at[:, axis] - 0.5) < 0.35)
    across = np.floor(local / 10).astype(int)
    across[np.arange(len(points)), side] = 0
    light = across.sum(axis=1) % 2 == 0
    color = decode_srgb(sampled(material.baseColorTexture, uv)[:, :3])
    meant = np.where(light, 0.8, 0.2)[:, None] * np.array([1.0, 0.5, 0.25])
    # each side may begin with either square: what counts is that a side is one checker
    for axis in range(3):
        chosen = inner & (side == axis)
        same = np.abs(color[chosen] - meant[chosen]).max(axis=1) < 0.02
        other = np.abs(color[chosen] - (np.array([1.0, 0.5, 0.25]) - meant[chosen])).max(axis=1) < 0.02
        assert chosen.sum() > 300 and max(same.mean(), other.mean()) > 0.99
    rough = sampled(material.metallicRoughnessTexture, uv)[:, 1]
    assert rough[inner] == pytest.approx(1 - color[inner, 0], abs=0.03)


def test_images_on_uvs_stay_as_they_came(tmp_path):
    """The very bytes, moved as before: our own reader finds the recipe that was written."""
    assets = Assets()
    label, rough = four_colors(), np.zeros((4, 4, 3), np.uint8)
    rough[..., 1], rough[..., 2] = 100, 200
    lies = Placement(projection="whole uv", size=1.0, repeat=(2.0, 0.5), turn=30.0, shift=(0.25, -0.125))
    shown, both = image_of(assets, label, "label.png"), image_of(assets, rough, "rough.png")
    recipe = fed(Recipe(), "base_color", Pictured(picture=shown), lies, (0.0,) * 3, (1.0, 0.5, 1.0))
    plain = {"picture": both, "space": "plain"}
    recipe = fed(recipe, "specular_roughness", Pictured(shown="green", **plain), lies, 0.0, 0.5)
    recipe = fed(recipe, "base_metalness", Pictured(shown="blue", **plain), lies, 0.0, 1.0)
    part = Part(id="a", name="Square", mesh=assets.add(NamedMesh("a", square())), material="a")
    project = project_of(assets, (Material(id="a", name="Card", recipe=recipe),), (part,))
    path = tmp_path / "card.glb"
    exported(path, project, assets)
    assert png(label) in path.read_bytes() and png(rough) in path.read_bytes()
    _, (back,) = product_of(import_model(path), Assets())
    for name in ("base_color", "specular_roughness", "base_metalness"):
        ours, theirs = (r.pattern(r.feed(name).pattern) for r in (recipe, back.recipe))
        assert recipe.feed(name).high == back.recipe.feed(name).high
        assert ours.steps[0].picture.digest == theirs.steps[0].picture.digest
        for key in ("repeat", "turn", "shift"):
            assert getattr(theirs.placement, key) == pytest.approx(getattr(ours.placement, key), abs=1e-5)


CONSTANT = Recipe(
    base_color=(0.2, 0.4, 0.6),
    specular_roughness=0.35,
    specular_weight=0.8,
    specular_color=(1.0, 0.9, 0.8),
    specular_ior=1.6,
    coat_weight=0.5,
    coat_roughness=0.1,
    coat_ior=1.5,
    coat_darkening=0.0,
    fuzz_weight=0.4,
    fuzz_color=(1.0, 0.5, 0.25),
    fuzz_roughness=0.3,
    thin_film_weight=0.7,
    thin_film_thickness=0.45,
    thin_film_ior=1.33,
    emission_luminance=300.0,
    emission_color=(1.0, 0.5, 0.25),
)
GLASS = Recipe(
    base_color=(1.0, 1.0, 1.0),
    specular_roughness=0.0,
    specular_ior=1.52,
    transmission_weight=1.0,
    transmission_color=(0.5, 0.8, 0.7),
    transmission_depth=25.0,
    transmission_dispersion_scale=0.5,
    transmission_dispersion_abbe_number=30.0,
    coat_ior=1.5,
    coat_darkening=0.0,
)
METAL = Recipe(
    base_color=(0.9, 0.7, 0.3),
    base_metalness=1.0,
    specular_roughness=0.2,
    specular_roughness_anisotropy=0.6,
    brush_turn=30.0,
    coat_ior=1.5,
    coat_darkening=0.0,
)


@pytest.mark.parametrize("recipe", [CONSTANT, GLASS, METAL], ids=["coated", "glass", "metal"])
def test_constants_come_back_as_they_were(tmp_path, recipe):
    """Recipe to glTF to recipe: what is lost is what was listed, which of these is the brushing's direction alone."""
    assets = Assets()
    part = Part(id="a", name="Block", mesh=assets.add(NamedMesh("a", box((40, 40, 40), 2))), material="a")
    project = project_of(assets, (Material(id="a", name="Stuff", recipe=recipe),), (part,))
    exported(tmp_path / "a.glb", project, assets)
    _, (back,) = product_of(import_model(tmp_path / "a.glb"), Assets())
    abbe = {"transmission_dispersion_scale", "transmission_dispersion_abbe_number"}
    for name in Recipe.model_fields:
        if name in abbe or not isinstance(getattr(recipe, name), float | tuple) or not getattr(recipe, name):
            continue
        assert getattr(back.recipe, name) == pytest.approx(getattr(recipe, name), abs=1e-4), name
    if recipe.transmission_dispersion_scale:  # one number there; the Abbe number over its scale here
        ratio = [r.transmission_dispersion_abbe_number / r.transmission_dispersion_scale for r in (recipe, back.recipe)]
        assert ratio[0] == pytest.approx(ratio[1], rel=1e-5)
    lost = ["brushing goes by the UVs instead of an axis"] if recipe is METAL else []
    assert gltf_losses(recipe) == lost


def test_overlays_flatten_as_they_mix_and_losses_are_listed(tmp_path):
    """Half dust by a black and white image over a blue: at each texel the base is one, the other, or their mean."""
    assets = Assets()
    mask = np.zeros((4, 4), np.uint8)
    mask[:2], mask[2, :] = 255, 128
    dust = fed(
        Recipe(base_color=(0.8, 0.8, 0.8), specular_roughness=0.9),
        "fuzz_weight",
        Pictured(picture=image_of(assets, mask, "mask.png"), space="plain"),
        Placement(projection="whole uv", size=1.0),
        0.0,
        0.0,
    )
    dust = dust.without_feed("fuzz_weight")
    lying = Overlay(id="dust", name="Dust", recipe=dust, mask=dust.patterns[0].id)
    base = Recipe(base_color=(0.1, 0.2, 0.6), specular_roughness=0.1, subsurface_weight=0.5, coat_weight=1.0)
    part = Part(id="a", name="Square", mesh=assets.add(NamedMesh("a", square())), material="a")
    material = Material(id="a", name="Dusty", recipe=base.with_overlay(lying))
    project = project_of(assets, (material,), (part,))
    exported(tmp_path / "a.glb", project, assets)
    (solid,) = trimesh.load(tmp_path / "a.glb", force="scene").geometry.values()
    rough = np.asarray(solid.visual.material.metallicRoughnessTexture)[..., 1] / 255
    assert rough[64].mean() == pytest.approx(0.9, abs=0.01) and rough[224].mean() == pytest.approx(0.1, abs=0.01)
    middle = rough[int(256 * 0.625)].mean()
    assert middle == pytest.approx(0.1 + 0.8 * 128 / 255, abs=0.02)
    said = " / ".join(product_losses(project, gltf_losses))
    for words in ("scattered inside becomes a plain colour", "coat's index becomes 1.5", "darkening below the coat"):
        assert words in said


def test_labels_are_sheets_with_their_own_artwork(tmp_path):
    """A label on a turned block lies a hair off its face, upright, in the artwork's own pixels; stamps are told."""
    assets = Assets()
    art = np.dstack([four_colors().repeat(8, 0).repeat(8, 1), np.full((64, 64), 255, np.uint8)])
    art[:8, :, 3] = 0
    pose = Pose(shift=(10, 20, 0), turn=(0, 90, 0))
    part = Part(id="a", name="Block", mesh=assets.add(NamedMesh("a", box((40, 40, 40), 0))), pose=pose)
    mark = {"part": "a", "point": (0.0, 20.0, 20.0), "facing": (0.0, 0.0, 1.0), "width": 20.0, "height": 20.0}
    shown = image_of(assets, art, "art.png")
    marks = (
        Mark(id="front", name="Front label", art=shown, **mark),
        Mark(id="emblem", name="Emblem", kind="stamp", art=shown, **mark),
    )
    project = project_of(assets, (), (part,), marks=marks)
    assert exported(tmp_path / "a.glb", project, assets) == ["stamp 'Emblem' was left out"]
    assert any("Emblem" in line for line in product_losses(project, gltf_losses))
    scene = trimesh.load(tmp_path / "a.glb", force="scene")
    sheet = scene.geometry["Front label"]
    bounds = sheet.bounds * 1000
    assert bounds[:, 0] == pytest.approx([30, 30], abs=0.1) and (bounds[:, 0] > 30).all()  # +z turned to +x
    assert np.ptp(bounds, axis=0)[1:] == pytest.approx([20, 20], abs=0.01)
    assert (sheet.face_normals[:, 0] > 0.999).all()
    image = sheet.visual.material.baseColorTexture
    assert image.size == (64, 64)
    # +x of the part points to -z of the world now; the label's right is there
    right, up = sheet.vertices[:, 2].argmin(), sheet.vertices[:, 1].argmax()
    assert sheet.visual.uv[right, 0] == pytest.approx(1) and sheet.visual.uv[up, 1] == pytest.approx(1)
    places = np.array([[0.25, 0.8], [0.75, 0.8], [0.25, 0.2], [0.75, 0.2], [0.5, 0.97]])
    shown = sampled(image, places)
    assert shown[:4] == pytest.approx(np.array([[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 1], [1, 1, 1, 1]]), abs=0.01)
    assert shown[4, 3] == 0


def test_variants_of_materials_are_variants_of_the_file(tmp_path):
    """KHR_materials_variants: names, and what each primitive wears in them."""
    from mat_shelf.exchange.models.gltf_file import GltfFile

    assets = Assets()
    block = box((40, 40, 40), 2)
    top = np.flatnonzero(np.repeat(np.arange(6), len(block.triangles) // 6) == 0)
    mesh = assets.add(NamedMesh("a", block))
    zones = (Zone(id="z", name="Top", faces=assets.add_faces(top), material="grey"),)
    parts = (Part(id="a", name="Block", mesh=mesh, material="wax", zones=zones),)
    materials = (
        Material(id="wax", name="Wax", recipe=Recipe(base_color=(0.8, 0.1, 0.1))),
        Material(
            id="plum", name="Wax, plum", recipe=Recipe(base_color=(0.3, 0, 0.3)), parent="wax", own=("base_color",)
        ),
        Material(id="grey", name="Grey"),
    )
    project = project_of(assets, materials, parts)
    path = tmp_path / "wax.glb"
    exported(path, project, assets)
    text = GltfFile(path, path.read_bytes()).text
    assert text["extensions"]["KHR_materials_variants"]["variants"] == [{"name": "Wax, plum"}]
    worn = {}
    for primitive in text["meshes"][0]["primitives"]:
        name = text["materials"][primitive["material"]]["name"]
        found = primitive.get("extensions", {}).get("KHR_materials_variants", {}).get("mappings", [])
        worn[name] = [(text["materials"][m["material"]]["name"], m["variants"]) for m in found]
    assert worn == {"Wax": [("Wax, plum", [0])], "Grey": []}
    _, back = product_of(import_model(path), Assets())
    by_name = {material.name: material for material in back}
    plum, wax = by_name["Wax, plum"], by_name["Wax"]
    assert plum.parent == wax.id and plum.recipe.base_color == pytest.approx((0.3, 0, 0.3)) and "base_color" in plum.own
    exported(path, project, assets, GlbOptions(size=64, has_variants=False))
    assert "KHR_materials_variants" not in path.read_text(errors="ignore")


def test_an_export_is_cancelled_without_a_trace(tmp_path):
    assets = Assets()
    part = Part(id="a", name="Block", mesh=assets.add(NamedMesh("a", box((40, 40, 40), 2))), material="a")
    noise = fed(Recipe(), "specular_roughness", Noise(), Placement(size=5.0), 0.1, 0.6)
    noise = noise.with_relief(Relief(id="r", pattern=noise.patterns[0].id, height=0.5))
    project = project_of(assets, (Material(id="a", name="Noise", recipe=noise),), (part,))
    path = tmp_path / "a.glb"
    path.write_bytes(b"before")
    asked = []

    def stop(what, done, total):
        asked.append(what)
        return not what.startswith("Baking")

    with pytest.raises(InterruptedError):
        export_glb(path, project, assets, SIZE, stop)
    assert path.read_bytes() == b"before" and list(tmp_path.iterdir()) == [path] and "Unwrapping" in asked
    exported(path, project, assets)
    (solid,) = trimesh.load(path, force="scene").geometry.values()
    normals = np.asarray(solid.visual.material.normalTexture, np.float64)[..., :3] / 127.5 - 1
    lengths = np.linalg.norm(normals, axis=2)
    assert np.median(lengths) == pytest.approx(1, abs=0.02) and normals[..., :2].std() > 0.01
