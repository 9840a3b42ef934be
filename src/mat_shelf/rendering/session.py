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

from mat_shelf.document.project import Project
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.rendering.camera import make_view
from mat_shelf.rendering.denoise import denoised
from mat_shelf.rendering.film import Film, develop
from mat_shelf.rendering.lights import set_lights
from mat_shelf.rendering.scene import project_dressing, project_geometry
from mat_shelf.rendering.tracer import Shot, Tracer

COARSE_PIXELS = 36_000
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
    part_at : (H, W) int16, index of the part each pixel of the full size sees, -1 for none
    samples : int
    seconds : float, since the last edit
    is_coarse : bool
    revision : int, of the `update` or `resize` it shows
    """

    pixels: np.ndarray
    part_at: np.ndarray
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
    """

    def __init__(self, meshes: Mapping[str, Mesh], threads: int | None = None):
        self._meshes = meshes
        self._tracer = Tracer(threads)
        self._lock = Lock()
        self._wanted: tuple[Project, int, int, int] | None = None
        self._revision = 0
        self._size = (640, 430)
        self._project: Project | None = None
        self._shown_revision = -1
        self._built: dict[str, tuple] = {}
        self._film = Film(1, 1)
        self._shown_samples = 0
        self._part_at = np.zeros((0, 0), np.int16)
        self._started = time.perf_counter()

    def close(self) -> None:
        """Stops the work under way and ends the threads."""
        with self._lock:
            self._revision += 1
            self._wanted = None
        self._tracer.close()

    def update(self, project: Project) -> int:
        """Asks for a picture of this project; any older work is dropped. Returns the revision it will carry."""
        with self._lock:
            self._revision += 1
            self._project = project
            self._wanted = (project, *self._size, self._revision)
            return self._revision

    def resize(self, width: int, height: int) -> int:
        """Asks for another size, in pixels."""
        with self._lock:
            self._size = (max(width, 16), max(height, 16))
            self._revision += 1
            if self._project is not None:
                self._wanted = (self._project, *self._size, self._revision)
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
        project, width, height, revision = wanted
        if revision != self._shown_revision:
            return self._begin(project, width, height, revision)
        return self._refine(project, revision)

    @property
    def is_at_rest(self) -> bool:
        """Whether `step` has nothing left to do."""
        with self._lock:
            wanted = self._wanted
        return wanted is None or (wanted[3] == self._shown_revision and self._film.samples >= REST_SAMPLES)

    def _is_outdated(self, revision: int) -> bool:
        return self._revision != revision

    def _kept(self, name: str, key: tuple, make):
        """The last result of `make`, as long as the objects it was made from are the same ones."""
        old_key, old = self._built.get(name, ((), None))
        if len(old_key) == len(key) and all(a is b or a == b for a, b in zip(old_key, key, strict=True)):
            return old
        self._built[name] = (key, made := make())
        return made

    def _shot(self, project: Project, width: int, height: int, seed: int) -> Shot:
        studio = project.set
        meshes = tuple(part.mesh for part in project.product.parts)
        geometry = self._kept("geometry", (meshes, studio.backdrop), lambda: project_geometry(project, self._meshes))
        lights = self._kept("lights", (studio.softboxes, studio.surround, studio.ground), lambda: set_lights(studio))
        dressing = self._kept(
            "dressing",
            (project.materials, project.product, studio.backdrop),
            lambda: project_dressing(project),
        )
        view = make_view(studio.camera, width, height)
        return Shot(geometry, dressing, lights, view, brightest=BRIGHTEST * 2.0**-studio.exposure, seed=seed)

    def _begin(self, project: Project, width: int, height: int, revision: int) -> Frame | None:
        started = time.perf_counter()
        shrink = min(math.sqrt(COARSE_PIXELS / (width * height)), 1.0)
        film = Film(max(round(width * shrink), 8), max(round(height * shrink), 8))
        shot = self._shot(project, film.width, film.height, seed=revision)
        for _ in range(COARSE_SAMPLES):
            if not self._tracer.add_sample(shot, film):
                return None
        geometry, camera = shot.geometry, project.set.camera
        self._part_at = self._kept(
            "parts", (geometry, camera, width, height), lambda: part_picture(project, geometry, width, height)
        )
        pixels = develop(denoised(film, "fast"), project.set.exposure)
        self._film = Film(width, height)
        self._shown_samples = 0
        self._shown_revision = revision
        self._started = started
        return Frame(pixels, self._part_at, COARSE_SAMPLES, time.perf_counter() - started, True, revision)

    def _refine(self, project: Project, revision: int) -> Frame | None:
        film = self._film
        if film.samples >= REST_SAMPLES:
            return None
        shot = self._shot(project, film.width, film.height, seed=1)
        if not self._tracer.add_sample(shot, film, lambda: self._is_outdated(revision)):
            return None
        # Cleaning costs about as much as a sample, so it waits for twice as many as were shown last.
        if film.samples < max(2 * self._shown_samples, 2) and film.samples < REST_SAMPLES:
            return None
        self._shown_samples = film.samples
        light = denoised(film, "fast" if film.samples < 64 else "high")
        if self._is_outdated(revision):
            return None
        seconds = time.perf_counter() - self._started
        pixels = develop(light, project.set.exposure)
        return Frame(pixels, self._part_at, film.samples, seconds, False, revision)


def part_picture(project: Project, geometry, width: int, height: int) -> np.ndarray:
    """Which part is seen through the middle of each pixel.

    Returns
    -------
    (height, width) int16
        Index into the product's parts, -1 where none is seen.
    """
    view = make_view(project.set.camera, width, height)
    x = ((np.arange(width, dtype=np.float32) + 0.5) / width * 2 - 1) * view.half_width
    y = (1 - (np.arange(height, dtype=np.float32) + 0.5) / height * 2) * view.half_height
    right, up, forward = (np.array(v, np.float32) for v in (view.right, view.up, view.forward))
    directions = (forward + y[:, None, None] * up + x[None, :, None] * right).reshape(-1, 3)
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    origins = np.broadcast_to(np.array(view.position, np.float32), directions.shape)
    hit = geometry.intersect(np.ascontiguousarray(origins), np.ascontiguousarray(directions, np.float32))[0]
    hit[hit >= len(project.product.parts)] = -1
    return hit.astype(np.int16).reshape(height, width)


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
        make_view(studio.camera, width, height),
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
