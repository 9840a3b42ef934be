"""The base of a surface: a statistical mixture of metal, glass and glossy-diffuse slabs, after OpenPBR Surface 1.1.

One prepared `Lobes` tuple per hit is shared by evaluation, density and sampling. All directions are in the frame of the
shading normal and point away from the surface; `wo` is on the side z > 0 and light arrives along `wi`. What lies over
the base, and what goes into it, stands in `coat_and_fuzz.py`. The file is long because
evaluation, density and sampling of one mixture must agree term by term, and are read side by side.
"""

import math
from collections import namedtuple

from mat_shelf.numerics.circle import circle_point
from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.vectors import add, dot, normalize, row3_at, scale, sub
from mat_shelf.optics import parameters as P
from mat_shelf.optics.albedo_lookup import (
    brushed_dielectric_albedo,
    dielectric_albedo,
    mean_mirror_albedo,
    mirror_albedo,
    several_bounces,
)
from mat_shelf.optics.albedo_tables import facet, facet_ways
from mat_shelf.optics.diffuse import INV_PI, eon_several_color, eon_terms
from mat_shelf.optics.fresnel import average_metal, fresnel_dielectric, fresnel_metal, fresnel_normal, weighted_ior
from mat_shelf.optics.microfacet import (
    ggx_density,
    sample_visible_normal,
    smith_g1,
    smith_g2,
    visible_normal_pdf,
    widths,
)

Lobes = namedtuple(
    "Lobes",
    "ax ay eta eta_fresnel metal transmission pick_metal pick_boundary pick_rest passes under diffuse mirror_lost "
    "mirror_mean reflect_gain transmit_gain least_reflected is_sharp",
)
"""What evaluation and sampling share.

ax, ay : widths of the microfacet distribution
eta : index behind the boundary over index before it; eta_fresnel: the same, scaled by specular_weight
pick_metal, pick_boundary, pick_rest : chance to sample these lobes and the diffuse one
passes : clear share of what has the boundary
under : share of light that passes the dielectric boundary
diffuse : share that reaches the diffuse base
mirror_lost : (1 - E) / E of a rough mirror
mirror_mean : E in even light
reflect_gain, transmit_gain : energy compensation of the boundary
least_reflected : share that sampling takes a clear boundary to reflect at least, for the sake of a film on it
is_sharp : whether light sampling is pointless
"""


FACETS = 24
"""Microfacets that are looked at where a boundary reflects by another index than it bends light by."""
SMOOTH = F(0.0316)
"""Roughness at which the distribution is as narrow as it gets."""
SHARP = F(0.004)
"""Width of a distribution up to which sampling lights is pointless."""
NO_LOBES = Lobes(*(F(0) for _ in range(17)), True)
MATT = NO_LOBES._replace(
    ax=F(1),
    ay=F(1),
    eta=F(1),
    eta_fresnel=F(1),
    pick_rest=F(1),
    under=F(1),
    diffuse=F(1),
    mirror_mean=F(1),
    is_sharp=False,
)
"""Lobes of what is matt and nothing else, as most backdrops are."""


@inline
def is_smooth(p, i):
    """True if parameter row i is clear and smooth, so that light goes one of two ways and no other.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.

    Returns
    -------
    bool
    """
    return (
        p[i, P.TRANSMISSION] >= F(1)
        and p[i, P.ROUGHNESS] <= SMOOTH
        and p[i, P.METALNESS] <= F(0)
        and p[i, P.LAYERED] <= F(0)
    )


@inline
def passes_light(p, i):
    """True if parameter row i is so clear and sharp that rays towards lights may pass straight through.

    It is, wherever `Lobes.is_sharp` of a body without anything matt is.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.

    Returns
    -------
    bool
    """
    return (
        p[i, P.TRANSMISSION] >= F(0.9999)
        and p[i, P.METALNESS] <= F(0)
        and p[i, P.FUZZ] <= F(0)
        and widths(p[i, P.ROUGHNESS], F(0))[0] < SHARP
        and (p[i, P.COAT] <= F(0) or widths(p[i, P.COAT_ROUGHNESS], F(0))[0] < SHARP)
    )


@inline
def through_smooth(p, i, wo, eta, pick):
    """Direction and weight of light at a smooth boundary between clear bodies.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    eta : float32
        As for `prepare_lobes`.
    pick : float32 in [0, 1)

    Returns
    -------
    wi : float32 triple
    weight : float32 triple
    """
    eta_fresnel = weighted_ior(eta, p[i, P.SPECULAR_WEIGHT])
    if eta_fresnel <= F(0):
        eta_fresnel = F(1)
    inverse = F(1) / eta
    sin2_t = (F(1) - wo[2] * wo[2]) * inverse * inverse
    if sin2_t >= F(1) or pick < fresnel_dielectric(wo[2], eta_fresnel):
        return (-wo[0], -wo[1], wo[2]), row3_at(p, i, P.SPECULAR_COLOR)
    # Radiance is squeezed into a narrower cone inside the denser medium: 1 / eta^2.
    weight = scale(row3_at(p, i, P.TRANSMISSION_TINT), inverse * inverse)
    return (-wo[0] * inverse, -wo[1] * inverse, -math.sqrt(F(1) - sin2_t)), weight


