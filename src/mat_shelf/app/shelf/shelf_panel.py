"""The shelf down the left edge: search, families and swatches with their pictures."""

import threading
from queue import Queue

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDrag, QFont, QFontMetrics, QPainter, QPainterPath, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QVBoxLayout,
)

from mat_shelf.app.shelf.swatch_drag import swatch_mime
from mat_shelf.app.theme import THEME, font
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.shelf.thumbnails import make_thumbnail, thumbnail_path

PICTURE = 46
FAMILY_HEIGHT, SWATCH_HEIGHT = 30, 58


class ThumbnailWorker(QObject):
    """Renders missing thumbnails one after another, on one thread."""

    made = pyqtSignal(str)

    def __init__(self):
        super().__init__()
        self._wanted: Queue[tuple[str, Recipe] | None] = Queue()
        self._is_closing = threading.Event()
        self._thread = threading.Thread(target=self._run, name="thumbnails", daemon=True)
        self._thread.start()

    def want(self, swatch: Swatch) -> None:
        self._wanted.put((swatch.id, swatch.recipe))

    def close(self) -> None:
        self._is_closing.set()
        self._wanted.put(None)
        self._thread.join(timeout=30)

    def _run(self) -> None:
        while (wanted := self._wanted.get()) is not None and not self._is_closing.is_set():
            try:
                make_thumbnail(wanted[1], threads=1, progress=lambda done, total: not self._is_closing.is_set())
            except InterruptedError:
                return
            except OSError:
                continue  # a full disk leaves the swatch without a picture, not the shelf without swatches
            self.made.emit(wanted[0])


