"""Rows of the library's list: families and their swatches, then ready patterns, filtered by a search."""

from functools import lru_cache

from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt
from PyQt6.QtGui import QPixmap

from mat_shelf.app.library.shown_swatches import ALL, FAVOURITES, FILTERS, IN_PROJECT, RECENT, ShownSwatches
from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.project import Project
from mat_shelf.library.library import LibraryEntry, LibraryError
from mat_shelf.library.thumbnails import recipe_key, thumbnail_path
from mat_shelf.patterns.ready import READY, Ready, thumbnail_file

PATTERNS = "Patterns"
_key = lru_cache(maxsize=1024)(recipe_key)


class LibraryModel(QAbstractListModel):
    """Rows are families (with a count) and the entries under them, at the end the ready patterns.

    Pictures are loaded, or drawn, when they are first shown.
    """

    def __init__(self, workshop: Workshop):
        super().__init__()
        self._workshop = workshop
        self._search, self._filter = "", ALL
        self.chosen = ShownSwatches()
        self._pictures: dict[str, QPixmap] = {}
        self._uses = _uses_in(workshop.project)
        self.rows: list[LibraryEntry | Ready | tuple[str, int]] = []
        self._entries: list[LibraryEntry] = []
        self.worker = ThumbnailWorker()
        self.worker.made.connect(self._redraw, Qt.ConnectionType.QueuedConnection)
        for signal in (workshop.project_changed, workshop.camera_changed):
            signal.connect(self.worker.stand_back)
        workshop.library_changed.connect(self.reload)
        workshop.project_changed.connect(Paced(self, workshop, self._follow, only_rests=True).note)
        self.reload()

    def reload(self) -> None:
        self._entries = self._workshop.library_entries()
        self._lay_out()

    def search(self, text: str) -> None:
        self._search = text
        self._lay_out()

    @property
    def is_searching(self) -> bool:
        return bool(self._search.strip())

    def show_only(self, which: str) -> None:
        """Shows all swatches or some of them, by a key of `FILTERS`."""
        self._filter = which
        self._lay_out()

    @property
    def is_filtered(self) -> bool:
        """True where swatches may be missing from the list."""
        return self.is_searching or self._filter != ALL

    def _found(self) -> list[LibraryEntry]:
        """Entries that the search and the filter let through."""
        found = self._entries
        if self.is_searching:
            try:
                ids = set(self._workshop.library.search(self._search))
            except LibraryError as fault:
                self._workshop.said.emit(str(fault))
                ids = set()
            found = [entry for entry in found if entry.id in ids]
        return self._filtered(found)

    def _lay_out(self) -> None:
        found = self._found()
        families: dict[str, list[LibraryEntry]] = {}
        for entry in found:
            families.setdefault(FILTERS[RECENT] if self._filter == RECENT else entry.family, []).append(entry)
        self.beginResetModel()
        self.rows = []
        for family, members in families.items():
            self._add(family, members)
        ready = self._found_patterns() if self._filter == ALL else []
        if ready:
            self._add(PATTERNS, ready)
        self.endResetModel()

    def _add(self, heading: str, members: list) -> None:
        self.rows.append((heading, len(members)))
        if self.is_searching or heading not in self.chosen.folded:  # what was looked for is shown
            self.rows += members

    def _filtered(self, entries: list[LibraryEntry]) -> list[LibraryEntry]:
        if self._filter == FAVOURITES:
            return [entry for entry in entries if entry.id in self.chosen.favourites]
        if self._filter == RECENT:
            known = {entry.id: entry for entry in entries}
            return [known[swatch] for swatch in self.chosen.recent if swatch in known]
        if self._filter == IN_PROJECT:
            used = {material.swatch for material in self._workshop.project.materials}
            return [entry for entry in entries if entry.id in used]
        return entries

    def _found_patterns(self) -> list[Ready]:
        words = self._search.lower().split()
        return [
            one
            for one in READY
            if all(any(word in text for text in (one.pattern.name.lower(), *one.tags)) for word in words)
        ]

    def fold(self, index: QModelIndex) -> None:
        """Folds the family at a heading, or unfolds it."""
        row = self.rows[index.row()]
        if not self.is_entry(row):
            self.chosen.fold(row[0], row[0] not in self.chosen.folded)
            self._lay_out()

    def is_folded(self, row: tuple[str, int]) -> bool:
        """True for the heading of a family that is folded away."""
        return row[0] in self.chosen.folded and not self.is_searching

    def mark(self, entry: LibraryEntry, is_favourite: bool) -> None:
        """Makes a swatch one of the favourites, or ends that."""
        self.chosen.mark(entry.id, is_favourite)
        if self._filter == FAVOURITES:
            self._lay_out()
        else:
            self._redraw()

    @staticmethod
    def may_be_favourite(row: LibraryEntry | Ready) -> bool:
        """True for swatches."""
        return isinstance(row, LibraryEntry)

    def is_favourite(self, row: LibraryEntry | Ready) -> bool:
        """True for a swatch that was marked."""
        return isinstance(row, LibraryEntry) and row.id in self.chosen.favourites

    @property
    def count(self) -> int:
        return len(self._entries)

    def _follow(self) -> None:
        worn = self._workshop.worn_last
        if worn is not None and worn.kind == "swatch":
            self.chosen.note_use(worn.id)
        before = self._words()
        self._uses = _uses_in(self._workshop.project)
        shown = [row.id for row in self.rows if isinstance(row, LibraryEntry)]
        found = [entry.id for entry in self._found()]
        order = sorted if self._filter == IN_PROJECT else list  # the order of those used lately is part of them
        if self._filter in (RECENT, IN_PROJECT) and order(shown) != order(found):
            self._lay_out()
        elif self._words() != before:  # a value that is dragged changes them once, not at every step
            self._redraw()

    def _words(self) -> dict[str, str]:
        """Words about the swatches that the project wears."""
        return {entry.id: self.use(entry) for entry in self._entries if entry.id in self._uses}

    def _redraw(self) -> None:
        if self.rows:
            self.dataChanged.emit(self.index(0), self.index(len(self.rows) - 1))

    def picture(self, entry: LibraryEntry | Ready) -> QPixmap | None:
        """The picture of a swatch or pattern; asked for where there is none yet."""
        if isinstance(entry, Ready):
            key = f"pattern {entry.pattern.id}"
            if key not in self._pictures:
                whole = QPixmap(str(thumbnail_file(entry)))
                side = whole.height()
                self._pictures[key] = whole.copy((whole.width() - side) // 2, 0, side, side)
            return self._pictures[key]
        key = entry.recipe_key
        pixmap = self._pictures.get(key)
        if pixmap is None:
            pixmap = QPixmap(str(thumbnail_path(key)))
            if pixmap.isNull():
                self._ask_for(entry)
                return None
            self._pictures[key] = pixmap
        return pixmap

    def _ask_for(self, entry: LibraryEntry) -> None:
        if self.worker.has_been_asked(entry.recipe_key):
            return
        try:
            swatch = self._workshop.library.swatch(entry.id)
            pictures = self._workshop.library.pictures(swatch) if swatch is not None else {}
        except LibraryError:
            return  # the list itself says so at its next reload
        if swatch is not None:
            self.worker.want(entry.recipe_key, swatch.recipe, pictures)

    @staticmethod
    def is_entry(row: LibraryEntry | Ready | tuple[str, int]) -> bool:
        """False for headings."""
        return isinstance(row, LibraryEntry | Ready)

    @staticmethod
    def depth(row: LibraryEntry | Ready) -> int:
        """All of them stand at the edge."""
        return 0

    def use(self, entry: LibraryEntry | Ready) -> str:
        """Parts of the project that wear it; else its parent, or its tags. Of a pattern, its tags."""
        if isinstance(entry, Ready):
            return ", ".join(entry.tags)
        worn = self._uses.get(entry.id)
        if worn is not None:
            names, keys = worn
            return f"on {names}" if entry.recipe_key in keys else f"edited on {names}"
        return f"variant of {entry.parent}" if entry.parent else entry.tags

    def is_worn(self, entry: LibraryEntry | Ready) -> bool:
        """True for a swatch that parts of the project wear."""
        return isinstance(entry, LibraryEntry) and entry.id in self._uses

    def rowCount(self, parent=None) -> int:
        return len(self.rows)

    def data(self, index: QModelIndex, role=Qt.ItemDataRole.DisplayRole):
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return name_of(row)
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(row, Ready):
            words = "Drag it onto a chip, onto relief or onto the patterns of the board, or press Enter to add it."
            return f"{row.pattern.name}\n{row.pattern.steps[0].tip}\n{words}"
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(row, LibraryEntry):
            lines = [row.name]
            lines += [f"Variant of {row.parent}"] if row.parent else []
            lines += [row.note] if row.note else []
            lines += [f"Tags: {row.tags}"] if row.tags else []
            lines += ["Drag it onto the picture, or press Enter to put it on the selected part. Right-click for more."]
            return "\n".join(lines)
        if role == Qt.ItemDataRole.UserRole:
            return row
        return None

    def flags(self, index: QModelIndex):
        if not isinstance(self.rows[index.row()], LibraryEntry | Ready):
            return Qt.ItemFlag.ItemIsEnabled
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled


def name_of(row: LibraryEntry | Ready | tuple[str, int]) -> str:
    """Name of a row."""
    if isinstance(row, Ready):
        return row.pattern.name
    return row.name if isinstance(row, LibraryEntry) else row[0]


def _uses_in(project: Project) -> dict[str, tuple[str, frozenset[str]]]:
    """By the swatch they came from: names of the parts that wear it, and the keys of the recipes they wear it with."""
    names: dict[str, list[str]] = {}
    keys: dict[str, set[str]] = {}
    worn = project.wearers()
    for material in project.materials:
        if material.swatch and material.id in worn:
            names.setdefault(material.swatch, []).extend(worn[material.id])
            keys.setdefault(material.swatch, set()).add(_key(material.recipe))
    return {swatch: (", ".join(names[swatch]), frozenset(keys[swatch])) for swatch in names}
