"""Materials of the project, beside the library's swatches."""

from PyQt6.QtCore import QItemSelectionModel, Qt, pyqtSignal
from PyQt6.QtGui import QDrag
from PyQt6.QtWidgets import QAbstractItemView, QFrame, QLineEdit, QListView, QMenu, QVBoxLayout

from mat_shelf.app.library.entry_painter import EntryPainter
from mat_shelf.app.library.materials_model import MaterialsModel
from mat_shelf.app.library.swatch_drag import wearable_mime
from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.materials import Wearable
from mat_shelf.document.material import Material


class _MaterialList(QListView):
    """Materials are dragged out of it.

    Signals
    -------
    chosen
        The user clicked another row, or went there by key.
    deleted
        The selected rows are to go.
    """

    chosen = pyqtSignal()
    deleted = pyqtSignal()

    def startDrag(self, actions) -> None:
        material = self.currentIndex().data(Qt.ItemDataRole.UserRole)
        if material is None:
            return
        drag = QDrag(self)
        drag.setMimeData(wearable_mime(Wearable("material", material.id)))
        picture = self.model().picture(material)
        if picture is not None:
            drag.setPixmap(picture.scaled(56, 56, transformMode=Qt.TransformationMode.SmoothTransformation))
        drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event) -> None:
        super().mouseReleaseEvent(event)
        if event.button() == Qt.MouseButton.LeftButton and self.indexAt(event.position().toPoint()).isValid():
            self.chosen.emit()

    def keyPressEvent(self, event) -> None:
        before = self.currentIndex()
        if event.key() == Qt.Key.Key_Delete:
            self.deleted.emit()
            return
        super().keyPressEvent(event)
        is_enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if self.currentIndex() != before or (is_enter and self.state() != self.State.EditingState):
            self.chosen.emit()


class MaterialsPanel(QFrame):
    """A click brings a material to the board and selects what wears it; F2 renames it in place.

    Signals
    -------
    export_wanted : list of Material
    """

    export_wanted = pyqtSignal(list)

    def __init__(self, workshop: Workshop, worker: ThumbnailWorker):
        super().__init__()
        self.setObjectName("library")
        self.workshop = workshop
        self.model = MaterialsModel(workshop, worker)
        self.search = QLineEdit(clearButtonEnabled=True)
        self.search.setAccessibleName("Search the materials of the project")
        self.search.textChanged.connect(self.model.search)
        self.list = _MaterialList()
        self.list.setAccessibleName("Materials of the project")
        self.list.setModel(self.model)
        self.list.setItemDelegate(EntryPainter(self.list))
        self.list.setDragEnabled(True)
        self.list.setMouseTracking(True)
        self.list.setUniformItemSizes(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setEditTriggers(
            QAbstractItemView.EditTrigger.EditKeyPressed | QAbstractItemView.EditTrigger.DoubleClicked
        )
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._open_menu)
        self.list.chosen.connect(self._show_chosen)
        self.list.deleted.connect(self._delete)
        self.hint = PlainLabel()
        self.hint.setProperty("role", "quiet")
        self.hint.setWordWrap(True)
        self.hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 6, 8)
        layout.setSpacing(6)
        layout.addWidget(self.search)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.hint, 1)
        self.model.modelReset.connect(self._follow)
        workshop.selection_changed.connect(self._follow_board)
        self._follow()

    def _follow(self) -> None:
        count = len(self.workshop.project.materials)
        self.search.setPlaceholderText("Search 1 material" if count == 1 else f"Search {count} materials")
        self.list.setVisible(bool(self.model.rows))
        self.hint.setVisible(not self.model.rows)
        self.hint.setText(
            "No material has these words in its name, family or wearers."
            if count
            else "The project has no materials yet. Drag a swatch from the library onto a part."
        )
        self._follow_board()

    def _follow_board(self) -> None:
        """Marks the row of the material on the board."""
        material = self.workshop.selected_material
        row = self.model.row_of(material.id) if material is not None else None
        if row is None:
            self.list.clearSelection()
        elif row not in {index.row() for index in self.list.selectedIndexes()}:
            index = self.model.index(row)
            self.list.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            self.list.scrollTo(index)

    def chosen(self) -> list[Material]:
        """The selected materials, in the list's order."""
        return [self.model.rows[index.row()] for index in sorted(self.list.selectedIndexes())]

    def _show_chosen(self) -> None:
        """Brings a single material to the board, and selects what wears it."""
        chosen = self.chosen()
        if len(chosen) != 1:
            return
        material, workshop = chosen[0], self.workshop
        wearers = workshop.wearers_of(material.id)
        if len(wearers) == 1:
            workshop.select(*wearers[0])
        elif wearers and any(p.is_hidden is False and material.id in p.worn() for p in workshop.project.product.parts):
            workshop.select_all_wearing(material.id)
        else:
            workshop.select(None)
            workshop.open_material(material.id)

    def rename(self) -> None:
        """Lets the name of the chosen material be typed in place."""
        self.list.edit(self.list.currentIndex())

    def _delete(self) -> None:
        self.workshop.delete_materials([material.id for material in self.chosen()])

    def menu(self) -> QMenu:
        """Commands for the chosen materials."""
        chosen, workshop = self.chosen(), self.workshop
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def add(text: str, run, is_enabled: bool = True) -> None:
            action = menu.addAction(literal(text))
            action.triggered.connect(lambda: run())
            action.setEnabled(is_enabled)

        if len(chosen) == 1:
            material, on_board = chosen[0], workshop.selected_material
            what, wearers = Wearable("material", material.id), workshop.selected_wearers
            add("Put on what is selected", lambda: workshop.put_on(wearers, what), bool(wearers))
            is_worn = self.model.is_worn(material)
            add("Select all that wear it", lambda: workshop.select_all_wearing(material.id), is_worn)
            others = menu.addMenu("Put in place of")
            others.setEnabled(any(self.model.is_worn(m) for m in workshop.project.materials if m.id != material.id))
            for other in workshop.project.materials:
                if other.id != material.id and self.model.is_worn(other):
                    others.addAction(literal(other.name)).triggered.connect(
                        lambda _, other=other: workshop.replace_everywhere(other.id, what)
                    )
            menu.addSeparator()
            add("Rename\tF2", self.rename)
            add("Duplicate\tCtrl+D", lambda: workshop.duplicate_material(material.id))
            add("Copy\tCtrl+C", workshop.copy_material, on_board is not None and on_board.id == material.id)
            add("Save to library", lambda: workshop.save_material(material.id))
            if material.source:
                add("Update from its file", lambda: workshop.update_from_source([material.id]))
        if chosen:
            add("Export…", lambda: self.export_wanted.emit(chosen))
            menu.addSeparator()
            add("Delete\tDel", self._delete)
        add("Delete unused materials", workshop.remove_unused)
        return menu

    def _open_menu(self, place) -> None:
        self.menu().popup(self.list.viewport().mapToGlobal(place))
