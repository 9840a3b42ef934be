"""Position of the selected light in numbers."""

from PyQt6.QtWidgets import QDoubleSpinBox, QGridLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.small_widgets import quiet_label
from mat_shelf.app.widgets.value_row import ValueRow
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.place import Place
from mat_shelf.scene.lights import carried_round
from mat_shelf.scene.placing import place_of, put_at


class PositionCard(QWidget):
    """Angles and place of the selected light."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.rows = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for name in ("azimuth", "height", "distance"):
            self.rows[name] = ValueRow(Binding(workshop, Place, name, _place, _put_place), is_stacked=True)
            layout.addWidget(self.rows[name])
        self.position = [self._number(axis) for axis in range(3)]
        places = QGridLayout()
        places.setSpacing(4)
        for axis, (name, box) in enumerate(zip("XYZ", self.position, strict=True)):
            places.addWidget(quiet_label(name), 0, axis)
            places.addWidget(box, 1, axis)
        layout.addLayout(places)
        layout.addStretch(1)

    def _number(self, axis: int) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(-1e5, 1e5)
        box.setDecimals(0)
        box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        box.setProperty("role", "tiny")
        box.setKeyboardTracking(False)
        box.setAccessibleName(f"Position {'XYZ'[axis]}, mm")
        box.setToolTip("Position of the middle of the light, mm; it goes on facing what it faces.")
        box.setMinimumWidth(44)
        box.valueChanged.connect(lambda _: self._moved())
        return box

    def _moved(self) -> None:
        if self.workshop.light is not None:
            self.workshop.move_light([box.value() for box in self.position])
            self.follow()

    def follow(self) -> None:
        """Shows the selected light."""
        light = self.workshop.light
        for row in self.rows.values():
            row.follow()
        place = (0, 0, 0) if light is None else carried_round(light, self.workshop.project.set.turn).position
        for box, value in zip(self.position, place, strict=True):
            box.setEnabled(light is not None)
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)


def _place(workshop: Workshop) -> Place | None:
    return None if workshop.light is None else place_of(workshop.light)


def _put_place(workshop: Workshop, changed: Place):
    return workshop.project.with_set(workshop.with_light(put_at(workshop.light, changed)))
