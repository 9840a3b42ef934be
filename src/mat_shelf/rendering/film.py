"""The film, and how its light becomes a picture on screen."""

from dataclasses import dataclass

import numpy as np

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import encode_srgb
from mat_shelf.rendering.firefly_redistribution import redistribute


@dataclass
class Film:
    """Sums over samples, one row per pixel, in reading order.

    Attributes
    ----------
    light : (H * W, 3) float32
    excess : (H * W, 3) float32
        What single paths brought beyond the most that is accepted of one.
    albedo, normal : (H * W, 3) float32
        Of what each pixel sees first.
    guide_albedo, guide_normal : (H * W, 3) float32
        Of what it sees first through clear glass, for the denoiser.
    guides : (H * W,) float32
        How many samples these are sums of.
    part : (H * W,) int32
        The geometry that each pixel's newest sample sees first; -1 for none.
    cover : (H * W,) float32
        Samples that see anything, or the product alone where it is cut out.
    dropped : (H * W,) int32
        Values that were no numbers and were left out; none, unless something is wrong.
    samples : int
    """

    width: int
    height: int

    def __post_init__(self):
        self.light = np.zeros((self.width * self.height, 3), np.float32)
        self.excess = np.zeros_like(self.light)
        self.albedo = np.zeros_like(self.light)
        self.normal = np.zeros_like(self.light)
        self.guide_albedo = np.zeros_like(self.light)
        self.guide_normal = np.zeros_like(self.light)
        self.guides = np.zeros(self.width * self.height, np.float32)
        self.part = np.full(self.width * self.height, -1, np.int32)
        self.cover = np.zeros(self.width * self.height, np.float32)
        self.dropped = np.zeros(self.width * self.height, np.int32)
        self.samples = 0

    def alpha(self) -> np.ndarray:
        """Share of each pixel that the product covers, (H, W, 1) float32 in [0, 1].

        Returns
        -------
        (H, W, 1) float32
        """
        return (self.cover / F(max(self.samples, 1))).reshape(self.height, self.width, 1)

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
        count = np.maximum(self.guides, 1)[:, None] if layer.startswith("guide") else F(max(self.samples, 1))
        mean = (getattr(self, layer) / count).reshape(self.height, self.width, 3)
        if layer == "light" and self.excess.any():
            mean += redistribute((self.excess / F(self.samples)).reshape(mean.shape), self.alpha())
        return mean


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
