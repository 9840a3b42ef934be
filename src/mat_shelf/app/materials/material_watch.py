"""The files that materials came from, looked after: newer states of them are offered."""

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer

from mat_shelf.app.notice import Notice
from mat_shelf.app.product.model_watch import SETTLED_MS
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.material import Material
from mat_shelf.exchange.materials.material_source import source_files, source_stamp

_MOST_WATCHED = 200
"""Files of one material."""


class MaterialWatch(QObject):
    """Watches the files and folders that the project's materials came from."""

    def __init__(self, workshop: Workshop, notice: Notice, parent: QObject):
        super().__init__(parent)
        self.workshop, self.notice = workshop, notice
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._wait)
        self._watcher.directoryChanged.connect(self._wait)
        self._settled = QTimer(self, singleShot=True, interval=SETTLED_MS)
        self._settled.timeout.connect(self._look)
        self._watched: frozenset[str] = frozenset()
        self._seen: dict[str, int] = {}
        self._offered: dict[str, int] = {}
        workshop.project_changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Watches what the materials of the project come from now."""
        sources = frozenset(m.source for m in self.workshop.project.materials if m.source)
        if sources == self._watched:
            return
        self._watched = sources
        known = [*self._watcher.files(), *self._watcher.directories()]
        if known:
            self._watcher.removePaths(known)
        self._watch()
        if sources:
            self._wait()

    def _watch(self) -> None:
        """Files and their folders, since many programs write a new file and give it the name of the old one."""
        wanted: set[str] = set()
        for source in self._watched:
            files = source_files(Path(source))[:_MOST_WATCHED]
            wanted |= {str(file) for file in files} | {str(file.parent) for file in files}
        missing = wanted - {*self._watcher.files(), *self._watcher.directories()}
        if missing:
            self._watcher.addPaths(sorted(missing))

    def _wait(self) -> None:
        self._settled.start()

    def _look(self) -> None:
        """Offers materials whose files are newer than what was read, and were not offered so before."""
        newer: list[Material] = []
        stamps = {source: source_stamp(Path(source)) for source in self._watched}
        for material in self.workshop.project.materials:
            stamp = stamps.get(material.source or "", 0)
            if stamp > material.source_modified and stamp != self._offered.get(material.source):
                newer.append(material)
        self._watch()
        if not newer:
            return
        if any(self._seen.get(m.source) != stamps[m.source] for m in newer) or self.notice.is_asking:
            self._seen = stamps
            self._wait()  # it may still be written, or another question comes first
            return
        self._offered |= {m.source: stamps[m.source] for m in newer}
        names = newer[0].name if len(newer) == 1 else f"{newer[0].name} and {len(newer) - 1} more"
        ids = [material.id for material in newer]
        answer = "Update the material" if len(newer) == 1 else "Update them"
        self.notice.ask(
            f"{Path(newer[0].source).name} was changed since {names} came from it.",
            (answer, lambda: self.workshop.update_from_source(ids)),
            ("Later", lambda: None),
        )
