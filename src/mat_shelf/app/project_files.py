"""Opening and saving projects, aside from the window."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QObject
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from mat_shelf.app.job import Job
from mat_shelf.app.notice import Notice
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.workshop import Workshop
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import (
    PROJECT_ENDING,
    plain_file_name,
    project_path,
    read_project,
    save_project,
)
from mat_shelf.system.file_writer import ANY, ChangedElsewhereError, Stamp, stamp_of, words_of
from mat_shelf.system.user_folders import home_folder

PROJECT_FILES = f"Mat Shelf projects (*{PROJECT_ENDING})"


class ProjectFiles(QObject):
    """One project is opened, and one saved, at a time.

    Parameters
    ----------
    window : QWidget
        Parent of the dialogs.
    """

    def __init__(self, workshop: Workshop, notice: Notice, window: QWidget):
        super().__init__(window)
        self.workshop, self.notice, self.window = workshop, notice, window
        self.open_job: Job | None = None
        self.save_job: Job | None = None

    def close(self) -> None:
        """Waits for what is being read or written."""
        for job in (self.open_job, self.save_job):
            if job is not None:
                job.wait()

    def choose(self) -> None:
        """Asks for a project, and opens it."""
        if not self.may_leave():
            return
        chosen, _ = QFileDialog.getOpenFileName(self.window, "Open project", self.folder(), PROJECT_FILES)
        if chosen:
            self.open(Path(chosen))

    def open(self, path: Path) -> None:
        """Reads a project aside from the window, then puts it in place of the present one."""
        self._read(path.name, lambda: (stamp_of(path), *read_project(path)), path)

    def open_demo(self, then: Callable[[], object] = lambda: None) -> None:
        """Puts the demo in place of the present project, asked about first if it is not saved."""
        if self.may_leave():
            self._read("the demo", lambda: (None, *demo_project()), None, then)

    def _read(self, name: str, read: Callable[[], tuple], path: Path | None, then=lambda: None) -> None:
        if self.open_job is not None:
            self.workshop.said.emit("A project is still being read; try again in a moment.")
            return
        before, reading = self.workshop.project, f"Reading {name}…"

        def take(found: tuple[Stamp | None, Project, Assets]) -> None:
            # Whoever went on working meanwhile is asked again before that is left behind.
            if self.workshop.project is before or self.may_leave():
                stamp, project, assets = found
                self.workshop.replace(project, assets, path, stamp)
                then()

        def end() -> None:
            self.open_job = None
            if self.notice.text.text() == reading:
                self.notice.hide()

        self.open_job = Job(
            lambda _: read(),
            take,
            lambda fault: self.workshop.said.emit(f"Not opened: {words_of(fault)}"),
            (PackageError, MemoryError),
        )
        self.open_job.over.connect(end)
        self.workshop.said.emit(reading)
        self.open_job.start()

    def save(self) -> Job | None:
        """Saves aside from the window, where it was saved before; None where nothing was begun."""
        path = self.workshop.path
        return self._save_to(path, self.workshop.stamp) if path else self.save_as()

    def save_as(self) -> Job | None:
        """Asks where to, and saves aside from the window; None where nothing was begun."""
        suggested = str(Path(self.folder()) / f"{plain_file_name(self.workshop.project.name)}{PROJECT_ENDING}")
        chosen, _ = QFileDialog.getSaveFileName(self.window, "Save project", suggested, PROJECT_FILES)
        return self._save_to(project_path(Path(chosen)), ANY) if chosen else None

    def _save_to(self, path: Path, expected) -> Job | None:
        if self.save_job is not None:
            self.workshop.said.emit("The project is still being written; try again in a moment.")
            return None
        project, assets = self.workshop.project, self.workshop.assets

        def take(stamp: Stamp) -> None:
            if self.workshop.assets is assets:  # else another project was opened meanwhile
                self.workshop.note_saved(path, project, stamp)

        def refuse(fault: Exception) -> None:
            if not isinstance(fault, ChangedElsewhereError):
                self.workshop.said.emit(f"Not saved: {str(fault) or words_of(fault)}.")
                return
            self.notice.ask(
                f"{fault}. Saving now would overwrite that.",
                ("Overwrite", lambda: self._save_to(path, ANY)),
                ("Save as…", self.save_as),
                ("Cancel", lambda: None),
            )

        def end() -> None:
            self.save_job = None

        work = partial(save_project, path, project, assets, expected)
        job = self.save_job = Job(lambda _: work(), take, refuse, (OSError, MemoryError), self)
        job.over.connect(end)
        job.start()
        return job

    def _save_and_wait(self) -> bool:
        """Saves before something that cannot wait; whether all is saved now."""
        job = self.save()
        if job is not None:
            waiting = QEventLoop()
            # It is handed over by the loop itself, which ends after that; the thread may have ended before.
            job.over.connect(waiting.quit)
            waiting.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        return not self.workshop.history.is_changed

    def folder(self) -> str:
        """Folder that file dialogs begin in."""
        return str(self.workshop.path.parent if self.workshop.path else home_folder())

    def may_leave(self) -> bool:
        """Asks about changes that are not saved; True if the project may be left behind."""
        if not self.workshop.history.is_changed:
            return True
        answer = QMessageBox.question(
            self.window,
            "Unsaved changes",
            plain_text(f"'{self.workshop.project.name}' has changes that are not saved. Save them?"),
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
        )
        if answer == QMessageBox.StandardButton.Save:
            return self._save_and_wait()
        return answer == QMessageBox.StandardButton.Discard
