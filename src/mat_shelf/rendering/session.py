"""A picture that follows a project: coarse at once after an edit, then refined as long as nothing changes.

It knows no window and no thread of its own: whoever owns it calls `update` and `resize` from anywhere and `step`
from one worker thread.
"""

import math
import time
from collections.abc import Mapping
from dataclasses import dataclass
from threading import Lock

import numpy as np

from mat_shelf.document.project import Camera, Project
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.rendering.backdrop import sweep_shape
from mat_shelf.rendering.camera import make_view
from mat_shelf.rendering.denoise import denoised
from mat_shelf.rendering.film import Film, develop
from mat_shelf.rendering.lights import set_lights
from mat_shelf.rendering.scene import project_dressing, project_geometry
from mat_shelf.rendering.sight import Sight, see
from mat_shelf.rendering.tracer import Shot, Tracer

COARSE_PIXELS = 26_000
"""Pixels of the picture shown while a value is dragged."""
COARSE_SAMPLES = 2
REST_SAMPLES = 512
BRIGHTEST = 24.0


@dataclass(frozen=True)
class Frame:
    """A picture to show.

    Attributes
    ----------
    pixels : (h, w, 3) uint8, sRGB; coarse ones are smaller than the wall's pane
    sight : Sight, what each pixel sees; a coarse frame's may be coarse too
    samples : int
    seconds : float, since the last edit
    is_coarse : bool
    revision : int, of the `update` or `resize` it shows
    """

    pixels: np.ndarray
    sight: Sight
    samples: int
    seconds: float
    is_coarse: bool
    revision: int


