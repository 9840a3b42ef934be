"""Sums over the samples of pixels, and how samples are added to them."""

from collections import namedtuple

import numpy as np

from mat_shelf.numerics.kernels import F, apart, inline, kernel, stay_apart

Sums = namedtuple(
    "Sums", "light excess albedo normal guide_albedo guide_normal guides part cover dropped met shown counts"
)
"""Sums over samples, a row for each pixel.

light : (N, K, 3) float32, by layer: one for all light, or one for each light, the room and what glows
excess : (N, K, 3) float32, what single paths brought beyond the most that is accepted of one
albedo, normal : (N, 3) float32, of what the pixel sees first
guide_albedo, guide_normal : (N, 3) float32, of what it sees first through clear glass, for the denoiser
guides : (N,) float32, how many samples these are sums of
part : (N,) int32, the geometry that the newest sample sees first; -1 for none
cover : (N,) float32, samples that see anything, or the product alone where it is cut out
dropped : (N,) int32, values that were no numbers and were left out; none, unless something is wrong
met : (N,) uint64, bits of the materials that paths met, as `MaterialTable.met_bits` has them
shown : (N,) uint64, those of them that the pixel shows: at once, through clear glass, or mirrored sharply
counts : (N,) int32, samples
"""


def new_sums(count: int, layers: int = 1) -> Sums:
    """Sums of no samples.

    Parameters
    ----------
    count : int
        Number of pixels.
    layers : int
        Layers of light.

    Returns
    -------
    Sums
    """
    triples = [np.zeros((count, layers, 3), np.float32) for _ in range(2)]
    triples += [np.zeros((count, 3), np.float32) for _ in range(4)]
    guides, part, cover = np.zeros(count, np.float32), np.full(count, -1, np.int32), np.zeros(count, np.float32)
    dropped, counts = np.zeros(count, np.int32), np.zeros(count, np.int32)
    met, shown = np.zeros(count, np.uint64), np.zeros(count, np.uint64)
    return Sums(*triples, guides, part, cover, dropped, met, shown, counts)


@apart
def clear_sums(first, count, sums):
    """Sets rows of sums to those of no samples.

    Parameters
    ----------
    first, count : int
        The first of the rows, and how many.
    sums : Sums
        Sums of the pixels of a wave.
    """
    stay_apart()
    last = first + count
    layers = sums.light.shape[1]
    sums.light.reshape(-1)[3 * layers * first : 3 * layers * last] = F(0)
    sums.excess.reshape(-1)[3 * layers * first : 3 * layers * last] = F(0)
    sums.albedo.reshape(-1)[3 * first : 3 * last] = F(0)
    sums.normal.reshape(-1)[3 * first : 3 * last] = F(0)
    sums.guide_albedo.reshape(-1)[3 * first : 3 * last] = F(0)
    sums.guide_normal.reshape(-1)[3 * first : 3 * last] = F(0)
    sums.guides[first:last] = F(0)
    sums.part[first:last] = -1
    sums.cover[first:last] = F(0)
    sums.dropped[first:last] = 0
    sums.met[first:last] = 0
    sums.shown[first:last] = 0


@kernel
def renew_sums(pixels, sums):
    """Sets some rows of sums to those of no samples, but for what their pixels see first, and show.

    Parameters
    ----------
    pixels : (N,) int32
        Their numbers.
    sums : Sums
        Sums of a film.
    """
    for n in range(pixels.shape[0]):
        p = pixels[n]
        for layer in range(sums.light.shape[1]):
            for k in range(3):
                sums.light[p, layer, k] = F(0)
                sums.excess[p, layer, k] = F(0)
        for k in range(3):
            sums.albedo[p, k] = F(0)
            sums.normal[p, k] = F(0)
            sums.guide_albedo[p, k] = F(0)
            sums.guide_normal[p, k] = F(0)
        sums.guides[p] = F(0)
        sums.cover[p] = F(0)
        sums.dropped[p] = 0
        sums.met[p] = 0
        sums.counts[p] = 0


