"""A picture that follows a project: at once after an edit, then refined as long as nothing changes.

An edit of a material starts only those pixels again whose paths met it; an edit that the picture does not depend on
starts none.

It knows no window and no thread of its own: whoever owns it calls `update` and `resize` from anywhere and `step`
from one worker thread.
"""

import time
from dataclasses import replace
from threading import Lock
from typing import NamedTuple

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.rendering.coarse_picture import COARSE_SAMPLES, CoarsePictures, hasty
from mat_shelf.rendering.denoise import denoise_film
from mat_shelf.rendering.developing import Developer
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.first_hit import FirstHits, KeptFirstHits, find_first_hits
from mat_shelf.rendering.frame import Frame
from mat_shelf.rendering.input_frames import InputFrames
from mat_shelf.rendering.input_picture import InputPicture
from mat_shelf.rendering.pace import WIDEST_STRIDE, PreviewPace
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.renewal import (
    KeptPatches,
    fill_touched,
    inside_patches,
    lattice_of,
    on_lattice,
    pixels_of,
    poured_geometries,
    touched_bits,
)
from mat_shelf.rendering.task_keeper import TaskKeeper
from mat_shelf.rendering.tracer import TOGETHER, Tracer
from mat_shelf.scene.backdrop import seen_from
from mat_shelf.scene.ball import Ball
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.supplies import Supplies

REST_SAMPLES = 512
FILLED_AT_ONCE, MOST_TOUCHED = 40_000, 0.3
"""Pixels that get their first sample after a small picture of a drag, and share of touched ones up to which they do."""
REGION_MARGIN = 24
"""Pixels round a region that help to take its noise out."""


_DIM = np.float32(1e-4)
"""Light of 0.1 cd/m2, that ratios of dark pixels stay small."""


