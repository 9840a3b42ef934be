"""Albedo tables of the rough interface, computed once and kept in the user's cache.

References
----------
Turquin 2019, Practical Multiple Scattering Compensation for Microfacet Models.
"""

import io
import math
import zipfile
import zlib
from concurrent.futures import ThreadPoolExecutor
from functools import cache

import numpy as np

from mat_shelf.numerics.kernels import F, cache_folder, inline, kernel
from mat_shelf.numerics.vectors import add, dot, normalize, scale, sub
from mat_shelf.optics.fresnel import fresnel_dielectric
from mat_shelf.optics.fuzz import fuzz_reflection
from mat_shelf.optics.microfacet import sample_visible_normal, smith_g1, smith_g2, widths
from mat_shelf.system.file_writer import write_file

COSINES = 80
ROUGHNESSES = 32
CONTRASTS = 33
FACETS, FEW_FACETS = 2048, 256
"""Microfacets that are sent light at for each entry of a table. Light may meet a plain boundary a dozen times before it
leaves a dense body, and each time counts: of those there are more."""
FIBRES = 80
"""Steps of the cosine, and of the turn, for fuzz."""
BRUSHINGS, TURNS = 12, 9
"""Anisotropies in [0, 1], and turns of the view from across the brushing (0) to along it (90 degrees)."""
COARSE = 14
"""Cosines, and roughnesses, where a table tells only how much brushing changes another."""
FEW_CONTRASTS = 13
CONTRAST_LIMIT = 0.5
"""(eta - 1) / (eta + 1) of the largest index ratio, 3. The tables are finest near 0, where most changes at once."""


@inline
def _eta_of(k, count):
    """Index ratio of row k of a table of contrasts."""
    x = F(k / (count - 1) * 2 - 1)
    contrast = x * abs(x) * F(CONTRAST_LIMIT)
    return (F(1) + contrast) / (F(1) - contrast)


@inline
def _anisotropy_of(a):
    """Anisotropy of row a of a table of brushings; they are finest where the brushing is strongest."""
    left = F(1) - F(a) / F(BRUSHINGS - 1)
    return F(1) - left * left


@inline
def facet(k, count):
    """Two numbers in [0, 1) to choose facet k by, and its weight; weights sum to 1.

    They are evenly spread (golden ratio), and closest where facets are steep: these are few, and lose most.

    Parameters
    ----------
    k : int
        Number of the facet.
    count : int
        Facets along each of two directions.

    Returns
    -------
    float32 triple
    """
    from_end = F(1) - (F(k) + F(0.5)) / F(count)
    return F(k * 0.6180339887498949 % 1.0), F(1) - from_end * from_end, F(2) * from_end / F(count)


@inline
def facet_ways(wo, ax, ay, eta, u, v):
    """A microfacet that wo sees: its cosine, and shares that come clear of the surface of what it reflects, and passes.

    Nothing passes where light is reflected totally.

    Parameters
    ----------
    wo : float32 triple
        Unit direction towards the viewer, in the local frame.
    ax, ay : float32
        Widths of the microfacet distribution along tangent and bitangent.
    eta : float32
        Index behind the boundary over index before it, > 0.
    u, v : float32
        Random number in [0, 1).

    Returns
    -------
    tuple of 4
    """
    h = sample_visible_normal(wo, ax, ay, u, v)
    cos = min(max(dot(wo, h), F(1e-4)), F(1))
    visible = smith_g1(wo, ax, ay)
    bounced = sub(scale(h, F(2) * cos), wo)
    up = smith_g2(wo, bounced, ax, ay) / visible if bounced[2] > F(0) else F(0)
    sin2_t = (F(1) - cos * cos) / (eta * eta)
    down = F(0)
    if sin2_t < F(1):
        passed = sub(scale(h, cos / eta - math.sqrt(F(1) - sin2_t)), scale(wo, F(1) / eta))
        if passed[2] < F(0):
            down = smith_g2(wo, passed, ax, ay) / visible
    return cos, up, down, sin2_t >= F(1)


@inline
def _boundary(wo, ax, ay, eta, u, v):
    """One sample of what a rough boundary reflects, and of what it reflects or transmits."""
    cos, up, down, _ = facet_ways(wo, ax, ay, eta, u, v)
    reflectance = fresnel_dielectric(cos, eta)
    return reflectance * up, reflectance * up + (F(1) - reflectance) * down


@kernel
def _tabulate(mirror, dielectric, first, last):
    """Albedo of a GGX interface by direction, roughness and index contrast, by stratified sampling.

    Parameters
    ----------
    mirror : (ROUGHNESSES, COSINES) float32
        Added to: reflected share where every microfacet is a perfect mirror.
    dielectric : (CONTRASTS, ROUGHNESSES, COSINES, 2) float32
        Added to: reflected share, and reflected plus transmitted share, of a boundary.
    first, last : int
        Of the roughnesses that are done, the last one left out.
    """
    for r in range(first, last):
        ax, ay = widths(F(r / (ROUGHNESSES - 1)), F(0))
        for c in range(COSINES):
            root = F(max(c / (COSINES - 1), 0.02))
            cos_o = root * root
            wo = (math.sqrt(max(F(1) - cos_o * cos_o, F(0))), F(0), cos_o)
            for which in range(FACETS):
                u, v, share = facet(which, FACETS)
                mirror[r, c] += facet_ways(wo, ax, ay, F(1), u, v)[1] * share
                for k in range(CONTRASTS):
                    reflected, total = _boundary(wo, ax, ay, _eta_of(k, CONTRASTS), u, v)
                    dielectric[k, r, c, 0] += reflected * share
                    dielectric[k, r, c, 1] += total * share


