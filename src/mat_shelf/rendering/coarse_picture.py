"""Small pictures of all, at once after an edit that touches everything; enlarged where the surfaces are known."""

import time
from dataclasses import replace

import numpy as np

from mat_shelf.rendering.denoise import denoise_film
from mat_shelf.rendering.enlarging import KnownSurfaces, enlarged
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.pace import CoarseSize
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer

COARSE_SAMPLES = 1
COARSE_PADDING = 8
"""As `denoise_film` has it."""
COARSE_DEPTH = 12
"""Bounces at which paths end while a value is dragged; the picture that follows has all of them."""
COARSE_FED_DEPTH = 1
"""Waves in which patterns count while a value is dragged: what is seen itself, not what is seen in reflections."""
COARSE_MARKED_DEPTH = 8
"""Waves in which marks count while a value is dragged: through glass and ink, and back."""


def hasty(task: RenderTask) -> RenderTask:
    """A task as it is rendered while something is dragged: paths end sooner, patterns and marks count less far.

    Parameters
    ----------
    task : RenderTask
        The task.

    Returns
    -------
    RenderTask
    """
    return replace(task, depth=COARSE_DEPTH, fed_depth=COARSE_FED_DEPTH, marked_depth=COARSE_MARKED_DEPTH)


class CoarsePictures:
    """Renders small pictures, as large as the time of a drag allows.

    Parameters
    ----------
    tracer : Tracer
        The tracer.
    """

    def __init__(self, tracer: Tracer):
        self._tracer = tracer
        self._size, self._surfaces = CoarseSize(), KnownSurfaces()

    def keep(self, task: RenderTask, film: Film) -> None:
        """Keeps the surfaces that a whole picture sees.

        Parameters
        ----------
        task : RenderTask
            What it is of.
        film : Film
            The picture.
        """
        self._surfaces.keep(task, film)

    def size(self, width: int, height: int) -> tuple[int, int]:
        """Size of the next small picture.

        Parameters
        ----------
        width, height : int
            Pixels of the whole one.

        Returns
        -------
        (int, int)
        """
        return self._size.size(width, height)

    def light(self, task: RenderTask, film: Film, whole: RenderTask, size: tuple[int, int]) -> tuple[np.ndarray, int]:
        """Light of a small picture, without noise.

        Parameters
        ----------
        task : RenderTask
            What it is of.
        film : Film
            Without a sample, of its size.
        whole : RenderTask
            What the whole picture is of.
        size : (int, int)
            Pixels of the whole picture, across and from top to bottom.

        Returns
        -------
        (H, W, 3) float32, int
            Of the whole size where the surfaces are known; and the side, in its pixels, of what was seen once.
        """
        begun = time.perf_counter()
        quick = hasty(task)
        for _ in range(COARSE_SAMPLES):
            self._tracer.add_samples(quick, film)
        known = self._surfaces.at(whole, size[::-1], film)
        light = denoise_film(film, "fast", COARSE_PADDING, known and known.small[:2])
        light = light if known is None else enlarged(light, known.small, known.whole)
        self._size.learn(time.perf_counter() - begun)
        return light, 1 if known is None else max(round(size[0] / film.width), 1)
