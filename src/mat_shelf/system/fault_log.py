"""Faults of the program itself, kept in a file for whoever mends them."""

import faulthandler
import logging
import sys
import traceback
from contextlib import suppress
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import TextIO

from mat_shelf.system.user_folders import state_folder

_LARGEST, _KEPT = 1 << 20, 3
_crashes: TextIO | None = None


def log_path() -> Path:
    """Path of the log; older ones have a number behind that name."""
    return state_folder() / "mat-shelf.log"


def details_of(fault: BaseException) -> str:
    """A fault with its traceback, as text."""
    return "".join(traceback.format_exception(fault))


def log_fault(fault: BaseException, where: str) -> Path | None:
    """Keep a fault.

    Parameters
    ----------
    where : str
        The thread or command that it happened in.

    Returns
    -------
    Path or None
        Of the file; None where nothing can be kept, which is no fault of its own.
    """
    try:
        path = log_path()
        path.parent.mkdir(parents=True, exist_ok=True)
        file = RotatingFileHandler(path, maxBytes=_LARGEST, backupCount=_KEPT - 1, encoding="utf-8", errors="replace")
    except (OSError, RuntimeError):
        return None
    try:
        file.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
        file.handleError = lambda record: None  # a full disk
        text = f"{where}\n{details_of(fault)}"
        file.emit(logging.makeLogRecord({"msg": text, "levelno": logging.ERROR, "levelname": "ERROR"}))
    finally:
        file.close()
    return path


def watch_for_crashes() -> None:
    """Have the interpreter write where it was when a library ends the process."""
    global _crashes
    with suppress(OSError, RuntimeError):
        path = log_path().with_name("crash.log")
        path.parent.mkdir(parents=True, exist_ok=True)
        _crashes = path.open("w", encoding="utf-8")
        faulthandler.enable(_crashes)


def plain_text(stream: TextIO) -> None:
    """Let a stream show what its encoding has no letters for as question marks, rather than fail."""
    with suppress(AttributeError, ValueError):
        stream.reconfigure(errors="replace")


def plain_streams() -> None:
    """The same for standard output and standard error."""
    for stream in (sys.stdout, sys.stderr):
        plain_text(stream)
