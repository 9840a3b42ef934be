"""Changes that a thin film makes to the light of the base below it.

Its interference is computed for each microfacet's own angle; see `thin_film`.
"""

from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.vectors import add, dot, normalize, row3_at
from mat_shelf.optics import parameters as P
from mat_shelf.optics.albedo_lookup import several_bounces
from mat_shelf.optics.albedo_tables import facet, facet_ways
from mat_shelf.optics.diffuse import INV_PI, eon_several_color, eon_terms
from mat_shelf.optics.fresnel import average_metal, fresnel_dielectric, fresnel_metal
from mat_shelf.optics.microfacet import ggx_density, smith_g2
from mat_shelf.optics.surface import facet_reflectance, is_total
from mat_shelf.optics.thin_film import film_on_dielectric, film_on_metal

NO_FILM = (F(0), F(0), F(0), F(0), F(0), F(0))
FILM_FACETS, SMOOTH_FACETS = 16, 2


@inline
def film_changes(wo, ax, ay, eta, eta_fresnel, film, film_eta, way):
    """Change by a film in the light of one bounce at a rough boundary, by channel: of what is reflected, and of all.

    Over a few microfacets that wo sees, spread evenly.

    Parameters
    ----------
    wo : (3,) tuple of float32
        Direction to the viewer.
    ax, ay : float32
        Widths of the microfacets' slopes.
    eta, eta_fresnel : float32
        Index ratio of the boundary, and the one that reflects.
    film : float32
        Weight of the film.
    film_eta : float32
        Its index.
    way : float32
        Its optical path, as `parameters.FILM_WAY`.

    Returns
    -------
    tuple of 6 float32
        Red, green and blue of what is reflected, then of all.
    """
    red, green, blue, whole_red, whole_green, whole_blue = NO_FILM
    facets = FILM_FACETS if ax > F(0.01) else SMOOTH_FACETS
    for k in range(facets):
        u, v, share = facet(k, facets)
        cos, up, down, is_all = facet_ways(wo, ax, ay, eta, u, v)
        if is_all:
            continue
        share *= film
        plain = fresnel_dielectric(cos, eta_fresnel)
        seen_red, seen_green, seen_blue = film_on_dielectric(cos, film_eta, eta_fresnel, way)
        red += share * (seen_red - plain) * up
        green += share * (seen_green - plain) * up
        blue += share * (seen_blue - plain) * up
        whole_red += share * (seen_red - plain) * (up - down)
        whole_green += share * (seen_green - plain) * (up - down)
        whole_blue += share * (seen_blue - plain) * (up - down)
    return red, green, blue, whole_red, whole_green, whole_blue


@inline
def filmed_reflectance(p, i, lobes, layers, cos):
    """Reflectance of the dielectric boundary under its film, by channel, and of the plain one.

    Parameters
    ----------
    p, i
        Parameters, and the row of the material.
    lobes : Lobes
        Of the base.
    layers : Layers
        Over it.
    cos : float32
        Of the angle on the microfacet.

    Returns
    -------
    tuple of 4 float32
    """
    plain = facet_reflectance(lobes, cos)
    if layers.film <= F(0) or is_total(lobes, cos):
        return plain, plain, plain, plain
    red, green, blue = film_on_dielectric(cos, layers.film_eta, lobes.eta_fresnel, p[i, P.FILM_WAY])
    film = layers.film
    return plain + film * (red - plain), plain + film * (green - plain), plain + film * (blue - plain), plain


@apart
def film_adds(p, i, lobes, layers, wo, wi):
    """Change by a thin film in the reflection of wi towards wo, by channel, and in the diffuse base below it.

    Parameters
    ----------
    p, i
        Parameters, and the row of the material.
    lobes : Lobes
        Of the base.
    layers : Layers
        Over it.
    wo, wi : (3,) tuple of float32
        Directions to the viewer and to the light, above the surface.

    Returns
    -------
    (3,) tuple of float32
    """
    h = normalize(add(wo, wi))
    cos = min(max(dot(wo, h), F(1e-4)), F(1))
    bounce = ggx_density(h, lobes.ax, lobes.ay) / (F(4) * max(wo[2], F(1e-6)))
    bounce *= smith_g2(wo, wi, lobes.ax, lobes.ay)
    red, green, blue, plain = filmed_reflectance(p, i, lobes, layers, cos)
    tint = row3_at(p, i, P.SPECULAR_COLOR)
    share = (F(1) - lobes.metal) * lobes.reflect_gain * bounce
    clear = lobes.passes
    adds = (
        share * tint[0] * (red * (F(1) + clear * (layers.film_red - F(1))) - plain),
        share * tint[1] * (green * (F(1) + clear * (layers.film_green - F(1))) - plain),
        share * tint[2] * (blue * (F(1) + clear * (layers.film_blue - F(1))) - plain),
    )
    if lobes.metal > F(0):
        color, weight = row3_at(p, i, P.BASE_COLOR), p[i, P.SPECULAR_WEIGHT]
        seen = film_on_metal(cos, layers.film_eta, color, tint, weight, p[i, P.FILM_WAY])
        share = lobes.metal * layers.film * bounce
        adds = (
            adds[0] + share * _metal_change(seen[0], cos, color[0], tint[0], weight, lobes),
            adds[1] + share * _metal_change(seen[1], cos, color[1], tint[1], weight, lobes),
            adds[2] + share * _metal_change(seen[2], cos, color[2], tint[2], weight, lobes),
        )
    if lobes.diffuse > F(0):
        chalk, single, several = p[i, P.DIFFUSE_ROUGHNESS], INV_PI, F(0)
        if chalk > F(0):
            single, several = eon_terms(wo, wi, chalk)
        base, color = lobes.diffuse * wi[2], row3_at(p, i, P.BASE_COLOR)
        adds = (
            adds[0] + _matt_change(base, layers.past_red, color[0], chalk, single, several),
            adds[1] + _matt_change(base, layers.past_green, color[1], chalk, single, several),
            adds[2] + _matt_change(base, layers.past_blue, color[2], chalk, single, several),
        )
    return adds


@inline
def _matt_change(base, past, color, chalk, single, several):
    """One channel of what is diffuse under a film less that of the channel where most passes it."""
    return (past - F(1)) * base * (color * single + eon_several_color(color, chalk) * several)


@inline
def _metal_change(seen, cos, color, tint, weight, lobes):
    """One channel of a metal under a film less that without, both with the light of several bounces."""
    filmed = seen + several_bounces(seen, lobes.mirror_mean) * lobes.mirror_lost
    bare = several_bounces(average_metal(color, tint), lobes.mirror_mean) * lobes.mirror_lost
    return filmed - weight * (fresnel_metal(cos, color, tint) + bare)
