"""Photons: light that mirrors and clear bodies throw on what is neither, as bright patterns.

A path that begins at the camera finds a small light behind glass by chance alone: no ray can be aimed at it, since the
glass would bend it away. So light is sent the other way: rays from small lights, towards the parts that may bend them,
go through the same `passes.trace_paths` until they meet a surface that scatters, and are kept there as photons. Where
a path from the camera meets such a surface, it adds what photons lie within a small disc. A path that would come upon
the same light the same way does not count it again: photons stand for all paths from a small light, over sharp turns
alone of which the light's first is at a part that rays were sent to, onto a surface that turns to the viewer with a
density of no more than `WIDEST`. All others are left to chance.

Photons and not rays aimed through glass (manifold next event estimation): they need no normals that are smooth, find
all of the ways through a body of many walls, and cost the same for a tumbler as for a chandelier. The disc gets
smaller from sample to sample, so what it blurs goes away.

References
----------
Jensen 1996, Global Illumination using Photon Maps. Knaus and Zwicker 2011, Progressive Photon Mapping: A Probabilistic
Approach.
"""

import math
from collections import namedtuple

import numpy as np

from mat_shelf.numerics.kernels import PI, F, apart, inline, kernel
from mat_shelf.numerics.low_discrepancy import U32, draw, first_state, next_state, scramble
from mat_shelf.numerics.vectors import dot, largest, mul, row3, scale, store3, sub, to_local
from mat_shelf.optics.coat_and_fuzz import evaluate_layered
from mat_shelf.optics.diffuse import INV_PI
from mat_shelf.optics.surface import evaluate_bsdf
from mat_shelf.rendering.gathering import gather
from mat_shelf.rendering.path_state import UNAIMED, WIDE, pack_state
from mat_shelf.scene.light_emission import emitted_ray

WIDEST = F(1)
"""1/sr; where a surface turns light more narrowly to where it comes from, few photons would be found."""
_FLAT = F(0.35)
"""Share of the radius that a photon may lie off the plane of the surface."""
_SLANTED = F(0.05)
"""Least cosine to the surface that counts."""

Photons = namedtuple("Photons", "position direction flux part light target first inverse radius is_small casts")
"""What is sent from lights, and then where it lies.

position (mm), direction : (N, 3) float32
flux : (N, 3) float32, mm2 of 1000 cd/m2
part : (N,) int32, the geometry that it lies on; -1 for none
light : (N,) int32; target : (N,) int32, the part that it was sent to, as `casts` numbers them
first : (C + 1,) int32, where those of each bucket of cells begin; C is a power of 2
inverse : float32, 1/mm, cells in a millimetre; radius : float32, mm; 0 where there are none
is_small : (L,) bool, lights that photons are sent from
casts : (G,) int32, numbers of the geometries that photons are sent to; -1 of the others
"""
Aims = namedtuple("Aims", "light target ball far until chance")
"""Lights, and the parts that they send photons to.

light, target : (K,) int32, as in `Photons`
ball : (K, 4) float32, round the part: middle and radius, mm
far : float32, mm, as in `emitted_ray`
until, chance : (K,) float32, share of all photons up to and with these, and of these
"""


def no_photons(lights: int, parts: int) -> Photons:
    """Photons of a scene that none are sent in.

    Parameters
    ----------
    lights : int
        Number of lights.
    parts : int
        Number of geometries.

    Returns
    -------
    Photons
    """
    triple, number = np.zeros((0, 3), np.float32), np.zeros(0, np.int32)
    nothing = np.zeros(2, np.int32), F(1), F(0), np.zeros(lights, bool), np.full(parts, -1, np.int32)
    return Photons(triple, triple, triple, number, number, number, *nothing)


@kernel
def emit(some, aims, lights, sample_index, seed, paths, photons):
    """Rays that leave lights.

    Parameters
    ----------
    some : (M,) int32
        Numbers of the photons, one after the other.
    aims : Aims
        Lights, and what they send photons to.
    lights : Lights
        Lights of the scene.
    sample_index : int
        Number of the sample.
    seed : uint32
        Seed of the render.
    paths : Paths
        Paths of the wave.
    photons : Photons
        All of the sample; those are written to.
    """
    count = photons.part.shape[0]
    turn = first_state(count, sample_index, seed)
    shift_s, shift_t = scramble(turn), scramble(next_state(turn))
    for i in range(some.shape[0]):
        n = some[i]
        place = (F(n) + F(0.5)) / F(count)
        k, above = 0, aims.until.shape[0] - 1
        while k < above:
            middle = (k + above) // 2
            if place < aims.until[middle]:
                above = middle
            else:
                k = middle + 1
        random, u = draw(first_state(n, sample_index, U32(seed + U32(77))))
        random, v = draw(random)
        # The additive sequence of the plastic number (Roberts 2018), in fractions of 2^32.
        s = F(U32(U32(n) * U32(3242174889) + shift_s) >> U32(8)) * F(1.0 / 16777216.0)
        t = F(U32(U32(n) * U32(2447445414) + shift_t) >> U32(8)) * F(1.0 / 16777216.0)
        ball = (aims.ball[k, 0], aims.ball[k, 1], aims.ball[k, 2])
        origin, d, flux = emitted_ray(lights, aims.light[k], ball, aims.ball[k, 3], aims.far, u, v, s, t)
        store3(photons.flux, n, scale(flux, F(1) / (F(count) * aims.chance[k])))
        photons.part[n] = -1
        photons.light[n] = aims.light[k]
        photons.target[n] = aims.target[k]
        store3(paths.origin, i, origin)
        store3(paths.direction, i, d)
        # A ray that carries nothing ends at the first surface.
        store3(paths.throughput, i, (F(1), F(1), F(1)) if largest(flux) > F(0) else (F(0), F(0), F(0)))
        paths.pdf[i] = F(0)
        paths.whole[i] = F(1)
        paths.left[i] = -1
        paths.spread[i] = F(0)
        paths.pixel[i] = i
        paths.random[i] = random
        paths.bounces[i] = pack_state(0, 1, UNAIMED, WIDE)
        paths.walk[i] = -1
        paths.inside[i, 0] = -1


