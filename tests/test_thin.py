"""Thin films, thin sheets, splitting of light, and surfaces that are only partly there."""

import numpy as np
import pytest
from numba import njit
from test_rendering import AHEAD, EVEN, ball, floor, take

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.dispersion import SPLIT
from mat_shelf.optics.measurements import measure
from mat_shelf.optics.thin_film import film_on_dielectric, film_on_metal
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.rooms import plain_room


@njit(error_model="numpy")
def soap(cos_i, film, base, way):
    return film_on_dielectric(F(cos_i), F(film), F(base), F(way))


@njit(error_model="numpy")
def tinted_metal(cos_i, film, way):
    color, tint = (F(0.9), F(0.6), F(0.4)), (F(1), F(0.9), F(0.8))
    return film_on_metal(F(cos_i), F(film), color, tint, F(1), F(way))


def exact_film(cos_i, film, base, thickness):
    """Transfer matrices of a film (Born and Wolf 1.6.2), nm by nm, seen by the CIE 1931 observer under D65 through
    `mitsuba`'s own tables."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    nm = np.arange(380.0, 781.0)
    sine = np.sqrt(1 - cos_i**2)
    inside, behind = np.sqrt(1 - (sine / film) ** 2 + 0j), np.sqrt(1 - (sine / base) ** 2 + 0j)
    phase = 2 * np.pi * film * thickness * inside / nm
    seen = 0
    for first, middle, last in (
        (cos_i, film * inside, base * behind),
        (1 / cos_i, film / inside, base / behind),
    ):
        b = np.cos(phase) + 1j * np.sin(phase) * last / middle
        c = last * np.cos(phase) + 1j * middle * np.sin(phase)
        seen = seen + np.abs((first * b - c) / (first * b + c)) ** 2 / 2
    xyz = np.array([np.ravel(mi.cie1931_xyz(float(x))) * float(mi.cie_d65(float(x))) for x in nm])
    to_rgb = np.array(
        [[3.2404542, -1.5371385, -0.4985314], [-0.969266, 1.8760108, 0.041556], [0.0556434, -0.2040259, 1.0572252]]
    )
    weights = xyz @ to_rgb.T
    return (seen[:, None] * weights).sum(axis=0) / weights.sum(axis=0)


@pytest.mark.parametrize("thickness", [80, 250, 500, 1000])
@pytest.mark.parametrize(("film", "base"), [(1.33, 1.0), (1.38, 1.52), (2.3, 1.5)])
@pytest.mark.parametrize("cos_i", [1.0, 0.5])
def test_film_shows_the_colours_of_the_exact_sum(thickness, film, base, cos_i):
    """Airy's sum, by wavelength; colours within 0.01, as bands of 12.5 nm stand for the spectrum."""
    wanted = np.clip(exact_film(cos_i, film, base, thickness), 0, 1)
    assert soap(cos_i, film, base, film * thickness) == pytest.approx(wanted, abs=0.01)


def test_film_without_thickness_is_not_there():
    assert soap(0.7, 1.8, 1.5, 0.0) == pytest.approx([exact_film(0.7, 1.0, 1.5, 0)[1]] * 3, abs=1e-4)
    assert tinted_metal(1.0, 2.4, 0.0) == pytest.approx([0.9, 0.6, 0.4], abs=1e-4)


def test_steel_turns_straw_then_blue():
    """Heat tint (common practice): a thin oxide looks straw-yellow, a thicker one blue."""
    grey = Recipe(base_metalness=1.0, base_color=(0.55, 0.54, 0.53), specular_roughness=0.1, thin_film_ior=2.3)
    straw = measure(grey.with_(thin_film_weight=1.0, thin_film_thickness=0.045), 20_000).lab
    blue = measure(grey.with_(thin_film_weight=1.0, thin_film_thickness=0.07), 20_000).lab
    assert straw[2] > 5 and blue[2] < -10


def test_pane_reflects_from_both_faces():
    """Stokes 1862: a clear pane of reflectance R a face reflects 2 R / (1 + R); R = 0.04 for an index of 1.5."""
    pane = measure(Recipe(transmission_weight=1.0, geometry_thin_walled=True, specular_roughness=0.0), 100_000)
    assert pane.albedo[0] == pytest.approx([0.0769] * 3, abs=0.002)
    assert pane.transmitted[0] == pytest.approx([0.9231] * 3, abs=0.002)


def test_film_on_rough_glass_keeps_most_light():
    """Energy compensation knows the bare boundary only: what a film then loses stays within 6 percent."""
    for roughness, least in ((0.2, 0.985), (1.0, 0.94)):
        oiled = Recipe(transmission_weight=1.0, thin_film_weight=1.0, thin_film_ior=1.7, specular_roughness=roughness)
        found = measure(oiled, 40_000)
        for angle in (0, 45, 75):
            whole = found.albedo[angle] + found.transmitted[angle]
            assert least < whole.min() and whole.max() < 1.01


