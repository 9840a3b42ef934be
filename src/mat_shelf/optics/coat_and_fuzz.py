"""Layers over the base of a surface: fuzz and coat; brushing, thin sheets, and light into soft bodies.

After OpenPBR Surface 1.1. Few hits have any of it, so these are functions of their own: made part of the path tracing
kernel they would crowd the plain surface, which is most of every picture, out of the processor's registers. The file is
long because evaluation and sampling of the layers share their prepared numbers and most of the functions over them.
"""

import math
from collections import namedtuple

from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.vectors import add, dot, normalize, row3_at, scale, sub
from mat_shelf.optics import parameters as P
from mat_shelf.optics.albedo_lookup import (
    brushed_albedo,
    brushed_dielectric_albedo,
    dielectric_albedo,
    fuzz_albedo,
    mirror_albedo,
)
from mat_shelf.optics.film_layer import NO_FILM, film_adds, film_changes, filmed_reflectance
from mat_shelf.optics.fresnel import (
    average_dielectric,
    fresnel_dielectric,
    fresnel_normal,
    weighted_ior,
)
from mat_shelf.optics.fuzz import fuzz_reflection
from mat_shelf.optics.microfacet import ggx_density, sample_visible_normal, smith_g1, smith_g2, widths
from mat_shelf.optics.surface import (
    SHARP,
    base_lobes,
    boundary_albedo,
    evaluate_bsdf,
    sample_bsdf,
)
from mat_shelf.optics.thin_walled import thin_wall_shares

Layers = namedtuple(
    "Layers",
    "pick_inside pick_coat pick_sheet coat coat_x coat_y coat_eta coat_gain coat_past fuzz past_fuzz red green blue "
    "sheet film film_eta film_red film_green film_blue past_red past_green past_blue is_behind",
)
"""What evaluation and sampling share beyond the lobes of the base.

pick_inside : chance to go into a soft body; pick_coat, pick_sheet: to sample the coat's reflection, or a thin sheet
coat, coat_x, coat_y, coat_eta, coat_gain : weight, widths, index ratio and energy compensation of the coat
coat_past : share of the light along wo that passes the coat, but for its tint
fuzz, past_fuzz : weight of the fuzz, and share of the light along wo that passes it
red, green, blue : what light that goes back and forth under the coat leaves of the base
sheet : share of the surface that is a thin clear sheet
film, film_eta : weight and index ratio of the thin film
film_red, film_green, film_blue : what energy compensation of a clear boundary changes for its film
past_red, past_green, past_blue : light that passes below the film, by that of the channel where most does
is_behind : whether it is seen from inside a body, through the base
"""

"""Microfacets that are looked at where a film lies over a rough surface, and over a smooth one."""
NO_LAYERS = Layers(
    F(0),
    F(0),
    F(0),
    F(0),
    F(0.1),
    F(0.1),
    F(1.5),
    F(1),
    F(1),
    F(0),
    F(1),
    F(1),
    F(1),
    F(1),
    F(0),
    F(0),
    F(1.4),
    F(1),
    F(1),
    F(1),
    F(1),
    F(1),
    F(1),
    False,
)


