"""The library: a folder of swatch packages and an SQLite index that can always be made again from it."""

import errno
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
from mat_shelf.library.index import DAMAGE, LibraryError, SwatchIndex, enter, follow_parents, raise_if_busy
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import sweep, words_of, write_file
from mat_shelf.system.user_folders import data_folder

_LARGEST_LIST = 1 << 20


class LibraryEntry(NamedTuple):
    """A swatch in a list. `recipe_key` is that of its picture; `parent` the name of the swatch that it varies."""

    id: str
    name: str
    family: str
    tags: str
    note: str
    parent: str | None
    recipe_key: str
    kind: str = "material"


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
        self._index = SwatchIndex(self.folder)
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            if not os.access(self.folder, os.W_OK | os.X_OK):
                raise PermissionError(errno.EACCES, "Permission denied")
            sweep(self.folder)
            self._give_shipped()
            self._index.check()
            self._read_folder()
        except (OSError, LibraryError) as fault:
            self.is_writable = False
            self._index = SwatchIndex(self.folder, is_in_memory=True)
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
                "SELECT s.id, s.name, s.family, s.tags, s.note, p.name, s.recipe_key, s.kind "
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
        self._index.drop()
        self._read_folder()

    def fill_index(self, swatches: Iterable[Swatch]) -> None:
        """Enters swatches in the index alone, without packages; the next look at the folder drops them again."""
        with closing(self._index.connection()) as index, index:
            for swatch in swatches:
                enter(index, swatch, 0)

    def file_of(self, swatch_id: str) -> Path:
        """File of a swatch."""
        return self._path(swatch_id)

    def _path(self, swatch_id: str) -> Path:
        return self.folder / f"{swatch_id}{SWATCH_ENDING}"

    def _asked(self, ask: Callable[[sqlite3.Connection], object]):
        """Answer of the index; one that is damaged is made again from the folder, and asked once more."""
        try:
            with closing(self._index.connection()) as index:
                return ask(index)
        except sqlite3.OperationalError as fault:
            raise_if_busy(fault)
        except DAMAGE:
            pass
        self.rebuild()
        try:
            with closing(self._index.connection()) as index:
                return ask(index)
        except DAMAGE as fault:
            raise LibraryError(f"the library's index in {self.folder} cannot be used: {fault}") from fault

    def _read_folder(self) -> None:
        """Brings the index up to the folder, reading only packages that changed; then variants follow their parents."""
        try:
            self._read_packages()
        except DAMAGE as fault:
            if isinstance(fault, sqlite3.OperationalError):
                raise_if_busy(fault)
            if isinstance(fault, sqlite3.OperationalError) and "full" in str(fault):
                raise LibraryError("the disk is full; free some space") from fault
            self._index.drop()
            try:
                self._read_packages()
            except DAMAGE as again:
                raise LibraryError(f"the library's index in {self.folder} cannot be used: {again}") from again

    def _read_packages(self) -> None:
        self.problems = []
        with closing(self._index.connection()) as index, index:
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
                enter(index, swatch, modified)
            if not self.is_writable:
                fresh = [swatch for swatch in SHIPPED if swatch.id not in seen]
                seen |= {swatch.id for swatch in fresh}
                has_changed = has_changed or bool(fresh)
                for swatch in fresh:
                    enter(index, swatch, 0)
            for gone in known.keys() - seen:
                index.execute("DELETE FROM swatches WHERE id = ?", (gone,))
                index.execute("DELETE FROM words WHERE id = ?", (gone,))
            if has_changed:
                self.problems += follow_parents(index)
