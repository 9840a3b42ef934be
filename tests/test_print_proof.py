"""Pictures shown as a printing process prints them, by its ICC profile."""

import numpy as np
import pytest
from driving import picture_of
from PIL import Image, ImageCms
from print_profiles import cmyk_profile, squeezed

from mat_shelf.exchange.color_profiles import COLOR_SPACES, icc_profile
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.print_profile import read_print_profile
from mat_shelf.optics.color import decode_srgb, encode_srgb
from mat_shelf.rendering.color_lookup import looked_up

LEAST = 0.3
"""The least that a channel of the made-up process has, sRGB-coded."""


@pytest.fixture(scope="module")
def profile(tmp_path_factory):
    path = tmp_path_factory.mktemp("profiles") / "Gannet press.icc"
    path.write_bytes(cmyk_profile(LEAST))
    return path


def printed_by(table, levels: np.ndarray) -> np.ndarray:
    """Levels of 8 bits as a table shows them."""
    linear = decode_srgb(levels / 255.0).astype(np.float32)
    return np.round(255 * encode_srgb(looked_up(linear, table))).astype(np.uint8)


def test_colours_are_those_of_a_print_and_back(profile):
    """By littlecms in two steps, to the inks and back; the process itself says how it prints."""
    proof = read_print_profile(profile)
    assert proof.printed.name == "Gannet press"
    colors = np.random.default_rng(1).integers(0, 256, (1, 400, 3), np.uint8)
    shown = printed_by(proof.printed, colors)
    screen, press = ImageCms.createProfile("sRGB"), ImageCms.ImageCmsProfile(str(profile))
    relative, flags = ImageCms.Intent.RELATIVE_COLORIMETRIC, ImageCms.Flags.BLACKPOINTCOMPENSATION
    to_press = ImageCms.buildTransform(screen, press, "RGB", "CMYK", relative, flags)
    to_screen = ImageCms.buildTransform(press, screen, "CMYK", "RGB", relative)
    inks = ImageCms.applyTransform(Image.fromarray(colors), to_press)
    expected = np.asarray(ImageCms.applyTransform(inks, to_screen))
    assert np.abs(shown.astype(int) - expected).mean() < 1.5 and np.abs(shown.astype(int) - expected).max() < 14
    held = (colors > 150).all(axis=2)  # far from the black, whose compensation moves dark tones
    assert held.any() and np.abs(shown[held].astype(int) - squeezed(colors[held] / 255, LEAST) * 255).mean() < 9


def test_what_cannot_be_printed_is_marked_and_nothing_else(profile):
    proof = read_print_profile(profile)
    colors = np.array([[[255, 20, 20], [200, 190, 180], [255, 255, 255], [10, 240, 30]]], np.uint8)
    as_it_is, marked = (printed_by(table, colors).astype(int)[0] for table in (proof.printed, proof.marked))
    is_green = (marked[:, 1] > 180) & (marked[:, 0] < 60)
    assert is_green.tolist() == [True, False, False, True]
    assert (marked[1:3] == as_it_is[1:3]).all() and np.abs(as_it_is[2] - 255).max() <= 2


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no ICC profile"),
        (b"\0" * 400, "no ICC profile"),
        (icc_profile(COLOR_SPACES["srgb"]), "no printing process"),
        (cmyk_profile(LEAST)[:2000], "ICC profile|missing|damaged"),
    ],
)
def test_other_files_are_refused_in_words(data, words, tmp_path):
    path = tmp_path / "a.icc"
    path.write_bytes(data)
    with pytest.raises(ImageError, match=words):
        read_print_profile(path)


@pytest.mark.long
def test_random_damage_ends_in_a_message_or_a_print(tmp_path):
    whole, path = cmyk_profile(LEAST), tmp_path / "a.icc"
    random = np.random.default_rng(2)
    for _ in range(12):
        data = np.frombuffer(whole, np.uint8).copy()
        places = random.integers(0, 600, 6)
        data[places] = random.integers(0, 256, 6)
        path.write_bytes(data.tobytes())
        try:
            read_print_profile(path)
        except ImageError as fault:
            assert str(fault)


def test_the_window_shows_it_and_files_stay(open_window, small_project, qtbot, profile):
    window = open_window(*small_project)
    work, workshop = window.hand_over, window.workshop
    before = picture_of(qtbot, window)
    work.set_print_profile(profile)
    qtbot.waitUntil(lambda: work.proof is not None, timeout=30_000)
    printed = picture_of(qtbot, window)
    assert printed.min() >= 255 * LEAST - 30 > before.min() or np.abs(printed.astype(int) - before).mean() > 2
    work.show_print(True, True)
    marked = picture_of(qtbot, window)
    assert (marked != printed).any()
    work.show_print(False, False)
    assert np.abs(picture_of(qtbot, window).astype(int) - before).mean() < 2
    workshop.undo()
    workshop.undo()
    workshop.undo()
    assert work.proof is None
    work.set_print_profile(profile.with_name("gone.icc"))
    qtbot.waitUntil(lambda: "gone.icc was not used" in window.notice.text.text(), timeout=10_000)
