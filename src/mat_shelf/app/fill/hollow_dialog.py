"""Wall, base and inner corner of a solid that is hollowed."""

from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QFormLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.product import Hollowing

_NAMES = ("wall", "base", "corner", "raised", "follows")
_MOST = 1000.0


class HollowDialog(QDialog):
    """Asks for lengths; the solid is hollowed when it is confirmed, or anew where it was before."""

    def __init__(self, work: FillWork, parent: QWidget):
        super().__init__(parent)
        self.work = work
        self._before = work.vessel.hollowed
        self.setWindowTitle(f"Hollow {work.vessel.name}" if self._before is None else f"Wall of {work.vessel.name}")
        self.setMinimumWidth(320)
        about = PlainLabel("Its inside is taken out from above, and a wall is left all round.")
        about.setProperty("role", "quiet")
        about.setWordWrap(True)
        self.boxes: dict[str, QDoubleSpinBox] = {}
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(10)
        for name in _NAMES:
            limits = Hollowing.limits(name)
            box = QDoubleSpinBox(
                minimum=max(limits[0], -_MOST),
                maximum=min(limits[1], _MOST),
                decimals=0 if name == "follows" else 2,
                suffix=" %" if name == "follows" else " mm",
                value=getattr(self._before, name) if self._before else Hollowing.model_fields[name].default,
            )
            box.setButtonSymbols(box.ButtonSymbols.NoButtons)
            box.setAccessibleName(Hollowing.field_label(name))
            box.setToolTip(Hollowing.model_fields[name].description)
            form.addRow(Hollowing.field_label(name), box)
            self.boxes[name] = box
        self.confirm, buttons = answers(self, self._confirm, "Hollow" if self._before is None else "Change")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addWidget(about)
        layout.addLayout(form)
        layout.addLayout(buttons)

    def _confirm(self) -> None:
        self.accept()
        wall, base, corner, raised, follows = (self.boxes[name].value() for name in _NAMES)
        self.work.hollow(wall, base, corner, raised, follows / 100)
