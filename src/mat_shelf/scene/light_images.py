"""Images for lights to show or throw: a window with its bars, leaves, a blind."""

import numpy as np
from scipy.ndimage import gaussian_filter

_SIZE = 256


def window_image() -> np.ndarray:
    """A window of six panes, brighter above, (256, 256) float32 in [0, 1].

    Returns
    -------
    (256, 256) float32
    """
    at = (np.arange(_SIZE) + 0.5) / _SIZE
    across, down = _bars(at, 2, 0.045), _bars(at, 3, 0.045)
    sky = 0.75 + 0.25 * (1 - at)
    return _soft(across[None, :] * (down * sky)[:, None], 1.2)


def blind_image() -> np.ndarray:
    """A blind of twelve slats, (256, 256) float32 in [0, 1].

    Returns
    -------
    (256, 256) float32
    """
    at = (np.arange(_SIZE) + 0.5) / _SIZE
    gaps = ((at * 12) % 1 > 0.45).astype(np.float32)
    strings = 1 - (np.abs(at - 0.25) < 0.006) - (np.abs(at - 0.75) < 0.006)
    return _soft(gaps[:, None] * strings[None, :], 1.5)


def leaves_image() -> np.ndarray:
    """Light through foliage, (256, 256) float32 in [0, 1].

    Returns
    -------
    (256, 256) float32
    """
    rng = np.random.default_rng(7)
    light = np.ones((_SIZE, _SIZE), np.float32)
    for _ in range(150):
        middle, length, turn = rng.random(2) * 1.2 - 0.1, rng.uniform(0.05, 0.13), rng.uniform(0, np.pi)
        around = [slice(max(int((m - length) * _SIZE), 0), max(int((m + length) * _SIZE) + 2, 0)) for m in middle[::-1]]
        patch = light[tuple(around)]
        y, x = ((np.indices(patch.shape).T + [rows.start for rows in around] + 0.5) / _SIZE).T
        along = ((x - middle[0]) * np.cos(turn) + (y - middle[1]) * np.sin(turn)) / length
        aside = ((y - middle[1]) * np.cos(turn) - (x - middle[0]) * np.sin(turn)) / length
        # A leaf: two arcs that meet at both ends.
        patch[np.abs(aside) < 0.38 * (1 - along * along)] *= rng.uniform(0.0, 0.35)
    return _soft(light, 2.0)


def _bars(at: np.ndarray, panes: int, share: float) -> np.ndarray:
    """1 in each pane, 0 in the bars between and around them."""
    within = (at * panes) % 1
    return ((within > share * panes / 2) & (within < 1 - share * panes / 2)).astype(np.float32)


def _soft(image: np.ndarray, pixels: float) -> np.ndarray:
    return np.clip(gaussian_filter(image.astype(np.float32), pixels, mode="nearest"), 0, 1)


IMAGES = {"Window": window_image, "Leaves": leaves_image, "Blind": blind_image}
"""The images by their names."""
