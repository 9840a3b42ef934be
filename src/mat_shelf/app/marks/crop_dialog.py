"""Crop and padding of a mark's artwork at each side."""

from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QFormLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.workshop import MarkWork
from mat_shelf.commands.mark_artwork import SIDES


class CropDialog(QDialog):
    """Four values in mm; the picture follows at once, and what stays of the art stays where it is."""

    def __init__(self, work: MarkWork, parent: QWidget):
        super().__init__(parent)
        self.work = work
        self.setWindowTitle("Crop or pad")
        self.boxes: dict[str, QDoubleSpinBox] = {}
        form = QFormLayout()
        for side in SIDES:
            box = QDoubleSpinBox(decimals=2, singleStep=0.1, suffix=" mm")
            box.setRange(-1000, 1000)
            box.setKeyboardTracking(False)
            box.setToolTip("Above 0 crops, below 0 pads with clear ground")
            box.valueChanged.connect(self._crop)
            self.boxes[side] = box
            form.addRow(side.capitalize(), box)
        self.trim_button = QPushButton("Trim")
        self.trim_button.setToolTip("Crops the clear margin around the artwork")
        self.trim_button.clicked.connect(self._trim)
        self.whole_button = QPushButton("Reset")
        self.whole_button.clicked.connect(lambda: self._put(dict.fromkeys(SIDES, 0.0)))
        buttons = QHBoxLayout()
        buttons.addWidget(self.trim_button)
        buttons.addWidget(self.whole_button)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addLayout(buttons)
        work.opened.connect(self.close)  # it is about one mark
        work.workshop.project_changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        if self.work.mark is None:
            self.close()
            return
        taken = self.work.cropped(self.work.mark)
        for side, box in self.boxes.items():
            box.blockSignals(True)
            box.setValue(round(taken[side], 2))
            box.blockSignals(False)

    def _crop(self) -> None:
        self._put({side: box.value() for side, box in self.boxes.items()})

    def _trim(self) -> None:
        trimmed = self.work.trimmed(self.work.mark)
        if trimmed is None:
            self.work.workshop.said.emit("Only artwork with an alpha channel can be trimmed.")
            return
        self._put(trimmed)

    def _put(self, taken: dict[str, float]) -> None:
        self.work.crop(self.work.mark, taken)
        self._show()  # what was refused goes back

    def done(self, result: int) -> None:
        self.work.workshop.history.end_gesture()
        super().done(result)
