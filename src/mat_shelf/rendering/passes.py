"""The passes of a wave of paths: generate, resolve, shade, settle.

A wave is a batch of paths that advance together, one bounce at a time. Between the passes Embree finds hits. Each pass
is one kernel over struct-of-arrays state; `shade` writes the paths that go on to the front of the same arrays.
"""

import math
from collections import namedtuple

import numpy as np

from mat_shelf.optics import parameters as P
from mat_shelf.optics.diffuse import INV_PI
from mat_shelf.optics.kernels import F, inline, kernel
from mat_shelf.optics.layers import NO_LAYERS, evaluate_layered, prepare_layered, sample_layered
from mat_shelf.optics.layers import entering as enters
from mat_shelf.optics.media import scattered
from mat_shelf.optics.surface import NO_LOBES, evaluate, is_smooth, prepare, sample, through_smooth
from mat_shelf.optics.vectors import (
    add,
    cross,
    dot,
    frame,
    largest,
    mul,
    normalize,
    row3,
    row3_at,
    scale,
    store3,
    sub,
    to_local,
    to_world,
)
from mat_shelf.rendering.camera import camera_ray
from mat_shelf.rendering.lights import box_pdf, cross_box, room_light, sample_lights
from mat_shelf.rendering.sampling import draw, start

NESTING = 4
"""How many clear bodies a path may be inside of at once."""
ROULETTE_FROM = 4
"""Bounces after which dim paths may be ended."""
PASSAGES = 16
"""Boundaries without effect that a path may cross beyond its bounces."""
SCATTERINGS = 400
"""Times that a path may be scattered inside bodies beyond its bounces."""
_BOUNCE_BITS, _PASSED_BITS = 8, 16
_D_LINE, _F_LINE, _C_LINE = 587.6, 486.1, 656.3
SPLIT = tuple(F((1 / nm**2 - 1 / _D_LINE**2) / (1 / _F_LINE**2 - 1 / _C_LINE**2)) for nm in (612.0, 549.0, 465.0))
"""How far the index for red, green and blue light is from that of the D line, in parts of that between F and C lines
(Cauchy 1836, two terms)."""
SOFT = 7
"""Columns of the parameter block that a path keeps: albedo and extinction of three channels, and how far forward."""

Paths = namedtuple("Paths", "origin direction throughput pdf pixel random bounces inside walk soft")
"""State of the paths of a wave.

origin, direction, throughput : (N, 3) float32
pdf : (N,) float32, density of the direction; 0 where light sampling had no part in it
pixel : (N,) int32; random : (N,) uint32
bounces : (N,) int32: real ones in the lowest byte, boundaries that were passed in the next, then scatterings
inside : (N, NESTING) int32, parameter rows of the bodies around; -1 for none
walk : (N,) int32, parameter row of the soft body that it wanders about in; -1 outside of any
soft : (N, SOFT) float32, what that body does to it, as it was where it went in: the columns from SUBSURFACE_ALBEDO on
"""

Points = namedtuple("Points", "position facing normal row look part triangle")
"""Where a wave met the scene.

position (mm), facing and normal : (N, 3) float32; geometric and shading normal
row : (N,) int32, the material's parameter row; -1 where nothing was hit
look : (N,) int32, the parameter row to shade with: the material's, or one of the point's own where it is fed
part, triangle : (N,) int32, geometry and row of its triangles
"""

Shadows = namedtuple("Shadows", "origin direction distance light pixel")
"""Rays towards lights, and the light each brings if nothing is in its way."""


def new_paths(count: int) -> Paths:
    triple = (count, 3)
    return Paths(
        np.empty(triple, F),
        np.empty(triple, F),
        np.empty(triple, F),
        np.empty(count, F),
        np.empty(count, np.int32),
        np.empty(count, np.uint32),
        np.empty(count, np.int32),
        np.empty((count, NESTING), np.int32),
        np.empty(count, np.int32),
        np.empty((count, SOFT), F),
    )


def new_points(count: int) -> Points:
    numbers = (np.empty(count, np.int32) for _ in range(4))
    return Points(np.empty((count, 3), F), np.empty((count, 3), F), np.empty((count, 3), F), *numbers)


def new_shadows(count: int) -> Shadows:
    return Shadows(
        np.empty((count, 3), F),
        np.empty((count, 3), F),
        np.empty(count, F),
        np.empty((count, 3), F),
        np.empty(count, np.int32),
    )


