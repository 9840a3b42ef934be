"""The library: a folder of swatch packages and an SQLite index that can always be made again from it."""

import errno
import itertools
import os
import re
import sqlite3
from collections.abc import Callable, Iterable, Mapping
from contextlib import closing, suppress
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from pydantic import ValidationError

from mat_shelf.document.parameter import explain
from mat_shelf.document.swatch import FAMILIES, Swatch
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.swatch_file import SWATCH_ENDING, open_swatch, save_swatch, swatch_pictures
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.library.thumbnails import recipe_key
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import sweep, words_of, write_file
from mat_shelf.system.user_folders import data_folder

_TABLES = """
CREATE TABLE IF NOT EXISTS swatches (
    id TEXT PRIMARY KEY, name TEXT NOT NULL, family TEXT NOT NULL, tags TEXT NOT NULL, note TEXT NOT NULL,
    parent TEXT, recipe_key TEXT NOT NULL, modified INTEGER NOT NULL, json TEXT NOT NULL
);
CREATE VIRTUAL TABLE IF NOT EXISTS words USING fts5 (id UNINDEXED, name, family, tags, note, tokenize = 'unicode61');
"""
_TABLES_VERSION = 3
_LARGEST_LIST = 1 << 20
_DAMAGE = (sqlite3.DatabaseError, ValidationError, UnicodeError)
"""How damage inside an index shows. It holds nothing that the folder does not, so it is made anew."""
_numbers = itertools.count()


class LibraryError(Exception):
    """Something about the library's folder; the message says what to do."""


class LibraryEntry(NamedTuple):
    """A swatch in a list. `recipe_key` is that of its picture; `parent` the name of the swatch that it varies."""

    id: str
    name: str
    family: str
    tags: str
    note: str
    parent: str | None
    recipe_key: str


def library_folder() -> Path:
    """Folder of the library."""
    return data_folder() / "shelf"


