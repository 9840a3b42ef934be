"""Two lines by which the camera is matched to a backplate: the horizon, and where the product stands."""

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from mat_shelf.app.theme import EDGE, THEME, font
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.rendering.camera_matching import horizon_and_foot
from mat_shelf.rendering.region import film_size

HORIZON, FOOT = "Horizon", "Product stands here"
_GESTURE = "horizon lines"
_GRIP, _ASIDE = 7, 10
"""Pixels."""


class HorizonLines(Tool):
    """Lines from side to side; dragging one moves the camera until it sees it there, while the other one stays.

    Attributes
    ----------
    is_shown : bool
    """

    makes_edits = True

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_shown = False
        self._held = ""
        self._kept: dict[str, float] = {}

    def show(self, is_shown: bool) -> None:
        """Shows the lines, or takes them away."""
        self.is_shown = is_shown
        self.viewport.update()

    def lines(self) -> dict[str, float]:
        """Heights of the lines in the widget, of those that the picture shows."""
        plate = self.workshop.project.set.plate
        if not self.is_shown or plate is None or plate.image is None:
            return {}
        rect = QRectF(self.viewport.picture_rect)
        heights = dict(zip((HORIZON, FOOT), horizon_and_foot(self.workshop.camera), strict=True))
        # A line outside the picture waits at its border.
        return {name: min(max(self._down(height), rect.top()), rect.bottom()) for name, height in heights.items()}

    def _film(self) -> float:
        rect = self.viewport.picture_rect
        return film_size(rect.width(), rect.height())[1]

    def _down(self, height: float) -> float:
        rect = QRectF(self.viewport.picture_rect)
        return rect.top() + (0.5 - height / self._film()) * rect.height()

    def _height(self, down: float) -> float:
        rect = QRectF(self.viewport.picture_rect)
        return (0.5 - (down - rect.top()) / rect.height()) * self._film()

    def press(self, event) -> bool:
        near = {name: abs(event.position().y() - down) for name, down in self.lines().items()}
        if not is_left(event) or not near or min(near.values()) > _GRIP:
            return False
        self._held = min(near, key=near.get)
        self._kept = {name: self._height(down) for name, down in self.lines().items()}
        return True

    def move(self, event) -> bool:
        if not self._held:
            return False
        self._kept[self._held] = self._height(event.position().y())
        self.workshop.match_camera(self._kept[HORIZON], self._kept[FOOT], _GESTURE)
        return True

    def release(self, event) -> bool:
        was_held, self._held = bool(self._held), ""
        if was_held:
            self.workshop.history.end_gesture()
        return was_held

    def paint(self, painter: QPainter) -> None:
        rect = QRectF(self.viewport.picture_rect)
        painter.setFont(font(12))
        for name, down in self.lines().items():
            line = QLineF(rect.left(), down, rect.right(), down)
            color = THEME.accent if name == self._held else THEME.on_surround
            for shade, thickness in ((EDGE, 3.0), (color, 1.4)):
                painter.setPen(QPen(QColor(shade), thickness))
                painter.drawLine(line)
            words = QRectF(painter.fontMetrics().boundingRect(name)).adjusted(-6, -3, 6, 3)
            words.moveBottomRight(QPointF(rect.right() - _ASIDE, down - 4))  # captions are on the left
            if words.top() < rect.top():
                words.moveTop(down + 4)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(EDGE))
            painter.drawRoundedRect(words, 3, 3)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QColor(THEME.on_surround))
            painter.drawText(words, Qt.AlignmentFlag.AlignCenter, name)