class ShelfModel(QAbstractListModel):
    """Rows are families (with a count) and the swatches under them, filtered by a search."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self._workshop = workshop
        self._search = ""
        self._pictures: dict[str, QPixmap] = {}
        self.rows: list[Swatch | tuple[str, int]] = []
        self._swatches: list[Swatch] = []
        self.worker = ThumbnailWorker()
        self.worker.made.connect(self._picture_made, Qt.ConnectionType.QueuedConnection)
        workshop.shelf_changed.connect(self.reload)
        workshop.project_changed.connect(self._redraw)
        self.reload()

    def reload(self) -> None:
        self._swatches = self._workshop.shelf.swatches()
        self._pictures.clear()
        for swatch in self._swatches:
            if not self._load(swatch):
                self.worker.want(swatch)
        self._lay_out()

    def search(self, text: str) -> None:
        self._search = text
        self._lay_out()

    def _lay_out(self) -> None:
        self.beginResetModel()
        found = self._swatches
        if self._search.strip():
            ids = set(self._workshop.shelf.search(self._search))
            found = [swatch for swatch in self._swatches if swatch.id in ids]
        self.rows = []
        for family in dict.fromkeys(s.family for s in found):
            members = [s for s in found if s.family == family]
            self.rows += [(family, len(members)), *members]
        self.endResetModel()

    @property
    def count(self) -> int:
        return len(self._swatches)

    def _load(self, swatch: Swatch) -> bool:
        pixmap = QPixmap(str(thumbnail_path(swatch.recipe)))
        if pixmap.isNull():
            return False
        self._pictures[swatch.id] = pixmap
        return True

    def _picture_made(self, swatch_id: str) -> None:
        for swatch in self._swatches:
            if swatch.id == swatch_id:
                self._load(swatch)
        self._redraw()

    def _redraw(self) -> None:
        if self.rows:
            self.dataChanged.emit(self.index(0), self.index(len(self.rows) - 1))

    def picture(self, swatch: Swatch) -> QPixmap | None:
        return self._pictures.get(swatch.id)

    def use(self, swatch: Swatch) -> str:
        """Where the project wears exactly this swatch."""
        project = self._workshop.project
        same = {m.id for m in project.materials if m.recipe == swatch.recipe}
        names = [part.name for part in project.product.parts if part.material in same]
        return "on " + ", ".join(names) if names else "not used"

    def rowCount(self, parent=None) -> int:
        return len(self.rows)

    def data(self, index: QModelIndex, role=Qt.ItemDataRole.DisplayRole):
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.name if isinstance(row, Swatch) else row[0]
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(row, Swatch):
            hint = "Drag it onto the picture, or press Enter to put it on the selected piece."
            return f"{row.name}\n{row.note}\n{hint}" if row.note else f"{row.name}\n{hint}"
        if role == Qt.ItemDataRole.UserRole:
            return row
        return None

    def flags(self, index: QModelIndex):
        if not isinstance(self.rows[index.row()], Swatch):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled


class _SwatchPainter(QStyledItemDelegate):
    def sizeHint(self, option, index) -> QSize:
        height = SWATCH_HEIGHT if isinstance(index.data(Qt.ItemDataRole.UserRole), Swatch) else FAMILY_HEIGHT
        return QSize(180, height)

    def paint(self, painter: QPainter, option, index) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        row, rect = index.data(Qt.ItemDataRole.UserRole), option.rect
        if isinstance(row, Swatch):
            self._paint_swatch(painter, option, index, row, rect)
        else:
            line = rect.adjusted(4, 8, -8, -2)
            painter.setPen(QColor(THEME.quiet))
            painter.setFont(font(12, QFont.Weight.DemiBold))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, row[0])
            painter.setFont(font(12, tabular=True))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, str(row[1]))
        painter.restore()

    def _paint_swatch(self, painter, option, index, swatch: Swatch, rect: QRect) -> None:
        body = rect.adjusted(0, 2, -4, -2)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QColor(THEME.accent))
            painter.setBrush(QColor(THEME.field))
            painter.drawRoundedRect(body, 6, 6)
        elif option.state & QStyle.StateFlag.State_MouseOver:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(THEME.card))
            painter.drawRoundedRect(body, 6, 6)
        frame = QRect(body.x() + 4, body.y() + 4, PICTURE, PICTURE)
        shape = QPainterPath()
        shape.addRoundedRect(float(frame.x()), float(frame.y()), PICTURE, PICTURE, 5, 5)
        picture = index.model().picture(swatch)
        painter.save()
        painter.setClipPath(shape)
        painter.fillRect(frame, QColor(THEME.track))
        if picture is not None:
            painter.drawPixmap(frame, picture)
        painter.restore()
        words = QRect(frame.right() + 11, body.y() + 8, body.right() - frame.right() - 16, 20)
        for text, type_, color in (
            (swatch.name, font(13, QFont.Weight.Medium), THEME.text),
            (index.model().use(swatch), font(12), THEME.quiet),
        ):
            painter.setFont(type_)
            painter.setPen(QColor(color))
            shown = QFontMetrics(type_).elidedText(text, Qt.TextElideMode.ElideRight, words.width())
            painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
            words.translate(0, 18)


class _SwatchList(QListView):
    def startDrag(self, actions) -> None:
        row = self.currentIndex().data(Qt.ItemDataRole.UserRole)
        if not isinstance(row, Swatch):
            return
        drag = QDrag(self)
        drag.setMimeData(swatch_mime(row.id))
        picture = self.model().picture(row)
        if picture is not None:
            drag.setPixmap(picture.scaled(56, 56, transformMode=Qt.TransformationMode.SmoothTransformation))
        drag.exec(Qt.DropAction.CopyAction)


class ShelfPanel(QFrame):
    """Search and list. Enter or a double click puts the swatch on the selected piece."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setObjectName("shelf")
        self.setFixedWidth(232)
        self.workshop = workshop
        self.model = ShelfModel(workshop)
        self.search = QLineEdit(clearButtonEnabled=True)
        self.search.setAccessibleName("Search the shelf")
        self.search.textChanged.connect(self.model.search)
        self.list = _SwatchList()
        self.list.setAccessibleName("Swatches")
        self.list.setModel(self.model)
        self.list.setItemDelegate(_SwatchPainter(self.list))
        self.list.setDragEnabled(True)
        self.list.setMouseTracking(True)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.activated.connect(self._put_on_selected)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 6, 8)
        layout.setSpacing(6)
        layout.addWidget(self.search)
        layout.addWidget(self.list)
        self.model.modelReset.connect(self._count)
        self._count()

    def _count(self) -> None:
        self.search.setPlaceholderText(f"Search {self.model.count} swatches")

    def _put_on_selected(self, index: QModelIndex) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if not isinstance(row, Swatch):
            return
        if self.workshop.selected is None:
            self.workshop.said.emit("Click a piece of the product first; then the swatch can be put on it.")
            return
        self.workshop.wear(self.workshop.selected, row.id)