@apart
def prepare_layered(p, i, wo, eta, tables, is_outside):
    """Lobes and layers of parameter row i seen along wo.

    Parameters
    ----------
    p, i, wo, eta
        As for `surface.prepare`.
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    is_outside : bool
        Whether it is seen from outside, where coat and fuzz are. From inside, a coat spreads and tints what passes.

    Returns
    -------
    float32 triple
    """
    roughness = p[i, P.ROUGHNESS]
    anisotropy = p[i, P.ANISOTROPY]
    metal = p[i, P.METALNESS]
    transmission = p[i, P.TRANSMISSION]
    coat, fuzz, inside = p[i, P.COAT], F(0), F(0)
    if is_outside:
        fuzz, inside = p[i, P.FUZZ], p[i, P.SUBSURFACE]
    eta_base = eta
    coat_eta, coat_x, coat_y, coat_gain, coat_past = F(1.5), F(0.1), F(0.1), F(1), F(1)
    if coat > F(0):
        rough = p[i, P.COAT_ROUGHNESS]
        coat_eta = max(p[i, P.COAT_IOR] * eta / max(p[i, P.IOR], F(1)), F(0.34))
        coat_x, coat_y = widths(rough, p[i, P.COAT_ANISOTROPY])
        # Light that a rough coat spreads is spread once more by the base: OpenPBR Surface 1.1, "Coat".
        square, coat_square = roughness * roughness, rough * rough
        spread = math.sqrt(math.sqrt(min(square * square + F(2) * coat_square * coat_square, F(1))))
        roughness += coat * (spread - roughness)
        if not is_outside:
            coat_eta = p[i, P.COAT_IOR] / max(p[i, P.IOR], F(1))
    if coat > F(0) and is_outside:
        if p[i, P.COAT_ANISOTROPY] > F(0):
            coat_mirror = brushed_albedo(tables, wo, rough, p[i, P.COAT_ANISOTROPY])
            bounced, _ = brushed_dielectric_albedo(tables, wo, rough, p[i, P.COAT_ANISOTROPY], coat_eta)
        else:
            coat_mirror = mirror_albedo(tables, wo[2], rough)
            bounced, _ = dielectric_albedo(tables, wo[2], rough, coat_eta)
        coat_mirror = max(coat_mirror, F(0.05))
        coat_gain = F(1) + fresnel_normal(coat_eta) * max(F(1) - coat_mirror, F(0)) / coat_mirror
        coat_past = F(1) - min(bounced * coat_gain, F(1))
        # A clear body goes on refracting as without a coat, so its boundary reflects as without one too.
        eta_base = eta / (F(1) + coat * (F(1) - transmission) * (coat_eta - F(1)))
        if eta_base < F(1):
            eta_base = F(1) / eta_base
    ax, ay = widths(roughness, anisotropy)
    if anisotropy > F(0):
        mirror = brushed_albedo(tables, wo, roughness, anisotropy)
    else:
        mirror = mirror_albedo(tables, wo[2], roughness)
    past_fuzz = F(1)
    if fuzz > F(0):
        past_fuzz = F(1) - fuzz * fuzz_albedo(tables, wo[2], p[i, P.FUZZ_ROUGHNESS])
    through = past_fuzz * (F(1) - coat * (F(1) - coat_past))
    over = past_fuzz * coat * (F(1) - coat_past)
    film, film_eta, past_film = p[i, P.FILM], F(1.4), F(1)
    past_red, past_green, past_blue = F(1), F(1), F(1)
    filmed = NO_FILM
    if film > F(0):
        film_eta = p[i, P.FILM_IOR] * (eta if is_outside else F(1)) / max(p[i, P.IOR], F(1))
        plain = weighted_ior(eta_base, p[i, P.SPECULAR_WEIGHT])
        filmed = film_changes(wo, ax, ay, eta, plain, film, film_eta, p[i, P.FILM_WAY])
        bounced, _ = boundary_albedo(tables, wo, roughness, anisotropy, plain)
        kept = max(mirror, F(0.05))
        gain = F(1) + fresnel_normal(plain) * (F(1) - kept) / kept
        bare = max(F(1) - bounced * gain, F(1e-3))
        past_red = max(F(1) - filmed[0] * gain / bare, F(0))
        past_green = max(F(1) - filmed[1] * gain / bare, F(0))
        past_blue = max(F(1) - filmed[2] * gain / bare, F(0))
        past_film = max(max(past_red, past_green), max(past_blue, F(1e-3)))
        past_red, past_green, past_blue = past_red / past_film, past_green / past_film, past_blue / past_film
        if not is_outside:
            past_red, past_green, past_blue = F(1), F(1), F(1)
    clear, sheet = transmission, F(0)
    if p[i, P.THIN] > F(0):
        clear, sheet = F(0), (F(1) - metal) * transmission
    lobes = base_lobes(
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
        over + through * sheet,
        F(1) - past_fuzz,
        tables,
        is_outside,
    )
    film_gains = (F(1), F(1), F(1))
    if film > F(0) and clear > F(0):
        whole = F(1) / lobes.transmit_gain
        film_gains = (
            whole / max(whole + filmed[3], F(0.05)),
            whole / max(whole + filmed[4], F(0.05)),
            whole / max(whole + filmed[5], F(0.05)),
        )
    red, green, blue = F(1), F(1), F(1)
    if coat > F(0) and is_outside:
        reflected = F(1) - lobes.under
        red = _darkened(p, i, 0, coat, coat_eta, wo[2], metal, transmission, roughness, reflected, inside)
        green = _darkened(p, i, 1, coat, coat_eta, wo[2], metal, transmission, roughness, reflected, inside)
        blue = _darkened(p, i, 2, coat, coat_eta, wo[2], metal, transmission, roughness, reflected, inside)
    rest = max(F(1) - lobes.pick_metal - lobes.pick_boundary - lobes.pick_rest, F(0))
    opaque = through * (F(1) - metal) * (F(1) - transmission) * lobes.under * inside
    whole = max(opaque + over + through * sheet, F(1e-9))
    pick_inside, pick_sheet = rest * opaque / whole, rest * through * sheet / whole
    is_sharp = lobes.is_sharp and (coat <= F(0) or coat_x < SHARP)
    return (
        lobes,
        is_sharp,
        Layers(
            pick_inside,
            max(rest - pick_inside - pick_sheet, F(0)),
            pick_sheet,
            coat,
            coat_x,
            coat_y,
            coat_eta,
            coat_gain,
            coat_past,
            fuzz,
            past_fuzz,
            red,
            green,
            blue,
            sheet,
            film,
            film_eta,
            film_gains[0],
            film_gains[1],
            film_gains[2],
            past_red,
            past_green,
            past_blue,
            not is_outside,
        ),
    )


