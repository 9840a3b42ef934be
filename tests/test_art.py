"""Art and pictures of relief against littlecms, an independent writer of layers, and each other."""

import io
from contextlib import suppress

import numpy as np
import pytest
from PIL import Image, ImageCms
from psd_tools import PSDImage

from mat_shelf.exchange.artwork_decoding import separate_pieces
from mat_shelf.exchange.image_reading import (
    ImageError,
    layer_names,
    page_count,
    pixels_per_mm,
    read_artwork,
    read_layer,
    read_page,
)
from mat_shelf.patterns.relief_images import (
    flattened,
    height_of_normals,
    height_of_photograph,
    normals_of_height,
)


def saved(picture: Image.Image, kind="PNG", **options) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **options)
    return out.getvalue()


def opened(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)))


def test_profiles_are_followed_and_alpha_is_kept():
    """A colour in CIELAB, written with littlecms's own profile of it, comes back as littlecms shows it in sRGB."""
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB"))
    color = Image.new("LAB", (8, 8), (140, 128 + 40, 128 + 30))
    meant = ImageCms.profileToProfile(color, lab, ImageCms.createProfile("sRGB"), outputMode="RGB")
    data = saved(color, "TIFF", icc_profile=lab.tobytes())
    assert np.abs(opened(read_artwork(data)).astype(int) - np.asarray(meant).astype(int)).max() <= 2
    plain = saved(Image.new("RGBA", (4, 4), (10, 20, 30, 40)))
    assert read_artwork(plain) == plain
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    kept = opened(read_artwork(saved(Image.new("RGBA", (4, 4), (10, 20, 30, 40)), icc_profile=srgb)))
    assert np.abs(kept.astype(int) - (10, 20, 30, 40)).max() <= 1


