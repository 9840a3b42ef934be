"""The surface against published values. Sources stand beside each check."""

import math

import numpy as np
import pytest
from numba import njit

from mat_shelf.document.recipe import Recipe
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.optics import parameters as P
from mat_shelf.optics import surface
from mat_shelf.optics.albedo_lookup import dielectric_albedo, mirror_albedo
from mat_shelf.optics.albedo_tables import albedo_tables
from mat_shelf.optics.coat_and_fuzz import NO_LAYERS, evaluate_layered, prepare_layered, sample_layered
from mat_shelf.optics.diffuse import eon_several_color, eon_terms
from mat_shelf.optics.fresnel import fresnel_dielectric, fresnel_metal
from mat_shelf.optics.media import absorption
from mat_shelf.optics.microfacet import ggx_density, smith_g1, widths
from mat_shelf.optics.parameters import parameter_row


@njit(error_model="numpy")
def reflectance(cos_i, eta):
    return fresnel_dielectric(F(cos_i), F(eta))


@pytest.mark.parametrize(("ior", "f0"), [(1.333, 0.0204), (1.5, 0.04), (2.417, 0.172)])
def test_normal_reflectance_of_water_glass_and_diamond(ior, f0):
    """Born and Wolf, Principles of Optics, 1.5.2: ((n - 1) / (n + 1))^2."""
    assert reflectance(1.0, ior) == pytest.approx(f0, abs=2e-4)


def test_glass_at_brewster_and_beyond_the_critical_angle():
    """Born and Wolf 1.5.3 and 1.5.4. At Brewster's angle only half of unpolarised light's s part comes back:
    for n = 1.5, 0.5 * ((n^2 - 1) / (n^2 + 1))^2 = 0.0740."""
    assert reflectance(math.cos(math.atan(1.5)), 1.5) == pytest.approx(0.0740, abs=1e-4)
    critical = math.asin(1 / 1.5)
    assert reflectance(math.cos(critical + 1e-3), 1 / 1.5) == 1.0
    assert reflectance(math.cos(critical - 0.05), 1 / 1.5) < 0.5


@njit(error_model="numpy")
def metal(cos_i, f0, tint):
    return fresnel_metal(F(cos_i), F(f0), F(tint))


def test_metal_colour_straight_on_and_at_82_degrees():
    """OpenPBR Surface 1.1, "Metal": F(0) is the colour; at cos = 1/7 the tint times Schlick's value."""
    assert metal(1.0, 0.6, 0.3) == pytest.approx(0.6, abs=1e-6)
    schlick = 0.6 + 0.4 * (6 / 7) ** 5
    assert metal(1 / 7, 0.6, 0.3) == pytest.approx(0.3 * schlick, abs=1e-5)
    assert metal(0.0, 0.6, 0.3) == pytest.approx(1.0, abs=1e-5)


@njit(error_model="numpy")
def projected_microfacets(roughness, anisotropy, cos_v, weighted):
    """Integral over the hemisphere, by a fine grid in an angle that resolves sharp peaks."""
    ax, ay = widths(F(roughness), F(anisotropy))
    view = (F(math.sqrt(1 - cos_v * cos_v)), F(0), F(cos_v))
    steps, turns = 2000, 256
    total = 0.0
    for i in range(steps):
        tangent = ax * math.tan((i + 0.5) / steps * math.pi / 2)  # dense where the peak is
        theta = math.atan(tangent)
        d_theta = ax * (1 + (tangent / ax) ** 2) / (1 + tangent * tangent) * math.pi / 2 / steps
        for j in range(turns):
            phi = (j + 0.5) / turns * 2 * math.pi
            h = (F(math.sin(theta) * math.cos(phi)), F(math.sin(theta) * math.sin(phi)), F(math.cos(theta)))
            density = ggx_density(h, ax, ay) * math.sin(theta) * d_theta * 2 * math.pi / turns
            if weighted:
                facing = view[0] * h[0] + view[1] * h[1] + view[2] * h[2]
                total += density * max(facing, 0.0) * smith_g1(view, ax, ay)
            else:
                total += density * h[2]
    return total


