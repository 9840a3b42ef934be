"""Albedo of the rough interface, looked up in the tables of `albedo_tables`.

References
----------
Turquin 2019, Practical Multiple Scattering Compensation for Microfacet Models.
"""

import math

from mat_shelf.numerics.kernels import F, inline
from mat_shelf.optics.albedo_tables import (
    BRUSHINGS,
    COARSE,
    CONTRAST_LIMIT,
    CONTRASTS,
    COSINES,
    FEW_CONTRASTS,
    ROUGHNESSES,
    TURNS,
)
from mat_shelf.optics.fresnel import fresnel_dielectric
from mat_shelf.optics.microfacet import widths

SMOOTH_FROM, SMOOTH_TO = 0.08, 0.12
"""Roughnesses between which boundaries begin to differ from smooth ones."""
LEAVING_MORE = 0.2
"""How much more readily light leaves a rough metal after its second bounce than even light does, of what does not."""


@inline
def _contrast_place(eta):
    """Place of an index ratio in a table of contrasts, in [0, 1]."""
    contrast = (eta - F(1)) / (eta + F(1)) * F(1 / CONTRAST_LIMIT)
    x = math.sqrt(abs(contrast))
    return F(0.5) + F(0.5) * (x if contrast > F(0) else -x)


@inline
def _brushing_place(anisotropy):
    """Place of an anisotropy in a table of brushings, in [0, 1]."""
    return F(1) - math.sqrt(F(1) - anisotropy)


@inline
def _cell(x, count):
    """Lower index of the table cell that x in [0, 1] falls in, and how far into it."""
    x = min(max(x, F(0)), F(1)) * F(count - 1)
    i = min(int(x), count - 2)
    return i, x - F(i)


@inline
def mirror_albedo(tables, cos_o, roughness):
    """Share of light that leaves a rough perfect mirror after one bounce.

    Parameters
    ----------
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    cos_o : float32
        Cosine of `wo`.
    roughness : float32
        Roughness of the input, [0, 1].

    Returns
    -------
    float32
    """
    return _looked_up(tables[0], cos_o, roughness)


@inline
def mean_mirror_albedo(tables, roughness):
    """Share of even light that leaves a rough perfect mirror after one bounce.

    Parameters
    ----------
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    roughness : float32
        Roughness of the input, [0, 1].

    Returns
    -------
    float32
    """
    i, v = _cell(roughness, ROUGHNESSES)
    return tables[5][i] * (F(1) - v) + tables[5][i + 1] * v


@inline
def several_bounces(reflectance, mean):
    """Share, by that of a perfect mirror, of the light of more than one bounce that comes back from a rough metal.

    Parameters
    ----------
    reflectance : float32
        Mean over all directions of even light.
    mean : float32
        As `mean_mirror_albedo`.

    Returns
    -------
    float32

    References
    ----------
    Kulla and Conty 2017, Revisiting Physically Based Shading at Imageworks, after Jakob et al. 2014. That light leaves
    the later the more easily is fitted to random walks on microfacets (Heitz et al. 2016, Multiple-Scattering
    Microfacet BSDFs with the Smith Model).
    """
    leaving = mean + F(LEAVING_MORE) * (F(1) - mean)
    return reflectance * reflectance * leaving / (F(1) - reflectance * (F(1) - leaving))


@inline
def brushed_albedo(tables, wo, roughness, anisotropy):
    """Share of light that leaves a brushed perfect mirror towards wo after one bounce.

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

    Returns
    -------
    float32
    """
    table = tables[3]
    a, x = _cell(_brushing_place(anisotropy), BRUSHINGS)
    turn = math.atan2(abs(wo[1]), abs(wo[0])) * F(2.0 / math.pi)
    t, y = _cell(turn, TURNS)
    near = _looked_up(table[a, t], wo[2], roughness) * (F(1) - y) + _looked_up(table[a, t + 1], wo[2], roughness) * y
    a += 1
    far = _looked_up(table[a, t], wo[2], roughness) * (F(1) - y) + _looked_up(table[a, t + 1], wo[2], roughness) * y
    return near * (F(1) - x) + far * x


