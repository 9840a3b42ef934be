"""The surface: fuzz over a coat over a statistical mixture of metal, glass, soft and glossy-diffuse slabs.

After OpenPBR Surface 1.1. One prepared `Lobes` tuple per hit is shared by evaluation, density and sampling. All
directions are in the frame of the shading normal and point away from the surface; `wo` is on the side z > 0 and light
arrives along `wi`. What enters a soft body is no reflection: `entering` says how much does; the path goes on inside.
"""

import math
from collections import namedtuple

from mat_shelf.optics import parameters as P
from mat_shelf.optics.diffuse import INV_PI, eon_several_color, eon_terms
from mat_shelf.optics.energy import brushed_albedo, dielectric_albedo, fuzz_albedo, mirror_albedo
from mat_shelf.optics.fresnel import (
    average_dielectric,
    fresnel_dielectric,
    fresnel_metal,
    fresnel_normal,
    weighted_ior,
)
from mat_shelf.optics.fuzz import fuzz_reflection
from mat_shelf.optics.kernels import F, inline
from mat_shelf.optics.microfacet import (
    PI,
    ggx_density,
    sample_visible_normal,
    smith_g1,
    smith_g2,
    visible_normal_pdf,
    widths,
)
from mat_shelf.optics.vectors import add, dot, normalize, scale, sub

Lobes = namedtuple(
    "Lobes",
    "ax ay eta eta_fresnel metal transmission pick_metal pick_boundary pick_coat pick_inside under mirror_lost "
    "reflect_gain transmit_gain is_sharp coat coat_width coat_eta coat_gain coat_past fuzz past_fuzz darkened",
)
"""What evaluation and sampling share.

ax, ay : widths of the microfacet distribution
eta : index behind the boundary over index before it; eta_fresnel: the same, scaled by specular_weight
pick_metal, pick_boundary, pick_coat : chance to sample these lobes; pick_inside: to go into a soft body; the rest goes
    to diffuse and fuzz
under : share of light that passes the dielectric boundary to the diffuse base
mirror_lost : (1 - E) / E of a rough mirror
reflect_gain, transmit_gain : energy compensation of the boundary
is_sharp : whether light sampling is pointless
coat, coat_width, coat_eta, coat_gain : weight, width, index ratio and energy compensation of the coat
coat_past : share of the light along wo that passes the coat, but for its tint
fuzz, past_fuzz : weight of the fuzz, and share of the light along wo that passes it
darkened : triple; what light that goes back and forth under the coat leaves of the base
"""


