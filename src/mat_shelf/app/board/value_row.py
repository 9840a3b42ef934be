"""A value row: name, slider, number with unit. It shows one numeric field of the project."""

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSizePolicy, QWidget

from mat_shelf.app.board.binding import Binding
from mat_shelf.app.board.row_label import RowLabel
from mat_shelf.app.theme import THEME, font

NUMBER_WIDTH, ROW_HEIGHT = 84, 35


class Slider(QWidget):
    """A slim slider over a range, linear or logarithmic.

    Signals
    -------
    moved : float
        While dragging, and at each key press.
    released
        When a drag or key press is over.
    """

    moved = pyqtSignal(float)
    released = pyqtSignal()
    KNOB = 7

    def __init__(self, low: float, high: float, log: bool = False, default: float = 0.0):
        super().__init__()
        self._low, self._high, self._log, self._default = low, high, log, default
        self._value = low
        self._is_dragged = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(110, 26)

    def minimumSizeHint(self) -> QSize:
        return QSize(60, 26)

    def set_value(self, value: float) -> None:
        self._value = value
        self.update()

    def place(self) -> float:
        """Where the knob is, [0, 1]."""
        if self._log:
            value = math.log(max(self._value, self._low) / self._low) / math.log(self._high / self._low)
        else:
            value = (self._value - self._low) / (self._high - self._low)
        return min(max(value, 0.0), 1.0)

    def value_at(self, place: float) -> float:
        place = min(max(place, 0.0), 1.0)
        if self._log:
            return self._low * (self._high / self._low) ** place
        return self._low + (self._high - self._low) * place

    def knob_x(self) -> float:
        """Where the middle of the knob is, pixels."""
        return self.KNOB + self.place() * (self.width() - 2 * self.KNOB)

    def _move_to(self, place: float) -> None:
        self.set_value(self.value_at(place))
        self.moved.emit(self._value)

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._is_dragged = True
            self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event) -> None:
        if self._is_dragged:
            self._move_to((event.position().x() - self.KNOB) / max(self.width() - 2 * self.KNOB, 1))

    def mouseReleaseEvent(self, event) -> None:
        if self._is_dragged:
            self._is_dragged = False
            self.released.emit()

    def mouseDoubleClickEvent(self, event) -> None:
        self.set_value(self._default)
        self.moved.emit(self._default)
        self.released.emit()

    def keyPressEvent(self, event) -> None:
        fine = 0.001 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        step = {Qt.Key.Key_Left: -fine, Qt.Key.Key_Down: -fine, Qt.Key.Key_Right: fine, Qt.Key.Key_Up: fine}
        ends = {Qt.Key.Key_Home: 0.0, Qt.Key.Key_End: 1.0}
        if event.key() in step:
            self._move_to(self.place() + step[event.key()])
        elif event.key() in ends:
            self._move_to(ends[event.key()])
        else:
            super().keyPressEvent(event)
            return
        self.released.emit()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, x = self.height() / 2, self.knob_x()
        self.paint_track(painter, QRectF(self.KNOB, middle - 1.5, self.width() - 2 * self.KNOB, 3), x)
        painter.setPen(QPen(QColor(THEME.accent if self.hasFocus() else THEME.quiet), 2 if self.hasFocus() else 1.4))
        painter.setBrush(QColor(THEME.field))
        painter.drawEllipse(QPointF(x, middle), self.KNOB - 1.2, self.KNOB - 1.2)

    def paint_track(self, painter: QPainter, track: QRectF, knob_x: float) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(THEME.track))
        painter.drawRoundedRect(track, 1.5, 1.5)
        painter.setBrush(QColor(THEME.quiet))
        painter.drawRoundedRect(QRectF(track.left(), track.top(), knob_x - track.left(), 3), 1.5, 1.5)


class ValueRow(QWidget):
    """One numeric field of the project."""

    def __init__(self, binding: Binding):
        super().__init__()
        field, extra = binding.field, binding.field.json_schema_extra
        self.binding = binding
        low, high = extra["usual"]
        self.slider = Slider(low, high, extra["log"], field.default)
        self.slider.setAccessibleName(field.title)
        self.number = QLineEdit()
        self.number.setAccessibleName(f"{field.title}, number")
        self.number.setProperty("role", "number")
        self.number.setFont(font(13, tabular=True))
        self.number.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        unit = QLabel(extra["unit"])
        unit.setProperty("role", "quiet")
        unit_width = QFontMetrics(font(12)).horizontalAdvance(extra["unit"]) + 5 if extra["unit"] else 0
        unit.setFixedWidth(unit_width)
        self.number.setFixedWidth(NUMBER_WIDTH - unit_width)
        self.label = RowLabel(binding)
        self.setToolTip(f"{field.description}\nDouble-click the slider for {field.default:g}.")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.label)
        layout.addWidget(self.slider)
        numbers = QHBoxLayout()
        numbers.setSpacing(0)
        numbers.addWidget(self.number)
        numbers.addWidget(unit)
        layout.addLayout(numbers)
        self.setFixedHeight(ROW_HEIGHT)
        self.slider.moved.connect(self._moved)
        self.slider.released.connect(binding.end_gesture)
        self.number.editingFinished.connect(self._typed)

    def follow(self) -> None:
        """Shows the value that the project has now."""
        value = self.binding.value()
        self.setEnabled(value is not None)
        self.label.follow()
        if value is not None:
            self.slider.set_value(value)
            self.number.setText(_shown(value))
            self.number.setModified(False)

    def _moved(self, value: float) -> None:
        self.binding.set(round(value, 4), gesture="drag")

    def _typed(self) -> None:
        if not self.number.isModified():
            return
        text = self.number.text().replace(",", ".").strip()
        try:
            value = float(text)
        except ValueError:
            value = math.nan
        self.binding.set(value)
        self.follow()


def _shown(value: float) -> str:
    """Three figures or so, whatever the size."""
    digits = 2 if abs(value) < 10 else 1 if abs(value) < 100 else 0
    return f"{value:.{digits}f}"
