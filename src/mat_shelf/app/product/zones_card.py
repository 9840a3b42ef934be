"""Tools that select faces, and the zones made of them."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QWidget

from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.widgets.value_row import Slider
from mat_shelf.app.workshop import ProductWork
from mat_shelf.commands.faces import FACE_TOOLS


class ZonesCard(QWidget):
    mode_changed = pyqtSignal(bool)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.way_buttons = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        for place, (way, (name, tip)) in enumerate(FACE_TOOLS.items()):
            button = QPushButton(name, checkable=True)
            button.setProperty("role", "small")
            button.setToolTip(f"{tip}. Shift adds, Ctrl subtracts.")
            button.toggled.connect(lambda is_on, way=way: self._toggled(way, is_on))
            self.way_buttons[way] = button
            grid.addWidget(button, place // 2, place % 2)
        self.angle = Slider(1, 90, default=18)
        self.angle.setAccessibleName("Angle")
        self.angle.setToolTip("Sharpness of an edge that stops the region, or largest angle between faces.")
        self.angle.set_value(work.degrees)
        self.angle_words = quiet_label()
        self.angle.moved.connect(self._turned)
        angle_line = QHBoxLayout()
        angle_line.addWidget(quiet_label("Angle"))
        angle_line.addWidget(self.angle, 1)
        angle_line.addWidget(self.angle_words)
        grid.addLayout(angle_line, 3, 0, 1, 2)
        self.count = quiet_label()
        self.alike_button = small_button(
            "All alike", "Selects all CAD faces of the size and shape of those selected", work.choose_alike
        )
        grid.addWidget(self.count, 4, 0)
        grid.addWidget(self.alike_button, 4, 1)
        change = QHBoxLayout()
        change.setSpacing(6)
        self.change_buttons = {}
        for how, name in (("grow", "Grow"), ("shrink", "Shrink"), ("invert", "Invert")):
            button = small_button(name, f"{name}s the selection", lambda how=how: work.change_chosen(how))
            self.change_buttons[how] = button
            change.addWidget(button)
        grid.addLayout(change, 5, 0, 1, 2)
        self.make_button = small_button("Make zone", "The selected faces get a material of their own", work.make_zone)
        self.dissolve_button = small_button(
            "Remove", "Returns the faces of the selected zone to their part", work.dissolve_zone
        )
        self.add_button = small_button("Add to zone", "Adds the selected faces to the selected zone", work.add_to_zone)
        self.subtract_button = small_button(
            "Subtract", "Removes the selected faces from their zones", work.subtract_faces
        )
        for place, button in enumerate((self.make_button, self.dissolve_button, self.add_button, self.subtract_button)):
            grid.addWidget(button, 6 + place // 2, place % 2)
        grid.setRowStretch(8, 1)
        self._turned(work.degrees)

    def _toggled(self, way: str, is_on: bool) -> None:
        if is_on:
            self.work.way = way
            for other, button in self.way_buttons.items():
                if other != way and button.isChecked():
                    button.blockSignals(True)
                    button.setChecked(False)
                    button.blockSignals(False)
        self.mode_changed.emit(any(button.isChecked() for button in self.way_buttons.values()))

    def let_go(self) -> None:
        for button in self.way_buttons.values():
            button.setChecked(False)

    def _turned(self, degrees: float) -> None:
        self.work.degrees = degrees
        self.angle_words.setText(f"{degrees:.0f}°")

    def follow(self) -> None:
        chosen = self.work.chosen
        if chosen is None:
            self.count.setText("No faces")
        else:
            self.count.setText(f"{int(chosen[1].sum()):,} selected")
            self.count.setToolTip(f"{int(chosen[1].sum()):,} of {len(chosen[1]):,} faces")
        for button in (*self.change_buttons.values(), self.make_button):
            button.setEnabled(chosen is not None)
        self.alike_button.setEnabled(self.work.may_find_alike)
        zone = self.work.workshop.selected_zone
        self.dissolve_button.setEnabled(zone is not None)
        self.add_button.setEnabled(chosen is not None and zone is not None)
        self.subtract_button.setEnabled(chosen is not None and bool(self.work.project.part(chosen[0]).zones))
