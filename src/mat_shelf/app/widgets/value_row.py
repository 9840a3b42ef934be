"""A value row: name, slider, number with unit, and the chip of what feeds it. It shows one numeric field."""

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPen
from PyQt6.QtWidgets import QAbstractSlider, QGridLayout, QHBoxLayout, QLineEdit, QSizePolicy, QWidget

from mat_shelf.app.theme import THEME, font
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.paced import HAND_MS
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.row_label import RowLabel
from mat_shelf.document.parameter import read_number, shown_number

STACKED_HEAD, CHIP_GAP = 19, 8
NUMBER_WIDTH, ROW_HEIGHT, STACKED_HEIGHT = 84, 35, 37
_NUMBER_WIDTH, _RANGE_WIDTH = 56, 84
_SLIDER_HEIGHT = STACKED_HEIGHT - STACKED_HEAD
STEPS = 1000


class Slider(QAbstractSlider):
    """A slim slider over a range, linear or logarithmic, with one knob, or two for a range of values.

    To assistive technology it is a slider of `STEPS` steps, which can be set from there too.

    Signals
    -------
    moved : float
        While dragging, at most every `HAND_MS`, and at each key press.
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
        self._other: float | None = None
        self._is_dragged = False
        self._drags_other = False
        self._is_following = self._is_untold = False
        self._pace = QTimer(self, singleShot=True, interval=HAND_MS)
        self._pace.timeout.connect(self._tell)
        self.setRange(0, STEPS)
        self.setOrientation(Qt.Orientation.Horizontal)
        self.valueChanged.connect(self._set_from_outside)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(110, _SLIDER_HEIGHT)

    def minimumSizeHint(self) -> QSize:
        return QSize(60, _SLIDER_HEIGHT)

    def set_value(self, value: float, other: float | None = None) -> None:
        """Shows one value, or the two ends of a range; not while a newer one of the hand is still to be told."""
        if not self._is_untold:
            self._show(value, other)

    def _show(self, value: float, other: float | None) -> None:
        if (value, other) == (self._value, self._other):
            return  # it is painted so already
        self._value, self._other = value, other
        self._is_following = True
        self.setValue(round(self.place() * STEPS))
        self._is_following = False
        self.update()

    def _set_from_outside(self, step: int) -> None:
        """Takes a value that assistive technology has set."""
        if not self._is_following:
            self._drags_other = False
            self._move_to(step / STEPS)
            self._let_go()

    def values(self) -> tuple[float, float]:
        """The two ends of a range."""
        return self._value, self._value if self._other is None else self._other

    def place(self) -> float:
        """Place of the knob, [0, 1]."""
        return self._place_of(self._value)

    def _place_of(self, value: float) -> float:
        if self._log:
            place = math.log(max(value, self._low) / self._low) / math.log(self._high / self._low)
        else:
            place = (value - self._low) / (self._high - self._low)
        return min(max(place, 0.0), 1.0)

    def value_at(self, place: float) -> float:
        place = min(max(place, 0.0), 1.0)
        if self._log:
            return self._low * (self._high / self._low) ** place
        return self._low + (self._high - self._low) * place

    def knob_x(self) -> float:
        """Middle of the knob, pixels."""
        return self._x_of(self._value)

    def _x_of(self, value: float) -> float:
        return self.KNOB + self._place_of(value) * (self.width() - 2 * self.KNOB)

    def _move_to(self, place: float) -> None:
        value = self.value_at(place)
        if self._drags_other and self._other is not None:
            self._show(self._value, value)
        else:
            self._show(value, self._other)
        self._is_untold = True
        if not self._pace.isActive():
            self._tell()

    def _tell(self) -> None:
        if self._is_untold:
            self._is_untold = False
            self._pace.start()
            self.moved.emit(self._other if self._drags_other and self._other is not None else self._value)

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._is_dragged = True
            x = event.position().x()
            if self._other is not None:
                first, second = self._x_of(self._value), self._x_of(self._other)
                self._drags_other = abs(x - second) < abs(x - first) or (first == second and x > first)
            self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event) -> None:
        if self._is_dragged:
            self._move_to((event.position().x() - self.KNOB) / max(self.width() - 2 * self.KNOB, 1))

    def mouseReleaseEvent(self, event) -> None:
        if self._is_dragged:
            self._is_dragged = False
            self._let_go()

    def _let_go(self) -> None:
        self._tell()
        self._pace.stop()
        self.released.emit()

    def mouseDoubleClickEvent(self, event) -> None:
        if self._other is not None:
            return
        self.set_value(self._default)
        self.moved.emit(self._default)
        self.released.emit()

    def wheelEvent(self, event) -> None:
        event.ignore()  # it scrolls what the slider lies in

    def keyPressEvent(self, event) -> None:
        fine = 0.001 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        step = {Qt.Key.Key_Left: -fine, Qt.Key.Key_Down: -fine, Qt.Key.Key_Right: fine, Qt.Key.Key_Up: fine}
        ends = {Qt.Key.Key_Home: 0.0, Qt.Key.Key_End: 1.0}
        if event.key() in step:
            at = self._other if self._drags_other and self._other is not None else self._value
            self._move_to(self._place_of(at) + step[event.key()])
        elif event.key() in ends:
            self._move_to(ends[event.key()])
        else:
            QWidget.keyPressEvent(self, event)  # a slider of the toolkit would take Page Up and Page Down
            return
        self._let_go()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, x = self.height() / 2, self.knob_x()
        self.paint_track(painter, QRectF(self.KNOB, middle - 1.5, self.width() - 2 * self.KNOB, 3), x)
        painter.setPen(QPen(QColor(THEME.accent if self.hasFocus() else THEME.quiet), 2 if self.hasFocus() else 1.4))
        painter.setBrush(QColor(THEME.field))
        painter.drawEllipse(QPointF(x, middle), self.KNOB - 1.2, self.KNOB - 1.2)
        if self._other is not None:
            painter.drawEllipse(QPointF(self._x_of(self._other), middle), self.KNOB - 1.2, self.KNOB - 1.2)

    def paint_track(self, painter: QPainter, track: QRectF, knob_x: float) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(THEME.track))
        painter.drawRoundedRect(track, 1.5, 1.5)
        is_range = self._other is not None
        start, end = sorted((knob_x, self._x_of(self._other))) if is_range else (track.left(), knob_x)
        painter.setBrush(QColor(THEME.accent if is_range else THEME.quiet))
        painter.drawRoundedRect(QRectF(start, track.top(), end - start, 3), 1.5, 1.5)


class ValueRow(QWidget):
    """One numeric field of the project.

    Parameters
    ----------
    chip : FeedChip, optional
        Of what feeds it, at the row's end. While a pattern does, slider and number show the range.
    is_stacked : bool
        Whether the slider lies under the name, for narrow cards.
    name : QWidget, optional
        Stands in the place of the field's own name.
    """

    def __init__(self, binding: Binding, chip=None, is_stacked: bool = False, name: QWidget | None = None):
        super().__init__()
        field, extra = binding.field, binding.field.json_schema_extra
        self.binding, self.chip = binding, chip
        low, high = extra["usual"]
        self.slider = Slider(low, high, extra["log"], field.default)
        self.slider.setAccessibleName(binding.label)
        self.number = QLineEdit()
        self.number.setAccessibleName(f"{binding.label}, number")
        self.number.setProperty("role", "number")
        self.number.setFont(font(13, tabular=True))
        self.number.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.unit = unit = PlainLabel(extra["unit"])
        unit.setProperty("role", "quiet")
        unit_width = QFontMetrics(font(12)).horizontalAdvance(extra["unit"]) + 5 if extra["unit"] else 0
        unit.setFixedWidth(unit_width)
        self._unit_width = unit_width if is_stacked else None
        self.label = RowLabel(binding, is_stacked)
        self.label.name.setBuddy(self.number)
        self.setToolTip(f"{field.description}\nDouble-click the slider for {shown_number(field, field.default)}.")
        numbers = QHBoxLayout()
        numbers.setSpacing(0)
        numbers.addWidget(self.number)
        numbers.addWidget(unit)
        if is_stacked:
            self.number.setMinimumWidth(50)
            self.number.setFixedHeight(STACKED_HEAD)
            lay_stacked(self, name or self.label, numbers, self.slider, chip)
        else:
            self.number.setFixedWidth(NUMBER_WIDTH - unit_width)
            layout = QHBoxLayout(self)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(6)
            layout.addWidget(name or self.label)
            layout.addWidget(self.slider)
            layout.addLayout(numbers)
            self.setFixedHeight(ROW_HEIGHT)
        self._followed: tuple | None = None
        self.slider.moved.connect(self._moved)
        self.slider.released.connect(binding.end_gesture)
        self.number.editingFinished.connect(self._typed)

    def follow(self) -> None:
        """Shows the value that the project has now."""
        value = self.binding.value()
        is_plain = self.chip is None and not self.binding.may_follow
        if is_plain and self._followed == (value,) and not self.number.isModified():
            return  # of a card's rows most stay the same while one is dragged
        self._followed = (value,)
        self.setEnabled(value is not None)
        self.label.follow()
        feed = self._feed()
        if self.chip is not None:
            self.number.setFixedWidth(_RANGE_WIDTH if feed is not None else _NUMBER_WIDTH)
        if feed is not None:
            self.slider.set_value(feed.low, feed.high)
            low, high = sorted((feed.low, feed.high))
            self.number.setText(f"{shown_number(self.binding.field, low)} – {shown_number(self.binding.field, high)}")
        elif value is not None:
            self.slider.set_value(value)
            has_word = value == 0 and bool(self.binding.field.json_schema_extra["zero"])
            is_plain = self._is_whole and not has_word
            self.number.setText(str(value) if is_plain else shown_number(self.binding.field, value))
            self.unit.setText("" if has_word else self.binding.field.json_schema_extra["unit"])
            if self._unit_width is not None:  # beside a slider it would change how long that is
                self.unit.setFixedWidth(0 if has_word else self._unit_width)
        else:  # of nothing, rather than of what was on the card before
            self.slider.set_value(self.slider.value_at(0.0))
            self.number.setText("")
        self.number.setModified(False)
        spoken = self._spoken(feed)
        if spoken != self.slider.accessibleName():  # each time it is set, who listens is told
            self.slider.setAccessibleName(spoken)

    def _spoken(self, feed) -> str:
        """Name and value as assistive technology says them."""
        words = [self.binding.label, f"{self.number.text()} {self.unit.text()}".strip()]
        if feed is not None:
            words.append(f"fed by {self.chip.pattern.name}")
        return ", ".join(words)

    @property
    def _is_whole(self) -> bool:
        return self.binding.field.annotation is int

    def _feed(self):
        """Feed of the field now; keeps the chip up to date."""
        if self.chip is None:
            return None
        self.chip.follow()
        return self.chip.feed

    def _moved(self, value: float) -> None:
        self._followed = None
        if self._feed() is not None:
            self.chip.set_range(*(round(v, 4) for v in self.slider.values()), gesture="drag")
        else:
            self.binding.set(round(value) if self._is_whole else round(value, 4), gesture="drag")
        self.follow()  # at once; its board follows a drag now and then

    def _typed(self) -> None:
        if not self.number.isModified():
            return
        words = self.number.text().replace(",", ".").replace("–", " ").split()
        values = [read_number(self.binding.field, word) for word in words]
        feed = self._feed()
        if feed is not None and len(values) in (1, 2):
            ends = (values[0], values[-1]) if feed.low <= feed.high else (values[-1], values[0])
            self.chip.set_range(*ends)
        elif self._is_whole and len(values) == 1 and values[0].is_integer():
            self.binding.set(int(values[0]))
        else:
            self.binding.set(values[0] if len(values) == 1 else math.nan)
        self.follow()


def lay_stacked(row: QWidget, label: QWidget, number, below: QWidget, chip: QWidget | None) -> None:
    """Lays a row out for a narrow card: name and number over what they are changed by, the chip at the end."""
    lines = QGridLayout(row)
    lines.setContentsMargins(0, 0, 0, 0)
    lines.setHorizontalSpacing(CHIP_GAP)
    lines.setVerticalSpacing(0)
    lines.setRowMinimumHeight(0, STACKED_HEAD)  # numbers and colours stand in one line with those of the next card
    lines.setRowStretch(1, 1)
    lines.setColumnStretch(0, 1)
    head = QHBoxLayout()
    head.setSpacing(2)
    head.addWidget(label, 1)
    if isinstance(number, QWidget):
        head.addWidget(number)
    else:
        head.addLayout(number)
    lines.addLayout(head, 0, 0)
    lines.addWidget(below, 1, 0, Qt.AlignmentFlag.AlignVCenter)
    if chip is not None:
        lines.addWidget(chip, 0, 1, 2, 1, Qt.AlignmentFlag.AlignVCenter)
    row.setFixedHeight(STACKED_HEIGHT)
