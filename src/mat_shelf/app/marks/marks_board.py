"""The board of the Marks station: the marks, and the chosen one's art, place and finish."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QCursor, QImage, QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.image_file import PICTURE_ENDINGS, SeveralLayersError, layer_menu, read_artwork_file
from mat_shelf.app.job import Job
from mat_shelf.app.library.swatch_drag import dragged_swatch
from mat_shelf.app.marks.artwork_watch import ArtworkWatch
from mat_shelf.app.marks.crop_dialog import CropDialog
from mat_shelf.app.marks.typeset import set_words
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.card import ListCard, card_of, column_of
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.reorder import Reorder
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.workshop import MarkWork
from mat_shelf.commands.command import command
from mat_shelf.commands.marks import LINES, MARK_KINDS
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.marks.codes import EAN_HEIGHT, EAN_WIDTH, CodeError, ean13, square_code
from mat_shelf.patterns.placement_edit import PlacementHit
from mat_shelf.system.file_writer import words_of

ART_FILES = f"Artwork ({' '.join(f'*{ending}' for ending in PICTURE_ENDINGS)})"
_PREVIEW = QSize(158, 92)
_COLUMN, _FINISH_COLUMN = 124, 156
"""Width of a column of rows, pixels."""
_OWN_ROWS = {
    "label": ("backing", "thickness"),
    "print": (),
    "foil": (),
    "stamp": ("rise", "slope", "profile", "is_displaced"),
    "screen": ("luminance", "black"),
}
_MATERIAL_ROWS = {
    "label": ("specular_roughness", "specular_weight", "coat_weight"),
    "print": ("specular_roughness", "specular_weight", "coat_weight"),
    "foil": ("base_color", "specular_roughness", "specular_color"),
    "stamp": (),
    "screen": ("specular_roughness",),
}


class MarkRow(QPushButton):
    """A mark's name; it opens the mark."""

    def __init__(self, board: "MarksBoard", mark_id: str):
        super().__init__(checkable=True)
        self.setProperty("role", "choice")
        self.board, self.mark_id = board, mark_id
        self.clicked.connect(lambda: board.work.open(mark_id))
        self.setToolTip("Drag it up or down to order it. Right-click to switch it off, duplicate or remove it")
        board.order.take(mark_id, self)

    def follow(self) -> None:
        mark = self.board.workshop.project.mark(self.mark_id)
        kind = MARK_KINDS[mark.kind][0].lower()
        state = "" if mark.is_on else " · off"
        self.setText(f"{mark.name}   {kind}{state}" + ("  ⚠" if self.board.work.problem(mark) else ""))
        self.setChecked(self.board.work.mark is not None and self.board.work.mark.id == self.mark_id)

    def contextMenuEvent(self, event) -> None:
        self.board.open_menu(self.mark_id, event.globalPos())


