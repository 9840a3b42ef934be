"""The thread that pictures the product in each of its sets."""

import threading
import time
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.app.fault_report import report
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tone import develop
from mat_shelf.system.processors import lower_priority

THUMBNAIL = 66, 44
_SAMPLES = 12
_STAND_BACK_S = 3.0


class _Wanted(NamedTuple):
    project: Project
    assets: Assets
    key: tuple


class SetThumbnails(QObject):
    """Renders small pictures one after another, while nothing is edited.

    Signals
    -------
    made : str, ndarray
        Id of a set, and the product in it, (H, W, 3) uint8.
    """

    made = pyqtSignal(str, object)

    def __init__(self):
        super().__init__()
        self._wanted: dict[str, _Wanted] = {}
        self._done: dict[str, tuple] = {}
        self._lock = threading.Condition()
        self._resumes, self._is_closing = 0.0, False
        self._thread: threading.Thread | None = None

    def want(self, project: Project, assets: Assets) -> None:
        """Asks for the pictures of all sets that are out of date, in place of what was asked for before."""
        with self._lock:
            self._wanted = {}
            for studio in project.sets:
                key = (studio, project.product, project.materials, project.marks, project.view.camera)
                done = self._done.get(studio.id)
                if done is None or not all(a is b or a == b for a, b in zip(done, key, strict=True)):
                    shown = project.with_(current_set=studio.id)
                    self._wanted[studio.id] = _Wanted(shown, assets, key)
            if self._wanted and self._thread is None:
                self._thread = threading.Thread(target=self._run, name="set thumbnails", daemon=True)
                self._thread.start()
            self._lock.notify()

    def forget(self) -> None:
        """Holds no picture for up to date any more."""
        with self._lock:
            self._wanted, self._done = {}, {}

    def stop(self) -> None:
        """Asks for nothing any more."""
        with self._lock:
            self._wanted = {}

    def stand_back(self) -> None:
        """Leaves the machine to the picture on the wall for a moment."""
        self._resumes = time.monotonic() + _STAND_BACK_S

    def close(self) -> None:
        """Ends the thread."""
        with self._lock:
            self._is_closing, self._wanted = True, {}
            self._lock.notify()
        if self._thread is not None:
            self._thread.join(timeout=30)

    def _may_go_on(self, done: int, total: int) -> bool:
        while time.monotonic() < self._resumes and not self._is_closing:
            time.sleep(0.05)
        return not self._is_closing

    def _run(self) -> None:
        lower_priority()
        while True:
            with self._lock:
                while not self._wanted and not self._is_closing:
                    self._lock.wait()
                if self._is_closing:
                    return
                set_id = next(iter(self._wanted))
                wanted = self._wanted.pop(set_id)
            if not self._may_go_on(0, 1):
                return
            try:
                rendered = render_picture(
                    wanted.project, wanted.assets, *THUMBNAIL, _SAMPLES, progress=self._may_go_on, threads=1
                )
            except InterruptedError:
                return
            except Exception as fault:  # a picture that fails is left empty; the window goes on
                report(fault)
                continue
            studio = wanted.project.set
            pixels = develop(rendered.light, 0.0, studio.tone_curve)
            self._done[set_id] = wanted.key
            self.made.emit(set_id, np.ascontiguousarray(pixels))
