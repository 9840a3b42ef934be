"""The way of a path to the next surface: straight, dimmed by a clear body, or scattered about inside a cloudy one."""

import math

from mat_shelf.geometry.ray_casting import FAR, nearest
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.numerics.low_discrepancy import draw
from mat_shelf.numerics.vectors import add, dot, largest, mul, row3, row3_at, scale, store3
from mat_shelf.optics import parameters as P
from mat_shelf.optics.media import scattered
from mat_shelf.rendering.path_state import ALONE, UNAIMED, is_untouched, pack_state, unpack_state
from mat_shelf.scene.interior_list import surrounding

MOST_SCATTERINGS = 1 << 16
"""A technical bound: paths come out, or have faded, long before."""
FURTHEST = 1e5
"""mm; what has wandered further is in a body without an end, as an open sheet of something soft is."""
CALM = 8.0
"""Radii that light has wandered when it may go on from sphere to sphere of them."""
FEWEST = 2.0
"""Free ways of the smallest sphere."""
GROWTH, SHRINKING = 1.1, 0.8
"""How much larger or smaller a sphere may be than the one before it."""
SIGHT = 4.0
"""Radii that a path looks back for walls."""
FAINT = 0.2
"""Share of a path's light that is left where it may be ended."""
LOST = -2
"""In place of a geometry: the path ended on its way."""


@inline
def attenuated(throughput, lost, length):
    """Light after a way, mm, through what absorbs it (Beer-Lambert).

    Parameters
    ----------
    throughput : float32 triple
        Weight of the path by channel.
    lost : float32 triple
        Absorption by channel, 1/mm.
    length : float32
        Way, mm.

    Returns
    -------
    float32 triple
    """
    return (
        throughput[0] * math.exp(-lost[0] * length),
        throughput[1] * math.exp(-lost[1] * length),
        throughput[2] * math.exp(-lost[2] * length),
    )


@apart
def walk_to_next_surface(count, caster, paths, block, bodies, cover, geometry, primitive, u, v, distance):
    """Takes each path to what it meets next.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    caster : ray_casting.Caster
    paths : wave_state.Paths
        Where light is lost or scattered on the way, `throughput` and all else change; `origin` and `direction` are
        then those of the last piece of the way.
    block : (M, WIDTH) float32
    bodies : interior_list.Bodies
    cover : (pixels,) float32
        Counts the paths that are scattered before they meet anything else.
    geometry, primitive : (N,) int32, written
        -1 where nothing is met, LOST where the path ended.
    u, v, distance : (N,) float32, written
    """
    stay_apart()
    for i in range(count):
        origin, d = row3(paths.origin, i), row3(paths.direction, i)
        walk = paths.walk[i]
        around = -1 if walk >= 0 else surrounding(paths.inside, i, bodies, -1)
        if walk < 0 and around < 0:
            geometry[i], primitive[i], u[i], v[i], distance[i] = nearest(caster, origin, d, FAR)
            continue
        if walk >= 0:
            kept = row3(paths.soft, i)
            lost = (paths.soft[i, 3], paths.soft[i, 4], paths.soft[i, 5])
            forward = paths.soft[i, 6]
        else:
            row = bodies.row[around]
            kept, lost = row3_at(block, row, P.SCATTERED), row3_at(block, row, P.EXTINCTION)
            forward = block[row, P.SCATTER_FORWARD]
        if not (largest(kept) > F(0)):
            geometry[i], primitive[i], u[i], v[i], distance[i] = nearest(caster, origin, d, FAR)
            if geometry[i] >= 0 and largest(lost) > F(0):
                store3(paths.throughput, i, attenuated(row3(paths.throughput, i), lost, distance[i]))
            continue
        geometry[i], primitive[i], u[i], v[i], distance[i] = _wander(i, caster, paths, kept, lost, forward, cover)


@inline
def _faded(lost, kept, forward, radius):
    """Share of one channel that reaches a sphere round it, where it wanders about evenly: k r / sinh(k r).

    References
    ----------
    Muller 1956, Some Continuous Monte Carlo Methods for the Dirichlet Problem (walks on spheres); k is the effective
    attenuation of diffusion, sqrt(3 absorption (absorption + scattering (1 - forward))), Ishimaru 1978, 9.
    """
    k = math.sqrt(F(3) * lost * (F(1) - kept) * lost * (F(1) - kept * forward)) * radius
    if k < F(0.03):
        return F(1) - k * k / F(6)
    if k > F(30):
        return F(0)
    return F(2) * k / (math.exp(k) - math.exp(-k))


