"""The film: sums over samples, and the light that they make."""

import numpy as np

from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.rendering.firefly_redistribution import redistribute
from mat_shelf.rendering.sums import Sums, add_light, add_sums, new_sums, renew_sums


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

    def add(self, pixels: np.ndarray, samples: int, is_half: bool, seen: Sums, caught: Sums | None) -> None:
        """Adds samples of some pixels.

        Parameters
        ----------
        pixels : (N,) int32
            No two the same.
        samples : int
            How many of each.
        is_half : bool
            Whether they are of the half that is kept beside the sum of all.
        seen : Sums
            Their sums, of which the first N rows count.
        caught : Sums or None
            Those of what is caught, likewise.
        """
        add_sums(pixels, samples, seen, self.sums)
        if caught is not None:
            add_sums(pixels, samples, caught, self.caught)
            self.sums.met[pixels] |= self.caught.met[pixels]
            self.sums.shown[pixels] |= self.caught.shown[pixels]
        if is_half:
            add_light(pixels, seen.light, self.halves)
            if caught is not None:
                add_light(pixels, caught.light, self.halves)

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
