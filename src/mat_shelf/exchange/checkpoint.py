"""Films of renders under way, kept in the user's cache: after a crash, or with more samples, a render goes on."""

import json
import tempfile
import time
import zipfile
import zlib
from contextlib import suppress
from pathlib import Path

import numpy as np

from mat_shelf.rendering.film import Film
from mat_shelf.system.file_writer import sweep, write_file
from mat_shelf.system.user_folders import cache_root

_MOST_BYTES = 4 << 30
"""Of all films and frames that are kept; the oldest go first."""
_EVERY_S, _SHARE = 30.0, 20.0
"""Least time between two states, and how many times the time that writing one takes."""
_DAMAGED = (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error, NotImplementedError)


def render_folder() -> Path:
    """Folder of the films."""
    return cache_root() / "renders"


class Checkpoint:
    """The film of one render.

    Parameters
    ----------
    key : str
        Digest of all that the samples depend on.

    Attributes
    ----------
    path : Path
        File of its sums.
    problem : str
        Why nothing could be kept; empty while it can.
    """

    def __init__(self, key: str):
        self.key = key
        self.path = render_folder() / f"{key}.npz"
        self.problem = ""
        self._kept_at, self._took, self._taken = time.monotonic(), 0.0, -1

    @property
    def samples(self) -> int:
        """Samples of a pixel that are kept, on average; 0 where there are none."""
        try:
            with np.load(self.path, allow_pickle=False) as kept:
                return int(kept["samples"])
        except _DAMAGED:
            return 0

    def fill(self, film: Film) -> None:
        """Puts the samples that were kept into an empty film; nothing where they are of another picture, or damaged.

        Parameters
        ----------
        film : Film
            The film.
        """
        try:
            with np.load(self.path, allow_pickle=False) as kept:
                found = {name: kept[name] for name, own in film.arrays().items() if _fits(kept[name], own, name)}
        except _DAMAGED:
            return
        for name, own in film.arrays().items():
            own[...] = found[name]
        self._taken = film.sums.counts.sum()

    def keep(self, film: Film, is_last: bool = False) -> None:
        """Writes the sums of a film, if the last state is old enough.

        Parameters
        ----------
        film : Film
            The film.
        is_last : bool
            Whether it is written however new the last state is.
        """
        since = time.monotonic() - self._kept_at
        if film.sums.counts.sum() == self._taken or (not is_last and since < max(_EVERY_S, _SHARE * self._took)):
            return
        began = time.monotonic()
        arrays = film.arrays()
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            sweep(self.path.parent)
            size = sum(each.nbytes for each in arrays.values())
            if size > _MOST_BYTES:
                raise OSError("the picture is too large to be kept while it renders")
            make_room(size, self.path)
            with tempfile.TemporaryFile(dir=self.path.parent) as out:
                np.savez(out, samples=np.int64(film.sums.counts.mean()), **arrays)
                write_file(self.path, out)
            self._taken, self.problem = film.sums.counts.sum(), ""
        except OSError as fault:
            self.problem = str(fault)
        self._kept_at = time.monotonic()
        self._took = self._kept_at - began

    def note_written(self, path: Path, form: str) -> None:
        """Remembers a file that the film was written to.

        Parameters
        ----------
        path : Path
            The file.
        form : str
            Digest of how it was written.
        """
        written = self._written() | {str(path.resolve()): form}
        with suppress(OSError):
            self.path.parent.mkdir(parents=True, exist_ok=True)
            write_file(self.path.with_suffix(".json"), json.dumps(written).encode())

    def is_written(self, path: Path, form: str) -> bool:
        """True if a file stands as the film was written to it.

        Parameters
        ----------
        path : Path
            The file.
        form : str
            Digest of how it was to be written.

        Returns
        -------
        bool
        """
        return path.is_file() and self._written().get(str(path.resolve())) == form

    def has_written(self, path: Path) -> bool:
        """True if a file was written from this film before, in whatever form.

        Parameters
        ----------
        path : Path
            The file.

        Returns
        -------
        bool
        """
        return str(path.resolve()) in self._written()

    def _written(self) -> dict[str, str]:
        try:
            found = json.loads(self.path.with_suffix(".json").read_bytes())
        except (OSError, ValueError):
            return {}
        return found if isinstance(found, dict) else {}


def make_room(size: int, beside: Path) -> None:
    """Removes the oldest films, and frames of turns, until there is room for one more.

    Parameters
    ----------
    size : int
        Bytes that come.
    beside : Path
        A file that stays.
    """
    found = []
    for each in (*beside.parent.glob("*.npz"), *beside.parent.glob("*.png"), *beside.parent.glob("*.json")):
        with suppress(OSError):
            state = each.stat()
            found.append((state.st_mtime, state.st_size, each))
    total = size + sum(each[1] for each in found)
    for _, bytes_, each in sorted(found):
        if total <= _MOST_BYTES:
            return
        if each != beside:
            with suppress(OSError):
                each.unlink()
                total -= bytes_


def _fits(kept: np.ndarray, own: np.ndarray, name: str) -> bool:
    if kept.shape != own.shape or kept.dtype != own.dtype:
        raise ValueError(f"{name} is of another picture")
    return True
