"""A colour row, and the popover in which its colour is tuned by lightness, chroma and hue (CIELAB)."""

import math

import numpy as np
from PyQt6.QtCore import QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPainterPath, QPixmap
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from mat_shelf.app.theme import THEME, font
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.row_label import RowLabel
from mat_shelf.app.widgets.value_row import NUMBER_WIDTH, ROW_HEIGHT, STACKED_HEAD, Slider, lay_stacked
from mat_shelf.optics.color import (
    encode_srgb,
    hex_from_linear,
    lab_from_linear,
    linear_from_hex,
    linear_from_lab,
)

MOST_CHROMA = 120.0


class ColorBar(QPushButton):
    """A bar filled with a colour; a click opens the popover."""

    def __init__(self):
        super().__init__()
        self.color = QColor(0, 0, 0)
        self.pixmap: QPixmap | None = None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedHeight(20)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(THEME.accent if self.hasFocus() else THEME.track))
        painter.setBrush(self.color)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.drawRoundedRect(box, 4, 4)
        if self.pixmap is not None:
            shape = QPainterPath()
            shape.addRoundedRect(box, 4, 4)
            painter.setClipPath(shape)
            painter.drawTiledPixmap(self.rect(), self.pixmap)


class _GradientSlider(Slider):
    """A slider whose track shows what each place would give."""

    def __init__(self, low: float, high: float, color_at):
        super().__init__(low, high)
        self._color_at = color_at

    def paint_track(self, painter: QPainter, track: QRectF, knob_x: float) -> None:
        gradient = QLinearGradient(track.topLeft(), track.topRight())
        for stop in np.linspace(0, 1, 19):
            gradient.setColorAt(float(stop), self._color_at(self.value_at(float(stop))))
        painter.setPen(QColor(THEME.line))
        painter.setBrush(gradient)
        painter.drawRoundedRect(track.adjusted(-self.KNOB, -5.5, self.KNOB, 5.5), 5, 5)


