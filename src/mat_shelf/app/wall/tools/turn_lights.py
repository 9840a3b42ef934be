"""All lights rotated by a drag in the picture."""

from PyQt6.QtCore import Qt

from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.app.widgets.binding import of_set

_DEGREES_A_PIXEL = 0.5
_UNDER_CAPTION = 28


class TurnLights(Tool):
    """While L is held, a drag rotates the lights of the set about the product."""

    makes_edits = True

    def __init__(self, viewport):
        super().__init__(viewport)
        self._is_held = False
        self._begun: tuple[float, float] | None = None

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_L or event.modifiers():
            return False
        self._is_held = True
        self.viewport.setCursor(Qt.CursorShape.SizeHorCursor)
        return True

    def key_release(self, event) -> bool:
        if event.key() != Qt.Key.Key_L or event.isAutoRepeat():
            return False
        self._is_held = False
        self.viewport.setCursor(Qt.CursorShape.ArrowCursor)
        return True

    def leave(self) -> None:
        self._is_held = False  # its letting go elsewhere is not told

    def press(self, event) -> bool:
        if not self._is_held or not is_left(event):
            return False
        self._begun = event.position().x(), self.workshop.project.set.turn
        return True

    def move(self, event) -> bool:
        if self._begun is None:
            return False
        start, turn = self._begun
        turn = turn + (event.position().x() - start) * _DEGREES_A_PIXEL
        of_set(self.workshop, "turn").set(round((turn + 180) % 360 - 180, 1), gesture="drag")
        return True

    def release(self, event) -> bool:
        was_turning, self._begun = self._begun is not None, None
        if was_turning:
            self.workshop.history.end_gesture()
        return was_turning

    def paint(self, painter) -> None:
        if self._begun is not None:
            under = self.viewport.picture_rect.adjusted(0, _UNDER_CAPTION, 0, 0)
            paint_caption(painter, under, TOP_LEFT, f"Lights rotated by {self.workshop.project.set.turn:.1f}°")
