"""Work on a thread: its progress, its end, and one way to say what came in its way."""

import time
from collections.abc import Callable

from PyQt6.QtCore import QCoreApplication, QEvent, QObject, Qt, QThread, pyqtSignal, pyqtSlot

_EVERY = 0.1
"""Seconds between two words about progress."""


class Job(QThread):
    """Work whose result, or refusal, is handed over in the interface thread, unless it was cancelled.

    Parameters
    ----------
    work : callable (Job) -> object
        Runs on the thread. It may `tell` how far it is, and may end with InterruptedError once it is cancelled.
    done : callable (object) -> None
        Takes the result.
    refused : callable (Exception) -> None, optional
        Takes a refusal.
    refusals : tuple of exception classes
        What can be expected to come in the way; anything else is a fault of the program and goes to the fault guard.
    parent : QObject, optional

    Signals
    -------
    progressed : str, int, int
        What is looked at, how much of it is done, and how much there is.
    over
        The thread has ended, and what came of it is handed over next: whoever answers may begin anew.
    """

    progressed = pyqtSignal(str, int, int)
    over = pyqtSignal()
    _ended = pyqtSignal(object, object)

    def __init__(
        self,
        work: Callable[["Job"], object],
        done: Callable[[object], None],
        refused: Callable[[Exception], None] | None = None,
        refusals: tuple[type[Exception], ...] = (),
        parent: QObject | None = None,
    ):
        super().__init__(parent)
        self._work, self._done, self._refused, self._refusals = work, done, refused, refusals
        self._told, self._is_cancelled = 0.0, False
        self._ended.connect(self._hand_over, Qt.ConnectionType.QueuedConnection)

    @property
    def is_cancelled(self) -> bool:
        """True once nobody waits for the result any more."""
        return self._is_cancelled

    def run(self) -> None:
        take, value = None, None
        try:
            value = self._work(self)
            take = self._done
        except InterruptedError:
            pass
        except self._refusals as fault:
            take, value = self._refused, fault
        finally:  # whatever came of it, so that nobody lets go of the thread before it is over
            self._ended.emit(take, value)

    def tell(self, what: str, done: int, total: int) -> bool:
        """Tells the window how far the work is, a few times a second; False once it is cancelled."""
        now = time.monotonic()
        if now - self._told >= _EVERY or done >= total:
            self._told = now
            self.progressed.emit(what, done, total)
        return not self.is_cancelled

    def cancel(self) -> None:
        """Asks the work to end; nothing is handed over."""
        self._is_cancelled = True

    def close(self) -> None:
        """Cancels, and waits for the end."""
        self.cancel()
        self.wait()

    def settle(self) -> None:
        """Waits for the end, and hands over what came of it now."""
        self.wait()
        QCoreApplication.sendPostedEvents(self, QEvent.Type.MetaCall)

    @pyqtSlot(object, object)
    def _hand_over(self, take: Callable | None, value: object) -> None:
        self.wait()
        self.over.emit()
        if take is not None and not self.is_cancelled:
            take(value)