@pytest.mark.parametrize("roughness", [0.1, 0.3, 0.7, 1.0])
@pytest.mark.parametrize("anisotropy", [0.0, 0.6])
def test_microfacets_cover_the_surface_once(roughness, anisotropy):
    """Walter et al. 2007, eq. 4: D times the cosine integrates to 1."""
    assert projected_microfacets(roughness, anisotropy, 1.0, False) == pytest.approx(1.0, abs=2e-3)


@pytest.mark.parametrize("cos_v", [0.95, 0.5, 0.15])
@pytest.mark.parametrize("roughness", [0.2, 0.8])
def test_visible_microfacets_fill_the_view(roughness, cos_v):
    """Heitz 2014, eq. 2: visible microfacets project to the cosine of the view."""
    assert projected_microfacets(roughness, 0.0, cos_v, True) == pytest.approx(cos_v, rel=5e-3)


@kernel  # kept on disk: several processes run these tests
def _scatter(p, wo, eta, numbers, tables, wi, values, pdfs):
    """As the path tracer does at a hit; one kernel for all, because it takes a third of a minute to compile."""
    is_layered, layers = p[0, P.LAYERED] > 0, NO_LAYERS
    if is_layered:
        lobes, _, layers = prepare_layered(p, 0, wo, F(eta), tables, eta > 1)
    else:
        lobes = surface.prepare_lobes(p, 0, wo, F(eta), tables, eta > 1)
    for k in range(len(wi)):
        toward = (wi[k, 0], wi[k, 1], wi[k, 2])
        if len(numbers) > 0:
            pick, u, v = numbers[k, 0], numbers[k, 1], numbers[k, 2]
            if is_layered:
                toward = sample_layered(lobes, layers, wo, pick, u, v)
            else:
                toward = surface.sample_bsdf(lobes, wo, pick, u, v)
            wi[k, 0], wi[k, 1], wi[k, 2] = toward
        if toward[2] != 0:
            if is_layered:
                value, pdf = evaluate_layered(p, 0, lobes, layers, wo, toward)
            else:
                value, pdf = surface.evaluate_bsdf(p, 0, lobes, wo, toward)
            values[k], pdfs[k] = value[0], pdf


NO_NUMBERS = np.zeros((0, 3), np.float32)


def evaluated(p, wo, wi, eta=1.5, numbers=NO_NUMBERS):
    """Red values of the surface, times the cosine, and densities, for some directions of light, (N,) each."""
    values, pdfs = np.zeros((2, len(wi)), np.float32)
    _scatter(p, tuple(np.float32(wo)), eta, numbers, albedo_tables(), wi, values, pdfs)
    return values.astype(float), pdfs.astype(float)


def sampled(p, cos_o, eta, numbers):
    """Directions that are sampled for a view, (N, 3), 0 where light is absorbed; their values and densities."""
    wi = np.zeros_like(numbers)
    return wi, *evaluated(p, (math.sqrt(1 - cos_o * cos_o), 0, cos_o), wi, eta, numbers)


def sampled_albedo(p, cos_o, eta, numbers):
    wi, values, pdfs = sampled(p, cos_o, eta, numbers)
    squeezed = np.where((wi[:, 2] < 0) & (p[0, P.THIN] == 0), eta * eta, 1.0)
    return np.divide(values * squeezed, pdfs, out=np.zeros_like(values), where=pdfs > 0).mean()


WHITE = {
    "metal": {"base_metalness": 1.0},
    "plastic": {"specular_ior": 1.5},
    "chalk": {"base_diffuse_roughness": 1.0},
    "glass": {"transmission_weight": 1.0},
    "lacquer": {"coat_weight": 1.0},
    "lacquered metal": {"base_metalness": 1.0, "coat_weight": 1.0, "coat_roughness": 0.2},
    "velvet": {"fuzz_weight": 1.0},
    "brushed": {"base_metalness": 1.0, "specular_roughness_anisotropy": 0.5},
    "dusty lacquer": {"coat_weight": 0.6, "coat_roughness": 0.4, "fuzz_weight": 0.7, "fuzz_roughness": 0.3},
    "coated glass": {"transmission_weight": 1.0, "coat_weight": 1.0},
    "pane": {"transmission_weight": 1.0, "geometry_thin_walled": True},
    "bubble": {"transmission_weight": 1.0, "geometry_thin_walled": True, "thin_film_weight": 1.0},
}


