"""Operations: the compiled form of what a step computes, called by address over a packet of points.

All operations have one signature, so that a program of any steps runs in one kernel, and a new step compiles itself
alone.
"""

from collections import namedtuple

from numba import types

from mat_shelf.numerics.kernels import inline
from mat_shelf.numerics.memory import compile_entry, floats1, floats2, floats3, ints1, longs1, longs2

PACKET = 128
"""Points in a packet; rows of registers are as long. A packet with fewer is padded to a multiple of `PAD`, so that no
point is ever computed without vector instructions, and values do not depend on how points were split."""
PAD = 32
MOST_CONSTANTS = 1 << 20
RESOURCE = 12
"""Numbers in a row of resources: addresses and sizes of arrays that operations read."""

Environment = namedtuple(
    "Environment", "position normal part cosine triangle u v turn shift centre low high salt resources product"
)
"""What an operation may read beside coordinates and the values before.

position (mm), normal : (PACKET, 3) float32, of the world; part : (PACKET,) int32
cosine : (PACKET,) float32, as in `Points`; triangle : (PACKET,) int32; u, v : (PACKET,) float32, of the hits
turn, shift, centre, low, high, salt : as in `Frames`
resources : (K, RESOURCE) int64
product : int, the row of the whole product in the frames
"""
PLACES = {name: place for place, name in enumerate(Environment._fields)}
"""Places of the addresses in the record that operations get."""

MOST = 1 << 30
"""Rows of arrays of any length."""
_SIGNATURE = types.void(*[types.int64] * 6)


def _entry(c, n, x, before, out, record):
    at = longs1(record, 15)
    environment = Environment(
        floats2(at[0], PACKET, 3),
        floats2(at[1], PACKET, 3),
        ints1(at[2], PACKET),
        floats1(at[3], PACKET),
        ints1(at[4], PACKET),
        floats1(at[5], PACKET),
        floats1(at[6], PACKET),
        floats3(at[7], MOST, 3, 3),
        floats2(at[8], MOST, 3),
        floats2(at[9], MOST, 3),
        floats2(at[10], MOST, 3),
        floats2(at[11], MOST, 3),
        ints1(at[12], MOST),
        longs2(at[13], MOST, RESOURCE),
        at[14],
    )
    body(  # noqa: F821, the operation
        floats1(c, MOST_CONSTANTS),
        n,
        floats2(x, 3, PACKET),
        floats2(before, MOST, PACKET),
        floats2(out, MOST, PACKET),
        environment,
    )


class Operation:
    """A function over a packet, compiled when its address is first asked for.

    Parameters
    ----------
    function : callable
        As `operation` takes it.
    """

    def __init__(self, function):
        self._function = function
        self._compiled = None

    @property
    def address(self) -> int:
        """Address of the compiled function."""
        if self._compiled is None:
            self._compiled = self._compile()
        return self._compiled.address

    def _compile(self):
        own = self._function
        known = {
            "body": inline(own),
            "Environment": Environment,
            **{name: globals()[name] for name in ("PACKET", "MOST", "MOST_CONSTANTS", "RESOURCE")},
            "floats1": floats1,
            "floats2": floats2,
            "floats3": floats3,
            "ints1": ints1,
            "longs1": longs1,
            "longs2": longs2,
        }
        return compile_entry(_entry, own, known, _SIGNATURE, own.__qualname__)


def operation(function) -> Operation:
    """Makes a function the operation of a step.

    Parameters
    ----------
    function : callable (c, n, x, before, out, at)
        c : (C,) float32, the step's constants; n : number of points, a multiple of `PAD`
        x : (3, PACKET) float32, coordinates in the layout, in sizes
        before : (rows, PACKET) float32, what the step takes
        out : (rows, PACKET) float32, written: the values, then scratch
        at : Environment

    Returns
    -------
    Operation
    """
    return Operation(function)