@kernel
def add_sums(pixels, samples, new, sums):
    """Adds samples of some pixels.

    Parameters
    ----------
    pixels : (N,) int32
        The pixel of each row of `new`, no two the same.
    samples : int
        How many `new` has of each.
    new : Sums
        Their sums.
    sums : Sums
        Sums of the film.
    """
    first, count = 0, pixels.shape[0]
    while first < count:
        p, last = pixels[first], first + 1
        while last < count and pixels[last] - p == last - first:
            last += 1
        if last - first < _ROW:
            for i in range(first, last):
                _add_pixel(i, pixels[i], samples, new, sums)
        else:
            _add_row(first, last, p, samples, new, sums)
        first = last


_ROW = 8
"""Pixels side by side from which on they are added array by array: as many numbers at once as the processor can."""


@inline
def _add_pixel(i, p, samples, new, sums):
    """Adds row i of new sums to row p."""
    for layer in range(sums.light.shape[1]):
        for k in range(3):
            sums.light[p, layer, k] += new.light[i, layer, k]
            sums.excess[p, layer, k] += new.excess[i, layer, k]
    for k in range(3):
        sums.albedo[p, k] += new.albedo[i, k]
        sums.normal[p, k] += new.normal[i, k]
        sums.guide_albedo[p, k] += new.guide_albedo[i, k]
        sums.guide_normal[p, k] += new.guide_normal[i, k]
    sums.guides[p] += new.guides[i]
    sums.cover[p] += new.cover[i]
    sums.dropped[p] += new.dropped[i]
    _note_pixel(i, p, samples, new, sums)


@inline
def _note_pixel(i, p, samples, new, sums):
    """Notes what the samples see and meet, and how many there are."""
    is_first = sums.counts[p] == 0
    if new.part[i] >= 0 or is_first:
        sums.part[p] = new.part[i]
    sums.met[p] |= new.met[i]
    sums.shown[p] = new.shown[i] if is_first else sums.shown[p] | new.shown[i]
    sums.counts[p] += samples


@apart
def _add_row(first, last, p, samples, new, sums):
    """Adds rows of new sums, from `first` up to `last`, to those from row p on."""
    stay_apart()
    layers = sums.light.shape[1]
    _add_numbers(first, last, 3 * layers, new.light.reshape(-1), p, sums.light.reshape(-1))
    _add_numbers(first, last, 3 * layers, new.excess.reshape(-1), p, sums.excess.reshape(-1))
    _add_numbers(first, last, 3, new.albedo.reshape(-1), p, sums.albedo.reshape(-1))
    _add_numbers(first, last, 3, new.normal.reshape(-1), p, sums.normal.reshape(-1))
    _add_numbers(first, last, 3, new.guide_albedo.reshape(-1), p, sums.guide_albedo.reshape(-1))
    _add_numbers(first, last, 3, new.guide_normal.reshape(-1), p, sums.guide_normal.reshape(-1))
    _add_numbers(first, last, 1, new.guides, p, sums.guides)
    _add_numbers(first, last, 1, new.cover, p, sums.cover)
    _add_numbers(first, last, 1, new.dropped, p, sums.dropped)
    for i in range(first, last):
        _note_pixel(i, p + i - first, samples, new, sums)


@inline
def _add_numbers(first, last, width, new, p, old):
    some, kept = new[first * width : last * width], old[p * width : (p + last - first) * width]
    for k in range(some.shape[0]):
        kept[k] += some[k]


@kernel
def add_light(pixels, light, sums):
    """Adds the light of samples of some pixels.

    Parameters
    ----------
    pixels : (N,) int32
        The pixel of each row of `light`, no two the same.
    light : (N, K, 3) float32
        Their light.
    sums : (P, K, 3) float32
        Light of the film.
    """
    for i in range(pixels.shape[0]):
        for layer in range(sums.shape[1]):
            for k in range(3):
                sums[pixels[i], layer, k] += light[i, layer, k]
