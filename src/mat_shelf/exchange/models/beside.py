"""Files that a model refers to: read from its own folder alone."""

import os
from pathlib import Path

_LARGEST = 2 << 30


class PartFaultError(ValueError):
    """One thing in a file, or one that it refers to, that cannot be used; the rest may be sound."""


def read_beside(path: Path, name: str, most: int = _LARGEST) -> bytes:
    """Content of a file in the folder of another one, or below.

    One that is called for elsewhere, or in letters of another case, is looked for by its name in the same folder.

    Parameters
    ----------
    path : Path
        The other one.
    name : str
        Path of the file from there.
    most : int
        Bytes that it may have.

    Returns
    -------
    bytes

    Raises
    ------
    PartFaultError
        If it is not there, or is too large.
    """
    folder = path.parent.resolve()
    shown = Path(name.replace("\\", "/")).name[:80] or "the file"
    try:
        found = _found(folder, name.replace("\\", "/"))
        if found is None:
            raise PartFaultError(f"'{shown}' is missing; put it beside {path.name}")
        if found.stat().st_size > most:
            raise PartFaultError(f"'{shown}' is too large")
        return found.read_bytes()
    except (OSError, ValueError, RuntimeError) as fault:
        if isinstance(fault, PartFaultError):
            raise
        raise PartFaultError(f"'{shown}' cannot be read") from None


def _found(folder: Path, name: str) -> Path | None:
    exact = (folder / name).resolve()
    if folder in exact.parents and exact.is_file():
        return exact
    here: Path | None = folder
    for part in Path(name).parts:
        here = None if here is None or part in ("..", "/") else _in_any_case(here, part)
    here = here if here is not None and here.is_file() else _in_any_case(folder, Path(name).name)
    return here if here is not None and here.is_file() and folder in here.resolve().parents else None


def _in_any_case(folder: Path, name: str) -> Path | None:
    if not folder.is_dir():
        return None
    return next((folder / found for found in sorted(os.listdir(folder)) if found.lower() == name.lower()), None)
