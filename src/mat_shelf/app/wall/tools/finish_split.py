"""The picture as rendered beside the finished one, right of a line that is dragged."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.caption import TOP_RIGHT, paint_caption
from mat_shelf.app.wall.tools.tool import Tool, is_left

_REACH = 8
"""Pixels beside the line that take it."""


class FinishSplit(Tool):
    """Shows what the renderer made, without its finish.

    Attributes
    ----------
    share : float or None
        Place of the line, a share of the picture's width; None while nothing is compared.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.share: float | None = None
        self._is_held = False

    def show(self, is_shown: bool) -> None:
        """Begins or ends to compare."""
        self.share = 0.5 if is_shown else None
        self.viewport.compare_finish(is_shown)

    def _x(self) -> float:
        rect = QRectF(self.viewport.picture_rect)
        return rect.x() + self.share * rect.width()

    def press(self, event) -> bool:
        self._is_held = self.share is not None and is_left(event) and abs(event.position().x() - self._x()) < _REACH
        return self._is_held

    def move(self, event) -> bool:
        if self._is_held:
            rect = QRectF(self.viewport.picture_rect)
            self.share = min(max((event.position().x() - rect.x()) / rect.width(), 0.0), 1.0)
            self.viewport.update()
        return self._is_held

    def release(self, event) -> bool:
        was_held, self._is_held = self._is_held, False
        return was_held

    def paint(self, painter: QPainter) -> None:
        frame = self.viewport.frame
        if self.share is None or frame is None or frame.as_rendered is None:
            return
        rect, x = QRectF(self.viewport.picture_rect), self._x()
        height, width = frame.as_rendered.shape[:2]
        image = QImage(frame.as_rendered.data, width, height, width * 3, QImage.Format.Format_RGB888)
        painter.save()
        painter.setClipRect(QRectF(x, rect.y(), rect.right() - x, rect.height()))
        painter.drawImage(rect, image)
        painter.restore()
        painter.fillRect(QRectF(x - 1.5, rect.y(), 3, rect.height()), QColor(EDGE))
        painter.fillRect(QRectF(x - 0.5, rect.y(), 1, rect.height()), QColor(THEME.on_surround))
        paint_caption(painter, self.viewport.picture_rect, TOP_RIGHT, "Finished  |  as rendered")