@inline
def prepare_lobes(p, i, wo, eta, tables, is_outside):
    """Lobes of parameter row i seen along wo.

    Parameters
    ----------
    p : (N, WIDTH) float32
        Parameter block (`optics.parameters`).
    i : int
        Index of the row or path.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    eta : float32
        specular_ior over the index of the medium that `wo` runs in; its inverse on the way out.
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    is_outside : bool
        Whether it is seen from outside. What is opaque lies bare on the inside of a body that is clear beside it.

    Returns
    -------
    float32
    """
    roughness = p[i, P.ROUGHNESS]
    clear = p[i, P.TRANSMISSION]
    if p[i, P.SPECULAR_WEIGHT] <= F(0) and p[i, P.METALNESS] + clear <= F(0):
        return MATT
    ax, ay = widths(roughness, F(0))
    mirror = mirror_albedo(tables, wo[2], roughness)
    return base_lobes(
        p,
        i,
        wo,
        eta,
        eta,
        roughness,
        F(0),
        ax,
        ay,
        mirror,
        clear,
        F(1),
        F(0),
        F(1),
        F(0),
        F(0),
        F(0),
        tables,
        is_outside,
    )


@inline
def boundary_albedo(tables, wo, roughness, anisotropy, eta):
    """As `dielectric_albedo`, brushed or not.

    Parameters
    ----------
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    roughness : float32
        Roughness of the input, [0, 1].
    anisotropy : float32
        Anisotropy, [0, 1].
    eta : float32
        Index behind the boundary over index before it, > 0.

    Returns
    -------
    float32
    """
    if anisotropy > F(0):
        return brushed_dielectric_albedo(tables, wo, roughness, anisotropy, eta)
    return dielectric_albedo(tables, wo[2], roughness, eta)


@apart
def _weighted_boundary_albedo(tables, wo, roughness, anisotropy, ax, ay, eta, eta_fresnel):
    """As `boundary_albedo`, of a boundary that bends light by one index and reflects it by another.

    However little it reflects, it cannot but reflect what its true index does not let pass. What differs from a
    boundary that reflects by that is looked at over some microfacets.
    """
    reflected, total = boundary_albedo(tables, wo, roughness, anisotropy, eta)
    for k in range(FACETS):
        u, v, share = facet(k, FACETS)
        cos, up, down, is_all = facet_ways(wo, ax, ay, eta, u, v)
        if not is_all:
            less = share * (fresnel_dielectric(cos, eta_fresnel) - fresnel_dielectric(cos, eta))
            reflected += less * up
            total += less * (up - down)
    return max(reflected, F(0)), total


