"""Colour and tone mapping against their standards."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mat_shelf.optics import color
from mat_shelf.rendering.tone import develop, tone_map


def test_srgb_curve():
    """IEC 61966-2-1: both branches meet at 0.0031308; code 128 is 0.2158605 linear (from memory)."""
    assert color.encode_srgb(0.0031308) == pytest.approx(0.04045, abs=1e-5)
    assert color.decode_srgb(128 / 255) == pytest.approx(0.2158605, abs=1e-6)
    assert color.encode_srgb([0.0, 1.0]) == pytest.approx([0.0, 1.0])


@given(st.tuples(*[st.integers(0, 255)] * 3))
def test_hexadecimal_survives(rgb):
    text = "#{:02X}{:02X}{:02X}".format(*rgb)
    assert color.hex_from_linear(color.linear_from_hex(text)) == text


@pytest.mark.parametrize("text", ["", "#12", "red", "#GG0000", "#1234567"])
def test_other_text_is_no_colour(text):
    with pytest.raises(ValueError, match="six hexadecimal digits"):
        color.linear_from_hex(text)


def test_lab_of_the_primaries():
    """CIELAB of sRGB red, green and blue under D65, as widely published (from memory)."""
    expected = [[53.24, 80.09, 67.20], [87.73, -86.18, 83.18], [32.30, 79.19, -107.86]]
    assert color.lab_from_linear(np.eye(3)) == pytest.approx(np.array(expected), abs=0.05)
    assert color.linear_from_lab(color.lab_from_linear([0.1, 0.4, 0.7])) == pytest.approx([0.1, 0.4, 0.7])


def test_black_body_tints():
    """A 6500 K black body is nearly D65's white, a little pinker; 2856 K (CIE illuminant A, x 0.4476, y 0.4074)."""
    assert color.black_body(6500) == pytest.approx([1, 1, 1], abs=0.06)
    xyz = color.XYZ_FROM_RGB @ color.black_body(2856)
    assert xyz[:2] / xyz.sum() == pytest.approx([0.4476, 0.4074], abs=0.004)
    assert color.luminance(color.black_body(3200)) == pytest.approx(1, abs=1e-5)


def test_tone_mapper_specification():
    """Khronos PBR Neutral: below 0.8 - F90 only the Fresnel offset 0.04 is taken off; hue stays; white is the limit."""
    assert tone_map([0.5, 0.4, 0.3]) == pytest.approx([0.46, 0.36, 0.26], abs=1e-6)
    dark = np.array([0.04, 0.04, 0.04], np.float32)  # below 0.08 the offset is x - 6.25 x^2
    assert tone_map(dark) == pytest.approx(6.25 * dark**2, abs=1e-6)
    bright = tone_map(np.array([[5.0, 5.0, 5.0], [1e6, 1e6, 1e6]], np.float32))
    assert (bright < 1.0 + 1e-6).all() and bright[1, 0] > bright[0, 0] > 0.9
    # Start of compression at 0.76 = 0.8 - 0.04: continuous there.
    assert tone_map([0.8, 0.8, 0.8]) == pytest.approx([0.76, 0.76, 0.76], abs=1e-5)


def test_exact_colours_stay_as_they_are_up_to_their_shoulder():
    """By definition; a brand's colour, matt and evenly lit, keeps its sRGB. Brighter ones come together below 1."""
    colors = np.random.default_rng(2).uniform(0, 0.8, (500, 3)).astype(np.float32)
    assert tone_map(colors, tone_curve="exact") == pytest.approx(colors, abs=1e-6)
    assert np.abs(develop(colors[None], tone_curve="exact") - 255.0 * color.encode_srgb(colors)).max() <= 0.55
    bright = tone_map(np.float32([[0.9] * 3, [2.0] * 3, [50.0] * 3]), tone_curve="exact")[:, 0]
    assert 0.8 < bright[0] < bright[1] < bright[2] < 1


def test_the_filmic_curve_is_the_published_fit():
    """S. Hill's fit, computed in float64 from its three published tables (BakingLab, 2016; from memory), and what is
    known of film: greys stay grey, 0.18 is where it was, the toe is darker, and pure bright colours fade.
    """
    into = np.array([[0.59719, 0.35458, 0.04823], [0.076, 0.90834, 0.01566], [0.0284, 0.13383, 0.83777]])
    out = np.array([[1.60475, -0.53108, -0.07367], [-0.10208, 1.10813, -0.00605], [-0.00327, -0.07276, 1.07602]])
    light = np.random.default_rng(6).uniform(0, 4, (300, 3))
    film = into @ (light * 1.4619).T
    film = (film * (film + 0.0245786) - 0.000090537) / (film * (0.983729 * film + 0.432951) + 0.238081)
    assert tone_map(light, "filmic") == pytest.approx(np.clip((out @ film).T, 0, 1), abs=2e-5)
    assert into.sum(axis=1) == pytest.approx(np.ones(3), abs=1e-4)  # white is kept by both
    assert out.sum(axis=1) == pytest.approx(np.ones(3), abs=1e-4)
    greys = tone_map(np.repeat(np.float32([0.02, 0.18, 1.0, 40.0]), 3).reshape(-1, 3), "filmic")
    assert np.ptp(greys, axis=1).max() < 1e-4
    assert greys[1, 0] == pytest.approx(0.18, abs=1e-3)
    assert greys[0, 0] < 0.02 < 0.6 < greys[2, 0] < greys[3, 0] <= 1
    red = tone_map(np.float32([[0.2, 0, 0], [30.0, 0, 0]]), "filmic")
    assert red[0, 1] < 0.02 and red[1, 1] > 0.3


def test_a_stop_doubles_the_light():
    light = np.full((2, 2, 3), 0.2, np.float32)
    assert (develop(light, 1.0) == develop(light * 2)).all()
    assert develop(light, 1.0)[0, 0, 0] > develop(light)[0, 0, 0]
