"""The line round a piece in the picture."""

import numpy as np
from PyQt6.QtGui import QColor, QImage


def outline_image(mask: np.ndarray, color: QColor, fill: float = 0.0, strength: float = 1.0) -> QImage:
    """A soft line, about three pixels wide, along the border of a mask.

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
    line = np.clip((1 - np.abs(2 * share - 1)) * 1.7, 0, 1)
    alpha = np.maximum(line * strength, fill * mask)
    pixels = np.empty((*mask.shape, 4), np.uint8)
    for channel, value in enumerate((color.blue(), color.green(), color.red(), 255)):
        pixels[..., channel] = alpha * value
    height, width = mask.shape
    return QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()
