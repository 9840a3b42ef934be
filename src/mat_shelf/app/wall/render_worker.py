"""The thread that renders for the panes of the wall."""

import threading
import time
from contextlib import suppress
from itertools import cycle

from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.session import RenderSession
from mat_shelf.scene.ball import Ball
from mat_shelf.scene.supplies import Supplies
from mat_shelf.system.fault_log import log_fault
from mat_shelf.system.processors import lower_priority

MAIN, CLOSE_UP = "main", "close-up"
"""Panes that are rendered for."""
SHARE = 4
"""Of this many refining steps, all but one go to the pane that is looked at."""
CALM_S = 0.2
"""Time without an edit after which pictures are refined: a fine wave under way would hold the next coarse one up."""


class RenderWorker(QObject):
    """Keeps a render session for each pane going beside the interface.

    Signals
    -------
    frame_ready : pane, Frame
    failed : str

    Attributes
    ----------
    looked_at : str
        The pane that gets most of the time.
    """

    frame_ready = pyqtSignal(str, object)
    failed = pyqtSignal(str)

    def __init__(self, supplies: Supplies):
        super().__init__()
        viewport = RenderSession(supplies)
        self._sessions = {MAIN: viewport, CLOSE_UP: RenderSession(supplies, beside=viewport)}
        self.looked_at = MAIN
        self._wake = threading.Event()
        self._paused = self._gives_way = False
        self._is_closing = False
        self._edited_at = 0.0
        self._thread = threading.Thread(target=self._run, name="wall", daemon=True)
        self._thread.start()

    def update(self, pane: str, project: Project, camera: Camera | None = None, ball: Ball | None = None) -> int:
        """Asks for a picture; returns the revision that its frames will carry."""
        revision = self._sessions[pane].update(project, camera, ball)
        self._edited_at = time.monotonic()
        self._wake.set()
        return revision

    def resize(self, pane: str, width: int, height: int) -> int:
        revision = self._sessions[pane].resize(width, height)
        self._wake.set()
        return revision

    def look_at(self, pane: str, key: str) -> int:
        """Shows an input in place of a pane's render, or the render; returns the revision of its frames."""
        revision = self._sessions[pane].look_at(key)
        self._wake.set()
        return revision

    def refine_region(self, pane: str, region: PictureRegion | None) -> None:
        """Refines only a part of a pane's picture, or all of it again."""
        self._sessions[pane].set_region(region)
        self._wake.set()

    def compare_finish(self, pane: str, compares: bool) -> int:
        """Gives a pane the picture as rendered too; returns the revision of its frames."""
        revision = self._sessions[pane].compare_finish(compares)
        self._wake.set()
        return revision

    def give_way(self, gives: bool) -> None:
        """Makes only the first picture after each edit, while other work needs the processor."""
        self._gives_way = gives
        self._wake.set()

    def pause(self, paused: bool) -> None:
        """Leaves the processor to other work, or goes on."""
        self._paused = paused
        self._wake.set()

    def close(self) -> None:
        self._is_closing = True
        self._sessions[MAIN].close()
        self._wake.set()
        self._thread.join(timeout=30)

    def _next_pane(self, turn: int) -> str | None:
        """A pane that is behind comes first; then most turns go to the one looked at."""
        order = sorted(self._sessions, key=lambda pane: pane != self.looked_at)
        for pane in order:
            if self._sessions[pane].is_behind:
                return pane
        if self._gives_way:
            return None
        busy = [pane for pane in order if not self._sessions[pane].is_at_rest]
        return (busy[-1] if turn == 0 else busy[0]) if busy else None

    def _run(self) -> None:
        lower_priority()  # the denoiser's threads, which this one starts, inherit it
        for turn in cycle(range(SHARE)):
            if self._is_closing:
                return
            pane = None if self._paused else self._next_pane(turn)
            if pane is None:
                self._wake.wait()
                self._wake.clear()
                continue
            left = self._edited_at + CALM_S - time.monotonic()
            if left > 0 and not self._sessions[pane].is_behind:
                self._wake.wait(left)
                self._wake.clear()
                continue
            try:
                frame = self._sessions[pane].step()
            except Exception as fault:  # the window must outlive whatever a project makes the renderer do
                if not self._is_closing:
                    log_fault(fault, "render worker")
                    with suppress(RuntimeError):  # the window is gone, and the program ends
                        self.failed.emit(f"Rendering failed: {fault or type(fault).__name__}")
                    self._wake.wait()
                    self._wake.clear()
                continue
            if frame is not None and not self._is_closing:
                self.frame_ready.emit(pane, frame)
