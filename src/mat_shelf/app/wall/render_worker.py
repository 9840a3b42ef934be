"""The thread that renders for the wall."""

import threading
from collections.abc import Mapping

from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.document.project import Camera, Project
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.rendering.session import Frame, RenderSession


class RenderWorker(QObject):
    """Keeps a render session going beside the interface.

    Signals
    -------
    frame_ready : Frame
    failed : str
    """

    frame_ready = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, meshes: Mapping[str, Mesh]):
        super().__init__()
        self._session = RenderSession(meshes)
        self._wake = threading.Event()
        self._paused = False
        self._is_closing = False
        self._thread = threading.Thread(target=self._run, name="wall", daemon=True)
        self._thread.start()

    def update(self, project: Project, camera: Camera | None = None) -> int:
        revision = self._session.update(project, camera)
        self._wake.set()
        return revision

    def resize(self, width: int, height: int) -> int:
        revision = self._session.resize(width, height)
        self._wake.set()
        return revision

    def pause(self, paused: bool) -> None:
        """Leaves the processor to other work, or goes on."""
        self._paused = paused
        self._wake.set()

    def close(self) -> None:
        self._is_closing = True
        self._session.close()
        self._wake.set()
        self._thread.join(timeout=30)

    def _run(self) -> None:
        while not self._is_closing:
            if self._paused or self._session.is_at_rest:
                self._wake.wait()
                self._wake.clear()
                continue
            try:
                frame: Frame | None = self._session.step()
            except Exception as fault:  # the window must outlive whatever a project makes the renderer do
                if not self._is_closing:
                    self.failed.emit(f"The picture could not be rendered: {fault}")
                    self._wake.wait()
                    self._wake.clear()
                continue
            if frame is not None and not self._is_closing:
                self.frame_ready.emit(frame)
