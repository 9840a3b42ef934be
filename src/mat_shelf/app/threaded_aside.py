"""Work on threads, whose results come back to the interface thread."""

import threading
from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, pyqtSignal


class ThreadedAside(QObject):
    """An `Aside` that starts a thread for each work."""

    _finished = pyqtSignal(object, object)

    def __init__(self):
        super().__init__()
        self._threads: list[threading.Thread] = []
        self._finished.connect(lambda take, value: take(value), Qt.ConnectionType.QueuedConnection)

    def __call__(
        self, work: Callable[[], object], then: Callable[[object], None], failed: Callable[[Exception], None]
    ) -> None:
        def run() -> None:
            try:
                result = work()
            except Exception as fault:  # whatever ends the thread is told by `failed`
                self._finished.emit(failed, fault)
            else:
                self._finished.emit(then, result)

        self._threads = [thread for thread in self._threads if thread.is_alive()]
        self._threads.append(threading.Thread(target=run, name="aside", daemon=True))
        self._threads[-1].start()

    @property
    def is_busy(self) -> bool:
        """True while anything is under way."""
        return any(thread.is_alive() for thread in self._threads)

    def join(self) -> None:
        """Waits for what is under way: a thread that outlived this object would destroy it from where it must not."""
        for thread in self._threads:
            thread.join(timeout=60)
