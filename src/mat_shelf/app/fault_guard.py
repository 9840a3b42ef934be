"""The last line of defence: a fault anywhere is told and kept, the work is saved aside, and the window goes on."""

import sys
import threading
import time
import traceback

from pydantic import ValidationError
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.window import Window
from mat_shelf.document.parameter import explain
from mat_shelf.system.fault_log import details_of, log_fault
from mat_shelf.system.file_writer import words_of

_QUIET_S = 20.0
"""Time in which the same fault is told only once: one while painting comes with every frame."""


class FaultGuard(QObject):
    """Takes what nothing else caught, from slots, threads and finalisers, as long as it is installed.

    Signals
    -------
    caught : exception, str
        What, and in which thread.
    """

    caught = pyqtSignal(object, str)

    def __init__(self, window: Window):
        super().__init__(window)
        self._window = window
        self._told: dict[tuple, float] = {}
        self._before: tuple = ()
        self.caught.connect(self._tell, Qt.ConnectionType.QueuedConnection)

    def install(self) -> None:
        """Takes the interpreter's hooks; Qt hands over what a slot raises only while they are taken."""
        self._before = sys.excepthook, threading.excepthook, sys.unraisablehook
        sys.excepthook = lambda kind, fault, trace: self.take(fault, threading.current_thread().name)
        threading.excepthook = lambda told: self.take(told.exc_value, told.thread.name if told.thread else "a thread")
        sys.unraisablehook = lambda told: self.take(told.exc_value, "a finaliser")

    def remove(self) -> None:
        """Gives the hooks back."""
        if self._before:
            sys.excepthook, threading.excepthook, sys.unraisablehook = self._before
            self._before = ()

    def take(self, fault: BaseException | None, where: str) -> None:
        """Keeps a fault and has it told; called on any thread."""
        try:
            if fault is None or isinstance(fault, SystemExit):
                return
            if isinstance(fault, KeyboardInterrupt):
                QApplication.quit()
                return
            if self._is_new(fault):
                log_fault(fault, where)
                self.caught.emit(fault, where)
        except BaseException:  # the last line has none behind it
            traceback.print_exc()

    def _is_new(self, fault: BaseException) -> bool:
        frames = traceback.extract_tb(fault.__traceback__)
        key = (type(fault), *((frames[-1].filename, frames[-1].lineno) if frames else ()))
        now = time.monotonic()
        is_new = now - self._told.get(key, -1e9) > _QUIET_S
        if is_new:
            self._told[key] = now
        return is_new

    def _tell(self, fault: BaseException, where: str) -> None:
        self._window.workshop.history.end_gesture()
        is_kept = self._window.autosave is not None and self._window.autosave.write_now()
        details = f"{where}\n{details_of(fault)}"
        self._window.offer(
            fault_words(fault, is_kept), "Copy details", lambda: QApplication.clipboard().setText(details)
        )


def fault_words(fault: BaseException, is_kept: bool) -> str:
    """A fault in one or two sentences, and what becomes of the work."""
    if isinstance(fault, ValidationError):
        return f"That was not done: {explain(fault)}."
    if isinstance(fault, MemoryError):
        what = "There is not enough memory for that: close other programs, or make it smaller."
    elif isinstance(fault, OSError):
        what = f"That was not done: {words_of(fault)}."
    else:
        what = "Something went wrong inside Mat Shelf, and that was not done."
    kept = "Your work was saved aside; you can go on." if is_kept else "You can go on; save your work soon."
    return f"{what} {kept}"
