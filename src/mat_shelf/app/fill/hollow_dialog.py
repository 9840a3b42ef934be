"""Wall, base and inner corner of a solid that is hollowed."""

from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QFormLayout, QLabel, QVBoxLayout, QWidget

from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.app.workshop import FillWork

_VALUES = {"Wall": (2.0, 0.01), "Base": (3.0, 0.01), "Inner corner": (2.0, 0.0), "Middle raised": (0.0, -1000.0)}
"""Values to begin with, and the least ones, mm."""


class HollowDialog(QDialog):
    """Asks for lengths; the solid is hollowed when it is confirmed."""

    def __init__(self, work: FillWork, parent: QWidget):
        super().__init__(parent)
        self.work = work
        self.setWindowTitle(f"Hollow {work.vessel.name}")
        self.setMinimumWidth(320)
        about = QLabel("Its inside is taken out from above, and a wall is left all round.")
        about.setProperty("role", "quiet")
        about.setWordWrap(True)
        self.boxes = {}
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(10)
        for name, (value, least) in _VALUES.items():
            box = QDoubleSpinBox(minimum=least, maximum=1000.0, value=value, decimals=2, suffix=" mm")
            box.setButtonSymbols(box.ButtonSymbols.NoButtons)
            box.setAccessibleName(name)
            form.addRow(name, box)
            self.boxes[name] = box
        raised = self.boxes["Middle raised"]
        raised.setToolTip("Of the base inside: above 0 as under a bottle of wine, below 0 as in a bowl")
        self.follows = QDoubleSpinBox(minimum=0, maximum=100, value=0, decimals=0, suffix=" %")
        self.follows.setButtonSymbols(self.follows.ButtonSymbols.NoButtons)
        self.follows.setAccessibleName("Base follows outside")
        self.follows.setToolTip(
            "How far the base inside rises where the outside does: with 100 % it is as thick everywhere"
        )
        form.addRow("Base follows outside", self.follows)
        self.confirm, buttons = answers(self, self._confirm, "Hollow")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addWidget(about)
        layout.addLayout(form)
        layout.addLayout(buttons)

    def _confirm(self) -> None:
        self.accept()
        self.work.hollow(*(box.value() for box in self.boxes.values()), self.follows.value() / 100)