class MarksBoard(QFrame):
    """Cards from left to right: the marks, the art, the place, the finish."""

    def __init__(self, work: MarkWork):
        super().__init__()
        self.setObjectName("board")
        self.setAcceptDrops(True)
        self.work, self.workshop = work, work.workshop
        self.job: Job | None = None
        self._previewed: tuple = ()
        self._saved_anew: list[tuple[str, Path, int | None]] = []

        self.list = ListCard("Marks")
        self.order = Reorder(self.list, work.move_to)
        self.watch = ArtworkWatch(self)
        self.watch.changed.connect(self._read_again)
        self.add_button = QPushButton("+ Add mark")
        self.add_button.setProperty("role", "add")
        self.add_button.setToolTip(
            "Puts it on the middle of the selected part, as seen; or drop artwork on the picture"
        )
        self.add_button.clicked.connect(lambda: self.kinds_menu().popup(self.add_button.mapToGlobal(QPoint(0, 0))))
        self.list.list.addWidget(self.add_button)
        self.list.list.addStretch(1)

        self.preview = QLabel()
        self.preview.setFixedHeight(_PREVIEW.height())
        self.preview.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.art_name, self.sharp = ElidedLabel(), _quiet()
        self.art_name.setProperty("role", "quiet")
        self.art_name.setFont(font(12))
        self.sharp.setWordWrap(True)
        self.art_button = _small(
            "Choose artwork…", "A PNG, TIFF, JPEG, EXR, PSD, WebP, SVG or PDF file, best with alpha"
        )
        self.art_button.clicked.connect(lambda: self._choose_art("art"))
        self.back_button = _small("Back artwork…", "Artwork on the back of the label, seen through glass")
        self.back_button.clicked.connect(self._choose_back)
        self.crop_button = _small("Crop or pad…", "Crops the artwork, or pads it with clear ground, in mm")
        self.crop_button.clicked.connect(lambda: self.open_crop(self.work.mark.id))
        buttons = QWidget()
        grid = QGridLayout(buttons)
        grid.setContentsMargins(0, 4, 0, 2)
        grid.setSpacing(4)
        grid.addWidget(self.art_button, 0, 0)
        grid.addWidget(self.back_button, 1, 0)
        grid.addWidget(self.crop_button, 2, 0)

        self.rows = {name: row_of(self._of_mark(name), is_stacked=True) for name in _MARK_ROWS}
        self.material_rows = {name: row_of(self._of_recipe(name), is_stacked=True) for name in _RECIPE_ROWS}
        self.centre_button = _small("Centre on part", "Centres it on its part from left to right")
        self.centre_button.clicked.connect(self.centre)
        self.square_button = _small("View square-on", "Points the camera at it  (Q)")
        self.square_button.clicked.connect(work.square_on)
        moves = QWidget()
        line = QVBoxLayout(moves)
        line.setContentsMargins(0, 6, 8, 0)
        line.addWidget(self.centre_button)
        line.addWidget(self.square_button)
        self.problem = _quiet()
        self.problem.setWordWrap(True)

        art = column_of([self.preview, self.art_name, buttons, self.sharp])
        size = column_of([self.rows["width"], self.rows["height"], self.rows["turn"], moves, self.problem])
        lies = column_of([self.rows["way"], self.rows["seen"], self.rows["is_mirrored"]])
        own = column_of([self.rows[name] for names in _OWN_ROWS.values() for name in names])
        finish = column_of(list(self.material_rows.values()))
        self.finish_hint = _quiet("Drop a swatch here to change its material.")
        self.finish_hint.setWordWrap(True)
        finish.layout().insertWidget(finish.layout().count() - 1, self.finish_hint)
        self.cards = [card_of("Artwork", [art]), card_of("Place", [size, lies]), card_of("Finish", [own, finish])]
        self.hint = QLabel(
            "Drop artwork onto the product in the picture, or select a part and add a mark.\n"
            "Labels, prints, foil, stamps and screens have their true size on the surface."
        )
        self.hint.setProperty("role", "quiet")
        self.hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        self.list.setFixedWidth(176)
        layout.addWidget(self.list)
        for column in (size, lies):
            column.setMinimumWidth(_COLUMN)
        for column in (own, finish):
            column.setMinimumWidth(_FINISH_COLUMN)
        for card, width in zip(self.cards[:2], (186, 2 * _COLUMN + 42), strict=True):
            card.setFixedWidth(width)
        for card in self.cards:
            layout.addWidget(card, 1)
        layout.addWidget(self.hint, 1)
        work.opened.connect(self.follow)
        self.workshop.project_changed.connect(self.follow)
        self.workshop.camera_changed.connect(self._follow_sharpness)
        self.workshop.picture_width_changed.connect(self._follow_sharpness)
        self.follow()

    def _of_mark(self, name: str) -> Binding:
        return Binding(self.workshop, Mark, name, lambda w: self.work.mark, lambda w, m: w.project.with_mark(m))

    def _of_recipe(self, name: str) -> Binding:
        return Binding(
            self.workshop,
            Recipe,
            name,
            lambda w: self.work.mark and self.work.mark.recipe,
            lambda w, recipe: w.project.with_mark(self.work.mark.with_(recipe=recipe)),
        )

    def follow(self) -> None:
        if not self.isVisible():
            return  # it follows when it is shown; marks are laid anew at every edit that moves one
        mark = self.work.mark
        ids = [m.id for m in reversed(self.workshop.project.marks)]
        self.list.show_rows(ids, lambda mark_id: MarkRow(self, mark_id))
        for card in self.cards:
            card.setVisible(mark is not None)
        self.hint.setVisible(mark is None)
        if mark is None:
            return
        for name, row in self.rows.items():
            row.setVisible(name in _PLACE_ROWS or name in _OWN_ROWS[mark.kind])
            row.follow()
        for name, row in self.material_rows.items():
            row.setVisible(name in _MATERIAL_ROWS[mark.kind])
            row.follow()
        self.finish_hint.setVisible(mark.kind != "stamp")
        self.crop_button.setEnabled(mark.art is not None)
        self.back_button.setVisible(mark.kind == "label")
        self.back_button.setText("Back artwork…" if mark.back is None else "No back artwork")
        self.problem.setText(self.work.problem(mark) or self._stretch(mark))
        self._follow_art(mark)
        self._follow_sharpness()

    def _stretch(self, mark: Mark) -> str:
        stretch = self.work.sheet(mark).stretch(mark.width, mark.height)
        return f"Stretched by up to {100 * stretch:.1f} %." if stretch >= 0.005 else "No stretch."

    def _follow_art(self, mark: Mark) -> None:
        pictures = self.workshop.assets.pictures
        shown = pictures.get(mark.art.digest) if mark.art else None
        key = (mark.art, shown is None)
        if key == self._previewed:
            return
        self._previewed = key
        if shown is None:
            self.preview.setPixmap(QPixmap())
            self.preview.setText("no artwork yet" if mark.art is None else "missing")
            self.art_name.setText("")
            return
        self.preview.setPixmap(_pixmap(shown))
        self.art_name.setText(f"{mark.art.name}   {shown.width} × {shown.height}")

    def _follow_sharpness(self) -> None:
        mark = self.work.mark
        wide = self.workshop.picture_width
        found = self.work.sharpness(mark, wide) if mark and self.isVisible() else None
        if found is None:
            self.sharp.setText("")
            return
        ratio, needed = found
        told = f"Artwork: {ratio:.1f} px per render px at {wide} wide."
        self.sharp.setText(told if ratio >= 1 else f"⚠ Blurry at {wide}: it needs artwork {needed} pixels wide.")

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.follow()

    def kinds_menu(self) -> QMenu:
        """Kinds of marks to add."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.setToolTipsVisible(True)
        for kind, (name, tip) in MARK_KINDS.items():
            action = menu.addAction(name)
            action.setToolTip(tip)
            action.triggered.connect(lambda _, kind=kind: self.add(kind))
        menu.addSeparator()
        for words, tip, question, make in (
            ("Text…", "Typeset text, for a label whose artwork is still to come", "Lines of text", self.add_words),
            ("Bar code…", "EAN-13, at its full size", "12 digits, or 13 with the check digit", self.add_bar_code),
            ("QR code…", "A square code of a text or a web address", "Text or address", self.add_square_code),
        ):
            action = menu.addAction(words)
            action.setToolTip(tip)
            action.triggered.connect(lambda _, question=question, make=make: self._ask(question, make))
        return menu

    def _ask(self, question: str, make: Callable[[str], None]) -> None:
        text, is_given = QInputDialog.getMultiLineText(self, "New mark", question)
        if is_given and text.strip():
            make(text)

    def add_words(self, text: str) -> None:
        """Prints words on the selected piece."""
        self._add_made("print", set_words(text), text.strip().splitlines()[0][:40])

    def add_bar_code(self, digits: str) -> None:
        """Sticks an article number's bar code on the selected piece, at its full size."""
        try:
            data, number = ean13(digits)
        except CodeError as fault:
            self.workshop.said.emit(f"No bar code: {fault}.")
            return
        self._add_made("label", data, f"EAN {number}", (EAN_WIDTH, EAN_HEIGHT))

    def add_square_code(self, text: str) -> None:
        """Sticks a square code on the selected piece."""
        try:
            data = square_code(text.strip())
        except CodeError as fault:
            self.workshop.said.emit(f"No QR code: {fault}.")
            return
        self._add_made("label", data, "QR code", (20.0, 20.0))

    def _add_made(self, kind: str, data: bytes, name: str, size: tuple[float, float] | None = None) -> None:
        hit = self.find_place() if self.find_place else None
        if hit is None:
            self.workshop.said.emit("Select the part that the mark is for; it must be visible in the picture.")
            return
        key, ending = self.workshop.assets.add_map(data)
        self.work.add(kind, hit, ImageRef(name=f"{name}.png", digest=key, kind=ending), size)

    def centre(self) -> None:
        """Puts the mark to the middle of its part; one without a place goes to the selected piece."""
        mark = self.work.mark
        if self.work.sheet(mark) is not None:
            self.work.centre()
            return
        hit = self.find_place() if self.find_place else None
        if hit is None:
            self.workshop.said.emit("Select the part that the mark is for; it must be visible in the picture.")
            return
        self.work.carry(mark, hit)
        self.workshop.history.end_gesture()

    def add(self, kind: str) -> None:
        """Puts a mark without art on the middle of the selected piece, as it is seen."""
        hit = self.find_place() if self.find_place else None
        if hit is None:
            self.workshop.said.emit("Select the part that the mark is for; it must be visible in the picture.")
            return
        self.work.add(kind, hit)

    find_place: Callable[[], PlacementHit | None] | None = None
    """Finds the middle of the selected piece in the picture."""

    def open_menu(self, mark_id: str, where: QPoint) -> None:
        mark, work = self.workshop.project.mark(mark_id), self.work
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Move up").triggered.connect(lambda: work.move(mark, 1))
        menu.addAction("Move down").triggered.connect(lambda: work.move(mark, -1))
        menu.addAction("Switch off" if mark.is_on else "Switch on").triggered.connect(
            lambda: work.put("Switch mark", mark.with_(is_on=not mark.is_on))
        )
        menu.addAction("Duplicate").triggered.connect(lambda: work.copy(mark))
        if mark.art is not None:
            menu.addAction("Split artwork").triggered.connect(lambda: work.cut_apart(mark))
        others = [other for other in self.workshop.project.marks if other.part == mark.part and other.id != mark.id]
        if others:
            line_up = menu.addMenu("Align with")
            for other in others:
                ways = line_up.addMenu(other.name)
                for way, words in LINES.items():
                    ways.addAction(words).triggered.connect(
                        lambda _, other=other, way=way: work.line_up(mark, other, way)
                    )
        menu.addSeparator()
        menu.addAction("Remove").triggered.connect(lambda: work.remove(mark))
        menu.popup(where)

    def open_crop(self, mark_id: str) -> None:
        """Asks how much of a mark's art is to be seen."""
        self.work.open(mark_id)
        self.crop_dialog = CropDialog(self.work, self)
        self.crop_dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.crop_dialog.show()

    def _read_again(self, digest: str, path: Path, layer: int | None) -> None:
        """Reads art that was saved anew, one after another: several marks may show layers of one file."""
        self._saved_anew.append((digest, path, layer))
        self._read_next()

    def _read_next(self) -> None:
        if self._saved_anew and (self.job is None or self.job.isFinished()):
            digest, path, layer = self._saved_anew.pop(0)
            self.read_art(path, lambda picture: self.work.replace_art(digest, picture), layer)

    def _choose_art(self, name: str) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Artwork", "", ART_FILES)
        mark = self.work.mark
        if chosen and mark is not None:
            self.read_art(Path(chosen), lambda picture: self._put_art_on(mark.id, mark.name, name, picture))

    def _put_art_on(self, mark_id: str, mark_name: str, name: str, picture: ImageRef) -> None:
        """Gives a mark art that was read meanwhile, whichever one is on the board by now."""
        if mark_id not in {mark.id for mark in self.workshop.project.marks}:
            self.workshop.said.emit(f"{picture.name} was not used: '{mark_name}' was removed.")
            return
        self.work.open(mark_id)
        self.put_art(name, picture)

    @command
    def _choose_back(self) -> None:
        if self.work.mark.back is None:
            self._choose_art("back")
        else:
            self.work.put("No back artwork", self.work.mark.with_(back=None))

    @command
    def put_art(self, name: str, picture: ImageRef) -> None:
        """Gives the mark on the board other art; the first art sets its proportions."""
        mark = self.work.mark
        if mark is None:
            return
        changes: dict = {name: picture}
        if name == "art" and mark.art is None:
            shown = self.workshop.assets.pictures[picture.digest]
            changes["height"] = round(mark.width * shown.height / shown.width, 2)
        changed = self.workshop.changed(mark, "art", mark.art)
        if changed is not None:
            self.work.put("Artwork", mark.with_(**changes))

    def read_art(self, path: Path, then: Callable[[ImageRef], None], layer: int | None = None) -> None:
        """Reads a file of art aside from the window, and hands it on; of several layers it is asked which."""
        if self.job is not None and not self.job.wait(50):
            self.workshop.said.emit("Artwork is still being read; try again in a moment.")
            return
        assets = self.workshop.assets

        def take(picture: ImageRef) -> None:
            if assets is self.workshop.assets:  # else another project was opened meanwhile
                self.watch.follow(picture.digest, path, layer)
                then(picture)

        def refuse(fault: Exception) -> None:
            if isinstance(fault, SeveralLayersError):
                layer_menu(fault.names, lambda k: self.read_art(path, then, k), self).popup(QCursor.pos())
            else:
                self.workshop.said.emit(f"{path.name} cannot be used as artwork: {words_of(fault)}.")

        refusals = (SeveralLayersError, OSError, ImageError)
        self.job = Job(lambda _: read_artwork_file(path, assets, layer), take, refuse, refusals, self)
        self.job.finished.connect(self._read_next, Qt.ConnectionType.QueuedConnection)
        self.job.start()

    def close_thread(self) -> None:
        if self.job is not None:
            self.job.close()

    def dragEnterEvent(self, event) -> None:
        if dragged_swatch(event.mimeData()) and self.work.mark is not None:
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        swatch = self.workshop.library.swatch(dragged_swatch(event.mimeData()))
        if swatch is not None and self.work.mark is not None:
            event.acceptProposedAction()
            self.work.put(f"Material {swatch.name}", self.work.mark.with_(recipe=swatch.recipe))


