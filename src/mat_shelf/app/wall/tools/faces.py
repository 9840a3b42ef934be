"""Selecting faces: regions by a click, and all that is seen inside a line drawn around them."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.tools.tool import Tool, has_control, has_shift, is_left
from mat_shelf.commands.faces import LASSO


class Faces(Tool):
    """Clicks and the lasso select faces; with Shift more, with Control fewer."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self._lasso: list[QPointF] = []

    def reset(self) -> None:
        """Forgets a line that is being drawn."""
        self._lasso = []

    def press(self, event) -> bool:
        if self.viewport.mode != "faces" or self.work.way != LASSO or not is_left(event):
            return False
        self._lasso = [event.position()]
        return True

    def move(self, event) -> bool:
        if self._lasso:
            self._lasso.append(event.position())
            self.viewport.update()
        return bool(self._lasso)

    def release(self, event) -> bool:
        if not self._lasso:
            return False
        line, self._lasso = self._lasso, []
        frame, rect = self.viewport.frame, self.viewport.picture_rect
        part_id = self.workshop.selected or self.picker.part_at(line[0])
        if part_id is None or len(line) < 3 or frame is None:
            self.workshop.said.emit("Select a part first, then draw around some of its faces.")
        else:
            polygon = np.array([((p.x() - rect.x()) / rect.width(), (p.y() - rect.y()) / rect.height()) for p in line])
            self.work.lasso(part_id, frame.first_hits, polygon, has_shift(event), has_control(event))
        self.viewport.update()
        return True

    def click(self, event) -> bool:
        if self.viewport.mode != "faces":
            return False
        part_id = self.picker.part_at(event.position())
        add, take = has_shift(event), has_control(event)
        if part_id is not None:
            self.workshop.select(part_id)
            face = self.viewport.frame.first_hits.face(*self.picker.pixel(event.position()))
            self.work.pick(part_id, face, add, take)
        elif not add and not take:
            self.work.choose(None)
        return True

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_Escape or self.work.chosen is None:
            return False
        self.work.choose(None)
        return True

    def paint(self, painter: QPainter) -> None:
        if len(self._lasso) < 2:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.4)):
            painter.setPen(QPen(QColor(color), thickness))
            painter.drawPolygon(QPolygonF(self._lasso))
