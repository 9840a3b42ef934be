"""Shading: what a wave of paths does at the surfaces that it has met.

The file is long because a bounce is one kernel, whose steps share the state of the path.
"""

import math

from mat_shelf.numerics.even_sequences import BOUNCE_DRAWS, EVEN_BOUNCES, LENS_DRAWS
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.numerics.low_discrepancy import draw, next_state, shift_of, shifted
from mat_shelf.numerics.vectors import (
    dot,
    frame,
    largest,
    mul,
    normalize,
    row3,
    row3_at,
    scale,
    store3,
    to_local,
    to_world,
)
from mat_shelf.optics import parameters as P
from mat_shelf.optics.coat_and_fuzz import NO_LAYERS, evaluate_layered, glow_past, prepare_layered, sample_layered
from mat_shelf.optics.coat_and_fuzz import entering as enters
from mat_shelf.optics.diffuse import INV_PI
from mat_shelf.optics.dispersion import SPLIT, one_channel
from mat_shelf.optics.surface import (
    NO_LOBES,
    evaluate_bsdf,
    is_smooth,
    prepare_lobes,
    sample_bsdf,
    through_smooth,
)
from mat_shelf.rendering.arriving import is_counted
from mat_shelf.rendering.gathering import (
    albedo_at,
    clamp_limit,
    gather,
    guide_by,
    see,
)
from mat_shelf.rendering.light_kinds import one_kind
from mat_shelf.rendering.path_state import (
    AIMED,
    ALONE,
    BENT,
    THROUGH,
    UNAIMED,
    WIDE,
    is_untouched,
    pack_state,
    unpack_state,
)
from mat_shelf.rendering.path_turns import (
    ROULETTE_FROM,
    brushed_tangents,
    carry_on,
    facing_viewer,
    is_opaque,
    is_way_out,
    lifted,
    matt_direction,
    survival_chance,
    turn_back,
    widening,
)
from mat_shelf.rendering.photons import WIDEST, gather_photons, leave_photon, turned_flux
from mat_shelf.rendering.volume_walk import LOST
from mat_shelf.rendering.wave_state import DIFFUSE, REFLECTION, SHADOW, SOFT, SUBSURFACE, TRANSMISSION
from mat_shelf.scene.glow import glow_pdf, glow_weight, sample_glow
from mat_shelf.scene.interior_list import (
    copy_interior,
    interior_index,
    is_hidden,
    surrounding,
    times_inside,
    update_interior,
)
from mat_shelf.scene.light_faces import glow_of_part, lights_part
from mat_shelf.scene.light_sampling import power_weight, sample_lights


@inline
def _four(is_even, draws, place, shift, random):
    """Four numbers to choose a point of a light by, and the next state."""
    if is_even:
        a = shifted(draws, place, shift)
        b = shifted(draws, place + 1, shift)
        c = shifted(draws, place + 2, shift)
        return random, a, b, c, shifted(draws, place + 3, shift)
    random, a = draw(random)
    random, b = draw(random)
    random, c = draw(random)
    random, d = draw(random)
    return random, a, b, c, d