@inline
def fuzz_albedo(tables, cos_o, roughness):
    """Share of light that white fibres reflect.

    Parameters
    ----------
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    cos_o : float32
        Cosine of `wo`.
    roughness : float32
        Roughness of the input, [0, 1].

    Returns
    -------
    float32
    """
    return min(_looked_up(tables[2], cos_o, roughness), F(1))


@inline
def _looked_up(table, cos_o, roughness):
    i, v = _cell(roughness, ROUGHNESSES)
    j, u = _cell(math.sqrt(cos_o), COSINES)
    top = table[i, j] * (F(1) - u) + table[i, j + 1] * u
    bottom = table[i + 1, j] * (F(1) - u) + table[i + 1, j + 1] * u
    return top * (F(1) - v) + bottom * v


@inline
def dielectric_albedo(tables, cos_o, roughness, eta):
    """Shares of light that a rough boundary reflects, and transmits or reflects, in one bounce.

    Parameters
    ----------
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    cos_o : float32
        Cosine of `wo`.
    roughness : float32
        Roughness of the input, [0, 1].
    eta : float32
        Index behind over index before, in [1/3, 3].

    Returns
    -------
    (reflected, total) : float32
    """
    table = tables[1]
    k, w = _cell(_contrast_place(eta), CONTRASTS)
    i, v = _cell(roughness, ROUGHNESSES)
    j, u = _cell(math.sqrt(cos_o), COSINES)
    corners = (
        ((F(1) - v) * (F(1) - u), i, j),
        ((F(1) - v) * u, i, j + 1),
        (v * (F(1) - u), i + 1, j),
        (v * u, i + 1, j + 1),
    )
    reflected, total = F(0), F(0)
    for corner in range(4):
        share, y, x = corners[corner]
        reflected += share * (table[k, y, x, 0] * (F(1) - w) + table[k + 1, y, x, 0] * w)
        total += share * (table[k, y, x, 1] * (F(1) - w) + table[k + 1, y, x, 1] * w)
    if roughness < F(SMOOTH_TO):
        # So sharp a change at the critical angle is not in the table.
        rough = max(roughness - F(SMOOTH_FROM), F(0)) / F(SMOOTH_TO - SMOOTH_FROM)
        even = F(1) - rough
        reflected = rough * reflected + even * fresnel_dielectric(cos_o, eta)
        total = rough * total + even
    return reflected, total


@inline
def brushed_dielectric_albedo(tables, wo, roughness, anisotropy, eta):
    """As `dielectric_albedo`, of a brushed boundary seen from wo.

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
    tuple of 2
    """
    ax, ay = widths(roughness, anisotropy)
    reflected, total = dielectric_albedo(tables, wo[2], math.sqrt(math.sqrt(ax * ay)), eta)
    table = tables[4]
    a, x = _cell(_brushing_place(anisotropy), BRUSHINGS)
    t, y = _cell(math.atan2(abs(wo[1]), abs(wo[0])) * F(2.0 / math.pi), TURNS)
    k, w = _cell(_contrast_place(eta), FEW_CONTRASTS)
    i, v = _cell(roughness, COARSE)
    j, u = _cell(math.sqrt(wo[2]), COARSE)
    more0, more1 = F(0), F(0)
    for corner in range(32):
        c0, c1, c2, c3, c4 = corner & 1, (corner >> 1) & 1, (corner >> 2) & 1, (corner >> 3) & 1, corner >> 4
        share = (x if c0 else F(1) - x) * (y if c1 else F(1) - y) * (w if c2 else F(1) - w)
        share *= (v if c3 else F(1) - v) * (u if c4 else F(1) - u)
        more0 += share * table[a + c0, t + c1, k + c2, i + c3, j + c4, 0]
        more1 += share * table[a + c0, t + c1, k + c2, i + c3, j + c4, 1]
    return reflected * more0, min(total * more1, F(1))
