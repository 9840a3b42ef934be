"""The file of the model, looked after: a newer state of it is offered."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer

from mat_shelf.app.notice import Notice
from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.product_import import modified_at

SETTLED_MS = 1500
"""Time for which a file must not change any more: what is half written is no newer state."""


class ModelWatch(QObject):
    """Watches the file that the product came from.

    Parameters
    ----------
    update : callable (Path)
        Reads the file, and updates the product.
    """

    def __init__(self, workshop: Workshop, notice: Notice, update: Callable[[Path], None], parent: QObject):
        super().__init__(parent)
        self.workshop, self.notice, self._update = workshop, notice, update
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._wait)
        self._watcher.directoryChanged.connect(self._wait)
        self._settled = QTimer(self, singleShot=True, interval=SETTLED_MS)
        self._settled.timeout.connect(self._look)
        self._watched: str | None = None
        self._seen = self._offered = 0
        workshop.project_changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Watches the file that the product comes from now."""
        source = self.workshop.project.product.source
        if source == self._watched:
            return
        self._watched, self._seen, self._offered = source, 0, 0
        known = [*self._watcher.files(), *self._watcher.directories()]
        if known:
            self._watcher.removePaths(known)
        if source is not None and modified_at(Path(source)):
            # Many programs write a new file and give it the name of the old one; its folder tells that.
            self._watcher.addPaths([source, str(Path(source).parent)])
            self._wait()

    def _wait(self) -> None:
        self._settled.start()

    def _look(self) -> None:
        """Offers the file where it is newer than what was read, and was not offered so before."""
        if self._watched is None:
            return
        path, product = Path(self._watched), self.workshop.project.product
        modified = modified_at(path)
        if modified != self._seen and modified > product.source_modified:
            self._seen = modified
            self._wait()  # it may still be written
            return
        if self._watched not in self._watcher.files() and modified:
            self._watcher.addPath(self._watched)
        if modified <= product.source_modified or modified == self._offered:
            return
        if self.notice.is_asking:
            self._wait()  # its answer comes first
            return
        self._offered = modified
        self.notice.ask(
            f"{path.name} was changed since it was imported.",
            ("Update this product", lambda: self._update(path)),
            ("Later", lambda: None),
        )
