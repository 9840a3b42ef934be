"""Moving, turning and sizing a mark by hand on the product."""

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from mat_shelf.app.image_file import PICTURE_ENDINGS
from mat_shelf.app.theme import EDGE, OUTLINE, THEME, font
from mat_shelf.app.wall.caption import paint_caption
from mat_shelf.app.wall.tools.tool import LEAVE, Tool, is_left
from mat_shelf.app.wall.viewport import Viewport
from mat_shelf.app.workshop import MarkWork
from mat_shelf.document.mark import Mark
from mat_shelf.patterns.placement_edit import PlacementHit

_CORNERS = ("lower left", "lower right", "upper right", "upper left")
_TURN = "turn"
_GRIP = 9.0
"""Pixels round a handle that take it."""
_SMALL = 48
"""Pixels across under which a mark has no corners to take hold of."""
_NUDGES = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
NUDGE, LONG_NUDGE = 0.1, 1.0
"""mm."""


class MarkTool(Tool):
    """Takes the mouse and keys while the Marks station is open.

    A drag on a mark carries it along; its corners size it, the knob above it rotates it.

    Parameters
    ----------
    read_art : callable (Path, callable)
        Reads a file of artwork aside, and hands it on.
    """

    makes_edits = True

    def __init__(self, viewport: Viewport, marks: MarkWork, read_art: Callable[[Path, Callable], None]):
        super().__init__(viewport)
        self._work, self._read_art = marks, read_art
        self._held = ""
        self._before: Mark | None = None
        self._start: QPointF | None = None
        self._off = (0.0, 0.0, 0.0)
        self.is_active = False
        marks.opened.connect(viewport.update)

    @property
    def _is_on(self) -> bool:
        return self.is_active and self.viewport.frame is not None

    def press(self, event) -> bool:
        return self._is_on and is_left(event) and self._press(event.position())

    def move(self, event) -> bool:
        if not self._held:
            return False
        self._move(event.position())
        return True

    def release(self, event) -> bool:
        if not self._held:
            return False
        self._held = ""
        self.workshop.history.end_gesture()
        self.viewport.update()
        return True

    def key(self, event) -> bool:
        return self._is_on and self._key(event)

    def drag(self, event) -> bool:
        return self._is_on and event.type() != LEAVE and self._drop(event)

    def _key(self, event) -> bool:
        mark = self._work.mark
        if mark is None:
            return False
        if event.key() in _NUDGES:
            is_long = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            step = LONG_NUDGE if is_long else NUDGE
            self._work.nudge(*(step * x for x in _NUDGES[event.key()]))
        elif event.key() == Qt.Key.Key_Q:
            self._work.square_on()
        elif event.key() == Qt.Key.Key_Delete:
            self._work.remove(mark)
        elif event.key() == Qt.Key.Key_Escape:
            self._work.open(None)
        else:
            return False
        return True

    def _drop(self, event) -> bool:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        art = next((path for path in paths if path.suffix.lower() in PICTURE_ENDINGS), None)
        if art is None:
            return False
        if event.type() == QEvent.Type.DragEnter:
            event.acceptProposedAction()
            return True
        hit = self.picker.hit_at(event.position())
        if hit is None:
            event.ignore()
        else:
            event.acceptProposedAction()
            if event.type() == QEvent.Type.Drop:
                self._read_art(art, lambda picture: self._work.add("label", hit, picture))
        return True

    def _press(self, point: QPointF) -> bool:
        mark = self._work.mark
        handles = self.handles()
        for name, place in handles.items():
            if math.hypot(place.x() - point.x(), place.y() - point.y()) <= _GRIP:
                self._held, self._before, self._start = name, mark, point
                return True
        hit = self.picker.hit_at(point)
        under = self.mark_at(hit)
        if under is None:
            return False  # beside marks the camera moves and pieces are selected as ever
        self._work.open(under.id)
        middle = self._middle(under)
        self._off = tuple(float(x) for x in np.subtract(middle, hit.position))
        self._held, self._before, self._start = "carry", under, point
        return True

    def _move(self, point: QPointF) -> None:
        mark = self._before
        if self._held == "carry":
            if (point - self._start).manhattanLength() < 3:
                return
            middle = self.picker.seen_place(self._middle(mark))
            hit = self.picker.hit_at(point + (middle - self._start)) if middle is not None else None
            if hit is not None:
                self._work.carry(mark, hit)
            return
        middle = self.picker.seen_place(self._middle(mark))
        if middle is None:
            return
        before, now = self._start - middle, point - middle
        if self._held == _TURN:
            angle = math.degrees(math.atan2(-now.y(), now.x()) - math.atan2(-before.y(), before.x()))
            turn = round((mark.turn + angle + 180) % 360 - 180, 1)
            self._work.put("Rotate mark", mark.with_(turn=turn), "turn")
            return
        factor = math.hypot(now.x(), now.y()) / max(math.hypot(before.x(), before.y()), 1.0)
        factor = min(max(factor, 0.02), 50.0)
        low, high = Mark.limits("width")
        size = {name: round(min(max(getattr(mark, name) * factor, low), high), 2) for name in ("width", "height")}
        self._work.put("Size mark", mark.with_(**size), "size")

    def _middle(self, mark: Mark):
        return self._work.sheet(mark).middle_point()

    def mark_at(self, hit: PlacementHit | None) -> Mark | None:
        """The uppermost mark at a place."""
        if hit is None:
            return None
        for mark in reversed(self.workshop.project.marks):
            sheet = self._work.sheet(mark) if mark.part == hit.part and mark.is_on else None
            if sheet is None:
                continue
            cell = 1.5 * max(mark.width / sheet.lies.shape[1], mark.height / sheet.lies.shape[0])
            if (np.linalg.norm(sheet.points[sheet.lies] - np.float32(hit.position), axis=1) < cell).any():
                return mark
        return None

    def middle_of_selected(self) -> PlacementHit | None:
        part = self.workshop.selected_part
        if part is None or self.viewport.frame is None:
            return None
        parts = [p.id for p in self.workshop.project.product.parts]
        rows, columns = np.nonzero(self.viewport.frame.first_hits.part == parts.index(part.id))
        if not len(rows):
            return None
        k = int(((rows - rows.mean()) ** 2 + (columns - columns.mean()) ** 2).argmin())
        rect, shape = self.viewport.picture_rect, self.viewport.frame.first_hits.part.shape
        x, y = (columns[k] + 0.5) / shape[1] * rect.width(), (rows[k] + 0.5) / shape[0] * rect.height()
        return self.picker.hit_at(QPointF(rect.x() + x, rect.y() + y))

    def _outline(self, mark: Mark) -> list[QPointF]:
        sheet = self._work.sheet(mark)
        if sheet is None:
            return []
        p, lies = sheet.points, sheet.lies
        border = np.concatenate([p[0], p[1:, -1], p[-1, -2::-1], p[-2:0:-1, 0]])
        there = np.concatenate([lies[0], lies[1:, -1], lies[-1, -2::-1], lies[-2:0:-1, 0]])
        seen = [self.picker.seen_place(point) for point in border[there]]
        return [place for place in seen if place is not None]

    def handles(self) -> dict[str, QPointF]:
        """Places of the handles of the mark on the board, in the widget."""
        mark = self._work.mark
        sheet = self._work.sheet(mark) if mark is not None else None
        if sheet is None:
            return {}
        corners = {
            name: self.picker.seen_place(sheet.points[row, column])
            for name, (row, column) in zip(_CORNERS, ((0, 0), (0, -1), (-1, -1), (-1, 0)), strict=True)
            if sheet.lies[row, column]
        }
        seen = [place for place in corners.values() if place is not None]
        if len(seen) > 1 and max((place - seen[0]).manhattanLength() for place in seen) < _SMALL:
            corners = {}
        columns = sheet.lies.shape[1]
        if sheet.lies[-1, columns // 2]:
            top = self.picker.seen_place(sheet.points[-1, columns // 2])
            middle = self.picker.seen_place(self._middle(mark))
            if top is not None and middle is not None:
                way = top - middle
                length = max(math.hypot(way.x(), way.y()), 1.0)
                corners[_TURN] = top + way * (20 / length)
        return {name: place for name, place in corners.items() if place is not None}

    def paint(self, painter: QPainter) -> None:
        mark = self._work.mark
        if not self.is_active or mark is None:
            return
        outline = self._outline(mark)
        if not outline:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        handles = self.handles()
        for color, thickness in ((EDGE, 3.0), (OUTLINE, 1.6)):
            painter.setPen(QPen(QColor(color), thickness))
            painter.drawPolygon(QPolygonF(outline))
        for name, place in handles.items():
            painter.setPen(QPen(QColor(EDGE), 1.2))
            painter.setBrush(QColor(OUTLINE if name == self._held else THEME.on_surround))
            radius = 5.0 if name == _TURN else 4.0
            if name == _TURN:
                painter.drawEllipse(place, radius, radius)
            else:
                painter.drawRect(int(place.x() - radius), int(place.y() - radius), int(2 * radius), int(2 * radius))
        if self._held:
            painter.setFont(font(11))
            words = f"{mark.turn:+.1f}°" if self._held == _TURN else f"{mark.width:g} × {mark.height:g} mm"
            lowest = max(outline, key=lambda place: place.y())
            paint_caption(
                painter,
                QRect(int(lowest.x()) - 80, int(lowest.y()) + 2, 160, 40),
                Qt.AlignmentFlag.AlignCenter,
                words,
            )
