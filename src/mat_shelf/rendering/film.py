"""The film, and how its light becomes a picture on screen."""

import math
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
    catches : bool
        Whether a photograph stands in the place of the backdrop.

    Attributes
    ----------
    sums : Sums
    caught : Sums or None
        Of the samples that see the backdrop, or nothing, where a photograph stands in its place; `sums` are of the
        others then.
    empty : Film or None
        The same samples of the set without the product.
    plate : (H, W, 3) float32 or None
        The photograph, as light.
    gains : (K, 3) float32
        What each layer is multiplied by in the picture, by channel.
    """

    def __init__(self, width: int, height: int, layers: int = 1, catches: bool = False):
        self.width, self.height = width, height
        self.sums = new_sums(width * height, layers)
        self.gains = np.ones((layers, 3), np.float32)
        self.caught = new_sums(width * height, layers) if catches else None
        self.empty: Film | None = None
        self.plate: np.ndarray | None = None

    @property
    def samples(self) -> int:
        """Samples that every pixel has."""
        return int(self.sums.counts.min())

    @property
    def part(self) -> np.ndarray:
        """The geometry that each pixel sees first, (H, W) int32; -1 for none."""
        return self.sums.part.reshape(self.height, self.width)

    def mix(self, gains: np.ndarray) -> None:
        """Mixes its layers otherwise.

        Parameters
        ----------
        gains : (K, 3) float32
            Factor of each layer, by channel.
        """
        self.gains = gains
        if self.empty is not None:
            self.empty.mix(gains)

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
        for sums in (self.sums, self.caught):
            for name, kept in sums._asdict().items() if sums is not None else ():
                if name != "part":
                    kept[pixels] = 0
        if self.empty is not None:
            self.empty.renew(pixels)

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
        made.height, made.width = self.part[rows, columns].shape
        made.sums, made.gains = self._cut(self.sums, rows, columns), self.gains
        made.caught = None if self.caught is None else self._cut(self.caught, rows, columns)
        made.empty = None if self.empty is None else self.empty.crop(rows, columns)
        made.plate = None if self.plate is None else self.plate[rows, columns]
        return made

    def _cut(self, sums: Sums, rows: slice, columns: slice) -> Sums:
        cut = [kept.reshape(self.height, self.width, *kept.shape[1:])[rows, columns] for kept in sums]
        return Sums(*(kept.reshape(-1, *kept.shape[2:]) for kept in cut))

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
        if self.plate is not None and (layer == "light" or layer.startswith("guide")):
            return self._over_plate() if layer == "light" else self._guide_over_plate(layer)
        sums, shape = self.sums, (self.height, self.width, 3)
        counts = np.maximum(sums.guides if layer.startswith("guide") else sums.counts, 1).astype(np.float32)
        if layer != "light":
            return (getattr(sums, layer) / counts[:, None]).reshape(shape)
        mean = mixed(sums.light, self.gains, counts).reshape(shape)
        if sums.excess.any():
            mean += redistribute(mixed(sums.excess, self.gains, counts).reshape(shape), self.alpha())
        return mean

    def _light(self, sums: Sums) -> np.ndarray:
        """Mean light of some sums, with what was kept apart of bright paths, (H, W, 3) float32."""
        counts = np.maximum(self.sums.counts, 1).astype(np.float32)
        mean = mixed(sums.light, self.gains, counts) + mixed(sums.excess, self.gains, counts)
        return mean.reshape(self.height, self.width, 3)

    def _over_plate(self) -> np.ndarray:
        """The product on the photograph, which takes the shadows and reflections of the backdrop.

        Both are the difference that the product makes to the set (Debevec 1998, Rendering Synthetic Objects into Real
        Scenes): what gets darker does so by its share, what gets brighter by its light.
        """
        beside = 1 - self.alpha()
        if self.empty is None:  # there is no backdrop that would change
            return self._light(self.sums) + beside * self.plate
        bare = self.empty._light(self.empty.caught)
        here = self._light(self.caught) / np.maximum(beside, np.float32(1e-6))
        darker = self.plate * here / np.maximum(bare, np.float32(1e-9))
        changed = np.where(here < bare, darker, self.plate + (here - bare))
        return self._light(self.sums) + beside * changed

    def _guide_over_plate(self, layer: str) -> np.ndarray:
        """Guide of the denoiser; the photograph guides where it is seen, for it has no noise."""
        own, seen = getattr(self.sums, layer), getattr(self.caught, layer)
        if layer == "guide_albedo":
            seen = np.clip(self.plate, 0, 1).reshape(-1, 3) * np.maximum(self.caught.guides, 0)[:, None]
        counts = np.maximum(self.sums.guides + self.caught.guides, 1)[:, None]
        return ((own + seen) / counts).reshape(self.height, self.width, 3).astype(np.float32)


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


@inline
def _light_of(r, g, b, is_exact):
    """The inverse of `_neutral`, for values below 1."""
    peak = max(r, max(g, b))
    start = EXACT_UP_TO if is_exact else START_COMPRESSION
    if peak > start:
        d = F(1) - start
        peak = min(peak, F(0.999))
        old = d * d / (F(1) - peak) - d + start
        toward = F(1) - F(1) / (DESATURATION * (old - peak) + F(1))
        keep = F(1) - toward
        grow = old / peak
        r = max((r - peak * toward) / keep, F(0)) * grow
        g = max((g - peak * toward) / keep, F(0)) * grow
        b = max((b - peak * toward) / keep, F(0)) * grow
    if not is_exact:
        low = max(min(r, min(g, b)), F(0))
        offset = math.sqrt(low / F(6.25)) - low if low < F(0.04) else F(0.04)
        r += offset
        g += offset
        b += offset
    return r, g, b


@kernel
def _unmap(shown, is_exact, out):
    for i in range(shown.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _light_of(shown[i, 0], shown[i, 1], shown[i, 2], is_exact)


def light_shown_as(shown, is_exact: bool = False) -> np.ndarray:
    """Light that `tone_map` shows as some display-linear values, (..., 3) float32 in [0, 1] to (..., 3) float32.

    Parameters
    ----------
    shown : (..., 3) float32
        Display-linear values; those of 0.999 and above have no light of their own.
    is_exact : bool
        As for `tone_map`.

    Returns
    -------
    (..., 3) float32
    """
    flat = np.ascontiguousarray(shown, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _unmap(flat, is_exact, out)
    return out.reshape(np.shape(shown))


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
