"""A dialog that writes a file beside the window: where to, progress, time left, Cancel, and Open when it is there."""

import time
from collections.abc import Callable, Sequence
from glob import escape
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QVBoxLayout

from mat_shelf.app.hand_over.shots_card import duration
from mat_shelf.app.job import Job
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.system.file_writer import words_of


def numbered_files(path: Path) -> list[Path]:
    """A file, and numbered images of its name where it stands for a sequence of them."""
    images = path.parent.glob(f"{escape(path.stem)}-[0-9]*.png") if path.suffix.lower() == ".png" else ()
    return [path, *images]


class FileJobDialog(QDialog):
    """The lower half of such a dialog. The window stays usable.

    Signals
    -------
    is_running : bool
    """

    is_running = pyqtSignal(bool)
    cancelled_words = "Cancelled; nothing was written."

    def __init__(self, title: str, verb: str, path: Path, words: str, parent=None):
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setModal(False)
        self._job: Job | None = None
        self._began = 0.0
        self._replaces: Path | None = None  # what may be replaced
        self.path_field = QLineEdit(str(path))
        self.path_field.setAccessibleName("File")
        self.browse_button = QPushButton("Choose…")
        self.browse_button.clicked.connect(self.choose)
        self.bar = QProgressBar(textVisible=False)
        self.state = PlainLabel(words)
        self.state.setProperty("role", "quiet")
        self.state.setWordWrap(True)
        self.start_button, self.open_button = QPushButton(verb), QPushButton("Open")
        self.start_button.setProperty("role", "main")
        self.start_button.setDefault(True)
        self.start_button.clicked.connect(self.start)
        self.open_button.setEnabled(False)
        self.open_button.clicked.connect(self._open)
        self.cancel_button = QPushButton("Close")
        self.cancel_button.clicked.connect(self._cancel_or_close)

    def lay_under(
        self, grid: QGridLayout, row: int, more: QVBoxLayout | None = None, beside: QPushButton | None = None
    ) -> None:
        """Lays the choices of a dialog out, the file below them, and progress below that; `beside` is one more deed."""
        files, buttons = QHBoxLayout(), QHBoxLayout()
        files.setSpacing(8)
        files.addWidget(self.path_field, 1)
        files.addWidget(self.browse_button)
        grid.addWidget(PlainLabel("File"), row, 0)
        grid.addLayout(files, row, 1, 1, 3)
        if beside is not None:
            buttons.addWidget(beside)
        buttons.addStretch(1)
        for button in (self.open_button, self.cancel_button, self.start_button):
            buttons.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addLayout(grid)
        if more is not None:
            layout.addLayout(more, 1)
        layout.addWidget(self.bar)
        layout.addWidget(self.state)
        layout.addLayout(buttons)
        self.setMinimumWidth(560)

    @property
    def path(self) -> Path:
        """File to write."""
        return Path(self.path_field.text()).expanduser()

    def choose(self) -> None:
        """Asks where to write; a dialog's own."""

    def start(self) -> None:
        """Begins to write; a dialog's own."""

    def may_write(self, targets: Sequence[Path]) -> bool:
        """True unless something stands where files go; that is said, and the next time it is replaced."""
        in_the_way = [each for each in targets if each.is_file() or (each.is_dir() and any(each.iterdir()))]
        if not in_the_way or self._replaces == self.path:
            return True
        self._replaces = self.path
        more = f" and {len(in_the_way) - 1} more are" if len(in_the_way) > 1 else " is"
        what = "it" if len(in_the_way) == 1 else "them"
        what = "what has the same names in it" if in_the_way[0].is_dir() else what
        self.say(f"{in_the_way[0].name}{more} there already; press {self.start_button.text()} again to replace {what}")
        return False

    def choose_path(self, path: str) -> None:
        """Takes a path from a file dialog, which has asked already where something stands there."""
        self.path_field.setText(path)
        self._replaces = self.path

    def say(self, words: str) -> None:
        """Shows a line, its first letter large, with a stop at its end."""
        self.state.setText(f"{words[0].upper()}{words[1:]}{'' if words.endswith(('.', '…')) else '.'}")

    def run(self, work: Callable[[Job], object], done: Callable[[object], str], words: str, total: int = 0) -> None:
        """Works on a thread; `done` takes the result and returns what to say."""
        self._began = time.monotonic()
        self.bar.setRange(0, total)
        self.bar.setValue(0)
        self.state.setText(words)
        self.start_button.setEnabled(False)
        self.open_button.setEnabled(False)
        self.cancel_button.setText("Cancel")
        self.is_running.emit(True)
        self._job = Job(
            work,
            lambda result: self._end(done(result), True),
            lambda fault: self._end(f"Not written: {words_of(fault)}", False),
            (Exception,),  # whatever ends the thread, the dialog must say so and be usable again
            self,
        )
        self._job.progressed.connect(self.show_progress, Qt.ConnectionType.QueuedConnection)
        self._job.over.connect(self._over)
        self._job.start()

    def show_progress(self, what: str, done: int, total: int) -> None:
        """Shows what is done now, and about how long all of it takes."""
        if done < 0:
            return
        self.bar.setRange(0, total)
        self.bar.setValue(done)
        self.state.setText(f"{what}, {done + 1} of {total}…" if total else f"{what}…")

    def time_left(self, done: int, total: int) -> str:
        """About how long the rest takes, in words."""
        return duration((time.monotonic() - self._began) / max(done, 1) * (total - done))

    def _over(self) -> None:
        if self._job is not None and self._job.is_cancelled:
            self._end(self.cancelled_words, False)

    def _end(self, words: str, is_done: bool) -> None:
        self.state.setText(words)
        self.bar.setRange(0, 1)
        self.bar.setValue(1 if is_done else 0)
        self.start_button.setEnabled(True)
        self._replaces = None
        self.open_button.setEnabled(is_done and self.path.exists())
        self.cancel_button.setText("Close")
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
