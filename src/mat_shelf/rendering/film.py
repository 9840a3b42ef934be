"""The film: sums over samples, and the light that they make."""

from collections import namedtuple

import numpy as np

from mat_shelf.numerics.kernels import F, apart, inline, kernel, stay_apart
from mat_shelf.rendering.firefly_redistribution import redistribute

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
    sums.light[first:last] = F(0)
    sums.excess[first:last] = F(0)
    sums.albedo[first:last] = F(0)
    sums.normal[first:last] = F(0)
    sums.guide_albedo[first:last] = F(0)
    sums.guide_normal[first:last] = F(0)
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
        part, shown = sums.part[p], sums.shown[p]
        clear_sums(p, 1, sums)
        sums.part[p], sums.shown[p], sums.counts[p] = part, shown, 0


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
    first, count = 0, pixels.shape[0]
    while first < count:
        p, last = pixels[first], first + 1
        while last < count and pixels[last] - p == last - first:
            last += 1
        if last - first < _ROW:
            for i in range(first, last):
                _add_pixel(i, pixels[i], new, sums)
        else:
            _add_row(first, last, p, new, sums)
        first = last


_ROW = 8
"""Pixels side by side from which on they are added array by array: as many numbers at once as the processor can."""


@inline
def _add_pixel(i, p, new, sums):
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
    _note_pixel(i, p, new, sums)


@inline
def _note_pixel(i, p, new, sums):
    """Notes what the sample sees and meets, and that there is one more."""
    is_first = sums.counts[p] == 0
    if new.part[i] >= 0 or is_first:
        sums.part[p] = new.part[i]
    sums.met[p] |= new.met[i]
    sums.shown[p] = new.shown[i] if is_first else sums.shown[p] | new.shown[i]
    sums.counts[p] += 1


@apart
def _add_row(first, last, p, new, sums):
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
        _note_pixel(i, p + i - first, new, sums)


@inline
def _add_numbers(first, last, width, new, p, old):
    some, kept = new[first * width : last * width], old[p * width : (p + last - first) * width]
    for k in range(some.shape[0]):
        kept[k] += some[k]


@kernel
def add_light(pixels, light, sums):
    """Adds the light of one sample of some pixels.

    Parameters
    ----------
    pixels : (N,) int32
        The pixel of each row of `light`, no two the same.
    light : (N, K, 3) float32
        Light of that sample.
    sums : (P, K, 3) float32
        Light of the film.
    """
    for i in range(pixels.shape[0]):
        for layer in range(sums.shape[1]):
            for k in range(3):
                sums[pixels[i], layer, k] += light[i, layer, k]


