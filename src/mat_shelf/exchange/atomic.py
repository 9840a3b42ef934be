"""Writing a file so that there is always a whole one: the old or the new."""

import glob
import os
import tempfile
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path


def write_atomically(path: Path, write: Callable[[Path], None], keep_previous: bool = False) -> None:
    """Lets `write` fill a temporary file beside `path`, then puts it in place.

    Parameters
    ----------
    write : callable (Path) -> None
    keep_previous : bool
        Whether the file that was there stays, with ``~`` behind its name.

    Raises
    ------
    OSError
        With a message that says what to do; whatever stood at `path` is untouched.
    """
    path = Path(path)
    if not path.parent.is_dir():
        raise OSError(f"the folder {path.parent} does not exist; choose another")
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=path.suffix, dir=path.parent)
    except OSError as fault:
        raise OSError(f"nothing can be written in {path.parent} ({fault.strerror}); choose another folder") from fault
    os.close(handle)
    _sweep(path)
    temporary = Path(name)
    try:
        write(temporary)
        with temporary.open("rb+") as written:
            os.fsync(written.fileno())
        mask = os.umask(0)
        os.umask(mask)
        temporary.chmod(0o666 & ~mask)
        if keep_previous and path.exists():
            previous = path.with_name(path.name + "~")
            previous.unlink(missing_ok=True)
            os.link(path, previous)
        os.replace(temporary, path)
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except OSError as fault:
        reason = fault.strerror or str(fault)
        raise OSError(
            f"{path.name} could not be written ({reason}); free some space or choose another folder"
        ) from fault
    finally:
        temporary.unlink(missing_ok=True)


STALE_S = 3600.0


def _sweep(path: Path) -> None:
    """Removes temporary files that programs which were killed left beside `path`, long enough ago to be sure."""
    for left in path.parent.glob(f".{glob.escape(path.name)}.*{glob.escape(path.suffix)}"):
        with suppress(OSError):
            if time.time() - left.stat().st_mtime > STALE_S:
                left.unlink()
