"""Lights of the set: a list with switches, and the values of the selected one."""

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.widgets.value_row import ValueRow
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.document.set import Softbox

HIGHLIGHT, AIM = "highlight", "aim"
WAYS = {
    HIGHLIGHT: ("Highlight here", "Then click or drag on the product: the light moves to where it is mirrored there"),
    AIM: ("Light here", "Then click or drag on the product: the light faces that point from where it is"),
}
"""What a click in the picture does to the selected light, and its words."""


class LightsCard(QWidget):
    """The lights by name; a tick switches one on."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.workshop, self.work = workshop, work
        self.list = QListWidget()
        self.list.setAccessibleName("Lights of the set")
        self.list.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.list.currentRowChanged.connect(self._select)
        self.list.itemChanged.connect(self._changed)
        self.add_button = small_button("Add", "Adds a softbox beside the camera", self.add_light)
        self.copy_button = small_button("Duplicate", "Adds a copy beside it", workshop.duplicate_light)
        self.solo_button = small_button("Solo", "Switches all other lights off, or all on again", workshop.solo_light)
        self.remove_button = small_button("Remove", "Removes the light from the set", workshop.remove_light)
        grid = QGridLayout()
        grid.setSpacing(6)
        buttons = (self.add_button, self.copy_button, self.solo_button, self.remove_button)
        for place, button in enumerate(buttons):
            grid.addWidget(button, place // 2, place % 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.list, 1)
        layout.addLayout(grid)

    def add_light(self) -> None:
        """Adds a softbox beside the camera, as large as the product."""
        bounds = self.work.bounds().astype(np.float64)
        size = float(np.ptp(bounds, axis=0).max()) or 200.0
        self.workshop.add_light(bounds.mean(axis=0), size, self.workshop.camera.position)

    def _select(self, row: int) -> None:
        if row >= 0 and row != self.workshop.light_place:
            self.workshop.select_light(row)

    def _changed(self, item: QListWidgetItem) -> None:
        row, light = self.list.row(item), self.workshop.project.set.softboxes
        if not 0 <= row < len(light):
            return
        is_on = item.checkState() == Qt.CheckState.Checked
        if is_on != light[row].is_on:
            self.workshop.switch_light(row, is_on)
        elif item.text() != light[row].name:
            self.workshop.rename_light(row, item.text())
            self.follow()

    def follow(self) -> None:
        """Shows the lights of the set in use."""
        boxes = self.workshop.project.set.softboxes
        self.list.blockSignals(True)
        while self.list.count() > len(boxes):
            self.list.takeItem(self.list.count() - 1)
        for row, box in enumerate(boxes):
            if row >= self.list.count():
                made = QListWidgetItem()
                made.setFlags(made.flags() | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEditable)
                self.list.addItem(made)
            item = self.list.item(row)
            item.setText(box.name)
            item.setCheckState(Qt.CheckState.Checked if box.is_on else Qt.CheckState.Unchecked)
        self.list.setCurrentRow(self.workshop.light_place if self.workshop.light is not None else -1)
        self.list.blockSignals(False)
        for button in (self.copy_button, self.solo_button, self.remove_button):
            button.setEnabled(self.workshop.light is not None)


class SoftboxCard(QWidget):
    """Values of the selected light, and ways to aim it.

    Signals
    -------
    way_wanted : str
        What a click in the picture does to it, a key of `WAYS`; empty for nothing.
    """

    way_wanted = pyqtSignal(str)

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.rows = {}
        for name in ("luminance", "temperature", "width", "height", "roll"):
            binding = Binding(workshop, Softbox, name, lambda w: w.light, _put)
            self.rows[name] = ValueRow(binding, is_stacked=True)
            layout.addWidget(self.rows[name])
        self.way_buttons: dict[str, QPushButton] = {}
        ways = QHBoxLayout()
        ways.setSpacing(6)
        for way, (words, tip) in WAYS.items():
            button = QPushButton(words, checkable=True)
            button.setProperty("role", "small")
            button.setToolTip(f"{tip}. The wheel changes its distance.")
            button.toggled.connect(lambda is_on, way=way: self._toggled(way, is_on))
            self.way_buttons[way] = button
            ways.addWidget(button)
        layout.addSpacing(6)
        layout.addLayout(ways)
        layout.addStretch(1)

    def _toggled(self, way: str, is_on: bool) -> None:
        if is_on:
            for other, button in self.way_buttons.items():
                if other != way:
                    button.setChecked(False)
        checked = [key for key, button in self.way_buttons.items() if button.isChecked()]
        self.way_wanted.emit(checked[0] if checked else "")

    def let_go(self) -> None:
        """A click in the picture does nothing to it any more."""
        for button in self.way_buttons.values():
            button.setChecked(False)

    def follow(self) -> None:
        """Shows the selected light."""
        for row in self.rows.values():
            row.follow()
        for button in self.way_buttons.values():
            button.setEnabled(self.workshop.light is not None)


def _put(workshop: Workshop, changed: Softbox):
    return workshop.project.with_set(workshop.with_light(changed))