@kernel
def generate(view, width, height, first, count, sample_index, seed, paths):
    """Camera rays for `count` pixels from pixel `first` on, one each."""
    for i in range(count):
        pixel = first + i
        state = start(pixel, sample_index, seed)
        state, x = draw(state)
        state, y = draw(state)
        state, u = draw(state)
        state, v = draw(state)
        origin, direction = camera_ray(
            view, (F(pixel % width) + x) / F(width), (F(pixel // width) + y) / F(height), u, v
        )
        store3(paths.origin, i, origin)
        store3(paths.direction, i, direction)
        store3(paths.throughput, i, (F(1), F(1), F(1)))
        paths.pdf[i] = F(0)
        paths.pixel[i] = pixel
        paths.random[i] = state
        paths.bounces[i] = 0
        paths.walk[i] = -1
        for k in range(NESTING):
            paths.inside[i, k] = -1


@kernel
def resolve(count, geometry, primitive, u, v, triangles, rows, zone_first, zone_rows, points):
    """Turns Embree's hits into points: interpolated position, normals, parameter row (-1 where nothing was hit)."""
    for i in range(count):
        g = geometry[i]
        if g < 0:
            points.row[i] = -1
            continue
        points.part[i] = g
        t = triangles.first[g] + primitive[i]
        w0 = F(1) - u[i] - v[i]
        points.triangle[i] = t
        p = triangles.corners
        n = triangles.normals
        for k in range(3):
            points.position[i, k] = w0 * p[t, k] + u[i] * p[t, 3 + k] + v[i] * p[t, 6 + k]
            points.normal[i, k] = w0 * n[t, k] + u[i] * n[t, 3 + k] + v[i] * n[t, 6 + k]
        first = (p[t, 0], p[t, 1], p[t, 2])
        one = sub((p[t, 3], p[t, 4], p[t, 5]), first)
        other = sub((p[t, 6], p[t, 7], p[t, 8]), first)
        store3(points.facing, i, normalize(cross(one, other)))
        zone = zone_first[g]
        row = rows[g] if zone < 0 else zone_rows[zone + primitive[i]]
        points.row[i] = row
        points.look[i] = row


@inline
def _lifted(x, n):
    if abs(x) < F(1.0 / 32.0):
        return x + F(1.0 / 65536.0) * n
    step = np.int32(F(256) * n)
    bits = F(x).view(np.int32)
    return np.int32(bits - step if x < F(0) else bits + step).view(np.float32)


@inline
def lifted(p, n):
    """A point moved off its surface along n by more than the error of its coordinates.

    References
    ----------
    Wachter and Binder 2019, A Fast and Robust Method for Avoiding Self-Intersection, Ray Tracing Gems ch. 6.
    """
    return (_lifted(p[0], n[0]), _lifted(p[1], n[1]), _lifted(p[2], n[2]))


@inline
def _surrounding(inside, i, block, without):
    """Row of the body of highest priority round path i, leaving one out; -1 for air (Schmidt and Budge 2002)."""
    best = -1
    for k in range(NESTING):
        row = inside[i, k]
        if row >= 0 and row != without and (best < 0 or block[row, P.PRIORITY] > block[best, P.PRIORITY]):
            best = row
    return best


@inline
def _one_channel(throughput, u):
    """The channel that a path carries alone from where light is split, and its throughput then."""
    lit = (throughput[0] > F(0), throughput[1] > F(0), throughput[2] > F(0))
    channel = min(int(u * F(3)), 2)
    if lit[0] and not lit[1] and not lit[2]:
        return 0, throughput
    if lit[1] and not lit[0] and not lit[2]:
        return 1, throughput
    if lit[2] and not lit[0] and not lit[1]:
        return 2, throughput
    if channel == 0:
        return 0, (F(3) * throughput[0], F(0), F(0))
    if channel == 1:
        return 1, (F(0), F(3) * throughput[1], F(0))
    return 2, (F(0), F(0), F(3) * throughput[2])


@inline
def _times_inside(inside, i, row):
    times = 0
    for k in range(NESTING):
        if inside[i, k] == row:
            times += 1
    return times


@inline
def _turn_over(inside, i, row, entering):
    """Notes that path i crossed into, or out of, the body of a row."""
    for k in range(NESTING):
        if entering and inside[i, k] < 0:
            inside[i, k] = row
            return
        if not entering and inside[i, k] == row:
            inside[i, k] = -1
            return


@inline
def _weight(own, other):
    """Power heuristic of multiple importance sampling (Veach and Guibas 1995)."""
    a = own * own
    return a / max(a + other * other, F(1e-30))


@inline
def _gather(light, pixel, value, most):
    """Adds light to a pixel, dimmed where one path alone brings more than `most`."""
    peak = largest(value)
    if not (peak < F(1e30)):
        return
    keep = min(most / max(peak, F(1e-30)), F(1))
    light[pixel, 0] += value[0] * keep
    light[pixel, 1] += value[1] * keep
    light[pixel, 2] += value[2] * keep


@inline
def _facing_viewer(normal, facing, wo):
    """The shading normal, bent no further from the viewer than the horizon."""
    behind = dot(normal, wo)
    if behind > F(0.01):
        return normal
    bent = normalize(add(normal, scale(wo, F(0.02) - behind)))
    return bent if dot(bent, facing) > F(0) else facing


@inline
def _carry_on(paths, j, i, origin, direction, throughput, pdf, random, bounces):
    """Writes path i, advanced, as path j <= i."""
    store3(paths.origin, j, origin)
    store3(paths.direction, j, direction)
    store3(paths.throughput, j, throughput)
    paths.pdf[j] = pdf
    paths.pixel[j] = paths.pixel[i]
    paths.random[j] = random
    paths.bounces[j] = bounces
    paths.walk[j] = paths.walk[i]
    if paths.walk[i] >= 0:
        for k in range(SOFT):
            paths.soft[j, k] = paths.soft[i, k]
    for k in range(NESTING):
        paths.inside[j, k] = paths.inside[i, k]


@inline
def _brushed(block, look, position, normal, frames, part):
    """Two tangents of a brushed surface, across the brushing and along it; any two at the foot of its axis."""
    g = min(part, frames.salt.shape[0] - 1)
    way = int(block[look, P.BRUSH_WAY])
    k = way % 3
    turn, shift, centre = frames.turn, frames.shift, frames.centre
    axis = (turn[g, 0, k], turn[g, 1, k], turn[g, 2, k])
    along = axis
    if way < 3:
        x, y, z = centre[g, 0], centre[g, 1], centre[g, 2]
        middle = (
            shift[g, 0] + turn[g, 0, 0] * x + turn[g, 0, 1] * y + turn[g, 0, 2] * z,
            shift[g, 1] + turn[g, 1, 0] * x + turn[g, 1, 1] * y + turn[g, 1, 2] * z,
            shift[g, 2] + turn[g, 2, 0] * x + turn[g, 2, 1] * y + turn[g, 2, 2] * z,
        )
        along = cross(axis, sub(position, middle))
    along = sub(along, scale(normal, dot(along, normal)))
    if dot(along, along) < F(1e-10):
        return frame(normal)
    along = normalize(along)
    across = cross(along, normal)
    angle = block[look, P.BRUSH_TURN]
    if angle != F(0):
        c, s = math.cos(angle), math.sin(angle)
        along, across = add(scale(along, c), scale(across, s)), sub(scale(across, c), scale(along, s))
    return across, along


@kernel
def shade(
    count,
    distance,
    points,
    paths,
    shadows,
    block,
    frames,
    lights,
    tables,
    depth,
    thin_from,
    thin_most,
    most,
    cut,
    light,
    albedo,
    normals,
    cover,
):
    """One bounce of a wave: gathers emitted light, aims at lights, chooses where each path goes on.

    Parameters
    ----------
    count : int
        Paths in the wave.
    distance : (N,) float32, mm
        To the hit; 1e37 where there is none.
    block : (M, WIDTH) float32
        Parameter block: a row of each material, then rows of single points.
    frames : patterns.points.Frames
        How parts stand, for what is brushed.
    depth : int
        Bounces at which paths end.
    thin_from : int
        Scatterings in bodies after which paths may be ended.
    thin_most : float32
        Share of them that goes on at most, each time from then on.
    most : float32
        Brightest contribution accepted after the first bounce.
    cut : int
        Row that the camera does not see, nor anything behind it: the backdrop, where the product is cut out; else -2.
    light, albedo, normals : (pixels, 3) float32; cover : (pixels,) float32
        The film, added to. `cover` counts the paths that the camera sees something by.

    Returns
    -------
    (paths, shadows) : int
        How many go on, and how many rays towards lights were written.
    """
    going = 0
    aimed = 0
    boxes = lights.boxes
    for i in range(count):
        origin = row3(paths.origin, i)
        d = row3(paths.direction, i)
        throughput = row3(paths.throughput, i)
        pixel = paths.pixel[i]
        bounces = paths.bounces[i] & 0xFF
        passed = (paths.bounces[i] >> _BOUNCE_BITS) & 0xFF
        scatterings = paths.bounces[i] >> _PASSED_BITS
        accepted = most if bounces > 0 else F(1e30)
        arrival_pdf = paths.pdf[i]

        walk = paths.walk[i]
        around = _surrounding(paths.inside, i, block, -1)
        row = points.row[i]
        is_first = bounces == 0 and passed == 0 and scatterings == 0
        if is_first and cut > -2 and (row < 0 or row == cut):
            continue
        random = paths.random[i]
        if walk >= 0 or around >= 0:
            if walk >= 0:
                kept = row3(paths.soft, i)
                lost = (paths.soft[i, 3], paths.soft[i, 4], paths.soft[i, 5])
                forward = paths.soft[i, 6]
            else:
                kept = (
                    block[around, P.SCATTERED],
                    block[around, P.SCATTERED + 1],
                    block[around, P.SCATTERED + 2],
                )
                lost = (
                    block[around, P.EXTINCTION],
                    block[around, P.EXTINCTION + 1],
                    block[around, P.EXTINCTION + 2],
                )
                forward = block[around, P.SCATTER_FORWARD]
            t = distance[i]
            if largest(kept) > F(0):
                # One channel chooses how far, and all are weighed by what the three together would have chosen.
                weight = mul(throughput, kept)
                whole = max(weight[0] + weight[1] + weight[2], F(1e-20))
                chance = (
                    max(weight[0] / whole, F(0.02)),
                    max(weight[1] / whole, F(0.02)),
                    max(weight[2] / whole, F(0.02)),
                )
                chance = scale(chance, F(1) / (chance[0] + chance[1] + chance[2]))
                random, u = draw(random)
                random, v = draw(random)
                chosen = lost[2]
                if u < chance[0]:
                    chosen = lost[0]
                elif u < chance[0] + chance[1]:
                    chosen = lost[1]
                free = -math.log(max(F(1) - v, F(1e-12))) / max(chosen, F(1e-9))
                reach = min(free, t)
                passing = (math.exp(-lost[0] * reach), math.exp(-lost[1] * reach), math.exp(-lost[2] * reach))
                if free < t:
                    density = mul(lost, passing)
                    expected = max(dot(chance, density), F(1e-20))
                    throughput = mul(throughput, scale(mul(density, kept), F(1) / expected))
                    if scatterings >= SCATTERINGS or not (largest(throughput) > F(1e-5)):
                        continue
                    if scatterings >= thin_from:
                        survival = min(largest(throughput), thin_most)
                        random, u = draw(random)
                        if u >= survival:
                            continue
                        throughput = scale(throughput, F(1) / survival)
                    if is_first:
                        cover[pixel] += F(1)
                    random, u = draw(random)
                    random, v = draw(random)
                    _carry_on(
                        paths,
                        going,
                        i,
                        add(origin, scale(d, free)),
                        scattered(d, forward, u, v),
                        throughput,
                        F(0),
                        random,
                        bounces | (passed << _BOUNCE_BITS) | ((scatterings + 1) << _PASSED_BITS),
                    )
                    going += 1
                    continue
                throughput = mul(throughput, scale(passing, F(1) / max(dot(chance, passing), F(1e-20))))
            elif row >= 0:
                throughput = (
                    throughput[0] * math.exp(-lost[0] * t),
                    throughput[1] * math.exp(-lost[1] * t),
                    throughput[2] * math.exp(-lost[2] * t),
                )

        for k in range(boxes.shape[0] if walk < 0 else 0):
            t = cross_box(boxes, k, origin, d)
            if t > F(0) and t < distance[i] and not (is_first and cut > -2):
                share = F(1)
                if arrival_pdf > F(0):
                    share = _weight(arrival_pdf, box_pdf(lights, k, d, t))
                shown = scale((boxes[k, 12], boxes[k, 13], boxes[k, 14]), share)
                _gather(light, pixel, mul(throughput, shown), accepted)
        if row < 0:
            radiance, room_pdf = room_light(lights, d)
            share = _weight(arrival_pdf, room_pdf) if arrival_pdf > F(0) else F(1)
            _gather(light, pixel, scale(mul(throughput, radiance), share), accepted)
            continue

        look = points.look[i]
        position = row3(points.position, i)
        facing = row3(points.facing, i)
        normal = normalize(row3(points.normal, i))
        is_clear = block[look, P.TRANSMISSION] > F(0) and walk < 0
        entering = dot(d, facing) < F(0)
        opacity = block[look, P.OPACITY]
        if opacity < F(1) and walk < 0:
            random, u = draw(random)
            if u >= opacity:
                # Rays towards lights were stopped here, so what the path sees from now on counts in full.
                away = scale(facing, F(-1)) if entering else facing
                if passed < PASSAGES:
                    _carry_on(
                        paths,
                        going,
                        i,
                        lifted(position, away),
                        d,
                        throughput,
                        F(0),
                        random,
                        bounces
                        | ((passed if is_first else passed + 1) << _BOUNCE_BITS)
                        | (scatterings << _PASSED_BITS),
                    )
                    going += 1
                continue
        if is_first:
            cover[pixel] += F(1)
        is_sheet = block[look, P.THIN] > F(0)
        is_clear = is_clear and not is_sheet
        if is_clear or (walk >= 0 and row != walk):
            outside = _surrounding(paths.inside, i, block, row)
            ior_outside = block[outside, P.IOR] if outside >= 0 else F(1)
            hidden = outside >= 0 and block[outside, P.PRIORITY] > block[row, P.PRIORITY]
            hidden = hidden or _times_inside(paths.inside, i, row) > (0 if entering else 1)
            same = abs(block[row, P.IOR] - ior_outside) < F(1e-3) and block[look, P.TRANSMISSION] >= F(1)
            if hidden or same or walk >= 0:
                if passed < PASSAGES:
                    if walk < 0:
                        _turn_over(paths.inside, i, row, entering)
                    away = scale(facing, F(-1)) if entering else facing
                    _carry_on(
                        paths,
                        going,
                        i,
                        lifted(position, away),
                        d,
                        throughput,
                        F(0),
                        random,
                        bounces | ((passed + 1) << _BOUNCE_BITS) | (scatterings << _PASSED_BITS),
                    )
                    going += 1
                continue
        else:
            ior_outside = block[around, P.IOR] if around >= 0 else F(1)
        if walk < 0 and (entering or not is_clear):
            glow = (block[look, P.EMISSION], block[look, P.EMISSION + 1], block[look, P.EMISSION + 2])
            if largest(glow) > F(0):
                _gather(light, pixel, mul(throughput, glow), accepted)
        if not entering:
            facing = scale(facing, F(-1))
            normal = scale(normal, F(-1))
        # Bodies bend light as a whole; what lies over an opaque one reflects by an index of its own.
        index = block[row if is_clear else look, P.IOR]
        if is_clear and block[row, P.DISPERSION] > F(0):
            random, u = draw(random)
            channel, throughput = _one_channel(throughput, u)
            index = max(index + block[row, P.DISPERSION] * SPLIT[channel], F(1))
        eta = index / ior_outside
        if is_clear and not entering:
            eta = F(1) / eta

        comes_out = walk >= 0
        if comes_out:  # seen from here it is a wall lit from behind: its outside is the other side
            facing = scale(facing, F(-1))
            normal = scale(normal, F(-1))
            paths.walk[i] = -1
        wo = d if comes_out else scale(d, F(-1))
        normal = _facing_viewer(normal, facing, wo)
        if block[look, P.ANISOTROPY] + block[look, P.COAT_ANISOTROPY] > F(0):
            tangent, bitangent = _brushed(block, look, position, normal, frames, points.part[i])
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
            outside_in = entering or not is_clear
            lobes, is_sharp, layers = prepare_layered(block, look, wo_local, eta, tables, outside_in)
        else:
            lobes = prepare(block, look, wo_local, eta, tables)
            is_sharp = lobes.is_sharp and not comes_out

        if is_first:
            clear = block[look, P.TRANSMISSION] * (F(1) - lobes.metal)
            soft = (F(1) - clear) * (F(1) - lobes.metal) * block[look, P.SUBSURFACE]
            hard = F(1) - clear - soft
            for k in range(3):
                color = block[look, P.BASE_COLOR + k] * hard + block[look, P.SUBSURFACE_COLOR + k] * soft
                albedo[pixel, k] += color + clear
                normals[pixel, k] += normal[k]

        above = lifted(position, facing)
        if bounces + 1 < depth and not is_sharp:
            random, pick = draw(random)
            random, texel = draw(random)
            random, u = draw(random)
            random, v = draw(random)
            to_light, reach, radiance, light_pdf = sample_lights(lights, position, pick, texel, u, v)
            toward = dot(to_light, facing)
            wi = to_local(to_light, tangent, bitangent, normal)
            if light_pdf > F(0) and toward * wi[2] > F(0) and (toward > F(0) or is_clear or is_sheet):
                if comes_out:
                    pdf = wi[2] * INV_PI
                    value = (pdf, pdf, pdf)
                elif is_layered:
                    value, pdf = evaluate_layered(block, look, lobes, layers, wo_local, wi)
                else:
                    value, pdf = evaluate(block, look, lobes, wo_local, wi)
                if largest(value) > F(0):
                    brought = scale(mul(mul(throughput, value), radiance), _weight(light_pdf, pdf) / light_pdf)
                    if largest(brought) > F(1e-7):
                        start_at = above if toward > F(0) else lifted(position, scale(facing, F(-1)))
                        store3(shadows.origin, aimed, start_at)
                        store3(shadows.direction, aimed, to_light)
                        store3(shadows.light, aimed, brought)
                        shadows.distance[aimed] = reach * F(0.9999)
                        shadows.pixel[aimed] = pixel
                        aimed += 1

        if bounces + 1 >= depth:
            continue
        random, pick = draw(random)
        random, u = draw(random)
        random, v = draw(random)
        goes_in = not comes_out and pick < layers.pick_inside
        if is_mirror:
            wi, value = through_smooth(block, look, wo_local, eta, pick)
            pdf = F(1)
            if wi[2] == F(0):
                continue
        elif comes_out or goes_in:
            # Out of a soft body, or into it, light goes as from a matt surface.
            turn = F(2) * F(math.pi) * v
            aside = math.sqrt(u)
            wi = (aside * math.cos(turn), aside * math.sin(turn), math.sqrt(max(F(1) - u, F(1e-8))))
            pdf = wi[2] * INV_PI
            value = (pdf, pdf, pdf)
            if goes_in:
                value = scale(enters(block, look, lobes, layers, wo_local), pdf)
                if is_sheet:  # half of it comes out on either side at once
                    goes_in = False
                    is_sharp = True
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
                wi = sample(lobes, wo_local, pick, u, v)
            if wi[2] == F(0):
                continue
            if is_layered:
                value, pdf = evaluate_layered(block, look, lobes, layers, wo_local, wi)
            else:
                value, pdf = evaluate(block, look, lobes, wo_local, wi)
            if not (pdf > F(0)):
                continue
        out = normalize(to_world(wi, tangent, bitangent, normal))
        side = dot(out, facing)
        if side * wi[2] <= F(0):
            continue
        throughput = mul(throughput, scale(value, F(1) / pdf))
        if bounces >= ROULETTE_FROM:
            survival = min(max(largest(throughput), F(0.05)), F(0.97))
            random, chance = draw(random)
            if chance >= survival:
                continue
            throughput = scale(throughput, F(1) / survival)
        if not (largest(throughput) > F(1e-6)):
            continue
        leaving = above
        if goes_in:
            paths.walk[i] = row
            for k in range(SOFT):
                paths.soft[i, k] = block[look, P.SUBSURFACE_ALBEDO + k]
            leaving = lifted(position, scale(facing, F(-1)))
        elif wi[2] < F(0):
            if not is_sheet:
                _turn_over(paths.inside, i, row, entering)
            leaving = lifted(position, scale(facing, F(-1)))
        _carry_on(
            paths,
            going,
            i,
            leaving,
            out,
            throughput,
            F(0) if goes_in or is_sharp else pdf,
            random,
            (bounces + 1) | (passed << _BOUNCE_BITS) | (scatterings << _PASSED_BITS),
        )
        going += 1
    return going, aimed


@kernel
def settle(count, blocked, shadows, most, light):
    """Adds the light of the rays that nothing blocked."""
    for i in range(count):
        if blocked[i] < 0:
            _gather(light, shadows.pixel[i], row3(shadows.light, i), most)
