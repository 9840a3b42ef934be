"""All that is sharp in the picture, tinted."""

import numpy as np
from PyQt6.QtGui import QColor, QImage, QPainter

from mat_shelf.app.theme import THEME
from mat_shelf.app.wall.tools.tool import Tool
from mat_shelf.rendering.camera import sharp_zone

_TINT = 120
"""Opacity, of 255."""


class SharpZone(Tool):
    """A tint over what lies between the nearest and the farthest distance at which the camera is sharp.

    Attributes
    ----------
    is_shown : bool
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_shown = False
        self._made: tuple = ((), None)

    def show(self, is_shown: bool) -> None:
        """Shows the tint, or takes it away."""
        self.is_shown = is_shown
        self.viewport.update()

    def image(self) -> QImage | None:
        """The tint, a pixel for each of the picture; None where there is none to show."""
        frame = self.viewport.frame
        if not self.is_shown or frame is None:
            return None
        zone = sharp_zone(self.workshop.camera)
        key = frame.first_hits, zone, THEME.accent
        if self._made[0] != key:
            depth = frame.first_hits.depth
            is_sharp = (depth >= zone[0]) & (depth <= zone[1]) & np.isfinite(depth)
            color = QColor(THEME.accent)
            # Little-endian words of alpha, red, green and blue, multiplied by alpha.
            share = _TINT / 255
            word = _TINT << 24
            for shift, value in ((16, color.red()), (8, color.green()), (0, color.blue())):
                word |= round(value * share) << shift
            pixels = np.where(is_sharp, np.uint32(word), np.uint32(0))
            height, width = pixels.shape
            image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied)
            self._made = key, image.copy()
        return self._made[1]

    def paint(self, painter: QPainter) -> None:
        image = self.image()
        if image is not None:
            painter.drawImage(self.viewport.picture_rect, image)
