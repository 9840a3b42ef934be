"""The distance between two points of the product."""

import math

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.caption import paint_caption
from mat_shelf.app.wall.tools.tool import Tool


class Measure(Tool):
    """Two clicks measure, a third one starts again."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self.points: list[tuple[float, float, float]] = []

    def reset(self) -> None:
        """Forgets what was clicked."""
        self.points = []

    def click(self, event) -> bool:
        if self.viewport.mode != "measure":
            return False
        place = self.picker.place_at(event.position())
        if place is None:
            self.workshop.said.emit("Nothing to measure there; click a point of the product.")
            return True
        self.points = [place] if len(self.points) != 1 else [self.points[0], place]
        self.viewport.measured.emit(math.dist(*self.points) if len(self.points) == 2 else 0.0)
        self.viewport.update()
        return True

    def paint(self, painter: QPainter) -> None:
        seen = [place for point in self.points if (place := self.picker.seen_place(point)) is not None]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.4)):
            painter.setPen(QPen(QColor(color), thickness))
            for place in seen:
                painter.drawEllipse(place, 4, 4)
            if len(seen) == 2:
                painter.drawLine(*seen)
        if len(seen) == 2:
            middle = (seen[0] + seen[1]) / 2
            words = QRect(int(middle.x()) - 80, int(middle.y()) - 34, 160, 40)
            paint_caption(painter, words, Qt.AlignmentFlag.AlignCenter, f"{math.dist(*self.points):.2f} mm")
