"""Input of a step, and the one evaluator of patterns."""

from collections.abc import Mapping, Sequence
from typing import ClassVar, NamedTuple

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Pattern, Placement, Step
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.placing import blend_layout, lay_out
from mat_shelf.patterns.points import Points, flat_points


class PatternContext(NamedTuple):
    """Other patterns, by id, and images, by SHA-256, that a pattern refers to."""

    patterns: Mapping[str, Pattern] = {}
    pictures: Mapping = {}


NO_CONTEXT = PatternContext()


class StepInput:
    """Where, and after what, a step is evaluated.

    Parameters
    ----------
    steps : sequence of Step
        Steps, the source first.
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    placement : Placement
        Placement of the pattern.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Attributes
    ----------
    coordinates : (3, N) float32
        In the pattern's own layout, in multiples of its size.
    size : float
        That size, mm.
    is_deep : bool
        Whether the layout runs into the part, so that the third coordinate counts.
    is_solid : bool
        Whether the pattern fills space, in cubes rather than squares.
    is_whole : bool
        Whether a size covers all of the mesh's own coordinates, whatever their shape.
    library : Library
    """

    def __init__(self, steps: Sequence[Step], coordinates: np.ndarray, placement: Placement, points, context):
        self._steps = steps
        self._placement = placement
        self._points = points
        self.coordinates = coordinates
        self.size = placement.size
        self.is_deep = placement.projection in ("solid", "cylinder", "sphere")
        self.is_solid = placement.projection == "solid"
        self.is_whole = placement.projection == "whole uv"
        self.context = context

    @property
    def points(self) -> Points:
        """The points themselves, one for each place of the layout."""
        return self._points if isinstance(self._points, Points) else self._points()

    def __len__(self) -> int:
        return self.coordinates.shape[1]

    @property
    def is_centred(self) -> bool:
        """True if the layout's origin is the middle of the part rather than a corner of something flat."""
        return self._placement.projection not in ("uv", "whole uv") and not self.points.is_flat

    @property
    def before(self) -> np.ndarray:
        """Values of the steps before, here: (N,) or (N, 3) float32."""
        return self.before_at(self.coordinates)

    def before_at(self, coordinates: np.ndarray) -> np.ndarray:
        """Values of the steps before at other coordinates, (3, N), of the layout.

        Parameters
        ----------
        coordinates : (3, N) float32
            Points in the layout, in sizes.

        Returns
        -------
        (3, N)
        """
        return run_steps(self._steps, coordinates, self._placement, self._points, self.context)

    def other(self, pattern_id: str | None) -> np.ndarray | None:
        """Another pattern at the same points; None where none is named.

        Parameters
        ----------
        pattern_id : str or None
            Id of the pattern.

        Returns
        -------
        array or None
        """
        if pattern_id is None or pattern_id not in self.context.patterns:
            return None
        return evaluate(self.context.patterns[pattern_id], self.points, self.context)


def run_steps(steps: Sequence[Step], coordinates, placement: Placement, points: Points, context: PatternContext):
    """Evaluates a row of steps, the last one first: it asks for what it needs of those before it.

    Parameters
    ----------
    steps : sequence of Step
        Steps, the source first.
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    placement : Placement
        Placement of the pattern.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    float32
    """
    last, before = steps[-1], steps[:-1]
    if before and not last.is_on:
        return run_steps(before, coordinates, placement, points, context)
    return last.apply(StepInput(before, coordinates, placement, points, context))


def evaluate(
    pattern: Pattern, points: Points, context: PatternContext = NO_CONTEXT, until: int | None = None
) -> np.ndarray:
    """The values of a pattern.

    Parameters
    ----------
    pattern : Pattern
        The pattern.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.
    until : int, optional
        Number of steps to go through; all by default.

    Returns
    -------
    (N,) or (N, 3) float32
        A grey or a colour (linear Rec.709). Usually, but not always, in [0, 1].

    Raises
    ------
    RecursionError
        If patterns use each other; a valid recipe has none such.
    """
    key = (id(pattern), until)
    if key in points.known:
        return points.known[key][1]
    sheet = lay_out(pattern.placement, points)
    laid = points if sheet.index is None else points.taken_later(sheet.index)
    values = run_steps(pattern.steps[:until], sheet.coordinates, pattern.placement, laid, context)
    total = blend_layout(values, sheet, len(points))
    points.known[key] = (pattern, total)  # the pattern is kept so that its id stays its own
    return total


class Source(Step):
    """The first step of a pattern.

    Attributes
    ----------
    span : float
        How many times its size a thumbnail shows.
    usual : Placement
        How it lies when a pattern is begun with it.
    sample_shape : str
        Shape that thumbnails show it on: "flat", or one that has what it reads, a key of `thumbnail.SAMPLES`.
    is_placed : bool
        Whether its placement counts; what reads the part itself lies where that is.
    """

    is_source = True
    span: ClassVar[float] = 4.0
    usual: ClassVar[Placement] = Placement()
    sample_shape: ClassVar[str] = "flat"
    is_placed: ClassVar[bool] = True

    def seen(self, size: float) -> float:
        """Width of a thumbnail, mm, at a size in mm."""
        return self.span * size

    def finest(self, size: float) -> float:
        """Width of its finest detail, mm, at a size in mm; slopes of relief are taken over a part of that."""
        return size / 10


def seed() -> int:
    """The field of a source whose other values give another piece of the same.

    Returns
    -------
    int
    """
    return number(1, 0, 9999, label="Seed", tip="Another number gives another variation.")


def grey(values: np.ndarray) -> np.ndarray:
    """Values as grey, (N,): the luminance of colours (Rec.709).

    Parameters
    ----------
    values : (N,) or (N, 3) float32
        Values.

    Returns
    -------
    (N,)
    """
    return values if values.ndim == 1 else luminance(values)


def as_wide(values: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Values as (N, 3) where the other ones are, so that both can be combined.

    Parameters
    ----------
    values : (N,) or (N, 3) float32
        Values.
    other : (N,) or (N, 3) float32
        Other values.

    Returns
    -------
    (N, 3)
    """
    return values[:, None] if values.ndim < other.ndim else values


def is_colored(pattern: Pattern, context: PatternContext) -> bool:
    """True if a pattern gives colours rather than greys.

    Parameters
    ----------
    pattern : Pattern
        The pattern.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    bool
    """
    return evaluate(pattern, flat_points(1.0, 1, 1), context).ndim == 2
