"""Lights aimed by pointing at the product."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from mat_shelf.app.set.light_card import AIM, HIGHLIGHT, SHADOW, WAYS
from mat_shelf.app.theme import EDGE, OUTLINE, THEME
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.scene.lights import carried_round, light_outline

_GESTURE = "aim"
_UNDER_CAPTION = 28
_STEP = 1.1
"""Factor of the distance for a click of the wheel."""


class AimLight(Tool):
    """A click or a drag on the product places the selected light's highlight, or lets the light face it.

    Attributes
    ----------
    way : str
        A key of `WAYS`; empty where clicks do what they always do.
    is_shown : bool
        Whether the Set station is open, and lights that stand in the picture are drawn.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.way, self.is_shown, self._is_held, self._caster = "", False, False, None
        self.workshop.light_changed.connect(viewport.update)

    def want(self, way: str) -> None:
        """Waits for clicks, or no longer."""
        self.way, self._is_held = way, False
        self.viewport.setCursor(Qt.CursorShape.CrossCursor if way else Qt.CursorShape.ArrowCursor)
        self.viewport.update()

    def press(self, event) -> bool:
        if not self.way or not is_left(event):
            return False
        self._is_held, self._caster = True, self.picker.place_at(event.position())
        self._put(event.position())
        return True

    def move(self, event) -> bool:
        if self._is_held:
            self._put(event.position())
        return self._is_held

    def release(self, event) -> bool:
        was_held, self._is_held = self._is_held, False
        if was_held:
            self.workshop.history.end_gesture()
        return was_held

    def wheel(self, event) -> bool:
        light = self.workshop.light
        if not self.way or light is None or not event.angleDelta().y():
            return False
        distance = float(np.linalg.norm(np.subtract(light.position, light.target)))
        self.workshop.put_light_away(distance * _STEP ** (event.angleDelta().y() / 120), "distance")
        return True

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_Escape or not self.way:
            return False
        self.viewport.aimed.emit()
        return True

    def _put(self, point: QPointF) -> None:
        place, pixel = self.picker.place_at(point), self.picker.pixel(point)
        if place is None or pixel is None:
            if not self.workshop.history.is_in_gesture:
                self.workshop.said.emit("Nothing is there; click the product or the backdrop.")
            return
        if self.way == HIGHLIGHT:
            normal = self.viewport.frame.first_hits.shading_normal(*pixel, place)
            self.workshop.put_highlight(place, normal, self.workshop.camera.position, _GESTURE)
        elif self.way == AIM:
            self.workshop.aim_light(place, _GESTURE)
        elif self.way == SHADOW and self._caster is not None:
            self.workshop.put_shadow(self._caster, place, _GESTURE)

    def paint(self, painter: QPainter) -> None:
        if not self.is_shown or self.viewport.frame is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(self.viewport.picture_rect)
        turn = self.workshop.project.set.turn
        for place, box in enumerate(self.workshop.project.set.lights):
            stands, is_selected = carried_round(box, turn), place == self.workshop.light_place
            corners = [self.picker.seen_place(corner) for corner in light_outline(stands)]
            if None in corners or box.kind == "distant" or not self.way:
                continue
            self._draw(painter, corners, is_selected, box.is_on)
        light = self.workshop.light
        if self.way and light is not None:
            target = self.picker.seen_place(carried_round(light, turn).target)
            if target is not None:
                for color, width in ((EDGE, 3.0), (THEME.on_surround, 1.4)):
                    painter.setPen(QPen(QColor(color), width))
                    painter.drawEllipse(target, 7.0, 7.0)
            away = float(np.linalg.norm(np.subtract(light.position, light.target)))
            under = self.viewport.picture_rect.adjusted(0, _UNDER_CAPTION, 0, 0)
            words = [f"{light.name}: {WAYS[self.way][0].lower()}", f"{away:.0f} mm away"]
            if self._is_hidden(carried_round(light, turn).position):
                words.append("behind the backdrop, which takes its light away")
            paint_caption(painter, under, TOP_LEFT, "  ·  ".join([*words, "Esc ends"]))

    def _is_hidden(self, position) -> bool:
        """True for a light that stands beneath the floor or behind the wall of the backdrop."""
        backdrop = self.workshop.project.set.backdrop
        return backdrop is not None and (position[1] < 0 or position[2] < -backdrop.depth)

    @staticmethod
    def _draw(painter: QPainter, corners: list[QPointF], is_selected: bool, is_on: bool) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, width in ((EDGE, 3.0), (OUTLINE if is_selected else THEME.on_surround, 1.4)):
            pen = QPen(QColor(color), width)
            if not is_on:
                pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF(corners))