@inline
def _wander(i, caster, paths, kept, lost, forward, cover):
    """Scatters path i about until it meets a surface; what it meets, as `ray_casting.nearest`.

    One channel chooses how far, and all are weighed by what the three together would have chosen (spectral multiple
    importance sampling: Chiang, Kutz and Burley 2016, Practical and Controllable Subsurface Scattering).

    Deep in a dense body, once a path has wandered for many free ways, it goes on from sphere to sphere: light diffuses
    evenly there, so where it leaves a sphere and how much it has faded until then is known, and some hundred of them
    stand for many thousand scatterings. Spheres grow with how far the path has come, and shrink where a look back
    meets a wall: no sphere may reach one, and walls are met by free ways of the body's own alone.
    """
    origin, d, throughput = row3(paths.origin, i), row3(paths.direction, i), row3(paths.throughput, i)
    random = paths.random[i]
    bounces, _, _, _ = unpack_state(paths.bounces[i])
    is_first = is_untouched(paths.bounces[i])
    scatterings = 0
    faint = F(FAINT) * largest(throughput)
    least = min(
        lost[0] * (F(1) - kept[0] * forward),
        min(lost[1] * (F(1) - kept[1] * forward), lost[2] * (F(1) - kept[2] * forward)),
    )
    way = F(1) / max(least, F(1e-9))
    wandered = F(0)  # the mean square of how far it has come
    ways = F(1)  # free ways that a sphere may have for its radius
    while True:
        if ways >= F(FEWEST):
            radius = ways * way
            behind, _, _, _, back = nearest(caster, origin, scale(d, F(-1)), F(SIGHT) * radius)
            g, p, hit_u, hit_v, t = nearest(caster, origin, d, radius)
            if g >= 0 or (behind >= 0 and back < radius):
                ways = max(F(0.5) * ways, F(1))
                random, pick = draw(random)
                random, far = draw(random)
                d = scattered(d, F(0), pick, far)
                continue
            throughput = (
                throughput[0] * _faded(lost[0], kept[0], forward, radius),
                throughput[1] * _faded(lost[1], kept[1], forward, radius),
                throughput[2] * _faded(lost[2], kept[2], forward, radius),
            )
            free, turn = radius, F(0)
            wandered += radius * radius
            ways *= F(GROWTH) if behind < 0 else F(SHRINKING)
        else:
            # Chosen in proportion to what they bring, channels keep the sum of the three as it is.
            weight = mul(throughput, (max(kept[0], F(0.01)), max(kept[1], F(0.01)), max(kept[2], F(0.01))))
            chance = scale(weight, F(1) / max(weight[0] + weight[1] + weight[2], F(1e-20)))
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
            turn = forward
            wandered += free * free / (F(1) - forward)
            ways *= F(GROWTH)
        ways = max(min(ways, math.sqrt(wandered) / (F(CALM) * way)), F(1))
        g = LOST
        left = largest(throughput)
        if scatterings >= MOST_SCATTERINGS or not (left > F(0)) or not (wandered < F(FURTHEST * FURTHEST)):
            break
        if left < faint:
            random, pick = draw(random)
            if pick < F(0.5):
                break
            throughput = scale(throughput, F(2))
        scatterings += 1
        origin = add(origin, scale(d, free))
        random, pick = draw(random)
        random, far = draw(random)
        d = scattered(d, turn, pick, far)
    if scatterings > 0:
        if is_first:
            cover[paths.pixel[i]] += F(1)
        store3(paths.origin, i, origin)
        store3(paths.direction, i, d)
        paths.pdf[i] = F(0)
        paths.spread[i] = F(1)
        paths.bounces[i] = pack_state(bounces, 1, UNAIMED, ALONE)
    store3(paths.throughput, i, throughput)
    paths.random[i] = random
    return g, p, hit_u, hit_v, t
