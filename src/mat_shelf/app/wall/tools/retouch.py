"""Retouching in the picture: spots healed by a click, areas painted by hand."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from mat_shelf.app.theme import EDGE, OUTLINE, THEME
from mat_shelf.app.wall.caption import TOP_RIGHT, paint_caption
from mat_shelf.app.wall.tools.tool import Tool, has_control, is_left
from mat_shelf.app.wall.viewport import Viewport
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.commands.retouching import HEAL, PAINT
from mat_shelf.document.retouch import MOST_POINTS, AreaStroke
from mat_shelf.rendering.region import film_size
from mat_shelf.rendering.retouching import area_mask

_SPACING = 1 / 6
"""Widths of the brush between two points of a stroke."""
_SHOWN_ACROSS = 480
"""Pixels across in which the painted area is shown."""
_TINT = 110
_GESTURE = "retouch"


class Retouch(Tool):
    """Takes the left button while spots are healed or an area is painted; with Control it takes away again."""

    def __init__(self, viewport: Viewport, work: HandOverWork):
        super().__init__(viewport)
        self._work = work
        self._stroke: AreaStroke | None = None
        self._pointer: QPointF | None = None
        self._tint: tuple = (None, None, QImage())
        work.changed.connect(viewport.update)

    @property
    def _hand(self) -> str:
        """Work of the hand; nothing through a free camera, whose picture is no view's."""
        return self._work.hand if self.workshop.free_camera is None else ""

    def press(self, event) -> bool:
        if not self._hand or not is_left(event):
            return False
        place = self._film_place(event.position())
        if self._hand == HEAL:
            self._heal(place, has_control(event))
        elif self._work.area is None:
            self.workshop.said.emit("Choose the painted area of this view first, or add one.")
        else:
            self._stroke = AreaStroke(points=(place,), brush=self._work.brush, erases=has_control(event))
            self._work.paint(self._stroke, False, _GESTURE)
        return True

    def move(self, event) -> bool:
        if not self._hand:
            return False
        self._pointer = event.position()
        self.viewport.setCursor(Qt.CursorShape.CrossCursor)
        if self._stroke is not None and len(self._stroke.points) < MOST_POINTS:
            place = self._film_place(event.position())
            if math.dist(place, self._stroke.points[-1]) >= self._work.brush.width * _SPACING:
                self._stroke = self._stroke.with_(points=(*self._stroke.points, place))
                self._work.paint(self._stroke, True, _GESTURE)
        self.viewport.update()
        return not event.buttons() or self._stroke is not None

    def release(self, event) -> bool:
        if not self._hand or not is_left(event):
            return False
        if self._stroke is not None:
            self._stroke = None
            self.workshop.history.end_gesture()
        return True

    def double_click(self, event) -> bool:
        return bool(self._hand)

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_Escape or not self._work.hand:
            return False
        self._work.take("")
        return True

    def leave(self) -> None:
        self._pointer = None
        self.viewport.update()

    def _heal(self, place: tuple[float, float], takes_away: bool) -> None:
        under = [spot for spot in self._work.spots if math.dist(spot.place, place) <= spot.radius]
        if not takes_away:
            self._work.heal(place)
        elif under:
            self._work.leave_spot(under[-1])
        else:
            self.workshop.said.emit("No healed spot is there; Ctrl+click one to see it as it was.")

    def _mm(self) -> float:
        """Width on the film of a pixel of the widget, mm."""
        rect = self.viewport.picture_rect
        return film_size(rect.width(), rect.height())[0] / rect.width()

    def _film_place(self, point: QPointF) -> tuple[float, float]:
        away = (point - QRectF(self.viewport.picture_rect).center()) * self._mm()
        return round(away.x(), 4), round(away.y(), 4)

    def paint(self, painter: QPainter) -> None:
        if not self._hand:
            return
        rect, mm = QRectF(self.viewport.picture_rect), self._mm()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._hand == PAINT and self._work.area is not None:
            painter.drawImage(rect, self._tinted())
        rings = (
            [(spot.place, spot.radius, THEME.on_surround) for spot in self._work.spots] if self._hand == HEAL else []
        )
        if self._pointer is not None:
            rings.append((self._film_place(self._pointer), self._work.brush.width / 2, OUTLINE))
        for place, radius, color in rings:
            middle = rect.center() + QPointF(*place) / mm
            for line, thickness in ((EDGE, 3.0), (color, 1.3)):
                painter.setPen(QPen(QColor(line), thickness))
                painter.drawEllipse(middle, radius / mm, radius / mm)
        words = "Click heals, Ctrl+click leaves it" if self._hand == HEAL else "Drag paints, Ctrl+drag erases"
        paint_caption(painter, self.viewport.picture_rect, TOP_RIGHT, f"{words}, Escape ends")

    def _tinted(self) -> QImage:
        """The painted area as a veil of colour."""
        rect, area = self.viewport.picture_rect, self._work.area
        shape = _SHOWN_ACROSS, max(round(_SHOWN_ACROSS * rect.height() / rect.width()), 1)
        if self._tint[:2] != (area, shape):
            color = QColor(OUTLINE)
            pixels = np.empty((shape[1], shape[0], 4), np.uint8)
            pixels[..., :3] = color.red(), color.green(), color.blue()
            pixels[..., 3] = area_mask(area, *shape) * _TINT
            image = QImage(pixels.data, *shape, 4 * shape[0], QImage.Format.Format_RGBA8888).copy()
            self._tint = area, shape, image
        return self._tint[2]
