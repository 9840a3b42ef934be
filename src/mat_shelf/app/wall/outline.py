"""The line round a piece in the picture."""

import numpy as np
from PyQt6.QtGui import QColor, QImage

from mat_shelf.app.theme import EDGE

_OUTER, _INNER, _SHARPNESS = 0.3, 0.62, 4.5
"""Shares of the mask round a pixel in the middle of the dark and of the coloured line, and how fast those fade."""


def outline_image(mask: np.ndarray, color: QColor, fill: float = 0.0, strength: float = 1.0) -> QImage:
    """A thin line along the border of a mask, with a dark one outside of it, so that it is seen on any colour.

    Parameters
    ----------
    mask : (H, W) bool
    fill : float
        Opacity of the colour inside.
    strength : float
        Opacity of the line.

    Returns
    -------
    QImage, premultiplied ARGB, W x H
    """
    around = np.pad(mask.astype(np.float32), 2, mode="edge")
    sums = np.pad(around.cumsum(0).cumsum(1), ((1, 0), (1, 0)))
    share = (sums[5:, 5:] - sums[:-5, 5:] - sums[5:, :-5] + sums[:-5, :-5]) / 25
    inner = np.clip(1.4 - np.abs(share - _INNER) * _SHARPNESS, 0, 1) * (share < 1)
    outer = np.clip(1.4 - np.abs(share - _OUTER) * _SHARPNESS, 0, 1) * (share > 0) * (1 - inner) * 0.8
    colored = np.maximum(inner * strength, fill * mask)
    dark = outer * strength
    edge = QColor(EDGE)
    pixels = np.empty((*mask.shape, 4), np.uint8)
    for channel, (light, shade) in enumerate(
        ((color.blue(), edge.blue()), (color.green(), edge.green()), (color.red(), edge.red()), (255, 255))
    ):
        pixels[..., channel] = np.minimum(colored * light + dark * shade, 255)
    height, width = mask.shape
    return QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()
