"""Files that leave the program: read back by others, with their resolution, colours, words and masks."""

import io
import json
import xml.etree.ElementTree as ElementTree

import colour
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image, ImageCms

from mat_shelf.document.product import Zone
from mat_shelf.exchange.color_profiles import COLOR_SPACES, LINEAR, encoded, icc_profile
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import Form, ending_of
from mat_shelf.exchange.image_writing import write_image
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.cryptomatte import cryptomatte, name_number, ranked
from mat_shelf.rendering.final_render import render_picture

ABOUT = (("Product", 'Desk <set> & "more"'), ("Samples", "64"))
DC = "{http://purl.org/dc/elements/1.1/}"
RDF = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}"


@pytest.fixture(scope="module")
def light():
    return np.random.default_rng(2).random((40, 60, 3), np.float32)


@pytest.mark.parametrize("ending", ["png", "tiff", "jpg", "webp", "avif"])
def test_resolution_profile_and_words_are_read_by_another_library(ending, light, tmp_path):
    path = tmp_path / f"a.{ending}"
    write_image(path, light, form=Form(8, COLOR_SPACES["display-p3"], 300.0, about=ABOUT))
    with Image.open(path) as seen:
        assert seen.size == (60, 40) and seen.mode == "RGB"
        profile = ImageCms.ImageCmsProfile(io.BytesIO(seen.info["icc_profile"]))
        assert ImageCms.getProfileDescription(profile).strip() == "Display P3"
        if ending in ("png", "tiff", "jpg"):
            assert seen.info["dpi"] == pytest.approx((300, 300), abs=0.1)
        if ending in ("tiff", "png"):
            words = seen.tag_v2[270] if ending == "tiff" else seen.text["Description"]  # ImageDescription of TIFF 6.0
            assert dict(ABOUT)["Product"] in words and "Samples: 64" in words
            return
        whole = ElementTree.fromstring(seen.info["xmp"].decode().split("?>", 1)[1].rsplit("<?xpacket", 1)[0])
        assert whole.find(f".//{DC}title/{RDF}Alt/{RDF}li").text == dict(ABOUT)["Product"]
        assert "Samples: 64" in whole.find(f".//{DC}description/{RDF}Alt/{RDF}li").text


@pytest.mark.parametrize("key", COLOR_SPACES)
def test_colours_are_those_of_the_standards(key):
    """By colour-science, which has them under its own names, and by littlecms through the profile."""
    colours = np.random.default_rng(1).random((500, 3), np.float32)
    greys = np.array([0.002, 0.02, 0.18])
    curve = encoded(np.repeat(greys[:, None], 3, axis=1).astype(np.float32), COLOR_SPACES[key])[:, 0]
    known = (
        each
        for each in colour.RGB_COLOURSPACES.values()
        if np.allclose(each.primaries, COLOR_SPACES[key].primaries, atol=1e-6)
        and np.allclose(each.whitepoint, (0.3127, 0.329), atol=1e-4)
    )
    space = min(known, key=lambda each: abs(each.cctf_encoding(greys) - curve).max())
    linear = colour.RGB_to_RGB(colours, "ITU-R BT.709", space, apply_cctf_decoding=False)
    made = encoded(colours, COLOR_SPACES[key])
    assert made == pytest.approx(np.clip(space.cctf_encoding(np.clip(linear, 0, 1)), 0, 1), abs=2e-3)
    plain = np.round(encoded(colours, COLOR_SPACES["srgb"]) * 255).astype(np.uint8)[None]
    profile = ImageCms.ImageCmsProfile(io.BytesIO(icc_profile(COLOR_SPACES[key])))
    way = ImageCms.buildTransform(ImageCms.createProfile("sRGB"), profile, "RGB", "RGB", renderingIntent=1)
    by_profile = np.asarray(ImageCms.applyTransform(Image.fromarray(plain), way))[0].astype(int)
    assert abs(by_profile - np.round(made * 255)).max() <= 3


def test_tiff_of_32_bits_has_linear_light(light, tmp_path):
    write_image(tmp_path / "a.tiff", 5 * light, form=Form(32))
    assert (tifffile.imread(tmp_path / "a.tiff") == 5 * light).all()
    with tifffile.TiffFile(tmp_path / "a.tiff") as seen:
        assert seen.pages[0].tags["InterColorProfile"].value == icc_profile(LINEAR)


def test_white_and_black_grounds_of_a_cut_out_are_its_edges_over_them(small_project, tmp_path):
    """The file with alpha, laid over white by hand, is the file on white."""
    project, assets = small_project
    form = Form(16)
    cut = RenderSettings(60, 40, 8, denoise=False, cut_out=True, form=form)
    render_to_file(project, assets, tmp_path / "alpha.tiff", cut)
    on_white = RenderSettings(60, 40, 8, denoise=False, cut_out=True, form=form._replace(on_white=True))
    render_to_file(project, assets, tmp_path / "white.tiff", on_white)
    alpha, white = (tifffile.imread(tmp_path / f"{name}.tiff").astype(float) / 65535 for name in ("alpha", "white"))
    assert white.shape[2] == 3 and (white[alpha[..., 3] == 0] == 1).all()
    share = alpha[..., 3:]
    by_hand = colour.cctf_encoding(colour.cctf_decoding(alpha[..., :3]) * share + (1 - share))
    assert white == pytest.approx(by_hand, abs=1.5e-3)


