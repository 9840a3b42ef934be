"""Files as they are found: ordinary ones of a bounded size, nothing else."""

import os
import stat
from pathlib import Path
from typing import BinaryIO

from mat_shelf.system.file_writer import words_of

LARGEST_FILE = 512 * 2**20


class ReadError(OSError):
    """A file that cannot be read; the message says why."""


def opened_file(path: Path) -> BinaryIO:
    """An ordinary file, opened to be read. A pipe or device, which could block for ever, is refused.

    Raises
    ------
    FileNotFoundError
        If there is none.
    ReadError
        If it may not be read or is no ordinary file.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except FileNotFoundError:
        raise
    except OSError as fault:
        raise ReadError(_words(path, fault)) from fault
    found = os.fstat(handle).st_mode
    if stat.S_ISREG(found):
        return os.fdopen(handle, "rb")
    os.close(handle)
    raise ReadError("it is a folder, not a file" if stat.S_ISDIR(found) else "it is no ordinary file")


def read_file(path: Path, most: int = LARGEST_FILE) -> bytes:
    """All of an ordinary file. Raises OSError: FileNotFoundError, or ReadError, also if it holds more than `most`."""
    with opened_file(path) as file:
        try:
            data = file.read(most + 1)
        except OSError as fault:
            raise ReadError(_words(path, fault)) from fault
    if len(data) > most:
        raise ReadError(f"it is larger than {most / 2**20:.0f} MB")
    return data


def _words(path: Path, fault: OSError) -> str:
    if isinstance(fault, PermissionError):
        return "it may not be read; change its permissions"
    return "it is no ordinary file" if fault.errno == 6 else words_of(fault)  # ENXIO: a socket
