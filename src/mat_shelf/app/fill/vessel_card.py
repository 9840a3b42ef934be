"""The vessel: what it holds, and what can be put in it and on it."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QInputDialog, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.fill.hollow_dialog import HollowDialog
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import PlainLabel, plain_text
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import FillWork

ICE = 0.917
DENSITIES = {"Wood and paper": 0.65, "Wax and soft": 0.93, "Stone": 2.7, "Metal": 7.9}
"""g/cm3 at 0 and 20 degrees Celsius (common practice)."""
_VALUES = ("Capacity", "Volume", "Headspace", "Edge", "Wall")


class VesselCard(QWidget):
    """Values of the vessel on the board, and buttons to fill it and to strew drops over it."""

    def __init__(self, work: FillWork):
        super().__init__()
        self.work = work
        self.name = ElidedLabel()
        self.values = {name: PlainLabel() for name in _VALUES}
        self.note = quiet_label()
        self.note.setWordWrap(True)
        grid = QGridLayout()
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setVerticalSpacing(7)
        for row, (name, value) in enumerate(self.values.items()):
            grid.addWidget(quiet_label(name), row, 0)
            grid.addWidget(value, row, 1)
            value.setAccessibleName(name)
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(0, 1)
        self.fill_button = small_button("Fill", "Lets liquid stand in the selected parts, as one vessel", work.add_fill)
        self.hollow_button = small_button("Hollow…", "Takes the inside out of a solid, so that it can be filled")
        self.hollow_button.clicked.connect(self.hollow)
        self.wall_button = small_button("Wall and base…", "Changes the wall that was left when it was hollowed")
        self.wall_button.clicked.connect(self.hollow)
        self.cavity_button = small_button(
            "Another cavity", "Puts the liquid into the next cavity", work.take_next_cavity
        )
        self.empty_button = small_button("Empty", "Removes the liquid", self._empty)
        self.float_button = small_button("Float…", "Lets the part float in the liquid that it is in", self.float_part)
        self.stay_button = small_button("Let it stay", "Lets the part stay where it is, whatever the level does")
        self.stay_button.clicked.connect(work.let_stay)
        self.drops_button = small_button("Drops on it", "Strews drops of water over the part", work.add_beads)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.name)
        column.addLayout(grid)
        column.addWidget(self.note)
        for button in self._buttons():
            column.addWidget(button)
        column.addStretch(1)

    def _buttons(self) -> tuple[QPushButton, ...]:
        first = self.fill_button, self.hollow_button, self.float_button, self.stay_button
        return *first, self.wall_button, self.cavity_button, self.empty_button, self.drops_button

    def float_part(self) -> None:
        """Asks how dense the part is, and lets it float."""
        part, materials = self.work.vessel, self.work.project.materials
        worn = next((m for m in materials if part is not None and m.id == part.material), None)
        usual = DENSITIES.get(worn.family if worn is not None else "", ICE)
        if part is not None and part.floats is not None:
            usual = part.floats
        density, is_given = QInputDialog.getDouble(
            self, "Float", plain_text(f"Density of {part.name}, g/cm³ (ice {ICE})"), usual, 0.001, 25.0, 3
        )
        if is_given:
            self.work.float_part(density)

    def _empty(self) -> None:
        if self.work.fill_part is not None:
            self.work.remove(self.work.fill_part)

    def hollow(self) -> None:
        """Asks how the solid is to be hollowed."""
        self.dialog = HollowDialog(self.work, self)
        self.dialog.open()

    def follow(self) -> None:
        """Shows the vessel and what is known of it."""
        work = self.work
        vessel, part, poured = work.vessel, work.fill_part, work.liquid
        others = len(part.fill.vessel) - 1 if part is not None else 0
        name = vessel.name if vessel is not None else ""
        self.name.setText(f"{name} and {others} more" if others else name or "Nothing is selected")
        is_known = part is not None and poured is not None and work.now is not None
        told = ("", "", "", "", "")
        if is_known:
            level, volume = work.now
            told = (
                f"{poured.capacity_ml:.1f} ml",
                f"{volume:.1f} ml",
                f"{poured.cavity.spill - level:.1f} mm",
                f"{poured.meniscus_mm:+.1f} mm",
                _thickness(*poured.wall),
            )
        for label, text in zip(self.values.values(), told, strict=True):
            label.setText(text or "–")
        if vessel is None:
            self.note.setText("Click a vessel in the picture, or several parts in the list of the Product station.")
        else:
            closed = "Its space is closed; nothing can run out." if is_known and poured.cavity.is_closed else ""
            fault = f"{work.fault[:1].upper()}{work.fault[1:]}." if work.fault else work.note or closed
            self.note.setText(f"{work.working}…" if work.working else fault)
        self.note.setVisible(bool(self.note.text()))
        self.fill_button.setVisible(part is None)
        is_hollowed = vessel is not None and vessel.hollowed is not None
        density = vessel.floats if vessel is not None else None
        self.hollow_button.setVisible(part is None and not is_hollowed and density is None)
        self.wall_button.setVisible(is_hollowed)
        for button in (self.fill_button, self.hollow_button):
            button.setEnabled(vessel is not None)
        self.float_button.setVisible(part is None and vessel is not None and work.has_fills)
        self.float_button.setText("Float…" if density is None else f"Floats, {density:.4g} g/cm³…")
        self.stay_button.setVisible(part is None and density is not None)
        self.cavity_button.setVisible(is_known and poured.count > 1)
        self.empty_button.setVisible(part is not None)
        self.drops_button.setEnabled(vessel is not None)
        self.drops_button.setVisible(work.beads_part is None)


def _thickness(low: float, high: float) -> str:
    """Thickness of a wall in words."""
    return f"{low:.1f} mm" if high - low < 0.1 else f"{low:.1f} to {high:.1f} mm"
