"""The beginning of paths: rays from the camera, and what they meet.

Rays of pixels side by side go through the scene together, since they meet much the same of it.
"""

import numpy as np

from mat_shelf.geometry.ray_casting import FAR, LANES, aim_lane, cast_lanes, hit_of_lane
from mat_shelf.numerics.hashed_noise import unit
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.numerics.low_discrepancy import first_state, shift_of, shifted
from mat_shelf.numerics.vectors import store3, store3_flat
from mat_shelf.rendering.camera import camera_ray, pinhole_ray
from mat_shelf.scene.interior_list import MOST_NESTED


@kernel
def generate(view, pixels, first, count, begin, s, paths, to):
    """Camera rays of some pixels, one each.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    pixels : (N,) int32
        Numbers of the pixels, in reading order.
    first, count : int
        The first of them, and how many.
    begin : Beginning
        Size of the picture, samples and seed.
    s : int
        Which of the samples.
    paths : Paths
        Paths of the wave, of which `count` are written.
    to : int
        The first of them.
    """
    some = pixels[first : first + count]
    origin, direction = paths.origin.reshape(-1), paths.direction.reshape(-1)
    if view.lens > F(0):
        for i in range(count):
            start, along = _ray_past_lens(view, some[i], begin, s)
            store3_flat(origin, to + i, start)
            store3_flat(direction, to + i, along)
    else:
        for i in range(count):
            start, along = _ray(view, some[i], begin, s)
            store3_flat(origin, to + i, start)
            store3_flat(direction, to + i, along)
    _begin_paths(some, first, begin, s, paths, to)


@kernel
def generate_and_cast(view, pixels, first, count, begin, s, bundle, paths, hits, to):
    """Camera rays of some pixels, one each, and what they meet first, where they begin in air and there are no caps.

    Blocks of `LANES` pixels are cast whole, whichever of them are asked for: where a ray meets two things at the same
    distance, which of them is the first depends on the rays beside it.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    pixels : (N,) int32
        Numbers of the pixels, in reading order.
    first, count : int
        The first of them, and how many.
    begin : Beginning
        Size of the picture, samples and seed.
    s : int
        Which of the samples.
    bundle : ray_casting.Bundle
    paths : Paths
        Paths of the wave, of which `count` are written.
    hits : Hits
        Hits of the wave, written.
    to : int
        The first path that is written.
    """
    some = pixels[first : first + count]
    i = 0
    while i < count:
        block = some[i] // LANES
        if view.lens > F(0):
            for k in range(LANES):
                start, along = _ray_past_lens(view, np.int32(LANES * block + k), begin, s)
                aim_lane(bundle, k, start, along)
        else:
            for k in range(LANES):
                start, along = _ray(view, np.int32(LANES * block + k), begin, s)
                aim_lane(bundle, k, start, along)
        cast_lanes(bundle, FAR)
        while i < count and some[i] // LANES == block:
            start, along, hit = hit_of_lane(bundle, some[i] - LANES * block)
            n = to + i
            store3(paths.origin, n, start)
            store3(paths.direction, n, along)
            hits.geometry[n], hits.primitive[n], hits.u[n], hits.v[n], hits.distance[n] = hit
            i += 1
    _begin_paths(some, first, begin, s, paths, to)


@inline
def _begin_paths(some, first, begin, s, paths, to):
    """Sets all of paths but their rays. Each loop is of one thing, so that it is done for many paths at once.

    Parameters
    ----------
    some : (N,) int32
        Their pixels.
    first : int
        Row of the sums that the first one adds to.
    begin : Beginning
        Samples and seed.
    s : int
        Which of the samples.
    paths : Paths
        Paths of the wave, of which N are written.
    to : int
        The first of them.
    """
    count = some.shape[0]
    last = to + count
    random, pixel = paths.random[to:last], paths.pixel[to:last]
    for i in range(count):
        random[i] = first_state(some[i], begin.samples[s], begin.seed)
    for i in range(count):
        pixel[i] = first + i
    paths.throughput.reshape(-1)[3 * to : 3 * last] = F(1)
    paths.pdf[to:last] = F(0)
    paths.left[to:last] = -1
    paths.spread[to:last] = F(0)
    paths.bounces[to:last] = 0
    paths.walk[to:last] = -1
    paths.kind[to:last] = 0
    inside = paths.inside.reshape(-1)[MOST_NESTED * to : MOST_NESTED * last]
    for i in range(count):
        for k in range(MOST_NESTED):
            inside[MOST_NESTED * i + k] = begin.nest[k]


@inline
def _ray(view, pixel, begin, s):
    x, y = _place(pixel, begin, s)
    return pinhole_ray(view, x, y)


@inline
def _ray_past_lens(view, pixel, begin, s):
    x, y = _place(pixel, begin, s)
    draws, shift = begin.draws[s], shift_of(pixel, begin.salts[s])
    return camera_ray(view, x, y, shifted(draws, 2, shift), shifted(draws, 3, shift))


@inline
def _place(pixel, begin, s):
    """Place of sample s of a pixel in the picture, [0, 1] from its top left."""
    draws = begin.draws[s]
    row = np.int32(np.float64(pixel) / np.float64(begin.width))  # whole numbers are divided one at a time
    column = pixel - row * np.int32(begin.width)
    return (F(column) + unit(draws[0])) / F(begin.width), (F(row) + unit(draws[1])) / F(begin.height)