@inline
def prepare(p, i, wo, eta, tables, is_outside):
    """Lobes of parameter row i seen along wo.

    Parameters
    ----------
    p : (N, WIDTH) float32
        Parameter block (`optics.parameters`).
    eta : float32
        specular_ior over the index of the medium that `wo` runs in; its inverse on the way out.
    is_outside : bool
        Whether it is seen from outside, where coat and fuzz are.
    """
    roughness = p[i, P.ROUGHNESS]
    metal = p[i, P.METALNESS]
    transmission = p[i, P.TRANSMISSION]
    coat, fuzz, inside = F(0), F(0), F(0)
    if is_outside:
        coat, fuzz, inside = p[i, P.COAT], p[i, P.FUZZ], p[i, P.SUBSURFACE]
    eta_base = eta
    coat_eta, coat_width, coat_gain, coat_past = F(1.5), F(0.1), F(1), F(1)
    if coat > F(0):
        rough = p[i, P.COAT_ROUGHNESS]
        coat_eta = max(p[i, P.COAT_IOR] * eta / max(p[i, P.IOR], F(1)), F(0.34))
        coat_width, _ = widths(rough, F(0))
        coat_mirror = max(mirror_albedo(tables, wo[2], rough), F(0.05))
        coat_gain = F(1) + fresnel_normal(coat_eta) * max(F(1) - coat_mirror, F(0)) / coat_mirror
        bounced, _ = dielectric_albedo(tables, wo[2], rough, coat_eta)
        coat_past = F(1) - min(bounced * coat_gain, F(1))
        # Light that a rough coat spreads is spread once more by the base: OpenPBR Surface 1.1, "Coat".
        square, coat_square = roughness * roughness, rough * rough
        spread = math.sqrt(math.sqrt(min(square * square + F(2) * coat_square * coat_square, F(1))))
        roughness += coat * (spread - roughness)
        # A clear body goes on refracting as without a coat, so its boundary reflects as without one too.
        eta_base = eta / (F(1) + coat * (F(1) - transmission) * (coat_eta - F(1)))
        if eta_base < F(1):
            eta_base = F(1) / eta_base
    ax, ay = widths(roughness, p[i, P.ANISOTROPY])
    eta_fresnel = weighted_ior(eta_base, p[i, P.SPECULAR_WEIGHT])
    if eta_fresnel <= F(0):
        eta_fresnel = F(1)
    if p[i, P.ANISOTROPY] > F(0):
        mirror = max(brushed_albedo(tables, wo, roughness, p[i, P.ANISOTROPY]), F(0.05))
        # Of boundaries the tables know even ones only: that of the same area of highlight is taken.
        roughness = math.sqrt(math.sqrt(ax * ay))
    else:
        mirror = max(mirror_albedo(tables, wo[2], roughness), F(0.05))
    mirror_lost = max(F(1) - mirror, F(0)) / mirror
    reflected = F(0)
    total = F(1)
    if metal < F(1):
        reflected, total = dielectric_albedo(tables, wo[2], roughness, eta_fresnel)
    opaque_gain = F(1) + fresnel_normal(eta_fresnel) * mirror_lost
    transmit_gain = F(1) / max(total, F(0.05))
    reflect_gain = opaque_gain * (F(1) - transmission) + transmit_gain * transmission
    reflected = min(reflected * reflect_gain, F(1))
    under = F(1) - reflected
    past_fuzz = F(1)
    if fuzz > F(0):
        past_fuzz = F(1) - fuzz * fuzz_albedo(tables, wo[2], p[i, P.FUZZ_ROUGHNESS])
    darkened = (F(1), F(1), F(1))
    if coat > F(0):
        darkened = (
            _darkened(p, i, 0, coat, coat_eta, wo[2], metal, transmission, roughness, reflected, inside),
            _darkened(p, i, 1, coat, coat_eta, wo[2], metal, transmission, roughness, reflected, inside),
            _darkened(p, i, 2, coat, coat_eta, wo[2], metal, transmission, roughness, reflected, inside),
        )
    color = max(p[i, P.BASE_COLOR], max(p[i, P.BASE_COLOR + 1], p[i, P.BASE_COLOR + 2]))
    lets_through = past_fuzz * (F(1) - coat * (F(1) - coat_past))
    weight_coat = past_fuzz * coat * (F(1) - coat_past)
    weight_metal = lets_through * metal * max(color, F(0.05))
    weight_boundary = lets_through * (F(1) - metal) * (reflected + under * transmission)
    opaque = lets_through * (F(1) - metal) * (F(1) - transmission) * under
    weight_inside = opaque * inside
    weight_diffuse = opaque * (F(1) - inside) * color + (F(1) - past_fuzz)
    whole = max(weight_coat + weight_metal + weight_boundary + weight_inside + weight_diffuse, F(1e-6))
    has_diffuse = weight_diffuse > F(1e-4) * whole
    return Lobes(
        ax,
        ay,
        eta,
        eta_fresnel,
        metal,
        transmission,
        weight_metal / whole,
        weight_boundary / whole,
        weight_coat / whole,
        weight_inside / whole,
        under,
        mirror_lost,
        reflect_gain,
        transmit_gain,
        ax < F(0.004) and not has_diffuse and (coat <= F(0) or coat_width < F(0.004)),
        coat,
        coat_width,
        coat_eta,
        coat_gain,
        coat_past,
        fuzz,
        past_fuzz,
        darkened,
    )


@inline
def _darkened(p, i, channel, coat, coat_eta, cos_o, metal, transmission, roughness, reflected, inside):
    """What is left of one channel of the base where light goes back and forth under the coat.

    References
    ----------
    OpenPBR Surface 1.1, "Coat darkening".
    """
    color = p[i, P.BASE_COLOR + channel]
    soft = color + (p[i, P.SUBSURFACE_COLOR + channel] - color) * inside
    dielectric = reflected + (F(1) - reflected) * (F(1) - transmission) * soft
    base = color * metal + dielectric * (F(1) - metal)
    is_sharp = metal + (F(1) - metal) * transmission
    rough_share = F(1) - is_sharp * (F(1) - roughness)
    diffusely = F(1) - (F(1) - average_dielectric(coat_eta)) / (coat_eta * coat_eta)
    sharply = fresnel_dielectric(cos_o, coat_eta)
    kept_in = max(sharply + (diffusely - sharply) * rough_share, F(0))
    left = (F(1) - kept_in) / max(F(1) - base * kept_in, F(1e-4))
    # What a clear body lets through does not come back.
    stays = F(1) - (F(1) - metal) * transmission
    return F(1) + coat * stays * p[i, P.COAT_DARKENING] * (left - F(1))