@pytest.mark.parametrize("kind", WHITE)
@pytest.mark.parametrize("roughness", [0.0, 0.3, 0.7, 1.0])
def test_white_surfaces_lose_no_light(kind, roughness):
    """White furnace (Turquin 2019): a colourless surface returns all light, from every direction, at all roughness.
    The loss allowed, 1.2 percent, is that of the tables and of 40,000 samples."""
    recipe = Recipe(base_color=(1, 1, 1), specular_roughness=roughness, **WHITE[kind])
    p = parameter_row(recipe)[None]
    numbers = np.random.default_rng(3).random((40_000, 3)).astype(np.float32)
    for cos_o in (1.0, 0.6, 0.2):
        for eta in (1.5, 1 / 1.5) if kind == "glass" else (1.5,):
            assert sampled_albedo(p, cos_o, eta, numbers) == pytest.approx(1.0, abs=0.012)


@pytest.mark.parametrize("eta", [1.5, 1 / 1.5])
def test_what_does_not_shine_is_as_lambert_says(eta):
    """Lambert 1760, Photometria: from outside and from inside, the same radiance in all directions."""
    p = parameter_row(Recipe(base_color=(0.4, 0.4, 0.4), specular_weight=0.0, specular_roughness=0.0))[None]
    wi = np.random.default_rng(6).normal(size=(500, 3)).astype(np.float32)
    wi /= np.linalg.norm(wi, axis=1, keepdims=True)
    values, pdfs = evaluated(p, (0.8, 0, 0.6), wi, eta)
    cosine = np.maximum(wi[:, 2], 0)
    assert values == pytest.approx(0.4 * cosine / np.pi, abs=1e-6) and pdfs == pytest.approx(cosine / np.pi, abs=1e-6)


def densities(p, cos_o, eta, rows, columns, fine=24):
    """Density integrated over cells of a (cosine, turn) grid, (rows, columns)."""
    z = -1 + 2 * (np.arange(rows * fine) + 0.5) / (rows * fine)
    phi = 2 * np.pi * (np.arange(columns * fine) + 0.5) / (columns * fine)
    z, phi = np.meshgrid(z, phi, indexing="ij")
    s = np.sqrt(1 - z * z)
    wi = np.stack([s * np.cos(phi), s * np.sin(phi), z], axis=-1).reshape(-1, 3).astype(np.float32)
    _, pdfs = evaluated(p, (math.sqrt(1 - cos_o * cos_o), 0, cos_o), wi, eta)
    return pdfs.reshape(rows, fine, columns, fine).mean(axis=(1, 3)) * 4 * np.pi / (rows * columns)


@pytest.mark.parametrize(
    ("kind", "eta"),
    [({"specular_roughness": 0.5}, 1.5), ({"base_metalness": 0.7, "specular_roughness": 0.4}, 1.5)]
    + [({"transmission_weight": 1.0, "specular_roughness": 0.5}, eta) for eta in (1.5, 1 / 1.5)]
    + [
        ({"specular_roughness": 0.6, "coat_weight": 0.7, "coat_roughness": 0.4, "fuzz_weight": 0.5}, 1.5),
        ({"base_metalness": 1.0, "specular_roughness": 0.6, "specular_roughness_anisotropy": 0.6}, 1.5),
        ({"transmission_weight": 0.7, "specular_roughness": 0.5, "geometry_thin_walled": True}, 1.5),
        ({"coat_weight": 0.8, "coat_roughness": 0.6, "coat_roughness_anisotropy": 0.5, "thin_film_weight": 1.0}, 1.5),
        ({"base_diffuse_roughness": 1.0, "specular_weight": 0.0}, 1.5),
        ({"specular_weight": 0.0, "fuzz_weight": 1.0, "fuzz_roughness": 0.8}, 1.5),
        ({"base_metalness": 1.0, "specular_roughness": 0.5, "thin_film_weight": 1.0}, 1.5),
    ]
    + [
        ({"transmission_weight": 1.0, "specular_roughness": 0.6, "specular_roughness_anisotropy": 0.6}, eta)
        for eta in (1.5, 1 / 1.5)
    ],
)
def test_samples_follow_their_density(kind, eta):
    """Chi-square of sampled directions against the integrated density, as renderers are commonly tested."""
    count, rows, columns = 200_000, 20, 16
    numbers = np.random.default_rng(11).random((count, 3)).astype(np.float32)
    p = parameter_row(Recipe(**kind))[None]
    out, _, _ = sampled(p, 0.7, eta, numbers)
    pdfs = densities(p, 0.7, eta, rows, columns)
    hit = out[:, 2] != 0
    row = np.clip(((out[hit, 2] + 1) / 2 * rows).astype(int), 0, rows - 1)
    column = (np.mod(np.arctan2(out[hit, 1], out[hit, 0]), 2 * np.pi) / (2 * np.pi) * columns).astype(int) % columns
    seen = np.bincount(row * columns + column, minlength=rows * columns).astype(float)
    expected = pdfs.ravel() * count
    big = expected > 20
    statistic = ((seen[big] - expected[big]) ** 2 / expected[big]).sum()
    freedom = big.sum()
    assert freedom > 60
    # Mean and spread of chi-square are its freedom and the root of twice that; the grid's own error adds a little.
    assert statistic < freedom + 6 * math.sqrt(2 * freedom)


