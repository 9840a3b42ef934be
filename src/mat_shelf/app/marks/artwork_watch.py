"""Art that follows its file: what was read from a file is read again when that is saved anew."""

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal

_SETTLED_MS = 400
"""Programs write in several steps, and many replace the file by a new one."""


class ArtworkWatch(QObject):
    """Watches the files that pictures came from, as long as the window is open.

    Signals
    -------
    changed : str, Path, int or None
        Digest of the picture that is now outdated, the file, and which of its layers or pages it was.
    """

    changed = pyqtSignal(str, object, object)

    def __init__(self, parent: QObject):
        super().__init__(parent)
        self._files = QFileSystemWatcher(self)
        self._origins: dict[str, tuple[Path, int | None, float]] = {}
        self._settled = QTimer(self, singleShot=True, interval=_SETTLED_MS)
        self._settled.timeout.connect(self._look)
        self._files.fileChanged.connect(lambda _: self._settled.start())
        self._files.directoryChanged.connect(lambda _: self._settled.start())

    def follow(self, digest: str, path: Path, layer: int | None) -> None:
        """Watches the file that a picture was just read from."""
        path = path.resolve()
        self._origins = {key: origin for key, origin in self._origins.items() if origin[:2] != (path, layer)}
        self._origins[digest] = (path, layer, _saved_at(path))
        self._files.addPaths([str(path), str(path.parent)])

    def _look(self) -> None:
        for digest, (path, layer, seen) in list(self._origins.items()):
            saved = _saved_at(path)
            if saved and saved != seen:
                self._origins[digest] = (path, layer, saved)
                self._files.addPath(str(path))
                self.changed.emit(digest, path, layer)


def _saved_at(path: Path) -> float:
    """Time at which a file was saved; 0 if it is gone."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return 0
