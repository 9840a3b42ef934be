"""Profiles of printing processes (ICC.1), by which the screen shows what a print will look like."""

from pathlib import Path

import numpy as np

from mat_shelf.document.color_table import MOST_NODES, ColorTable
from mat_shelf.document.ids import name_from
from mat_shelf.document.print_proof import PrintProof
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.profile_decoding import proof_levels
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run_bounded
from mat_shelf.system.file_reader import read_file

PROFILE_ENDINGS = (".icc", ".icm")
_LARGEST = 32 << 20
"""Bytes."""
_LIMITS = Limits(512 << 20, 16 << 20, 20.0)


def read_print_profile(path: Path) -> PrintProof:
    """Reads the profile of a printing process.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    PrintProof

    Raises
    ------
    ImageError, OSError
        If it is none; the message says why.
    """
    path = Path(path)
    try:
        printed, marked = run_bounded(proof_levels, read_file(path, _LARGEST), MOST_NODES, limits=_LIMITS)
    except FaultError as fault:
        if fault.kind == ImageError.__name__:
            raise ImageError(str(fault)) from None
        raise ImageError("the profile is damaged and cannot be read") from fault
    except LimitError as fault:
        raise ImageError(f"it cannot be read: {fault}") from None
    name = name_from(path.stem, "Print")
    return PrintProof(
        printed=ColorTable.of(name, np.asarray(printed) / 255), marked=ColorTable.of(name, np.asarray(marked) / 255)
    )