_PLACE_ROWS = ("width", "height", "turn", "way", "seen", "is_mirrored")
_MARK_ROWS = (*_PLACE_ROWS, *(name for names in _OWN_ROWS.values() for name in names))
_RECIPE_ROWS = tuple(dict.fromkeys(name for names in _MATERIAL_ROWS.values() for name in names))


def _pixmap(picture) -> QPixmap:
    """A small picture of art, over a checker where it is clear."""
    level = next((p for p in picture.levels if p.shape[1] <= 2 * _PREVIEW.width()), picture.levels[-1])
    pixels = (
        level if level.dtype == np.uint8 else np.clip(level / (65535 if level.dtype == np.uint16 else 1), 0, 1) * 255
    )
    pixels = np.asarray(pixels, np.uint8)
    h, w, channels = pixels.shape
    color = np.repeat(pixels[..., :1], 3, axis=2) if channels < 3 else pixels[..., :3]
    alpha = pixels[..., -1:] / 255 if channels in (2, 4) else 1.0
    y, x = np.mgrid[:h, :w]
    ground = np.where(((x // 8 + y // 8) % 2)[..., None], 205, 225)
    shown = np.ascontiguousarray(color * alpha + ground * (1 - alpha), np.uint8)
    image = QImage(shown.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy()
    keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return QPixmap.fromImage(image).scaled(_PREVIEW, keep, smooth)


def _quiet(text: str = "") -> QLabel:
    label = QLabel(text)
    label.setProperty("role", "quiet")
    label.setFont(font(12))
    return label


def _small(text: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setProperty("role", "small")
    button.setToolTip(tip)
    return button
