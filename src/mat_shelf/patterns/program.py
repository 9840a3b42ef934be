"""Programs: patterns as rows of instructions that kernels run.

A program is an int32 array of instructions in the order in which they are run; `interpreter.run_program` runs it over
packets of points. Registers are rows of `PACKET` floats; a colour takes three of them.
"""

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import NamedTuple

import numpy as np

from mat_shelf.document.pattern import Pattern, Placement, Step
from mat_shelf.patterns import interpreter as I  # noqa: E741, N812
from mat_shelf.patterns.interpreter import INSTRUCTION, MOST_LOOPS
from mat_shelf.patterns.operation import RESOURCE, Operation
from mat_shelf.patterns.placing import layout_constants, projection_of
from mat_shelf.patterns.step import PatternContext, StepInput, Value


class Surroundings(NamedTuple):
    """Knowledge of the points before any of them is there.

    Attributes
    ----------
    is_flat : bool
        Whether they lie on a sheet of paper rather than on parts.
    footprint : float
        Width of what one point stands for, mm; see `Points`.
    middle : tuple of 3 float
        Middle of a sheet, mm.
    """

    is_flat: bool = False
    footprint: float = 0.0
    middle: tuple[float, float, float] = (0.0, 0.0, 0.0)


ON_PARTS = Surroundings()


class Program(NamedTuple):
    """A program by itself.

    Attributes
    ----------
    code : (I, INSTRUCTION) int32
    constants : (C,) float32
    addresses : (A,) int64, of operations
    resources : (K, RESOURCE) int64
    maps : tuple of (kind, radius, row of the resources)
        Geometry maps that it reads, whose addresses are not known yet.
    reads_uv : bool
        Whether anything follows the mesh's own coordinates.
    registers : int
        Rows that it needs.
    kept : tuple
        What the resources are addresses of.
    """

    code: np.ndarray
    constants: np.ndarray
    addresses: np.ndarray
    resources: np.ndarray
    maps: tuple[tuple[str, float, int], ...]
    reads_uv: bool
    registers: int
    kept: tuple


