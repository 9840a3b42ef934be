"""A row for a field with a few possible values."""

from PyQt6.QtWidgets import QComboBox, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.row_label import RowLabel
from mat_shelf.app.widgets.value_row import lay_stacked

AXES = {"x": "X, left to right", "y": "Y, upwards", "z": "Z, towards the front"}


class ChoiceRow(QWidget):
    """A field with a few possible values."""

    def __init__(self, binding: Binding, choices: dict):
        super().__init__()
        self.binding = binding
        self.box = QComboBox()
        self.box.setAccessibleName(binding.label)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setMinimumContentsLength(6)
        self.box.setProperty("role", "row")
        for value, words in choices.items():
            self.box.addItem(words, value)
        self.setToolTip(binding.field.description)
        lay_stacked(self, RowLabel(binding, is_stacked=True), PlainLabel(), self.box, None)
        self.box.activated.connect(lambda: binding.set(self.box.currentData()))

    def follow(self) -> None:
        self.box.setCurrentIndex(self.box.findData(self.binding.value()))
