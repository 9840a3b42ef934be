"""The way of a path to the next surface: straight, dimmed by a clear body, or scattered about inside a cloudy one."""

import math

from mat_shelf.optics import parameters as P
from mat_shelf.optics.kernels import F, inline, kernel
from mat_shelf.optics.media import scattered
from mat_shelf.optics.vectors import add, dot, largest, mul, row3, row3_at, scale, store3
from mat_shelf.rendering.embree import FAR, nearest
from mat_shelf.rendering.nesting import surrounding
from mat_shelf.rendering.sampling import draw
from mat_shelf.rendering.tally import is_untouched, tally, told

SCATTERINGS = 400
"""Times that a path may be scattered inside bodies."""
LOST = -2
"""In place of a geometry: the path ended on its way."""


@inline
def thinned(throughput, lost, length):
    """Light after a way, mm, through what absorbs it (Beer-Lambert)."""
    return (
        throughput[0] * math.exp(-lost[0] * length),
        throughput[1] * math.exp(-lost[1] * length),
        throughput[2] * math.exp(-lost[2] * length),
    )


@kernel
def advance(count, caster, paths, block, thin_from, thin_most, cover, geometry, primitive, u, v, distance):
    """Takes each path to what it meets next.

    Parameters
    ----------
    caster : embree.Caster
    paths : passes.Paths
        Where light is lost or scattered on the way, `throughput` and all else change; `origin` and `direction` are
        then those of the last piece of the way.
    block : (M, WIDTH) float32
    thin_from : int
        Scatterings after which paths may be ended.
    thin_most : float32
        Share of them that goes on at most, each time from then on.
    cover : (pixels,) float32
        Counts the paths that are scattered before they meet anything else.
    geometry, primitive : (N,) int32, written
        -1 where nothing is met, LOST where the path ended.
    u, v, distance : (N,) float32, written
    """
    for i in range(count):
        origin, d = row3(paths.origin, i), row3(paths.direction, i)
        walk = paths.walk[i]
        around = -1 if walk >= 0 else surrounding(paths.inside, i, block, -1)
        if walk < 0 and around < 0:
            geometry[i], primitive[i], u[i], v[i], distance[i] = nearest(caster, origin, d, FAR)
            continue
        if walk >= 0:
            kept = row3(paths.soft, i)
            lost = (paths.soft[i, 3], paths.soft[i, 4], paths.soft[i, 5])
            forward = paths.soft[i, 6]
        else:
            kept, lost = row3_at(block, around, P.SCATTERED), row3_at(block, around, P.EXTINCTION)
            forward = block[around, P.SCATTER_FORWARD]
        if not (largest(kept) > F(0)):
            geometry[i], primitive[i], u[i], v[i], distance[i] = nearest(caster, origin, d, FAR)
            if geometry[i] >= 0:
                store3(paths.throughput, i, thinned(row3(paths.throughput, i), lost, distance[i]))
            continue
        geometry[i], primitive[i], u[i], v[i], distance[i] = _wander(
            i, caster, paths, kept, lost, forward, thin_from, thin_most, cover
        )


@inline
def _wander(i, caster, paths, kept, lost, forward, thin_from, thin_most, cover):
    """Scatters path i about until it meets a surface; what it meets, as `embree.nearest`.

    One channel chooses how far, and all are weighed by what the three together would have chosen (spectral multiple
    importance sampling: Chiang, Kutz and Burley 2016, Practical and Controllable Subsurface Scattering).
    """
    origin, d, throughput = row3(paths.origin, i), row3(paths.direction, i), row3(paths.throughput, i)
    random = paths.random[i]
    bounces, passed, scatterings, _ = told(paths.bounces[i])
    is_first = is_untouched(paths.bounces[i])
    was = scatterings
    while True:
        weight = mul(throughput, kept)
        whole = max(weight[0] + weight[1] + weight[2], F(1e-20))
        chance = (
            max(weight[0] / whole, F(0.02)),
            max(weight[1] / whole, F(0.02)),
            max(weight[2] / whole, F(0.02)),
        )
        chance = scale(chance, F(1) / (chance[0] + chance[1] + chance[2]))
        random, pick = draw(random)
        random, far = draw(random)
        chosen = lost[2]
        if pick < chance[0]:
            chosen = lost[0]
        elif pick < chance[0] + chance[1]:
            chosen = lost[1]
        free = -math.log(max(F(1) - far, F(1e-12))) / max(chosen, F(1e-9))
        g, p, hit_u, hit_v, t = nearest(caster, origin, d, free)
        reach = free if g < 0 else t
        passing = (math.exp(-lost[0] * reach), math.exp(-lost[1] * reach), math.exp(-lost[2] * reach))
        if g >= 0:
            throughput = mul(throughput, scale(passing, F(1) / max(dot(chance, passing), F(1e-20))))
            break
        density = mul(lost, passing)
        expected = max(dot(chance, density), F(1e-20))
        throughput = mul(throughput, scale(mul(density, kept), F(1) / expected))
        g = LOST
        if scatterings >= SCATTERINGS or not (largest(throughput) > F(1e-5)):
            break
        if scatterings >= thin_from:
            survival = min(largest(throughput), thin_most)
            random, pick = draw(random)
            if pick >= survival:
                break
            throughput = scale(throughput, F(1) / survival)
        scatterings += 1
        origin = add(origin, scale(d, free))
        random, pick = draw(random)
        random, far = draw(random)
        d = scattered(d, forward, pick, far)
    if scatterings > was:
        if is_first:
            cover[paths.pixel[i]] += F(1)
        store3(paths.origin, i, origin)
        store3(paths.direction, i, d)
        paths.pdf[i] = F(0)
        paths.spread[i] = F(1)
        paths.bounces[i] = tally(bounces, passed, scatterings, 0)
    store3(paths.throughput, i, throughput)
    paths.random[i] = random
    return g, p, hit_u, hit_v, t