@njit(error_model="numpy")
def chalk_terms(a, b, r):
    wo, wi = (F(a[0]), F(a[1]), F(a[2])), (F(b[0]), F(b[1]), F(b[2]))
    single, several = eon_terms(wo, wi, F(r))
    return 0.8 * single + eon_several_color(F(0.8), F(r)) * several


def test_chalk_is_reciprocal():
    """Helmholtz reciprocity, as Portsmouth et al. 2024 prove for EON."""
    rng = np.random.default_rng(5)
    for _ in range(50):
        a, b = rng.normal(size=(2, 3))
        a, b = (v / np.linalg.norm(v) * np.sign(v[2]) for v in (a, b))
        assert chalk_terms(a, b, 0.9) == pytest.approx(chalk_terms(b, a, 0.9), rel=1e-4)


def value_for(p, wo, wi, eta=1.5):
    """Light of one direction, over the cosine that it arrives by."""
    return evaluated(p, wo, np.float32(wi)[None], eta)[0][0] / abs(wi[2])


@pytest.mark.parametrize(
    "kind",
    [
        {"base_metalness": 1.0},
        {"base_color": (0, 0, 0)},
        {"base_metalness": 1.0, "specular_roughness_anisotropy": 0.7},
        {"base_color": (0, 0, 0), "specular_weight": 0.0, "fuzz_weight": 1.0},
        {"transmission_weight": 1.0, "geometry_thin_walled": True},
        {"base_color": (0, 0, 0), "specular_weight": 0.0, "coat_weight": 1.0, "coat_roughness": 0.12},
        {"base_color": (0, 0, 0), "thin_film_weight": 1.0},
        {"base_metalness": 1.0, "thin_film_weight": 1.0},
    ],
)
def test_lobes_are_reciprocal(kind):
    """Helmholtz reciprocity of each lobe. What is made good of the light that one bounce loses depends on one of the
    two directions alone (Turquin 2019); at this roughness that is 2 percent at most, at 0.3 already 8."""
    p = parameter_row(Recipe(specular_roughness=0.12, **kind))[None]
    rng = np.random.default_rng(5)
    for _ in range(50):
        a, b = rng.normal(size=(2, 3))
        a, b = (tuple(np.float32(v / np.linalg.norm(v) * np.sign(v[2]))) for v in (a, b))
        if min(a[2], b[2]) < 0.1:
            continue
        assert value_for(p, a, b) == pytest.approx(value_for(p, b, a), rel=0.03, abs=1e-6)


@pytest.mark.parametrize("brushing", [0.0, pytest.param(0.6, marks=pytest.mark.long)])
def test_refraction_is_reciprocal(brushing):
    """Walter et al. 2007, eq. 21, and Veach 1997, ch. 5.2: light through a boundary is the same both ways but for the
    square of the index ratio, by which radiance is squeezed together."""
    recipe = Recipe(transmission_weight=1.0, specular_roughness=0.15, specular_roughness_anisotropy=brushing)
    p = parameter_row(recipe)[None]
    rng, seen = np.random.default_rng(5), 0
    for _ in range(4000):
        a, b = rng.normal(size=(2, 3))
        a, b = (v / np.linalg.norm(v) for v in (a, b))
        a[2], b[2] = abs(a[2]), -abs(b[2])
        b[:2] = -a[:2] / 1.5 + 0.1 * b[:2]  # near the way that light is bent
        b[2] = -math.sqrt(max(1 - b[0] ** 2 - b[1] ** 2, 0))
        if a[2] < 0.3 or b[2] > -0.3:
            continue
        up = value_for(p, a, b)  # light from b below to a above; and from a to b
        if up > 1e-3:
            down = value_for(p, b * (1, 1, -1), a * (1, 1, -1), 1 / 1.5)
            seen += 1
            assert down == pytest.approx(up * 1.5**2, rel=0.04)
    assert seen > 100


