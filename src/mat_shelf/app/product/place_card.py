"""Position of the selected parts, and the usual moves."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QGridLayout, QHBoxLayout, QMenu, QWidget

from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import ProductWork

ALIGNMENTS = (
    ("Centres, X", 0, 0.5),
    ("Left sides", 0, 0.0),
    ("Right sides", 0, 1.0),
    ("Bottoms", 1, 0.0),
    ("Centres, Y", 1, 0.5),
    ("Tops", 1, 1.0),
    ("Centres, Z", 2, 0.5),
    ("Backs", 2, 0.0),
    ("Fronts", 2, 1.0),
)
"""What may be lined up: words, axis, and which end of the parts."""


class PlaceCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.middle = [self._box(f"{axis}, mm", 1e5, 2) for axis in "XYZ"]
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(6)
        grid.setHorizontalSpacing(6)
        self.what = quiet_label()
        grid.addWidget(self.what, 0, 0, 1, 2)
        for row, (name, box) in enumerate(zip(("X", "Y", "Z"), self.middle, strict=True), 1):
            box.setToolTip("Position of the middle of its underside.")
            grid.addWidget(quiet_label(name), row, 0)
            grid.addWidget(box, row, 1)
            box.editingFinished.connect(self._moved)
        self.axis_box = QComboBox()
        self.axis_box.setProperty("role", "tiny")
        self.axis_box.setAccessibleName("Axis of the rotation")
        for axis, name in enumerate("XYZ"):
            self.axis_box.addItem(name, axis)
        self.axis_box.setCurrentIndex(1)
        self.angle = self._box("Angle of the rotation", 360, 1)
        self.angle.setProperty("role", "tiny")
        self.angle.setSuffix("°")
        self.angle.setValue(15)
        self.turn_buttons = [
            small_button("↺", "Rotates it anticlockwise, seen against the axis", lambda: self._turn(1)),
            small_button("↻", "Rotates it clockwise, seen against the axis", lambda: self._turn(-1)),
        ]
        for button, name in zip(self.turn_buttons, ("Rotate anticlockwise", "Rotate clockwise"), strict=True):
            button.setAccessibleName(name)
        turn = QHBoxLayout()
        turn.setSpacing(4)
        for button in self.turn_buttons:
            button.setFixedWidth(26)
        for widget in (self.axis_box, self.angle):
            widget.setFixedWidth(40)
        for widget in (self.axis_box, self.angle, *self.turn_buttons):
            turn.addWidget(widget)
        self.floor_button = small_button("On floor", "Moves it onto the floor", work.stand_on_floor)
        self.down_button = small_button("Drop", "Lowers it until it touches what is below it", work.set_down)
        self.centre_button = small_button("Centre", "Moves it over the middle of the set", work.centre)
        self.upright_button = small_button("Z-up to Y-up", "Turns a model with Z upward to Y upward", work.upright)
        self.copy_button = small_button("Duplicate", "Adds a copy beside it", work.duplicate)
        self.align_button = small_button("Align…", "Aligns the other selected parts with the first", self._offer_ways)
        self.remove_button = small_button("Remove", "Removes the part from the product", work.remove)
        buttons = (
            self.floor_button,
            self.down_button,
            self.centre_button,
            self.align_button,
            self.copy_button,
            self.remove_button,
        )
        lines = QGridLayout()
        lines.setHorizontalSpacing(6)
        lines.setVerticalSpacing(3)
        for place, button in enumerate(buttons):
            lines.addWidget(button, place // 2, place % 2)
        lines.addWidget(self.upright_button, len(buttons) // 2, 0, 1, 2)
        grid.addLayout(turn, 4, 0, 1, 2)
        grid.addLayout(lines, 5, 0, 1, 2)
        grid.setColumnStretch(1, 1)

    def _turn(self, way: int) -> None:
        self.work.turn(self.axis_box.currentData(), way * self.angle.value())

    def align_menu(self) -> QMenu:
        """The ways in which parts are lined up."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name, axis, at in ALIGNMENTS:
            menu.addAction(name).triggered.connect(lambda _, axis=axis, at=at: self.work.align(axis, at))
        return menu

    def _offer_ways(self) -> None:
        self.align_menu().popup(self.align_button.mapToGlobal(QPoint(0, self.align_button.height())))

    @staticmethod
    def _box(name: str, reach: float, decimals: int) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(-reach, reach)
        box.setDecimals(decimals)
        box.setMinimumWidth(40)
        box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        box.setAccessibleName(name)
        box.setSuffix(" mm")
        return box

    def _foot(self):
        low, high = self.work.bounds(self.work.picked())
        return (low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2

    def follow(self) -> None:
        part, has_parts = self.work.workshop.selected_part, bool(self.work.project.product.parts)
        more = len(self.work.workshop.also_selected)
        self.what.setText(f"{part.name} and {more} more" if part and more else part.name if part else "Whole product")
        self.align_button.setEnabled(more > 0)
        foot = self._foot()
        for box, value in zip(self.middle, foot, strict=True):
            box.blockSignals(True)
            box.setValue(float(value))
            box.blockSignals(False)
            box.setEnabled(has_parts)
        for button in (self.copy_button, self.remove_button, self.down_button):
            button.setEnabled(part is not None)

    def _moved(self) -> None:
        by = [round(box.value() - float(value), 2) for box, value in zip(self.middle, self._foot(), strict=True)]
        if any(abs(x) >= 0.01 for x in by):
            self.work.shift(self.work.picked(), by)
