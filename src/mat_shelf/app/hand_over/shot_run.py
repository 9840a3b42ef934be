"""The shots under way: a thread that renders them, how far each is, and what an earlier run has left."""

import time
from pathlib import Path

from PyQt6.QtCore import QObject, QSettings, QTimer, pyqtSignal

from mat_shelf.app.hand_over.workers_dialog import workers_address
from mat_shelf.app.job import Job
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.cluster import crew_at
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.shot_files import film_memory, samples_to_come, shot_paths
from mat_shelf.exchange.shot_queue import ShotState, foreign_files, kept_state, render_shots
from mat_shelf.system.file_writer import words_of
from mat_shelf.system.memory import usable_memory
from mat_shelf.system.user_folders import home_folder

_FOLDER = "hand_over/folder"
_LOOK_MS = 600
_WAITING, _STOPPING = "Waiting for workers…", "Stopping…"
_LEAST_S = 4.0
"""Seconds of rendering that tell anything: the first ones set up more."""
_USUAL_RATE = 700_000.0
"""Samples of pixels a second, where nothing was measured yet."""


class ShotRun(QObject):
    """Renders the ticked shots on a thread.

    Signals
    -------
    changed
        A shot is further, or the run begins or ends.
    is_running : bool
    """

    changed = pyqtSignal()
    is_running = pyqtSignal(bool)
    _told = pyqtSignal(str, object)

    def __init__(self, work: HandOverWork, parent: QObject):
        super().__init__(parent)
        self.work = work
        self._states: dict[str, ShotState] = {}
        self._refused: dict[str, Shot] = {}  # as they were when they failed
        self._job: Job | None = None
        self._looking: Job | None = None
        self._rate = _USUAL_RATE
        self._began: tuple[str, float, int] | None = None
        self.words = ""
        self._told.connect(self._take)
        self._later = QTimer(self, singleShot=True, interval=_LOOK_MS)
        self._later.timeout.connect(self._look)
        work.workshop.project_replaced.connect(self._forget)

    @property
    def runs(self) -> bool:
        """True while shots are rendered."""
        return self._job is not None

    @property
    def folder(self) -> Path:
        """Folder of the files."""
        kept = QSettings().value(_FOLDER, "")
        path = self.work.workshop.path
        return Path(kept) if kept else path.parent if path else home_folder()

    def set_folder(self, folder: Path) -> None:
        """Writes the files to another folder."""
        QSettings().setValue(_FOLDER, str(folder))
        self.look()
        self.changed.emit()

    def path_of(self, shot: Shot) -> Path | None:
        """File of a shot; None where names are wrong."""
        try:
            return shot_paths(self.work.project, [shot], self.folder)[shot.id]
        except ImageError:
            return None

    def state(self, shot: Shot) -> ShotState:
        """State of a shot."""
        return self._states.get(shot.id, ShotState(of=samples_to_come(shot)))

    def estimate(self) -> tuple[float, int]:
        """Seconds that the ticked shots take, about, and the memory of the largest, bytes."""
        seconds, memory = 0.0, 0
        for shot in self.work.shots:
            if shot.is_on:
                state = self.state(shot)
                left = 0 if state.kind in ("done", "was done") else state.of - state.samples
                own = shot.width * shot.height * left / self._rate
                seconds += min(own, shot.minutes * 60) if shot.minutes else own
                memory = max(memory, film_memory(shot))
        return seconds, memory

    def measure(self, samples: float, seconds: float) -> None:
        """Takes how many samples of pixels were rendered in some time, for the estimate."""
        if seconds > _LEAST_S and samples > 0:
            self._rate = samples / seconds

    def foreign_files(self) -> list[Path]:
        """Files that the ticked shots would replace and did not write; none where names are wrong, which is told."""
        try:
            return foreign_files(self.work.project, [s for s in self.work.shots if s.is_on], self.folder)
        except ImageError:
            return []

    def start(self) -> None:
        """Renders the ticked shots, as the project is now; what is done already is passed over."""
        project, assets = self.work.project, self.work.workshop.assets
        shots = [shot for shot in self.work.shots if shot.is_on]
        if self.runs or not shots:
            return
        folder, memory = self.folder, usable_memory()
        for shot in shots:
            self._states[shot.id] = ShotState(of=samples_to_come(shot))

        address = workers_address()

        def run(job: Job) -> bool:
            with crew_at(address) as crew:
                return render_shots(
                    project,
                    assets,
                    shots,
                    folder,
                    lambda key, state: self._told.emit(key, state),
                    lambda: job.is_cancelled,
                    memory,
                    crew,
                )

        self.words = _WAITING if address else ""
        self._job = Job(
            run,
            lambda _: None,
            lambda fault: self._end(f"Nothing was rendered: {words_of(fault)}."),
            (ImageError, OSError, MemoryError),
            self,
        )
        self._job.over.connect(lambda: self._end(self.words))
        self._job.start()
        self.is_running.emit(True)
        self.changed.emit()

    def stop(self) -> None:
        """Stops; the samples so far are kept."""
        if self._job is not None:
            self.words = _STOPPING
            self._job.cancel()
            self.changed.emit()

    def _end(self, words: str) -> None:
        was_running, self._job = self._job is not None, None
        self.words = "" if words in (_STOPPING, _WAITING) else words
        for key, state in self._states.items():
            if state.kind in ("prepares", "renders", "writes"):
                self._states[key] = ShotState(of=state.of)
        if was_running:
            self.is_running.emit(False)
            self.look()
        self.changed.emit()

    def _take(self, key: str, state: ShotState) -> None:
        now = time.monotonic()
        if state.kind == "renders":
            shot = next((shot for shot in self.work.shots if shot.id == key), None)
            if self._began is None or self._began[0] != key:
                self._began = key, now, state.samples
            elif shot is not None:
                self.measure((state.samples - self._began[2]) * shot.width * shot.height, now - self._began[1])
        if state.kind == "failed":
            self._refused |= {shot.id: shot for shot in self.work.shots if shot.id == key}
        self._states[key] = state
        self.words = "" if self.words == _WAITING and state.kind != "prepares" else self.words
        self.changed.emit()

    def look(self) -> None:
        """Finds out, a little later and aside, what earlier runs have left of each shot."""
        self._later.start()

    def _look(self) -> None:
        if self.runs or self._looking is not None:
            self._later.start()
            return
        project, folder = self.work.project, self.folder
        shots = self.work.shots

        def find(job: Job) -> dict[str, ShotState]:
            try:
                paths = shot_paths(project, shots, folder)
            except ImageError:
                paths = {}
            found = {}
            for shot in shots:
                if job.is_cancelled:
                    break
                found[shot.id] = kept_state(project, shot, paths.get(shot.id))
            return found

        self._looking = Job(find, self._take_found, parent=self)
        self._looking.over.connect(self._looked)
        self._looking.start()

    def _looked(self) -> None:
        self._looking = None

    def _take_found(self, found: dict[str, ShotState]) -> None:
        if not self.runs:
            present = {shot.id: shot for shot in self.work.shots}
            for key, state in self._states.items():
                is_same = state.kind == "failed" and self._refused.get(key) == present.get(key)
                if is_same or (state.kind == "done" and key in found and found[key].kind == "was done"):
                    found[key] = state  # which says more
            self._states = found
            self.changed.emit()

    def _forget(self) -> None:
        self.stop()
        self._states = {}
        self.look()

    def close(self) -> None:
        """Stops, and waits until the samples are kept."""
        self._later.stop()
        self._later.blockSignals(True)  # what ends now would start it again
        for job in (self._job, self._looking):
            if job is not None:
                job.close()