def test_absorption_reaches_the_colour_at_the_depth():
    """Beer-Lambert: twice the depth squares the transmittance."""
    sigma = absorption((0.2, 0.5, 0.9), 4.0)
    assert np.exp(-sigma * 4.0) == pytest.approx([0.2, 0.5, 0.9], rel=1e-5)
    assert np.exp(-sigma * 8.0) == pytest.approx([0.04, 0.25, 0.81], rel=1e-5)
    assert (absorption((0.2, 0.5, 0.9), 0.0) == 0).all()


@pytest.mark.parametrize("roughness", [0.3, 0.6])
def test_albedo_tables_are_as_an_independent_renderer_has_them(roughness):
    """One bounce at a rough perfect mirror, and at a rough boundary of n = 1.5 from both sides, sampled with `mitsuba`.

    It lets microfacets hide light that comes and light that goes independently of each other (Walter et al. 2007, eq.
    23), ours by their height (Heitz 2014, eq. 99), which hides less, at these roughnesses by less than 0.02; the fully
    rough ones are no longer comparable.
    """
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    alpha, tables = max(roughness**2, 1e-3), albedo_tables()
    rough = {"distribution": "ggx", "alpha": alpha}
    mirror = mi.load_dict({"type": "roughconductor", "material": "none", **rough})
    boundary = mi.load_dict({"type": "roughdielectric", "int_ior": 1.5, "ext_ior": 1.0, **rough})
    rng = np.random.default_rng(4)

    def shares_of(bsdf, cos_o, count=6000):
        """Shares that go up, and up or down, of light that comes from above (cos_o > 0) or below."""
        si = mi.SurfaceInteraction3f()
        si.wi = mi.Vector3f(math.sqrt(1 - cos_o * cos_o), 0, cos_o)
        si.sh_frame = mi.Frame3f(mi.Normal3f(0, 0, 1))
        context, up, all_of_it = mi.BSDFContext(mi.TransportMode.Importance), 0.0, 0.0
        for u, v, w in rng.random((count, 3)):
            sample, weight = bsdf.sample(context, si, float(u), mi.Point2f(float(v), float(w)))
            light = float(weight[0])
            up += light if sample.wo[2] * cos_o > 0 else 0.0
            all_of_it += light
        return up / count, all_of_it / count

    for cos_o in (0.9, 0.4):
        pairs = [(looked_up_mirror(tables, cos_o, roughness), shares_of(mirror, cos_o)[0])]
        for side, eta in ((1, 1.5), (-1, 1 / 1.5)):
            ours = looked_up_boundary(tables, cos_o, roughness, eta)
            pairs += zip(ours[:2], shares_of(boundary, side * cos_o), strict=True)
        for ours, theirs in pairs:
            assert ours == pytest.approx(theirs, abs=0.02)


@njit(error_model="numpy")
def looked_up_mirror(tables, cos_o, roughness):
    return mirror_albedo(tables, F(cos_o), F(roughness))


@njit(error_model="numpy")
def looked_up_boundary(tables, cos_o, roughness, eta):
    return dielectric_albedo(tables, F(cos_o), F(roughness), F(eta))


def test_milk_scatters_and_absorbs_as_whole_milk_does():
    """Jensen, Marschner, Levoy and Hanrahan 2001, table 1, from memory: per mm, for red, green and blue."""
    row = parameter_row(next(swatch.recipe for swatch in SHIPPED if swatch.id == "milk"))
    extinction, scattered = row[P.EXTINCTION : P.EXTINCTION + 3], row[P.SCATTERED : P.SCATTERED + 3]
    reduced = extinction * scattered * (1 - row[P.SCATTER_FORWARD])
    assert reduced == pytest.approx([2.55, 3.21, 3.77], rel=1e-3)
    assert extinction * (1 - scattered) == pytest.approx([0.0011, 0.0024, 0.014], abs=2e-4)
