"""Fuzz: a thin layer of fibres over all else, bright at grazing angles.

References
----------
Estevez and Kulla 2017, Production Friendly Microfacet Sheen BRDF. The coefficients of the shadowing term are from
memory; the tables of its albedo are made from whatever stands here, so energy is kept in any case.
"""

import math

from mat_shelf.numerics.kernels import F, inline

NARROWEST = F(0.07)


@inline
def _shadow_curve(x, width):
    t = (F(1) - width) * (F(1) - width)
    a = t * F(25.3245) + (F(1) - t) * F(21.5473)
    b = t * F(3.32435) + (F(1) - t) * F(3.82987)
    c = t * F(0.16801) + (F(1) - t) * F(0.19823)
    d = t * F(-1.27393) + (F(1) - t) * F(-1.97760)
    e = t * F(-4.85967) + (F(1) - t) * F(-4.32054)
    return a / (F(1) + b * math.pow(max(x, F(1e-6)), c)) + d * x + e


@inline
def _shadowing(cos, width):
    if cos < F(0.5):
        return math.exp(_shadow_curve(cos, width))
    return math.exp(F(2) * _shadow_curve(F(0.5), width) - _shadow_curve(F(1) - cos, width))


@inline
def fuzz_reflection(wo, wi, h, roughness):
    """Reflection of white fibres times the cosine of wi, 1/sr.

    Parameters
    ----------
    wo, wi, h : float32 triples
        Both directions, with z > 0, and the one half way between them.
    roughness : float32
        Roughness of the input, [0, 1].

    Returns
    -------
    float32
    """
    width = max(roughness, NARROWEST)
    sine = math.sqrt(max(F(1) - h[2] * h[2], F(0)))
    density = (F(2) + F(1) / width) * math.pow(sine, F(1) / width) * F(1.0 / (2.0 * math.pi))
    visible = F(1) / (F(1) + _shadowing(wo[2], width) + _shadowing(wi[2], width))
    return density * visible / (F(4) * max(wo[2], F(1e-4)))
