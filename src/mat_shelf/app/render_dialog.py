"""Rendering a finished picture to a file, beside the window."""

import time
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
)

from mat_shelf.app.job import Job
from mat_shelf.app.render_fields import RenderFields
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.project import Project
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import ending_of
from mat_shelf.exchange.render_file import RenderSettings, render_to_file, write_relit
from mat_shelf.rendering.final_render import Rendered
from mat_shelf.scene.relighting import mixing_key
from mat_shelf.system.file_writer import words_of

_MIXED = ("lights", "part_lights", "room_luminance", "exposure", "tone_curve")
"""Fields of a set that a finished render can be written again with."""


class RenderDialog(QDialog):
    """Choice of a render and its file; then progress, time left and Cancel. The window stays usable.

    Signals
    -------
    is_running : bool
    """

    is_running = pyqtSignal(bool)

    def __init__(self, workshop: Workshop, parent=None):
        super().__init__(parent)
        self.setWindowTitle("Render")
        self.setModal(False)
        self.workshop = workshop
        self._job: Job | None = None
        self._began = 0.0
        self._limit: float | None = None
        self._kept: tuple[Project, Rendered, RenderSettings] | None = None
        self.fields = RenderFields(workshop)
        self.bar = QProgressBar(textVisible=False)
        self.state = PlainLabel("PNG, TIFF and JPEG are tone-mapped; EXR keeps the light as it is.")
        self.state.setProperty("role", "quiet")
        self.state.setFont(font(12, tabular=True))
        self.state.setWordWrap(True)
        self.start_button = QPushButton("Render")
        self.start_button.setProperty("role", "main")
        self.start_button.setDefault(True)
        self.start_button.clicked.connect(self.start)
        self.again_button = QPushButton("Write again")
        self.again_button.setToolTip("Writes the last render with its lights and exposure as they are now")
        self.again_button.clicked.connect(self.write_again)
        self.cancel_button = QPushButton("Close")
        self.cancel_button.clicked.connect(self._cancel_or_close)
        self._lay_out()
        workshop.project_replaced.connect(self._forget)
        workshop.project_changed.connect(self._offer_again)

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.again_button)
        buttons.addWidget(self.cancel_button)
        buttons.addWidget(self.start_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addWidget(self.fields)
        layout.addWidget(self.bar)
        layout.addWidget(self.state)
        layout.addLayout(buttons)
        self.setMinimumWidth(600)

    def showEvent(self, event) -> None:
        self.fields.fill_choices()
        self.fields.offer_region()
        self._offer_again()
        super().showEvent(event)

    def _forget(self) -> None:
        self._kept = None
        self._offer_again()

    def _offer_again(self) -> None:
        """Offers to write the last render again, as long as its set differs in what can be mixed alone."""
        if not self.isVisible():
            return
        self.fields.tell_size()
        self.again_button.setVisible(self._kept is not None)
        self.again_button.setEnabled(self._relit_project() is not None and self.start_button.isEnabled())

    def _relit_project(self) -> Project | None:
        """The project of the last render, with lights and exposure as they are now; all else is in the film."""
        if self._kept is None:
            return None
        then = self._kept[0]
        now = next((studio for studio in self.workshop.project.sets if studio.id == then.current_set), None)
        if now is None or mixing_key(now) != mixing_key(then.set):
            return None
        return then.with_set(then.set.with_(**{name: getattr(now, name) for name in _MIXED}))

    def start(self) -> None:
        path = self.fields.path
        try:
            settings = self.fields.settings()
        except ImageError as fault:
            words = str(fault)
            self.state.setText(f"{words[0].upper()}{words[1:]}.")
            return
        if not path.parent.is_dir():
            self.state.setText(f"The folder {path.parent} does not exist; choose another.")
            return
        project = self.fields.project()
        if project is None:
            self.fields.fill_choices()
            self.state.setText("That view or set is no longer in the project; choose again.")
            return
        self._limit = settings.seconds
        self._kept = None
        assets = self.workshop.assets

        def render(job: Job) -> Rendered:
            passes = partial(job.tell, "")
            return render_to_file(project, assets, path, settings, passes, lambda *_: not job.is_cancelled)[0]

        self._run(render, project, path, settings, "Preparing the scene…")

    def write_again(self) -> None:
        """Writes the last render with its lights as they are now."""
        project = self._relit_project()
        if project is None:
            return
        (_, rendered, settings), assets = self._kept, self.workshop.assets
        path = self.fields.path
        try:
            ending_of(path, settings.cut_out, settings.form.bits, bool(settings.passes))
        except ImageError as fault:
            self.state.setText(f"Not written: {fault}.")
            return
        self._run(
            lambda job: write_relit(project, assets, rendered, path, settings),
            project,
            path,
            settings,
            "Mixing the lights…",
        )

    def _run(self, make, project: Project, path: Path, settings: RenderSettings, words: str) -> None:
        """Makes a render and its file on a thread."""
        self._began = time.monotonic()
        self.bar.setRange(0, settings.samples)
        self.bar.setValue(0)
        self.state.setText(words)
        self.start_button.setEnabled(False)
        self.cancel_button.setText("Cancel")
        self.is_running.emit(True)
        self._offer_again()
        written: list[Rendered] = []

        def end() -> None:
            if written:  # even where Cancel came too late
                self._kept = (project, written[0], settings) if written[0].lit is not None else None
                self._finish(f"Written to {path}", True)
            elif self._job.is_cancelled:
                self._finish("Cancelled; nothing was written.", False)

        self._job = Job(
            lambda job: written.append(make(job)),
            lambda _: None,
            lambda fault: self._finish(f"Not written: {words_of(fault)}", False),
            (Exception,),  # whatever ends the thread, the dialog must say so and be usable again
            self,
        )
        self._job.progressed.connect(self._show_progress, Qt.ConnectionType.QueuedConnection)
        self._job.finished.connect(end, Qt.ConnectionType.QueuedConnection)
        self._job.start()

    def _show_progress(self, _what: str, done: int, total: int) -> None:
        passed = time.monotonic() - self._began
        left = passed / done * (total - done)
        if self._limit is not None and passed + left > self._limit:
            left = max(self._limit - passed, 0)
            total = max(round(done * self._limit / passed), done)
        if self.bar.maximum() != total:
            self.bar.setRange(0, total)
        self.bar.setValue(done)
        cleaning = "removing noise" if done >= total else f"about {_duration(left)} left"
        self.state.setText(f"{done} of {total} samples, {cleaning}")

    def _finish(self, text: str, is_done: bool) -> None:
        self.state.setText(text)
        self.start_button.setEnabled(True)
        self.cancel_button.setText("Close")
        if not is_done:
            self.bar.setValue(0)
        self._offer_again()
        self.is_running.emit(False)

    def _cancel_or_close(self) -> None:
        if self.start_button.isEnabled():
            self.close()
        else:
            self.state.setText("Cancelling…")
            self._job.cancel()

    def close_thread(self) -> None:
        """Cancels a render, and waits for its end."""
        if self._job is not None:
            self._job.close()

    def closeEvent(self, event) -> None:
        if self._job is not None:
            self._job.cancel()
        super().closeEvent(event)


def _duration(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
