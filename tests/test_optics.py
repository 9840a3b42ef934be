"""The surface against published values. Sources stand beside each check."""

import math

import numpy as np
import pytest
from numba import njit

from mat_shelf.document.recipe import Recipe
from mat_shelf.numerics.kernels import F
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


@njit(error_model="numpy")
def prepared(p, wo, eta, tables):
    """As the path tracer prepares a hit."""
    if p[0, P.LAYERED] > 0:
        return prepare_layered(p, 0, wo, F(eta), tables, eta > 1)
    lobes = surface.prepare_lobes(p, 0, wo, F(eta), tables, eta > 1)
    return lobes, lobes.is_sharp, NO_LAYERS


@njit(error_model="numpy")
def sample(p, lobes, layers, wo, pick, u, v):
    if p[0, P.LAYERED] > 0:
        return sample_layered(lobes, layers, wo, pick, u, v)
    return surface.sample_bsdf(lobes, wo, pick, u, v)


@njit(error_model="numpy")
def evaluate(p, lobes, layers, wo, wi):
    if p[0, P.LAYERED] > 0:
        return evaluate_layered(p, 0, lobes, layers, wo, wi)
    return surface.evaluate_bsdf(p, 0, lobes, wo, wi)


@njit(error_model="numpy")
def sampled_albedo(p, cos_o, eta, numbers, tables):
    wo = (F(math.sqrt(1 - cos_o * cos_o)), F(0), F(cos_o))
    lobes, _, layers = prepared(p, wo, eta, tables)
    total = 0.0
    for k in range(len(numbers)):
        wi = sample(p, lobes, layers, wo, numbers[k, 0], numbers[k, 1], numbers[k, 2])
        if wi[2] == 0:
            continue
        value, pdf = evaluate(p, lobes, layers, wo, wi)
        if pdf > 0:
            total += value[0] / pdf * (eta * eta if wi[2] < 0 and p[0, P.THIN] == 0 else 1.0)
    return total / len(numbers)


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
            assert sampled_albedo(p, cos_o, eta, numbers, albedo_tables()) == pytest.approx(1.0, abs=0.012)


@njit(error_model="numpy")
def directions(p, cos_o, eta, numbers, tables, out, pdfs, grid):
    """Samples, and the density integrated over cells of a (cosine, turn) grid."""
    wo = (F(math.sqrt(1 - cos_o * cos_o)), F(0), F(cos_o))
    lobes, _, layers = prepared(p, wo, eta, tables)
    for k in range(len(numbers)):
        wi = sample(p, lobes, layers, wo, numbers[k, 0], numbers[k, 1], numbers[k, 2])
        for c in range(3):
            out[k, c] = wi[c]
    rows, columns = pdfs.shape
    for i in range(rows):
        for j in range(columns):
            total = 0.0
            for a in range(grid):
                z = -1 + 2 * (i + (a + 0.5) / grid) / rows
                s = math.sqrt(max(1 - z * z, 0.0))
                for b in range(grid):
                    phi = 2 * math.pi * (j + (b + 0.5) / grid) / columns
                    wi = (F(s * math.cos(phi)), F(s * math.sin(phi)), F(z))
                    total += evaluate(p, lobes, layers, wo, wi)[1]
            pdfs[i, j] = total / (grid * grid) * 4 * math.pi / (rows * columns)


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
    out, pdfs = np.zeros((count, 3), np.float32), np.zeros((rows, columns))
    directions(parameter_row(Recipe(**kind))[None], 0.7, eta, numbers, albedo_tables(), out, pdfs, 24)
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


@njit(error_model="numpy")
def value_from_both_sides(p, a, b, tables):
    lobes, _, layers = prepared(p, a, 1.5, tables)
    one = evaluate(p, lobes, layers, a, b)[0]
    lobes, _, layers = prepared(p, b, 1.5, tables)
    return one[0] / b[2], evaluate(p, lobes, layers, b, a)[0][0] / a[2]


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
        one, other = value_from_both_sides(p, a, b, albedo_tables())
        assert one == pytest.approx(other, rel=0.03, abs=1e-6)


@njit(error_model="numpy")
def values_through(p, a, b, eta, tables):
    """Light from b below to a above, and from a to b, each over the cosine that it arrives by."""
    lobes, _, layers = prepared(p, a, eta, tables)
    out = evaluate(p, lobes, layers, a, b)[0][0] / abs(b[2])
    up, down = (a[0], a[1], -a[2]), (b[0], b[1], -b[2])
    lobes, _, layers = prepared(p, down, 1 / eta, tables)
    return out, evaluate(p, lobes, layers, down, up)[0][0] / abs(a[2])


@pytest.mark.parametrize("brushing", [0.0, 0.6])
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
        up, down = values_through(p, tuple(np.float32(a)), tuple(np.float32(b)), 1.5, albedo_tables())
        if up > 1e-3:
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

    def sampled(bsdf, cos_o, count=6000):
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
        pairs = [(looked_up_mirror(tables, cos_o, roughness), sampled(mirror, cos_o)[0])]
        for side, eta in ((1, 1.5), (-1, 1 / 1.5)):
            ours = looked_up_boundary(tables, cos_o, roughness, eta)
            pairs += zip(ours[:2], sampled(boundary, side * cos_o), strict=True)
        for ours, theirs in pairs:
            assert ours == pytest.approx(theirs, abs=0.02)


@njit(error_model="numpy")
def looked_up_mirror(tables, cos_o, roughness):
    return mirror_albedo(tables, F(cos_o), F(roughness))


@njit(error_model="numpy")
def looked_up_boundary(tables, cos_o, roughness, eta):
    return dielectric_albedo(tables, F(cos_o), F(roughness), F(eta))
