"""Energy-preserving Oren-Nayar diffuse reflection.

References
----------
Portsmouth, Kutz and Hill 2024, EON: A Practical Energy-Preserving Rough Diffuse BRDF.
"""

import math

from mat_shelf.numerics.kernels import F, inline

INV_PI = F(1.0 / math.pi)
FON_1 = F(0.5 - 2.0 / (3.0 * math.pi))
FON_2 = F(2.0 / 3.0 - 28.0 / (15.0 * math.pi))


@inline
def _single_scatter_albedo(mu, r):
    mu = min(max(mu, F(1e-3)), F(1))
    sine = math.sqrt(F(1) - mu * mu)
    # Exact, since light may meet the inside of a body of which little is clear a hundred times before it leaves.
    g = sine * (math.acos(mu) - sine * mu) + F(2.0 / 3.0) * (sine / mu * (F(1) - sine * sine * sine) - sine)
    return (F(1) + r * g * INV_PI) / (F(1) + FON_1 * r)


@inline
def eon_terms(wo, wi, r):
    """The two factors of EON that do not depend on colour.

    Parameters
    ----------
    wo, wi : float32 triples with z > 0
    r : float32
        Roughness in [0, 1].

    Returns
    -------
    (single, several) : float32
        Reflection, 1/sr, is ``color * single + several_color * several``; see `eon_several_color`.
    """
    s = wo[0] * wi[0] + wo[1] * wi[1]
    t = s / max(max(wo[2], wi[2]), F(1e-6)) if s > F(0) else s
    single = INV_PI * (F(1) + r * t) / (F(1) + FON_1 * r)
    average = (F(1) + FON_2 * r) / (F(1) + FON_1 * r)
    escape_o = max(F(1) - _single_scatter_albedo(wo[2], r), F(1e-7))
    escape_i = max(F(1) - _single_scatter_albedo(wi[2], r), F(1e-7))
    return single, INV_PI * escape_o * escape_i / max(F(1) - average, F(1e-7))


@inline
def eon_several_color(color, r):
    """Colour, one channel, of light that met the surface more than once.

    Parameters
    ----------
    color : (3,) float
        Linear Rec.709.
    r : float32
        Roughness, [0, 1].

    Returns
    -------
    float32
    """
    average = (F(1) + FON_2 * r) / (F(1) + FON_1 * r)
    return color * color * average / max(F(1) - color * max(F(1) - average, F(0)), F(1e-7))