def test_inks_become_colours_and_damage_ends_in_words():
    cyan = opened(read_artwork(saved(Image.new("CMYK", (8, 8), (255, 0, 0, 0)), "TIFF")))
    assert cyan.shape == (8, 8, 3) and cyan[0, 0, 0] < 30 and cyan[0, 0, 1:].min() > 225
    whole = saved(Image.new("CMYK", (64, 64), (9, 9, 9, 0)), "JPEG")
    with pytest.raises(ImageError, match="damaged"):
        read_artwork(whole[: len(whole) // 3])


def test_pages_are_drawn_at_their_size_and_damage_ends_in_words():
    """A PDF by an independent writer: two pages of one inch and two by one, and one that is broken off."""
    pages = [Image.new("RGB", (100, 100), (200, 20, 20)), Image.new("RGB", (200, 100), (20, 20, 200))]
    data = saved(pages[0], "PDF", resolution=100, save_all=True, append_images=pages[1:])
    assert page_count(data) == 2
    second = read_page(data, 1)
    shown = opened(second)
    assert shown.shape[1] == pytest.approx(2 * shown.shape[0], abs=2) and shown.shape[2] == 4
    assert np.abs(shown[shown.shape[0] // 2, shown.shape[1] // 2].astype(int) - (20, 20, 200, 255)).max() <= 4
    assert shown.shape[1] / pixels_per_mm(second) == pytest.approx(2 * 25.4, rel=0.01)
    assert pixels_per_mm(saved(pages[0])) is None and pixels_per_mm(saved(pages[0], dpi=(72, 72))) is None
    with pytest.raises(ImageError, match="no such page"):
        read_page(data, 2)
    for broken in (b"%PDF-1.7", data[:200], b"\0" * 64):
        with pytest.raises(ImageError, match="PDF cannot be read|no pages|damaged"):
            page_count(broken)


def layered(shade: float = 1.0) -> bytes:
    document = PSDImage.new("RGB", (40, 30))
    bright = round(200 * shade)
    document.create_pixel_layer(Image.new("RGBA", (10, 8), (bright, 20, 20, 255)), name="Foil", left=5, top=3)
    document.create_pixel_layer(Image.new("RGBA", (12, 6), (20, 20, bright, 255)), name="Words", left=20, top=20)
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def test_layers_are_told_by_name_and_stand_where_they_stood():
    data = layered()
    assert layer_names(data) == ["Foil", "Words"]
    foil, words = opened(read_layer(data, 0)), opened(read_layer(data, 1))
    assert foil.shape == (30, 40, 4)
    assert tuple(foil[5, 7]) == (200, 20, 20, 255) and foil[20, 25, 3] == 0
    assert foil[..., 3].sum() == 80 * 255 and tuple(words[22, 25, :3]) == (20, 20, 200)
    with pytest.raises(ImageError, match="no such layer"):
        read_layer(data, 2)
    for cut in (10, 40):
        with pytest.raises(ImageError):
            layer_names(data[:cut])
    for cut in range(60, len(data), 97):  # nothing but a message ends it
        with suppress(ImageError):
            layer_names(data[:cut])
            read_layer(data[:cut], 1)


def test_labels_on_a_sheet_are_cut_apart_by_its_alpha():
    sheet = np.zeros((120, 200, 4), np.uint8)
    boxes = [(slice(10, 50), slice(10, 80)), (slice(12, 52), slice(100, 190)), (slice(70, 110), slice(40, 140))]
    for rows, columns in boxes:
        sheet[rows, columns] = 255
    sheet[60:62, 5:7] = 255  # a speck
    sheet[20:40, 82:84] = 255  # a hair's breadth beside the first one belongs to it
    found = separate_pieces(sheet)
    assert found[1:] == boxes[1:] and found[0] == (slice(10, 50), slice(10, 84))
    assert separate_pieces(np.full((20, 20, 4), 255, np.uint8)) == [(slice(0, 20), slice(0, 20))]


def waves(size=128) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size] * (2 * np.pi / size)
    height = np.sin(3 * x + y) + 0.5 * np.cos(5 * y - 2 * x)
    return ((height - height.min()) / np.ptp(height)).astype(np.float32)


@pytest.mark.parametrize("is_green_down", [False, True])
def test_heights_come_back_from_their_normals(is_green_down):
    height, rise = waves(), 0.04
    normals = normals_of_height(height, rise)
    assert np.allclose(normals.mean(axis=(0, 1))[:2], 0.5, atol=0.01)
    if is_green_down:
        normals[..., 1] = 1 - normals[..., 1]
    pixels = np.round(normals * 255).astype(np.uint8)
    back, found = height_of_normals(pixels, is_green_down)
    assert found == pytest.approx(rise, rel=0.04)
    assert np.abs(back - height).max() < 0.03


def test_normals_of_a_slope_are_as_steep_as_it_is():
    """A ramp that rises by 0.1 over half of the picture is 0.2 steep: its normal leans by atan(0.2) = 11.3 degrees."""
    ramp = np.abs(np.linspace(-1, 1, 200, endpoint=False))[None].repeat(8, axis=0).astype(np.float32)
    normals = normals_of_height(ramp, 0.1)[:, 120:180]
    lean = np.degrees(np.arctan2(1 - 2 * normals[..., 0], 2 * normals[..., 2] - 1))
    assert lean == pytest.approx(np.degrees(np.arctan(0.2)), abs=0.1)


def test_uneven_light_is_taken_out_of_a_photograph_and_its_ground_laid_flat():
    relief = waves()
    x = np.linspace(0.4, 1.6, 128, dtype=np.float32)[None]
    photograph = np.clip(0.3 + 0.2 * relief + 0.25 * (x - 1), 0, 1)[..., None]
    lit, evened = (height_of_photograph(photograph, even=even) for even in (0.0, 0.12))
    assert np.corrcoef(evened.ravel(), relief.ravel())[0, 1] > 0.95 > np.corrcoef(lit.ravel(), relief.ravel())[0, 1]
    flat = flattened(relief, 0.5, 0.1)
    assert (flat[np.abs(relief - 0.5) < 0.1] == 0.5).all()
    assert np.allclose(flat[np.abs(relief - 0.5) > 0.2], relief[np.abs(relief - 0.5) > 0.2])
