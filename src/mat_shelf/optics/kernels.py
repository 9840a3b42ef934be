"""How this program compiles its numeric kernels, and where the compiled code is kept.

Kernels release the GIL, so several Python threads run them at once; none is parallel inside. Compiled code is kept
in the user's cache, in a folder named after the sources: Numba looks only at the file a kernel stands in, and would
go on using old code when a function that the kernel calls had changed in another file.
"""

import hashlib
from functools import cache
from pathlib import Path

import numba
import numpy as np

from mat_shelf.system.user_folders import cache_root

F = np.float32
"""Float32 constants in kernels are written F(1): a bare 1.0 would lift an expression to float64."""

_PACKAGE = Path(__file__).parents[1]
_FAST = {"contract", "reassoc", "nsz", "arcp", "afn"}  # neither nnan nor ninf: kernels test for both


@cache
def cache_folder(domain: str = "rendering") -> Path:
    """Folder of the compiled kernels that belong to the present sources of a domain, a folder of this package."""
    folders = ("patterns",) if domain == "patterns" else ("optics", "geometry", "marks", "rendering")
    digest = hashlib.sha256(Path(__file__).read_bytes())
    for folder in folders:
        for source in sorted((_PACKAGE / folder).rglob("*.py")):
            text = source.read_bytes()
            if folder == "optics" or b"@kernel" in text or b"@inline" in text:
                digest.update(text)
    return cache_root() / f"{domain}-{digest.hexdigest()[:12]}"


def kernel(function):
    """Compiles a function that Python calls.

    It cannot make arrays: without Numba's runtime no array's reference count is touched in the hot loops, where two
    threads would fight over it.
    """
    domain = "patterns" if ".patterns." in function.__module__ else "rendering"
    numba.config.CACHE_DIR = str(cache_folder(domain))
    return numba.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy", _nrt=False)(function)


inline = numba.njit(fastmath=_FAST, error_model="numpy", _nrt=False, forceinline=True)
"""For functions that only kernels call; they become part of the kernel."""

apart = numba.njit(nogil=True, fastmath=_FAST, error_model="numpy", _nrt=False, no_cpython_wrapper=True)
"""For functions that kernels call, and that stay functions of their own because few points need them."""
