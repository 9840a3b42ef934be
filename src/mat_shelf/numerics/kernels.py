"""Compilation of numeric kernels, and the cache of the compiled code.

Kernels release the GIL, so several Python threads run them at once; none is parallel inside. Compiled code is kept
in the user's cache, in a folder for each module that is named after the sources of all it imports: Numba looks only at
the file a kernel stands in, and would go on using old code when a function that the kernel calls had changed elsewhere.
"""

import hashlib
import re
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from threading import RLock

import numba
import numpy as np
from numba import types
from numba._dynfunc import make_function
from numba.core.caching import UserProvidedCacheLocator
from numba.core.codegen import JITCodeLibrary
from numba.core.compiler import Compiler
from numba.core.compiler_machinery import register_pass
from numba.core.typed_passes import NativeLowering
from numba.extending import intrinsic

from mat_shelf.system.user_folders import cache_root

F = np.float32
"""Float32 constants in kernels are written F(1): a bare 1.0 would lift an expression to float64."""
PI = F(np.pi)

_PACKAGE = Path(__file__).parents[1]
_IMPORT = re.compile(rb"^[ \t]*from (mat_shelf[\w.]*) import (\([^)]*\)|[^\n]*)", re.MULTILINE)
_COMPILED = re.compile(rb"^[ \t]*@(?:kernel|inline|apart|operation|detached)\b", re.MULTILINE)
_DEFINITION = re.compile(rb"^(?:@|class |def )[^\n]*\n(?:(?:[ \t)\]][^\n]*)?\n)*", re.MULTILINE)
compile_options = {
    "fastmath": {"contract", "reassoc", "nsz", "arcp", "afn"},  # neither nnan nor ninf: kernels test for both
    "error_model": "numpy",
    "_nrt": False,
}
"""Options of all compiled functions."""
_caching = RLock()
_LAYOUT = b"4"
"""Raised when a type that kernels take moves to another module: what was kept with it cannot be read any more."""


@cache
def _source(module: str) -> bytes:
    """Text of a module of this package; empty where there is none of that name."""
    path = _PACKAGE.joinpath(*module.split(".")[1:]).with_suffix(".py")
    return path.read_bytes() if path.is_file() else b""


def _imports(module: str) -> list[str]:
    """Modules of this package that a module imports."""
    found = []
    for name, names in _IMPORT.findall(_source(module)):
        inside = [f"{name.decode()}.{part.decode()}" for part in re.findall(rb"\w+", names)]
        found += [imported for imported in (name.decode(), *inside) if _source(imported)]
    return found


def _compiled_part(source: bytes) -> bytes:
    """All of a module that has compiled functions; of another one its constants, which those may use."""
    if _COMPILED.search(source):
        return source
    return _DEFINITION.sub(b"", source)


@cache
def cache_folder(module: str) -> Path:
    """Folder of the compiled kernels of a module, named after its source and what it imports, one by another.

    Parameters
    ----------
    module : str
        Full name, such as "mat_shelf.rendering.passes".

    Returns
    -------
    Path
    """
    waiting, reached = [module], {module, __name__}
    while waiting:
        for name in _imports(waiting.pop()):
            if name not in reached:
                reached.add(name)
                waiting.append(name)
    digest = hashlib.sha256(_LAYOUT)
    for name in sorted(reached):
        source = _source(name)
        digest.update(name.encode() + b"\0" + (source if name == module else _compiled_part(source)))
    return cache_root() / f"{module.rpartition('.')[2]}-{digest.hexdigest()[:12]}"


def kernel(function):
    """Compiles a function that Python calls.

    It cannot make arrays: without Numba's runtime no array's reference count is touched in the hot loops, where two
    threads would fight over it.

    Parameters
    ----------
    function : callable
        Function of float32 scalars and arrays.

    Returns
    -------
    callable
    """
    with use_cache_of(function.__module__):
        return numba.njit(cache=True, nogil=True, **compile_options)(function)


class KernelLocator(UserProvidedCacheLocator):
    """Says where compiled code is kept: in the folder that was set, wherever the sources lie, whose text names it."""

    @classmethod
    def get_suitable_cache_subpath(cls, py_file) -> str:
        """No folder of its own for where a source lies.

        Parameters
        ----------
        py_file : str
            The source.

        Returns
        -------
        str
        """
        return ""


@contextmanager
def use_cache_of(module: str):
    """Context in which what is compiled is kept in the cache of a module.

    Parameters
    ----------
    module : str
        Full name, such as "mat_shelf.rendering.passes".
    """
    config = numba.config
    with _caching:
        before = config.CACHE_DIR, config.CACHE_LOCATOR_CLASSES
        config.CACHE_DIR, config.CACHE_LOCATOR_CLASSES = str(cache_folder(module)), f"{__name__}.KernelLocator"
        try:
            yield
        finally:
            config.CACHE_DIR, config.CACHE_LOCATOR_CLASSES = before


class _PartLibrary(JITCodeLibrary):
    """Code that becomes part of kernels and never runs by itself: it is made fast there, and translated there."""

    def _optimize_final_module(self):
        pass

    def _finalize_final_module(self):
        self._finalize_dynamic_globals()
        self._finalized = True


@register_pass(mutates_CFG=True, analysis_only=False)
class _PartLowering(NativeLowering):
    """Makes a function ready for kernels to call, but not for Python."""

    _name = "part_lowering"

    def run_pass(self, state):
        context = state.targetctx
        state.library = _PartLibrary(context.codegen(), state.func_id.func_qualname)
        state.flags.no_compile = True
        super().run_pass(state)
        described = state.cr.fndesc
        # Numba finds the function by this one, which is never called.
        entry = make_function(described.lookup_module(), described.qualname, "", 0, state.cr.env, (state.library,))
        context.insert_user_function(entry, described, [state.library])
        state.cr = state.cr._replace(cfunc=entry)
        return True


class _PartCompiler(Compiler):
    """Compiles functions that only kernels call, without what only Python needs."""

    def define_pipelines(self):
        found = super().define_pipelines()
        for passes in found:
            passes.passes = [(_PartLowering if one is NativeLowering else one, words) for one, words in passes.passes]
        return found


_part = {"pipeline_class": _PartCompiler, "no_cpython_wrapper": True, "no_cfunc_wrapper": True, **compile_options}
inline = numba.njit(forceinline=True, **_part)
"""For functions that only kernels call; they become part of the kernel."""


@intrinsic
def stay_apart(typing):
    """In a function: it is compiled once, not into each place that calls it.

    Parameters
    ----------
    typing
        Of the compiler.
    """

    def _generate(context, builder, signature, arguments):
        builder.function.attributes.add("noinline")
        return context.get_dummy_value()

    return types.void(), _generate


apart = numba.njit(nogil=True, forceinline=False, **_part)
"""For functions that kernels call, and that stay functions of their own because few points need them."""
