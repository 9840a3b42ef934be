"""The film, and how its light becomes a picture on screen."""

from collections import namedtuple

import numpy as np

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import encode_srgb
from mat_shelf.rendering.firefly_redistribution import redistribute

Sums = namedtuple("Sums", "light excess albedo normal guide_albedo guide_normal guides part cover dropped met counts")
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
    counts = np.zeros(count, np.int32)
    return Sums(*triples, guides, part, cover, np.zeros(count, np.int32), np.zeros(count, np.uint64), counts)


@kernel
def clear_sums(count, sums):
    """Sets the first rows of sums to those of no samples.

    Parameters
    ----------
    count : int
        Number of rows.
    sums : Sums
        Sums of the pixels of a wave.
    """
    for i in range(count):
        for layer in range(sums.light.shape[1]):
            for k in range(3):
                sums.light[i, layer, k] = F(0)
                sums.excess[i, layer, k] = F(0)
        for k in range(3):
            sums.albedo[i, k] = F(0)
            sums.normal[i, k] = F(0)
            sums.guide_albedo[i, k] = F(0)
            sums.guide_normal[i, k] = F(0)
        sums.guides[i] = F(0)
        sums.part[i] = -1
        sums.cover[i] = F(0)
        sums.dropped[i] = 0
        sums.met[i] = 0


@kernel
def add_sums(pixels, new, sums):
    """Adds one sample of some pixels.

    Parameters
    ----------
    pixels : (N,) int32
        The pixel of each row of `new`, no two the same.
    new : Sums
        Sums of that sample.
    sums : Sums
        Sums of the film.
    """
    for i in range(pixels.shape[0]):
        p = pixels[i]
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
        if new.part[i] >= 0 or sums.counts[p] == 0:
            sums.part[p] = new.part[i]
        sums.cover[p] += new.cover[i]
        sums.dropped[p] += new.dropped[i]
        sums.met[p] |= new.met[i]
        sums.counts[p] += 1


class Film:
    """Sums over the samples of a picture, in reading order. Pixels may have different numbers of samples.

    Parameters
    ----------
    width, height : int
        Pixels.
    layers : int
        Layers of light that it keeps apart.

    Attributes
    ----------
    sums : Sums
    gains : (K, 3) float32
        What each layer is multiplied by in the picture, by channel.
    """

    def __init__(self, width: int, height: int, layers: int = 1):
        self.width, self.height = width, height
        self.sums = new_sums(width * height, layers)
        self.gains = np.ones((layers, 3), np.float32)

    @property
    def samples(self) -> int:
        """Samples that every pixel has."""
        return int(self.sums.counts.min())

    @property
    def part(self) -> np.ndarray:
        """The geometry that each pixel sees first, (H, W) int32; -1 for none."""
        return self.sums.part.reshape(self.height, self.width)

    @property
    def layers(self) -> int:
        """Layers of light that it keeps apart."""
        return self.sums.light.shape[1]

    def renew(self, pixels: np.ndarray) -> None:
        """Takes all samples from some pixels; what they see first stays until they get another one.

        Parameters
        ----------
        pixels : (N,) int32
            Their numbers.
        """
        for name, kept in self.sums._asdict().items():
            if name != "part":
                kept[pixels] = 0

    def crop(self, rows: slice, columns: slice) -> "Film":
        """A film of some rows and columns, copied.

        Parameters
        ----------
        rows, columns : slice
            With a step, of some pixels among them.

        Returns
        -------
        Film
        """
        made = object.__new__(Film)
        cut = [kept.reshape(self.height, self.width, *kept.shape[1:])[rows, columns] for kept in self.sums]
        made.height, made.width = cut[0].shape[:2]
        made.sums = Sums(*(kept.reshape(-1, *kept.shape[2:]) for kept in cut))
        made.gains = self.gains
        return made

    def alpha(self) -> np.ndarray:
        """Share of each pixel that the product covers, (H, W, 1) float32 in [0, 1].

        Returns
        -------
        (H, W, 1) float32
        """
        share = self.sums.cover / np.maximum(self.sums.counts, 1).astype(np.float32)
        return share.reshape(self.height, self.width, 1)

    def picture(self, layer: str = "light") -> np.ndarray:
        """The mean of one layer, (H, W, 3) float32; of light all of it, its excess spread.

        Parameters
        ----------
        layer : str
            Layer.

        Returns
        -------
        (H, W, 3) float32
        """
        sums, shape = self.sums, (self.height, self.width, 3)
        counts = np.maximum(sums.guides if layer.startswith("guide") else sums.counts, 1).astype(np.float32)
        if layer != "light":
            return (getattr(sums, layer) / counts[:, None]).reshape(shape)
        mean = mixed(sums.light, self.gains, counts).reshape(shape)
        if sums.excess.any():
            mean += redistribute(mixed(sums.excess, self.gains, counts).reshape(shape), self.alpha())
        return mean


