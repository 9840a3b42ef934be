"""Keeps unsaved work while the window is open."""

from datetime import datetime

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from mat_shelf.app.job import Job
from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.recovery import LeftBehind, Recovery

INTERVAL_MS = 10_000


class Autosave(QObject):
    """Writes the project a little after each change, on a thread of its own.

    Signals
    -------
    failed : str
        Said once, not at every try.
    """

    failed = pyqtSignal(str)

    def __init__(self, workshop: Workshop, recovery: Recovery):
        super().__init__()
        self._workshop, self._recovery = workshop, recovery
        self._kept = None
        self._has_failed = False
        self._offered: list[LeftBehind] = []
        self._job: Job | None = None
        self._timer = QTimer(self, interval=INTERVAL_MS)
        self._timer.timeout.connect(self.write_now)
        self._timer.start()
        self.failed.connect(workshop.said)

    def set_interval(self, seconds: int) -> None:
        """Waits so long between one look at the project and the next."""
        self._timer.setInterval(seconds * 1000)

    def write_now(self) -> bool:
        """Writes the present project if it has changes that are neither saved nor kept; whether it is or will be."""
        workshop = self._workshop
        project = workshop.project
        if self._job is not None and self._job.isRunning():
            return not self._has_failed
        if not workshop.history.is_changed:
            self._recovery.clear()
            self._kept = None
            return True
        if project is self._kept:
            return True
        self._kept = project
        assets, path = workshop.assets, workshop.path
        self._job = Job(
            lambda _: self._recovery.keep(project, assets, path), self._succeed, self._fail, (OSError, MemoryError)
        )
        self._job.start()
        return not self._has_failed

    def _succeed(self, _) -> None:
        self._has_failed = False

    def _fail(self, fault: Exception) -> None:
        self._kept = None  # tried again at the next turn
        if not self._has_failed:
            self._has_failed = True
            self.failed.emit(f"Unsaved work cannot be kept for a crash: {fault}. Save the project yourself.")

    def wait(self) -> None:
        """Waits until what is being written is written, and what failed is told."""
        if self._job is not None:
            self._job.settle()

    def close(self) -> None:
        """Ends well: nothing needs to be offered back."""
        self._timer.stop()
        self.wait()
        self._recovery.close()
        for lost in self._offered:
            self._recovery.leave(lost)

    def left_behind(self) -> list[LeftBehind]:
        """Work to offer back; it is held until it is decided what becomes of it."""
        self._offered = self._recovery.left_behind()
        return self._offered

    def restore(self, lost: LeftBehind) -> None:
        """Opens what was left behind; it counts as changed until it is saved."""
        try:
            project, assets = self._recovery.restore(lost)
        except PackageError as fault:
            self._workshop.said.emit(f"It could not be restored: {fault}")
            return
        self.wait()
        self._workshop.replace(project, assets, lost.path)
        self._workshop.history.saved = None
        self._workshop.project_changed.emit()
        self._kept = None
        self.write_now()
        self.wait()
        if self._kept is project:  # else what was left behind stays the only copy
            self._recovery.forget(lost)

    def discard(self, lost: LeftBehind) -> None:
        self._recovery.forget(lost)


def unsaved_words(lost: LeftBehind) -> str:
    """Message about unsaved work that was found."""
    when = datetime.fromtimestamp(lost.when).strftime("%d %B, %H:%M")
    return f"'{lost.name}' was not saved when Mat Shelf last ended, on {when}. Restore it?"