class Film:
    """Sums over the samples of a picture, in reading order. Pixels may have different numbers of samples.

    Parameters
    ----------
    width, height : int
        Pixels.
    layers : int
        Layers of light that it keeps apart.
    catches : bool
        Whether samples are kept apart that a photograph, or another background, takes the place of.
    is_cut_out : bool
        Whether these are what is seen through the glass of a product that is cut out.

    Attributes
    ----------
    sums : Sums
    caught : Sums or None
        Of the samples that see the backdrop, or nothing, where a photograph stands in its place, or that see them
        through clear glass where the product is cut out; `sums` are of the others then.
    empty : Film or None
        The same samples of the set without the product.
    plate : (H, W, 3) float32 or None
        The photograph, as light.
    halves : (N, K, 3) float32 or None
        Light of one half of the samples, product or backdrop, where the noise is to be known.
    goals : (N,) int32 or None
        Samples that each pixel is to have then.
    gains : (K, 3) float32
        What each layer is multiplied by in the picture, by channel.
    """

    def __init__(self, width: int, height: int, layers: int = 1, catches: bool = False, is_cut_out: bool = False):
        self.width, self.height, self.is_cut_out = width, height, is_cut_out
        self.sums = new_sums(width * height, layers)
        self.gains = np.ones((layers, 3), np.float32)
        self.caught = new_sums(width * height, layers) if catches else None
        self.empty: Film | None = None
        self.plate: np.ndarray | None = None
        self.halves: np.ndarray | None = None
        self.goals: np.ndarray | None = None

    @property
    def samples(self) -> int:
        """Samples that every pixel has."""
        return int(self.sums.counts.min())

    @property
    def mean_samples(self) -> float:
        """Samples of a pixel that has any, on average."""
        counts = self.sums.counts
        return float(counts.sum(dtype=np.int64)) / max(np.count_nonzero(counts), 1)

    @property
    def part(self) -> np.ndarray:
        """The geometry that each pixel sees first, (H, W) int32; -1 for none."""
        return self.sums.part.reshape(self.height, self.width)

    def halve(self) -> None:
        """Keeps the light of one half of the samples from now on; of a film without samples."""
        self.halves = np.zeros_like(self.sums.light)
        self.goals = np.zeros_like(self.sums.counts)

    def arrays(self) -> dict[str, np.ndarray]:
        """All that it keeps of pixels, by name; a row for each pixel.

        Returns
        -------
        dict of array
        """
        arrays = {f"sums/{name}": each for name, each in self.sums._asdict().items()}
        if self.caught is not None:
            arrays |= {f"caught/{name}": each for name, each in self.caught._asdict().items()}
        if self.halves is not None:
            arrays |= {"halves": self.halves, "goals": self.goals}
        if self.empty is not None:
            arrays |= {f"empty-{name}": each for name, each in self.empty.arrays().items()}
        return arrays

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
        """Takes all samples from some pixels; what they see first, and show, stays until they get another one.

        Parameters
        ----------
        pixels : (N,) int32
            Their numbers.
        """
        for sums in (self.sums, self.caught):
            if sums is not None:
                renew_sums(pixels, sums)
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
        made.is_cut_out = self.is_cut_out
        made.sums, made.gains = self._cut(self.sums, rows, columns), self.gains
        made.caught = None if self.caught is None else self._cut(self.caught, rows, columns)
        made.empty = None if self.empty is None else self.empty.crop(rows, columns)
        made.plate = None if self.plate is None else self.plate[rows, columns]
        made.halves = made.goals = None
        return made

    def _cut(self, sums: Sums, rows: slice, columns: slice) -> Sums:
        cut = [kept.reshape(self.height, self.width, *kept.shape[1:])[rows, columns] for kept in sums]
        return Sums(*(kept.reshape(-1, *kept.shape[2:]) for kept in cut))

    def cover(self) -> np.ndarray:
        """Share of each pixel that the product covers, (H, W, 1) float32 in [0, 1].

        Returns
        -------
        (H, W, 1) float32
        """
        share = self.sums.cover / np.maximum(self.sums.counts, 1).astype(np.float32)
        return share.reshape(self.height, self.width, 1)

    def alpha(self) -> np.ndarray:
        """Share of each pixel that hides what is behind it, (H, W, 1) float32 in [0, 1].

        Where the product is cut out, its clear glass hides only what it takes from all three channels; what it takes
        from one more than from another stays in the light, as its tint over the background that it was lit before.

        Returns
        -------
        (H, W, 1) float32
        """
        if not self.is_cut_out or self.caught is None:
            return self.cover()
        return np.maximum(self.cover() - self._passed().min(axis=-1, keepdims=True), 0)

    def _passed(self) -> np.ndarray:
        """Share of what is behind the product that comes through its glass, (H, W, 3) float32."""
        counts = np.maximum(self.sums.counts, 1).astype(np.float32)
        return (self.caught.guide_albedo / counts[:, None]).reshape(self.height, self.width, 3)

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
        if self.caught is not None and layer.startswith("guide") and (self.is_cut_out or self.plate is not None):
            return self._guide_with_caught(layer)
        if self.plate is not None and layer == "light":
            return self._over_plate()
        sums, shape = self.sums, (self.height, self.width, 3)
        counts = np.maximum(sums.guides if layer.startswith("guide") else sums.counts, 1).astype(np.float32)
        if layer != "light":
            return (getattr(sums, layer) / counts[:, None]).reshape(shape)
        mean = mixed(sums.light, self.gains, counts).reshape(shape)
        if sums.excess.any():
            mean += redistribute(mixed(sums.excess, self.gains, counts).reshape(shape), self.cover())
        if self.is_cut_out and self.caught is not None:
            passed = self._passed()
            hidden = 1 - passed.min(axis=-1, keepdims=True) / np.maximum(passed, np.float32(1e-6))
            mean += self._light(self.caught) * np.clip(hidden, 0, 1)
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
        beside = 1 - self.cover()
        if self.empty is None:  # there is no backdrop that would change
            return self._light(self.sums) + beside * self.plate
        bare = self.empty._light(self.empty.caught)
        here = self._light(self.caught) / np.maximum(beside, np.float32(1e-6))
        darker = self.plate * here / np.maximum(bare, np.float32(1e-9))
        changed = np.where(here < bare, darker, self.plate + (here - bare))
        return self._light(self.sums) + beside * changed

    def untouched(self) -> np.ndarray:
        """True for the pixels of a photograph that the product does not change, (H, W, 1) bool.

        Those that see the backdrop alone, as bright as without the product but for its noise, bit for bit.
        """
        bare = self._light(self.caught) if self.empty is None else self.empty._light(self.empty.caught)
        is_same = (self._light(self.caught) == bare).all(axis=-1, keepdims=True)
        return is_same & (self.cover() == 0)

    def _guide_with_caught(self, layer: str) -> np.ndarray:
        """Guide of the denoiser; a photograph guides where it is seen, for it has no noise."""
        own, seen = getattr(self.sums, layer), getattr(self.caught, layer)
        if layer == "guide_albedo" and self.plate is not None:
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