@inline
def _slant(cos, eta):
    """How much longer the way through the coat is than straight through."""
    return F(1) / math.sqrt(max(F(1) - (F(1) - cos * cos) / (eta * eta), F(0.01)))


@inline
def _tinted(tint, way):
    return math.pow(tint, way) if tint < F(1) else F(1)


@inline
def _below(p, i, channel, lobes, way):
    """Share of one channel that passes fuzz and coat, `way` being the length of its way through the coat."""
    passing = F(1)
    if lobes.coat > F(0):
        tint = _tinted(p[i, P.COAT_TINT + channel], way)
        passing = F(1) + lobes.coat * (lobes.coat_past * tint - F(1))
    return passing * lobes.past_fuzz


@inline
def entering(p, i, lobes, wo):
    """Share of the light of each channel that enters a soft body, over the chance to follow it there."""
    share = (
        p[i, P.SUBSURFACE]
        * (F(1) - lobes.metal)
        * (F(1) - lobes.transmission)
        * lobes.under
        / max(lobes.pick_inside, F(1e-6))
    )
    # The way out is taken to be as long as the way in.
    way = F(2) * _slant(wo[2], lobes.coat_eta)
    return (
        share * lobes.darkened[0] * _below(p, i, 0, lobes, way),
        share * lobes.darkened[1] * _below(p, i, 1, lobes, way),
        share * lobes.darkened[2] * _below(p, i, 2, lobes, way),
    )


@inline
def _reflect_choice(reflectance, transmission):
    """Chance to reflect rather than refract at a microfacet of the boundary."""
    return reflectance / max(reflectance + transmission * (F(1) - reflectance), F(1e-6))


@inline
def evaluate(p, i, lobes, wo, wi):
    """Reflection or transmission times the cosine of wi, and the density of `sample`.

    Returns
    -------
    value : float32 triple, 1/sr
    pdf : float32, 1/sr
    """
    zero = (F(0), F(0), F(0))
    if wi[2] > F(0):
        h = normalize(add(wo, wi))
        cos_h = dot(wo, h)
        density = ggx_density(h, lobes.ax, lobes.ay)
        facing = density / (F(4) * max(wo[2], F(1e-6)))
        bounce = facing * smith_g2(wo, wi, lobes.ax, lobes.ay)
        bounce_pdf = facing * smith_g1(wo, lobes.ax, lobes.ay)
        reflectance = fresnel_dielectric(min(cos_h, F(1)), lobes.eta_fresnel)
        pdf = bounce_pdf * (lobes.pick_metal + lobes.pick_boundary * _reflect_choice(reflectance, lobes.transmission))
        base = (F(1) - lobes.metal) * (F(1) - lobes.transmission) * lobes.under
        if lobes.pick_inside > F(0):
            base *= F(1) - p[i, P.SUBSURFACE]
        rest = F(1) - lobes.pick_metal - lobes.pick_boundary - lobes.pick_coat - lobes.pick_inside
        pdf += max(rest, F(0)) * wi[2] * INV_PI
        boundary = (F(1) - lobes.metal) * reflectance * lobes.reflect_gain * bounce
        chalk = p[i, P.DIFFUSE_ROUGHNESS]
        single, several = INV_PI, F(0)
        if base > F(0) and chalk > F(0):
            single, several = eon_terms(wo, wi, chalk)
        red = _reflected(p, i, 0, lobes, cos_h, bounce, boundary, base, chalk, single, several, wi[2])
        green = _reflected(p, i, 1, lobes, cos_h, bounce, boundary, base, chalk, single, several, wi[2])
        blue = _reflected(p, i, 2, lobes, cos_h, bounce, boundary, base, chalk, single, several, wi[2])
        if lobes.coat > F(0) or lobes.fuzz > F(0):
            coated = F(0)
            way = F(2)
            if lobes.coat > F(0):
                facing = ggx_density(h, lobes.coat_width, lobes.coat_width) / (F(4) * max(wo[2], F(1e-6)))
                pdf += lobes.pick_coat * facing * smith_g1(wo, lobes.coat_width, lobes.coat_width)
                coated = facing * smith_g2(wo, wi, lobes.coat_width, lobes.coat_width)
                coated *= fresnel_dielectric(min(cos_h, F(1)), lobes.coat_eta) * lobes.coat_gain * lobes.coat
                coated *= lobes.past_fuzz
                way = _slant(wo[2], lobes.coat_eta) + _slant(wi[2], lobes.coat_eta)
            fibres = F(0)
            if lobes.fuzz > F(0):
                fibres = lobes.fuzz * fuzz_reflection(wo, wi, h, p[i, P.FUZZ_ROUGHNESS])
            red = red * lobes.darkened[0] * _below(p, i, 0, lobes, way) + coated + fibres * p[i, P.FUZZ_COLOR]
            green = green * lobes.darkened[1] * _below(p, i, 1, lobes, way) + coated + fibres * p[i, P.FUZZ_COLOR + 1]
            blue = blue * lobes.darkened[2] * _below(p, i, 2, lobes, way) + coated + fibres * p[i, P.FUZZ_COLOR + 2]
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
    pdf = lobes.pick_boundary * (F(1) - _reflect_choice(reflectance, lobes.transmission)) * passing
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
    red, green, blue = value * p[i, tint], value * p[i, tint + 1], value * p[i, tint + 2]
    if lobes.coat > F(0) or lobes.fuzz > F(0):
        way = _slant(wo[2], lobes.coat_eta)
        red *= _below(p, i, 0, lobes, way)
        green *= _below(p, i, 1, lobes, way)
        blue *= _below(p, i, 2, lobes, way)
    return (red, green, blue), pdf


