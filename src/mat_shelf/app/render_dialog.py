"""Rendering a finished picture to a file, beside the window."""

import threading
import time
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
)

from mat_shelf.app.theme import font
from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.pictures import PictureError, ending_of, write_picture
from mat_shelf.rendering.session import render


class RenderDialog(QDialog):
    """Size, samples and file; then progress, time left and Cancel. The window stays usable.

    Signals
    -------
    is_running : bool
    """

    is_running = pyqtSignal(bool)
    _progressed = pyqtSignal(int, int)
    _finished = pyqtSignal(str, bool)

    def __init__(self, workshop: Workshop, parent=None):
        super().__init__(parent)
        self.setWindowTitle("Render a picture")
        self.setModal(False)
        self.workshop = workshop
        self._cancelled = threading.Event()
        self._thread: threading.Thread | None = None
        self._began = 0.0
        self.width_box, self.height_box, self.samples_box = (
            _spin(16, 16384, 1280, " px"),
            _spin(16, 16384, 860, " px"),
            _spin(1, 65536, 128, ""),
        )
        folder = workshop.path.parent if workshop.path else Path.home()
        self.path_field = QLineEdit(str(folder / f"{workshop.project.name}.png"))
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._choose)
        self.bar = QProgressBar(textVisible=False)
        self.state = QLabel("PNG, TIFF and JPEG are tone-mapped; EXR keeps the light as it is.")
        self.state.setProperty("role", "quiet")
        self.state.setFont(font(12, tabular=True))
        self.state.setWordWrap(True)
        self.start_button = QPushButton("Render")
        self.start_button.setProperty("role", "main")
        self.start_button.setDefault(True)
        self.start_button.clicked.connect(self.start)
        self.cancel_button = QPushButton("Close")
        self.cancel_button.clicked.connect(self._cancel_or_close)

        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        for row, (text, widget) in enumerate(
            (("Width", self.width_box), ("Height", self.height_box), ("Samples", self.samples_box))
        ):
            grid.addWidget(QLabel(text), row, 0)
            grid.addWidget(widget, row, 1, 1, 2)
        grid.addWidget(QLabel("File"), 3, 0)
        grid.addWidget(self.path_field, 3, 1)
        grid.addWidget(browse, 3, 2)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.cancel_button)
        buttons.addWidget(self.start_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addLayout(grid)
        layout.addWidget(self.bar)
        layout.addWidget(self.state)
        layout.addLayout(buttons)
        self.setMinimumWidth(460)
        self._progressed.connect(self._show_progress, Qt.ConnectionType.QueuedConnection)
        self._finished.connect(self._finish, Qt.ConnectionType.QueuedConnection)

    def start(self) -> None:
        path = Path(self.path_field.text()).expanduser()
        try:
            ending_of(path)
        except PictureError as fault:
            self.state.setText(f"{fault}.")
            return
        if not path.parent.is_dir():
            self.state.setText(f"The folder {path.parent} does not exist; choose another.")
            return
        self._cancelled.clear()
        self._began = time.monotonic()
        self.bar.setRange(0, self.samples_box.value())
        self.bar.setValue(0)
        self.state.setText("Getting the scene ready…")
        self.start_button.setEnabled(False)
        self.cancel_button.setText("Cancel")
        self.is_running.emit(True)
        size = self.width_box.value(), self.height_box.value(), self.samples_box.value()
        self._thread = threading.Thread(
            target=self._work, args=(self.workshop.project, self.workshop.assets, path, *size), daemon=True
        )
        self._thread.start()

    def _work(self, project, assets, path: Path, width: int, height: int, samples: int) -> None:
        def progress(done: int, total: int) -> bool:
            self._progressed.emit(done, total)
            return not self._cancelled.is_set()

        try:
            write_picture(path, render(project, assets, width, height, samples, progress=progress))
            self._finished.emit(f"Written to {path}", True)
        except InterruptedError:
            self._finished.emit("Cancelled; nothing was written.", False)
        except Exception as fault:  # whatever ends the thread, the dialog must say so and be usable again
            self._finished.emit(f"Not written: {fault}", False)

    def _show_progress(self, done: int, total: int) -> None:
        left = (time.monotonic() - self._began) / done * (total - done)
        self.bar.setValue(done)
        cleaning = "removing noise" if done == total else f"about {_duration(left)} left"
        self.state.setText(f"{done} of {total} samples, {cleaning}")

    def _finish(self, text: str, is_done: bool) -> None:
        self.state.setText(text)
        self.start_button.setEnabled(True)
        self.cancel_button.setText("Close")
        if not is_done:
            self.bar.setValue(0)
        self.is_running.emit(False)

    def _cancel_or_close(self) -> None:
        if self.start_button.isEnabled():
            self.close()
        else:
            self.state.setText("Cancelling…")
            self._cancelled.set()

    def closeEvent(self, event) -> None:
        self._cancelled.set()
        super().closeEvent(event)

    def _choose(self) -> None:
        kinds = "Pictures (*.png *.exr *.tiff *.jpg)"
        chosen, _ = QFileDialog.getSaveFileName(self, "Render to", self.path_field.text(), kinds)
        if chosen:
            self.path_field.setText(chosen)


def _spin(low: int, high: int, value: int, unit: str) -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setValue(value)
    box.setSuffix(unit)
    box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)  # arrow keys and the wheel step
    return box


def _duration(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