@inline
def _darkened(p, i, channel, coat, coat_eta, cos_o, metal, transmission, roughness, reflected, inside):
    """Remainder of one channel of the base where light goes back and forth under the coat.

    References
    ----------
    OpenPBR Surface 1.1, "Coat darkening".
    """
    color = p[i, P.BASE_COLOR + channel]
    soft = color + (p[i, P.SUBSURFACE_COLOR + channel] - color) * inside
    # Of the opaque share alone: what a clear one lets through does not come back, and is left out below.
    dielectric = reflected + (F(1) - reflected) * soft
    base = color * metal + dielectric * (F(1) - metal)
    is_sharp = metal + (F(1) - metal) * transmission
    rough_share = F(1) - is_sharp * (F(1) - roughness)
    diffusely = F(1) - (F(1) - average_dielectric(coat_eta)) / (coat_eta * coat_eta)
    sharply = fresnel_dielectric(cos_o, coat_eta)
    kept_in = max(sharply + (diffusely - sharply) * rough_share, F(0))
    left = (F(1) - kept_in) / max(F(1) - base * kept_in, F(1e-4))
    stays = F(1) - (F(1) - metal) * transmission
    return F(1) + coat * stays * p[i, P.COAT_DARKENING] * (left - F(1))


@inline
def _slant(cos, eta):
    """Length of the way through the coat over its thickness."""
    return F(1) / math.sqrt(max(F(1) - (F(1) - cos * cos) / (eta * eta), F(0.01)))


@inline
def _tinted(tint, way):
    return math.pow(tint, way) if tint < F(1) else F(1)


@inline
def _below(p, i, channel, layers, way):
    """Share of one channel that passes fuzz and coat, `way` being the length of its way through the coat."""
    passing = F(1)
    if layers.coat > F(0):
        tint = _tinted(p[i, P.COAT_TINT + channel], way)
        passing = F(1) + layers.coat * (layers.coat_past * tint - F(1))
    return passing * layers.past_fuzz


