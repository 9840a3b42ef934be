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
    assert tone_map(colors, is_exact=True) == pytest.approx(colors, abs=1e-6)
    assert np.abs(develop(colors[None], is_exact=True) - 255.0 * color.encode_srgb(colors)).max() <= 0.55
    bright = tone_map(np.float32([[0.9] * 3, [2.0] * 3, [50.0] * 3]), is_exact=True)[:, 0]
    assert 0.8 < bright[0] < bright[1] < bright[2] < 1


def test_a_stop_doubles_the_light():
    light = np.full((2, 2, 3), 0.2, np.float32)
    assert (develop(light, 1.0) == develop(light * 2)).all()
    assert develop(light, 1.0)[0, 0, 0] > develop(light)[0, 0, 0]
