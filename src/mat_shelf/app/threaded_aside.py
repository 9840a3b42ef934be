"""Work on threads, whose results come back to the interface thread."""

from collections.abc import Callable

from PyQt6.QtCore import Qt

from mat_shelf.app.job import Job


class ThreadedAside:
    """An `Aside` that starts a thread for each work; whatever ends one is told by `failed`."""

    def __init__(self):
        self._jobs: list[Job] = []

    def __call__(
        self, work: Callable[[], object], then: Callable[[object], None], failed: Callable[[Exception], None]
    ) -> None:
        job = Job(lambda _: work(), then, failed, (Exception,))
        self._jobs.append(job)
        job.finished.connect(lambda: self._jobs.remove(job), Qt.ConnectionType.QueuedConnection)  # once handed over
        job.start()

    @property
    def is_busy(self) -> bool:
        """True while anything is under way."""
        return bool(self._jobs)

    def join(self) -> None:
        """Waits for what is under way."""
        for job in list(self._jobs):
            job.wait()
