"""The popover in which a colour is tuned by lightness, chroma and hue (CIELAB), picked, or taken from the project's."""

import math

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPainterPath, QPen, QPixmap
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QInputDialog, QMenu, QPushButton, QWidget

from mat_shelf.app.theme import EDGE, THEME, font
from mat_shelf.app.widgets.plain_label import PlainLabel, plain_text
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.widgets.value_row import Slider
from mat_shelf.app.workshop import Workshop
from mat_shelf.optics.color import (
    decode_srgb,
    encode_srgb,
    hex_from_linear,
    lab_from_linear,
    linear_from_lab,
    luminance,
)

MOST_CHROMA = 120.0
MOST_CHIPS, _CHIP = 6, 22


class ColorBar(QPushButton):
    """A bar filled with a colour; a click opens the popover."""

    def __init__(self):
        super().__init__()
        self.color = QColor(0, 0, 0)
        self.pixmap: QPixmap | None = None
        self.words, self.is_chosen = "", False
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedHeight(20)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        is_lit = self.hasFocus() or self.is_chosen
        painter.setPen(QPen(QColor(THEME.accent if is_lit else THEME.track), 2 if self.is_chosen else 1))
        painter.setBrush(self.color)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.drawRoundedRect(box, 4, 4)
        if self.pixmap is not None:
            shape = QPainterPath()
            shape.addRoundedRect(box, 4, 4)
            painter.setClipPath(shape)
            painter.drawTiledPixmap(self.rect(), self.pixmap)
        elif self.words:
            painter.setFont(font(10))
            is_light = luminance(decode_srgb(self.color.getRgbF()[:3])) > 0.18
            painter.setPen(QColor(EDGE if is_light else "#FFFFFF"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.words)


class _GradientSlider(Slider):
    """A slider whose track shows what each place would give."""

    def __init__(self, low: float, high: float, color_at):
        super().__init__(low, high)
        self._color_at = color_at

    def set_value(self, value: float, other: float | None = None) -> None:
        super().set_value(value, other)
        self.update()  # the other values of the colour are others, and so is the track

    def paint_track(self, painter: QPainter, track: QRectF, knob_x: float) -> None:
        gradient = QLinearGradient(track.topLeft(), track.topRight())
        for stop in np.linspace(0, 1, 19):
            gradient.setColorAt(float(stop), self._color_at(self.value_at(float(stop))))
        painter.setPen(QColor(THEME.line))
        painter.setBrush(gradient)
        painter.drawRoundedRect(track.adjusted(-self.KNOB, -5.5, self.KNOB, 5.5), 5, 5)


class ColorChips(QWidget):
    """Colours of the project: a click gives one to the input, plus makes the input's colour one of them."""

    def __init__(self, workshop: Workshop, name: str):
        super().__init__()
        self.workshop, self.name = workshop, name
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(5)

    def follow(self) -> None:
        """Shows the colours that the project has now."""
        while self._row.count():
            item = self._row.takeAt(0)
            if item.widget() is not None:
                item.widget().hide()  # it is deleted only when the present event is over
                item.widget().deleteLater()
        linked = self.workshop.linked_color(self.name)
        for color in self.workshop.project.colors[:MOST_CHIPS]:
            chip = ColorBar()
            chip.setFixedSize(_CHIP, _CHIP)
            chip.color = QColor(hex_from_linear(color.value))
            chip.is_chosen = linked is not None and linked.id == color.id
            chip.setAccessibleName(f"Colour of the project {color.name}")
            chip.setToolTip(plain_text(f"{color.name}\nClick to use it here. Right-click to rename or remove it."))
            chip.clicked.connect(lambda _, color=color: self._link(color.id))
            chip.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            chip.customContextMenuRequested.connect(
                lambda at, c=color, w=chip: self.menu(c.id).popup(w.mapToGlobal(at))
            )
            self._row.addWidget(chip)
        self.add_button = small_button("+", "Makes this colour one of the project, for other materials too", self._name)
        self.add_button.setAccessibleName("Make it a colour of the project")
        self.add_button.setFixedSize(_CHIP + 4, _CHIP)
        self.unlink_button = small_button("Unlink", "Keeps the colour here, apart from the project's", self._unlink)
        self.unlink_button.setVisible(linked is not None)
        for button in (self.add_button, self.unlink_button):
            self._row.addWidget(button)
        self._row.addStretch(1)

    def _link(self, color_id: str) -> None:
        self.workshop.link_color(self.name, color_id)
        self.follow()

    def _unlink(self) -> None:
        self.workshop.unlink_color(self.name)
        self.follow()

    def _name(self) -> None:
        self.workshop.name_color(self.name)
        self.follow()
        self._rename(self.workshop.project.colors[-1].id)

    def _rename(self, color_id: str) -> None:
        color = self.workshop.project.color(color_id)
        name, is_given = QInputDialog.getText(self, "Colour of the project", "Name", text=color.name)
        if is_given:
            self.workshop.rename_color(color_id, name)
            self.follow()

    def _remove(self, color_id: str) -> None:
        self.workshop.remove_color(color_id)
        self.follow()

    def menu(self, color_id: str) -> QMenu:
        """Commands for a colour."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Rename…").triggered.connect(lambda: self._rename(color_id))
        menu.addAction("Remove").triggered.connect(lambda: self._remove(color_id))
        return menu


class ColorPopover(QFrame):
    """Lightness, chroma and hue of one colour.

    Parameters
    ----------
    chips : QWidget, optional
        Colours to choose from.

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

    def __init__(self, parent: QWidget, chips: ColorChips | None = None):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.chips = chips
        self.setFixedSize(312, 172 if chips is None else 204)
        self.lightness, self.chroma, self.hue = 50.0, 0.0, 0.0
        self.sliders = {
            "Lightness": _GradientSlider(0, 100, lambda v: self._shown(v, self.chroma, self.hue)),
            "Chroma": _GradientSlider(0, MOST_CHROMA, lambda v: self._shown(self.lightness, v, self.hue)),
            "Hue": _GradientSlider(0, 360, lambda v: self._shown(max(self.lightness, 40), max(self.chroma, 40), v)),
        }
        self._numbers = {}
        layout = QGridLayout(self)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setVerticalSpacing(8)
        for row, (name, slider) in enumerate(self.sliders.items()):
            slider.setAccessibleName(name)
            number = PlainLabel()
            number.setFont(font(12, tabular=True))
            number.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            number.setFixedWidth(40)
            layout.addWidget(PlainLabel(name), row, 0)
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
        if chips is not None:
            layout.addWidget(PlainLabel("Project"), 4, 0)
            layout.addWidget(chips, 4, 1, 1, 2)

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
