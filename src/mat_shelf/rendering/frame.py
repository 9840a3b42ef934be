"""A picture as views show it."""

from dataclasses import dataclass

import numpy as np

from mat_shelf.rendering.first_hit import FirstHits


@dataclass(frozen=True)
class Frame:
    """A picture to show.

    Attributes
    ----------
    pixels : (h, w, 3) uint8, sRGB; coarse ones may be smaller than the wall's pane
    as_rendered : (h, w, 3) uint8 or None, the same without its finish, where that is compared
    first_hits : FirstHits, what each pixel sees; a coarse frame's may be coarse too
    samples : int
    seconds : float, since the last edit
    is_coarse : bool
    revision : int, of the `update` or `resize` it shows
    stride : int, side of the squares, in pixels of the frame, in which touched pixels share what one of them saw
    light : (h, w, 3) float32 or None, scene-linear, neither exposed nor balanced
    values : (h, w, 3) float32 or None, of the input that is looked at; None for a render
    """

    pixels: np.ndarray
    as_rendered: np.ndarray | None
    first_hits: FirstHits
    samples: int
    seconds: float
    is_coarse: bool
    revision: int
    stride: int = 1
    values: np.ndarray | None = None
    light: np.ndarray | None = None