class RenderSession:
    """Renders the newest state of a project, step by step.

    Parameters
    ----------
    supplies : Supplies
        Meshes and room pictures.
    threads : int or None
        Number of threads; all that the process may use by default.
    beside : RenderSession, optional
        Another picture of the same project. Both share threads, geometry and materials, so they must be stepped by
        the same thread, and only the first is closed.
    """

    def __init__(self, supplies: Supplies, threads: int | None = None, beside: "RenderSession | None" = None):
        self._supplies = supplies
        self.tracer = beside.tracer if beside else Tracer(threads)
        self._lock = Lock()
        self._wanted: _Wanted | None = None
        self._revision = 0
        self._size = (640, 430)
        self._shown_revision = -1
        self._tasks = TaskKeeper(supplies, beside._tasks if beside else None)
        self._first_hits = KeptFirstHits()
        self._film = Film(1, 1)
        self._task: RenderTask | None = None  # what the film is of
        self._project: Project | None = None  # that it shows
        self._dragged: frozenset[str] = frozenset()  # liquids that stand otherwise since the last refined picture
        self._is_stale = False  # whether the film shows a liquid as it stood before, and has to begin anew
        self._met: np.ndarray | None = None  # what paths met before it began anew, as long as it has no sample
        self._known = ()
        self._clean: np.ndarray | None = None  # the film without its noise, as it was shown
        self._exposure = 0.0
        self._bits: np.uint64 | None = None  # of the last edit
        self._edited: np.ndarray | None = None  # pixels whose paths met what that edit, and those before it, changed
        self._pace: PreviewPace | None = None  # of edits of the same materials
        self._patches = KeptPatches()
        self._shown_samples = 0
        self._region: PictureRegion | None = None
        self._coarse = CoarsePictures(self.tracer)
        self._started, self._seconds = time.perf_counter(), 0.0
        self._input_key = ""
        self._inputs = InputFrames(self.tracer)
        self._developer = Developer(supplies, is_detail=beside is not None)

    def close(self) -> None:
        """Stops the work under way and ends the threads."""
        with self._lock:
            self._revision += 1
            self._wanted = None
        self.tracer.close()

    def update(self, project: Project, camera: Camera | None = None, ball: Ball | None = None) -> int:
        """Asks for a picture of this project; any older work is dropped.

        Parameters
        ----------
        project : Project
            The project.
        camera : Camera, optional
            Instead of that of the project's view.
        ball : Ball, optional
            Stood beside the product.

        Returns
        -------
        int
            The revision that its frames will carry.
        """
        camera = camera or project.view.camera
        project = seen_from(project, camera)
        with self._lock:
            self._revision += 1
            self._wanted = _Wanted(project, camera, ball, self._size, self._input_key, self._revision)
            return self._revision

    def resize(self, width: int, height: int) -> int:
        """Asks for another size, in pixels.

        Parameters
        ----------
        width : int
            Pixels across.
        height : int
            Pixels from top to bottom.

        Returns
        -------
        int
        """
        with self._lock:
            self._size = (max(width, 16), max(height, 16))
            self._revision += 1
            if self._wanted is not None:
                self._wanted = self._wanted._replace(size=self._size, revision=self._revision)
            return self._revision

    def look_at(self, key: str) -> int:
        """Shows one input of all materials in place of the render, or the render again.

        Parameters
        ----------
        key : str
            A key of `INPUT_VIEWS`; empty for the render.

        Returns
        -------
        int
            The revision that its frames will carry.
        """
        with self._lock:
            if key != self._input_key:
                self._input_key = key
                self._revision += 1
                if self._wanted is not None:
                    self._wanted = self._wanted._replace(input_key=key, revision=self._revision)
            return self._revision

    def compare_finish(self, compares: bool) -> int:
        """Gives each frame a picture without the finish too, or no longer.

        Parameters
        ----------
        compares : bool
            Whether it is given.

        Returns
        -------
        int
            The revision that its frames will carry.
        """
        with self._lock:
            if compares != self._developer.compares:
                self._developer.compares = compares
                self._revision += 1
                if self._wanted is not None:
                    self._wanted = self._wanted._replace(revision=self._revision)
            return self._revision

    def set_region(self, region: PictureRegion | None) -> None:
        """Refines only a part of the picture from now on, or all of it again.

        Parameters
        ----------
        region : PictureRegion or None
            In pixels of the size that was asked for.
        """
        with self._lock:
            self._region, self._shown_samples = region, 0

    def step(self) -> Frame | None:
        """Does the next piece of work, about a tenth of a second to one second.

        Returns
        -------
        Frame or None
            None where there is nothing new to show.
        """
        with self._lock:
            wanted = self._wanted
        if wanted is None:
            return None
        if wanted.input_key:
            return self._input_frame(wanted)
        return self._begin(wanted) if wanted.revision != self._shown_revision else self._refine(wanted)

    @property
    def is_behind(self) -> bool:
        """True while not even a coarse picture shows the newest state."""
        with self._lock:
            return self._wanted is not None and self._wanted.revision != self._shown_revision

    @property
    def is_at_rest(self) -> bool:
        """True if `step` has nothing left to do."""
        with self._lock:
            wanted = self._wanted
        if wanted is None or wanted.revision != self._shown_revision:
            return wanted is None
        if wanted.input_key:
            return self._inputs.is_at_rest
        counts = self._film.sums.counts[self._refined_pixels(self._refined_region())]
        return not self._is_stale and int(counts.min()) >= REST_SAMPLES

    def _refined_region(self) -> PictureRegion | None:
        """The part that alone is refined; None for all, as long as there are pixels that show an older state."""
        region, film = self._region, self._film
        is_whole = region is not None and self._clean is not None and film.samples >= 2
        return region.within(film.width, film.height) if is_whole else None

    def _refined_pixels(self, region: PictureRegion | None):
        return slice(None) if region is None else region.pixels(self._film.width)

    def _is_outdated(self, revision: int) -> bool:
        return self._revision != revision

    def _shot(self, wanted: "_Wanted", width: int, height: int, seed: int = 1) -> RenderTask:
        shown, size = (wanted.project, wanted.camera, wanted.ball), (width, height)
        return self._tasks.task(*shown, size, seed, self._exposure, self._dragged)

    def _remix(self, wanted: "_Wanted") -> None:
        """Mixes lights and lays the photograph behind the film as the set has them now, the clean picture too."""
        film, studio = self._film, wanted.project.set
        gains, plate = self._tasks.gains(studio, wanted.camera), self._tasks.plate(film, studio, wanted.camera, "film")
        if np.array_equal(gains, film.gains) and plate is film.plate:
            return
        before = film.picture()
        film.mix(gains)
        film.plate = plate
        if self._clean is not None:
            # The noise is the same in both, so the clean picture changes by their ratio.
            self._clean = self._clean * ((film.picture() + _DIM) / (before + _DIM))
        self._shown_samples = 0

    def _begin(self, wanted: "_Wanted") -> Frame | None:
        """First picture after an edit."""
        started = time.perf_counter()
        supplies = self._supplies
        known = len(supplies.geometry_maps), len(supplies.pictures)
        is_kept = self._task is not None and wanted.size == (self._film.width, self._film.height)
        poured = poured_geometries(self._project, wanted.project) if self._project is not None else None
        if poured:
            parts, places = wanted.project.product.parts, visible_parts(wanted.project)
            self._dragged |= {parts[places[g]].id for g in poured}
        touched = None
        if is_kept and known == self._known:
            task = self._shot(wanted, *wanted.size)
            bits, sums = touched_bits(self._task, task), self._film.sums
            if bits is not None:  # pixels that an edit before left without a sample wait for one too
                met = (sums.met & bits) != 0
                self._edited = met if bits != self._bits or self._edited is None else self._edited | met
                touched = np.flatnonzero(met | (sums.counts == 0)).astype(np.int32)
            elif self._clean is not None and poured:
                bits, self._edited = touched_bits(self._task, task, poured), None
                if bits is not None:
                    touched = self._touched_by_pouring(wanted, task, poured, bits)
            if bits != self._bits:
                self._bits, self._pace = bits, None
        self._known = known
        if touched is None:
            if self._task is not None:
                self._coarse.keep(self._task, self._film)
            self._exposure = wanted.project.set.exposure
            task = self._shot(wanted, *wanted.size)
            self._film = self._tasks.film(task, wanted.size, wanted.project.set, wanted.camera, "film")
            self._task, self._clean, self._met, self._edited, self._is_stale = task, None, None, None, False
        else:
            if not self._is_stale:
                self._film.renew(touched[self._film.sums.counts[touched] > 0])
            self._task = task
            self._remix(wanted)
        frame = self._preview(wanted, touched, started) if self._clean is not None else None
        if frame is None:
            self._clean = None
            frame = self._coarse_frame(wanted, task, started)
            if touched is not None and self._edited is not None and not self._is_stale:
                self._fill_in(self._edited)
        if touched is None or len(touched):
            self._shown_samples = 0
        else:  # nothing that is seen has changed, so the time that it took goes on
            started = time.perf_counter() - self._seconds
            frame = replace(frame, seconds=self._seconds)
        self._shown_revision, self._project = wanted.revision, wanted.project
        self._started, self._seconds = started, frame.seconds
        return frame

    def _fill_in(self, edited: np.ndarray) -> None:
        """Samples some of the pixels that have no sample yet, until further pictures of a drag can be of the full size.

        A drag that begins before the first sample is whole would be shown by small pictures to its end.
        """
        film = self._film
        if edited.mean() > MOST_TOUCHED:
            return
        without = film.sums.counts == 0
        others = np.flatnonzero(without & ~edited).astype(np.int32)
        is_last = len(others) <= FILLED_AT_ONCE
        pixels = np.flatnonzero(without).astype(np.int32) if is_last else others[:FILLED_AT_ONCE]
        self.tracer.add_samples(self._task, film, pixels=pixels)
        if is_last:
            self._clean = denoise_film(film, "fast")

    def _touched_by_pouring(self, wanted: "_Wanted", task: RenderTask, poured: set[int], bits: np.uint64) -> np.ndarray:
        """Pixels that show liquid or its vessel; their first hits are renewed, and the film will have to begin anew."""
        met = self._film.sums.met
        if self._met is None:
            self._met = met.copy()
        self._is_stale = True
        seen = self._seen(wanted, self._task.geometry)
        is_poured = np.zeros(len(wanted.project.product.parts), bool)
        is_poured[[seen.visible[g] for g in poured]] = True
        touched = pixels_of(bits, met, self._met, seen.part.ravel(), is_poured)
        self._first_hits.renew(task.geometry, touched)
        return touched

    def _preview(self, wanted: "_Wanted", touched: np.ndarray, started: float) -> Frame | None:
        """The picture that was shown, with one sample of what an edit touched; None where that would take too long."""
        film, begun = self._film, time.perf_counter()
        patches = self._patches.find(film, self._bits, touched, self._task.material_table) if len(touched) else []
        is_due = film.sums.counts == 0
        is_due[touched] = True
        near = inside_patches(patches, np.flatnonzero(is_due).astype(np.int32), (film.height, film.width))
        pace = self._pace or PreviewPace(len(near))
        stride = pace.stride
        if stride > WIDEST_STRIDE:
            return None
        before = self._clean
        if patches:
            self._pace = pace
            traced, task = on_lattice(near, film.width, stride), self._task
            if self._is_stale:  # all of its samples will be thrown away
                task = hasty(task)
                film.renew(traced)
            self.tracer.add_samples(task, film, pixels=traced)
            self._clean = self._clean.copy()
            for patch in patches:
                light = denoise_film(film.crop(*lattice_of(patch, stride)), "fast", padding=0)
                fill_touched(self._clean, light, patch, stride)
        cleaned = time.perf_counter()
        hits = self._seen(wanted, self._task.geometry)
        changed = [(patch.rows, patch.columns) for patch in patches]
        pixels = self._developer.pictures(self._clean, wanted.project, wanted.camera, hits, before, changed)
        seconds, is_new, tracing = time.perf_counter() - started, len(touched) > 0, cleaned - begun
        if patches:
            pace.learn(tracing, seconds - tracing)
        samples = 1 if is_new else self._shown_samples or film.samples
        return Frame(*pixels, hits, samples, seconds, is_new, wanted.revision, stride, light=self._clean)

    def _seen(self, wanted: "_Wanted", geometry: Geometry) -> FirstHits:
        """First hits of the picture at its full size."""
        return self._first_hits.find(wanted.project, geometry, wanted.camera, wanted.size)

    def _coarse_frame(self, wanted: "_Wanted", whole: RenderTask, started: float) -> Frame:
        """A small picture of all, enlarged where the surfaces of the whole one are known."""
        project, camera, revision, size = wanted.project, wanted.camera, wanted.revision, wanted.size
        small = self._coarse.size(*size)
        task = self._shot(wanted, *small, revision)
        film = self._tasks.film(task, small, project.set, camera, "coarse")
        light, stride = self._coarse.light(task, film, whole, size)
        first_hits = self._first_hits.known(task.geometry, camera, size)
        if first_hits is None:
            first_hits = find_first_hits(project, task.geometry, camera, film.width, film.height)
        pixels = self._developer.pictures(light, project, camera, first_hits)
        seconds = time.perf_counter() - started
        return Frame(*pixels, first_hits, COARSE_SAMPLES, seconds, True, revision, stride, light=light)

    def _input_frame(self, wanted: "_Wanted") -> Frame | None:
        """The next picture of the input that is looked at."""
        revision, size = wanted.revision, wanted.size
        if self._shown_revision != revision:
            started, self._dragged = time.perf_counter(), frozenset()
            task, parts = self._shot(wanted, *size), len(visible_parts(wanted.project))
            self._inputs.begin(InputPicture(task, wanted.input_key, *size, parts), started)
        seen = self._seen(wanted, self._inputs.geometry)
        frame = self._inputs.next_frame(revision, seen, lambda: self._is_outdated(revision))
        if frame is not None:
            self._shown_revision = revision
        return frame

    def _refine(self, wanted: "_Wanted") -> Frame | None:
        film, revision, self._dragged = self._film, wanted.revision, frozenset()
        if self._pace is not None and self._pace.stride > WIDEST_STRIDE:
            self._pace = None  # the next drag tries again: what made this one late may be over
        if self._is_stale:
            self._met |= film.sums.met
            film.renew(np.arange(film.width * film.height, dtype=np.int32))
            self._is_stale = False
        region, counts = self._refined_region(), film.sums.counts
        refined = self._refined_pixels(region)
        if counts[refined].min() >= REST_SAMPLES:
            return None
        task = self._task = self._shot(wanted, film.width, film.height)
        among = None if region is None else refined
        if not self.tracer.add_samples(task, film, lambda: self._is_outdated(revision), among, TOGETHER):
            return None
        self._met = None
        # Cleaning costs about as much as a sample, so it waits for twice as many as were shown last.
        samples = int(counts[refined].min())
        if samples < max(2 * self._shown_samples, 2) and samples < REST_SAMPLES:
            return None
        self._shown_samples = samples
        quality = "fast" if samples < 64 else "high"
        if region is None:
            light = denoise_film(film, quality)
        else:
            light, around = self._clean.copy(), region.slices(REGION_MARGIN)
            wide = denoise_film(film.crop(*around), quality)
            left, top = region.x - around[1].start, region.y - around[0].start
            light[region.slices()] = wide[top : top + region.height, left : left + region.width]
        if self._is_outdated(revision):
            return None
        first_hits = self._seen(wanted, task.geometry)
        self._clean = light
        seconds = self._seconds = time.perf_counter() - self._started
        pixels = self._developer.pictures(light, wanted.project, wanted.camera, first_hits)
        return Frame(*pixels, first_hits, samples, seconds, False, revision, light=light)


class _Wanted(NamedTuple):
    """State that a picture is asked for of."""

    project: Project
    camera: Camera
    ball: Ball | None
    size: tuple[int, int]
    input_key: str
    revision: int