@kernel
def _tabulate_brushed_boundary(ratios):
    """Change of a boundary by brushing, beside one as rough of the same area of highlight.

    Parameters
    ----------
    ratios : (BRUSHINGS, TURNS, FEW_CONTRASTS, COARSE, COARSE, 2) float32, written
        By anisotropy, turn, contrast, roughness and cosine, of both shares that `_boundary` tells.
    """
    for a in range(BRUSHINGS):
        for t in range(TURNS):
            phi = F(0.5 * math.pi * t / (TURNS - 1))
            for k in range(FEW_CONTRASTS):
                eta = _eta_of(k, FEW_CONTRASTS)
                for r in range(COARSE):
                    ax, ay = widths(F(r / (COARSE - 1)), _anisotropy_of(a))
                    even = math.sqrt(ax * ay)
                    for c in range(COARSE):
                        root = F(max(c / (COARSE - 1), 0.05))
                        cos_o = root * root
                        sin_o = math.sqrt(max(F(1) - cos_o * cos_o, F(0)))
                        wo = (sin_o * math.cos(phi), sin_o * math.sin(phi), cos_o)
                        brushed0, brushed1 = F(0), F(0)
                        plain0, plain1 = F(1e-6), F(1e-6)
                        for which in range(FEW_FACETS):
                            u, v, share = facet(which, FEW_FACETS)
                            one = _boundary(wo, ax, ay, eta, u, v)
                            other = _boundary(wo, even, even, eta, u, v)
                            brushed0 += one[0] * share
                            brushed1 += one[1] * share
                            plain0 += other[0] * share
                            plain1 += other[1] * share
                        ratios[a, t, k, r, c, 0] = (brushed0 + F(1e-6)) / plain0
                        ratios[a, t, k, r, c, 1] = (brushed1 + F(1e-6)) / plain1


@kernel
def _tabulate_fuzz(fuzz):
    """Adds up the albedo of white fibres by roughness and direction, (ROUGHNESSES, COSINES) float32."""
    count = FIBRES
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
    for a in range(BRUSHINGS):
        for t in range(TURNS):
            phi = F(0.5 * math.pi * t / (TURNS - 1))
            for r in range(ROUGHNESSES):
                ax, ay = widths(F(r / (ROUGHNESSES - 1)), _anisotropy_of(a))
                for c in range(COSINES):
                    root = F(max(c / (COSINES - 1), 0.02))
                    cos_o = root * root
                    sin_o = math.sqrt(max(F(1) - cos_o * cos_o, F(0)))
                    wo = (sin_o * math.cos(phi), sin_o * math.sin(phi), cos_o)
                    for which in range(FEW_FACETS):
                        u, v, share = facet(which, FEW_FACETS)
                        brushed[a, t, r, c] += facet_ways(wo, ax, ay, F(1), u, v)[1] * share


_NAMES = ("mirror", "dielectric", "fuzz", "brushed", "brushed_boundary", "mirror_mean")


@cache
def albedo_tables():
    """The tables of the `_tabulate` kernels, computed once and kept in the user's cache.

    Returns
    -------
    (mirror, dielectric, fuzz, brushed, brushed_boundary, mirror_mean) : tuple of float32 arrays
    """
    path = cache_folder(__name__) / "albedo.npz"
    try:
        with np.load(path, allow_pickle=False) as kept:
            return tuple(kept[name] for name in _NAMES)
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error):
        tables = (
            np.zeros((ROUGHNESSES, COSINES), np.float32),
            np.zeros((CONTRASTS, ROUGHNESSES, COSINES, 2), np.float32),
            np.zeros((ROUGHNESSES, COSINES), np.float32),
            np.zeros((BRUSHINGS, TURNS, ROUGHNESSES, COSINES), np.float32),
            np.zeros((BRUSHINGS, TURNS, FEW_CONTRASTS, COARSE, COARSE, 2), np.float32),
        )
        with ThreadPoolExecutor() as pool:  # kernels release the GIL
            work = [pool.submit(_tabulate_brushed, tables[3]), pool.submit(_tabulate_brushed_boundary, tables[4])]
            work += [pool.submit(_tabulate, *tables[:2], row, row + 4) for row in range(0, ROUGHNESSES, 4)]
            work.append(pool.submit(_tabulate_fuzz, tables[2]))
            for done in work:
                done.result()
        tables = (*tables, _means(tables[0]))
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        out = io.BytesIO()
        np.savez(out, **dict(zip(_NAMES, tables, strict=True)))
        write_file(path, out)
    except OSError:
        pass  # a cache that cannot be written costs a few seconds at the next start, no more
    return tables


def _means(mirror: np.ndarray) -> np.ndarray:
    """Means of albedos in even light, (ROUGHNESSES,) float32: weighed by the cosine."""
    roots = np.linspace(0, 1, 4001)
    known = np.linspace(0, 1, COSINES)
    # In even light a cosine of x^2 has the weight of 2 x^2 d(x^2).
    return np.array([np.trapezoid(np.interp(roots, known, row) * 4 * roots**3, roots) for row in mirror], np.float32)
