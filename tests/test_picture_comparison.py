"""Two pictures compared: the numbers, the maps, and the command."""

import json

import colour
import flip_evaluator
import numpy as np
import pytest
from PIL import Image
from PIL.ImageFilter import GaussianBlur

from mat_shelf.cli import main
from mat_shelf.exchange.color_profiles import COLOR_SPACES
from mat_shelf.exchange.image_form import PLAIN
from mat_shelf.exchange.image_writing import write_image
from mat_shelf.exchange.picture_comparison import compare_files, read_picture
from mat_shelf.rendering.picture_difference import difference_map, picture_difference


@pytest.fixture
def pictures(tmp_path):
    """A picture, and the same a little blurred and warmer."""
    random = np.random.default_rng(3)
    rough = random.integers(0, 256, (9, 13, 3)).astype(np.uint8)
    one = Image.fromarray(rough).resize((130, 90), Image.Resampling.BICUBIC)
    other = np.asarray(one.filter(GaussianBlur(1.5))).astype(int) + (6, 0, -6)
    paths = tmp_path / "one.png", tmp_path / "other.png"
    one.save(paths[0])
    Image.fromarray(np.clip(other, 0, 255).astype(np.uint8)).save(paths[1])
    return paths


def test_the_numbers_are_those_of_independent_libraries(pictures, capsys, tmp_path):
    assert main(["compare", *map(str, pictures), "--json", "-o", str(tmp_path / "map.png")]) == 0
    told = json.loads(capsys.readouterr().out)
    shown = [np.asarray(Image.open(path)) / 255 for path in pictures]
    lab = [colour.XYZ_to_Lab(colour.sRGB_to_XYZ(each)) for each in shown]
    apart = colour.delta_E(*lab, method="CIE 2000")
    assert abs(told["ciede2000_mean"] / apart.mean() - 1) < 2e-3
    assert abs(told["ciede2000_most"] / apart.max() - 1) < 5e-3
    assert abs(told["share_clearly_seen"] - (apart > 3).mean()) < 5e-3
    # The authors' library reads the files itself here.
    seen = flip_evaluator.evaluate(*map(str, pictures), "LDR", applyMagma=False)[1]
    assert abs(told["flip_mean"] - seen) < 1e-4
    found = np.asarray(Image.open(tmp_path / "map.png").convert("L")).astype(float)
    bright, dark = apart > np.quantile(apart, 0.9), apart < np.quantile(apart, 0.1)
    assert found.shape == (90, 130) and found[bright].mean() > found[dark].mean() + 30


def test_a_picture_is_no_different_from_itself_in_other_profiles_and_bits(tmp_path):
    """Written by the program in three colour spaces, and as light."""
    random = np.random.default_rng(4)
    light = np.repeat(np.repeat(random.random((8, 10, 3), np.float32) ** 2 * 0.6, 6, 0), 6, 1)
    names = []
    for key, space in COLOR_SPACES.items():
        names.append(tmp_path / f"{key}.png")
        write_image(names[-1], light, None, PLAIN._replace(space=space, bits=16))
    names.append(tmp_path / "light.exr")
    write_image(names[-1], light)
    for name in names[1:]:
        numbers = compare_files(names[0], name).numbers()
        assert numbers["ciede2000_95"] < 1.0 and numbers["flip_mean"] < 0.03, name
    bare = [np.asarray(Image.open(tmp_path / f"{key}.png").convert("RGB")) for key in ("srgb", "oprgb")]
    assert picture_difference(*bare).numbers()["ciede2000_95"] > 3  # as it would be without the profiles


def test_what_is_clear_lies_on_white(tmp_path):
    light, alpha = np.zeros((8, 8, 3), np.float32), np.zeros((8, 8, 1), np.float32)
    light[:4], alpha[:4] = 0.2, 1
    for ending in ("png", "exr"):
        write_image(tmp_path / f"a.{ending}", light, alpha)
        shown = read_picture(tmp_path / f"a.{ending}")
        assert (shown[4:] > 225).all() and (shown[:4] < 130).all()


def test_the_maps_get_lighter_with_the_difference_and_end_at_their_most():
    values = np.linspace(0, 20, 200)[None]
    grey = np.asarray(Image.fromarray(difference_map(values, 10.0)).convert("L"))[0].astype(int)
    assert (np.diff(grey) >= -1).all() and grey[-1] == grey[110] and grey[99] > grey[50] + 40 > grey[0] + 60
    assert (difference_map(np.array([[np.nan, -1.0]]), 10.0) == difference_map(np.zeros((1, 2)), 10.0)).all()


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda path: path.write_bytes(b"no picture"), "other.png"),
        (lambda path: Image.new("RGB", (130, 110)).save(path), "130 × 110"),
        (lambda path: path.unlink(), "other.png"),
    ],
)
def test_what_cannot_be_compared_is_said(pictures, make, words, capsys):
    make(pictures[1])
    assert main(["compare", *map(str, pictures)]) == 2
    said = capsys.readouterr().err
    assert words in said and said.count("\n") == 1 and "Traceback" not in said


def test_of_two_sizes_the_smaller_counts(pictures, capsys):
    with Image.open(pictures[1]) as picture:
        picture.resize((390, 270), Image.Resampling.BICUBIC).save(pictures[1])
    assert main(["compare", *map(str, pictures), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["width"], told["height"]) == (130, 90) and 1 < told["ciede2000_mean"] < 20


def test_a_map_is_a_png(pictures, tmp_path, capsys):
    assert main(["compare", *map(str, pictures), "-o", str(tmp_path / "map.jpg")]) == 2
    assert ".png" in capsys.readouterr().err and not (tmp_path / "map.jpg").exists()


def test_it_can_be_cancelled():
    picture = np.zeros((200, 10, 3), np.uint8)
    with pytest.raises(InterruptedError):
        picture_difference(picture, picture, lambda: True)
