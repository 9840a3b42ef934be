"""Geometry maps made aside from the window, as the project comes to need them."""

from PyQt6.QtCore import QThread, QTimer, pyqtSignal

from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.shape_cache import shape_map
from mat_shelf.rendering.shape_maps import ShapeKey, needed_maps

PAUSE_MS = 400
"""Time without an edit after which maps are begun: a radius that is dragged asks for many that nobody needs."""


class ShapeJob(QThread):
    """Makes some geometry maps into the assets.

    Signals
    -------
    progressed : str, int
        What is looked at, and how far that is, percent.
    """

    progressed = pyqtSignal(str, int)

    def __init__(self, workshop: Workshop, keys: list[ShapeKey]):
        super().__init__()
        self._assets, self._keys = workshop.assets, keys
        self._names = {part.mesh: part.name for part in workshop.project.product.parts}

    def run(self) -> None:
        for key in self._keys:
            told = -1

            def progress(done: int, total: int, key=key) -> bool:
                nonlocal told
                if 10 * done // total > told:  # a message that changes all the time cannot be clicked on
                    told = 10 * done // total
                    self.progressed.emit(f"{key.kind.capitalize()} of {self._names[key.mesh]}", 10 * told)
                return not self.isInterruptionRequested()

            try:
                self._assets.shape_maps[key] = shape_map(self._assets.meshes[key.mesh], key, progress)
            except InterruptedError:
                return


class ShapeKeeper(QTimer):
    """Sees to it that the geometry maps a project needs get made, a moment after the last edit.

    Signals
    -------
    told : str
        What is going on; empty when it is over.
    """

    told = pyqtSignal(str)

    def __init__(self, workshop: Workshop):
        super().__init__(singleShot=True, interval=PAUSE_MS)
        self.workshop = workshop
        self.job: ShapeJob | None = None
        self._given_up: set[ShapeKey] = set()
        self.timeout.connect(self._begin)
        workshop.project_changed.connect(self.start)
        self.start()

    def cancel(self) -> None:
        """Ends the work under way; what is missing stays black until its radius changes."""
        if self.job is not None:
            self._given_up |= set(self._missing())
            self.job.requestInterruption()

    def close(self) -> None:
        self.stop()
        if self.job is not None:
            self.job.requestInterruption()
            self.job.wait()

    def _missing(self) -> list[ShapeKey]:
        made = self.workshop.assets.shape_maps
        return [key for key in needed_maps(self.workshop.project) if key not in made and key not in self._given_up]

    def _begin(self) -> None:
        missing = self._missing()
        if not missing or self.job is not None:
            return
        self.job = ShapeJob(self.workshop, missing)
        self.job.progressed.connect(lambda what, percent: self.told.emit(f"{what}: {percent} %"))
        self.job.finished.connect(self._done)
        self.job.start()

    def _done(self) -> None:
        self.job.wait()
        self.job = None
        self.told.emit("")
        self.workshop.shown_changed.emit()
        self.start()  # the project may need others by now
