"""Light that paths come upon: of lights in their way, of the room, and of a photograph that stands in its place."""

import numpy as np

from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.numerics.low_discrepancy import draw
from mat_shelf.numerics.vectors import add, mul, row3, scale
from mat_shelf.rendering.gathering import (
    AFAR,
    clamp_limit,
    gather,
    guide,
    meet,
    seen_on_plate,
    straightness,
)
from mat_shelf.rendering.path_state import BENT, THROUGH, is_untouched, pack_state, unpack_state
from mat_shelf.rendering.volume_walk import LOST
from mat_shelf.scene.light_faces import FAR, SEEN, cross_light, find_in_room, lights_part, room_light, shown
from mat_shelf.scene.light_sampling import light_pdf, light_weight, power_weight


@inline
def is_counted(limits, counted):
    """True if rays towards lights went straight through: what they brought does not count again by the bent way.

    Parameters
    ----------
    limits : PathLimits
        Limits of the paths.
    counted : int
        How far the lights were counted, as `path_state` has it.

    Returns
    -------
    bool
    """
    return limits.straight and counted == THROUGH


@inline
def _gather_lights(i, end, is_first, bent, paths, scene_tables, limits, sums):
    """Gathers what path i crosses of lights before it has gone as far as `end`, mm."""
    lights, photons = scene_tables.lights, scene_tables.photons
    accepted, kind = clamp_limit(limits.most, paths.spread[i]), paths.kind[i]
    origin, d, throughput = row3(paths.origin, i), row3(paths.direction, i), row3(paths.throughput, i)
    for k in range(lights.table.shape[0]):
        if not lights_part(lights, k, paths.left[i]):
            continue
        if bent == BENT and photons.is_small[k] and photons.casts[paths.left[i]] >= 0:
            continue
        t, a, b = cross_light(lights, k, origin, d)
        if t > F(0) and t < end and not (is_first and (limits.cut > -2 or lights.table[k, SEEN] <= F(0))):
            share = F(1)
            if paths.pdf[i] > F(0):
                chance = light_weight(lights, k, origin) / paths.whole[i]
                share = power_weight(paths.pdf[i], chance * light_pdf(lights, k, origin, d, t))
            radiance = scale(shown(lights, k, a, b, d), share)
            layer = kind if limits.by_kind else limits.layers[k]
            gather(sums, paths.pixel[i], layer, mul(throughput, radiance), accepted)


@apart
def arrive(count, hits, points, paths, scene_tables, limits, sums):
    """Gathers light on the way of paths to what they meet, and notes what they meet; ends those that met nothing.

    Parameters
    ----------
    count : int
        Paths in the wave.
    hits : Hits
    points : ShadingPoints
        The row of a path that ends here becomes LOST.
    paths : Paths
    scene_tables : SceneTables
        Arrays of the scene.
    limits : PathLimits
        Limits of the paths.
    sums : Sums
    """
    stay_apart()
    lights, cut = scene_tables.lights, limits.cut
    find_in_room(count, paths.direction, lights.room, points.afar)
    count_of_lights = lights.table.shape[0]
    plate_layer = limits.layers[-1] if limits.plate.shape[0] > 0 else -1
    for i in range(count):
        row = points.row[i]
        if row == LOST:
            continue
        is_first = is_untouched(paths.bounces[i])
        if is_first and limits.catch > -2 and (row < 0 or row == limits.catch):
            paths.pixel[i] += limits.pixels.shape[0] // 2
        pixel, spread, walk = paths.pixel[i], paths.spread[i], paths.walk[i]
        if row >= 0:
            meet(sums, pixel, scene_tables.met_bits[np.uint32(points.part[i]), np.uint32(row)], spread)
        is_behind = cut > -2 and (row < 0 or row == cut or row >= limits.props)
        if is_first and is_behind:
            points.row[i] = LOST
            continue
        bounces, is_guided, counted, bent = unpack_state(paths.bounces[i])
        if limits.through and is_behind and is_guided == 0 and not is_first and spread == F(0) and walk < 0:
            # What glass bends far aside draws its edges; only what lies nearly straight behind is seen through it.
            random, u = draw(paths.random[i])
            paths.random[i] = random
            if u < straightness(limits.camera, row3(paths.origin, i), row3(paths.direction, i)):
                paths.pixel[i] += limits.pixels.shape[0] // 2
                pixel = paths.pixel[i]
                guide(sums, pixel, row3(paths.throughput, i), (F(0), F(0), F(0)))
                is_guided = 1
                paths.bounces[i] = pack_state(bounces, is_guided, counted, bent)
        is_new = not is_counted(limits, counted)
        if count_of_lights > 0 and walk < 0 and is_new:
            end = FAR * F(2) if row < 0 else hits.distance[i]
            _gather_lights(i, end, is_first, bent, paths, scene_tables, limits, sums)
        if plate_layer >= 0 and not is_first and spread == F(0) and walk < 0 and (row < 0 or row == limits.catch):
            # Through clear glass, or in a mirror, the photograph is seen where it would be if nothing bent the view.
            away = scale(row3(paths.direction, i), AFAR)
            point = add(row3(paths.origin, i), away) if row < 0 else row3(points.position, i)
            color, is_there = seen_on_plate(limits.camera, limits.plate, point)
            if is_there:
                throughput = row3(paths.throughput, i)
                gather(sums, pixel, plate_layer, mul(throughput, color), clamp_limit(limits.most, spread))
                if is_guided == 0:
                    guide(sums, pixel, throughput, (F(0), F(0), F(0)))
                points.row[i] = LOST
                continue
        if row < 0:
            throughput = row3(paths.throughput, i)
            if is_new:
                radiance, room_pdf = room_light(lights, points.afar[i, 0], points.afar[i, 1])
                share = F(1)
                if paths.pdf[i] > F(0) and lights.room_weight > F(0):
                    share = power_weight(paths.pdf[i], room_pdf * lights.room_weight / paths.whole[i])
                layer = paths.kind[i] if limits.by_kind else limits.layers[count_of_lights]
                gather(sums, pixel, layer, scale(mul(throughput, radiance), share), clamp_limit(limits.most, spread))
            if not is_first and is_guided == 0:
                guide(sums, pixel, throughput, (F(0), F(0), F(0)))
            points.row[i] = LOST