@apart
def shade(count, even, hits, points, paths, shadows, scene_tables, limits, sums):
    """One bounce of a wave: gathers what surfaces give off, aims at lights, chooses where each path goes on.

    Parameters
    ----------
    count : int
        Paths in the wave.
    even : (draws, salts, first)
        Evenly spread choices of some samples, as `low_discrepancy.even_draws` has them, and the first that is here.
    hits : Hits
    points : Points
    paths : Paths
    shadows : Shadows, written
    scene_tables : SceneTables
        Arrays of the scene.
    limits : PathLimits
        Limits of the paths.
    sums : Sums

    Returns
    -------
    (paths, shadows) : int
        How many go on, and how many rays towards lights were written.
    """
    stay_apart()
    going = 0
    aimed = 0
    every_draws, salts, first = even
    block, bodies, lights, tables, depth = (
        scene_tables.block,
        scene_tables.bodies,
        scene_tables.lights,
        scene_tables.tables,
        limits.depth,
    )
    count_of_lights = lights.table.shape[0]
    has_aims = count_of_lights > 0 or lights.room_weight > F(0) or scene_tables.glow.whole > F(0)
    photons, shining = scene_tables.photons, scene_tables.glow
    for i in range(count):
        row = points.row[i]
        if row == LOST:
            continue
        # What is read is read where it is first of use: all of it at once would not stay in registers.
        d = row3(paths.direction, i)
        throughput = row3(paths.throughput, i)
        is_first = is_untouched(paths.bounces[i])
        pixel, spread = paths.pixel[i], paths.spread[i]
        bounces, is_guided, counted, bent = unpack_state(paths.bounces[i])
        walk, kind = paths.walk[i], paths.kind[i]
        random = next_state(paths.random[i])
        look, part = points.look[i], points.part[i]
        facing = row3(points.facing, i)
        is_clear = block[look, P.TRANSMISSION] > F(0) and walk < 0
        entering = dot(d, facing) < F(0)
        opacity = block[look, P.OPACITY]
        is_sheet = block[look, P.THIN] > F(0)
        own, comes_out = bodies.row[part], walk >= 0
        ior_outside, is_outside, is_crossed = F(1), entering or comes_out, False
        number = paths.bounces[i]
        if opacity < F(1) and walk < 0:
            random, u = draw(random)
            if u >= opacity:
                # Rays towards lights were stopped here, so what the path sees from now on counts in full.
                is_crossed = True
                counted = UNAIMED if counted == UNAIMED else THROUGH
                number = pack_state(bounces, is_guided, counted, bent)
                if not entering and times_inside(paths.inside, i, part) > 0:
                    # Out of a body by a hole in it, light is not bent, but radiance widens all the same.
                    throughput = scale(throughput, widening(paths.inside, i, bodies, block, part, False, -1))
        is_clear = is_clear and not is_sheet
        if is_crossed:
            pass
        elif comes_out:
            if (part != walk or row != own) and is_opaque(block, row):
                glow = row3_at(block, row, P.EMISSION)
                if largest(glow) > F(0):
                    gain, slot = glow_of_part(lights, part)
                    layer = kind if limits.by_kind else limits.layers[slot]
                    accepted = clamp_limit(limits.most, spread)
                    gather(sums, pixel, layer, mul(throughput, mul(glow, gain)), accepted)
                if bounces + 1 < depth:
                    position = row3(points.position, i)
                    going += turn_back(paths, going, i, position, facing, entering, block, row, bounces, random)
                continue
            if part != walk or not is_way_out(paths.inside, i, part, entering):
                is_crossed = True
                if part == walk or bodies.is_clear[part]:
                    # Where it comes out it may be in water, where radiance is squeezed, or in air.
                    throughput = scale(throughput, widening(paths.inside, i, bodies, block, part, entering, walk))
            else:
                update_interior(paths.inside, i, part, False)
                paths.walk[i] = -1
                ior_outside = interior_index(paths.inside, i, bodies, block, -1)
        elif is_clear:
            outside = surrounding(paths.inside, i, bodies, part)
            ior_outside = block[bodies.row[outside], P.IOR] if outside >= 0 else F(1)
            same = abs(block[own, P.IOR] - ior_outside) < F(1e-3) and block[look, P.TRANSMISSION] >= F(1)
            same = same and block[look, P.LAYERED] <= F(0)  # a film, or a coat, is there whatever is below it
            if same or is_hidden(paths.inside, i, part, entering, outside, bodies):
                is_crossed = True
                update_interior(paths.inside, i, part, entering)
        else:
            is_outside = entering or times_inside(paths.inside, i, part) == 0
            ior_outside = interior_index(paths.inside, i, bodies, block, -1)
            # What came into a soft body by a hole goes out as if the body were not there.
            is_crossed = opacity < F(1) and is_outside and not entering and block[look, P.SUBSURFACE] > F(0)
            is_crossed = is_crossed and not is_sheet
        if is_crossed:
            away = scale(facing, F(-1)) if entering else facing
            start = lifted(row3(points.position, i), away)
            carry_on(paths, going, i, start, d, throughput, F(0), spread, random, number)
            going += 1
            continue
        position, normal = row3(points.position, i), normalize(row3(points.normal, i))
        glow = (F(0), F(0), F(0))
        if walk < 0 and (entering or not is_clear):
            glow = row3_at(block, look, P.EMISSION)
        if not entering:
            facing = scale(facing, F(-1))
            normal = scale(normal, F(-1))
        # Bodies bend light as a whole; what lies over an opaque one reflects by an index of its own.
        index = block[own if is_clear else look, P.IOR]
        arriving = throughput
        if is_clear and block[own, P.DISPERSION] > F(0):
            random, u = draw(random)
            channel, throughput = one_channel(throughput, u)
            index = max(index + block[own, P.DISPERSION] * SPLIT[channel], F(1))
        eta = index / ior_outside
        if is_clear and abs(eta - F(1)) < F(1e-3):
            eta = F(1.001)  # half vectors need some bending
        if is_clear and not entering:
            eta = F(1) / eta

        if comes_out:  # seen from here it is a wall lit from behind: its outside is the other side
            facing = scale(facing, F(-1))
            normal = scale(normal, F(-1))
        wo = d if comes_out else scale(d, F(-1))
        normal = facing_viewer(normal, facing, wo)
        if block[look, P.ANISOTROPY] + block[look, P.COAT_ANISOTROPY] > F(0):
            tangent, bitangent = brushed_tangents(block, look, position, normal, scene_tables.frames, points.part[i])
        else:
            tangent, bitangent = frame(normal)
        wo_local = to_local(wo, tangent, bitangent, normal)
        wo_local = (wo_local[0], wo_local[1], max(wo_local[2], F(1e-4)))
        is_layered = block[look, P.LAYERED] > F(0) and not comes_out
        layers = NO_LAYERS
        is_mirror = is_clear and not comes_out and is_smooth(block, look)
        if is_mirror:
            lobes, is_sharp = NO_LOBES, True
        elif is_layered:
            lobes, is_sharp, layers = prepare_layered(block, look, wo_local, eta, tables, is_outside)
            if largest(glow) > F(0):
                glow = mul(glow, glow_past(block, look, layers))
        else:
            lobes = prepare_lobes(block, look, wo_local, eta, tables, is_outside)
            is_sharp = lobes.is_sharp and not comes_out
        if largest(glow) > F(0):
            share = F(1)
            gain, slot = glow_of_part(lights, part)
            if shining.bright[row] * largest(gain) > F(0):
                arrival_pdf = paths.pdf[i]
                if is_counted(limits, counted):
                    share = F(0)
                elif arrival_pdf > F(0):
                    chance = glow_weight(shining, row3(paths.origin, i)) / paths.whole[i]
                    level, t = largest(gain), hits.distance[i]
                    share = power_weight(arrival_pdf, chance * glow_pdf(shining, row, level, facing, d, t))
            layer = kind if limits.by_kind else limits.layers[slot]
            accepted = clamp_limit(limits.most, spread)
            gather(sums, pixel, layer, scale(mul(arriving, mul(glow, gain)), share), accepted)

        # Through clear glass, what lies behind it guides the denoiser: labels are to be as sharp as beside it.
        is_window = is_sharp and (is_clear or (is_sheet and block[look, P.TRANSMISSION] > F(0.5)))
        guides = is_guided == 0 and not (is_window and not (largest(row3_at(block, own, P.SCATTERED)) > F(0)))
        if is_first or guides:
            color = albedo_at(block, look, lobes.metal)
            if is_first:
                see(sums, pixel, part, color, normal)
            if guides:
                is_guided = 1
                guide_by(sums, pixel, color, arriving, ior_outside, normal)

        if bounces + 1 >= depth:
            continue
        is_even = bounces < EVEN_BOUNCES
        sample = first + limits.beside[pixel]
        draws, shift = every_draws[sample], shift_of(limits.pixels[pixel], salts[sample])
        place = LENS_DRAWS + BOUNCE_DRAWS * bounces
        above = lifted(position, facing)
        if limits.carries and not is_sharp:
            if bent == BENT:
                around = interior_index(paths.inside, i, bodies, block, -1)
                leave_photon(photons, limits.pixels[pixel], part, position, d, throughput, around)
            continue
        if not is_sharp and photons.radius > F(0):
            gather_photons(
                photons,
                position,
                facing,
                part,
                block,
                look,
                lobes,
                layers,
                is_layered,
                comes_out,
                is_clear or is_sheet,
                wo_local,
                tangent,
                bitangent,
                normal,
                throughput,
                sums,
                pixel,
                limits.layers,
                (kind if kind > 0 else DIFFUSE) if limits.by_kind else -1,
                clamp_limit(limits.most, spread),
            )
        if has_aims and not is_sharp:
            random, pick, texel, u, v = _four(is_even, draws, place, shift, random)
            beside = glow_weight(shining, position) if shining.whole > F(0) else F(0)
            aim = sample_lights(lights, position, part, shadows.weights, beside, pick, texel, u, v)
            to_light, reach, radiance, aimed_pdf, light, paths.whole[i] = aim
            light_layer = limits.layers[light if light >= 0 else count_of_lights]
            if light == -2:
                found = sample_glow(shining, scene_tables.triangles, lights, position, texel, u, v)
                to_light, reach, lit_row, gain, slot, pdf = found
                radiance, aimed_pdf = mul(row3_at(block, lit_row, P.EMISSION), gain), aimed_pdf * pdf
                light_layer = limits.layers[slot]
            toward = dot(to_light, facing)
            wi = to_local(to_light, tangent, bitangent, normal)
            if aimed_pdf > F(0) and toward * wi[2] > F(0) and (toward > F(0) or is_clear or is_sheet):
                if comes_out:
                    pdf = wi[2] * INV_PI
                    value = (pdf, pdf, pdf)
                elif is_layered:
                    value, pdf = evaluate_layered(block, look, lobes, layers, wo_local, wi)
                else:
                    value, pdf = evaluate_bsdf(block, look, lobes, wo_local, wi)
                if limits.by_kind:
                    light_layer = kind
                    if kind == 0 and comes_out:
                        light_layer = SUBSURFACE
                    elif kind == 0 and toward < F(0):
                        light_layer = TRANSMISSION
                    elif kind == 0 and largest(value) > F(0):
                        random, u = draw(random)
                        light_layer, value = one_kind(block, look, lobes, layers, is_layered, wo_local, wi, value, u)
                if largest(value) > F(0):
                    share = power_weight(aimed_pdf, pdf)
                    brought = scale(mul(mul(throughput, value), radiance), share / aimed_pdf)
                    if largest(brought) > F(1e-7):
                        rays = shadows.rays
                        start_at = above if toward > F(0) else lifted(position, scale(facing, F(-1)))
                        store3(rays.origin, aimed, start_at)
                        store3(rays.direction, aimed, to_light)
                        store3(rays.throughput, aimed, brought)
                        rays.spread[aimed] = spread
                        rays.pixel[aimed] = pixel
                        shadows.reach[aimed] = reach * F(0.9999)
                        shadows.layer[aimed] = light_layer
                        if limits.by_kind:
                            # Light of lamps: what the backdrop takes of the room, or a lamp of itself, is no shadow.
                            rays.left[aimed] = 0 if kind == 0 and light >= 0 else -1
                            rays.pdf[aimed] = share
                            if rays.left[aimed] == 0:  # what arrives of it is taken away again
                                gather(sums, pixel, SHADOW, scale(brought, F(1) / max(share, F(1e-6))), F(1e30))
                        if limits.straight:
                            rays.pdf[aimed] = share
                            rays.random[aimed] = random
                            copy_interior(paths.inside, i, rays.inside, aimed)
                            if toward < F(0) and not is_sheet:
                                update_interior(rays.inside, aimed, part, entering)
                        aimed += 1

        if is_even:
            pick = shifted(draws, place + 4, shift)
            u = shifted(draws, place + 5, shift)
            v = shifted(draws, place + 6, shift)
        else:
            random, pick = draw(random)
            random, u = draw(random)
            random, v = draw(random)
        goes_in = not comes_out and pick < layers.pick_inside
        goes_across = False
        if is_mirror:
            wi, value = through_smooth(block, look, wo_local, eta, pick)
            pdf = F(1)
        elif comes_out or goes_in:
            # Out of a soft body, or into it, light goes as from a matt surface.
            wi = matt_direction(u, v)
            pdf = wi[2] * INV_PI
            value = (pdf, pdf, pdf)
            if goes_in:
                value = scale(enters(block, look, lobes, layers, wo_local), pdf)
                if is_sheet:  # half of it comes out on either side at once
                    goes_in = False
                    goes_across = True
                    random, chance = draw(random)
                    value = mul(value, row3_at(block, look, P.SUBSURFACE_COLOR))
                    if chance < F(0.5):
                        wi = (wi[0], wi[1], -wi[2])
                else:
                    wi = (wi[0], wi[1], -wi[2])
        else:
            if is_layered:
                wi = sample_layered(lobes, layers, wo_local, pick, u, v)
            else:
                wi = sample_bsdf(lobes, wo_local, pick, u, v)
            if wi[2] == F(0):
                continue
            if is_layered:
                value, pdf = evaluate_layered(block, look, lobes, layers, wo_local, wi)
            else:
                value, pdf = evaluate_bsdf(block, look, lobes, wo_local, wi)
            if not (pdf > F(0)):
                continue
        out = normalize(to_world(wi, tangent, bitangent, normal))
        side = dot(out, facing)
        if side * wi[2] <= F(0):
            continue
        if limits.by_kind and kind == 0:
            if comes_out or goes_in or goes_across:
                paths.kind[i] = SUBSURFACE
            elif wi[2] < F(0):
                paths.kind[i] = TRANSMISSION
            elif is_mirror:
                paths.kind[i] = REFLECTION
            else:
                random, chance = draw(random)
                paths.kind[i], value = one_kind(block, look, lobes, layers, is_layered, wo_local, wi, value, chance)
        throughput = mul(throughput, scale(value, F(1) / pdf))
        if limits.carries:
            n = limits.pixels[pixel]
            if bent == WIDE and (
                photons.casts[part] != photons.target[n] or not lights_part(lights, photons.light[n], part)
            ):
                continue
            throughput = scale(throughput, turned_flux(wo_local, wi, d, out, facing))
        if bounces >= ROULETTE_FROM:
            within = index if is_clear and (wi[2] < F(0)) == entering else ior_outside
            survival = survival_chance(throughput, within, bounces)
            random, chance = draw(random)
            if chance >= survival:
                continue
            throughput = scale(throughput, F(1) / survival)
        carried = throughput[0] + throughput[1] + throughput[2]
        if not (carried < F(1e30)):
            sums.dropped[pixel] += 1
            continue
        if not (carried > F(1e-6)):
            continue
        leaving = above
        paths.left[i] = part
        if goes_in:
            paths.walk[i] = part
            update_interior(paths.inside, i, part, entering)
            for k in range(SOFT):
                paths.soft[i, k] = block[look, P.SUBSURFACE_ALBEDO + k]
            leaving = lifted(position, scale(facing, F(-1)))
        elif wi[2] < F(0):
            if not is_sheet:
                update_interior(paths.inside, i, part, entering)
            leaving = lifted(position, scale(facing, F(-1)))
        if is_sharp:
            bent = BENT if bent != ALONE else ALONE
            counted = THROUGH if counted != UNAIMED and wi[2] < F(0) else UNAIMED
            pdf = F(0)
            if wi[2] > F(0):
                is_guided = 1  # what a window reflects does not guide, only what lies behind it
        else:
            counted = AIMED
            bent = WIDE if pdf <= WIDEST else ALONE
            spread = max(spread, min(F(1) / (F(math.pi) * pdf), F(1)))
        if goes_in or goes_across:
            counted, pdf, bent = UNAIMED, F(0), ALONE
        carry_on(
            paths,
            going,
            i,
            leaving,
            out,
            throughput,
            pdf,
            spread,
            random,
            pack_state(bounces + 1, is_guided, counted, bent),
        )
        going += 1
    return going, aimed
