"""Noise removal by Intel Open Image Denoise."""

import numpy as np
import pyoidn

from mat_shelf.rendering.film import Film


def denoised(film: Film, quality: str = "high") -> np.ndarray:
    """The film's light without its noise, (H, W, 3) float32.

    Parameters
    ----------
    quality : {"fast", "balanced", "high"}
    """
    return np.maximum(
        pyoidn.denoise(
            film.picture(),
            np.clip(film.picture("albedo"), 0, 1),
            film.picture("normal"),
            hdr=True,
            quality=quality,
        ),
        0,
    )