@inline
def base_lobes(
    p,
    i,
    wo,
    eta,
    eta_base,
    roughness,
    anisotropy,
    ax,
    ay,
    mirror,
    clear,
    through,
    inside,
    past_film,
    film,
    weight_over,
    weight_spread,
    tables,
    is_outside,
):
    """Lobes of a base of some roughness, of which layers let a share through.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    eta : float32
        Index behind the boundary over index before it, > 0.
    eta_base : float32
        The index ratio that its boundary reflects by.
    roughness : float32
        Roughness of the input, [0, 1].
    anisotropy : float32
        Anisotropy, [0, 1].
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.
    mirror : float32
        Albedo of a perfect mirror as rough.
    clear : float32
        Share of it that bends light into a body.
    through : float32
        Share of light that comes down to it.
    inside : float32
        Share, of what would be diffuse, that goes into the body.
    past_film : float32
        Light that passes the boundary under a thin film, by what passes it without one; of the channel where most does.
    film : float32
        Weight of that film.
    weight_over, weight_spread : float32
        Light from what lies over it, sampled by itself and with the diffuse base.
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    is_outside : bool
        Whether it is seen from outside.

    Returns
    -------
    float32
    """
    mirror = max(mirror, F(0.05))
    metal, wall = p[i, P.METALNESS], F(0)
    plain = (F(1) - metal) * (F(1) - p[i, P.TRANSMISSION])
    sheet = p[i, P.TRANSMISSION] - clear  # what both faces of a thin sheet reflect and pass is all there is
    if not is_outside and clear > F(0):
        # Light may find the little that is clear only after a hundred bounces inside, whose weights would multiply. So
        # the metal beside it is a matt wall there, as it is for a random walk: its weight is the same at each bounce.
        wall, clear, metal = metal, clear * (F(1) - metal), F(0)
    eta_fresnel = weighted_ior(eta_base, p[i, P.SPECULAR_WEIGHT])
    if eta_fresnel <= F(0):
        eta_fresnel = F(1)
    mirror_lost = max(F(1) - mirror, F(0)) / mirror
    reflected, total = F(0), F(1)
    if metal < F(1) and (eta_fresnel != F(1) or clear > F(0)):
        reflected, total = boundary_albedo(tables, wo, roughness, anisotropy, eta_fresnel)
        if clear > F(0) and abs(eta_fresnel - eta) > F(1e-3):
            reflected, total = _weighted_boundary_albedo(tables, wo, roughness, anisotropy, ax, ay, eta, eta_fresnel)
    opaque_gain = F(1) + fresnel_normal(eta_fresnel) * mirror_lost
    transmit_gain = F(1) / max(total, F(0.05))
    reflect_gain = opaque_gain * (F(1) - clear - sheet) + transmit_gain * clear + sheet / mirror
    passes = clear
    if not is_outside:
        reflect_gain, reflected, past_film, passes = transmit_gain * clear, F(0), F(1), F(1)
    under = min((F(1) - min(reflected * opaque_gain, F(1))) * past_film, F(1))
    color = max(p[i, P.BASE_COLOR], max(p[i, P.BASE_COLOR + 1], p[i, P.BASE_COLOR + 2]))
    opaque = plain * under
    weight_metal = through * metal * max(color, F(0.05))
    # Of what a film reflects in other channels there is some, too.
    weight_boundary = through * (F(1) - metal) * (max(F(1) - under, F(0.15) * film * passes) + under * clear)
    diffuse = opaque * (F(1) - inside) + wall
    weight_rest = through * diffuse * color + weight_spread
    elsewhere = weight_metal + weight_boundary + through * opaque * inside + weight_over
    whole = max(elsewhere + weight_rest, F(1e-6))
    return Lobes(
        ax,
        ay,
        eta,
        eta_fresnel,
        metal,
        clear,
        weight_metal / whole,
        weight_boundary / whole,
        F(1) - elsewhere / whole,  # so that all chances sum to 1 where the surface is all but black, too
        passes,
        under,
        diffuse,
        mirror_lost,
        mean_mirror_albedo(tables, roughness) if metal > F(0) else F(1),
        reflect_gain,
        transmit_gain,
        F(0.15) * film,
        ax < SHARP and weight_rest <= F(1e-4) * whole,
    )


@inline
def is_total(lobes, cos):
    """True if light at a microfacet of a clear boundary cannot pass, however little it reflects otherwise.

    Parameters
    ----------
    lobes : Lobes
        Lobes of `prepare_lobes`.
    cos : float32
        Cosine between direction and microfacet.

    Returns
    -------
    bool
    """
    return lobes.transmission > F(0) and F(1) - cos * cos >= lobes.eta * lobes.eta


@inline
def facet_reflectance(lobes, cos):
    """Share of light that a microfacet of the boundary reflects.

    Parameters
    ----------
    lobes : Lobes
        Lobes of `prepare_lobes`.
    cos : float32
        Cosine between direction and microfacet.

    Returns
    -------
    float32
    """
    return F(1) if is_total(lobes, cos) else fresnel_dielectric(cos, lobes.eta_fresnel)


@inline
def _reflect_choice(reflectance, transmission):
    """Chance to reflect rather than refract at a microfacet of the boundary."""
    return reflectance / max(reflectance + transmission * (F(1) - reflectance), F(1e-6))


