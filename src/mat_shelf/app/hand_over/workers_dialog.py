"""Choice of who renders shots and turns: this program, workers beside it, or those of a scheduler."""

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QDialog, QGridLayout, QLineEdit, QRadioButton, QSpinBox, QVBoxLayout, QWidget

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.exchange.cluster import MOST_WORKERS, check_cluster
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.system.processors import usable_processors

_KEY = "hand_over/workers"


def workers_address() -> str:
    """Address of the workers; empty for this program alone."""
    return str(QSettings().value(_KEY, ""))


class WorkersDialog(QDialog):
    """Three ways, each with what it needs."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Workers")
        names = "This program alone", "Workers on this computer", "A Dask scheduler"
        self.alone, self.local, self.remote = (QRadioButton(name) for name in names)
        self.count_box = QSpinBox(minimum=1, maximum=MOST_WORKERS, value=usable_processors(), suffix=" workers")
        self.count_box.setAccessibleName("Number of workers")
        self.address_field = QLineEdit()
        self.address_field.setAccessibleName("Address of the scheduler")
        self.address_field.setPlaceholderText("tls://render:8786")
        self.state = PlainLabel(
            "Shots and turns are the same whoever renders them. Workers render all samples of their pixels at once, so "
            "shots that stop at a noise or after a time are for this program alone."
        )
        self.state.setProperty("role", "quiet")
        self.state.setWordWrap(True)
        _, buttons = answers(self, self._confirm, "Use")
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(10)
        for row, (button, box) in enumerate(
            ((self.alone, None), (self.local, self.count_box), (self.remote, self.address_field))
        ):
            grid.addWidget(button, row, 0)
            if box is not None:
                grid.addWidget(box, row, 1)
                button.toggled.connect(box.setEnabled)
                box.setEnabled(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addLayout(grid)
        layout.addWidget(self.state)
        layout.addLayout(buttons)
        self.setMinimumWidth(460)
        self._show(workers_address())

    def _show(self, address: str) -> None:
        if address.startswith("local:"):
            self.local.setChecked(True)
            self.count_box.setValue(int(address.removeprefix("local:")))
        elif address:
            self.remote.setChecked(True)
            self.address_field.setText(address)
        else:
            self.alone.setChecked(True)

    @property
    def address(self) -> str:
        """The address as it is chosen."""
        if self.local.isChecked():
            return f"local:{self.count_box.value()}"
        return self.address_field.text().strip() if self.remote.isChecked() else ""

    def _confirm(self) -> None:
        try:
            if self.address or self.remote.isChecked():
                check_cluster(self.address)
        except ImageError as fault:
            words = str(fault)
            self.state.setText(f"{words[0].upper()}{words[1:]}.")
            return
        QSettings().setValue(_KEY, self.address)
        self.accept()
