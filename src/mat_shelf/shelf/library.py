"""The shelf: a folder of swatch packages and an SQLite index that can always be made again from it."""

import re
import sqlite3
from collections.abc import Iterable
from contextlib import closing
from pathlib import Path

from platformdirs import user_data_path

from mat_shelf.document.swatch import FAMILIES, Swatch
from mat_shelf.exchange.atomic import write_atomically
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.swatch_file import ENDING, open_swatch, save_swatch
from mat_shelf.shelf.shipped import SHIPPED

_TABLES = """
CREATE TABLE IF NOT EXISTS swatches (
    id TEXT PRIMARY KEY, name TEXT NOT NULL, family TEXT NOT NULL, modified INTEGER NOT NULL, json TEXT NOT NULL
);
CREATE VIRTUAL TABLE IF NOT EXISTS words USING fts5 (id UNINDEXED, name, family, note, tokenize = 'unicode61');
"""


class ShelfError(Exception):
    """Something about the shelf's folder; the message says what to do."""


def shelf_folder() -> Path:
    """Where the shelf is kept."""
    return user_data_path("mat-shelf") / "shelf"


class Shelf:
    """Swatches that outlive projects.

    Parameters
    ----------
    folder : Path
        Made if it is not there, and given the shipped swatches that it never had.

    Raises
    ------
    ShelfError
        If the folder cannot be made or written.

    Attributes
    ----------
    problems : list of str
        Packages in the folder that could not be read, one line each.
    """

    def __init__(self, folder: Path | None = None):
        self.folder = folder or shelf_folder()
        self.problems: list[str] = []
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            self._give_shipped()
            self._read_folder()
        except OSError as fault:
            raise ShelfError(f"the shelf in {self.folder} cannot be written: {fault}") from fault

    def _give_shipped(self) -> None:
        """Adds the shipped swatches that this shelf was never given; what the user threw out stays out."""
        given = self.folder / "shipped.txt"
        known = set(given.read_text().split()) if given.exists() else set()
        fresh = [swatch for swatch in SHIPPED if swatch.id not in known]
        for swatch in fresh:
            if not self._path(swatch.id).exists():
                save_swatch(self._path(swatch.id), swatch)
        if fresh:
            text = "\n".join(sorted(known | {swatch.id for swatch in fresh}))
            write_atomically(given, lambda temporary: temporary.write_text(text))

    def swatches(self) -> list[Swatch]:
        """All swatches, by family in the shelf's order, then by name."""
        with closing(self._index()) as index:
            rows = index.execute("SELECT json FROM swatches").fetchall()
        order = {family: place for place, family in enumerate(FAMILIES)}
        found = [Swatch.model_validate_json(row[0]) for row in rows]
        return sorted(found, key=lambda s: (order.get(s.family, 99), s.family, s.name.casefold()))

    def search(self, text: str) -> list[str]:
        """Ids of the swatches in whose name, family or note each word of `text` begins a word.

        Any text is fine: it is taken as words, never as a query.
        """
        words = re.findall(r"\w+", text)
        if not words:
            return [swatch.id for swatch in self.swatches()]
        query = " ".join(f'"{word}"*' for word in words)
        with closing(self._index()) as index:
            return [row[0] for row in index.execute("SELECT id FROM words WHERE words MATCH ? ORDER BY rank", (query,))]

    def add(self, swatch: Swatch) -> None:
        """Keeps a swatch, in place of one with its id. Raises ShelfError."""
        try:
            save_swatch(self._path(swatch.id), swatch)
            self._read_folder()
        except OSError as fault:
            raise ShelfError(f"'{swatch.name}' could not be kept: {fault}") from fault

    def name_is_free(self, name: str) -> bool:
        return all(swatch.name.casefold() != name.strip().casefold() for swatch in self.swatches())

    def rebuild(self) -> None:
        """Throws the index away and makes it again from the folder."""
        self._index_path.unlink(missing_ok=True)
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
        return self.folder / f"{swatch_id}{ENDING}"

    def _index(self) -> sqlite3.Connection:
        try:
            return self._opened()
        except sqlite3.DatabaseError:  # damaged: it holds nothing that the folder does not
            self._index_path.unlink(missing_ok=True)
            return self._opened()

    def _opened(self) -> sqlite3.Connection:
        index = sqlite3.connect(self._index_path, timeout=5)
        try:
            index.executescript(_TABLES)
        except sqlite3.DatabaseError:
            index.close()
            raise
        return index

    def _read_folder(self) -> None:
        """Brings the index up to the folder, reading only packages that changed."""
        self.problems = []
        with closing(self._index()) as index, index:
            known = dict(index.execute("SELECT id, modified FROM swatches").fetchall())
            seen = set()
            for path in sorted(self.folder.glob(f"*{ENDING}")):
                modified = path.stat().st_mtime_ns
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
                _enter(index, swatch, modified)
            for gone in known.keys() - seen:
                index.execute("DELETE FROM swatches WHERE id = ?", (gone,))
                index.execute("DELETE FROM words WHERE id = ?", (gone,))


def _enter(index: sqlite3.Connection, swatch: Swatch, modified: int) -> None:
    index.execute(
        "INSERT OR REPLACE INTO swatches VALUES (?, ?, ?, ?, ?)",
        (swatch.id, swatch.name, swatch.family, modified, swatch.model_dump_json()),
    )
    index.execute("DELETE FROM words WHERE id = ?", (swatch.id,))
    index.execute("INSERT INTO words VALUES (?, ?, ?, ?)", (swatch.id, swatch.name, swatch.family, swatch.note))
