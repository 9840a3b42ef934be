"""Albedo tables of the rough interface, and the light that a single bounce between microfacets loses.

References
----------
Turquin 2019, Practical Multiple Scattering Compensation for Microfacet Models.
"""

import math
from functools import cache

import numpy as np

from mat_shelf.optics.fresnel import fresnel_dielectric
from mat_shelf.optics.fuzz import fuzz_reflection
from mat_shelf.optics.kernels import F, cache_folder, inline, kernel
from mat_shelf.optics.microfacet import sample_visible_normal, smith_g1, smith_g2, widths
from mat_shelf.optics.vectors import add, dot, normalize, scale, sub

COSINES = 24
ROUGHNESSES = 24
CONTRASTS = 33
STRATA = 20
BRUSHINGS, TURNS = 12, 9
"""Anisotropies in [0, 1], and turns of the view from across the brushing (0) to along it (90 degrees)."""
CONTRAST_LIMIT = 0.5
"""(eta - 1) / (eta + 1) of the largest index ratio, 3."""


@kernel
def _tabulate(mirror, dielectric):
    """Albedo of a GGX interface by direction, roughness and index contrast, by stratified sampling.

    Parameters
    ----------
    mirror : (ROUGHNESSES, COSINES) float32
        Added to: reflected share where every microfacet is a perfect mirror.
    dielectric : (CONTRASTS, ROUGHNESSES, COSINES, 3) float32
        Added to: reflected share, and reflected plus transmitted share, of a boundary; and the share that it would
        transmit if it bent light all the same but reflected none.
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
                                passed = smith_g2(wo, down, ax, ay) / visible
                                total += (F(1) - reflectance) * passed
                                dielectric[k, r, c, 2] += passed * share
                        dielectric[k, r, c, 1] += total * share


@kernel
def _tabulate_fuzz(fuzz):
    """Adds up the albedo of white fibres by roughness and direction, (ROUGHNESSES, COSINES) float32."""
    count = 4 * STRATA
    for r in range(ROUGHNESSES):
        for c in range(COSINES):
            root = F(max(c / (COSINES - 1), 0.02))
            cos_o = root * root
            wo = (math.sqrt(max(F(1) - cos_o * cos_o, F(0))), F(0), cos_o)
            for i in range(count):
                cos_i = F((i + 0.5) / count)
                sin_i = math.sqrt(F(1) - cos_i * cos_i)
                for j in range(count):
                    phi = F(math.pi * (j + 0.5) / count)  # the other half is its mirror image
                    wi = (sin_i * math.cos(phi), sin_i * math.sin(phi), cos_i)
                    value = fuzz_reflection(wo, wi, normalize(add(wo, wi)), F(r / (ROUGHNESSES - 1)))
                    fuzz[r, c] += value * F(2 * math.pi / (count * count))


@kernel
def _tabulate_brushed(brushed):
    """Adds up the albedo of brushed perfect mirrors, (BRUSHINGS, TURNS, ROUGHNESSES, COSINES) float32."""
    share = F(1.0 / (STRATA * STRATA))
    for a in range(BRUSHINGS):
        for t in range(TURNS):
            phi = F(0.5 * math.pi * t / (TURNS - 1))
            for r in range(ROUGHNESSES):
                ax, ay = widths(F(r / (ROUGHNESSES - 1)), F(a / (BRUSHINGS - 1)))
                for c in range(COSINES):
                    root = F(max(c / (COSINES - 1), 0.02))
                    cos_o = root * root
                    sin_o = math.sqrt(max(F(1) - cos_o * cos_o, F(0)))
                    wo = (sin_o * math.cos(phi), sin_o * math.sin(phi), cos_o)
                    for i in range(STRATA):
                        for j in range(STRATA):
                            h = sample_visible_normal(wo, ax, ay, F((i + 0.5) / STRATA), F((j + 0.5) / STRATA))
                            bounced = sub(scale(h, F(2) * dot(wo, h)), wo)
                            if bounced[2] > F(0):
                                up = smith_g2(wo, bounced, ax, ay) / smith_g1(wo, ax, ay)
                                brushed[a, t, r, c] += up * share


@cache
def albedo_tables():
    """The tables of the `_tabulate` kernels, computed once and kept in the user's cache.

    Returns
    -------
    (mirror, dielectric, fuzz, brushed) : tuple of float32 arrays
    """
    path = cache_folder() / "albedo.npz"
    try:
        with np.load(path, allow_pickle=False) as kept:
            return kept["mirror"], kept["dielectric"], kept["fuzz"], kept["brushed"]
    except (OSError, ValueError, KeyError):
        tables = (
            np.zeros((ROUGHNESSES, COSINES), np.float32),
            np.zeros((CONTRASTS, ROUGHNESSES, COSINES, 3), np.float32),
            np.zeros((ROUGHNESSES, COSINES), np.float32),
            np.zeros((BRUSHINGS, TURNS, ROUGHNESSES, COSINES), np.float32),
        )
        _tabulate(*tables[:2])
        _tabulate_fuzz(tables[2])
        _tabulate_brushed(tables[3])
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("wb") as out:
            np.savez(out, **dict(zip(("mirror", "dielectric", "fuzz", "brushed"), tables, strict=True)))
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
    return _looked_up(tables[0], cos_o, roughness)


@inline
def brushed_albedo(tables, wo, roughness, anisotropy):
    """Share of light that leaves a brushed perfect mirror towards wo after one bounce."""
    table = tables[3]
    a, x = _cell(anisotropy, BRUSHINGS)
    turn = math.atan2(abs(wo[1]), abs(wo[0])) * F(2.0 / math.pi)
    t, y = _cell(turn, TURNS)
    near = _looked_up(table[a, t], wo[2], roughness) * (F(1) - y) + _looked_up(table[a, t + 1], wo[2], roughness) * y
    a += 1
    far = _looked_up(table[a, t], wo[2], roughness) * (F(1) - y) + _looked_up(table[a, t + 1], wo[2], roughness) * y
    return near * (F(1) - x) + far * x


@inline
def fuzz_albedo(tables, cos_o, roughness):
    """Share of light that white fibres reflect."""
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
    """Shares of light that a rough boundary reflects, and reflects or transmits, in one bounce.

    Parameters
    ----------
    eta : float32
        Index behind over index before, in [1/3, 3].

    Returns
    -------
    (reflected, total) : float32
    """
    k, w, corners = _boundary_cell(cos_o, roughness, eta)
    table = tables[1]
    reflected = F(0)
    total = F(0)
    for corner in range(4):
        share, y, x = corners[corner]
        reflected += share * (table[k, y, x, 0] * (F(1) - w) + table[k + 1, y, x, 0] * w)
        total += share * (table[k, y, x, 1] * (F(1) - w) + table[k + 1, y, x, 1] * w)
    return reflected, total


@inline
def passed_unreflected(tables, cos_o, roughness, eta):
    """Share of light that a rough boundary would pass if it bent light by its index but reflected none."""
    k, w, corners = _boundary_cell(cos_o, roughness, eta)
    table = tables[1]
    passed = F(0)
    for corner in range(4):
        share, y, x = corners[corner]
        passed += share * (table[k, y, x, 2] * (F(1) - w) + table[k + 1, y, x, 2] * w)
    return passed


@inline
def _boundary_cell(cos_o, roughness, eta):
    """Where in the table of boundaries to look: the lower index contrast and how far beyond it, and four corners."""
    contrast = (eta - F(1)) / (eta + F(1))
    k, w = _cell((contrast / F(CONTRAST_LIMIT) + F(1)) * F(0.5), CONTRASTS)
    i, v = _cell(roughness, ROUGHNESSES)
    j, u = _cell(math.sqrt(cos_o), COSINES)
    return (
        k,
        w,
        (
            ((F(1) - v) * (F(1) - u), i, j),
            ((F(1) - v) * u, i, j + 1),
            (v * (F(1) - u), i + 1, j),
            (v * u, i + 1, j + 1),
        ),
    )


@inline
def even_roughness(tables, cos_o, albedo):
    """Roughness of the mirror, as rough in all directions, that has an albedo seen from cos_o."""
    low, high = F(0), F(1)
    for _ in range(12):  # the rougher, the less comes back
        middle = F(0.5) * (low + high)
        if mirror_albedo(tables, cos_o, middle) > albedo:
            low = middle
        else:
            high = middle
    return F(0.5) * (low + high)
