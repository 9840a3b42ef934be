"""Rays towards lights: stopped by what is in their way, or straight through clear glass."""

from mat_shelf.geometry.ray_casting import is_blocked, nearest
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.numerics.low_discrepancy import next_state
from mat_shelf.numerics.vectors import (
    dot,
    largest,
    mul,
    normalize,
    row3,
    row3_at,
    scale,
    store3,
)
from mat_shelf.optics import parameters as P
from mat_shelf.optics.fresnel import fresnel_dielectric
from mat_shelf.optics.surface import passes_light
from mat_shelf.optics.thin_walled import thin_wall_shares
from mat_shelf.rendering.gathering import clamp_limit, gather, meet
from mat_shelf.rendering.path_turns import lifted
from mat_shelf.rendering.volume_walk import attenuated
from mat_shelf.rendering.wave_state import SHADOW
from mat_shelf.scene.interior_list import (
    copy_interior,
    interior_index,
    is_hidden,
    surrounding,
    update_interior,
)

CROSSINGS = 24
"""Clear surfaces that a ray towards a light may go straight through."""


@apart
def trace_shadow_rays(count, caster, shadows, limits, sums):
    """Adds the light of the rays that nothing blocks.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    caster : Caster
        Handle of `embree.Scene.caster`.
    shadows : Shadows
        Rays towards lights.
    limits : PathLimits
        Limits of the paths.
    sums : Sums
        Sums of the film.
    """
    stay_apart()
    rays = shadows.rays
    for i in range(count):
        if not is_blocked(caster, row3(rays.origin, i), row3(rays.direction, i), shadows.reach[i]):
            light, most = row3(rays.throughput, i), clamp_limit(limits.most, rays.spread[i])
            gather(sums, rays.pixel[i], shadows.layer[i], light, most)
            if limits.by_kind and rays.left[i] >= 0:
                gather(sums, rays.pixel[i], SHADOW, scale(light, F(-1) / max(rays.pdf[i], F(1e-6))), most)


@apart
def intersect_shadow_rays(count, caster, shadows, hits):
    """Finds what rays towards lights meet next.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    caster : Caster
        Handle of `embree.Scene.caster`.
    shadows : Shadows
        Rays towards lights.
    hits : Hits
        Hits of the wave.
    """
    stay_apart()
    rays = shadows.rays
    for i in range(count):
        found = nearest(caster, row3(rays.origin, i), row3(rays.direction, i), shadows.reach[i])
        hits.geometry[i], hits.primitive[i], hits.u[i], hits.v[i], hits.distance[i] = found


@apart
def transmittance(count, hits, points, shadows, scene_tables, limits, sums):
    """Takes rays towards lights past clear surfaces without bending them; how many are still on their way.

    Light that comes straight through is what each boundary lets pass, less what the bodies between them absorb.

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    hits : Hits
        Hits of the wave.
    points : ShadingPoints
        Points of the wave.
    shadows : Shadows
        Rays towards lights.
    scene_tables : SceneTables
        Arrays of the scene.
    limits : PathLimits
        Limits of the paths.
    sums : Sums
        Sums of the film.

    Returns
    -------
    int
    """
    stay_apart()
    block, rays = scene_tables.block, shadows.rays
    going = 0
    for i in range(count):
        row = points.row[i]
        around = surrounding(rays.inside, i, scene_tables.bodies, -1)
        light = row3(rays.throughput, i)
        if around >= 0:
            light = attenuated(light, row3_at(block, scene_tables.bodies.row[around], P.EXTINCTION), hits.distance[i])
        if row < 0:
            most = clamp_limit(limits.most, rays.spread[i])
            gather(sums, rays.pixel[i], shadows.layer[i], light, most)
            if limits.by_kind and rays.left[i] >= 0:
                gather(sums, rays.pixel[i], SHADOW, scale(light, F(-1) / max(rays.pdf[i], F(1e-6))), most)
            continue
        look, part = points.look[i], points.part[i]
        meet(sums, rays.pixel[i], scene_tables.met_bits[part, row], F(1))
        d, facing = row3(rays.direction, i), row3(points.facing, i)
        entering = dot(d, facing) < F(0)
        away = scale(facing, F(-1)) if entering else facing
        normal = normalize(row3(points.normal, i))
        passing = _straight_through(block, scene_tables.bodies, look, part, rays.inside, i, d, normal, entering)
        light = mul(light, passing)
        if not (largest(light) > F(1e-9)):
            continue
        # No path that came upon the light by chance had come this way.
        light = scale(light, F(1) / max(rays.pdf[i], F(1e-6)))
        if block[look, P.TRANSMISSION] > F(0) and block[look, P.THIN] <= F(0):
            update_interior(rays.inside, i, part, entering)
        store3(rays.origin, going, lifted(row3(points.position, i), away))
        store3(rays.direction, going, d)
        store3(rays.throughput, going, light)
        rays.pdf[going] = F(1)
        rays.spread[going] = rays.spread[i]
        rays.pixel[going] = rays.pixel[i]
        rays.left[going] = rays.left[i]
        rays.random[going] = next_state(rays.random[i])
        shadows.reach[going] = shadows.reach[i] - hits.distance[i]
        shadows.layer[going] = shadows.layer[i]
        copy_interior(rays.inside, i, rays.inside, going)
        going += 1
    return going


@inline
def _straight_through(block, bodies, look, part, inside, i, d, normal, entering):
    """Share of light, by channel, that goes on straight past a surface."""
    gone = F(1) - block[look, P.OPACITY]
    solid = F(1) - gone
    if not passes_light(block, look):
        return gone, gone, gone
    cos = min(abs(dot(d, normal)), F(1))
    tint = row3_at(block, look, P.TRANSMISSION_TINT)
    if block[look, P.THIN] > F(0):
        bounced = fresnel_dielectric(cos, block[look, P.IOR])
        _, red = thin_wall_shares(bounced, tint[0])
        _, green = thin_wall_shares(bounced, tint[1])
        _, blue = thin_wall_shares(bounced, tint[2])
        return gone + solid * red, gone + solid * green, gone + solid * blue
    outside = surrounding(inside, i, bodies, part)
    if is_hidden(inside, i, part, entering, outside, bodies):
        return F(1), F(1), F(1)
    # As seen from the rarer side: straight on, light is never reflected back as a whole.
    eta = block[bodies.row[part], P.IOR] / interior_index(inside, i, bodies, block, part)
    share = solid * (F(1) - fresnel_dielectric(cos, max(eta, F(1) / eta)))
    return gone + share * tint[0], gone + share * tint[1], gone + share * tint[2]
