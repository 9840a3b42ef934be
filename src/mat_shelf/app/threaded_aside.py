"""Work on threads, whose results come back to the interface thread."""

from collections.abc import Callable

from mat_shelf.app.job import Job


class ThreadedAside:
    """An `Aside` that starts a thread for each work; whatever ends one is told by `failed`."""

    def __init__(self):
        self._jobs: list[Job] = []

    def __call__(
        self, work: Callable[[], object], then: Callable[[object], None], failed: Callable[[Exception], None]
    ) -> None:
        self._jobs = [job for job in self._jobs if job.isRunning()]
        self._jobs.append(Job(lambda _: work(), then, failed, (Exception,)))
        self._jobs[-1].start()

    @property
    def is_busy(self) -> bool:
        """True while anything is under way."""
        return any(job.isRunning() for job in self._jobs)

    def join(self) -> None:
        """Waits for what is under way."""
        for job in self._jobs:
            job.wait()
