"""The index of a library's folder: SQLite tables that hold nothing that the folder does not."""

import itertools
import sqlite3
from contextlib import closing, suppress
from pathlib import Path

from pydantic import ValidationError

from mat_shelf.document.parameter import explain
from mat_shelf.document.swatch import Swatch
from mat_shelf.library.thumbnails import recipe_key

_TABLES = """
CREATE TABLE IF NOT EXISTS swatches (
    id TEXT PRIMARY KEY, name TEXT NOT NULL, family TEXT NOT NULL, tags TEXT NOT NULL, note TEXT NOT NULL,
    parent TEXT, recipe_key TEXT NOT NULL, modified INTEGER NOT NULL, json TEXT NOT NULL, kind TEXT NOT NULL
);
CREATE VIRTUAL TABLE IF NOT EXISTS words USING fts5 (id UNINDEXED, name, family, tags, note, tokenize = 'unicode61');
"""
_TABLES_VERSION = 5
DAMAGE = (sqlite3.DatabaseError, ValidationError, UnicodeError)
"""How damage inside an index shows. It holds nothing that the folder does not, so it is made anew."""
_numbers = itertools.count()


class LibraryError(Exception):
    """Something about the library's folder; the message says what to do."""


class SwatchIndex:
    """The index of a folder.

    Parameters
    ----------
    folder : Path
        Folder of the library.
    is_in_memory : bool
        Whether it lives in memory, as long as this object does, because the folder cannot be written.
    """

    def __init__(self, folder: Path, is_in_memory: bool = False):
        self._folder = folder
        self._memory = f"file:mat-shelf-{next(_numbers)}?mode=memory&cache=shared" if is_in_memory else None
        self._held = self._opened() if is_in_memory else None

    def check(self) -> None:
        """Makes the index again where it is damaged inside; it may look sound until it is asked for what is there."""
        try:
            with closing(self.connection()) as index:
                if index.execute("PRAGMA quick_check(1)").fetchone()[0] == "ok":
                    return
        except sqlite3.OperationalError as fault:
            raise_if_busy(fault)
        except sqlite3.DatabaseError:
            pass
        self.drop()

    def drop(self) -> None:
        """Throws the index away; it is made again from the folder."""
        if self._held is not None:
            for table in ("swatches", "words"):
                self._held.execute(f"DELETE FROM {table}")
            self._held.commit()
            return
        for ending in ("", "-journal", "-wal", "-shm"):
            with suppress(FileNotFoundError):
                Path(f"{self._folder / 'index.sqlite'}{ending}").unlink()

    def connection(self) -> sqlite3.Connection:
        """A connection, to be closed by whoever asked. Raises LibraryError where the index cannot be opened."""
        try:
            return self._opened()
        except sqlite3.OperationalError as fault:
            raise_if_busy(fault)
            raise LibraryError(f"the library's index in {self._folder} cannot be opened: {fault}") from fault

    def _opened(self) -> sqlite3.Connection:
        if self._memory is None:
            index = sqlite3.connect(self._folder / "index.sqlite", timeout=5)
        else:
            index = sqlite3.connect(self._memory, timeout=5, uri=True, check_same_thread=False)
        try:
            version = index.execute("PRAGMA user_version").fetchone()[0]
            if version not in (0, _TABLES_VERSION) or (version == 0 and _has_tables(index)):
                raise sqlite3.DatabaseError("an index of another version")
            if version == 0:
                index.executescript(f"{_TABLES} PRAGMA user_version = {_TABLES_VERSION};")
        except sqlite3.DatabaseError:
            index.close()
            raise
        return index


def raise_if_busy(fault: sqlite3.OperationalError) -> None:
    """Raises LibraryError where another program holds the index."""
    if "locked" in str(fault) or "busy" in str(fault):
        raise LibraryError("another program holds the library's index; close it and try again") from fault


def _has_tables(index: sqlite3.Connection) -> bool:
    return index.execute("SELECT count(*) FROM sqlite_master").fetchone()[0] > 0


def follow_parents(index: sqlite3.Connection) -> list[str]:
    """Gives variants what they have from their parents, parents first; returns what could not be, a line each.

    Those that vary each other, or cannot follow, stay as they are.
    """
    problems: list[str] = []
    waiting = {
        row[0]: (Swatch.model_validate_json(row[1]), row[2])
        for row in index.execute("SELECT id, json, modified FROM swatches WHERE parent IS NOT NULL")
    }
    while True:
        ready = [key for key, (variant, _) in waiting.items() if variant.parent not in waiting]
        if not ready:
            return problems
        for key in ready:
            variant, modified = waiting.pop(key)
            row = index.execute("SELECT json FROM swatches WHERE id = ?", (variant.parent,)).fetchone()
            if row is None:
                continue
            try:
                following = variant.following(Swatch.model_validate_json(row[0]).recipe)
            except ValidationError as fault:
                problems.append(f"'{variant.name}' cannot follow what it is a variant of: {explain(fault)}")
                continue
            if following is not variant:
                enter(index, following, modified)


def enter(index: sqlite3.Connection, swatch: Swatch, modified: int) -> None:
    """Enters a swatch in the index, in place of one with its id; `modified` is its package's time, ns."""
    tags = ", ".join(swatch.tags)
    index.execute(
        "INSERT OR REPLACE INTO swatches VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            swatch.id,
            swatch.name,
            swatch.family,
            tags,
            swatch.note,
            swatch.parent,
            recipe_key(swatch.recipe),
            modified,
            swatch.model_dump_json(),
            swatch.kind,
        ),
    )
    index.execute("DELETE FROM words WHERE id = ?", (swatch.id,))
    index.execute(
        "INSERT INTO words VALUES (?, ?, ?, ?, ?)", (swatch.id, swatch.name, swatch.family, tags, swatch.note)
    )
