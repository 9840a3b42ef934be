"""Thickness of a sheet, or of layers and how many there are."""

from collections.abc import Callable

from PyQt6.QtWidgets import (
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.geometry.offsetting import MOST_LAYERS


class ThicknessDialog(QDialog):
    """Asks for a thickness, and with `counts` for a number of layers too.

    Parameters
    ----------
    make : callable (float, int)
        Takes both.
    """

    def __init__(self, title: str, words: str, make: Callable[[float, int], None], counts: bool, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(320)
        self._make = make
        about = PlainLabel(words)
        about.setProperty("role", "quiet")
        about.setWordWrap(True)
        self.thickness = QDoubleSpinBox(minimum=0.001, maximum=1000.0, value=1.0, decimals=3, suffix=" mm")
        self.count = QSpinBox(minimum=1, maximum=MOST_LAYERS, value=3)
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(10)
        rows = [("Thickness", self.thickness)] + ([("Layers", self.count)] if counts else [])
        for text, box in rows:
            box.setButtonSymbols(box.ButtonSymbols.NoButtons)
            box.setAccessibleName(text)
            form.addRow(text, box)
        self.confirm, buttons = answers(self, self._confirm)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addWidget(about)
        layout.addLayout(form)
        layout.addLayout(buttons)

    def _confirm(self) -> None:
        self.accept()
        self._make(self.thickness.value(), self.count.value())
