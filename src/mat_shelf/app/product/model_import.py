"""A model on its way into the project: read beside the window, then asked about."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from mat_shelf.app.notice import Notice
from mat_shelf.app.product.import_job import ImportJob
from mat_shelf.app.workshop import ProductWork
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.size import UNIT_NAMES, UnitGuess, length_words, other_units, size_question


class ModelImport(QObject):
    """Imports one model at a time.

    Parameters
    ----------
    may_leave : callable () -> bool
        Asks about unsaved changes of the present project.

    Signals
    -------
    arrived
        The model is part of the project, or has updated it.
    """

    arrived = pyqtSignal()

    def __init__(self, work: ProductWork, notice: Notice, may_leave: Callable[[], bool], parent: QObject):
        super().__init__(parent)
        self.work, self.workshop, self.notice = work, work.workshop, notice
        self._may_leave = may_leave
        self.job: ImportJob | None = None

    def start(self, path: Path) -> None:
        """Reads a model beside the window, then asks what to do with it."""
        if self.job is not None:
            self.notice.show_text(f"{self.job.path.name} is still being imported; cancel it first.")
            return
        job = self.job = ImportJob(path)
        queued = Qt.ConnectionType.QueuedConnection
        job.progressed.connect(self._show_progress, queued)
        job.done.connect(self._done, queued)
        job.failed.connect(self._failed, queued)
        job.start()

    def close_thread(self) -> None:
        """Cancels what is being read and waits for its thread."""
        if self.job is not None:
            self.job.cancel()
            self.job.wait()

    def _show_progress(self, text: str) -> None:
        job = self.job
        if job is not None:
            self.notice.ask(f"{job.path.name}: {text}…", ("Cancel", job.cancel))

    def _failed(self, text: str) -> None:
        self.job.wait()  # its thread must be over before it may go
        self.job = None
        self.notice.settle()
        if text:
            self.notice.show_text(text)

    def _done(self) -> None:
        job, self.job = self.job, None
        job.wait()
        self.notice.settle()
        count = len(job.product.parts)
        parts = "1 part" if count == 1 else f"{count} parts"
        self.notice.ask(
            f"{job.path.name}: {parts} read." + (f" {job.report[0]}." if job.report else ""),
            ("New project", lambda: self._add(job, is_new=True)),
            ("Add to this product", lambda: self._add(job, is_new=False)),
            ("Update this product", lambda: self._update(job)),
            ("Cancel", lambda: None),
        )

    def _update(self, job: ImportJob) -> None:
        found = self.work.exchange(job.product, job.materials, job.assets)
        if found is None:
            return
        self.arrived.emit()
        self.notice.ask(f"{job.path.name}: {found.words()}", ("OK", lambda: None))

    def _add(self, job: ImportJob, is_new: bool) -> None:
        bounds = self.work.bounds_of(job.product, job.assets)
        if is_new:
            if not self._may_leave():
                return
            self.workshop.replace(new_project(job.product, job.materials, bounds[1] - bounds[0]), job.assets, None)
            self.workshop.history.saved = None
            self.workshop.project_changed.emit()
        else:
            self.work.add(job.product, job.materials, job.assets)
        self.arrived.emit()
        ids = [part.id for part in self.workshop.project.product.parts][-len(job.product.parts) :]
        self._ask_about(job.path.name, ids, job.product.unit, job.up, is_new)

    def _ask_about(self, name: str, part_ids: list[str], unit: str, up: str, is_new: bool) -> None:
        """Tells the size, with the other axis to point up; asks about it where no product is as large."""
        parts = [part for part in self.workshop.project.product.parts if part.id in part_ids]
        low, high = self.work.bounds(parts)
        size = [float(x) for x in high - low]
        other = "y" if up == "z" else "z"

        def turn_up() -> None:
            with self.workshop.as_one(f"{other.upper()} is up"):
                self.work.set_up_axis([self.workshop.project.part(i) for i in part_ids], other)
                if is_new:
                    self.work.refit()
            self._ask_about(name, part_ids, unit, other, is_new)

        turn = f"{other.upper()} is up", turn_up
        question = size_question(name, size, unit)
        if question is None:
            shown = " × ".join(length_words(x) for x in size)
            self.notice.show_text(f"{name} is {shown} large." + ("" if is_new else " Added to the product."), turn)
            return

        def read_as(guess: UnitGuess) -> None:
            if is_new:
                with self.workshop.as_one(f"Read as {guess.unit}"):
                    self.work.read_as(guess.unit)
                    self.work.refit()
            else:
                self.work.rescale(part_ids, unit, guess.unit)

        answers = [
            (f"{guess.unit}: {length_words(guess.longest_mm)}", lambda guess=guess: read_as(guess))
            for guess in other_units(max(size), unit)[:3]
        ]
        self.notice.ask(question, *answers, (f"Keep {UNIT_NAMES[unit]}", lambda: None), turn)
