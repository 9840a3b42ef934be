"""The liquid: what it is, how much of it there is, and how it meets the wall."""

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import MEASURES, Fill
from mat_shelf.fills.liquids import LIQUIDS

_AMOUNTS = tuple(MEASURES)
_LEFT = ("tilt", "direction", "ripples")
_RIGHT = ("contact_angle", "tension", "density", "seed")


class LiquidCard(QWidget):
    """Values of the liquid on the board, in two columns."""

    def __init__(self, work: FillWork):
        super().__init__()
        self.work = work
        self.rows = {name: row_of(self._of_fill(name), is_stacked=True) for name in (*_AMOUNTS, *_LEFT, *_RIGHT)}
        self.stack_box = _small_box("Liquids", "Which of the liquids in the vessel is on the board, from the bottom up")
        self.stack_box.activated.connect(lambda: work.workshop.select(self.stack_box.currentData()))
        self.liquid_box = _small_box("Liquid", "What stands in the vessel: its look, and how it behaves")
        for liquid in LIQUIDS:
            self.liquid_box.addItem(liquid.name, liquid)
        self.liquid_box.activated.connect(lambda: work.set_liquid(self.liquid_box.currentData()))
        self.measure_box = _small_box("Measure", "The value that says how full the vessel is")
        for key, words in MEASURES.items():
            self.measure_box.addItem(words, key)
        self.measure_box.activated.connect(lambda: work.set_measure(self.measure_box.currentData()))
        self.pour_button = small_button("Pour on it", "Pours another liquid onto those in the vessel")
        menu = QMenu(self.pour_button)
        for liquid in LIQUIDS:
            menu.addAction(liquid.name).triggered.connect(lambda _, liquid=liquid: work.pour_on_top(liquid))
        self.pour_button.setMenu(menu)
        self.material_button = small_button("Material", "Shows its material in the Materials station")
        self.words = quiet_label()
        self.words.setWordWrap(True)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(0)
            column.addStrut(128)
        self._stack_room = QWidget()  # which takes no room, nor a gap, where there is one liquid only
        room = QVBoxLayout(self._stack_room)
        room.setContentsMargins(0, 0, 0, 5)
        room.addWidget(self.stack_box)
        left.addWidget(self._stack_room)
        for widget in (self.liquid_box, self.measure_box):
            left.addWidget(widget)
            left.addSpacing(5)
        for name in (*_AMOUNTS, *_LEFT):
            left.addWidget(self.rows[name])
        for name in _RIGHT:
            right.addWidget(self.rows[name])
        right.addWidget(self.words)
        right.addSpacing(4)
        right.addWidget(self.pour_button)
        right.addSpacing(6)
        right.addWidget(self.material_button)
        for column in (left, right):
            column.addStretch(1)
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(14)
        columns.addLayout(left, 1)
        columns.addLayout(right, 1)

    def _of_fill(self, name: str) -> Binding:
        return Binding(
            self.work.workshop, Fill, name, lambda w: self.work.fill, lambda w, fill: self.work.with_fill(fill)
        )

    def follow(self) -> None:
        """Shows the liquid on the board."""
        fill, part, poured = self.work.fill, self.work.fill_part, self.work.liquid
        self.setEnabled(fill is not None)
        for name in _AMOUNTS:
            self.rows[name].setVisible(name == (fill.measure if fill is not None else "volume"))
        stacked = self.work.stacked
        self._stack_room.setVisible(len(stacked) > 1)
        self.stack_box.clear()
        for number, liquid in enumerate(stacked, 1):
            self.stack_box.addItem(f"{number}  {liquid.name}", liquid.id)
        self.stack_box.setCurrentIndex(stacked.index(part) if part in stacked else -1)
        materials = {m.id: m for m in self.work.project.materials}
        worn = materials.get(part.material) if part is not None else None
        known = next((k for k, liquid in enumerate(LIQUIDS) if worn is not None and liquid.swatch == worn.swatch), -1)
        self.liquid_box.setCurrentIndex(known)
        self.liquid_box.setPlaceholderText(worn.name if worn is not None else "Liquid")
        self.measure_box.setCurrentIndex(self.measure_box.findData(fill.measure) if fill is not None else -1)
        for row in self.rows.values():
            row.follow()
        told = ""
        if fill is not None and poured is not None:
            way = "climbs" if poured.meniscus_mm >= 0 else "sinks"
            told = f"Its edge {way} {abs(poured.meniscus_mm):.1f} mm at the wall, by surface tension."
            below = stacked[stacked.index(part) - 1].fill if part in stacked and stacked.index(part) else None
            if below is not None and below.density < fill.density:
                told = "It is denser than what it lies on, and would sink in life."
        self.words.setText(told)


def _small_box(name: str, tip: str) -> QComboBox:
    box = QComboBox()
    box.setProperty("role", "small")
    box.setAccessibleName(name)
    box.setToolTip(tip)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    return box
