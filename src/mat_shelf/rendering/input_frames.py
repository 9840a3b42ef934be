"""Frames of one input that is looked at in place of the render, each of one more sample than the one before."""

import time
from collections.abc import Callable

from mat_shelf.rendering.first_hit import FirstHits
from mat_shelf.rendering.frame import Frame
from mat_shelf.rendering.input_picture import SAMPLES, InputPicture
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry


class InputFrames:
    """Makes the frames of a picture until it has all of its samples.

    Parameters
    ----------
    tracer : Tracer
        The tracer.
    """

    def __init__(self, tracer: Tracer):
        self._tracer = tracer
        self._picture: InputPicture | None = None
        self._started = 0.0

    def begin(self, picture: InputPicture, started: float) -> None:
        """Begins with another picture.

        Parameters
        ----------
        picture : InputPicture
            Without a sample.
        started : float
            Time from which on its seconds count, as `time.perf_counter` has it.
        """
        self._picture, self._started = picture, started

    @property
    def is_at_rest(self) -> bool:
        """True once the picture has all of its samples."""
        return self._picture is not None and self._picture.samples >= SAMPLES

    @property
    def geometry(self) -> Geometry:
        """Geometry that it looks at."""
        return self._picture.task.geometry

    def next_frame(self, revision: int, seen: FirstHits, is_stopped: Callable[[], bool]) -> Frame | None:
        """Looks at all pixels once more.

        Parameters
        ----------
        revision : int
            That the frame carries.
        seen : FirstHits
            What each pixel of the picture sees.
        is_stopped : callable () -> bool
            True stops it; a picture that was stopped is of no use any more.

        Returns
        -------
        Frame or None
            None where it was stopped, or where there is nothing new to show.
        """
        picture = self._picture
        if self.is_at_rest or not picture.add_sample(self._tracer, is_stopped):
            return None
        seconds = time.perf_counter() - self._started
        shown = picture.pixels(), None, seen, picture.samples
        return Frame(*shown, seconds, False, revision, values=picture.values())
