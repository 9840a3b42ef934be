"""Geometry maps and true relief, made aside from the window as the project comes to need them."""

from functools import partial

from PyQt6.QtCore import QTimer, pyqtSignal

from mat_shelf.app.job import Job
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.geometry_map_cache import geometry_map
from mat_shelf.scene.displacement import fill_displacements, needed_displacements
from mat_shelf.scene.geometry_maps import GeometryMapKey, needed_geometry_maps, others_near

PAUSE_MS = 400
"""Time without an edit after which maps are begun: a radius that is dragged asks for many that nobody needs."""


def make_shapes(project: Project, assets: Assets, keys: list[GeometryMapKey], job: Job) -> list[str]:
    """Makes some geometry maps into the assets, and then the true relief that a project needs.

    Returns
    -------
    list of str
        Relief that stays bump, and why.
    """
    names = {part.mesh: part.name for part in project.product.parts}
    for key in keys:
        what = f"{key.kind.capitalize()} of {names[key.mesh]}"
        near = others_near(project, assets.meshes, key)
        assets.geometry_maps[key] = geometry_map(assets.meshes[key.mesh], key, partial(job.tell, what), near)
    return list(fill_displacements(project, assets, partial(job.tell, "True relief")))


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
        self.job: Job | None = None
        self._told = ""
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
            self.job.cancel()

    def close(self) -> None:
        """Ends the work under way; nothing is begun any more."""
        self.blockSignals(True)  # what ends now would start it again
        self.stop()
        if self.job is not None:
            self.job.close()

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
        project, assets = self.workshop.project, self.workshop.assets
        self.job = Job(lambda job: make_shapes(project, assets, missing, job), self._tell_refused)
        self.job.progressed.connect(self._tell)
        self.job.finished.connect(self._end)
        self.job.start()

    def _tell(self, what: str, done: int, total: int) -> None:
        words = f"{what}: {10 * (10 * done // max(total, 1))} %"
        if words != self._told:  # a message that changes all the time cannot be clicked on
            self._told = words
            self.told.emit(words)

    def _tell_refused(self, refused: list[str]) -> None:
        for words in refused:
            self.workshop.said.emit(words)

    def _end(self) -> None:
        self.job.wait()
        self.job, self._told = None, ""
        self.told.emit("")
        self.workshop.shown_changed.emit()
        self.start()  # the project may need others by now
