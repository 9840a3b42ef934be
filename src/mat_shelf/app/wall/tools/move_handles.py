"""Handles that move and rotate the selected part in the Product station."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from mat_shelf.app.theme import EDGE, OUTLINE, THEME, font
from mat_shelf.app.wall.caption import paint_caption
from mat_shelf.app.wall.tools.tool import Tool, is_left

ROTATE = "rotate"
HANDLES = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1), ROTATE: (-0.7, 0, 0.7)}
"""What the handles do, and where their knobs stand from the foot of the part."""
_GRIP = 12
"""Pixels around a knob that take it."""
_DEGREES_A_PIXEL = 0.5


class MoveHandles(Tool):
    """A knob for each axis, and one that rotates about y.

    Attributes
    ----------
    is_shown : bool
        Whether the Product station is open.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_shown = False
        self._held: str | None = None
        self._start, self._by = QPointF(), 0.0

    def _foot(self) -> np.ndarray:
        low, high = self.work.bounds([self.workshop.selected_part]).astype(np.float64)
        return np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])

    def _reach(self, foot) -> float:
        """mm that make a handle a sixth of the picture's height."""
        return self.picker.pixel_width(foot) * self.viewport.picture_rect.height() / 6

    def handles(self) -> dict[str, tuple[QPointF, QPointF]]:
        """Lines from the foot of the selected part to the knobs, in the widget, by what dragging these does."""
        part = self.workshop.selected_part
        is_busy = bool(self.viewport.mode) or self.work.chosen is not None
        if not self.is_shown or is_busy or part is None or part.is_hidden or self.viewport.frame is None:
            return {}
        foot = self._foot()
        reach, found = self._reach(foot), {}
        for name, direction in HANDLES.items():
            ends = self.picker.seen_place(foot), self.picker.seen_place(foot + np.array(direction) * reach)
            if None not in ends:
                found[name] = ends
        return found

    def press(self, event) -> bool:
        if not is_left(event):
            return False
        for name, (_, knob) in self.handles().items():
            if (event.position() - knob).manhattanLength() <= _GRIP:
                self._held, self._start, self._by = name, event.position(), 0.0
                return True
        return False

    def move(self, event) -> bool:
        if self._held is None:
            return False
        ends = self.handles().get(self._held)
        if ends is not None:  # else the part was deselected meanwhile
            line, moved = ends[1] - ends[0], event.position() - self._start
            length = math.hypot(line.x(), line.y())
            share = (moved.x() * line.x() + moved.y() * line.y()) / max(length * length, 25.0)
            self._by = moved.x() * _DEGREES_A_PIXEL if self._held == ROTATE else share * self._reach(self._foot())
            self.viewport.update()
        return True

    def release(self, event) -> bool:
        if self._held is None:
            return False
        name, by = self._held, self._by
        self._held, self._by = None, 0.0
        if self.workshop.selected_part is not None:
            if name == ROTATE and abs(by) >= 0.5:
                self.work.turn(1, round(by))
            elif name != ROTATE and abs(by) > 1e-4:
                self.work.shift(self.work.picked(), np.array(HANDLES[name]) * round(by, 3))
            self.viewport.update()
        return True

    def paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(11))
        for name, (foot, knob) in self.handles().items():
            shown = knob
            if name == self._held and name != ROTATE:
                shown = knob + (knob - foot) * (self._by / self._reach(self._foot()))
            for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.4)):
                painter.setPen(QPen(QColor(color), thickness))
                if name != ROTATE:
                    painter.drawLine(foot, shown)
                painter.setBrush(QColor(OUTLINE if name == self._held else EDGE))
                painter.drawEllipse(shown, 5.5, 5.5)
            painter.setPen(QColor(THEME.on_surround))
            if name == ROTATE:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawArc(QRectF(shown.x() - 10, shown.y() - 10, 20, 20), 30 * 16, 240 * 16)
            if name == self._held:
                words = f"{self._by:+.0f}°" if name == ROTATE else f"{self._by:+.2f} mm"
                place = QRect(int(shown.x()) - 50, int(shown.y()) - 42, 100, 40)
                paint_caption(painter, place, Qt.AlignmentFlag.AlignCenter, words)
