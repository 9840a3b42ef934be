"""The library down the left edge: search, families and swatches with their pictures."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSettings, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDrag
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QVBoxLayout,
)

from mat_shelf.app.image_file import FLATTENED, PICTURE_ENDINGS, dropped_files, dropped_materials, read_images
from mat_shelf.app.job import Job
from mat_shelf.app.library.compare_dialog import CompareDialog
from mat_shelf.app.library.describe_dialog import DescribeDialog
from mat_shelf.app.library.entry_painter import CELLS, LIST, EntryPainter
from mat_shelf.app.library.library_model import LibraryModel
from mat_shelf.app.library.shown_swatches import FILTERS
from mat_shelf.app.library.swatch_drag import dragged_wearable, wearable_mime
from mat_shelf.app.patterns.pattern_mime import ready_mime
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.materials import Wearable
from mat_shelf.document.material import Material
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.texture_set import Taken, image_pattern
from mat_shelf.library.library import LibraryEntry, LibraryError
from mat_shelf.patterns.ready import Ready


class _SwatchList(QListView):
    """Swatches are dragged out of it; a material of the project, files of materials and images are dropped on it.

    Signals
    -------
    dropped : str
        Id of the material.
    images_dropped, materials_dropped : list of Path

    Attributes
    ----------
    file_of : callable (str) -> Path
        File of a swatch, by its id.
    """

    dropped = pyqtSignal(str)
    images_dropped = pyqtSignal(list)
    materials_dropped = pyqtSignal(list)

    def __init__(self, file_of: Callable[[str], Path]):
        super().__init__()
        self.file_of = file_of

    def dragEnterEvent(self, event) -> None:
        data, what = event.mimeData(), dragged_wearable(event.mimeData())
        if what is not None:
            if what.kind == "material":
                event.acceptProposedAction()
        elif dropped_files(data, *PICTURE_ENDINGS) or dropped_materials(data):
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:
        event.acceptProposedAction()  # all of the list takes it

    def dropEvent(self, event) -> None:
        what = dragged_wearable(event.mimeData())
        if what is not None:
            if what.kind == "material":
                event.acceptProposedAction()
                self.dropped.emit(what.id)
            return
        materials = dropped_materials(event.mimeData())
        if materials:
            event.acceptProposedAction()
            self.materials_dropped.emit(materials)
            return
        images = dropped_files(event.mimeData(), *PICTURE_ENDINGS)
        if images:
            event.acceptProposedAction()
            self.images_dropped.emit(images)

    def startDrag(self, actions) -> None:
        row = self.currentIndex().data(Qt.ItemDataRole.UserRole)
        if not isinstance(row, LibraryEntry | Ready):
            return
        drag = QDrag(self)
        is_pattern = isinstance(row, Ready) or row.kind == "pattern"
        pattern_id = row.pattern.id if isinstance(row, Ready) else row.id
        data = ready_mime(pattern_id) if is_pattern else wearable_mime(Wearable("swatch", row.id))
        if isinstance(row, LibraryEntry):  # so that it can be dropped on a folder or a letter
            data.setUrls([QUrl.fromLocalFile(str(self.file_of(row.id)))])
        drag.setMimeData(data)
        picture = self.model().picture(row)
        if picture is not None:
            drag.setPixmap(picture.scaled(56, 56, transformMode=Qt.TransformationMode.SmoothTransformation))
        drag.exec(Qt.DropAction.CopyAction)


class LibraryPanel(QFrame):
    """Search and list. Enter or a double click puts the swatch on the selected piece; a right click offers the rest.

    Signals
    -------
    pattern_wanted : str
        Id of a ready pattern that is to be begun with.
    export_wanted : list of Swatch
    """

    pattern_wanted = pyqtSignal(str)
    export_wanted = pyqtSignal(list)

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setObjectName("library")
        self.workshop = workshop
        self.model = LibraryModel(workshop)
        self.search = QLineEdit(clearButtonEnabled=True)
        self.search.setAccessibleName("Search the library")
        self.search.textChanged.connect(self.model.search)
        self.list = _SwatchList(lambda swatch_id: workshop.library.file_of(swatch_id))
        self.list.setAccessibleName("Swatches")
        self.list.setModel(self.model)
        self.list.setItemDelegate(EntryPainter(self.list))
        self.list.setDragEnabled(True)
        self.list.setAcceptDrops(True)
        self.list.dropped.connect(workshop.save_material)
        self.list.images_dropped.connect(self.keep_images)
        self.list.materials_dropped.connect(workshop.take_swatches)
        self._job: Job | None = None
        self.list.setMouseTracking(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setLayoutMode(QListView.LayoutMode.Batched)
        self.list.setBatchSize(400)  # what is shipped is laid out at once; more would flash empty at each search
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._open_menu)
        self.list.activated.connect(self._put_on_selected)
        self.filter_box = QComboBox()
        self.filter_box.setAccessibleName("Swatches that are shown")
        for key, words in FILTERS.items():
            self.filter_box.addItem(words, key)
        self.filter_box.activated.connect(lambda _: self.model.show_only(self.filter_box.currentData()))
        self.arrangement_box = QComboBox()
        self.arrangement_box.setAccessibleName("Arrangement of the library")
        self.arrangement_box.addItems([LIST, *CELLS])
        self.arrangement_box.activated.connect(lambda _: self.arrange(self.arrangement_box.currentText()))
        boxes = QHBoxLayout()
        boxes.setSpacing(6)
        for box, share in ((self.filter_box, 3), (self.arrangement_box, 2)):
            box.setProperty("role", "small")
            box.setMinimumWidth(40)
            boxes.addWidget(box, share)
        self.hint = PlainLabel()
        self.hint.setProperty("role", "quiet")
        self.hint.setWordWrap(True)
        self.hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 6, 8)
        layout.setSpacing(6)
        layout.addWidget(self.search)
        layout.addLayout(boxes)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.hint, 1)
        self.model.modelReset.connect(self._count)
        self.arrange(str(QSettings().value("library/arrangement", LIST)))
        self._count()

    def arrange(self, arrangement: str) -> None:
        """Shows rows, or a grid of pictures."""
        arrangement = arrangement if arrangement in CELLS else LIST
        QSettings().setValue("library/arrangement", arrangement)
        self.arrangement_box.setCurrentText(arrangement)
        self.list.itemDelegate().arrangement = arrangement
        is_grid = arrangement != LIST
        self.list.setFlow(QListView.Flow.LeftToRight if is_grid else QListView.Flow.TopToBottom)
        self.list.setWrapping(is_grid)
        self.list.setResizeMode(QListView.ResizeMode.Adjust if is_grid else QListView.ResizeMode.Fixed)
        self.list.scheduleDelayedItemsLayout()

    def _count(self) -> None:
        self.search.setPlaceholderText(f"Search {self.model.count} swatches")
        is_empty = not self.model.rows
        self.list.setVisible(not is_empty)
        self.hint.setVisible(is_empty)
        self.hint.setText(
            "No swatch has these words in its name, family, tags or note."
            if self.model.is_searching
            else "No swatch is among these yet."
            if self.model.is_filtered
            else "The library is empty. Edit a material and save it with Ctrl+K."
        )

    def close_threads(self) -> None:
        """Ends what is being read and drawn."""
        if self._job is not None:
            self._job.close()
        self.model.worker.close()

    def choose_images(self) -> None:
        """Asks for image files to save."""
        kinds = " ".join(f"*{ending}" for ending in PICTURE_ENDINGS)
        chosen, _ = QFileDialog.getOpenFileNames(self, "Images for the library", "", f"Images ({kinds})")
        if chosen:
            self.keep_images([Path(name) for name in chosen])

    def keep_images(self, paths: list[Path]) -> None:
        """Reads image files, and saves each as a pattern."""
        if self._job is not None and not self._job.wait(50):
            self.workshop.said.emit("Images are still being read; try again in a moment.")
            return
        assets = Assets()

        def take(read: tuple[list[Taken], list[str]]) -> None:
            for words in read[1]:
                self.workshop.said.emit(words)
            self.workshop.save_images([(image_pattern(found), assets.data(found.picture.digest)) for found in read[0]])

        self._job = Job(partial(read_images, paths, assets, FLATTENED), take, parent=self)
        self._job.start()

    def begin_search(self) -> None:
        """Lets words be typed."""
        self.search.setFocus()
        self.search.selectAll()

    def chosen(self) -> list[LibraryEntry]:
        """The selected entries, in the list's order."""
        rows = [index.data(Qt.ItemDataRole.UserRole) for index in sorted(self.list.selectedIndexes())]
        return [row for row in rows if isinstance(row, LibraryEntry)]

    def menu(self) -> QMenu:
        """Commands for the chosen swatches."""
        chosen, workshop = self.chosen(), self.workshop
        menu = QMenu(self)
        if len(chosen) == 1 and chosen[0].kind != "material":
            self._offer_kept(menu, chosen[0])
        elif len(chosen) == 1:
            entry, part = chosen[0], workshop.selected_part
            what = Wearable("swatch", entry.id)
            put = menu.addAction(
                f"Put on {literal((workshop.selected_zone or part).name)}" if part else "Put on the selected part"
            )
            put.setEnabled(part is not None)
            put.triggered.connect(lambda: self._put_on_selected(self.list.currentIndex()))
            several = menu.addMenu("Put on several parts")
            for words, ids in workshop.parts_beside(part.id) if part else ():
                several.addAction(f"{words[:1].upper()}{words[1:]}").triggered.connect(
                    lambda _, ids=ids: workshop.put_on([(part_id, None) for part_id in ids], what)
                )
            bare = several.addAction("The whole product, clearing its zones")
            bare.triggered.connect(
                lambda: workshop.put_on([(p.id, None) for p in workshop.project.product.parts], what, clear_zones=True)
            )
            material = workshop.selected_material
            everywhere = menu.addAction(
                f"Replace {material.name} everywhere" if material else "Replace a material everywhere"
            )
            everywhere.setEnabled(material is not None)
            everywhere.triggered.connect(lambda: workshop.replace_everywhere(material.id, what))
            compare = menu.addAction(
                f"Compare with {literal(material.name)}" if material else "Compare with the selected part"
            )
            compare.setEnabled(material is not None)
            compare.triggered.connect(lambda: self._compare_with_material(entry))
            favourite = menu.addAction("Favourite")
            favourite.setCheckable(True)
            favourite.setChecked(self.model.is_favourite(entry))
            favourite.triggered.connect(lambda is_on: self.model.mark(entry, is_on))
            menu.addSeparator()
            for text, run in (
                ("Name, tags and note…", self._describe),
                ("Duplicate", workshop.duplicate_swatch),
                ("Make a variant", workshop.make_swatch_variant),
            ):
                menu.addAction(text).triggered.connect(lambda _, run=run: self._with_swatch(entry, run))
            self._offer_export(menu, chosen)
            menu.addSeparator()
            remove = menu.addAction("Delete\tDel")
            remove.triggered.connect(lambda: workshop.remove_swatch(entry.id, entry.name))
        elif len(chosen) > 1:
            if len(chosen) == 2:
                menu.addAction("Compare the two").triggered.connect(lambda: self._compare(*chosen))
            self._offer_export(menu, chosen)
        return menu

    def _offer_export(self, menu: QMenu, chosen: list[LibraryEntry]) -> None:
        """Export of the chosen swatches that are materials."""
        materials = [entry for entry in chosen if entry.kind == "material"]
        if materials:
            menu.addAction("Export…").triggered.connect(lambda: self._export(materials))

    def _export(self, entries: list[LibraryEntry]) -> None:
        swatches: list[Swatch] = []
        for entry in entries:
            self._with_swatch(entry, swatches.append)
        if swatches:
            self.export_wanted.emit(swatches)

    def _offer_kept(self, menu: QMenu, entry: LibraryEntry) -> None:
        """Commands for an overlay or a pattern that is kept by itself."""
        use = "Lay over the material on the board" if entry.kind == "overlay" else "Add to the material on the board"
        put = menu.addAction(use)
        put.setEnabled(self.workshop.selected_material is not None)
        if entry.kind == "overlay":
            put.triggered.connect(lambda: self.workshop.lay_over(Wearable("swatch", entry.id)))
        else:
            put.triggered.connect(lambda: self.pattern_wanted.emit(entry.id))
        menu.addSeparator()
        for text, run in (("Name, tags and note…", self._describe), ("Duplicate", self.workshop.duplicate_swatch)):
            menu.addAction(text).triggered.connect(lambda _, run=run: self._with_swatch(entry, run))
        menu.addSeparator()
        remove = menu.addAction("Delete\tDel")
        remove.triggered.connect(lambda: self.workshop.remove_swatch(entry.id, entry.name))

    def _open_menu(self, place) -> None:
        menu = self.menu()
        if menu.actions():
            menu.popup(self.list.viewport().mapToGlobal(place))

    def keyPressEvent(self, event) -> None:
        chosen = self.chosen()
        if event.key() == Qt.Key.Key_Delete and len(chosen) == 1:
            self.workshop.remove_swatch(chosen[0].id, chosen[0].name)
        else:
            super().keyPressEvent(event)

    def _with_swatch(self, entry: LibraryEntry, run) -> None:
        try:
            swatch = self.workshop.library.swatch(entry.id)
        except LibraryError as fault:
            self.workshop.said.emit(str(fault))
            return
        if swatch is None:
            self.workshop.said.emit("That swatch is no longer in the library.")
            self.model.reload()
        else:
            run(swatch)

    def _describe(self, swatch: Swatch) -> None:
        self.describe_dialog = DescribeDialog(self.workshop, swatch, self)
        self.describe_dialog.open()

    def _compare(self, one: LibraryEntry, other: LibraryEntry) -> None:
        self._with_swatch(one, lambda a: self._with_swatch(other, lambda b: self._show_both(a, b)))

    def _compare_with_material(self, entry: LibraryEntry) -> None:
        material = self.workshop.selected_material
        self._with_swatch(entry, lambda swatch: self._show_both(swatch, material))

    def _show_both(self, one: Swatch, other: Swatch | Material) -> None:
        pictures: dict[str, bytes] = {}
        for thing in (one, other):
            pictures |= self.workshop.pictures_of(thing)
        named = ((thing.name, thing.recipe) for thing in (one, other))
        self.compare_dialog = CompareDialog(*named, pictures, self.model.worker, self)
        self.compare_dialog.show()

    def _put_on_selected(self, index) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if row is not None and not self.model.is_entry(row):
            self.model.fold(index)
        if isinstance(row, Ready):
            self.pattern_wanted.emit(row.pattern.id)
        if not isinstance(row, LibraryEntry):
            return
        if row.kind == "pattern":
            self.pattern_wanted.emit(row.id)
            return
        if self.workshop.selected is None:
            self.workshop.said.emit("Select a part of the product first; then the swatch can be put on it.")
            return
        self.workshop.wear(self.workshop.selected, row.id, self.workshop.selected_zone_id)
