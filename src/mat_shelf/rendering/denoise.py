"""Noise removal by Intel Open Image Denoise, without changing how bright things are.

The denoiser makes small dark things too dark and tints what it smoothes. What it took from a part on average is given
back.
"""

import numpy as np
import pyoidn

from mat_shelf.numerics.kernels import kernel
from mat_shelf.rendering.film import Film

PADDING = 32
"""Pixels that a picture is continued by, mirrored, so that its corners are no special case."""


def denoise_film(film: Film, quality: str = "high", padding: int = PADDING, seen=None) -> np.ndarray:
    """The film's light without its noise, (H, W, 3) float32.

    Parameters
    ----------
    film : Film
        The film.
    quality : {"fast", "balanced", "high"}
        The last one takes the noise out of albedo and normals first.
    padding : int
        Pixels that the picture is continued by; a crop of one, whose border is not shown, needs none.
    seen : (albedo, normal), optional
        (H, W, 3) float32 each: what guides, where it is known without noise.

    Returns
    -------
    (H, W, 3) float32
    """
    light = _padded(film.picture(), padding)
    is_clean = quality == "high" or seen is not None
    if seen is None:
        albedo, normal = _guides(film, padding, is_clean)
    else:
        albedo, normal = (_padded(guide, padding) for guide in seen)
    clean = pyoidn.denoise(light, albedo, normal, hdr=True, clean_aux=is_clean, quality=quality)
    inner = slice(padding, padding + film.height), slice(padding, padding + film.width)
    return _with_means_of(np.ascontiguousarray(light[inner]), np.maximum(clean[inner], 0), film.part)


def clean_alpha(film: Film, is_clean: bool = True) -> np.ndarray:
    """The film's alpha, without noise where clear glass lets some of the background through.

    Parameters
    ----------
    film : Film
        The film.
    is_clean : bool
        Whether noise is removed at all.

    Returns
    -------
    (H, W, 1) float32
    """
    alpha, cover = film.alpha(), film.cover()
    is_glass = alpha < cover
    if not is_clean or not is_glass.any():
        return alpha
    clean = clean_share(film, np.repeat(alpha, 3, axis=2))
    return np.where(is_glass, np.clip(clean[..., :1], 0, cover), alpha)


def clean_share(film: Film, share: np.ndarray) -> np.ndarray:
    """A share of each pixel of a film, by channel, without its noise.

    Parameters
    ----------
    film : Film
        The film.
    share : (H, W, 3) float32
        In [0, 1].

    Returns
    -------
    (H, W, 3) float32
    """
    albedo, normal = _guides(film, PADDING, True)
    clean = pyoidn.denoise(_padded(share, PADDING), albedo, normal, clean_aux=True, quality="high")
    return clean[PADDING : PADDING + film.height, PADDING : PADDING + film.width]


def _guides(film: Film, padding: int, is_clean: bool) -> tuple[np.ndarray, np.ndarray]:
    """Albedo and normals that guide, padded; without their own noise where they should be clean."""
    albedo = _padded(np.clip(film.picture("guide_albedo"), 0, 1), padding)
    normal = _padded(film.picture("guide_normal"), padding)
    if is_clean:
        albedo = np.clip(pyoidn.denoise(albedo, quality="fast"), 0, 1)
        normal = 2 * pyoidn.denoise(np.clip(0.5 + 0.5 * normal, 0, 1), quality="fast") - 1
    return albedo, normal


def _padded(picture: np.ndarray, padding: int) -> np.ndarray:
    """A picture that goes on beyond its edges, contiguous."""
    if padding == 0:
        return np.ascontiguousarray(picture)
    mode = "symmetric" if min(picture.shape[:2]) >= padding else "edge"
    return np.ascontiguousarray(np.pad(picture, ((padding, padding), (padding, padding), (0, 0)), mode))


def _with_means_of(light: np.ndarray, clean: np.ndarray, part: np.ndarray) -> np.ndarray:
    """A denoised picture in which each part is as bright, by channel, as in the rendered one.

    Parameters
    ----------
    light, clean : (H, W, 3) float32
    part : (H, W) int32
        What each pixel sees; below 0 where that is none.
    """
    # float64: of a million pixels' squares, float32 would lose the last ones, and with them what is due to chance.
    sums = np.zeros((max(int(part.max()) + 2, 1), 3, 3))
    pixels = np.zeros(len(sums), np.int64)
    _add_means(light, clean, part, sums, pixels)
    count = np.maximum(pixels, 1)[:, None]
    mean, off = sums[:, 0] / count, sums[:, 1] / count
    noise = np.maximum(sums[:, 2] / count - off * off, 0) / count
    # Wiener's weight: of a difference as large as chance makes them nothing is taken.
    trust = np.maximum(off * off - noise, 0) / np.maximum(off * off, 1e-20)
    gains = np.clip(1 + trust * off / np.maximum(mean, 1e-9), 0.5, 2).astype(np.float32)
    out = np.empty_like(clean)
    _multiply_parts(clean, part, gains, out)
    return out


@kernel
def _add_means(light, clean, part, sums, pixels):
    """Adds up, by part and channel, what is made of the light, what is lost of it, and the square of that."""
    for y in range(part.shape[0]):
        for x in range(part.shape[1]):
            p = part[y, x] + 1
            pixels[p] += 1
            for k in range(3):
                made = np.float64(clean[y, x, k])
                lost = np.float64(light[y, x, k]) - made
                sums[p, 0, k] += made
                sums[p, 1, k] += lost
                sums[p, 2, k] += lost * lost


@kernel
def _multiply_parts(clean, part, gains, out):
    for y in range(part.shape[0]):
        for x in range(part.shape[1]):
            for k in range(3):
                out[y, x, k] = clean[y, x, k] * gains[part[y, x] + 1, k]
