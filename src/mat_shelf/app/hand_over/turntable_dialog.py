"""A turn rendered to a film, an animation, images or a page, beside the window."""

import time
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
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

from mat_shelf.app.hand_over.shots_card import duration
from mat_shelf.app.job import Job
from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import plain_file_name
from mat_shelf.exchange.turntable import MOST_FRAMES, TurnSettings, check_turntable, render_turntable
from mat_shelf.rendering.turning import GOING, Turn
from mat_shelf.system.file_writer import words_of
from mat_shelf.system.user_folders import home_folder

FORMATS = {
    "Page to turn by hand": ".html",
    "Film, MP4": ".mp4",
    "Film, WebM": ".webm",
    "Animation, WebP": ".webp",
    "Images, PNG": ".png",
}


class TurntableDialog(QDialog):
    """Choice of a turn and its file; then progress, time left and Cancel. The window stays usable.

    Signals
    -------
    is_running : bool
    """

    is_running = pyqtSignal(bool)

    def __init__(self, workshop: Workshop, parent=None):
        super().__init__(parent)
        self.setWindowTitle("Turntable")
        self.setModal(False)
        self.workshop = workshop
        self._job: Job | None = None
        self._began = 0.0
        self.going_box, self.kind_box = QComboBox(), QComboBox()
        for key, words in GOING.items():
            self.going_box.addItem(words, key)
        self.kind_box.addItems(FORMATS)
        self.kind_box.textActivated.connect(self._choose_kind)
        self.frames_box = _spin(2, MOST_FRAMES, 36, " frames", "Frames")
        self.seconds_box = QDoubleSpinBox(minimum=0.1, maximum=3600, value=6, decimals=1, suffix=" s")
        self.degrees_box = _spin(-3600, 3600, 360, "°", "Angle")
        self.degrees_box.setToolTip("Of the whole turn; below 0 the other way round")
        self.eased_box = QCheckBox("Starts and ends slowly")
        self.eased_box.setToolTip("Where it is no whole turn")
        self.width_box, self.height_box = _spin(16, 8192, 960, " px", "Width"), _spin(16, 8192, 640, " px", "Height")
        self.samples_box = _spin(1, 65536, 64, " samples", "Samples")
        self.white_box = QCheckBox("On white")
        self.white_box.setToolTip("The product alone, without the set's backdrop")
        folder = workshop.path.parent if workshop.path else home_folder()
        self.path_field = QLineEdit(str(folder / f"{plain_file_name(workshop.project.name)} turn.html"))
        self.bar = QProgressBar(textVisible=False)
        self.state = QLabel("Looks through the view in use, in its set, with the finish.")
        self.state.setProperty("role", "quiet")
        self.state.setWordWrap(True)
        self.start_button, self.open_button = QPushButton("Render"), QPushButton("Open")
        self.start_button.setProperty("role", "main")
        self.start_button.setDefault(True)
        self.start_button.clicked.connect(self.start)
        self.open_button.setEnabled(False)
        self.open_button.clicked.connect(self._open)
        self.cancel_button = QPushButton("Close")
        self.cancel_button.clicked.connect(self._cancel_or_close)
        for box, name in ((self.going_box, "Goes round"), (self.kind_box, "Format"), (self.seconds_box, "Length")):
            box.setAccessibleName(name)
        self.seconds_box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        lines = (
            (("Goes round", self.going_box), ("Format", self.kind_box)),
            (("Frames", self.frames_box), ("Length", self.seconds_box)),
            (("Angle", self.degrees_box), ("", self.eased_box)),
            (("Width", self.width_box), ("Height", self.height_box)),
            (("Samples", self.samples_box), ("", self.white_box)),
        )
        for row, line in enumerate(lines):
            for column, (words, widget) in enumerate(line):
                grid.addWidget(QLabel(words), row, column * 2)
                grid.addWidget(widget, row, column * 2 + 1)
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._choose)
        files, buttons = QHBoxLayout(), QHBoxLayout()
        files.addWidget(self.path_field, 1)
        files.addWidget(browse)
        grid.addWidget(QLabel("File"), len(lines), 0)
        grid.addLayout(files, len(lines), 1, 1, 3)
        buttons.addStretch(1)
        for button in (self.open_button, self.cancel_button, self.start_button):
            buttons.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addLayout(grid)
        layout.addWidget(self.bar)
        layout.addWidget(self.state)
        layout.addLayout(buttons)
        self.setMinimumWidth(560)

    @property
    def path(self) -> Path:
        """File to write."""
        return Path(self.path_field.text()).expanduser()

    def _choose_kind(self, name: str) -> None:
        self.path_field.setText(str(self.path.with_suffix(FORMATS[name])))

    def _choose(self) -> None:
        kinds = f"Turns ({' '.join(f'*{ending}' for ending in FORMATS.values())})"
        chosen, _ = QFileDialog.getSaveFileName(self, "Render to", self.path_field.text(), kinds)
        if chosen:
            self.path_field.setText(chosen)

    def settings(self) -> TurnSettings:
        """The turn as it is chosen."""
        angle = float(self.degrees_box.value()) or 360.0
        return TurnSettings(
            Turn(self.going_box.currentData(), self.frames_box.value(), angle, self.eased_box.isChecked()),
            self.seconds_box.value(),
            self.width_box.value(),
            self.height_box.value(),
            self.samples_box.value(),
            "white" if self.white_box.isChecked() else "set",
        )

    def start(self) -> None:
        """Renders the turn of the view and set in use."""
        path, settings = self.path, self.settings()
        try:
            check_turntable(path, settings)
        except ImageError as fault:
            words = str(fault)
            self.state.setText(f"{words[0].upper()}{words[1:]}.")
            return
        project, assets = self.workshop.project, self.workshop.assets
        self._began = time.monotonic()
        self.bar.setRange(0, settings.turn.frames)
        self.bar.setValue(0)
        self.state.setText("Preparing the first frame…")
        self.start_button.setEnabled(False)
        self.open_button.setEnabled(False)
        self.cancel_button.setText("Cancel")
        self.is_running.emit(True)

        def render(job: Job) -> None:
            render_turntable(
                project,
                assets,
                path,
                settings,
                lambda done, total: job.tell("", done, total),
                lambda: job.is_cancelled,
            )

        self._job = Job(
            render,
            lambda _: self._end(f"Written to {path}", True),
            lambda fault: self._end(f"Not written: {words_of(fault)}", False),
            (Exception,),  # whatever ends the thread, the dialog must say so and be usable again
            self,
        )
        self._job.progressed.connect(self._show_progress, Qt.ConnectionType.QueuedConnection)
        self._job.over.connect(self._over)
        self._job.start()

    def _show_progress(self, _what: str, done: int, total: int) -> None:
        left = (time.monotonic() - self._began) / done * (total - done)
        self.bar.setValue(done)
        self.state.setText(
            f"{done} of {total} frames, about {duration(left)} left" if done < total else "Writing the file…"
        )

    def _over(self) -> None:
        if self._job is not None and self._job.is_cancelled:
            self._end("Cancelled; frames that are done are kept, and the next run goes on with them.", False)

    def _end(self, words: str, is_done: bool) -> None:
        self.state.setText(words)
        self.start_button.setEnabled(True)
        self.open_button.setEnabled(is_done and self.path.is_file())
        self.cancel_button.setText("Close")
        if not is_done:
            self.bar.setValue(0)
        self.is_running.emit(False)

    def _open(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.path)))

    def _cancel_or_close(self) -> None:
        if self.start_button.isEnabled():
            self.close()
        else:
            self.state.setText("Cancelling…")
            self._job.cancel()

    def close_thread(self) -> None:
        """Cancels, and waits for the end."""
        if self._job is not None:
            self._job.close()


def _spin(low: int, high: int, value: int, unit: str, name: str) -> QSpinBox:
    box = QSpinBox(minimum=low, maximum=high, value=value, suffix=unit)
    box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    box.setAccessibleName(name)
    return box