class RenderSession:
    """Renders the newest state of a project, step by step.

    Parameters
    ----------
    meshes : mapping from SHA-256 to Mesh
        Looked into whenever geometry is rebuilt; may grow.
    beside : RenderSession, optional
        Another picture of the same project. Both share threads, geometry, lights and materials, so they must be
        stepped by the same thread, and only the first is closed.
    """

    def __init__(self, meshes: Mapping[str, Mesh], threads: int | None = None, beside: "RenderSession | None" = None):
        self._meshes = meshes
        self.tracer = beside.tracer if beside else Tracer(threads)
        self._lock = Lock()
        self._wanted: tuple[Project, Camera, int, int, int] | None = None
        self._revision = 0
        self._size = (640, 430)
        self._project: Project | None = None
        self._shown_revision = -1
        self._built: dict[str, tuple] = beside._built if beside else {}
        self._sight: tuple = ((), None)
        self._film = Film(1, 1)
        self._shown_samples = 0
        self._started = time.perf_counter()

    def close(self) -> None:
        """Stops the work under way and ends the threads."""
        with self._lock:
            self._revision += 1
            self._wanted = None
        self.tracer.close()

    def update(self, project: Project, camera: Camera | None = None) -> int:
        """Asks for a picture of this project; any older work is dropped.

        Parameters
        ----------
        camera : Camera, optional
            Instead of that of the project's view.

        Returns
        -------
        int
            The revision that its frames will carry.
        """
        with self._lock:
            self._revision += 1
            self._project, self._camera = project, camera or project.view.camera
            self._wanted = (project, self._camera, *self._size, self._revision)
            return self._revision

    def resize(self, width: int, height: int) -> int:
        """Asks for another size, in pixels."""
        with self._lock:
            self._size = (max(width, 16), max(height, 16))
            self._revision += 1
            if self._project is not None:
                self._wanted = (self._project, self._camera, *self._size, self._revision)
            return self._revision

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
        project, camera, width, height, revision = wanted
        if revision != self._shown_revision:
            return self._begin(project, camera, width, height, revision)
        return self._refine(project, camera, revision)

    @property
    def is_behind(self) -> bool:
        """Whether not even a coarse picture shows the newest state."""
        with self._lock:
            return self._wanted is not None and self._wanted[4] != self._shown_revision

    @property
    def is_at_rest(self) -> bool:
        """Whether `step` has nothing left to do."""
        with self._lock:
            wanted = self._wanted
        return wanted is None or (wanted[4] == self._shown_revision and self._film.samples >= REST_SAMPLES)

    def _is_outdated(self, revision: int) -> bool:
        return self._revision != revision

    def _kept(self, name: str, key: tuple, make):
        """The last result of `make`, as long as the objects it was made from are the same ones."""
        old_key, old = self._built.get(name, ((), None))
        if len(old_key) == len(key) and all(a is b or a == b for a, b in zip(old_key, key, strict=True)):
            return old
        self._built[name] = (key, made := make())
        return made

    def _kept_sight(self, project: Project, geometry, camera: Camera, width: int, height: int) -> Sight | None:
        """The full-size sight, if it was made from the same geometry and camera."""
        key, sight = self._sight
        return sight if key == (geometry, camera, width, height) else None

    def _shot(self, project: Project, camera: Camera, width: int, height: int, seed: int) -> Shot:
        studio = project.set
        meshes = tuple(part.mesh for part in project.product.parts)
        geometry = self._kept(
            "geometry", (meshes, sweep_shape(studio.backdrop)), lambda: project_geometry(project, self._meshes)
        )
        lights = self._kept(
            "lights", (studio.softboxes, studio.surround, studio.ground, studio.turn), lambda: set_lights(studio)
        )
        dressing = self._kept(
            "dressing",
            (project.materials, project.product, studio.backdrop),
            lambda: project_dressing(project),
        )
        view = make_view(camera, width, height)
        return Shot(geometry, dressing, lights, view, brightest=BRIGHTEST * 2.0**-studio.exposure, seed=seed)

    def _begin(self, project: Project, camera: Camera, width: int, height: int, revision: int) -> Frame | None:
        started = time.perf_counter()
        film = Film(*_coarse_size(width, height))
        shot = self._shot(project, camera, film.width, film.height, seed=revision)
        for _ in range(COARSE_SAMPLES):
            if not self.tracer.add_sample(shot, film):
                return None
        sight = self._kept_sight(project, shot.geometry, camera, width, height)
        if sight is None:
            sight = see(project, shot.geometry, camera, film.width, film.height)
        pixels = develop(denoised(film, "fast"), project.set.exposure)
        self._film = Film(width, height)
        self._shown_samples = 0
        self._shown_revision = revision
        self._started = started
        return Frame(pixels, sight, COARSE_SAMPLES, time.perf_counter() - started, True, revision)

    def coarse_shot(self) -> Shot:
        """What the coarse picture of the newest state is traced from."""
        project, camera, width, height, revision = self._wanted
        return self._shot(project, camera, *_coarse_size(width, height), seed=revision)

    def _refine(self, project: Project, camera: Camera, revision: int) -> Frame | None:
        film = self._film
        if film.samples >= REST_SAMPLES:
            return None
        shot = self._shot(project, camera, film.width, film.height, seed=1)
        if not self.tracer.add_sample(shot, film, lambda: self._is_outdated(revision)):
            return None
        # Cleaning costs about as much as a sample, so it waits for twice as many as were shown last.
        if film.samples < max(2 * self._shown_samples, 2) and film.samples < REST_SAMPLES:
            return None
        self._shown_samples = film.samples
        light = denoised(film, "fast" if film.samples < 64 else "high")
        if self._is_outdated(revision):
            return None
        key = (shot.geometry, camera, film.width, film.height)
        if self._sight[0] != key:
            self._sight = key, see(project, *key)
        sight = self._sight[1]
        seconds = time.perf_counter() - self._started
        pixels = develop(light, project.set.exposure)
        return Frame(pixels, sight, film.samples, seconds, False, revision)


def _coarse_size(width: int, height: int) -> tuple[int, int]:
    shrink = min(math.sqrt(COARSE_PIXELS / (width * height)), 1.0)
    return max(round(width * shrink), 8), max(round(height * shrink), 8)


def render(
    project: Project,
    meshes: Mapping[str, Mesh],
    width: int,
    height: int,
    samples: int,
    seed: int = 1,
    denoise: bool = True,
    progress=lambda done, total: True,
    threads: int | None = None,
) -> np.ndarray:
    """A finished picture, scene-linear, exposure applied.

    Parameters
    ----------
    progress : callable (done, total) -> bool
        Called after each sample; False cancels.

    Returns
    -------
    (height, width, 3) float32

    Raises
    ------
    InterruptedError
        If `progress` said so.
    """
    studio = project.set
    shot = Shot(
        project_geometry(project, meshes),
        project_dressing(project),
        set_lights(studio),
        make_view(project.view.camera, width, height),
        brightest=BRIGHTEST * 2.0**-studio.exposure,
        seed=seed,
    )
    film = Film(width, height)
    tracer = Tracer(threads)
    try:
        for done in range(samples):
            tracer.add_sample(shot, film)
            if not progress(done + 1, samples):
                raise InterruptedError("cancelled")
    finally:
        tracer.close()
    light = denoised(film, "high") if denoise else film.picture()
    return light * np.float32(2.0**studio.exposure)
