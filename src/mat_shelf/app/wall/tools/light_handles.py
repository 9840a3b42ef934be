"""Handles of the selected light in the picture: its size, its roll, where it stands and what it faces."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from mat_shelf.app.theme import EDGE, OUTLINE, THEME
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.document.light import Light
from mat_shelf.scene.light_table import axes_of
from mat_shelf.scene.lights import carried_round, light_outline

_GESTURE = "light handle"
_GRIP, _KNOB, _TARGET_RADIUS, _ROLL_OUT = 9, 4.5, 7.0, 26
"""Pixels."""
MOVE, ROLL, TARGET = "move", "roll", "target"
_CORNERS = {"corner": (-1, -1), "corner 2": (1, -1), "corner 3": (1, 1), "corner 4": (-1, 1)}
_SIDES = {"right": (1, 0), "left": (-1, 0), "top": (0, 1), "bottom": (0, -1)}


class LightHandles(Tool):
    """Squares to size the selected light, knobs to move and roll it, a ring on what it faces.

    Attributes
    ----------
    is_shown : bool
        Whether the Set station is open.
    """

    makes_edits = True

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_shown = False
        self._held: str | None = None
        self._at_press: Light | None = None
        self.workshop.light_changed.connect(viewport.update)

    def _standing(self) -> Light | None:
        """The selected light, as it stands in the world."""
        light = self.workshop.light
        return None if light is None else carried_round(light, self.workshop.project.set.turn)

    def handles(self) -> dict[str, QPointF]:
        """Places of the handles that are seen, by what dragging them does."""
        light = self._standing()
        if not self.is_shown or light is None or self.viewport.frame is None or self.viewport.aim_light.way:
            return {}
        found = {TARGET: self.picker.seen_place(light.target)}
        if light.kind != "distant":
            across, up, _ = axes_of(light)
            middle, half = np.array(light.position, np.float64), _half_size(light)
            places = {}
            if light.kind in ("rectangle", "disc"):
                places = {**_SIDES, **(_CORNERS if light.kind == "rectangle" else {})}
            elif light.kind == "tube":
                places = {name: _SIDES[name] for name in ("left", "right")}
            for name, (i, j) in places.items():
                found[name] = self.picker.seen_place(middle + i * half[0] * across + j * half[1] * up)
            found[MOVE] = self.picker.seen_place(middle)
            top = self.picker.seen_place(middle + half[1] * up)
            if light.kind != "spot" and top is not None and found[MOVE] is not None:
                way = top - found[MOVE]
                length = math.hypot(way.x(), way.y())
                out = way * (_ROLL_OUT / length) if length > 1 else QPointF(0, -_ROLL_OUT)
                found[ROLL] = top + out
        inside = self.viewport.picture_rect.toRectF()
        return {name: place for name, place in found.items() if place is not None and inside.contains(place)}

    def press(self, event) -> bool:
        if not is_left(event):
            return False
        near = [
            ((event.position() - place).manhattanLength(), name)
            for name, place in self.handles().items()
            if (event.position() - place).manhattanLength() <= _GRIP
        ]
        if not near:
            return False
        self._held, self._at_press = min(near)[1], self._standing()
        return True

    def move(self, event) -> bool:
        if self._held is None:
            return False
        light = self._at_press
        if self.workshop.light is None:
            return True
        if self._held == TARGET:
            place = self.picker.place_at(event.position())
            if place is not None:
                self.workshop.aim_light(place, _GESTURE)
            return True
        hit = self._on_plane(light, event.position())
        if hit is None:
            return True
        across, up, _ = axes_of(light)
        beside = hit - np.array(light.position)
        a, b = float(beside @ across), float(beside @ up)
        if self._held == MOVE:
            self.workshop.move_light(hit, _GESTURE)
        elif self._held == ROLL:
            roll = (light.roll + math.degrees(math.atan2(a, b)) + 180) % 360 - 180
            self.workshop.shape_light({"roll": round(roll)}, _GESTURE)
        else:
            self.workshop.shape_light(self._size(light, 2 * abs(a), 2 * abs(b)), _GESTURE)
        return True

    def _size(self, light: Light, width: float, height: float) -> dict[str, float]:
        """Values that a drag to such a width and height changes."""
        if light.kind == "tube":
            return {"length": width}
        if self._held in ("left", "right"):
            return {"width": width}
        if self._held in ("top", "bottom"):
            return {"height": height}
        return {"width": width, "height": height}

    def _on_plane(self, light: Light, point: QPointF) -> np.ndarray | None:
        """Place of a point of the widget in the plane of a light; of a spot, in one that faces the camera."""
        origin, way = self.picker.ray_at(point)
        middle = np.array(light.position, np.float64)
        normal = axes_of(light)[2] if light.kind != "spot" else self.picker.ray_at(self._middle_of_picture())[1]
        slope = float(way @ normal)
        if abs(slope) < 1e-3:
            return None
        t = float((middle - origin) @ normal) / slope
        return origin + way * t if t > 0 else None

    def _middle_of_picture(self) -> QPointF:
        return self.viewport.picture_rect.toRectF().center()

    def release(self, event) -> bool:
        was_held, self._held = self._held is not None, None
        if was_held:
            self.workshop.history.end_gesture()
            self.viewport.update()
        return was_held

    def paint(self, painter: QPainter) -> None:
        if not self.is_shown or self.viewport.frame is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(self.viewport.picture_rect)
        light = self._standing()
        if light is None:
            return
        outline = [self.picker.seen_place(place) for place in light_outline(light)]
        if None not in outline and light.kind != "distant":
            for color, width in ((EDGE, 3.0), (OUTLINE, 1.4)):
                pen = QPen(QColor(color), width)
                pen.setStyle(Qt.PenStyle.SolidLine if light.is_on else Qt.PenStyle.DashLine)
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolygon(QPolygonF(outline))
        handles = self.handles()
        target, middle = handles.get(TARGET), handles.get(MOVE)
        if target is not None and middle is not None:
            for color, width in ((EDGE, 2.4), (THEME.on_surround, 1.0)):
                painter.setPen(QPen(QColor(color), width))
                painter.drawLine(middle, target)
        for name, place in handles.items():
            self._draw(painter, name, place)

    def _draw(self, painter: QPainter, name: str, place: QPointF) -> None:
        """A ring on what it faces, round knobs to move and roll it, squares to size it."""
        is_held = name == self._held
        if name == TARGET:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for color, width in ((EDGE, 3.0), (OUTLINE if is_held else THEME.on_surround, 1.4)):
                painter.setPen(QPen(QColor(color), width))
                painter.drawEllipse(place, _TARGET_RADIUS, _TARGET_RADIUS)
            return
        painter.setPen(QPen(QColor(EDGE), 1.4))
        painter.setBrush(QColor(OUTLINE if is_held else THEME.on_surround))
        if name in (MOVE, ROLL):
            painter.drawEllipse(place, _KNOB + 0.5, _KNOB + 0.5)
        else:
            painter.drawRect(round(place.x() - _KNOB), round(place.y() - _KNOB), round(2 * _KNOB), round(2 * _KNOB))


def _half_size(light: Light) -> tuple[float, float]:
    """Half width and half height, mm."""
    if light.kind == "tube":
        return light.length / 2, light.diameter / 2
    if light.kind == "spot":
        return light.diameter / 2, light.diameter / 2
    return light.width / 2, light.height / 2
