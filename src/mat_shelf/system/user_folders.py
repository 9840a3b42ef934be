"""Folders of the user that the program keeps things in, also where there is no home or it cannot be written."""

import os
import tempfile
from functools import cache
from pathlib import Path

from platformdirs import user_cache_path, user_data_path, user_state_path

NAME = "mat-shelf"


@cache
def ensure_home() -> bool:
    """Give a process without a home folder a temporary one; whether it has one of its own."""
    try:
        Path.home()
    except RuntimeError:
        os.environ["HOME"] = tempfile.mkdtemp(prefix=f"{NAME}-home-")
        return False
    return True


def home_folder() -> Path:
    """Folder in which a file dialog starts."""
    try:
        return Path.home()
    except RuntimeError:
        return Path.cwd()


def data_folder() -> Path:
    """Folder of what outlives projects."""
    return user_data_path(NAME)


def state_folder() -> Path:
    """Folder of what outlives a run: the log, and unsaved work."""
    return user_state_path(NAME)


@cache
def cache_root() -> Path:
    """Folder of what can be made again; among temporary files where the user's cache cannot be written."""
    usual = user_cache_path(NAME)
    try:
        usual.mkdir(parents=True, exist_ok=True)
        if os.access(usual, os.W_OK | os.X_OK):
            return usual
    except OSError:
        pass
    other = Path(tempfile.gettempdir()) / f"{NAME}-cache-{os.getuid()}"
    other.mkdir(mode=0o700, exist_ok=True)
    if other.stat().st_uid != os.getuid():  # someone else's, who could put anything into it
        other = Path(tempfile.mkdtemp(prefix=f"{NAME}-cache-"))
    return other
