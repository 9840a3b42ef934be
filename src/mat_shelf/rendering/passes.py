"""The passes of a wave of paths: generate, resolve, shade, settle.

A wave is a batch of paths that advance together, one bounce at a time. `volume_walk` takes them to what they meet
next. Each pass is one kernel over struct-of-arrays state; `shade` writes the paths that go on to the front of the same
arrays. `trace_paths` runs all of them without coming back to Python between them.
The file is long because the passes share that state and inline each other's functions.
"""

import math
from collections import namedtuple

import numpy as np

from mat_shelf.numerics.interpolation import between3
from mat_shelf.numerics.kernels import F, apart, inline, kernel
from mat_shelf.numerics.low_discrepancy import (
    BOUNCE_DRAWS,
    EVEN_BOUNCES,
    LENS_DRAWS,
    draw,
    first_state,
    next_state,
    shift_of,
    shifted,
)
from mat_shelf.numerics.memory import call_detached
from mat_shelf.numerics.vectors import (
    add,
    cross,
    dot,
    facing_of,
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
from mat_shelf.optics import parameters as P
from mat_shelf.optics.coat_and_fuzz import NO_LAYERS, evaluate_layered, glow_past, prepare_layered, sample_layered
from mat_shelf.optics.coat_and_fuzz import entering as enters
from mat_shelf.optics.diffuse import INV_PI
from mat_shelf.optics.fresnel import fresnel_dielectric
from mat_shelf.optics.surface import (
    NO_LOBES,
    evaluate_bsdf,
    is_smooth,
    passes_light,
    prepare_lobes,
    sample_bsdf,
    through_smooth,
)
from mat_shelf.optics.thin_walled import thin_wall_shares
from mat_shelf.rendering.camera import camera_ray
from mat_shelf.rendering.path_state import AIMED, THROUGH, UNAIMED, is_untouched, pack_state, unpack_state
from mat_shelf.rendering.volume_walk import LOST, attenuated, walk_to_next_surface
from mat_shelf.scene.embree import is_blocked, nearest
from mat_shelf.scene.interior_list import (
    MOST_NESTED,
    copy_interior,
    interior_index,
    is_hidden,
    surrounding,
    times_inside,
    update_interior,
)
from mat_shelf.scene.lights import box_pdf, cross_box, room_light, sample_lights

ROULETTE_FROM = 4
"""Bounces after which dim paths may be ended."""
LONG_FROM = 16
"""Bounces after which what is still bright wanders about in glass, or in a white room."""
MOST_GOING, MOST_LONG = F(0.97), F(0.999)
"""Share of bright paths that goes on at each bounce, and from `LONG_FROM` on. There must not be more of them ended by
chance than leave a dense body that is clear in part: the few that are left would weigh so much that their mean is never
seen."""
CROSSINGS = 24
"""Clear surfaces that a ray towards a light may go straight through."""
_D_LINE, _F_LINE, _C_LINE = 587.6, 486.1, 656.3
SPLIT = tuple(F((1 / nm**2 - 1 / _D_LINE**2) / (1 / _F_LINE**2 - 1 / _C_LINE**2)) for nm in (612.0, 549.0, 465.0))
"""How far the index for red, green and blue light is from that of the D line, in parts of that between F and C lines
(Cauchy 1836, two terms)."""
SOFT = 7
"""Columns of the parameter block that a path keeps: albedo and extinction of three channels, and how far forward."""

Paths = namedtuple("Paths", "origin direction throughput pdf spread pixel random bounces inside walk soft")
"""State of the paths of a wave.

origin, direction, throughput : (N, 3) float32
pdf : (N,) float32, density of the direction; 0 where light sampling had no part in it
spread : (N,) float32, share of the directions that the path could have taken where it was turned most freely: 0 as long
as it met mirrors and clear glass only, 1 after a matt surface
pixel : (N,) int32, row of the sums that it adds to; random : (N,) uint32
bounces : (N,) int32, as `pack_state` has it
inside : (N, NESTING) int32, the bodies around, as `interior_list` has them
walk : (N,) int32, the soft body, by its geometry, that it wanders about in; -1 outside of any
soft : (N, SOFT) float32, what that body does to it, as it was where it went in: the columns from SUBSURFACE_ALBEDO on
"""

ShadingPoints = namedtuple("ShadingPoints", "position facing normal row look part triangle")
"""Where a wave met the scene.

position (mm), facing and normal : (N, 3) float32; geometric and shading normal
row : (N,) int32, the material's parameter row; -1 where nothing was hit
look : (N,) int32, the parameter row to shade with: the material's, or one of the point's own where it is fed
part, triangle : (N,) int32, geometry and row of its triangles
"""

Shadows = namedtuple("Shadows", "rays reach")
"""Rays towards lights.

rays : Paths. `throughput` is the light that each brings if nothing is in its way, `pdf` the weight that is part of it
and that is due only to rays that could have come upon the light by chance too
reach : (N,) float32, mm, how far the light is
"""

SceneTables = namedtuple(
    "SceneTables", "triangles rows zone_first zone_rows met_bits block bodies frames lights tables surface dressing"
)
"""What the passes read: of `Geometry`, of `MaterialTable`, of `Lights`, the albedo tables, and what dresses points.

`block` is (M, WIDTH) float32, a row of each material, then rows of single points.
"""

PathLimits = namedtuple(
    "PathLimits", "depth most cut straight pixels draws salt waves marked_waves fed_waves free dress"
)
"""How far paths go.

depth : int, bounces at which they end
most : float32, as `RenderTask.brightest`
cut : int, row that the camera does not see, nor anything behind it: the backdrop, where the product is cut out; else -2
straight : bool, as `RenderTask.straight`
pixels : (N,) int32, the pixel of the picture of each row of the sums
draws, salt : as `low_discrepancy.even_draws` has them
waves : int, surfaces that a path may meet; marked_waves, fed_waves : those at which marks, and patterns, count
free : int, first row of the parameter block for single points
dress : int, address of `dressing.dress_points`
"""

Hits = namedtuple("Hits", "geometry primitive u v distance")
"""What rays met, as `embree.nearest` has it, (N,) each."""


def new_paths(count: int) -> Paths:
    """Arrays for the paths of a wave.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    Paths
    """
    triple = (count, 3)
    return Paths(
        np.empty(triple, F),
        np.empty(triple, F),
        np.empty(triple, F),
        np.empty(count, F),
        np.empty(count, F),
        np.empty(count, np.int32),
        np.empty(count, np.uint32),
        np.empty(count, np.int32),
        np.empty((count, MOST_NESTED), np.int32),
        np.full(count, -1, np.int32),
        np.empty((count, SOFT), F),
    )


def new_shading_points(count: int) -> ShadingPoints:
    """Arrays for the points of a wave.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    ShadingPoints
    """
    numbers = (np.empty(count, np.int32) for _ in range(4))
    return ShadingPoints(np.empty((count, 3), F), np.empty((count, 3), F), np.empty((count, 3), F), *numbers)


def new_shadows(count: int) -> Shadows:
    """Arrays for rays towards lights.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    Shadows
    """
    return Shadows(new_paths(count), np.empty(count, F))


def new_hits(count: int) -> Hits:
    """Arrays for the hits of a wave.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    Hits
    """
    return Hits(np.empty(count, np.int32), np.empty(count, np.int32), *(np.empty(count, F) for _ in range(3)))


@kernel
def generate(view, width, height, pixels, sample_index, seed, draws, salt, nest, paths):
    """Camera rays of some pixels, one each; `nest` is what the camera is inside of.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    width : int
        Pixels across.
    height : int
        Pixels from top to bottom.
    pixels : (N,) int32
        Numbers of the pixels, in reading order.
    sample_index : int
        Number of the sample.
    seed : uint32
        Seed of the render.
    draws : (N, K) uint32
        Points of the sequence.
    salt : uint32
        Number that decorrelates renders.
    nest : (NESTING, 2) int16
        Interior list of the camera.
    paths : Paths
        Paths of the wave.
    """
    for i in range(pixels.shape[0]):
        pixel = pixels[i]
        shift = shift_of(pixel, salt)
        origin, direction = camera_ray(
            view,
            (F(pixel % width) + shifted(draws, 0, shift)) / F(width),
            (F(pixel // width) + shifted(draws, 1, shift)) / F(height),
            shifted(draws, 2, shift),
            shifted(draws, 3, shift),
        )
        store3(paths.origin, i, origin)
        store3(paths.direction, i, direction)
        store3(paths.throughput, i, (F(1), F(1), F(1)))
        paths.pdf[i] = F(0)
        paths.spread[i] = F(0)
        paths.pixel[i] = i
        paths.random[i] = first_state(pixel, sample_index, seed)
        paths.bounces[i] = 0
        paths.walk[i] = -1
        for k in range(MOST_NESTED):
            paths.inside[i, k] = nest[k]


@kernel
def resolve(count, hits, scene_tables, points):
    """Turns hits into points: interpolated position, normals, parameter row (below 0 where there is none).

    Parameters
    ----------
    count : int
        Number of points, paths or rays that are in use.
    hits : Hits
        Hits of the wave.
    scene_tables : SceneTables
        Arrays of the scene.
    points : ShadingPoints
        Points of the wave.
    """
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
        store3(points.position, i, between3(triangles.corners, t, u, v))
        store3(points.normal, i, between3(triangles.normals, t, u, v))
        store3(points.facing, i, facing_of(triangles.corners, t))
        zone = scene_tables.zone_first[g]
        row = scene_tables.rows[g] if zone < 0 else scene_tables.zone_rows[zone + hits.primitive[i]]
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

    Parameters
    ----------
    p : float32 triple
        Point, mm.
    n : float32 triple
        Unit normal.

    Returns
    -------
    float32 triple

    References
    ----------
    Wachter and Binder 2019, A Fast and Robust Method for Avoiding Self-Intersection, Ray Tracing Gems ch. 6.
    """
    return (_lifted(p[0], n[0]), _lifted(p[1], n[1]), _lifted(p[2], n[2]))


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
def _weight(own, other):
    """Power heuristic of multiple importance sampling (Veach and Guibas 1995)."""
    a = own * own
    return a / max(a + other * other, F(1e-30))


@inline
def _gather(sums, pixel, value, most):
    """Adds light to a pixel. What goes beyond `most` is kept apart; `firefly_redistribution` spreads it later.

    What is no number would blacken all around it: it is counted and left out.
    """
    if not (value[0] + value[1] + value[2] < F(1e30)):
        sums.dropped[pixel] += 1
        return
    peak = largest(value)
    light, excess = sums.light, sums.excess
    keep = min(most / max(peak, F(1e-30)), F(1))
    for k in range(3):
        light[pixel, k] += value[k] * keep
    if keep < F(1):
        for k in range(3):
            excess[pixel, k] += value[k] * (F(1) - keep)


@inline
def _meet(sums, pixel, bit):
    """Notes that light of a pixel depends on a material on a part."""
    sums.met[pixel] |= np.uint64(1) << np.uint64(bit)


@inline
def _clamp_limit(most, spread):
    """Most that a path may bring: the more freely it was turned, the less can its light be met by chance again."""
    return most / max(spread, F(1e-6))


@inline
def _facing_viewer(normal, facing, wo):
    """The shading normal, bent no further from the viewer than the horizon."""
    behind = dot(normal, wo)
    if behind > F(0.01):
        return normal
    bent = normalize(add(normal, scale(wo, F(0.02) - behind)))
    return bent if dot(bent, facing) > F(0) else facing


@inline
def _carry_on(paths, j, i, origin, direction, throughput, pdf, spread, random, bounces):
    """Writes path i, advanced, as path j <= i."""
    store3(paths.origin, j, origin)
    store3(paths.direction, j, direction)
    store3(paths.throughput, j, throughput)
    paths.pdf[j] = pdf
    paths.spread[j] = spread
    paths.pixel[j] = paths.pixel[i]
    paths.random[j] = random
    paths.bounces[j] = bounces
    paths.walk[j] = paths.walk[i]
    if paths.walk[i] >= 0:
        for k in range(SOFT):
            paths.soft[j, k] = paths.soft[i, k]
    copy_interior(paths.inside, i, paths.inside, j)


@inline
def _survival(throughput, within, bounces):
    """Chance to go on: radiance is squeezed inside denser bodies, which is no reason to end there.

    Parameters
    ----------
    within : float32
        Index of what the path is inside of.
    """
    most_going = MOST_GOING if bounces < LONG_FROM else MOST_LONG
    return min(max(largest(throughput) * within * within, F(0.05)), most_going)


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
def shade(count, hits, points, paths, shadows, scene_tables, limits, sums):
    """One bounce of a wave: gathers emitted light, aims at lights, chooses where each path goes on.

    Parameters
    ----------
    count : int
        Paths in the wave.
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
    going = 0
    aimed = 0
    block, bodies, lights, tables, depth = (
        scene_tables.block,
        scene_tables.bodies,
        scene_tables.lights,
        scene_tables.tables,
        limits.depth,
    )
    boxes = lights.boxes
    cut = limits.cut
    for i in range(count):
        row = points.row[i]
        if row == LOST:
            continue
        origin = row3(paths.origin, i)
        d = row3(paths.direction, i)
        throughput = row3(paths.throughput, i)
        pixel = paths.pixel[i]
        if row >= 0:
            _meet(sums, pixel, scene_tables.met_bits[points.part[i], row])
        is_first = is_untouched(paths.bounces[i])
        bounces, is_guided, counted = unpack_state(paths.bounces[i])
        spread = paths.spread[i]
        accepted = _clamp_limit(limits.most, spread)
        arrival_pdf = paths.pdf[i]
        walk = paths.walk[i]
        if is_first and cut > -2 and (row < 0 or row == cut):
            continue
        # What rays towards lights went straight through does not count once more by the bent way.
        is_counted = limits.straight and counted == THROUGH
        if walk < 0 and not is_counted:
            for k in range(boxes.shape[0]):
                t = cross_box(boxes, k, origin, d)
                if t > F(0) and t < hits.distance[i] and not (is_first and cut > -2):
                    share = F(1)
                    if arrival_pdf > F(0):
                        share = _weight(arrival_pdf, box_pdf(lights, k, d, t))
                    shown = scale((boxes[k, 12], boxes[k, 13], boxes[k, 14]), share)
                    _gather(sums, pixel, mul(throughput, shown), accepted)
        if row < 0:
            if not is_counted:
                radiance, room_pdf = room_light(lights, d)
                share = _weight(arrival_pdf, room_pdf) if arrival_pdf > F(0) else F(1)
                _gather(sums, pixel, scale(mul(throughput, radiance), share), accepted)
            if not is_first and is_guided == 0:
                _guide(sums, pixel, throughput, (F(0), F(0), F(0)))
            continue

        random = next_state(paths.random[i])
        look, part = points.look[i], points.part[i]
        position = row3(points.position, i)
        facing = row3(points.facing, i)
        normal = normalize(row3(points.normal, i))
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
                number = pack_state(bounces, is_guided, counted)
                if not entering and times_inside(paths.inside, i, part) > 0:
                    # Out of a body by a hole in it, light is not bent, but radiance widens all the same.
                    throughput = scale(throughput, _widening(paths.inside, i, bodies, block, part, False, -1))
        is_clear = is_clear and not is_sheet
        if is_crossed:
            pass
        elif comes_out:
            if (part != walk or row != own) and _is_opaque(block, row):
                glow = row3_at(block, row, P.EMISSION)
                if largest(glow) > F(0):
                    _gather(sums, pixel, mul(throughput, glow), accepted)
                if bounces + 1 < depth:
                    going += _turn_back(paths, going, i, position, facing, entering, block, row, bounces, random)
                continue
            if part != walk or not _is_way_out(paths.inside, i, part, entering):
                is_crossed = True
                if part == walk or bodies.is_clear[part]:
                    # Where it comes out it may be in water, where radiance is squeezed, or in air.
                    throughput = scale(throughput, _widening(paths.inside, i, bodies, block, part, entering, walk))
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
            _carry_on(paths, going, i, lifted(position, away), d, throughput, F(0), spread, random, number)
            going += 1
            continue
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
            channel, throughput = _one_channel(throughput, u)
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
        normal = _facing_viewer(normal, facing, wo)
        if block[look, P.ANISOTROPY] + block[look, P.COAT_ANISOTROPY] > F(0):
            tangent, bitangent = _brushed(block, look, position, normal, scene_tables.frames, points.part[i])
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
            _gather(sums, pixel, mul(arriving, glow), accepted)

        if is_first:
            _see(sums, pixel, part, block, look, lobes.metal, normal)
        # Through clear glass, what lies behind it guides the denoiser: labels are to be as sharp as beside it.
        is_window = is_sharp and (is_clear or (is_sheet and block[look, P.TRANSMISSION] > F(0.5)))
        if is_guided == 0 and not (is_window and not (largest(row3_at(block, own, P.SCATTERED)) > F(0))):
            is_guided = 1
            _guide_by(sums, pixel, block, look, lobes.metal, arriving, ior_outside, normal)

        if bounces + 1 >= depth:
            continue
        is_even = bounces < EVEN_BOUNCES
        shift = shift_of(limits.pixels[pixel], limits.salt)
        place = LENS_DRAWS + BOUNCE_DRAWS * bounces
        above = lifted(position, facing)
        if not is_sharp:
            random, pick, texel, u, v = _four(is_even, limits.draws, place, shift, random)
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
                    value, pdf = evaluate_bsdf(block, look, lobes, wo_local, wi)
                if largest(value) > F(0):
                    share = _weight(light_pdf, pdf)
                    brought = scale(mul(mul(throughput, value), radiance), share / light_pdf)
                    if largest(brought) > F(1e-7):
                        rays = shadows.rays
                        start_at = above if toward > F(0) else lifted(position, scale(facing, F(-1)))
                        store3(rays.origin, aimed, start_at)
                        store3(rays.direction, aimed, to_light)
                        store3(rays.throughput, aimed, brought)
                        rays.spread[aimed] = spread
                        rays.pixel[aimed] = pixel
                        shadows.reach[aimed] = reach * F(0.9999)
                        if limits.straight:
                            rays.pdf[aimed] = share
                            rays.random[aimed] = random
                            copy_interior(paths.inside, i, rays.inside, aimed)
                            if toward < F(0) and not is_sheet:
                                update_interior(rays.inside, aimed, part, entering)
                        aimed += 1

        if is_even:
            pick = shifted(limits.draws, place + 4, shift)
            u = shifted(limits.draws, place + 5, shift)
            v = shifted(limits.draws, place + 6, shift)
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
            wi = _matt(u, v)
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
        throughput = mul(throughput, scale(value, F(1) / pdf))
        if bounces >= ROULETTE_FROM:
            within = index if is_clear and (wi[2] < F(0)) == entering else ior_outside
            survival = _survival(throughput, within, bounces)
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
            counted = THROUGH if counted != UNAIMED and wi[2] < F(0) else UNAIMED
            pdf = F(0)
            if wi[2] > F(0):
                is_guided = 1  # what a window reflects does not guide, only what lies behind it
        else:
            counted = AIMED
            spread = max(spread, min(F(1) / (F(math.pi) * pdf), F(1)))
        if goes_in or goes_across:
            counted, pdf = UNAIMED, F(0)
        _carry_on(
            paths,
            going,
            i,
            leaving,
            out,
            throughput,
            pdf,
            spread,
            random,
            pack_state(bounces + 1, is_guided, counted),
        )
        going += 1
    return going, aimed


@inline
def _matt(u, v):
    """A direction as a matt surface gives it, by the cosine; its density is that over pi."""
    turn = F(2) * F(math.pi) * v
    aside = math.sqrt(u)
    return aside * math.cos(turn), aside * math.sin(turn), math.sqrt(max(F(1) - u, F(1e-8)))


@inline
def _is_opaque(block, row):
    """True if a random walk in a body is stopped by a surface: a wick in wax, paint on it."""
    return (
        block[row, P.TRANSMISSION] <= F(0)
        and block[row, P.SUBSURFACE] <= F(0)
        and block[row, P.THIN] <= F(0)
        and block[row, P.OPACITY] >= F(1)
    )


@inline
def _is_way_out(inside, i, body, entering):
    """True if a wall of the soft body that path i wanders about in is its last one; all of them are, inside out."""
    pieces = times_inside(inside, i, body)
    return pieces == 0 if entering else pieces <= 1


@inline
def _albedo(block, look, metal):
    """Colour of a surface in even light."""
    clear = block[look, P.TRANSMISSION] * (F(1) - metal)
    soft = (F(1) - clear) * (F(1) - metal) * block[look, P.SUBSURFACE]
    hard = scale(row3_at(block, look, P.BASE_COLOR), F(1) - clear - soft)
    color = add(hard, scale(row3_at(block, look, P.SUBSURFACE_COLOR), soft))
    return add(color, (clear, clear, clear))


@apart
def _see(sums, pixel, part, block, look, metal, normal):
    """Adds what the camera sees first."""
    color = _albedo(block, look, metal)
    sums.cover[pixel] += F(1)
    sums.part[pixel] = part
    for k in range(3):
        sums.albedo[pixel, k] += color[k]
        sums.normal[pixel, k] += normal[k]


@apart
def _guide_by(sums, pixel, block, look, metal, throughput, within, normal):
    """Adds what guides the denoiser: the surface that a path, through clear glass or not, met first.

    Parameters
    ----------
    within : float32
        Index of what the path is inside of, where its radiance is squeezed.
    """
    _guide(sums, pixel, scale(mul(throughput, _albedo(block, look, metal)), within * within), normal)


@inline
def _guide(sums, pixel, color, normal):
    for k in range(3):
        sums.guide_albedo[pixel, k] += min(color[k], F(1))
        sums.guide_normal[pixel, k] += normal[k]
    sums.guides[pixel] += F(1)


@apart
def _widening(inside, i, bodies, block, body, entering, without):
    """Notes that path i crosses a wall unbent; what its radiance is multiplied by as what is around changes.

    Parameters
    ----------
    without : int
        The body that does not count, because the path wanders about in it; or -1.
    """
    before = interior_index(inside, i, bodies, block, without)
    update_interior(inside, i, body, entering)
    ratio = before / interior_index(inside, i, bodies, block, without)
    return ratio * ratio


@apart
def _turn_back(paths, going, i, position, facing, entering, block, row, bounces, random):
    """Light that wanders about in a body, turned back by what is opaque there as by a matt wall; 1 where it goes on."""
    throughput = mul(row3(paths.throughput, i), row3_at(block, row, P.BASE_COLOR))
    random, chance = draw(random)
    survival = _survival(throughput, F(1), bounces)
    if chance >= survival:
        return 0
    near = facing if entering else scale(facing, F(-1))
    tangent, bitangent = frame(near)
    random, u = draw(random)
    random, v = draw(random)
    out = normalize(to_world(_matt(u, v), tangent, bitangent, near))
    throughput = scale(throughput, F(1) / survival)
    number = pack_state(bounces + 1, 1, UNAIMED)
    _carry_on(paths, going, i, lifted(position, near), out, throughput, F(0), F(1), random, number)
    return 1


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


@kernel
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
    rays = shadows.rays
    for i in range(count):
        if not is_blocked(caster, row3(rays.origin, i), row3(rays.direction, i), shadows.reach[i]):
            light, most = row3(rays.throughput, i), _clamp_limit(limits.most, rays.spread[i])
            _gather(sums, rays.pixel[i], light, most)


@kernel
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
    rays = shadows.rays
    for i in range(count):
        found = nearest(caster, row3(rays.origin, i), row3(rays.direction, i), shadows.reach[i])
        hits.geometry[i], hits.primitive[i], hits.u[i], hits.v[i], hits.distance[i] = found


@kernel
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
    block, rays = scene_tables.block, shadows.rays
    going = 0
    for i in range(count):
        row = points.row[i]
        around = surrounding(rays.inside, i, scene_tables.bodies, -1)
        light = row3(rays.throughput, i)
        if around >= 0:
            light = attenuated(light, row3_at(block, scene_tables.bodies.row[around], P.EXTINCTION), hits.distance[i])
        if row < 0:
            _gather(sums, rays.pixel[i], light, _clamp_limit(limits.most, rays.spread[i]))
            continue
        look, part = points.look[i], points.part[i]
        _meet(sums, rays.pixel[i], scene_tables.met_bits[part, row])
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
        rays.random[going] = next_state(rays.random[i])
        shadows.reach[going] = shadows.reach[i] - hits.distance[i]
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


@kernel
def trace_paths(count, caster, hits, points, paths, shadows, scene_tables, limits, memory, sums):
    """Takes the paths of a wave through all their bounces.

    Parameters
    ----------
    count : int
        Number of paths.
    caster : Caster
        Handle of `embree.Scene.caster`.
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
        Limits of the paths.
    memory : DressingMemory
        Memory to dress the wave.
    sums : Sums
        Sums of the film.
    """
    for wave in range(limits.waves):
        if count == 0:
            return
        walk_to_next_surface(
            count,
            caster,
            paths,
            scene_tables.block,
            scene_tables.bodies,
            sums.cover,
            hits.geometry,
            hits.primitive,
            hits.u,
            hits.v,
            hits.distance,
        )
        resolve(count, hits, scene_tables, points)
        _dress(count, wave, caster, hits, points, paths, scene_tables, limits, memory)
        count, aimed = shade(count, hits, points, paths, shadows, scene_tables, limits, sums)
        if not limits.straight:
            trace_shadow_rays(aimed, caster, shadows, limits, sums)
            continue
        for _ in range(CROSSINGS):
            if aimed == 0:
                break
            intersect_shadow_rays(aimed, caster, shadows, hits)
            resolve(aimed, hits, scene_tables, points)
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