@apart
def entering(p, i, lobes, layers, wo):
    """Share of the light of each channel that enters a soft body, over the chance to follow it there.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.
    lobes : Lobes
        Lobes of `prepare_lobes`.
    layers : Layers
        Layers of `prepare_layered`.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.

    Returns
    -------
    float32 triple
    """
    share = (
        p[i, P.SUBSURFACE]
        * (F(1) - lobes.metal)
        * (F(1) - p[i, P.TRANSMISSION])  # of a thin sheet the clear share is not among the lobes
        * lobes.under
        / max(layers.pick_inside, F(1e-6))
    )
    # The way out is taken to be as long as the way in.
    way = F(2) * _slant(wo[2], layers.coat_eta)
    return (
        share * layers.past_red * layers.red * _below(p, i, 0, layers, way),
        share * layers.past_green * layers.green * _below(p, i, 1, layers, way),
        share * layers.past_blue * layers.blue * _below(p, i, 2, layers, way),
    )


@apart
def glow_past(p, i, layers):
    """Share, by channel, of the light that the base gives off that comes out through coat and fuzz.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.
    layers : Layers
        Layers of `prepare_layered`.

    Returns
    -------
    float32 triple

    References
    ----------
    OpenPBR Surface 1.1, ``coat_tinted_emission_edf`` of its MaterialX graph: the coat's whole colour, less what the
    coat reflects; the fuzz lies over that.
    """
    way = F(2)
    return _below(p, i, 0, layers, way), _below(p, i, 1, layers, way), _below(p, i, 2, layers, way)


@inline
def _passing(reflectance, film):
    """Chance to follow light through a thin sheet rather than back from it; a film may reflect where its base does not.

    The film's own reflectance differs between channels, so a usual one stands for it.
    """
    returned, passed = thin_wall_shares(max(reflectance, F(0.15) * film), F(1))
    return passed / max(returned + passed, F(1e-6))


@apart
def _sheet(p, i, lobes, layers, wo, wi):
    """Reflection by the far face of a thin sheet, or its transmission, by channel; and the density of its sampling."""
    is_back = wi[2] < F(0)
    up = (wi[0], wi[1], abs(wi[2]))
    h = normalize(add(wo, up))
    cos = min(max(dot(wo, h), F(1e-4)), F(1))
    facing = ggx_density(h, lobes.ax, lobes.ay) / (F(4) * max(wo[2], F(1e-6)))
    bounce = facing * smith_g2(wo, up, lobes.ax, lobes.ay) * layers.sheet * (F(1) + lobes.mirror_lost)
    red, green, blue, plain = filmed_reflectance(p, i, lobes, layers, cos)
    choice = _passing(plain, layers.film)
    pdf = layers.pick_sheet * facing * smith_g1(wo, lobes.ax, lobes.ay) * (choice if is_back else F(1) - choice)
    tint = row3_at(p, i, P.TRANSMISSION_TINT)
    red_returned, red_passed = thin_wall_shares(red, tint[0])
    green_returned, green_passed = thin_wall_shares(green, tint[1])
    blue_returned, blue_passed = thin_wall_shares(blue, tint[2])
    if is_back:
        return (bounce * red_passed, bounce * green_passed, bounce * blue_passed), pdf
    return (bounce * red_returned, bounce * green_returned, bounce * blue_returned), pdf