class Builder:
    """Writes a program, instruction by instruction.

    Parameters
    ----------
    context : PatternContext
        Other patterns and images that the patterns refer to.
    surroundings : Surroundings
        What is known of the points.
    """

    def __init__(self, context: PatternContext, surroundings: Surroundings = ON_PARTS):
        self.context, self.surroundings = context, surroundings
        self._code: list[list[int]] = []
        self._constants: list[float] = []
        self._operations: list[Operation] = []
        self._resources: list[tuple[int, ...]] = []
        self._maps: list[tuple[str, float, int]] = []
        self._kept: list = []
        self._free = self._most = 0
        self._known: dict = {}
        self._loops = 0
        self._tangents: int | None = None
        self._reads_uv = False

    def emit(self, *numbers: int) -> int:
        """Adds an instruction; returns its place.

        Parameters
        ----------
        *numbers : int
            The instruction and its operands.

        Returns
        -------
        int
        """
        self._code.append([*numbers, *(0,) * (INSTRUCTION - len(numbers))])
        return len(self._code) - 1

    def rows(self, count: int) -> int:
        """The first of some free registers, which are taken.

        Parameters
        ----------
        count : int
            Number of registers.

        Returns
        -------
        int
        """
        first, self._free = self._free, self._free + count
        self._most = max(self._most, self._free)
        return first

    def constants(self, values: Iterable[float]) -> int:
        """Adds constants; returns the place of the first.

        Parameters
        ----------
        values : iterable of float
            The constants.

        Returns
        -------
        int
        """
        first = len(self._constants)
        self._constants.extend(values)
        return first

    def resource(self, numbers: Sequence[int], *kept) -> int:
        """Adds a row of resources; returns its place.

        Parameters
        ----------
        numbers : sequence of int
            At most `RESOURCE` addresses and sizes.
        *kept
            What they are the addresses of.

        Returns
        -------
        int
        """
        self._resources.append((*numbers, *(0,) * (RESOURCE - len(numbers))))
        self._kept.extend(kept)
        return len(self._resources) - 1

    def geometry_map(self, kind: str, radius: float) -> int:
        """Row of the resources for a geometry map, which is bound when the program is run.

        Parameters
        ----------
        kind : str
            Kind of the map.
        radius : float
            Its reach, mm.

        Returns
        -------
        int
        """
        row = self.resource(())
        self._maps.append((kind, radius, row))
        return row

    def run(self, step: Step, constants: Sequence[float], coordinates: int, before: int, out: int, calls=1, stride=1):
        """Calls the operation of a step.

        Parameters
        ----------
        step : Step
            The step.
        constants : sequence of float
            Its constants.
        coordinates, before, out : int
            First registers of each.
        calls : int
            Channels for which it is called one by one.
        stride : int
            Registers of `before` that belong to a channel.
        """
        if step.run not in self._operations:
            self._operations.append(step.run)
        place = self._operations.index(step.run)
        self.emit(I.RUN, place, self.constants(constants), coordinates, before, out, calls, stride)

    def grey(self, value: Value) -> Value:
        """A value as grey.

        Parameters
        ----------
        value : Value
            The value.

        Returns
        -------
        Value
        """
        if value.channels == 1:
            return value
        row = self.rows(1)
        self.emit(I.GREY, value.row, row)
        return Value(row, 1)

    def widened(self, value: Value) -> Value:
        """A value as three channels.

        Parameters
        ----------
        value : Value
            The value.

        Returns
        -------
        Value
        """
        if value.channels == 3:
            return value
        row = self.rows(3)
        for k in range(3):
            self.emit(I.COPY, value.row, row + k)
        return Value(row, 3)

    def filled(self, values: Sequence[float]) -> Value:
        """A constant as a value.

        Parameters
        ----------
        values : sequence of float
            One or three.

        Returns
        -------
        Value
        """
        row = self.rows(len(values))
        for k, value in enumerate(values):
            self.emit(I.FILL, row + k, self.constants((value,)))
        return Value(row, len(values))

    def begin_loop(self) -> int:
        """Number of a loop inside those that are open."""
        if self._loops == MOST_LOOPS:
            raise ValueError("too many steps that look about them, one after another; remove one")
        self._loops += 1
        return self._loops - 1

    def end_loop(self) -> None:
        """Close the innermost loop."""
        self._loops -= 1

    def patch(self, place: int, operand: int, number: int) -> None:
        """Writes an operand of an instruction that could not be known before.

        Parameters
        ----------
        place : int
            Place of the instruction.
        operand : int
            Which of its numbers.
        number : int
            Its value.
        """
        self._code[place][operand] = number

    @property
    def place(self) -> int:
        """Place of the next instruction."""
        return len(self._code)

    def pattern(self, pattern: Pattern, until: int | None = None) -> Value:
        """A pattern at the points; found once, however often it is asked for.

        Parameters
        ----------
        pattern : Pattern
            The pattern.
        until : int, optional
            Number of steps to go through; all by default.

        Returns
        -------
        Value

        Raises
        ------
        RecursionError
            If patterns use each other; a valid recipe has none such.
        """
        key = (pattern.id, until)
        if key in self._known:
            return self._known[key]
        given = pattern.steps[:until]
        steps = [given[0], *(step for step in given[1:] if step.is_on)]
        others = {
            name: self.pattern(self.context.patterns[name])
            for step in steps
            for name in step.used()
            if name in self.context.patterns
        }
        first = self._free
        placement, sheets = pattern.placement, 1
        if steps[0].is_placed:
            coordinates = self.layout(placement)
            sheets = projection_of(placement, self.surroundings.is_flat)[3]
        else:
            coordinates = self.rows(3)
        begin = self.place
        value = self.steps(steps, coordinates, placement, others, sheets > 1)
        if sheets > 1:
            total = self.rows(value.channels)
            self.emit(I.NEXT_PASS, value.row, value.channels, total, coordinates, begin)
            value = Value(total, value.channels)
        for k in range(value.channels):
            self.emit(I.COPY, value.row + k, first + k)
        self._free = first + value.channels
        self._known[key] = Value(first, value.channels)
        return self._known[key]

    def layout(self, placement: Placement) -> int:
        """First of three registers with the points in a layout, in sizes.

        Parameters
        ----------
        placement : Placement
            Placement of a pattern.

        Returns
        -------
        int
        """
        coordinates = self.rows(3)
        self._reads_uv |= placement.projection in ("uv", "whole uv")
        way, axis, over, _ = projection_of(placement, self.surroundings.is_flat)
        self.emit(I.LAY, self.constants(layout_constants(placement)), way, axis, over, coordinates)
        return coordinates

    def steps(self, steps, coordinates: int, placement: Placement, others, is_passed: bool) -> Value:
        """A row of steps at coordinates, the last one asking for those before it.

        Parameters
        ----------
        steps : sequence of Step
            Steps that are on, the source first.
        coordinates : int
            First of three registers.
        placement : Placement
            Placement of the pattern.
        others : mapping from id to Value
            Other patterns at the points.
        is_passed : bool
            Whether points may lie in the layout more than once.

        Returns
        -------
        Value
        """
        return steps[-1].emit(StepInput(self, steps, coordinates, placement, others, is_passed))

    def tangents(self) -> int:
        """First of six registers with two tangents of the normals."""
        if self._tangents is None:
            self._tangents = self.rows(6)
            self.emit(I.FRAME, self._tangents)
        return self._tangents

    @contextmanager
    def beside(self, tangent: int, distance: float) -> Iterator[None]:
        """Within it patterns are those of the points a little way along a tangent.

        Parameters
        ----------
        tangent : int
            First of the three registers of the tangent.
        distance : float
            How far, mm.
        """
        known, self._known = self._known, {}
        self.emit(I.SHIFT, tangent, self.constants((distance,)))
        yield
        self.emit(I.SHIFT, -1, 0)
        self._known = known

    @contextmanager
    def using(self, context: PatternContext) -> Iterator[None]:
        """Within it patterns are those of another recipe.

        Parameters
        ----------
        context : PatternContext
            Patterns and images of that recipe.
        """
        before, self.context, known, self._known = self.context, context, self._known, {}
        yield
        self.context, self._known = before, known

    def finish(self) -> Program:
        """The program.

        Returns
        -------
        Program
        """
        return Program(
            np.array(self._code, np.int32).reshape(-1, INSTRUCTION),
            np.array(self._constants or [0.0], np.float32),
            np.array([operation.address for operation in self._operations] or [0], np.int64),
            np.array(self._resources, np.int64).reshape(-1, RESOURCE),
            tuple(self._maps),
            self._reads_uv,
            max(self._most, 1),
            tuple(self._kept),
        )
