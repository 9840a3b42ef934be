"""Moving about: orbit, pan, zoom, frame a part, look from a side, return to the view."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.preferences.preferences import preferences
from mat_shelf.app.wall.tools.tool import Tool, has_shift, is_left
from mat_shelf.document.camera import Camera
from mat_shelf.rendering.camera import FRAME
from mat_shelf.rendering.navigation import dolly, orbit, pan, square_on

_SIDES = dict(zip(range(Qt.Key.Key_1, Qt.Key.Key_6), ("front", "right", "back", "left", "above"), strict=True))
_TURN_A_PIXEL = 0.008
"""Radians."""
_STILL = 3
"""Pixels that a hand moves the pointer by while it turns the wheel."""


class Navigate(Tool):
    """Drags and the wheel move a free camera; a press that was no drag is a click for the other tools."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self._pressed: QPointF | None = None
        self._last = QPointF()
        self._is_dragging = False
        self._pivot: tuple[float, float, float] | None = None
        self._zoomed: tuple[QPointF, tuple[float, float, float] | None, Camera | None] = QPointF(), None, None

    @property
    def is_busy(self) -> bool:
        """True while a button is held."""
        return self._pressed is not None

    def press(self, event) -> bool:
        if event.button() not in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            return False
        self._pressed = self._last = event.position()
        self._is_dragging = event.button() == Qt.MouseButton.MiddleButton
        self._pivot = self.picker.place_at(event.position()) if preferences().now.orbit_about == "pointer" else None
        return True

    def move(self, event) -> bool:
        if self._pressed is None:
            return False
        if not self._is_dragging:
            away = (event.position() - self._pressed).manhattanLength()
            self._is_dragging = away >= QApplication.startDragDistance()
        if self._is_dragging:
            step, self._last = event.position() - self._last, event.position()
            camera = self.workshop.camera
            chosen = preferences().now
            pans = has_shift(event) is (chosen.drag == "orbit") or event.buttons() & Qt.MouseButton.MiddleButton
            if pans:
                scale = FRAME[1] / camera.focal_length / max(self.viewport.height(), 1)
                self.workshop.explore(pan(camera, -step.x() * scale, step.y() * scale))
            else:
                turn = -step.x() * _TURN_A_PIXEL, step.y() * _TURN_A_PIXEL
                self.workshop.explore(orbit(camera, *turn, self._pivot))
        return True

    def release(self, event) -> bool:
        was_click = self._pressed is not None and not self._is_dragging
        self._pressed, self._is_dragging = None, False
        if was_click and is_left(event):
            self.viewport.pass_on("click", event)
        return True

    def double_click(self, event) -> bool:
        part = self.picker.part_at(event.position())
        if part is not None:
            self.viewport.frame_part(part)
        return True

    def wheel(self, event) -> bool:
        turns = event.angleDelta().y() / 120
        if turns:
            self.zoom(0.9 ** (turns if preferences().now.wheel == "in" else -turns), event.position())
        return True

    def zoom(self, factor: float, place: QPointF) -> None:
        """Multiplies the distance to what is seen at a point of the widget, or to the middle of the picture."""
        camera, to = self.workshop.camera, None
        if preferences().now.zoom_at == "pointer":
            # The point under the pointer stays there, so it is looked up once: the picture lags behind the camera.
            last_place, to, last_camera = self._zoomed
            if camera is not last_camera or (place - last_place).manhattanLength() > _STILL:
                last_place, to = place, self.picker.place_at(place)
            camera = dolly(camera, factor, to)
            self._zoomed = last_place, to, camera
        else:
            camera = dolly(camera, factor)
        self.workshop.explore(camera)

    def look_from(self, side: str) -> None:
        """Points the camera at the product from a side."""
        self.workshop.explore(square_on(self.workshop.camera, side))

    def key(self, event) -> bool:
        if event.key() in _SIDES:
            self.look_from(_SIDES[event.key()])
        elif event.key() == Qt.Key.Key_F and self.workshop.selected:
            self.viewport.frame_part(self.workshop.selected)
        elif event.key() == Qt.Key.Key_Home:
            self.workshop.explore(None)
        else:
            return False
        return True
