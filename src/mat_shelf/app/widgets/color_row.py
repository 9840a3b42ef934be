"""A colour row: name, hexadecimal digits, and a bar whose click opens the popover."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from mat_shelf.app.theme import font
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.color_popover import ColorBar, ColorChips, ColorPopover
from mat_shelf.app.widgets.row_label import RowLabel
from mat_shelf.app.widgets.value_row import NUMBER_WIDTH, ROW_HEIGHT, STACKED_HEAD, lay_stacked
from mat_shelf.document.color import ProjectColor
from mat_shelf.optics.color import hex_from_linear, linear_from_hex


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
        may_link = binding.may_follow
        self.popover = ColorPopover(self, ColorChips(binding.workshop, binding.name) if may_link else None)
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
            linked = self._linked()
            self.bar.words = linked.name if linked is not None else ""
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
        linked = self._linked()
        if self.chip is not None and self.chip.feed is not None:
            self.chip.set_color(linear, gesture)
        elif linked is not None:
            self.binding.workshop.change_color(linked.id, linear, gesture)
        else:
            self.binding.set(linear, gesture)

    def _linked(self) -> ProjectColor | None:
        """The colour of the project that the input has."""
        return self.binding.workshop.linked_color(self.binding.name) if self.popover.chips is not None else None

    def _open(self) -> None:
        linear = self._color()
        if self.chip is not None and self.chip.gives_colors:
            self.chip.click()
            return
        if linear is None:
            return
        self.popover.set_color(linear)
        if self.popover.chips is not None:
            self.popover.chips.follow()
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
