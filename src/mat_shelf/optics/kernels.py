"""How this program compiles its numeric kernels, and where the compiled code is kept.

Kernels release the GIL, so several Python threads run them at once; none is parallel inside. Compiled code is kept
in the user's cache, in a folder named after the sources: Numba looks only at the file a kernel stands in, and would
go on using old code when a function that the kernel calls had changed in another file.
"""

import hashlib
from pathlib import Path

import numba
import numpy as np
from platformdirs import user_cache_path

F = np.float32
"""Float32 constants in kernels are written F(1): a bare 1.0 would lift an expression to float64."""

_PACKAGE = Path(__file__).parents[1]
_SOURCES = sorted((_PACKAGE / "optics").glob("*.py")) + [
    path
    for folder in ("geometry", "rendering")
    for path in sorted((_PACKAGE / folder).glob("*.py"))
    if "@kernel" in path.read_text()
]
_FAST = {"contract", "reassoc", "nsz", "arcp", "afn"}  # neither nnan nor ninf: kernels test for both


def cache_folder() -> Path:
    """Folder of the compiled kernels that belong to the present sources."""
    digest = hashlib.sha256()
    for source in _SOURCES:
        digest.update(source.read_bytes())
    return user_cache_path("mat-shelf") / f"kernels-{digest.hexdigest()[:12]}"


numba.config.CACHE_DIR = str(cache_folder())

kernel = numba.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy", _nrt=False)
"""For functions that Python calls. They cannot make arrays: without Numba's runtime no array's reference count is
touched in the hot loops, where two threads would fight over it."""
inline = numba.njit(fastmath=_FAST, error_model="numpy", _nrt=False, forceinline=True)
"""For functions that only kernels call; they become part of the kernel."""
