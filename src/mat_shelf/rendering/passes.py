"""The passes of a wave of paths: begin, resolve, arrive, shade, settle.

A wave is a batch of paths that advance together, one bounce at a time. `volume_walk` takes them to what they meet
next. Each pass is one kernel over struct-of-arrays state; `shade` writes the paths that go on to the front of the same
arrays. `trace_paths` runs all of them without coming back to Python between them.
"""

import numpy as np

from mat_shelf.geometry.caps import cap_point
from mat_shelf.numerics.interpolation import between3
from mat_shelf.numerics.kernels import F, apart, inline, kernel, stay_apart
from mat_shelf.numerics.memory import call_detached
from mat_shelf.numerics.vectors import (
    facing_of,
    row3,
    store3,
)
from mat_shelf.rendering.arriving import arrive
from mat_shelf.rendering.camera_rays import generate, generate_and_cast
from mat_shelf.rendering.shading import shade
from mat_shelf.rendering.shadow_rays import CROSSINGS, intersect_shadow_rays, trace_shadow_rays, transmittance
from mat_shelf.rendering.sums import clear_sums
from mat_shelf.rendering.volume_walk import walk_to_next_surface
from mat_shelf.scene.rounded_edges import rounded_normal


@apart
def resolve(count, hits, direction, scene_tables, points):
    """Turns hits into points: interpolated position, normals, parameter row (below 0 where there is none).

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    hits : Hits
        Hits of the wave.
    direction : (N, 3) float32
        Directions of the rays.
    scene_tables : SceneTables
        Arrays of the scene.
    points : ShadingPoints
        Points of the wave.
    """
    stay_apart()
    triangles = scene_tables.triangles
    for i in range(count):
        g = hits.geometry[i]
        if g < 0:
            points.row[i] = g
            continue
        points.part[i] = g
        t = triangles.first[g] + hits.primitive[i]
        u, v = hits.u[i], hits.v[i]
        points.triangle[i] = t
        if triangles.is_caps[g]:
            place, facing = cap_point(triangles.corners, triangles.normals, t, u, v)
            store3(points.position, i, place)
            store3(points.normal, i, facing)
            store3(points.facing, i, facing)
        else:
            store3(points.position, i, between3(triangles.corners, t, u, v))
            store3(points.normal, i, between3(triangles.normals, t, u, v))
            store3(points.facing, i, facing_of(triangles.corners, t))
        if scene_tables.edges.cell[g] > F(0):
            point, facing, normal = row3(points.position, i), row3(points.facing, i), row3(points.normal, i)
            leant = rounded_normal(scene_tables.edges, g, point, facing, normal, row3(direction, i))
            store3(points.normal, i, leant)
        zone = scene_tables.zone_first[g]
        row = scene_tables.rows[g] if zone < 0 else scene_tables.zone_rows[zone + hits.primitive[i]]
        points.row[i] = row
        points.look[i] = row


@kernel
def trace_paths(count, begin, caster, bundle, hits, points, paths, shadows, scene_tables, limits, memory, sums):
    """Takes the paths of a wave through all their bounces, or to what they meet first, dressed as it would be shaded.

    All samples of some pixels are done before those of others: what they meet is in the cache from the first one on.

    Parameters
    ----------
    count : int
        Number of paths of a sample; of all samples that are abreast, where there are more than one.
    begin : Beginning
        How they begin at the camera, and how many of them are taken through their bounces together.
    caster : Caster
        Handle of `embree.Scene.caster`.
    bundle : Bundle
        Handle of `embree.Scene.bundle`.
    hits : Hits
        Hits of the wave.
    points : ShadingPoints
        Points of the wave.
    paths : Paths
        Paths of the wave.
    shadows : Shadows
        Rays towards lights.
    scene_tables : SceneTables
        Arrays of the scene.
    limits : PathLimits
        Limits of the paths; with no waves they end at what they meet first.
    memory : DressingMemory
        Memory to dress the wave.
    sums : Sums
        Sums of the wave, which begin anew.
    """
    waves = (count + begin.together - 1) // begin.together
    longest = (count + waves - 1) // max(waves, 1)  # all as long: short ones cost as much as long ones do
    for first in range(0, count, max(longest, 1)):
        some = min(longest, count - first)
        clear_sums(first, some, sums)  # just before, so that they are in the cache
        if limits.pixels.shape[0] > count:
            clear_sums(count + first, some, sums)
        each = some // begin.abreast
        for s in range(0, begin.samples.shape[0], begin.abreast):
            for beside in range(begin.abreast):
                to = beside * each
                if begin.is_bundled:
                    generate_and_cast(
                        limits.camera, limits.pixels, first + to, each, begin, s + beside, bundle, paths, hits, to
                    )
                elif begin.width > 0:
                    generate(limits.camera, limits.pixels, first + to, each, begin, s + beside, paths, to)
            even = begin.draws, begin.salts, np.uint32(s)
            _trace_together(
                some, begin.is_bundled, even, caster, hits, points, paths, shadows, scene_tables, limits, memory, sums
            )


@inline
def _trace_together(count, is_cast, even, caster, hits, points, paths, shadows, scene_tables, limits, memory, sums):
    for wave in range(max(limits.waves, 1)):
        if count == 0:
            return
        if wave > 0 or not is_cast:
            found = hits.geometry, hits.primitive, hits.u, hits.v, hits.distance
            block, bodies = scene_tables.block, scene_tables.bodies
            walk_to_next_surface(count, caster, paths, block, bodies, sums.cover, *found)
        resolve(count, hits, paths.direction, scene_tables, points)
        _dress(count, wave, caster, hits, points, paths, scene_tables, limits, memory)
        if limits.waves == 0:
            return
        arrive(count, hits, points, paths, scene_tables, limits, sums)
        count, aimed = shade(count, even, hits, points, paths, shadows, scene_tables, limits, sums)
        if not limits.straight:
            trace_shadow_rays(aimed, caster, shadows, limits, sums)
            continue
        for _ in range(CROSSINGS):
            if aimed == 0:
                break
            intersect_shadow_rays(aimed, caster, shadows, hits)
            resolve(aimed, hits, shadows.rays.direction, scene_tables, points)
            _dress(aimed, wave, caster, hits, points, shadows.rays, scene_tables, limits, memory)
            aimed = transmittance(aimed, hits, points, shadows, scene_tables, limits, sums)


@inline
def _dress(count, wave, caster, hits, points, paths, scene_tables, limits, memory):
    is_marked, is_fed = wave < limits.marked_waves, wave < limits.fed_waves
    if is_marked or is_fed:
        arguments = (
            np.int64(count),
            points,
            paths.direction,
            paths.walk,
            paths.random,
            hits,
            caster,
            scene_tables.surface,
            scene_tables.dressing,
            memory,
            scene_tables.block,
            np.int64(limits.free),
            is_marked,
            is_fed,
        )
        call_detached(limits.dress, arguments)
