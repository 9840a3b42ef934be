"""Steps as they are compiled: where they stand, what they take and what they give."""

from collections.abc import Mapping, Sequence
from typing import ClassVar, NamedTuple

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Pattern, Placement, Step
from mat_shelf.patterns.interpreter import COPY, TAP, TAPPED
from mat_shelf.patterns.operation import Operation


class PatternContext(NamedTuple):
    """Other patterns, by id, and images, by SHA-256, that a pattern refers to."""

    patterns: Mapping[str, Pattern] = {}
    pictures: Mapping = {}


NO_CONTEXT = PatternContext()


class Value(NamedTuple):
    """Values in registers: grey in one row, a colour in three."""

    row: int
    channels: int


class StepInput:
    """Where, and after what, a step is compiled.

    Parameters
    ----------
    code : program.Builder
        The program that is written.
    steps : sequence of Step
        Steps up to and with the one at hand, the source first.
    coordinates : int
        First of the three registers with the points in the layout, in sizes.
    placement : Placement
        Placement of the pattern.
    others : mapping from id to Value
        Other patterns at the points.
    is_passed : bool
        Whether points may lie in the layout more than once.

    Attributes
    ----------
    size : float
        Size of the layout, mm.
    is_deep : bool
        Whether the layout runs into the part, so that the third coordinate counts.
    is_solid : bool
        Whether the pattern fills space, in cubes rather than squares.
    is_whole : bool
        Whether a size covers all of the mesh's own coordinates, whatever their shape.
    is_centred : bool
        Whether the layout's origin is the middle of the part rather than a corner of something flat.
    is_flat, footprint, middle
        As in `program.Surroundings`.
    """

    def __init__(self, code, steps: Sequence[Step], coordinates: int, placement: Placement, others, is_passed: bool):
        self.code = code
        self.coordinates = coordinates
        self._step, self._steps = steps[-1], steps[:-1]
        self._placement, self._others, self._is_passed = placement, others, is_passed
        self.size = placement.size
        self.is_flat, self.footprint, self.middle = code.surroundings
        self.is_deep = placement.projection in ("solid", "cylinder", "sphere")
        self.is_solid = placement.projection == "solid"
        self.is_whole = placement.projection == "whole uv"
        self.is_centred = placement.projection not in ("uv", "whole uv") and not self.is_flat

    @property
    def pictures(self) -> Mapping:
        """Images by SHA-256."""
        return self.code.context.pictures

    def before(self, coordinates: int | None = None) -> Value:
        """Values of the steps before, here or at other coordinates of the layout.

        Parameters
        ----------
        coordinates : int, optional
            First of three registers.

        Returns
        -------
        Value
        """
        place = self.coordinates if coordinates is None else coordinates
        return self.code.steps(self._steps, place, self._placement, self._others, self._is_passed)

    def other(self, pattern_id: str | None) -> Value | None:
        """Another pattern at the same points; None where none is named.

        Parameters
        ----------
        pattern_id : str or None
            Id of the pattern.

        Returns
        -------
        Value or None
        """
        value = self._others.get(pattern_id)
        if value is None or not self._is_passed:
            return value
        row = self.code.rows(value.channels)
        for k in range(value.channels):
            self.code.emit(COPY, value.row + k, row + k, 1)
        return Value(row, value.channels)

    def run(self, *operands: Value, given: int | None = None) -> Value:
        """The operation of the step on some values.

        Parameters
        ----------
        *operands : Value
            What it takes; greys are widened where others are colours.
        given : int, optional
            Channels that it gives, where that is not for `CompiledStep.gives` to say.

        Returns
        -------
        Value
        """
        step, code = self._step, self.code
        if step.takes == "grey":
            operands = tuple(code.grey(value) for value in operands)
        elif step.takes == "colour":
            operands = tuple(code.widened(value) for value in operands)
        channels = max((value.channels for value in operands), default=1)
        if len(operands) < 2:
            before = operands[0].row if operands else 0
        else:
            before = code.rows(channels * len(operands))
            for k in range(channels):
                for number, value in enumerate(operands):
                    code.emit(COPY, value.row + k % value.channels, before + k * len(operands) + number)
        return self._run(before, channels, len(operands), given)

    def _run(self, before: int, channels: int, stride: int, given: int | None = None) -> Value:
        step, code = self._step, self.code
        calls = channels if step.takes == "channels" else 1
        given = given or {"same": channels, "grey": 1, "colour": 3}[step.gives]
        out = code.rows(given + step.scratch)
        code.run(step, step.constants(self), self.coordinates, before, out, calls, stride)
        return Value(out, given)

    def around(self, offsets: np.ndarray, weights: np.ndarray, is_grey: bool = False) -> Value:
        """The operation of the step on weighted sums of the steps before at places about each point.

        Parameters
        ----------
        offsets : (T, 2) float
            Places, in sizes along and across.
        weights : (T, S) float
            Weights of each place in S sums.
        is_grey : bool
            Whether sums are of greys.

        Returns
        -------
        Value
        """
        code, sums = self.code, weights.shape[1]
        table = np.hstack([offsets, weights]).astype(np.float32)
        first = code.constants(table.ravel().tolist())
        moved, total, loop = code.rows(3), code.rows(3 * sums), code.begin_loop()
        begin = code.emit(TAP, self.coordinates, moved, first, loop, total, 0, table.shape[1])
        value = self.before(moved)
        value = code.grey(value) if is_grey else value
        code.patch(begin, 6, value.channels * sums)
        turns = begin << 8 | len(table)
        code.emit(TAPPED, value.row, value.channels, first, loop, total, sums, table.shape[1], turns)
        code.end_loop()
        return self._run(total, value.channels, sums)


class CompiledStep(Step):
    """Base of all steps.

    Attributes
    ----------
    takes : str
        What its operation takes: "channels" one by one, "grey", or "colour", all three channels at once.
    gives : str
        What it gives: "same" as it takes, "grey" or "colour".
    scratch : int
        Registers after those of the values that its operation may write to.
    run : Operation
        What it computes.
    """

    takes: ClassVar[str] = "channels"
    gives: ClassVar[str] = "same"
    scratch: ClassVar[int] = 0
    run: ClassVar[Operation]

    def constants(self, at: StepInput) -> Sequence[float]:
        """Constants of its operation, `c`, whole numbers as floats.

        Parameters
        ----------
        at : StepInput
            Where it is compiled.

        Returns
        -------
        sequence of float
        """
        return ()

    def emit(self, at: StepInput) -> Value:
        """Writes its instructions.

        Parameters
        ----------
        at : StepInput
            Where it is compiled.

        Returns
        -------
        Value
        """
        return at.run(at.before())


class Source(CompiledStep):
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

    def emit(self, at: StepInput) -> Value:
        return at.run()

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