class Library:
    """Swatches that outlive projects. Every method may raise LibraryError.

    Parameters
    ----------
    folder : Path
        Made if it is not there, and given the shipped swatches that it never had. One that cannot be written is read
        as far as that goes, with the shipped swatches beside what is in it; nothing can be added then.

    Attributes
    ----------
    is_writable : bool
    problems : list of str
        What in the folder could not be read or followed, one line each.
    """

    def __init__(self, folder: Path | None = None):
        self.folder = folder or library_folder()
        self.problems: list[str] = []
        self.is_writable = True
        self._held: sqlite3.Connection | None = None
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            if not os.access(self.folder, os.W_OK | os.X_OK):
                raise PermissionError(errno.EACCES, "Permission denied")
            sweep(self.folder)
            self._give_shipped()
            self._check_index()
            self._read_folder()
        except (OSError, LibraryError) as fault:
            self.is_writable = False
            # An index in memory lives as long as a connection to it is held.
            self._memory = f"file:mat-shelf-{next(_numbers)}?mode=memory&cache=shared"
            self._held = self._opened()
            self._read_folder()
            reason = words_of(fault) if isinstance(fault, OSError) else str(fault)
            self.problems.insert(
                0, f"the library in {self.folder} cannot be written, so nothing is saved in it: {reason}"
            )

    def _give_shipped(self) -> None:
        """Adds the shipped swatches that this library was never given; what the user threw out stays out."""
        given = self.folder / "shipped.txt"
        try:
            known = set(read_file(given, _LARGEST_LIST).decode("utf-8", "replace").split())
        except OSError:  # none yet, or nothing that can be read: what is there already stays as it is
            known = set()
        fresh = [swatch for swatch in SHIPPED if swatch.id not in known]
        for swatch in fresh:
            if not self._path(swatch.id).exists():
                save_swatch(self._path(swatch.id), swatch)
        if fresh:
            write_file(given, "\n".join(sorted(known | {swatch.id for swatch in fresh})).encode())

    def entries(self) -> list[LibraryEntry]:
        """All swatches, by family in the library's order, then by name."""
        rows = self._asked(
            lambda index: index.execute(
                "SELECT s.id, s.name, s.family, s.tags, s.note, p.name, s.recipe_key "
                "FROM swatches s LEFT JOIN swatches p ON p.id = s.parent"
            ).fetchall()
        )
        order = {family: place for place, family in enumerate(FAMILIES)}
        rows.sort(key=lambda row: (order.get(row[2], 99), row[2], row[1].casefold()))
        return [LibraryEntry(*row) for row in rows]

    def swatch(self, swatch_id: str) -> Swatch | None:
        """A swatch, a variant with all it has from its parent; None where it is not on the library."""

        def find(index: sqlite3.Connection) -> Swatch | None:
            row = index.execute("SELECT json FROM swatches WHERE id = ?", (swatch_id,)).fetchone()
            return Swatch.model_validate_json(row[0]) if row else None

        return self._asked(find)

    def search(self, text: str) -> list[str]:
        """Ids of the swatches in whose name, family, tags or note each word of `text` begins a word.

        Any text is fine: it is taken as words, never as a query.
        """
        words = re.findall(r"\w+", text)
        if not words:
            return [entry.id for entry in self.entries()]
        query = " ".join(f'"{word}"*' for word in words)
        found = "SELECT id FROM words WHERE words MATCH ? ORDER BY rank"
        return self._asked(lambda index: [row[0] for row in index.execute(found, (query,))])

    def pictures(self, swatch: Swatch) -> dict[str, bytes]:
        """The pictures that a swatch's patterns show, by SHA-256, out of its package or its parent's.

        Raises LibraryError where a package cannot be read.
        """
        found: dict[str, bytes] = {}
        wanted = {picture.digest for picture in swatch.recipe.pictures()}
        for owner in (swatch.id, swatch.parent):
            if owner is not None and wanted - found.keys() and self._path(owner).exists():
                try:
                    found |= swatch_pictures(self._path(owner))
                except PackageError as fault:
                    raise LibraryError(str(fault)) from None
        return found

    def add(self, swatch: Swatch, pictures: Mapping[str, bytes] = MappingProxyType({})) -> None:
        """Keeps a swatch, in place of one with its id; variants of it follow.

        Parameters
        ----------
        pictures : mapping from SHA-256 to bytes
            Those of its patterns that the library does not have yet.

        Raises
        ------
        LibraryError
            If it cannot be kept, or a variant of it could not follow; nothing is written then.
        """
        self._must_be_writable()
        self._check_followers(swatch)
        path, before = self._path(swatch.id), None
        try:
            before = read_file(path) if path.exists() else None
            save_swatch(path, swatch, self.pictures(swatch) | dict(pictures))
        except OSError as fault:
            raise LibraryError(f"'{swatch.name}' could not be saved: {fault}") from fault
        try:
            self._read_folder()
        except (
            OSError,
            LibraryError,
        ) as fault:  # no room for the index: what was not kept must not come back by itself
            with suppress(OSError):
                if before is None:
                    path.unlink()
                else:
                    write_file(path, before)
            raise LibraryError(f"'{swatch.name}' could not be saved: {fault}") from fault

    def remove(self, swatch_id: str) -> None:
        """Takes a swatch off the library; `put_back` brings it again. Its variants stay as they look."""
        self._must_be_writable()
        away = self.folder / "thrown-out"
        try:
            for variant in self._variants_of(swatch_id):
                save_swatch(self._path(variant.id), variant, self.pictures(variant))
            away.mkdir(exist_ok=True)
            self._path(swatch_id).replace(away / self._path(swatch_id).name)
            self._read_folder()
        except OSError as fault:
            raise LibraryError(f"it could not be deleted: {fault}") from fault

    def put_back(self, swatch_id: str) -> None:
        """Brings back what was thrown out. Raises LibraryError."""
        path = self._path(swatch_id)
        try:
            (self.folder / "thrown-out" / path.name).replace(path)
            self._read_folder()
        except OSError as fault:
            raise LibraryError(f"it could not be restored: {fault}") from fault

    def _variants_of(self, swatch_id: str) -> list[Swatch]:
        def find(index: sqlite3.Connection) -> list[Swatch]:
            rows = index.execute("SELECT json FROM swatches WHERE parent = ?", (swatch_id,)).fetchall()
            return [Swatch.model_validate_json(row[0]) for row in rows]

        return self._asked(find)

    def _check_followers(self, swatch: Swatch) -> None:
        """Raises LibraryError where a variant of a swatch, or a variant of that, could not follow it."""
        waiting, seen = [swatch], {swatch.id}
        while waiting:
            parent = waiting.pop()
            for variant in self._variants_of(parent.id):
                if variant.id in seen:
                    continue
                seen.add(variant.id)
                try:
                    waiting.append(variant.following(parent.recipe))
                except ValidationError as fault:
                    raise LibraryError(
                        f"'{swatch.name}' cannot be saved so: its variant '{variant.name}' could not follow it "
                        f"({explain(fault)}); change that first"
                    ) from None

    def _must_be_writable(self) -> None:
        if not self.is_writable:
            raise LibraryError(f"the folder of the library, {self.folder}, cannot be written; nothing was saved")

    def name_is_free(self, name: str, but_for: str | None = None) -> bool:
        """True if no swatch, or only the one with the id `but_for`, has this name, in small letters or capitals."""
        wanted = name.strip().casefold()
        return all(e.name.casefold() != wanted or e.id == but_for for e in self.entries())

    def rebuild(self) -> None:
        """Throws the index away and makes it again from the folder."""
        self._drop_index()
        self._read_folder()

    def fill_index(self, swatches: Iterable[Swatch]) -> None:
        """Enters swatches in the index alone, without packages; the next look at the folder drops them again."""
        with closing(self._index()) as index, index:
            for swatch in swatches:
                _enter(index, swatch, 0)

    @property
    def _index_path(self) -> Path:
        return self.folder / "index.sqlite"

    def _path(self, swatch_id: str) -> Path:
        return self.folder / f"{swatch_id}{SWATCH_ENDING}"

    def _asked(self, ask: Callable[[sqlite3.Connection], object]):
        """Answer of the index; one that is damaged is made again from the folder, and asked once more."""
        try:
            with closing(self._index()) as index:
                return ask(index)
        except sqlite3.OperationalError as fault:
            if _is_busy(fault):
                raise LibraryError("another program holds the library's index; close it and try again") from fault
        except _DAMAGE:
            pass
        self.rebuild()
        try:
            with closing(self._index()) as index:
                return ask(index)
        except _DAMAGE as fault:
            raise LibraryError(f"the library's index in {self.folder} cannot be used: {fault}") from fault

    def _check_index(self) -> None:
        """Makes the index again where it is damaged inside; it may look sound until it is asked for what is there."""
        try:
            with closing(self._index()) as index:
                if index.execute("PRAGMA quick_check(1)").fetchone()[0] == "ok":
                    return
        except sqlite3.OperationalError as fault:
            if _is_busy(fault):
                raise LibraryError("another program holds the library's index; close it and try again") from fault
        except sqlite3.DatabaseError:
            pass
        self._drop_index()

    def _drop_index(self) -> None:
        if self._held is not None:
            for table in ("swatches", "words"):
                self._held.execute(f"DELETE FROM {table}")
            self._held.commit()
            return
        for ending in ("", "-journal", "-wal", "-shm"):
            with suppress(FileNotFoundError):
                Path(f"{self._index_path}{ending}").unlink()

    def _index(self) -> sqlite3.Connection:
        try:
            return self._opened()
        except sqlite3.OperationalError as fault:
            if _is_busy(fault):
                raise LibraryError("another program holds the library's index; close it and try again") from fault
            raise LibraryError(f"the library's index in {self.folder} cannot be opened: {fault}") from fault

    def _opened(self) -> sqlite3.Connection:
        if self.is_writable:
            index = sqlite3.connect(self._index_path, timeout=5)
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

    def _read_folder(self) -> None:
        """Brings the index up to the folder, reading only packages that changed; then variants follow their parents."""
        try:
            self._read_packages()
        except _DAMAGE as fault:
            if isinstance(fault, sqlite3.OperationalError) and _is_busy(fault):
                raise LibraryError("another program holds the library's index; close it and try again") from fault
            if isinstance(fault, sqlite3.OperationalError) and "full" in str(fault):
                raise LibraryError("the disk is full; free some space") from fault
            self._drop_index()
            try:
                self._read_packages()
            except _DAMAGE as again:
                raise LibraryError(f"the library's index in {self.folder} cannot be used: {again}") from again

    def _read_packages(self) -> None:
        self.problems = []
        with closing(self._index()) as index, index:
            known = dict(index.execute("SELECT id, modified FROM swatches").fetchall())
            seen, has_changed = set(), False
            for path in sorted(self.folder.glob(f"[!.]*{SWATCH_ENDING}")):
                try:
                    modified = path.stat().st_mtime_ns
                except OSError:
                    self.problems.append(f"{path.name} leads nowhere; remove it")
                    continue
                if known.get(path.stem) == modified:
                    seen.add(path.stem)
                    continue
                try:
                    swatch = open_swatch(path)
                except PackageError as fault:
                    self.problems.append(str(fault))
                    continue
                if swatch.id != path.stem:
                    self.problems.append(f"{path.name} holds a swatch called '{swatch.id}'; rename the file")
                    continue
                seen.add(path.stem)
                has_changed = True
                _enter(index, swatch, modified)
            if not self.is_writable:
                fresh = [swatch for swatch in SHIPPED if swatch.id not in seen]
                seen |= {swatch.id for swatch in fresh}
                has_changed = has_changed or bool(fresh)
                for swatch in fresh:
                    _enter(index, swatch, 0)
            for gone in known.keys() - seen:
                index.execute("DELETE FROM swatches WHERE id = ?", (gone,))
                index.execute("DELETE FROM words WHERE id = ?", (gone,))
            if has_changed:
                self.problems += _follow_parents(index)


def _is_busy(fault: sqlite3.OperationalError) -> bool:
    return "locked" in str(fault) or "busy" in str(fault)


def _has_tables(index: sqlite3.Connection) -> bool:
    return index.execute("SELECT count(*) FROM sqlite_master").fetchone()[0] > 0


def _follow_parents(index: sqlite3.Connection) -> list[str]:
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
                _enter(index, following, modified)


def _enter(index: sqlite3.Connection, swatch: Swatch, modified: int) -> None:
    tags = ", ".join(swatch.tags)
    index.execute(
        "INSERT OR REPLACE INTO swatches VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
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
        ),
    )
    index.execute("DELETE FROM words WHERE id = ?", (swatch.id,))
    index.execute(
        "INSERT INTO words VALUES (?, ?, ?, ?, ?)", (swatch.id, swatch.name, swatch.family, tags, swatch.note)
    )
