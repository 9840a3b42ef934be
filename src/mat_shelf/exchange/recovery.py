"""Work that was not saved: kept while the program runs, and offered back after it ended without closing.

Each run has a numbered folder of its own, in which it holds a lock; it gets its name only when the lock is held. A
folder whose lock is free was left behind, and whoever looks at it holds the lock meanwhile.
"""

import fcntl
import json
import os
import re
import secrets
import shutil
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from mat_shelf.document.migration import migrated
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.exchange.assets import AssetError, Assets, asset_names, gather_assets
from mat_shelf.exchange.package import LARGEST_TEXT, PackageError, parse
from mat_shelf.system.file_reader import LARGEST_FILE, read_file
from mat_shelf.system.file_writer import write_file
from mat_shelf.system.user_folders import state_folder

_PROJECT, _ORIGIN, _LOCK = "project.json", "origin.json", "lock"
_NUMBER = re.compile(r"([0-9]+)-[0-9a-f]+")


@dataclass(frozen=True)
class LeftBehind:
    """Unsaved work of a run that did not end well; nobody else is offered it as long as this is held.

    Attributes
    ----------
    name : str, of the project
    path : Path or None, of its file
    when : float, seconds since 1970, of its last change
    lock : file
    """

    folder: Path
    name: str
    path: Path | None
    when: float
    lock: BinaryIO


class Recovery:
    """Keeps the newest state of the open project on disk.

    Parameters
    ----------
    root : Path, optional
        Folder of all runs; by default under the user's state folder.

    Raises
    ------
    OSError
        If the folder cannot be made or locked.
    """

    def __init__(self, root: Path | None = None):
        self.root = root or state_folder() / "recovery"
        self.root.mkdir(parents=True, exist_ok=True)
        # Numbers, not times, put runs in order: clocks are set back.
        last = max((int(m[1]) for path in self.root.iterdir() if (m := _NUMBER.fullmatch(path.name))), default=0)
        self._folder = self.root / f"{last + 1}-{secrets.token_hex(4)}"
        hidden = self.root / f".{self._folder.name}"
        hidden.mkdir()
        self._lock = (hidden / _LOCK).open("wb")
        fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        hidden.rename(self._folder)

    def keep(self, project: Project, assets: Assets, path: Path | None) -> None:
        """Writes the project, whole or not at all; a mesh or picture only the first time. Raises OSError.

        Parameters
        ----------
        project : Project
            The project.
        assets : Assets
            Files of the project.
        path : Path or None
            File.
        """
        for key, name in asset_names(project).items():
            target = self._folder / name
            if assets.holds(key) and not target.exists():
                target.parent.mkdir(exist_ok=True)
                write_file(target, assets.data(key))
        origin = {"name": project.name, "path": os.fsencode(path).decode("utf-8", "surrogateescape") if path else None}
        write_file(self._folder / _ORIGIN, json.dumps(origin).encode())
        write_file(self._folder / _PROJECT, project.model_dump_json().encode())

    def clear(self) -> None:
        """Drops what was kept: the project was saved, or its changes were given up."""
        with suppress(OSError):
            (self._folder / _PROJECT).unlink(missing_ok=True)

    def close(self) -> None:
        """Ends the run well."""
        shutil.rmtree(self._folder, ignore_errors=True)
        self._lock.close()

    def left_behind(self) -> list[LeftBehind]:
        """Unsaved work of runs that are over, newest first; folders without any are removed.

        Returns
        -------
        list of LeftBehind
        """
        found = []
        for folder in self.root.iterdir():
            number = _NUMBER.fullmatch(folder.name.removeprefix("."))
            lock = _claimed(folder) if number and folder != self._folder and folder.is_dir() else None
            if lock is None:
                continue
            if folder.name.startswith(".") or not (folder / _PROJECT).exists():
                shutil.rmtree(folder, ignore_errors=True)
                lock.close()
                continue
            try:
                when = (folder / _PROJECT).stat().st_mtime
                origin = json.loads(read_file(folder / _ORIGIN, 10_000))
                name = str(origin["name"])
                path = Path(os.fsdecode(origin["path"].encode("utf-8", "surrogateescape"))) if origin["path"] else None
            except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
                when, name, path = 0.0, "A project", None  # the work itself may well be whole
            found.append((int(number[1]), LeftBehind(folder, name, path, when, lock)))
        return [lost for _, lost in sorted(found, key=lambda each: -each[0])]

    @staticmethod
    def restore(lost: LeftBehind) -> tuple[Project, Assets]:
        """The project and its meshes as they were. Raises PackageError.

        Parameters
        ----------
        lost : LeftBehind
            Work of a run that has ended.

        Returns
        -------
        tuple[Project, Assets]
        """
        source = lost.folder / _PROJECT
        project = parse(Project, _kept(source, LARGEST_TEXT), source, SCHEMA, migrated)
        try:
            return project, gather_assets(project, lambda name: _kept(lost.folder / name, LARGEST_FILE))
        except AssetError as fault:
            raise PackageError(f"{fault} in the unsaved work; open the last save instead") from None

    @staticmethod
    def forget(lost: LeftBehind) -> None:
        """Delete what was kept.

        Parameters
        ----------
        lost : LeftBehind
            Work of a run that has ended.
        """
        shutil.rmtree(lost.folder, ignore_errors=True)
        lost.lock.close()

    @staticmethod
    def leave(lost: LeftBehind) -> None:
        """Lets another run offer it.

        Parameters
        ----------
        lost : LeftBehind
            Work of a run that has ended.
        """
        lost.lock.close()


def _claimed(folder: Path) -> BinaryIO | None:
    """The lock of a folder that no running program holds."""
    try:
        lock = (folder / _LOCK).open("rb+")
    except FileNotFoundError:
        # A run that is killed between its first two steps leaves an empty one. One with work in it lost its lock file.
        if not (folder / _PROJECT).exists():
            with suppress(OSError):
                folder.rmdir()
            return None
        with suppress(OSError):
            (folder / _LOCK).touch()
            return _claimed(folder)
        return None
    except OSError:
        return None
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        return None
    return lock


def _kept(path: Path, most: int) -> bytes:
    try:
        return read_file(path, most)
    except OSError as fault:
        words = fault.strerror or str(fault)
        raise PackageError(f"{path.name} of the unsaved work cannot be read ({words}); open the last save") from None
