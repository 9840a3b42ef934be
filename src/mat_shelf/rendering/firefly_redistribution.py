"""Spreads the light of rare bright paths over as much of the picture as it takes to make it even.

A path that meets a small bright thing by chance, after a matt surface, brings a single pixel so much light that it
shows as a sparkle. Cutting it off would make pictures darker than the scene. Here the light beyond a limit is kept, and
moves as far as it must: where neighbours hold as much of it, as a caustic that was met often does, it stays; what
stands out moves to coarser and coarser levels until it no longer does. Nothing is lost, and with more samples less
moves.
"""

import numpy as np
from scipy.ndimage import uniform_filter

_TINY = np.float32(1e-12)


def redistribute(light: np.ndarray, room: np.ndarray) -> np.ndarray:
    """The same light, spread.

    Parameters
    ----------
    light : (H, W, 3) float32
    room : (H, W, 1) float32
        How much of each pixel may take light up: what shows the scene, not what is cut out.

    Returns
    -------
    (H, W, 3) float32
        Of the same sum.
    """
    whole = light.sum(axis=(0, 1), dtype=np.float64)
    if not whole.any():
        return light
    room = np.maximum(room, np.where(light.any(axis=2, keepdims=True), np.float32(1e-3), 0))
    out = _level(light, room) * room
    made = out.sum(axis=(0, 1), dtype=np.float64)
    return out * (whole / np.maximum(made, 1e-30)).astype(np.float32)


def _level(light: np.ndarray, room: np.ndarray) -> np.ndarray:
    """Density of the spread light at one level and all coarser ones, (H, W, 3) float32."""
    height, width = room.shape[:2]
    if min(height, width) <= 2:
        return np.broadcast_to(light.sum(axis=(0, 1)) / np.maximum(room.sum(), _TINY), light.shape)
    peak = light.max(axis=2, keepdims=True)
    # The mean of the eight around: of nine, less the one in the middle.
    around = (9 * _mean(peak) - peak) / np.maximum(9 * _mean(room) - room, np.float32(1e-3))
    staying = np.clip(around * room / np.maximum(peak, _TINY), 0, 1)
    here = light * staying / np.maximum(room, _TINY)
    coarser = _level(_pooled(light * (1 - staying)), _pooled(room))
    spread_out = np.repeat(np.repeat(coarser, 2, axis=0), 2, axis=1)[:height, :width]
    return here + _mean(spread_out)


def _mean(values: np.ndarray) -> np.ndarray:
    return uniform_filter(values, (3, 3, 1), mode="nearest")


def _pooled(values: np.ndarray) -> np.ndarray:
    """Sums over two by two, (H, W, C) to (ceil(H / 2), ceil(W / 2), C)."""
    height, width, channels = values.shape
    padded = np.pad(values, ((0, height % 2), (0, width % 2), (0, 0)))
    return padded.reshape(padded.shape[0] // 2, 2, padded.shape[1] // 2, 2, channels).sum(axis=(1, 3))
