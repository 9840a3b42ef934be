"""Painting patterns by hand on the product."""

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QCursor, QPainter, QPen, QPixmap

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.tools.tool import Tool, has_control, is_left
from mat_shelf.app.wall.viewport import Viewport
from mat_shelf.app.workshop import PatternWork
from mat_shelf.commands.patterns import PAINTING
from mat_shelf.patterns.placement_edit import in_part
from mat_shelf.patterns.sources.painted import MOST_STROKE_POINTS, Painted, Stroke

_SPACING = 1 / 6
"""Widths of the brush between two points of a stroke."""
_LARGEST_CURSOR = 120


class BrushTool(Tool):
    """Takes the left button while a painted pattern is painted; with Control it erases."""

    def __init__(self, viewport: Viewport, patterns: PatternWork):
        super().__init__(viewport)
        self._work = patterns
        self._before: Painted | None = None
        self._stroke: Stroke | None = None
        self._shown: int | None = None
        patterns.opened.connect(self._follow)

    def _follow(self) -> None:
        self._shown = None  # the next move shows the pointer anew

    @property
    def _is_on(self) -> bool:
        return self._work.hand == PAINTING and self._work.painted is not None

    def press(self, event) -> bool:
        if not self._is_on or not is_left(event):
            return False
        self._press(event.position(), has_control(event))
        return True

    def move(self, event) -> bool:
        if not self._is_on:
            return False
        if not event.buttons():
            self._show_width(event.position())
            return True
        if self._stroke is not None:
            self._move(event.position())
        return self._stroke is not None

    def release(self, event) -> bool:
        if not self._is_on or not is_left(event):
            return False
        self._stroke = self._before = None
        self._work.end_gesture()
        return True

    def double_click(self, event) -> bool:
        return self._is_on

    def _press(self, point: QPointF, erases: bool) -> None:
        workshop = self.workshop
        hit = self.picker.hit_at(point)
        material = workshop.selected_material
        if hit is None or material.id not in workshop.project.part(hit.part).worn():
            workshop.said.emit(f"Paint on a part that wears {material.name}; its patterns lie on no other.")
            return
        brush = self._work.brush
        brush = brush.with_(erases=True) if erases else brush
        place, normal = self._in_part(hit)
        self._work.end_gesture()
        self._before = self._work.painted
        self._stroke = Stroke(part=hit.part, brush=brush, points=(place,), normals=(normal,))
        self._put()

    def _move(self, point: QPointF) -> None:
        hit = self.picker.hit_at(point)
        if hit is None or hit.part != self._stroke.part or len(self._stroke.points) >= MOST_STROKE_POINTS:
            return
        place, normal = self._in_part(hit)
        if math.dist(place, self._stroke.points[-1]) < self._stroke.brush.width * _SPACING:
            return
        self._stroke = self._stroke.with_(points=(*self._stroke.points, place), normals=(*self._stroke.normals, normal))
        self._put()

    def _in_part(self, hit):
        part = self.workshop.project.part(hit.part)
        return in_part(part, self.workshop.assets.meshes[part.mesh], hit)

    def _put(self) -> None:
        self._work.put_painted(lambda: self._before.with_stroke(self._stroke), "paint")

    def _show_width(self, point: QPointF) -> None:
        """Makes the pointer a ring as wide as the brush is there."""
        hit = self.picker.hit_at(point)
        wide = 0 if hit is None else round(self._work.brush.width / self.picker.pixel_width(hit.position))
        wide = min(max(wide, 4), _LARGEST_CURSOR)
        if self._shown == wide:
            return
        self._shown = wide
        picture = QPixmap(wide + 5, wide + 5)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.3)):
            painter.setPen(QPen(QColor(color), thickness))
            painter.drawEllipse(QPointF(wide / 2 + 2.5, wide / 2 + 2.5), wide / 2, wide / 2)
        painter.end()
        self.viewport.setCursor(QCursor(picture))
