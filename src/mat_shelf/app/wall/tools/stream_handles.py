"""A stream in the picture: a knob at its mouth and one where it lands, which are dragged."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from mat_shelf.app.theme import EDGE, OUTLINE, THEME
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.app.workshop import FillWork

_GESTURE = "stream"
_GRIP, _KNOB = 11, 5.0
"""Pixels."""
MOUTH, LANDING = "mouth", "landing"


class StreamHandles(Tool):
    """Knobs of the stream on the board.

    The mouth is dragged in an upright plane that faces the camera; where it lands, on the surface, and its mouth
    goes along.

    Attributes
    ----------
    is_shown : bool
        Whether the Fill station is open.
    """

    makes_edits = True

    def __init__(self, viewport, work: FillWork):
        super().__init__(viewport)
        self.fills, self.is_shown = work, False
        self._held = ""

    def places(self) -> dict[str, QPointF]:
        """Places of the knobs that are seen."""
        ends = self.fills.stream_ends if self.is_shown and self.viewport.frame is not None else None
        if ends is None:
            return {}
        inside = self.viewport.picture_rect.toRectF()
        found = {name: self.picker.seen_place(end) for name, end in zip((MOUTH, LANDING), ends, strict=True)}
        return {name: place for name, place in found.items() if place is not None and inside.contains(place)}

    def press(self, event) -> bool:
        if not is_left(event):
            return False
        away = [((event.position() - place).manhattanLength(), name) for name, place in self.places().items()]
        if not away or min(away)[0] > _GRIP:
            return False
        self._held = min(away)[1]
        return True

    def move(self, event) -> bool:
        if not self._held:
            return False
        ends = self.fills.stream_ends
        if ends is None:
            return True
        origin, way = self.picker.ray_at(event.position())
        at = ends[0] if self._held == MOUTH else ends[1]
        normal = self.fills.stream_up
        if self._held == MOUTH:
            normal = way - normal * float(way @ normal)
            normal /= max(float(np.linalg.norm(normal)), 1e-9)
        slope = float(way @ normal)
        if abs(slope) > 1e-3 and (t := float((at - origin) @ normal) / slope) > 0:
            move = self.fills.move_mouth if self._held == MOUTH else self.fills.move_landing
            move(origin + way * t, _GESTURE)
        return True

    def release(self, event) -> bool:
        was_held, self._held = bool(self._held), ""
        if was_held:
            self.workshop.history.end_gesture()
            self.viewport.update()
        return was_held

    def paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for name, place in self.places().items():
            shade = OUTLINE if name == self._held else THEME.on_surround
            for color, width in ((EDGE, 3.4), (shade, 1.6)):
                painter.setPen(QPen(QColor(color), width))
                if name == MOUTH:
                    painter.drawEllipse(place, _KNOB, _KNOB)
                else:
                    painter.drawLine(place - QPointF(2 * _KNOB, 0), place + QPointF(2 * _KNOB, 0))
                    painter.drawEllipse(place, 2 * _KNOB, 0.8 * _KNOB)