@inline
def evaluate_bsdf(p, i, lobes, wo, wi):
    """Reflection or transmission times the cosine of wi, and the density of `sample_bsdf`.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.
    lobes : Lobes
        Lobes of `prepare_lobes`.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    wi : float32 triple
        Unit direction towards the light, in the local frame.

    Returns
    -------
    value : float32 triple, 1/sr
    pdf : float32, 1/sr
    """
    zero = (F(0), F(0), F(0))
    if wi[2] > F(0):
        pdf = lobes.pick_rest * wi[2] * INV_PI
        cos_h, bounce, reflectance = F(1), F(0), F(0)
        if lobes.pick_metal + lobes.pick_boundary > F(0):
            h = normalize(add(wo, wi))
            cos_h = dot(wo, h)
            density = ggx_density(h, lobes.ax, lobes.ay)
            facing = density / (F(4) * max(wo[2], F(1e-6)))
            bounce = facing * smith_g2(wo, wi, lobes.ax, lobes.ay)
            bounce_pdf = facing * smith_g1(wo, lobes.ax, lobes.ay)
            reflectance = facet_reflectance(lobes, min(cos_h, F(1)))
            choice = _reflect_choice(max(reflectance, lobes.least_reflected), lobes.passes)
            pdf += bounce_pdf * (lobes.pick_metal + lobes.pick_boundary * choice)
        base = lobes.diffuse
        boundary = (F(1) - lobes.metal) * reflectance * lobes.reflect_gain * bounce
        chalk = p[i, P.DIFFUSE_ROUGHNESS]
        single, several = INV_PI, F(0)
        if base > F(0) and chalk > F(0):
            single, several = eon_terms(wo, wi, chalk)
        red = _reflected(p, i, 0, lobes, cos_h, bounce, boundary, base, chalk, single, several, wi[2])
        green = _reflected(p, i, 1, lobes, cos_h, bounce, boundary, base, chalk, single, several, wi[2])
        blue = _reflected(p, i, 2, lobes, cos_h, bounce, boundary, base, chalk, single, several, wi[2])
        return (red, green, blue), pdf
    if lobes.transmission <= F(0) or wi[2] >= F(0):
        return zero, F(0)
    eta = lobes.eta
    h = normalize(add(wo, scale(wi, eta)))
    if h[2] < F(0):
        h = scale(h, F(-1))
    cos_o = dot(wo, h)
    cos_i = dot(wi, h)
    if cos_o <= F(0) or cos_i >= F(0):
        return zero, F(0)
    reflectance = fresnel_dielectric(min(cos_o, F(1)), lobes.eta_fresnel)
    across = cos_o + eta * cos_i
    jacobian = -cos_i * eta * eta / max(across * across, F(1e-12))
    passing = visible_normal_pdf(wo, h, lobes.ax, lobes.ay) * jacobian
    choice = _reflect_choice(max(reflectance, lobes.least_reflected), lobes.passes)
    pdf = lobes.pick_boundary * (F(1) - choice) * passing
    shadowing = smith_g2(wo, wi, lobes.ax, lobes.ay) / smith_g1(wo, lobes.ax, lobes.ay)
    # Radiance is squeezed into a narrower cone inside the denser medium: 1 / eta^2.
    value = (
        (F(1) - lobes.metal)
        * lobes.transmission
        * (F(1) - reflectance)
        * lobes.transmit_gain
        * passing
        * shadowing
        / (eta * eta)
    )
    tint = P.TRANSMISSION_TINT
    return (value * p[i, tint], value * p[i, tint + 1], value * p[i, tint + 2]), pdf


@inline
def _reflected(p, i, channel, lobes, cos_h, bounce, boundary, base, chalk, single, several, cos_i):
    """One channel of reflected light: metal, boundary and diffuse base together."""
    color = p[i, P.BASE_COLOR + channel]
    tint = p[i, P.SPECULAR_COLOR + channel]
    value = boundary * tint
    if lobes.metal > F(0):
        edge = fresnel_metal(min(cos_h, F(1)), color, tint)
        more = several_bounces(average_metal(color, tint), lobes.mirror_mean) * lobes.mirror_lost
        value += lobes.metal * p[i, P.SPECULAR_WEIGHT] * (edge + more) * bounce
    return value + base * cos_i * (color * single + eon_several_color(color, chalk) * several)


@inline
def sample_bsdf(lobes, wo, pick, u, v):
    """A direction in proportion, roughly, to what the surface sends to wo.

    Parameters
    ----------
    lobes : Lobes
        Lobes of `prepare_lobes`.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    pick, u, v : float32 in [0, 1)

    Returns
    -------
    wi : float32 triple; (0, 0, 0) where the sample failed
    """
    if pick >= lobes.pick_metal + lobes.pick_boundary:
        r = math.sqrt(u)
        across, along = circle_point(v)
        return (r * across, r * along, math.sqrt(max(F(1) - u, F(1e-8))))
    h = sample_visible_normal(wo, lobes.ax, lobes.ay, u, v)
    cos_o = dot(wo, h)
    if pick >= lobes.pick_metal:
        reflectance = facet_reflectance(lobes, min(max(cos_o, F(0)), F(1)))
        reflectance = max(reflectance, lobes.least_reflected)
        choice = (pick - lobes.pick_metal) / max(lobes.pick_boundary, F(1e-9))
        if choice >= _reflect_choice(reflectance, lobes.passes):
            sin2_t = (F(1) - cos_o * cos_o) / (lobes.eta * lobes.eta)
            if sin2_t >= F(1):
                return (F(0), F(0), F(0))
            cos_t = math.sqrt(F(1) - sin2_t)
            down = sub(scale(h, cos_o / lobes.eta - cos_t), scale(wo, F(1) / lobes.eta))
            return down if down[2] < F(0) else (F(0), F(0), F(0))
    up = sub(scale(h, F(2) * cos_o), wo)
    return up if up[2] > F(0) else (F(0), F(0), F(0))
