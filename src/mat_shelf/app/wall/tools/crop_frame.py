"""The frame of the next render, which the picture may show more than."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.tools.tool import Tool
from mat_shelf.rendering.region import film_size

_SHADE = 110
"""Opacity of what will be cut off, of 255."""


class CropFrame(Tool):
    """G shows or hides it.

    Attributes
    ----------
    is_shown : bool
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_shown = False
        self.workshop.picture_size_changed.connect(viewport.update)

    def show(self, is_shown: bool) -> None:
        """Shows the frame, or all of the picture alike."""
        self.is_shown = is_shown
        self.viewport.update()

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_G or event.modifiers():
            return False
        self.show(not self.is_shown)
        return True

    def frame(self) -> QRectF:
        """Rectangle of the widget that the render will show."""
        rect = QRectF(self.viewport.picture_rect)
        across, down = self.workshop.picture_size
        shown_width, shown_height = film_size(rect.width(), rect.height())
        width, height = film_size(across, down)
        made = QRectF(0, 0, rect.width() * width / shown_width, rect.height() * height / shown_height)
        made.moveCenter(rect.center())
        return made.intersected(rect)

    def paint(self, painter: QPainter) -> None:
        if not self.is_shown:
            return
        rect, frame = QRectF(self.viewport.picture_rect), self.frame()
        outside = QPainterPath()
        outside.addRect(rect)
        outside.addRect(frame)
        painter.save()
        painter.setClipping(False)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(38, 38, 38, _SHADE))
        painter.drawPath(outside)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.2)):
            painter.setPen(QPen(QColor(color), thickness))
            painter.drawRect(frame)
        painter.restore()