def test_varnish_laid_on_with_a_brush_keeps_most_light():
    """Of brushed boundaries the tables know even ones of the same area of highlight: at most 3 percent is lost."""
    varnish = Recipe(base_color=(1, 1, 1), coat_weight=1.0, coat_roughness=0.3, coat_roughness_anisotropy=0.4)
    found = measure(varnish, 40_000)
    assert min(found.albedo[angle].min() for angle in (0, 45, 75)) > 0.97 and found.most < 1.012


def test_bubble_does_not_bend_what_is_behind_it():
    """Through a thin-walled ball the horizon stays where it is; a solid one turns it upside down."""
    room = make_lights(plain_room(2000, 100))
    empty = take([ball(1, at=(0, 0, 500))], [Recipe()], room, AHEAD, size=(32, 32), samples=32)
    clear = Recipe(transmission_weight=1.0, specular_roughness=0.0)
    bubble = take([ball()], [clear.with_(geometry_thin_walled=True)], room, AHEAD, size=(32, 32), samples=64)
    solid = take([ball()], [clear], room, AHEAD, size=(32, 32), samples=64)

    def fall(p):
        return p[12, 14:18].mean() - p[20, 14:18].mean()

    assert fall(bubble) == pytest.approx(fall(empty), rel=0.25)
    assert fall(solid) * fall(empty) < 0


def test_splitting_follows_a_real_glass():
    """SCHOTT N-BK7: Sellmeier coefficients (from memory of the data sheet), nd 1.5168, Abbe number 64.17."""

    def index(nm):
        x = (nm / 1000) ** 2
        terms = ((1.03961212, 0.00600069867), (0.231792344, 0.0200179144), (1.01046945, 103.560653))
        return np.sqrt(1 + sum(b * x / (x - c) for b, c in terms))

    assert index(587.6) == pytest.approx(1.5168, abs=2e-5)
    for nm, split in zip((612.0, 549.0, 465.0), SPLIT, strict=True):
        assert 1.5168 + (1.5168 - 1) / 64.17 * split == pytest.approx(index(nm), abs=2e-4)


@pytest.mark.long
def test_split_light_is_white_again_on_the_whole():
    """A crystal ball in an even room is as white with dispersion as without, and has coloured rims where light ends."""
    crystal = Recipe(
        transmission_weight=1.0,
        specular_roughness=0.0,
        specular_ior=1.6,
        transmission_dispersion_scale=1.0,
        transmission_dispersion_abbe_number=20,
    )
    even = take([ball()], [crystal], make_lights(EVEN), AHEAD, size=(32, 32), samples=128, depth=32)
    assert even[10:22, 10:22].mean(axis=(0, 1)) == pytest.approx([1, 1, 1], abs=0.03)
    lamp = make_lights(EVEN * 0, [Light(position=(0, 0, -600), target=(0, 0, 0), width=60, height=60)])

    def colour(recipe):
        seen = take([ball()], [recipe], lamp, AHEAD, size=(32, 32), samples=256, depth=8)
        seen = seen / seen.mean(axis=(0, 1))
        return np.abs(seen[..., 0] - seen[..., 2]).mean()

    assert colour(crystal) > 3 * colour(crystal.with_(transmission_dispersion_scale=0.0)) + 0.01


def test_gauze_lets_light_past_and_through_to_what_is_below():
    """A surface of opacity 0.25 hides a quarter of what is behind it, and shades a floor by a quarter."""
    black = Recipe(base_color=(0, 0, 0), specular_weight=0.0, geometry_opacity=0.25)
    seen = take([ball()], [black], make_lights(EVEN), AHEAD, size=(32, 32), samples=256)
    assert seen[15:17, 15:17].mean() == pytest.approx(0.75**2, abs=0.03)  # through its front and its back
    lamp = make_lights(EVEN * 0, [Light(position=(0, 900, 0), target=(0, 0, 0), width=200, height=200)])
    above = Camera(position=(0, 300, 300), target=(0, 0, 0), focal_length=200)
    white = Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)
    high = floor()
    high = type(high)(high.vertices + np.float32([0, 600, 0]), high.triangles, high.normals)
    bare = take([floor()], [white], lamp, above, size=(16, 16), samples=64).mean()
    shaded = take([floor(), high], [white, black], lamp, above, size=(16, 16), samples=1024).mean()
    assert shaded / bare == pytest.approx(0.75, abs=0.04)
