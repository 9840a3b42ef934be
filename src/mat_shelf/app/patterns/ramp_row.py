"""A colour ramp that is set by its stops."""

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from mat_shelf.app.theme import THEME
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.color_popover import ColorPopover
from mat_shelf.optics.color import hex_from_linear

_NEAR = 8


class RampRow(QWidget):
    """Drag a stop; double-click it for its colour; click beside stops for another; right-click takes one out."""

    ROWS = 2

    def __init__(self, binding: Binding):
        super().__init__()
        self.binding = binding
        self.setMinimumWidth(240)
        self.setFixedHeight(64)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Colour ramp")
        self.setToolTip("Drag a stop. Double-click for its colour, click to add one, right-click to remove one.")
        self.chosen = 0
        self._is_held = False
        self.popover = ColorPopover(self)
        self.popover.changed.connect(self._colored)
        self.popover.settled.connect(binding.end_gesture)
        self.popover.pick_wanted.connect(self._pick)

    def follow(self) -> None:
        self.update()

    def _pick(self) -> None:
        """Waits for a colour that is clicked in the picture, for the chosen stop."""
        self.popover.hide()
        self.binding.workshop.color_wanted = lambda color: self._colored(tuple(round(c, 5) for c in color))

    @property
    def stops(self) -> list:
        return list(self.binding.value() or ())

    def _bar(self) -> QRectF:
        return QRectF(8, 10, self.width() - 16, 26)

    def _x(self, place: float) -> float:
        return self._bar().left() + place * self._bar().width()

    def _place(self, x: float) -> float:
        return round(min(max((x - self._bar().left()) / self._bar().width(), 0.0), 1.0), 4)

    def mousePressEvent(self, event) -> None:
        stops, x = self.stops, event.position().x()
        near = [k for k, (place, _) in enumerate(stops) if abs(self._x(place) - x) < _NEAR]
        if event.button() == Qt.MouseButton.RightButton:
            if near and len(stops) > 2:
                del stops[near[0]]
                self.chosen = 0
                self.binding.set(tuple(stops))
            return
        if not near:
            place = self._place(x)
            places = [p for p, _ in stops]
            color = tuple(round(float(np.interp(place, places, [c[k] for _, c in stops])), 5) for k in range(3))
            stops = sorted([*stops, (place, color)], key=lambda stop: stop[0])
            self.binding.set(tuple(stops), gesture="ramp")
            near = [next(k for k, stop in enumerate(stops) if stop == (place, color))]
        self.chosen, self._is_held = near[0], True
        self.update()

    def mouseMoveEvent(self, event) -> None:
        if not self._is_held:
            return
        stops = self.stops
        low = stops[self.chosen - 1][0] if self.chosen > 0 else 0.0
        high = stops[self.chosen + 1][0] if self.chosen < len(stops) - 1 else 1.0
        place = min(max(self._place(event.position().x()), low), high)
        stops[self.chosen] = (place, stops[self.chosen][1])
        self.binding.set(tuple(stops), gesture="ramp")

    def mouseReleaseEvent(self, event) -> None:
        self._is_held = False
        self.binding.end_gesture()

    def mouseDoubleClickEvent(self, event) -> None:
        self.open_color()

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.open_color()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self.chosen = (self.chosen + step) % len(self.stops)
            self.update()
        else:
            super().keyPressEvent(event)

    def open_color(self) -> None:
        """Opens the colour of the chosen stop."""
        self._is_held = False
        self.chosen = min(self.chosen, len(self.stops) - 1)
        self.popover.set_color(self.stops[self.chosen][1])
        self.popover.move(self.mapToGlobal(QPoint(0, -self.popover.height() - 6)))
        self.popover.show()

    def _colored(self, linear: tuple) -> None:
        stops = self.stops
        stops[self.chosen] = (stops[self.chosen][0], linear)
        self.binding.set(tuple(stops), gesture="Ramp colour")

    def paintEvent(self, event) -> None:
        stops = self.stops
        if not stops:
            return
        painter, bar = QPainter(self), self._bar()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        gradient = QLinearGradient(bar.topLeft(), bar.topRight())
        places = [place for place, _ in stops]
        for t in np.linspace(0, 1, 33):
            color = [float(np.interp(t, places, [c[k] for _, c in stops])) for k in range(3)]
            gradient.setColorAt(float(t), QColor(hex_from_linear(color)))
        painter.setPen(QPen(QColor(THEME.accent if self.hasFocus() else THEME.line), 1))
        painter.setBrush(gradient)
        painter.drawRoundedRect(bar, 4, 4)
        for k, (place, color) in enumerate(stops):
            painter.setPen(QPen(QColor(THEME.accent if k == self.chosen else THEME.quiet), 2))
            painter.setBrush(QColor(hex_from_linear(color)))
            painter.drawEllipse(QPointF(self._x(place), bar.bottom() + 10), 6, 6)
