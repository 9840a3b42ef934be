"""Finished pictures: passes against geometry, masks, cut-outs, glow, and the files they are kept in."""

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image

from mat_shelf.document.camera import Camera, View
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Backdrop, Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import Form
from mat_shelf.exchange.image_writing import write_image
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.solids import box, lathe, moved
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.final_render import render_picture

RADIUS, FAR, CENTRE = 40.0, 500.0, (0.0, 50.0, 0.0)


@pytest.fixture(scope="module")
def scene():
    """A glowing ball of radius 40 between two boxes, seen level from 500 mm."""
    assets = Assets()
    angle = np.linspace(-np.pi / 2, np.pi / 2, 200)
    profile = np.stack([RADIUS * np.cos(angle), RADIUS * np.sin(angle)], axis=1)
    ball = assets.add(NamedMesh("ball", moved(lathe(profile, 256), CENTRE)))
    block = assets.add(NamedMesh("block", moved(box((40, 60, 40), 2), (75, 5, 0))))
    twin = assets.add(NamedMesh("twin", moved(box((40, 60, 40), 2), (-75, 5, 0))))
    glow = Recipe(base_weight=0.0, specular_weight=0.0, emission_luminance=250.0, emission_color=(1.0, 0.5, 0.2))
    project = Project(
        name="Scene",
        product=Product(
            name="Scene",
            parts=(
                Part(id="ball", name="Ball", mesh=ball, material="glow"),
                Part(id="block", name="Block v1.2", mesh=block, material="grey"),
                Part(id="twin", name="Twin", mesh=twin, material="grey"),
            ),
        ),
        materials=(Material(id="glow", name="Glow", recipe=glow), Material(id="grey", name="Grey")),
        sets=(Set(id="s", name="s", surround=200, ground=200, backdrop=Backdrop(depth=200, height=400)),),
        current_set="s",
        views=(View(id="final", name="Final", camera=Camera(position=(0, CENTRE[1], FAR), target=CENTRE)),),
    )
    return project, assets


@pytest.fixture(scope="module")
def rendered(scene):
    return render_picture(*scene, 90, 60, 24, seed=3, keeps_apart=True)


def test_depth_and_position_lie_on_the_ball(scene, rendered):
    made = render_aovs(scene[0], rendered, ("depth", "position", "normal"))
    middle = 30, 45
    assert made["depth"][middle][0] == pytest.approx(FAR - RADIUS, abs=0.05)
    ball = np.linalg.norm(made["position"] - CENTRE, axis=2) < RADIUS * 1.2
    on_ball = ball & (made["depth"][..., 0] < FAR)
    assert on_ball.sum() > 100
    distances = np.linalg.norm(made["position"][on_ball] - CENTRE, axis=1)
    assert abs(distances - RADIUS).max() < 0.05  # mm: the sphere's facets are 0.03 mm flat
    straight = made["normal"][middle]
    assert straight == pytest.approx((0, 0, 1), abs=0.05)
    # A pinhole sees the ball in a circle of tan(asin(r / d)): its area on the 36 mm wide frame.
    apparent = np.pi * (np.tan(np.arcsin(RADIUS / FAR)) * 105 / 36 * 90) ** 2
    assert render_aovs(scene[0], rendered, ("parts",))["part.Ball"].sum() == pytest.approx(apparent, rel=0.01)


def test_masks_sum_to_one(scene, rendered):
    made = render_aovs(scene[0], rendered, ("parts", "materials"))
    for kind in ("part.", "material."):
        masks = [mask for name, mask in made.items() if name.startswith(kind)]
        assert sum(masks) == pytest.approx(np.ones((60, 90, 1)), abs=1e-5)
    both = made["part.Block v1.2"] + made["part.Twin"]
    assert made["material.Grey"] == pytest.approx(both, abs=1e-6)
    edges = made["part.Ball"][(made["part.Ball"] > 0) & (made["part.Ball"] < 1)]
    assert len(np.unique(edges)) > 8  # soft, not stairs


def test_a_glowing_surface_has_its_luminance(rendered):
    """An emission of 250 cd/m2, 1000 being 1 in the picture (SI); its CIE Y, by the weights of IEC 61966-2-1."""
    seen = rendered.film.picture()[30, 45]
    assert seen @ (0.2126390, 0.7151687, 0.0721923) == pytest.approx(0.25, rel=1e-4)
    assert seen / seen[0] == pytest.approx((1.0, 0.5, 0.2), rel=1e-4)


def test_a_cut_out_keeps_what_the_product_reflects_and_nothing_else(scene):
    project, assets = scene
    cut = render_picture(project, assets, 90, 60, 24, seed=3, cut_out=True, denoise=False)
    masks = render_aovs(project, cut, ("parts",))
    product = sum(mask for name, mask in masks.items() if name not in ("part.Backdrop", "part.No part"))
    assert cut.alpha == pytest.approx(product, abs=1e-5)
    assert cut.light[cut.alpha[..., 0] == 0].max() == 0
    whole = render_picture(project, assets, 90, 60, 24, seed=3, denoise=False)
    inside = cut.alpha[..., 0] == 1
    assert (cut.light[inside] == whole.light[inside]).all()  # the same paths: the backdrop still lights it


