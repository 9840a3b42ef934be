"""Moving, turning and sizing a pattern by hand on the product."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QCursor

from mat_shelf.app.wall.tools.tool import Tool, has_control, has_shift, is_left
from mat_shelf.app.wall.viewport import Viewport
from mat_shelf.app.workshop import PatternWork
from mat_shelf.commands.patterns import PLACING
from mat_shelf.document.pattern import Placement
from mat_shelf.patterns.placement_edit import PlacementHit

_DEGREES_A_PIXEL = 0.5
_SIZE_A_NOTCH = 1.08


class PatternPlacement(Tool):
    """Drags and the wheel while the pattern on the strip is placed on the product.

    A drag carries the pattern along under the pointer; with Shift it rotates it; the wheel with Control sizes it.
    """

    makes_edits = True

    def __init__(self, viewport: Viewport, patterns: PatternWork):
        super().__init__(viewport)
        self._work = patterns
        self._start: tuple[QPointF, PlacementHit, Placement] | None = None
        patterns.opened.connect(self._follow)

    def _follow(self) -> None:
        if self._work.hand == PLACING:
            self.viewport.setCursor(QCursor(Qt.CursorShape.OpenHandCursor))
        elif not self._work.hand:
            self.viewport.unsetCursor()

    @property
    def _is_on(self) -> bool:
        return self._work.hand == PLACING and self._work.pattern is not None

    def key(self, event) -> bool:
        if self._work.pattern is None or event.modifiers():
            return False
        if event.key() not in (Qt.Key.Key_A, Qt.Key.Key_Escape):
            return False
        self.viewport.window().keyPressEvent(event)  # these are the strip's while it is open
        return True

    def press(self, event) -> bool:
        return self._is_on and is_left(event) and self._press(event.position())

    def move(self, event) -> bool:
        if not self._is_on or (event.buttons() and self._start is None):
            return False
        if self._start is not None:
            self._move(event.position(), has_shift(event))
        return True  # the pointer stays a hand

    def release(self, event) -> bool:
        if self._start is None:
            return False
        self._start = None
        self._work.end_gesture()
        return True

    def wheel(self, event) -> bool:
        if not self._is_on or not has_control(event):
            return False
        self._size(event.angleDelta().y() / 120)
        return True

    def _press(self, point: QPointF) -> bool:
        hit = self.picker.hit_at(point)
        wearers = {
            part.id for part in self.workshop.project.product.parts if self.workshop.selected_material.id in part.worn()
        }
        if hit is None or hit.part not in wearers:
            return False  # beside the pattern the camera moves as ever
        self._start = point, hit, self._work.pattern.placement
        return True

    def _move(self, point: QPointF, is_turning: bool) -> None:
        at, hit, before = self._start
        if is_turning:
            turn = (before.turn + (point.x() - at.x()) * _DEGREES_A_PIXEL + 180) % 360 - 180
            self._work.put_placement(before.with_(turn=round(turn, 2)), "by hand")
            return
        now = self.picker.hit_at(point)
        if now is not None and now.part == hit.part:
            self._work.place_by_hand(before, hit, now)

    def _size(self, notches: float) -> None:
        placement = self._work.pattern.placement
        low, high = Placement.limits("size")
        size = min(max(placement.size * _SIZE_A_NOTCH**notches, low), high)
        self._work.put_placement(placement.with_(size=float(f"{size:.4g}")), "by wheel")
