"""The point of the close-up, and the ball for judging reflections."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.tools.tool import Tool, has_shift
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.scene.ball import Ball

BALL_SHARE = 0.07
"""Radius of the ball, in halves of the picture's height where it stands."""


class CloseUpPoint(Tool):
    """C moves the close-up to the point under the pointer; with Shift it puts a coloured ball there."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self._pointer: QPointF | None = None

    def move(self, event) -> bool:
        self._pointer = event.position()
        return False

    def leave(self) -> None:
        self._pointer = None

    def key(self, event) -> bool:
        if event.key() == Qt.Key.Key_C and not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            place = self._pointer or QRectF(self.viewport.picture_rect).center()
            (self.put_ball if has_shift(event) else self.put)(place)
            return True
        if event.key() != Qt.Key.Key_Delete or self.workshop.ball is None:
            return False
        self.workshop.stand_ball(None)
        return True

    def put(self, point: QPointF) -> None:
        """Moves the close-up to what is seen at a point of the widget."""
        place = self.picker.place_at(point)
        if place is not None:
            self.workshop.place_close_up(place)

    def put_ball(self, point: QPointF) -> None:
        """Puts the ball on the surface seen at a point of the widget."""
        place, pixel = self.picker.place_at(point), self.picker.pixel(point)
        if place is None:
            return
        first_hits = self.viewport.frame.first_hits
        normal = first_hits.facing(*pixel)
        if normal @ np.subtract(self.workshop.camera.position, place) < 0:
            normal = -normal
        view = make_camera_view(self.workshop.camera, *first_hits.depth.shape[::-1])
        reach = 1.0 if view.is_parallel else float(first_hits.depth[pixel])
        radius = BALL_SHARE * reach * float(view.half_height)
        self.workshop.stand_ball(Ball(place, tuple(float(x) for x in normal), round(radius, 3)))
        self.workshop.said.emit("A ball for judging reflections. It is in no render; Delete removes it.")

    def paint(self, painter: QPainter) -> None:
        point = self.workshop.close_up_point
        place = self.picker.seen_place(point) if point else None
        if place is None or not self.viewport.picture_rect.contains(place.toPoint()):
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, thickness in ((EDGE, 3.0), (THEME.on_surround, 1.5)):
            painter.setPen(QPen(QColor(color), thickness))
            painter.drawRoundedRect(QRectF(place.x() - 9, place.y() - 9, 18, 18), 3, 3)
