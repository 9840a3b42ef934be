"""Geometry maps and true relief, made aside from the window as the project comes to need them."""

from PyQt6.QtCore import QThread, QTimer, pyqtSignal

from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.geometry_map_cache import geometry_map
from mat_shelf.scene.displacement import fill_displacements, needed_displacements
from mat_shelf.scene.geometry_maps import GeometryMapKey, needed_geometry_maps, others_near

PAUSE_MS = 400
"""Time without an edit after which maps are begun: a radius that is dragged asks for many that nobody needs."""


class GeometryMapJob(QThread):
    """Makes some geometry maps into the assets, and then the true relief that a project needs.

    Signals
    -------
    progressed : str, int
        What is looked at, and how far that is, percent.
    refused : str
        What stays as it is, and why.
    """

    progressed = pyqtSignal(str, int)
    refused = pyqtSignal(str)

    def __init__(self, workshop: Workshop, keys: list[GeometryMapKey]):
        super().__init__()
        self._assets, self._keys, self._project = workshop.assets, keys, workshop.project
        self._names = {part.mesh: part.name for part in workshop.project.product.parts}

    def run(self) -> None:
        try:
            for key in self._keys:
                progress = self._telling(f"{key.kind.capitalize()} of {self._names[key.mesh]}")
                self._assets.geometry_maps[key] = geometry_map(
                    self._assets.meshes[key.mesh],
                    key,
                    progress,
                    others_near(self._project, self._assets.meshes, key),
                )
            for words in fill_displacements(self._project, self._assets, self._telling("True relief")):
                self.refused.emit(words)
        except InterruptedError:
            return

    def _telling(self, what: str):
        told = -1

        def progress(done: int, total: int) -> bool:
            nonlocal told
            if 10 * done // max(total, 1) > told:  # a message that changes all the time cannot be clicked on
                told = 10 * done // max(total, 1)
                self.progressed.emit(what, 10 * told)
            return not self.isInterruptionRequested()

        return progress


class ShapeKeeper(QTimer):
    """Sees to it that the geometry maps and true relief a project needs get made, a moment after the last edit.

    Signals
    -------
    told : str
        What is going on; empty when it is over.
    """

    told = pyqtSignal(str)

    def __init__(self, workshop: Workshop):
        super().__init__(singleShot=True, interval=PAUSE_MS)
        self.workshop = workshop
        self.job: GeometryMapJob | None = None
        self._given_up: set[GeometryMapKey] = set()
        self._flat: dict[str, tuple] = {}
        """True relief that was cancelled, by part, and all that it depends on."""
        self.timeout.connect(self._begin)
        workshop.project_changed.connect(self.start)
        self.start()

    def cancel(self) -> None:
        """Ends the work under way; what is missing stays black, or bump, until it is changed."""
        if self.job is not None:
            self._given_up |= set(self._missing())
            self._flat |= self._flat_parts()
            self.job.requestInterruption()

    def close(self) -> None:
        self.stop()
        if self.job is not None:
            self.job.requestInterruption()
            self.job.wait()

    def _missing(self) -> list[GeometryMapKey]:
        made = self.workshop.assets.geometry_maps
        return [
            key for key in needed_geometry_maps(self.workshop.project) if key not in made and key not in self._given_up
        ]

    def _flat_parts(self) -> dict[str, tuple]:
        """Parts whose true relief is not made yet, and all that it depends on."""
        made = self.workshop.assets.displaced
        wanted = needed_displacements(self.workshop.project)
        return {
            part: key
            for part, key in wanted.items()
            if (part not in made or made[part][0] != key) and self._flat.get(part) != key
        }

    def _begin(self) -> None:
        missing = self._missing()
        if self.job is not None or not (missing or self._flat_parts()):
            return
        self.job = GeometryMapJob(self.workshop, missing)
        self.job.progressed.connect(lambda what, percent: self.told.emit(f"{what}: {percent} %"))
        self.job.refused.connect(self.workshop.said)
        self.job.finished.connect(self._done)
        self.job.start()

    def _done(self) -> None:
        self.job.wait()
        self.job = None
        self.told.emit("")
        self.workshop.shown_changed.emit()
        self.start()  # the project may need others by now