@inline
def _reflected(p, i, channel, lobes, cos_h, bounce, boundary, base, chalk, single, several, cos_i):
    """One channel of reflected light: metal, boundary and diffuse base together."""
    color = p[i, P.BASE_COLOR + channel]
    tint = p[i, P.SPECULAR_COLOR + channel]
    value = boundary * tint
    if lobes.metal > F(0):
        gain = F(1) + color * lobes.mirror_lost
        edge = fresnel_metal(min(cos_h, F(1)), color, tint) * p[i, P.SPECULAR_WEIGHT]
        value += lobes.metal * edge * gain * bounce
    return value + base * cos_i * (color * single + eon_several_color(color, chalk) * several)


@inline
def sample(lobes, wo, pick, u, v):
    """A direction in proportion, roughly, to what the surface sends to wo.

    Parameters
    ----------
    pick : float32 in [pick_inside, 1)
        Below that the path goes into the body instead.
    u, v : float32 in [0, 1)

    Returns
    -------
    wi : float32 triple; (0, 0, 0) where the sample failed
    """
    pick -= lobes.pick_inside
    if pick >= lobes.pick_coat + lobes.pick_metal + lobes.pick_boundary:
        r = math.sqrt(u)
        phi = F(2) * PI * v
        return (r * math.cos(phi), r * math.sin(phi), math.sqrt(max(F(1) - u, F(1e-8))))
    is_coat = pick < lobes.pick_coat
    ax = lobes.coat_width if is_coat else lobes.ax
    ay = lobes.coat_width if is_coat else lobes.ay
    h = sample_visible_normal(wo, ax, ay, u, v)
    cos_o = dot(wo, h)
    pick -= lobes.pick_coat
    if pick >= lobes.pick_metal:
        reflectance = fresnel_dielectric(min(max(cos_o, F(0)), F(1)), lobes.eta_fresnel)
        choice = (pick - lobes.pick_metal) / max(lobes.pick_boundary, F(1e-9))
        if choice >= _reflect_choice(reflectance, lobes.transmission):
            sin2_t = (F(1) - cos_o * cos_o) / (lobes.eta * lobes.eta)
            if sin2_t >= F(1):
                return (F(0), F(0), F(0))
            cos_t = math.sqrt(F(1) - sin2_t)
            down = sub(scale(h, cos_o / lobes.eta - cos_t), scale(wo, F(1) / lobes.eta))
            return down if down[2] < F(0) else (F(0), F(0), F(0))
    up = sub(scale(h, F(2) * cos_o), wo)
    return up if up[2] > F(0) else (F(0), F(0), F(0))