def mixed(light: np.ndarray, gains: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Layers of light together.

    Parameters
    ----------
    light : (N, K, 3) float32
        Sums.
    gains : (K, 3) float32
        What each layer is multiplied by.
    counts : (N,) float32
        What each row is divided by.

    Returns
    -------
    (N, 3) float32
    """
    out = np.empty((len(light), 3), np.float32)
    _mix(light, np.ascontiguousarray(gains, np.float32), counts, out)
    return out


@kernel
def _mix(light, gains, counts, out):
    for i in range(light.shape[0]):
        for k in range(3):
            value = F(0)
            for layer in range(light.shape[1]):
                value += light[i, layer, k] * gains[layer, k]
            out[i, k] = value / counts[i]


START_COMPRESSION = F(0.8 - 0.04)
EXACT_UP_TO = F(0.8)
"""Up to where exact colours stay as they are."""
DESATURATION = F(0.15)


@inline
def _neutral(r, g, b, is_exact):
    if not is_exact:
        low = min(r, min(g, b))
        offset = low - F(6.25) * low * low if low < F(0.08) else F(0.04)
        r -= offset
        g -= offset
        b -= offset
    peak = max(r, max(g, b))
    start = EXACT_UP_TO if is_exact else START_COMPRESSION
    if peak < start:
        return r, g, b
    d = F(1) - start
    new_peak = F(1) - d * d / (peak + d - start)
    squeeze = new_peak / peak
    toward = F(1) - F(1) / (DESATURATION * (peak - new_peak) + F(1))
    keep = F(1) - toward
    return (
        r * squeeze * keep + new_peak * toward,
        g * squeeze * keep + new_peak * toward,
        b * squeeze * keep + new_peak * toward,
    )


@kernel
def _develop(light, gain, curve, is_exact, out):
    last = F(curve.shape[0] - 1)
    for i in range(light.shape[0]):
        r, g, b = max(light[i, 0], F(0)) * gain, max(light[i, 1], F(0)) * gain, max(light[i, 2], F(0)) * gain
        r, g, b = _neutral(r, g, b, is_exact)
        out[i, 0] = curve[int(min(max(r, F(0)), F(1)) * last + F(0.5))]
        out[i, 1] = curve[int(min(max(g, F(0)), F(1)) * last + F(0.5))]
        out[i, 2] = curve[int(min(max(b, F(0)), F(1)) * last + F(0.5))]


@kernel
def _tone_map(light, is_exact, out):
    for i in range(light.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _neutral(light[i, 0], light[i, 1], light[i, 2], is_exact)


def tone_map(light, is_exact: bool = False) -> np.ndarray:
    """Display-linear values of scene-linear light, (..., 3) float32 to (..., 3) float32 in [0, 1].

    Parameters
    ----------
    light : (..., 3) float32
        Scene-linear light.
    is_exact : bool
        Whether colours below `EXACT_UP_TO` stay as they are, and only what is brighter is squeezed.

    Returns
    -------
    array

    References
    ----------
    Khronos PBR Neutral Tone Mapper specification, 2024.
    """
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _tone_map(flat, is_exact, out)
    return out.reshape(np.shape(light))


_CURVE = np.round(encode_srgb(np.linspace(0, 1, 1 << 14)) * 255).astype(np.uint8)


def develop(light, exposure: float = 0.0, is_exact: bool = False) -> np.ndarray:
    """An 8-bit sRGB picture of scene-linear light.

    Parameters
    ----------
    light : (H, W, 3) float32
    exposure : float
        Stops; +1 doubles the light.
    is_exact : bool
        As for `tone_map`.

    Returns
    -------
    (H, W, 3) uint8
    """
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty(flat.shape, np.uint8)
    _develop(flat, F(2.0**exposure), _CURVE, is_exact, out)
    return out.reshape(light.shape)


def develop_deep(light, is_exact: bool = False) -> np.ndarray:
    """As `develop`, in 16 bits: (H, W, 3) float32 to (H, W, 3) uint16.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear light.
    is_exact : bool
        Whether colours below the shoulder stay exact.

    Returns
    -------
    (H, W, 3) float32
    """
    return np.round(encode_srgb(tone_map(light, is_exact)) * 65535).astype(np.uint16)
