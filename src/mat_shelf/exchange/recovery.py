"""Work that was not saved: kept while the program runs, and offered back after it ended without closing.

Each run has a folder of its own, in which it holds a lock. A folder whose lock is free was left behind.
"""

import fcntl
import json
import os
import secrets
import shutil
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_state_path

from mat_shelf.document.migration import migrated
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.exchange.assets import AssetError, Assets, asset_names, gather_assets
from mat_shelf.exchange.atomic import write_atomically
from mat_shelf.exchange.package import LARGEST_ENTRY, LARGEST_TEXT, PackageError, parse

_PROJECT, _ORIGIN, _LOCK = "project.json", "origin.json", "lock"


@dataclass(frozen=True)
class LeftBehind:
    """Unsaved work of a run that did not end well.

    Attributes
    ----------
    name : str, of the project
    path : Path or None, of its file
    when : float, seconds since 1970, of its last change
    """

    folder: Path
    name: str
    path: Path | None
    when: float


class Recovery:
    """Keeps the newest state of the open project on disk.

    Parameters
    ----------
    root : Path, optional
        Folder of all runs; by default under the user's state folder.

    Raises
    ------
    OSError
        If the folder cannot be made.
    """

    def __init__(self, root: Path | None = None):
        self.root = root or user_state_path("mat-shelf") / "recovery"
        self.root.mkdir(parents=True, exist_ok=True)
        self._folder = self.root / f"{int(time.time())}-{secrets.token_hex(4)}"
        self._folder.mkdir(parents=True)
        self._lock = (self._folder / _LOCK).open("w")
        fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def keep(self, project: Project, assets: Assets, path: Path | None) -> None:
        """Writes the project, whole or not at all; a mesh or picture only the first time. Raises OSError."""
        for key, name in asset_names(project).items():
            if not assets.holds(key):
                continue
            target = self._folder / name
            if not target.exists():
                target.parent.mkdir(exist_ok=True)
                data = assets.data(key)
                write_atomically(target, lambda temporary, data=data: temporary.write_bytes(data))
        origin = json.dumps({"name": project.name, "path": str(path) if path else None})
        write_atomically(self._folder / _ORIGIN, lambda temporary: temporary.write_text(origin))
        text = project.model_dump_json()
        write_atomically(self._folder / _PROJECT, lambda temporary: temporary.write_text(text))

    def clear(self) -> None:
        """Drops what was kept: the project was saved, or its changes were given up."""
        with suppress(OSError):
            (self._folder / _PROJECT).unlink(missing_ok=True)

    def close(self) -> None:
        """Ends the run well."""
        shutil.rmtree(self._folder, ignore_errors=True)
        self._lock.close()

    def left_behind(self) -> list[LeftBehind]:
        """Unsaved work of runs that are over, newest first; folders without any are removed."""
        found = []
        for folder in sorted(self.root.iterdir(), reverse=True):
            if folder == self._folder or not folder.is_dir() or not _is_over(folder):
                continue
            if not (folder / _PROJECT).exists():
                shutil.rmtree(folder, ignore_errors=True)
                continue
            when = (folder / _PROJECT).stat().st_mtime
            try:
                origin = json.loads((folder / _ORIGIN).read_text()[:10_000])
                name, path = str(origin["name"]), Path(origin["path"]) if origin["path"] else None
            except (OSError, ValueError, KeyError, TypeError):
                name, path = "A project", None  # the work itself may well be whole
            found.append(LeftBehind(folder, name, path, when))
        return found

    @staticmethod
    def restore(lost: LeftBehind) -> tuple[Project, Assets]:
        """The project and its meshes as they were. Raises PackageError."""
        source = lost.folder / _PROJECT
        project = parse(Project, _limited(source, LARGEST_TEXT), source, SCHEMA, migrated)
        try:
            return project, gather_assets(project, lambda name: _limited(lost.folder / name, LARGEST_ENTRY))
        except AssetError as fault:
            raise PackageError(f"{fault} in what was kept; open the last save instead") from None

    @staticmethod
    def forget(lost: LeftBehind) -> None:
        shutil.rmtree(lost.folder, ignore_errors=True)


def _is_over(folder: Path) -> bool:
    """Whether no running program holds the folder's lock."""
    try:
        handle = os.open(folder / _LOCK, os.O_RDWR)
    except OSError:  # none yet: a run that is just starting, or what is left of a folder
        return time.time() - folder.stat().st_mtime > 60
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True


def _limited(path: Path, limit: int) -> bytes:
    try:
        with path.open("rb") as stream:
            data = stream.read(limit + 1)
    except OSError as fault:
        raise PackageError(f"{path.name} of the kept work is gone ({fault.strerror}); open the last save") from None
    if len(data) > limit:
        raise PackageError(f"{path.name} of the kept work is too large")
    return data