@inline
def leave_photon(photons, n, part, position, d, throughput, index):
    """Keeps a photon where it lies.

    Parameters
    ----------
    photons : Photons
        All of the sample.
    n : int
        Number of the photon.
    part : int
        The geometry.
    position, d : float32 triple
        Where, mm, and the way it came.
    throughput : float32 triple
        Weight of its path, as of a path from the camera.
    index : float32
        Refractive index round it: radiance is squeezed there by its square, flux is not. Lights stand in air.
    """
    flux = scale(mul(row3(photons.flux, n), throughput), index * index)
    if largest(flux) > F(0) and largest(flux) < F(1e30):
        store3(photons.position, n, position)
        store3(photons.direction, n, d)
        store3(photons.flux, n, flux)
        photons.part[n] = part


@inline
def turned_flux(wo, wi, d, out, facing):
    """Factor of flux at a sharp turn where the shading normal is not that of the face.

    Parameters
    ----------
    wo, wi : float32 triple
        Where it comes from and goes to, about the shading normal.
    d, out : float32 triple
        The same ways in the world, with the light.
    facing : float32 triple
        Normal of the face.

    Returns
    -------
    float32

    References
    ----------
    Veach 1996, Non-symmetric Scattering in Light Transport Algorithms, "Shading normals".
    """
    given = max(abs(dot(d, facing)) * abs(wi[2]), F(1e-4))
    return min(abs(wo[2]) * abs(dot(out, facing)) / given, F(8))


@inline
def _cell(x, inverse):
    return np.int64(math.floor(x * inverse))


@inline
def _bucket(x, y, z, count):
    """The bucket of a cell (Teschner and others 2003)."""
    return ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791)) & (count - 1)


@kernel
def find_buckets(position, inverse, count, buckets):
    """The bucket that each photon's cell is in.

    Parameters
    ----------
    position : (N, 3) float32
        mm.
    inverse : float32
        Cells in a millimetre.
    count : int
        Number of buckets, a power of 2.
    buckets : (N,) int32, written
    """
    for i in range(position.shape[0]):
        x, y, z = row3(position, i)
        buckets[i] = _bucket(_cell(x, inverse), _cell(y, inverse), _cell(z, inverse), count)


@apart
def gather_photons(
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
    passes,
    wo,
    tangent,
    bitangent,
    normal,
    throughput,
    sums,
    pixel,
    film_layers,
    kind,
    most,
):
    """Adds the light of the photons round a point, as the surface there sends it to the viewer.

    Parameters
    ----------
    photons : Photons
        Photons of the sample.
    position, facing : float32 triple
        The point, mm, and the normal of its face, on the viewer's side.
    part : int
        The geometry.
    block : (M, WIDTH) float32
        Parameter block.
    look : int
        Row of the point.
    lobes, layers : Lobes, Layers
        As `prepare_lobes` and `prepare_layered` have them.
    is_layered : bool
        Whether `layers` count.
    comes_out : bool
        Whether the path comes out of a soft body here.
    passes : bool
        Whether the surface lets light through to its other side.
    wo : float32 triple
        Towards the viewer, about the shading normal.
    tangent, bitangent, normal : float32 triple
        Axes of the shading normal.
    throughput : float32 triple
        Weight of the path.
    sums : Sums
        Sums of the film.
    pixel : int
        Row of the sums.
    film_layers : (L + 2,) int32
        Layers of the film.
    kind : int
        Layer of the film for all light, where they are kinds of light; else -1.
    most : float32
        Most that counts at once.
    """
    radius, inverse = photons.radius, photons.inverse
    square = radius * radius
    count = photons.first.shape[0] - 1
    low = sub(position, (radius, radius, radius))
    corner = (_cell(low[0], inverse), _cell(low[1], inverse), _cell(low[2], inverse))
    for near in range(8):
        x, y, z = corner[0] + (near & 1), corner[1] + ((near >> 1) & 1), corner[2] + (near >> 2)
        bucket = _bucket(x, y, z, count)
        for i in range(photons.first[bucket], photons.first[bucket + 1]):
            place = row3(photons.position, i)
            to = sub(place, position)
            apart_by = dot(to, to)
            if apart_by >= square or photons.part[i] != part or abs(dot(to, facing)) > _FLAT * radius:
                continue
            # Cells that share a bucket must not both count it.
            if _cell(place[0], inverse) != x or _cell(place[1], inverse) != y or _cell(place[2], inverse) != z:
                continue
            to_light = scale(row3(photons.direction, i), F(-1))
            toward = dot(to_light, facing)
            wi = to_local(to_light, tangent, bitangent, normal)
            if not (toward * wi[2] > F(0) and (toward > F(0) or passes)):
                continue
            if comes_out:
                pdf = wi[2] * INV_PI
                value = (pdf, pdf, pdf)
            elif is_layered:
                value, pdf = evaluate_layered(block, look, lobes, layers, wo, wi)
            else:
                value, pdf = evaluate_bsdf(block, look, lobes, wo, wi)
            if pdf > WIDEST:
                continue
            share = F(2) * (F(1) - apart_by / square) / (PI * square * max(abs(toward), _SLANTED))
            light = scale(mul(mul(throughput, value), row3(photons.flux, i)), share)
            gather(sums, pixel, film_layers[photons.light[i]] if kind < 0 else kind, light, most)
