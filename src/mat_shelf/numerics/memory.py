"""Arrays and compiled functions by their addresses, for kernels.

What kernels read by address must be kept alive by whoever wrote the address down. Shapes are what the caller says; they
are not checked.
"""

from hashlib import sha256
from types import FunctionType

import numpy as np
from llvmlite import ir
from numba import cfunc, njit, typeof, types
from numba.core import cgutils
from numba.extending import intrinsic
from numba.np import arrayobj

from mat_shelf.numerics.kernels import compile_options, use_cache_of


def _view(dtype, dimensions: int):
    """Intrinsic (address, length of each axis) -> C-contiguous array, which owns nothing."""
    array = types.Array(dtype, dimensions, "C")

    def generate(context, builder, signature, arguments):
        made = context.make_array(array)(context, builder)
        width = context.get_constant(types.intp, dtype.bitwidth // 8)
        strides, stride = [], width
        for length in reversed(arguments[1:]):
            strides.insert(0, stride)
            stride = builder.mul(stride, length)
        arrayobj.populate_array(
            made,
            data=builder.inttoptr(arguments[0], context.get_data_type(dtype).as_pointer()),
            shape=list(arguments[1:]),
            strides=strides,
            itemsize=width,
            meminfo=None,
        )
        return made._getvalue()

    if dimensions == 1:
        return intrinsic(lambda typing, address, n: (array(types.int64, types.int64), generate))
    if dimensions == 2:
        return intrinsic(lambda typing, address, n, m: (array(types.int64, types.int64, types.int64), generate))
    return intrinsic(
        lambda typing, address, n, m, k: (array(types.int64, types.int64, types.int64, types.int64), generate)
    )


floats1, floats2, floats3 = (_view(types.float32, dimensions) for dimensions in (1, 2, 3))
"""(address, n[, m[, k]]) -> float32 array at an address."""
ints1 = _view(types.int32, 1)
longs1, longs2 = (_view(types.int64, dimensions) for dimensions in (1, 2))
bytes3, shorts3 = _view(types.uint8, 3), _view(types.uint16, 3)


@intrinsic
def call(typing, function, a, b, c, d, e, f):
    """Calls a C function ``void (int64, int64, int64, int64, int64, int64)`` by its address.

    Parameters
    ----------
    typing
        Of the compiler.
    function : int64
        The address.
    a, b, c, d, e, f : int64
        Arguments.
    """

    def _generate(context, builder, signature, arguments):
        made = ir.FunctionType(ir.VoidType(), [ir.IntType(64)] * 6)
        builder.call(builder.inttoptr(arguments[0], made.as_pointer()), arguments[1:])
        return context.get_dummy_value()

    return types.void(*[types.int64] * 7), _generate


@intrinsic
def call_detached(typing, function, arguments):
    """Calls what `Detached.address` is the address of.

    Parameters
    ----------
    typing
        Of the compiler.
    function : int64
        The address.
    arguments : tuple
        Of the very types that the address was asked for.
    """

    def _generate(context, builder, signature, given):
        kept = cgutils.alloca_once_value(builder, given[1])
        made = ir.FunctionType(ir.VoidType(), [ir.IntType(64)])
        builder.call(builder.inttoptr(given[0], made.as_pointer()), [builder.ptrtoint(kept, ir.IntType(64))])
        return context.get_dummy_value()

    return types.void(types.int64, arguments), _generate


def _loader(kind):
    """Intrinsic (address) -> the tuple of a Numba type that stands there."""

    def generate(context, builder, signature, given):
        return builder.load(builder.inttoptr(given[0], context.get_value_type(kind).as_pointer()))

    return intrinsic(lambda typing, address: (kind(types.int64), generate))


def _kind(argument):
    """All that Numba's type of an argument depends on; asking Numba for it takes milliseconds."""
    if isinstance(argument, tuple):
        return type(argument), *map(_kind, argument)
    if isinstance(argument, np.ndarray):
        flags = argument.flags
        return argument.dtype, argument.ndim, flags.c_contiguous, flags.f_contiguous, flags.aligned, flags.writeable
    return type(argument)


def _entry(address):
    body(*load(address))  # noqa: F821, the function and how its arguments are read


class Detached:
    """A function that kernels call by its address, so that it is compiled, and kept in the cache, by itself.

    What is compiled into a kernel is made faster anew for each kernel that it becomes part of, which takes minutes for
    the largest ones; a call by address costs a few nanoseconds.

    Parameters
    ----------
    function : callable
        It returns nothing.
    """

    def __init__(self, function):
        self._function = function
        self._compiled: dict = {}

    def address(self, *arguments) -> int:
        """Address of the function compiled for arguments of such types; see `call_detached`.

        Parameters
        ----------
        *arguments
            Arguments like those that it will be called with, in the order of its parameters.

        Returns
        -------
        int
        """
        key = tuple(map(_kind, arguments))
        if key not in self._compiled:
            self._compiled[key] = self._compile(types.Tuple([typeof(argument) for argument in arguments]))
        return self._compiled[key].address

    def _compile(self, kinds):
        own = self._function
        body = njit(nogil=True, no_cpython_wrapper=True, forceinline=False, **compile_options)(own)
        which = sha256(str(kinds).encode()).hexdigest()[:8]
        known = {"body": body, "load": _loader(kinds)}
        return compile_entry(_entry, own, known, types.void(types.int64), f"{own.__qualname__}_{which}")


def compile_entry(entry, own, known: dict, signature, name: str):
    """A C function that calls a function of another module, kept in that module's cache.

    Numba's cache tells functions apart by where they stand, so the entry is made to stand where the function does.

    Parameters
    ----------
    entry : callable
        What is compiled.
    own : callable
        The function that it calls.
    known : dict
        Globals of the entry.
    signature
        Numba's, of the entry.
    name : str
        Of the entry in the cache.

    Returns
    -------
    numba.core.ccallback.CFunc
    """
    code = entry.__code__.replace(
        co_filename=own.__code__.co_filename,
        co_firstlineno=own.__code__.co_firstlineno,
        co_name=own.__name__,
        co_qualname=own.__qualname__,
    )
    made = FunctionType(code, known, own.__name__)
    made.__qualname__, made.__module__ = name, own.__module__
    with use_cache_of(own.__module__):
        return cfunc(signature, cache=True, **compile_options)(made)


def detached(function) -> Detached:
    """Decorator of functions that kernels call by their address.

    Parameters
    ----------
    function : callable
        It returns nothing.

    Returns
    -------
    Detached
    """
    return Detached(function)
