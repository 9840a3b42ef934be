"""Albedo tables of the rough interface, and the light that a single bounce between microfacets loses.

References
----------
Turquin 2019, Practical Multiple Scattering Compensation for Microfacet Models.
"""

import math
from functools import cache

import numpy as np

from mat_shelf.optics.fresnel import fresnel_dielectric
from mat_shelf.optics.kernels import F, cache_folder, inline, kernel
from mat_shelf.optics.microfacet import sample_visible_normal, smith_g1, smith_g2, widths
from mat_shelf.optics.vectors import dot, scale, sub

COSINES = 24
ROUGHNESSES = 24
CONTRASTS = 33
STRATA = 20
CONTRAST_LIMIT = 0.5
"""(eta - 1) / (eta + 1) of the largest index ratio, 3."""


@kernel
def _tabulate(mirror, dielectric):
    """Albedo of a GGX interface by direction, roughness and index contrast, by stratified sampling.

    Parameters
    ----------
    mirror : (ROUGHNESSES, COSINES) float32
        Added to: reflected share where every microfacet is a perfect mirror.
    dielectric : (CONTRASTS, ROUGHNESSES, COSINES, 2) float32
        Added to: reflected share, and reflected plus transmitted share, of a boundary.
    """
    step = F(1.0 / STRATA)
    share = step * step
    for r in range(ROUGHNESSES):
        ax, ay = widths(F(r / (ROUGHNESSES - 1)), F(0))
        for c in range(COSINES):
            root = F(max(c / (COSINES - 1), 0.02))
            cos_o = root * root
            wo = (math.sqrt(max(F(1) - cos_o * cos_o, F(0))), F(0), cos_o)
            for i in range(STRATA):
                for j in range(STRATA):
                    h = sample_visible_normal(wo, ax, ay, F(i + 0.5) * step, F(j + 0.5) * step)
                    cos_h = dot(wo, h)
                    visible = smith_g1(wo, ax, ay)
                    bounced = sub(scale(h, F(2) * cos_h), wo)
                    up = smith_g2(wo, bounced, ax, ay) / visible if bounced[2] > F(0) else F(0)
                    mirror[r, c] += up * share
                    for k in range(CONTRASTS):
                        s = F((k / (CONTRASTS - 1) * 2 - 1) * CONTRAST_LIMIT)
                        eta = (F(1) + s) / (F(1) - s)
                        reflectance = fresnel_dielectric(cos_h, eta)
                        total = reflectance * up
                        dielectric[k, r, c, 0] += total * share
                        sin2_t = (F(1) - cos_h * cos_h) / (eta * eta)
                        if sin2_t < F(1):
                            cos_t = math.sqrt(F(1) - sin2_t)
                            down = sub(scale(h, cos_h / eta - cos_t), scale(wo, F(1) / eta))
                            if down[2] < F(0):
                                total += (F(1) - reflectance) * smith_g2(wo, down, ax, ay) / visible
                        dielectric[k, r, c, 1] += total * share


@cache
def albedo_tables():
    """The tables of `_tabulate`, computed once and kept in the user's cache.

    Returns
    -------
    (mirror, dielectric) : tuple of float32 arrays
    """
    path = cache_folder() / "albedo.npz"
    try:
        with np.load(path, allow_pickle=False) as kept:
            return kept["mirror"], kept["dielectric"]
    except (OSError, ValueError, KeyError):
        tables = (
            np.zeros((ROUGHNESSES, COSINES), np.float32),
            np.zeros((CONTRASTS, ROUGHNESSES, COSINES, 2), np.float32),
        )
        _tabulate(*tables)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("wb") as out:
            np.savez(out, mirror=tables[0], dielectric=tables[1])
    except OSError:
        pass  # a cache that cannot be written costs a second at the next start, no more
    return tables


@inline
def _cell(x, count):
    """Lower index of the table cell that x in [0, 1] falls in, and how far into it."""
    x = min(max(x, F(0)), F(1)) * F(count - 1)
    i = min(int(x), count - 2)
    return i, x - F(i)


@inline
def mirror_albedo(tables, cos_o, roughness):
    """Share of light that leaves a rough perfect mirror after one bounce."""
    table = tables[0]
    i, v = _cell(roughness, ROUGHNESSES)
    j, u = _cell(math.sqrt(cos_o), COSINES)
    top = table[i, j] * (F(1) - u) + table[i, j + 1] * u
    bottom = table[i + 1, j] * (F(1) - u) + table[i + 1, j + 1] * u
    return top * (F(1) - v) + bottom * v


@inline
def dielectric_albedo(tables, cos_o, roughness, eta):
    """Shares of light that a rough boundary reflects, and reflects or transmits, in one bounce.

    Parameters
    ----------
    eta : float32
        Index behind over index before, in [1/3, 3].

    Returns
    -------
    (reflected, total) : float32
    """
    table = tables[1]
    contrast = (eta - F(1)) / (eta + F(1))
    k, w = _cell((contrast / F(CONTRAST_LIMIT) + F(1)) * F(0.5), CONTRASTS)
    i, v = _cell(roughness, ROUGHNESSES)
    j, u = _cell(math.sqrt(cos_o), COSINES)
    corners = (
        ((F(1) - v) * (F(1) - u), i, j),
        ((F(1) - v) * u, i, j + 1),
        (v * (F(1) - u), i + 1, j),
        (v * u, i + 1, j + 1),
    )
    reflected = F(0)
    total = F(0)
    for corner in range(4):
        share, y, x = corners[corner]
        reflected += share * (table[k, y, x, 0] * (F(1) - w) + table[k + 1, y, x, 0] * w)
        total += share * (table[k, y, x, 1] * (F(1) - w) + table[k + 1, y, x, 1] * w)
    return reflected, total