@apart
def evaluate_layered(p, i, lobes, layers, wo, wi):
    """As `surface.evaluate`, with what lies over the base.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    i : int
        Index of the row or path.
    lobes : Lobes
        Lobes of `prepare_lobes`.
    layers : Layers
        Layers of `prepare_layered`.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    wi : float32 triple
        Unit direction towards the light, in the local frame.

    Returns
    -------
    tuple of 2
    """
    (red, green, blue), pdf = evaluate_bsdf(p, i, lobes, wo, wi)
    if layers.sheet > F(0) and wi[2] != F(0):
        added, added_pdf = _sheet(p, i, lobes, layers, wo, wi)
        red, green, blue = red + added[0], green + added[1], blue + added[2]
        pdf += added_pdf
    if layers.film > F(0):
        if wi[2] > F(0):
            added = film_adds(p, i, lobes, layers, wo, wi)
            red, green, blue = max(red + added[0], F(0)), max(green + added[1], F(0)), max(blue + added[2], F(0))
        elif lobes.transmission > F(0):
            h = normalize(add(wo, scale(wi, lobes.eta)))
            cos = min(max(abs(dot(wo, h)), F(1e-4)), F(1))
            seen_red, seen_green, seen_blue, plain = filmed_reflectance(p, i, lobes, layers, cos)
            per = F(1) / max(F(1) - plain, F(1e-4))
            red *= (F(1) - seen_red) * per * layers.film_red
            green *= (F(1) - seen_green) * per * layers.film_green
            blue *= (F(1) - seen_blue) * per * layers.film_blue
    if layers.coat <= F(0) and layers.fuzz <= F(0):
        return (red, green, blue), pdf
    if wi[2] <= F(0):
        way = _slant(wo[2], layers.coat_eta)
        red *= _below(p, i, 0, layers, way)
        green *= _below(p, i, 1, layers, way)
        blue *= _below(p, i, 2, layers, way)
        return (red, green, blue), pdf
    if layers.is_behind:
        return (red, green, blue), pdf
    h = normalize(add(wo, wi))
    coated = F(0)
    way = F(2)
    if layers.coat > F(0):
        facing = ggx_density(h, layers.coat_x, layers.coat_y) / (F(4) * max(wo[2], F(1e-6)))
        pdf += layers.pick_coat * facing * smith_g1(wo, layers.coat_x, layers.coat_y)
        coated = facing * smith_g2(wo, wi, layers.coat_x, layers.coat_y)
        coated *= fresnel_dielectric(min(dot(wo, h), F(1)), layers.coat_eta) * layers.coat_gain * layers.coat
        coated *= layers.past_fuzz
        way = _slant(wo[2], layers.coat_eta) + _slant(wi[2], layers.coat_eta)
    fibres = F(0)
    if layers.fuzz > F(0):
        fibres = layers.fuzz * fuzz_reflection(wo, wi, h, p[i, P.FUZZ_ROUGHNESS])
    red = red * layers.red * _below(p, i, 0, layers, way) + coated + fibres * p[i, P.FUZZ_COLOR]
    green = green * layers.green * _below(p, i, 1, layers, way) + coated + fibres * p[i, P.FUZZ_COLOR + 1]
    blue = blue * layers.blue * _below(p, i, 2, layers, way) + coated + fibres * p[i, P.FUZZ_COLOR + 2]
    return (red, green, blue), pdf


@apart
def sample_layered(lobes, layers, wo, pick, u, v):
    """As `surface.sample`, with what lies over the base; `pick` is in [pick_inside, 1), below that light goes in.

    Parameters
    ----------
    lobes : Lobes
        Lobes of `prepare_lobes`.
    layers : Layers
        Layers of `prepare_layered`.
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    pick : float32
        Random number in [0, 1).
    u, v : float32
        Random number in [0, 1).

    Returns
    -------
    float32
    """
    pick -= layers.pick_inside
    over = layers.pick_coat + layers.pick_sheet
    if pick >= over:
        return sample_bsdf(lobes, wo, pick - over, u, v)
    if pick < layers.pick_coat:
        h = sample_visible_normal(wo, layers.coat_x, layers.coat_y, u, v)
        up = sub(scale(h, F(2) * dot(wo, h)), wo)
        return up if up[2] > F(0) else (F(0), F(0), F(0))
    h = sample_visible_normal(wo, lobes.ax, lobes.ay, u, v)
    cos = dot(wo, h)
    up = sub(scale(h, F(2) * cos), wo)
    if up[2] <= F(0):
        return F(0), F(0), F(0)
    choice = _passing(fresnel_dielectric(min(max(cos, F(1e-4)), F(1)), lobes.eta_fresnel), layers.film)
    is_back = pick - layers.pick_coat < layers.pick_sheet * choice
    return (up[0], up[1], -up[2]) if is_back else up
