"""Rows of the project's materials: each with its variants under it."""

from functools import lru_cache

from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt, QTimer
from PyQt6.QtGui import QPixmap

from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.material import Material
from mat_shelf.document.project import Project
from mat_shelf.library.library import LibraryError
from mat_shelf.library.thumbnails import recipe_key, thumbnail_path

CALM_MS = 1500
"""Time without an edit after which new pictures are asked for: those of every step of a drag would be many."""
_key = lru_cache(maxsize=1024)(recipe_key)


class MaterialsModel(QAbstractListModel):
    """Follows the project; pictures are those of before until new ones are rendered.

    Attributes
    ----------
    rows : list of Material
    """

    def __init__(self, workshop: Workshop, worker: ThumbnailWorker):
        super().__init__()
        self._workshop, self._worker = workshop, worker
        self._pictures: dict[str, tuple[str, QPixmap]] = {}
        self._depths: dict[str, int] = {}
        self._worn: dict[str, list[str]] = {}
        self._words = ""
        self.rows: list[Material] = []
        self._calm = QTimer(self, singleShot=True, interval=CALM_MS)
        self._calm.timeout.connect(self._redraw)
        worker.made.connect(self._redraw, Qt.ConnectionType.QueuedConnection)
        workshop.project_changed.connect(Paced(self, workshop, self._follow, only_rests=True).note)
        workshop.project_replaced.connect(self._pictures.clear)
        self._follow()

    def search(self, text: str) -> None:
        """Shows only materials with these words in their name, family or wearers."""
        self._words = text
        self._follow()

    def _follow(self) -> None:
        project = self._workshop.project
        self._worn = project.wearers()
        self._calm.start()
        lines = [(m, depth) for m, depth in _family_trees(project) if self._is_found(m)]
        shown = [(m.id, depth) for m, depth in lines]
        is_same = shown == [(m.id, self._depths[m.id]) for m in self.rows]
        if not is_same:
            self.beginResetModel()
        self.rows, self._depths = [m for m, _ in lines], dict(shown)
        if not is_same:
            self.endResetModel()
        else:
            self._redraw()

    def _is_found(self, material: Material) -> bool:
        text = " ".join((material.name, material.family, *self._worn.get(material.id, ()))).casefold()
        return all(word in text for word in self._words.casefold().split())

    def _redraw(self) -> None:
        if self.rows:
            self.dataChanged.emit(self.index(0), self.index(len(self.rows) - 1))

    def row_of(self, material_id: str) -> int | None:
        """Row of a material; None where it is not shown."""
        return next((row for row, m in enumerate(self.rows) if m.id == material_id), None)

    @staticmethod
    def is_entry(row: Material) -> bool:
        """Every row is one."""
        return True

    @staticmethod
    def may_be_favourite(row: Material) -> bool:
        """None of them: favourites are swatches."""
        return False

    @staticmethod
    def is_favourite(row: Material) -> bool:
        """None of them is one."""
        return False

    def depth(self, row: Material) -> int:
        """Number of parents above it."""
        return min(self._depths.get(row.id, 0), 3)

    def is_worn(self, row: Material) -> bool:
        """True for a material that something wears."""
        return row.id in self._worn

    def use(self, row: Material) -> str:
        """Parts and zones that wear it."""
        names = self._worn.get(row.id)
        return f"on {', '.join(names)}" if names else "not worn"

    def picture(self, row: Material) -> QPixmap | None:
        """Picture of a material, asked for where there is none yet and no value is being changed."""
        kept = self._pictures.get(row.id)
        if kept is not None and self._calm.isActive():
            return kept[1]
        key = _key(row.recipe)
        if kept is not None and kept[0] == key:
            return kept[1]
        pixmap = QPixmap(str(thumbnail_path(key)))
        if not pixmap.isNull():
            self._pictures[row.id] = key, pixmap
            return pixmap
        if not self._calm.isActive() and not self._worker.has_been_asked(key):
            try:
                self._worker.want(key, row.recipe, self._workshop.pictures_of(row))
            except LibraryError as fault:
                self._workshop.said.emit(str(fault))
        return kept[1] if kept is not None else None

    def rowCount(self, parent=None) -> int:
        return len(self.rows)

    def data(self, index: QModelIndex, role=Qt.ItemDataRole.DisplayRole):
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return row.name
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{row.name}, {self.use(row)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            follows = f"\nVariant of {self._workshop.project.material(row.parent).name}" if row.parent else ""
            tip = "Click it to edit it and see where it is worn. Drag it onto the picture or onto the library."
            return f"{row.name}\n{row.family}, {self.use(row)}{follows}\n{tip}"
        return row if role == Qt.ItemDataRole.UserRole else None

    def setData(self, index: QModelIndex, value, role=Qt.ItemDataRole.EditRole) -> bool:
        self._workshop.rename_material(str(value), self.rows[index.row()].id)
        return True

    def flags(self, index: QModelIndex):
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsDragEnabled | Qt.ItemFlag.ItemIsEditable


def _family_trees(project: Project) -> list[tuple[Material, int]]:
    """Materials, each followed by its variants, with the number of parents above."""
    under: dict[str | None, list[Material]] = {}
    for material in project.materials:
        under.setdefault(material.parent, []).append(material)
    found, waiting = [], [(m, 0) for m in reversed(under.get(None, []))]
    while waiting:
        material, depth = waiting.pop()
        found.append((material, depth))
        waiting += [(m, depth + 1) for m in reversed(under.get(material.id, []))]
    return found
