"""The level of a liquid in the picture: a line across the vessel that is dragged up and down."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from mat_shelf.app.theme import EDGE, OUTLINE, THEME, font
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.app.workshop import FillWork

_GESTURE = "level"
_GRIP, _BEYOND = 10, 1.12
"""Pixels; and how far the line goes on, of half the vessel's width."""


class LevelHandle(Tool):
    """A line at the level of the liquid on the board, with its volume at the right end.

    Attributes
    ----------
    is_shown : bool
        Whether the Fill station is open.
    """

    makes_edits = True

    def __init__(self, viewport, work: FillWork):
        super().__init__(viewport)
        self.fills, self.is_shown = work, False
        self._held: tuple[float, float] | None = None
        self._tag = QRectF()
        work.told.connect(viewport.update)

    def _ends(self, height: float) -> tuple[QPointF, QPointF] | None:
        """Places at which the line is seen at a height, mm, from its left to its right end."""
        section = self.fills.section
        if not self.is_shown or section is None or not section.vessel or self.viewport.frame is None:
            return None
        half = float(np.abs(np.concatenate(section.vessel)[:, 0]).max()) * _BEYOND
        middle = section.origin + section.up * height
        ends = [self.picker.seen_place(middle + side * half * section.across) for side in (-1, 1)]
        if None in ends:
            return None
        return tuple(sorted(ends, key=lambda end: end.x()))

    def line(self) -> tuple[QPointF, QPointF] | None:
        """Ends of the line, where it is shown."""
        now = self.fills.now
        return None if now is None else self._ends(now[0])

    def press(self, event) -> bool:
        ends = self.line()
        if not is_left(event) or ends is None:
            return False
        at = event.position()
        if not self._tag.contains(at) and _distance(at, *ends) > _GRIP:
            return False
        section, level = self.fills.section, self.fills.now[0]
        above = self._ends(level + 1.0)
        rise = above[1].y() - ends[1].y() if above is not None else 0.0
        if abs(rise) < 1e-3:
            return False  # seen from straight above
        self._held = level - section.bottom, rise
        self._from = at.y()
        return True

    def move(self, event) -> bool:
        if self._held is None:
            return False
        start, rise = self._held
        self.fills.set_level(start + (event.position().y() - self._from) / rise, _GESTURE)
        return True

    def release(self, event) -> bool:
        was_held, self._held = self._held is not None, None
        if was_held:
            self.workshop.history.end_gesture()
            self.viewport.update()
        return was_held

    def paint(self, painter: QPainter) -> None:
        now = self.fills.now if self.is_shown else None
        ends = None if now is None else self._ends(now[0])
        if ends is None:
            self._tag = QRectF()
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(self.viewport.picture_rect)
        shade = OUTLINE if self._held is not None else THEME.on_surround
        for color, width in ((EDGE, 3.4), (shade, 1.6)):
            painter.setPen(QPen(QColor(color), width))
            painter.drawLine(*ends)
        painter.setFont(font(12, tabular=True))
        words = f"{now[1]:.1f} ml"
        self._tag = QRectF(painter.fontMetrics().boundingRect(words)).adjusted(-8, -4, 8, 4)
        self._tag.moveCenter(ends[1] + QPointF(self._tag.width() / 2, 0))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(EDGE))
        painter.drawRoundedRect(self._tag, 4, 4)
        painter.setPen(QColor(shade if self._held is not None else THEME.on_surround))
        painter.drawText(self._tag, Qt.AlignmentFlag.AlignCenter, words)


def _distance(at: QPointF, start: QPointF, end: QPointF) -> float:
    """Distance of a point from a line between two others, pixels."""
    way, by = end - start, at - start
    length = math.hypot(way.x(), way.y())
    share = min(max((by.x() * way.x() + by.y() * way.y()) / max(length**2, 1e-9), 0.0), 1.0)
    return math.hypot(by.x() - share * way.x(), by.y() - share * way.y())