class ColorPopover(QFrame):
    """Lightness, chroma and hue of one colour.

    Signals
    -------
    changed : tuple
        Linear Rec.709, while dragging.
    settled
        When a drag is over.
    pick_wanted
        The colour is to be clicked in the picture.
    """

    changed = pyqtSignal(tuple)
    settled = pyqtSignal()
    pick_wanted = pyqtSignal()

    def __init__(self, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setFixedSize(312, 178)
        self.lightness, self.chroma, self.hue = 50.0, 0.0, 0.0
        self.sliders = {
            "Lightness": _GradientSlider(0, 100, lambda v: self._shown(v, self.chroma, self.hue)),
            "Chroma": _GradientSlider(0, MOST_CHROMA, lambda v: self._shown(self.lightness, v, self.hue)),
            "Hue": _GradientSlider(0, 360, lambda v: self._shown(max(self.lightness, 40), max(self.chroma, 40), v)),
        }
        self._numbers = {}
        layout = QGridLayout(self)
        layout.setContentsMargins(16, 12, 16, 12)
        for row, (name, slider) in enumerate(self.sliders.items()):
            slider.setAccessibleName(name)
            number = QLabel()
            number.setFont(font(12, tabular=True))
            number.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            number.setFixedWidth(40)
            layout.addWidget(QLabel(name), row, 0)
            layout.addWidget(slider, row, 1)
            layout.addWidget(number, row, 2)
            self._numbers[name] = number
            slider.moved.connect(self._moved)
            slider.released.connect(self.settled)
        self.pick_button = QPushButton("Pick from the picture")
        self.pick_button.setProperty("role", "small")
        self.pick_button.setToolTip("Takes the colour that is clicked next in the render or the reference")
        self.pick_button.clicked.connect(self.pick_wanted)
        layout.addWidget(self.pick_button, 3, 1, 1, 2, Qt.AlignmentFlag.AlignRight)

    @staticmethod
    def _shown(lightness: float, chroma: float, hue: float) -> QColor:
        rgb = encode_srgb(_linear(lightness, chroma, hue))
        return QColor.fromRgbF(*(float(c) for c in rgb))

    def set_color(self, linear) -> None:
        lightness, a, b = (float(x) for x in lab_from_linear(linear))
        self.lightness, self.chroma = lightness, math.hypot(a, b)
        if self.chroma > 0.5:  # grey has no hue; keep the last one
            self.hue = math.degrees(math.atan2(b, a)) % 360
        self._show_values()

    def _show_values(self) -> None:
        for name, value in zip(self.sliders, (self.lightness, self.chroma, self.hue), strict=True):
            self.sliders[name].set_value(value)
            self._numbers[name].setText(f"{value:.1f}")

    def _moved(self) -> None:
        sender = self.sender()
        for name, slider in self.sliders.items():
            if slider is sender:
                setattr(self, name.lower(), slider.value_at(slider.place()))
        self._show_values()
        linear = np.clip(_linear(self.lightness, self.chroma, self.hue), 0, 1)
        self.changed.emit(tuple(round(float(c), 5) for c in linear))


def _linear(lightness: float, chroma: float, hue: float):
    angle = math.radians(hue)
    return linear_from_lab((lightness, chroma * math.cos(angle), chroma * math.sin(angle)))


class ColorRow(QWidget):
    """One colour of the project."""

    def __init__(self, binding: Binding, chip=None, is_stacked: bool = False):
        super().__init__()
        field = binding.field
        self.binding, self.chip = binding, chip
        self.bar = ColorBar()
        self.bar.setAccessibleName(binding.label)
        self.text = QLineEdit()
        self.text.setAccessibleName(f"{binding.label}, hexadecimal")
        self.text.setProperty("role", "number")
        self.text.setFont(font(13, tabular=True))
        self.text.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.text.setFixedWidth(NUMBER_WIDTH)
        self.label = RowLabel(binding, is_stacked)
        self.setToolTip(f"{field.description}\nClick the colour to set its lightness, chroma and hue.")
        if is_stacked:
            self.bar.setFixedHeight(14)
            self.text.setFixedSize(67, STACKED_HEAD)
            self.text.setTextMargins(-3, 0, 0, 0)  # seven digits just fit beside the longest name
            lay_stacked(self, self.label, self.text, self.bar, chip)
        else:
            layout = QHBoxLayout(self)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(6)
            layout.addWidget(self.label)
            layout.addWidget(self.bar, 1)
            layout.addWidget(self.text)
            self.setFixedHeight(ROW_HEIGHT)
        self.popover = ColorPopover(self)
        self.bar.clicked.connect(self._open)
        if chip is not None:
            chip.painted.connect(self.follow)
        self.popover.changed.connect(lambda linear: self._set(linear, gesture="drag"))
        self.popover.settled.connect(binding.end_gesture)
        self.popover.pick_wanted.connect(self._pick)
        self.text.editingFinished.connect(self._typed)

    def follow(self) -> None:
        """Shows the colour that the project has now."""
        linear = self._color()
        self.setEnabled(linear is not None)
        self.label.follow()
        if self.chip is not None:
            self.chip.follow()
            self.bar.pixmap = self.chip.picture()
            self.text.setEnabled(not self.chip.gives_colors)
        if linear is not None:
            self.bar.color = QColor(hex_from_linear(linear))
            self.bar.update()
            is_pattern = self.chip is not None and self.chip.gives_colors
            self.text.setText("pattern" if is_pattern else hex_from_linear(linear))
            self.text.setModified(False)

    def _color(self) -> tuple | None:
        """The colour now; while a grey pattern feeds it, that of the pattern's white."""
        feed = self.chip.feed if self.chip is not None else None
        return self.binding.value() if feed is None else feed.high

    def _set(self, linear: tuple, gesture: str | None = None) -> None:
        if self.chip is not None and self.chip.feed is not None:
            self.chip.set_color(linear, gesture)
        else:
            self.binding.set(linear, gesture)

    def _open(self) -> None:
        linear = self._color()
        if self.chip is not None and self.chip.gives_colors:
            self.chip.click()
            return
        if linear is None:
            return
        self.popover.set_color(linear)
        self.popover.move(self.bar.mapToGlobal(QPoint(0, -self.popover.height() - 6)))
        self.popover.show()
        self.popover.sliders["Lightness"].setFocus()

    def _pick(self) -> None:
        """Waits for a colour that is clicked in the picture."""
        self.popover.hide()
        self.binding.workshop.color_wanted = lambda color: self._set(tuple(round(c, 5) for c in color))

    def _typed(self) -> None:
        if not self.text.isModified():
            return
        try:
            self._set(linear_from_hex(self.text.text()))
        except ValueError as fault:
            self.binding.workshop.said.emit(f"{str(fault)[:1].upper()}{str(fault)[1:]}.")
        self.follow()
