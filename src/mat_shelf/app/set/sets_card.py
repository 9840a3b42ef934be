"""Sets of the project, each with a picture of the product in it; others from the program and the library."""

from functools import partial

import numpy as np
from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QListWidget, QListWidgetItem, QMenu, QVBoxLayout, QWidget

from mat_shelf.app.set.set_thumbnails import THUMBNAIL, SetThumbnails
from mat_shelf.app.widgets.plain_label import literal, plain_text
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.scene.sets import SETS

_ID = Qt.ItemDataRole.UserRole
_QUIET_MS = 1500


class SetsCard(QWidget):
    """The sets by name and picture; a click puts one in use."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.workshop, self.work = workshop, work
        self.thumbnails = SetThumbnails()
        self.thumbnails.made.connect(self._show_picture)
        self._pictures: dict[str, QIcon] = {}
        self._empty = QPixmap(*THUMBNAIL)
        self._empty.fill(Qt.GlobalColor.transparent)
        self._later = QTimer(self, singleShot=True, interval=_QUIET_MS)
        self._later.timeout.connect(self._ask)
        self.list = QListWidget()
        self.list.setAccessibleName("Sets of the project")
        self.list.setIconSize(QSize(*THUMBNAIL))
        self.list.setSpacing(1)
        self.list.setWordWrap(True)
        self.list.setMinimumWidth(172)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(self._use)
        self.add_button = small_button("Add", "Adds a set that comes with the program, or one of the library")
        self.menu = QMenu(self.add_button)
        self.menu.aboutToShow.connect(self.fill_menu)
        self.add_button.setMenu(self.menu)
        self.more_button = small_button("More", "Duplicates, renames, removes or keeps the set in use")
        more = QMenu(self.more_button)
        self.copy_action = more.addAction("Duplicate", workshop.duplicate_set)
        self.name_action = more.addAction("Rename…", self._rename)
        self.keep_action = more.addAction("Save to library", self._keep)
        self.keep_action.setToolTip("Keeps the set for other products; it comes in at their size")
        more.addSeparator()
        self.drop_action = more.addAction("Remove", workshop.remove_set)
        self.more_button.setMenu(more)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(self.add_button)
        line.addWidget(self.more_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.list, 1)
        layout.addLayout(line)
        workshop.project_changed.connect(self.thumbnails.stand_back)
        workshop.camera_changed.connect(self.thumbnails.stand_back)
        workshop.project_replaced.connect(self._forget)

    def _forget(self) -> None:
        """Shows no picture of the project that was open before."""
        self._pictures = {}
        self.thumbnails.forget()
        for row in range(self.list.count()):
            self.list.item(row).setIcon(QIcon(self._empty))

    def _longest(self) -> float:
        return float(np.ptp(self.work.bounds().astype(np.float64), axis=0).max()) or 200.0

    def fill_menu(self) -> None:
        """Lists the sets that can be added."""
        self.menu.clear()
        for studio in SETS:
            add = partial(self.workshop.add_shipped_set, studio.id)
            self.menu.addAction(studio.name, lambda add=add: add(self._longest()))
        kept = self.workshop.kept_sets()
        if kept:
            self.menu.addSeparator()
            for path in kept:
                self.menu.addAction(
                    literal(path.stem), lambda path=path: self.workshop.add_kept_set(path, self._longest())
                )
            gone = self.menu.addMenu("Delete from the library")
            for path in kept:
                gone.addAction(literal(path.stem), partial(self.workshop.forget_kept_set, path))

    def _use(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(_ID) != self.workshop.project.current_set:
            self.workshop.use_set(item.data(_ID))

    def _rename(self) -> None:
        old = self.workshop.project.set.name
        name, is_given = QInputDialog.getText(self, "Rename set", "Name of the set", text=old)
        if is_given:
            self.workshop.rename_set(name)

    def _keep(self) -> None:
        self.workshop.keep_set(self._longest())

    def follow(self) -> None:
        """Shows the sets of the project."""
        project = self.workshop.project
        self.list.blockSignals(True)
        while self.list.count() > len(project.sets):
            self.list.takeItem(self.list.count() - 1)
        for row, studio in enumerate(project.sets):
            if row >= self.list.count():
                self.list.addItem(QListWidgetItem())
            item = self.list.item(row)
            if item.data(_ID) != studio.id:
                item.setData(_ID, studio.id)
                item.setIcon(self._pictures.get(studio.id, QIcon(self._empty)))
            if item.text() != studio.name:
                item.setText(studio.name)
                item.setToolTip(plain_text(studio.name))
            if studio.id == project.current_set:
                self.list.setCurrentRow(row)
        self.list.blockSignals(False)
        self.drop_action.setEnabled(len(project.sets) > 1)
        if self.isVisible():
            self._later.start()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._later.start()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self._later.stop()
        self.thumbnails.stop()

    def _ask(self) -> None:
        self.thumbnails.want(self.workshop.project, self.workshop.assets)

    def _show_picture(self, set_id: str, pixels: np.ndarray) -> None:
        height, width = pixels.shape[:2]
        image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        icon, pixmap = QIcon(), QPixmap.fromImage(image)
        for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):  # selection is told by the ground, not by a tint
            icon.addPixmap(pixmap, mode)
        self._pictures[set_id] = icon
        for row in range(self.list.count()):
            if self.list.item(row).data(_ID) == set_id:
                self.list.item(row).setIcon(self._pictures[set_id])
