"""A model on its way into the project: read beside the window, then asked about."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from mat_shelf.app.job import Job
from mat_shelf.app.notice import Notice
from mat_shelf.app.workshop import ProductWork
from mat_shelf.exchange.models.formats import MODEL_ENDINGS
from mat_shelf.exchange.product_import import ImportedProduct, new_project, read_product
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.geometry.size import UNIT_NAMES, UnitGuess, length_words, other_units, size_question
from mat_shelf.system.file_writer import words_of

MODEL_FILES = f"Models ({' '.join(f'*{ending}' for ending in MODEL_ENDINGS)})"


class ModelImport(QObject):
    """Imports one model at a time.

    Parameters
    ----------
    may_leave : callable () -> bool
        Asks about unsaved changes of the present project.
    open_messages : callable () -> None
        Opens the list of what was said.

    Signals
    -------
    arrived
        The model is part of the project, or has updated it.
    """

    arrived = pyqtSignal()

    def __init__(
        self,
        work: ProductWork,
        notice: Notice,
        may_leave: Callable[[], bool],
        open_messages: Callable[[], None],
        parent: QObject,
    ):
        super().__init__(parent)
        self.work, self.workshop, self.notice = work, work.workshop, notice
        self._may_leave, self._open_messages = may_leave, open_messages
        self.job: Job | None = None
        self._name = ""

    def start(self, path: Path, fineness: str = "good", is_update: bool = False) -> None:
        """Reads a model beside the window, then asks what to do with it, or puts it in place of the product."""
        if self.job is not None:
            self.notice.show_text(f"{self._name} is still being imported; cancel it first.")
            return
        name, said = path.name, ""

        def progress(job: Job, text: str) -> bool:
            nonlocal said
            if text != said:
                said = text
                job.progressed.emit(text, 0, 0)
            return not job.is_cancelled

        def refuse(fault: Exception) -> None:
            about = "" if isinstance(fault, MeshError) else f"{name}: "
            self.notice.settle()
            self.notice.show_text(f"Not imported: {about}{words_of(fault)}.")

        self._name = name
        self.job = Job(
            lambda job: read_product(path, partial(progress, job), fineness),
            lambda found: self._take_over(name, found) if is_update else self._ask_what_for(name, found),
            refuse,
            (Exception,),  # whatever ends the thread must be said
        )
        self.job.progressed.connect(self._show_progress, Qt.ConnectionType.QueuedConnection)
        self.job.over.connect(self._end)
        self.job.start()

    def close_thread(self) -> None:
        """Cancels what is being read and waits for its thread."""
        if self.job is not None:
            self.job.close()

    def _show_progress(self, text: str) -> None:
        if self.job is not None:
            self.notice.ask(f"{self._name}: {text}…", ("Cancel", self.job.cancel))

    def _end(self) -> None:
        if self.job.is_cancelled:
            self.notice.settle()
        self.job = None

    def _ask_what_for(self, name: str, found: ImportedProduct) -> None:
        self.notice.settle()
        for line in found.words():
            self.notice.note(f"{name}: {line}.")
        if not self.work.project.product.parts:  # there is nothing that it could be added to
            self._add(name, found, is_new=True)
            return
        count = len(found.product.parts)
        parts = "1 part" if count == 1 else f"{count} parts"
        self.notice.ask(
            f"{name}: {parts} read." + _summary(found),
            ("New project", lambda: self._add(name, found, is_new=True)),
            ("Add to this product", lambda: self._add(name, found, is_new=False)),
            ("Update this product", lambda: self._update(name, found)),
            ("Cancel", lambda: None),
        )

    def _take_over(self, name: str, found: ImportedProduct) -> None:
        self.notice.settle()
        self._update(name, found)

    def read_again(self, path: Path | None = None, fineness: str | None = None) -> None:
        """Reads the file of the product anew, perhaps with finer or coarser triangles, and updates the product."""
        product = self.work.project.product
        if product.source is not None:
            self.start(path or Path(product.source), fineness or product.fineness, is_update=True)

    def _update(self, name: str, new: ImportedProduct) -> None:
        found = self.work.exchange(new.product, new.materials, new.assets)
        if found is None:
            return
        self.arrived.emit()
        self.notice.ask(f"{name}: {found.words()}", ("OK", lambda: None))

    def _add(self, name: str, new: ImportedProduct, is_new: bool) -> None:
        bounds = self.work.bounds_of(new.product, new.assets)
        if is_new:
            if not self._may_leave():
                return
            self.workshop.replace(new_project(new.product, new.materials, bounds[1] - bounds[0]), new.assets, None)
            self.workshop.history.saved = None
            self.workshop.project_changed.emit()
        else:
            self.work.add(new.product, new.materials, new.assets)
        self.arrived.emit()
        ids = [part.id for part in self.workshop.project.product.parts][-len(new.product.parts) :]
        self._ask_about(name, ids, new.product.unit, new.up, is_new, new)

    def _ask_about(
        self, name: str, part_ids: list[str], unit: str, up: str, is_new: bool, found: ImportedProduct
    ) -> None:
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
            self._ask_about(name, part_ids, unit, other, is_new, found)

        turn = f"{other.upper()} is up", turn_up
        question = size_question(name, size, unit)
        if question is None:
            shown = " × ".join(length_words(x) for x in size)
            added = "" if is_new else " Added to the product."
            more = [("All notes", self._open_messages)] if len(found.words()) > 1 else []
            self.notice.show_text(f"{name} is {shown} large.{added}{_summary(found)}", *more, turn)
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


def _summary(found: ImportedProduct) -> str:
    """The first of what is worth telling about a model, and how much more there is."""
    words = found.words()
    if not words:
        return ""
    return f" {words[0][0].upper()}{words[0][1:]}" + (f". {_notes(len(words) - 1)}." if words[1:] else ".")


def _notes(count: int) -> str:
    return "1 more note" if count == 1 else f"{count} more notes"
