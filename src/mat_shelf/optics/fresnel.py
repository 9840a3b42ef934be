"""Reflectance of smooth boundaries."""

import math

from mat_shelf.numerics.kernels import F, inline


@inline
def fresnel_dielectric(cos_i, eta):
    """Unpolarised reflectance of a smooth dielectric boundary.

    Parameters
    ----------
    cos_i : float32
        Cosine between the ray and the normal on the incident side, in [0, 1].
    eta : float32
        Index behind the boundary over index before it, > 0.

    Returns
    -------
    float32
        Reflectance in [0, 1]; 1 beyond the critical angle.

    References
    ----------
    Born and Wolf, Principles of Optics, 1.5.2, eqs. 20 and 21.
    """
    sin2_t = (F(1) - cos_i * cos_i) / (eta * eta)
    if sin2_t >= F(1):
        return F(1)
    cos_t = math.sqrt(F(1) - sin2_t)
    parallel = (eta * cos_i - cos_t) / (eta * cos_i + cos_t)
    perpendicular = (cos_i - eta * cos_t) / (cos_i + eta * cos_t)
    return F(0.5) * (parallel * parallel + perpendicular * perpendicular)


@inline
def fresnel_normal(eta):
    """Reflectance at normal incidence, ((eta - 1) / (eta + 1))^2.

    Parameters
    ----------
    eta : float32
        Index behind the boundary over index before it, > 0.

    Returns
    -------
    float32
    """
    r = (eta - F(1)) / (eta + F(1))
    return r * r


@inline
def average_dielectric(eta):
    """Reflectance of a smooth boundary to light from all around, for an index ratio in [1, 3].

    Parameters
    ----------
    eta : float32
        Index behind the boundary over index before it, > 0.

    Returns
    -------
    float32

    References
    ----------
    Kulla and Conty 2017, Revisiting Physically Based Shading at Imageworks (a fit; within 0.001 of 0.0918 at 1.5).
    """
    return max(eta - F(1), F(0)) / (F(4.08567) + F(1.00071) * eta)


@inline
def weighted_ior(eta, weight):
    """The index ratio whose normal reflectance is `weight` times that of `eta`.

    Parameters
    ----------
    eta : float32
        Index behind the boundary over index before it, > 0.
    weight : float32
        Weight, [0, 1].

    Returns
    -------
    float32

    References
    ----------
    OpenPBR Surface 1.1, "Glossy-diffuse slab", specular_weight.
    """
    r = math.sqrt(weight) * (eta - F(1)) / (eta + F(1))
    return (F(1) + r) / max(F(1) - r, F(1e-4))


@inline
def _edge_slope(f0, tint):
    """Strength by which the specular colour of a metal lowers Schlick's curve."""
    cos_bar = F(1.0 / 7.0)
    bar = F(1) - cos_bar
    bar5 = bar * bar * bar * bar * bar
    at_bar = f0 + (F(1) - f0) * bar5
    return at_bar * (F(1) - tint) / (cos_bar * bar5 * bar)


@inline
def average_metal(f0, tint):
    """Mean of `fresnel_metal` over all directions of even light (Kulla and Conty 2017).

    Parameters
    ----------
    f0 : float32
        Reflectance at normal incidence.
    tint : float32 triple
        Colour of the layer.

    Returns
    -------
    (Kulla and Conty 2017)
    """
    slope = _edge_slope(f0, tint)
    return min(max(f0 + (F(1) - f0) / F(21) - slope / F(126), F(0)), F(1))


@inline
def fresnel_metal(cos_i, f0, tint):
    """Reflectance of a metal in one channel, from its colour straight on and its tint at 82 degrees.

    Parameters
    ----------
    cos_i, f0, tint : float32
        All in [0, 1]. `tint` multiplies Schlick's value at cos = 1/7.

    Returns
    -------
    float32

    References
    ----------
    Kutz, Hasan and Edmondson 2021, the F82-tint form; OpenPBR Surface 1.1, "Metal".
    """
    slope = _edge_slope(f0, tint)
    c = F(1) - cos_i
    c5 = c * c * c * c * c
    return min(max(f0 + (F(1) - f0) * c5 - slope * cos_i * c5 * c, F(0)), F(1))