@pytest.mark.parametrize(
    ("name", "options", "words"),
    [
        ("a.jpg", {"alpha": True}, "JPEG has neither alpha"),
        ("a.webp", {"bits": 16}, "WEBP has at most 8 bits"),
        ("a.png", {"bits": 32}, "PNG has at most 16 bits"),
        ("a.png", {"layers": True}, "passes need an EXR"),
        ("a.gif", {}, "must end in"),
    ],
)
def test_what_a_format_cannot_hold_is_said(name, options, words, tmp_path):
    with pytest.raises(ImageError, match=words):
        ending_of(tmp_path / name, **options)


@pytest.mark.parametrize(
    ("text", "number"),
    [("hello", 0x248BFA47), ("hello, world", 0x149BBB7F), ("The quick brown fox jumps over the lazy dog", 0x2E4FF723)],
)
def test_numbers_of_names_are_murmur_hashes(text, number):
    """Published values of MurmurHash3_x86_32 with seed 0 (from memory)."""
    assert name_number(text).view(np.uint32) == number


def test_numbers_of_names_are_proper_floats():
    for k in range(20_000):
        number = name_number(f"part {k}")
        assert np.isfinite(number) and abs(number) >= np.finfo(np.float32).tiny


def test_ranks_are_in_order_and_sum_to_one():
    keys = np.random.default_rng(3).integers(0, 4, (64, 50))
    made = ranked(keys, np.array([1, 2, 3, 4], np.float32))
    assert made[..., 1].sum(axis=1) == pytest.approx(1, abs=1e-6) and (np.diff(made[..., 1], axis=1) <= 0).all()
    assert (ranked(np.full((8, 3), -1), np.ones(1, np.float32)) == 0).all()


def test_cryptomatte_gives_each_part_its_mask(plain_demo, tmp_path):
    """Decoded as the specification says, by another library's reader."""
    project, assets = plain_demo
    settings = RenderSettings(90, 60, 8, denoise=False, has_ids=True, form=Form(16))
    rendered, _ = render_to_file(project, assets, tmp_path / "a.exr", settings)
    with OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True) as file:
        header, channels = dict(file.header()), {name: channel.pixels for name, channel in file.channels().items()}
    assert channels["R"].dtype == np.float16 and channels["CryptoObject00.R"].dtype == np.float32
    keys = {words: name.split("/")[1] for name, words in header.items() if name.endswith("/name")}
    assert {"CryptoObject", "CryptoMaterial"} <= set(keys)
    passes = render_aovs(project, rendered, ("parts", "materials"))
    for layer, kind in (("CryptoObject", "part"), ("CryptoMaterial", "material")):
        manifest = json.loads(header[f"cryptomatte/{keys[layer]}/manifest"])
        assert header[f"cryptomatte/{keys[layer]}/hash"] == "MurmurHash3_32"
        ids = np.stack([channels[f"{layer}{k:02d}.{c}"] for k in range(3) for c in "RB"])
        shares = np.stack([channels[f"{layer}{k:02d}.{c}"] for k in range(3) for c in "GA"])
        assert shares.sum(axis=0) == pytest.approx(1, abs=1e-6)
        for name, digits in manifest.items():
            number = np.array([int(digits, 16)], np.uint32).view(np.float32)[0]
            mask = np.where(ids == number, shares, 0).sum(axis=0)
            expected = passes.get(f"{kind}.{name}")
            assert mask == pytest.approx(0 if expected is None else expected[..., 0], abs=1e-6), name


def test_cryptomatte_tells_zones_apart(small_project):
    project, assets = small_project
    part = project.part("block")
    mesh = assets.meshes[part.mesh]
    corners = mesh.vertices[mesh.triangles]
    upward = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 1] > 0
    lid = Zone(id="lid", name="Lid", faces=assets.add_faces(np.flatnonzero(upward).astype(np.int32)))
    project = project.with_part(part.with_(zones=(lid,)))
    rendered = render_picture(project, assets, 60, 40, 4, denoise=False)
    layers, _ = cryptomatte(project, rendered, assets)
    of_lid = layers["CryptoAsset00"][..., 0] == name_number("Block, Lid")
    of_block = layers["CryptoObject00"][..., 0] == name_number("Block")
    assert of_lid.any() and not of_lid[~of_block & (layers["CryptoObject00"][..., 1] == 1)].any()
    assert (of_block & (layers["CryptoAsset00"][..., 1] == 0)).any()  # its other sides are in no zone
