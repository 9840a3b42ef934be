"""Moving, turning and sizing a pattern by hand on the product."""

from PyQt6.QtCore import QEvent, QObject, QPointF, Qt
from PyQt6.QtGui import QCursor

from mat_shelf.app.wall.viewport import Viewport
from mat_shelf.app.workshop import PatternWork
from mat_shelf.commands.patterns import PLACING
from mat_shelf.document.pattern import Placement
from mat_shelf.patterns.placement_edit import PlacementHit

_DEGREES_A_PIXEL = 0.5
_SIZE_A_NOTCH = 1.08


class PatternDrag(QObject):
    """Takes drags and the wheel from the viewport while the pattern on the strip is moved by hand.

    A drag carries the pattern along under the pointer; with Shift it turns it; the wheel with Control sizes it.
    """

    def __init__(self, viewport: Viewport, work: PatternWork):
        super().__init__(viewport)
        self._viewport, self._work = viewport, work
        self._start: tuple[QPointF, PlacementHit, Placement] | None = None
        viewport.installEventFilter(self)
        work.opened.connect(self._follow)

    def _follow(self) -> None:
        if self._work.hand == PLACING:
            self._viewport.setCursor(QCursor(Qt.CursorShape.OpenHandCursor))
        elif not self._work.hand:
            self._viewport.unsetCursor()

    def eventFilter(self, watched, event) -> bool:
        if event.type() == QEvent.Type.KeyPress and self._work.pattern is not None:
            if event.key() in (Qt.Key.Key_A, Qt.Key.Key_Escape) and not event.modifiers():
                self._viewport.window().keyPressEvent(event)  # these are the strip's while it is open
                event.accept()  # else it would go on to the window and count twice
                return True
            return False
        if self._work.hand != PLACING or self._work.pattern is None:
            return False
        kind = event.type()
        if kind == QEvent.Type.MouseButtonPress and event.button() == Qt.MouseButton.LeftButton:
            return self._press(event.position())
        if kind == QEvent.Type.MouseMove and self._start is not None:
            self._move(event.position(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            return True
        if kind == QEvent.Type.MouseButtonRelease and self._start is not None:
            self._start = None
            self._work.workshop.history.end_gesture()
            return True
        if kind == QEvent.Type.Wheel and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._size(event.angleDelta().y() / 120)
            return True
        return False

    def _press(self, point: QPointF) -> bool:
        hit = self._viewport.hit_at(point)
        wearers = {
            part.id
            for part in self._work.workshop.project.product.parts
            if self._work.workshop.selected_material.id in part.worn()
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
        now = self._viewport.hit_at(point)
        if now is not None and now.part == hit.part:
            self._work.place_by_hand(before, hit, now)

    def _size(self, notches: float) -> None:
        placement = self._work.pattern.placement
        low, high = Placement.limits("size")
        size = min(max(placement.size * _SIZE_A_NOTCH**notches, low), high)
        self._work.put_placement(placement.with_(size=float(f"{size:.4g}")), "by wheel")