def test_a_time_limit_ends_the_render(scene):
    limited = render_picture(*scene, 90, 60, 100_000, seconds=0.3, denoise=False)
    assert 1 <= limited.film.samples < 100_000


def test_deep_files_with_alpha_are_read_by_others(scene, tmp_path):
    cut = render_picture(*scene, 90, 60, 8, seed=3, cut_out=True)
    path = tmp_path / "out.tiff"
    write_image(path, cut.light, cut.alpha, form=Form(16))
    deep = tifffile.imread(path)
    assert deep.shape == (60, 90, 4) and deep.dtype == np.uint16
    assert deep[..., 3] == pytest.approx(cut.alpha[..., 0] * 65535, abs=1)
    write_image(tmp_path / "out.png", cut.light, cut.alpha)
    shallow = np.asarray(Image.open(tmp_path / "out.png"))
    assert shallow.shape == (60, 90, 4)
    solid = shallow[..., 3] == 255
    assert abs(shallow[solid][:, :3] / 255 - deep[solid][:, :3] / 65535).max() < 1.1 / 255
    write_image(tmp_path / "deep.png", cut.light, cut.alpha, form=Form(16))
    assert (tmp_path / "deep.png").read_bytes()[24] == 16  # bit depth in the IHDR chunk (PNG, 11.2.2)
    with pytest.raises(ImageError, match="JPEG has neither alpha nor 16 bits"):
        write_image(tmp_path / "out.jpg", cut.light, cut.alpha)


def test_passes_are_layers_of_an_exr(scene, rendered, tmp_path):
    made = render_aovs(scene[0], rendered)
    path = tmp_path / "out.exr"
    write_image(path, rendered.light, layers=made)
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = {name: channel.pixels for name, channel in file.channels().items()}
    assert (channels["R"] == rendered.light[..., 0]).all()
    assert (channels["depth.Z"] == made["depth"][..., 0]).all()
    assert (channels["normal.X"] == made["normal"][..., 0]).all()
    assert (channels["part.Block v1_2.Y"] == made["part.Block v1.2"][..., 0]).all()
    with pytest.raises(ImageError, match="passes need an EXR"):
        write_image(tmp_path / "out.png", rendered.light, layers=made)


def test_parts_of_an_exr_are_read_apart_and_small_files_keep_what_must_be_exact(scene, rendered, tmp_path):
    """By the format's own library: parts and their packing; DWAA is lossy in channels called R, G and B (OpenEXR's
    technical introduction), which masks by number are too.
    """
    made = render_aovs(scene[0], rendered)
    numbers = np.random.default_rng(1).random((*rendered.light.shape[:2], 4), np.float32)
    made["CryptoObject00"] = made["CryptoObject01"] = numbers
    kinds = {name.partition(".")[0] for name in made if not name.startswith("Crypto")} | {"CryptoObject"}
    for packing, has_parts in (("zip", False), ("zip", True), ("dwaa", False), ("dwaa", True)):
        path = tmp_path / f"{packing}{has_parts}.exr"
        write_image(path, rendered.light, form=Form(32, packing=packing, has_parts=has_parts), layers=made)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            parts = [(part.name(), part.header["compression"], part.channels) for part in file.parts]
            planes = {name: channel.pixels for *_, channels in parts for name, channel in channels.items()}
        expected = {(False, "zip"): 1, (False, "dwaa"): 2}.get((has_parts, packing), 1 + len(kinds))
        assert len(parts) == expected and len({name for name, *_ in parts}) == expected
        assert (planes["depth.Z"] == made["depth"][..., 0]).all()
        assert (planes["CryptoObject00.R"] == numbers[..., 0]).all()
        assert (planes["part.Block v1_2.Y"] == made["part.Block v1.2"][..., 0]).all()
        lossy = OpenEXR.DWAA_COMPRESSION
        assert {compression for _, compression, _ in parts} - {OpenEXR.ZIP_COMPRESSION} == (
            {lossy} if packing == "dwaa" else set()
        )
        assert (planes["R"] == rendered.light[..., 0]).all() == (packing == "zip")
        assert np.abs(planes["R"] - rendered.light[..., 0]).mean() < 0.01 * rendered.light[..., 0].mean()
    write_image(tmp_path / "plain.exr", rendered.light, form=Form(16, packing="dwaa"))
    write_image(tmp_path / "exact.exr", rendered.light, form=Form(16))
    assert (tmp_path / "plain.exr").stat().st_size < 0.7 * (tmp_path / "exact.exr").stat().st_size
