"""The reference wiped against the render."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.tools.tool import Tool, is_left

_REACH = 8
"""Pixels beside the line that take it."""


class Wipe(Tool):
    """Shows the reference left of a line that can be dragged.

    Attributes
    ----------
    share : float or None
        Place of the line, a share of the picture's width; None while there is none.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.share: float | None = None
        self._reference: QImage | None = None
        self._is_held = False

    def compare_with(self, picture: QImage | None) -> None:
        """Takes another reference, or none."""
        self._reference = picture
        if picture is None:
            self.share = None
        self.viewport.update()

    def toggle(self) -> None:
        """Shows the reference over the left half of the render, or the render alone again."""
        if self._reference is None:
            self.workshop.said.emit("There is no reference to wipe against; drop one on its pane.")
            return
        self.share = None if self.share is not None else 0.5
        self.viewport.update()

    def _x(self) -> float:
        rect = self.viewport.picture_rect
        return rect.x() + self.share * rect.width()

    def press(self, event) -> bool:
        self._is_held = self.share is not None and is_left(event) and abs(event.position().x() - self._x()) < _REACH
        return self._is_held

    def move(self, event) -> bool:
        if self._is_held:
            rect = self.viewport.picture_rect
            self.share = min(max((event.position().x() - rect.x()) / rect.width(), 0.0), 1.0)
            self.viewport.update()
        return self._is_held

    def release(self, event) -> bool:
        was_held, self._is_held = self._is_held, False
        return was_held

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_W:
            return False
        self.toggle()
        return True

    def paint(self, painter: QPainter) -> None:
        if self.share is None or self._reference is None:
            return
        rect, picture, x = self.viewport.picture_rect, self._reference, self._x()
        scale = max(rect.width() / picture.width(), rect.height() / picture.height())
        whole = QRectF(0, 0, picture.width() * scale, picture.height() * scale)
        whole.moveCenter(QRectF(rect).center())
        painter.save()
        painter.setClipRect(QRectF(rect.x(), rect.y(), x - rect.x(), rect.height()))
        painter.drawImage(whole, picture)
        painter.restore()
        painter.fillRect(QRectF(x - 1.5, rect.y(), 3, rect.height()), QColor(EDGE))
        painter.fillRect(QRectF(x - 0.5, rect.y(), 1, rect.height()), QColor(THEME.on_surround))
        # What later tools draw belongs to the render.
        painter.setClipRect(QRectF(rect).adjusted(x - rect.x(), 0, 0, 0))
