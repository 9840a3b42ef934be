"""The GGX distribution of microfacet normals, anisotropic, with Smith's height-correlated shadowing.

References
----------
Walter et al. 2007, Microfacet Models for Refraction through Rough Surfaces.
Heitz 2014, Understanding the Masking-Shadowing Function in Microfacet-Based BRDFs.
Dupuy and Benyoub 2023, Sampling Visible GGX Normals with Spherical Caps.
"""

import math

from mat_shelf.numerics.circle import circle_point
from mat_shelf.numerics.kernels import PI, F, inline
from mat_shelf.numerics.vectors import normalize

SHARPEST = F(1e-3)  # a smaller width cannot be told from a mirror and strains float32


@inline
def widths(roughness, anisotropy):
    """Widths of the distribution along tangent and bitangent (OpenPBR Surface 1.1, "Microfacet model").

    Parameters
    ----------
    roughness : float32
        Roughness of the input, [0, 1].
    anisotropy : float32
        Anisotropy, [0, 1].

    Returns
    -------
    (alpha_x, alpha_y) : float32
    """
    r2 = roughness * roughness
    across = F(1) - anisotropy
    along = r2 * math.sqrt(F(2) / (F(1) + across * across))
    return max(along, SHARPEST), max(across * along, SHARPEST)


@inline
def ggx_density(h, ax, ay):
    """D(h): area of microfacets facing h per area of surface, 1/sr.

    Parameters
    ----------
    h : float32 triple
        Unit normal of the microfacet.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.

    Returns
    -------
    float32
    """
    x = h[0] / ax
    y = h[1] / ay
    s = x * x + y * y + h[2] * h[2]
    return F(1) / (PI * ax * ay * s * s)


@inline
def smith_lambda(w, ax, ay):
    """Smith's Lambda of a direction.

    Parameters
    ----------
    w : float32 triple
        Unit direction.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.

    Returns
    -------
    float32
    """
    x = w[0] * ax
    y = w[1] * ay
    z2 = max(w[2] * w[2], F(1e-12))
    return F(0.5) * (math.sqrt(F(1) + (x * x + y * y) / z2) - F(1))


@inline
def smith_g1(w, ax, ay):
    """Share of microfacets visible from w.

    Parameters
    ----------
    w : float32 triple
        Unit direction.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.

    Returns
    -------
    float32
    """
    return F(1) / (F(1) + smith_lambda(w, ax, ay))


@inline
def smith_g2(wo, wi, ax, ay):
    """Share visible from wo and wi, both on the same side.

    Parameters
    ----------
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    wi : float32 triple
        Unit direction towards the light, in the local frame.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.

    Returns
    -------
    float32
    """
    return F(1) / (F(1) + smith_lambda(wo, ax, ay) + smith_lambda(wi, ax, ay))


@inline
def sample_visible_normal(wo, ax, ay, u, v):
    """A microfacet normal, chosen in proportion to its area as seen from wo (wo.z > 0).

    Parameters
    ----------
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.
    u, v : float32
        Random number in [0, 1).

    Returns
    -------
    float32 triple
    """
    s = normalize((wo[0] * ax, wo[1] * ay, wo[2]))
    across, along = circle_point(u)
    z = (F(1) - v) * (F(1) + s[2]) - s[2]
    r = math.sqrt(min(max(F(1) - z * z, F(0)), F(1)))
    h = (r * across + s[0], r * along + s[1], z + s[2])
    return normalize((h[0] * ax, h[1] * ay, max(h[2], F(0))))


@inline
def visible_normal_pdf(wo, h, ax, ay):
    """Density of `sample_visible_normal`, 1/sr.

    Parameters
    ----------
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    h : float32 triple
        Unit normal of the microfacet.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.

    Returns
    -------
    float32
    """
    facing = max(wo[0] * h[0] + wo[1] * h[1] + wo[2] * h[2], F(0))
    return smith_g1(wo, ax, ay) * facing * ggx_density(h, ax, ay) / max(wo[2], F(1e-6))
