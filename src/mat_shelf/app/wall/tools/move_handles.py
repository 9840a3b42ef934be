"""Handles that move and rotate the selected part in the Product station."""

import math
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from mat_shelf.app.theme import EDGE, OUTLINE, THEME, font
from mat_shelf.app.wall.caption import paint_caption
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.document.product import Part

AXES = "xyz"
MOVES = {name: np.eye(3)[k] for k, name in enumerate(AXES)}
ROTATIONS = {f"about {name}": np.eye(3)[k] for k, name in enumerate(AXES)}
"""Axes that the handles move along, and rotate about."""
_ARC = np.radians(np.linspace(20, 70, 9))
"""Where the arc of a rotation runs in the plane of the two other axes; its knob is in the middle."""
_GRIP = 12
"""Pixels around a knob that take it."""
_SHORTEST = 25.0
"""Pixels; a handle seen from its end is dragged as if it were as long."""
_STILL = 3
"""Pixels that a click may wander."""
_GESTURE = "handle"


class Handle(NamedTuple):
    """A handle, in pixels of the widget.

    Attributes
    ----------
    line : list of QPointF
        From the foot of the part to its knob; or the arc of a rotation.
    knob : QPointF
    way : QPointF
        Where a drag by as much goes for its reach in mm, or for one radian.
    """

    line: list[QPointF]
    knob: QPointF
    way: QPointF


class MoveHandles(Tool):
    """A knob to move along each axis, and one on an arc to rotate about it.

    Attributes
    ----------
    is_shown : bool
        Whether the Product station is open.
    """

    makes_edits = True

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_shown = False
        self._held: str | None = None
        self._way, self._start, self._reach_mm, self._by = QPointF(), QPointF(), 0.0, 0.0
        self._middle, self._has_moved = np.zeros(3), False

    def _foot(self) -> np.ndarray:
        low, high = self.work.bounds([self.workshop.selected_part]).astype(np.float64)
        return np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])

    def _reach(self, foot) -> float:
        """mm that make a handle a fifth of the picture's height."""
        return self.picker.pixel_width(foot) * self.viewport.picture_rect.height() / 5

    def _is_hidden(self, part: Part) -> bool:
        return part.is_hidden or part.id in self.workshop.project.view.hides

    def handles(self) -> dict[str, Handle]:
        """Handles of the selected part, as far as they are seen, by what dragging them does."""
        part = self.workshop.selected_part
        is_busy = bool(self.viewport.mode) or self.work.chosen is not None
        if not self.is_shown or is_busy or part is None or self._is_hidden(part) or self.viewport.frame is None:
            return {}
        foot = self._foot()
        reach, found = self._reach(foot), {}
        for name, axis in MOVES.items():
            ends = [self.picker.seen_place(place) for place in (foot, foot + axis * reach)]
            if None not in ends:
                found[name] = Handle(ends, ends[1], ends[1] - ends[0])
        for name, axis in ROTATIONS.items():
            one = np.roll(axis, 1)
            other = np.cross(axis, one)
            places = foot + reach * (np.cos(_ARC)[:, None] * one + np.sin(_ARC)[:, None] * other)
            middle = places[len(places) // 2]
            onwards = middle + np.cross(axis, middle - foot)
            *arc, end = (self.picker.seen_place(place) for place in (*places, onwards))
            if None not in (*arc, end):
                knob = arc[len(arc) // 2]
                found[name] = Handle(arc, knob, end - knob)
        return found

    def press(self, event) -> bool:
        if not is_left(event):
            return False
        for name, handle in self.handles().items():
            if (event.position() - handle.knob).manhattanLength() <= _GRIP:
                self._held, self._way, self._start, self._by = name, handle.way, event.position(), 0.0
                self._has_moved = False
                self._reach_mm = self._reach(self._foot())
                self._middle = self.work.bounds(self.work.picked()).mean(axis=0)
                return True
        return False

    def move(self, event) -> bool:
        if self._held is None:
            return False
        if self.workshop.selected_part is None:  # deselected meanwhile
            return True
        way, moved = self._way, event.position() - self._start
        self._has_moved = self._has_moved or moved.manhattanLength() >= _STILL
        if not self._has_moved:
            return True
        length = max(math.hypot(way.x(), way.y()), 1e-6)
        share = (moved.x() * way.x() + moved.y() * way.y()) / length / max(length, _SHORTEST)
        by = round(math.degrees(share)) if self._held in ROTATIONS else round(share * self._reach_mm, 3)
        further, self._by = by - self._by, by
        if further and self._held in ROTATIONS:
            self.work.turn(list(ROTATIONS).index(self._held), further, self._middle, _GESTURE)
        elif further:
            self.work.shift(self.work.picked(), MOVES[self._held] * further, gesture=_GESTURE)
        return True

    def release(self, event) -> bool:
        if self._held is None:
            return False
        self._held, self._by = None, 0.0
        self.workshop.history.end_gesture()
        self.viewport.update()
        if not self._has_moved:  # what lies under a knob is clicked through it
            self.viewport.pass_on("click", event)
        return True

    def paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(11))
        for name, handle in self.handles().items():
            shown, is_rotation = handle.knob, name in ROTATIONS
            if is_rotation and name == self._held:
                shown = shown + handle.way * math.radians(self._by)
            line = handle.line if is_rotation else [handle.line[0], shown]
            for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.4)):
                painter.setPen(QPen(QColor(color), thickness))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(line))
            for color, size in ((EDGE, 7.0), (THEME.on_surround, 5.5)):
                painter.setPen(QPen(QColor(color), 1.4))
                painter.setBrush(QColor(OUTLINE if name == self._held else EDGE))
                painter.drawEllipse(shown, size, size)
            if not is_rotation:
                self._letter(painter, handle, shown, name.upper())
            if name == self._held:
                words = f"{self._by:+.0f}°" if is_rotation else f"{self._by:+.2f} mm"
                place = QRect(int(shown.x()) - 50, int(shown.y()) - 42, 100, 40)
                paint_caption(painter, place, Qt.AlignmentFlag.AlignCenter, words)

    def _letter(self, painter: QPainter, handle: Handle, knob: QPointF, letter: str) -> None:
        """The axis' name beyond its knob, legible on anything."""
        length = max(math.hypot(handle.way.x(), handle.way.y()), 1.0)
        place = knob + handle.way * (16 / length)
        box = QRectF(place.x() - 9, place.y() - 9, 18, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(38, 38, 38, 170))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(THEME.on_surround))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, letter)
