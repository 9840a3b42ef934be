"""The board of the Marks station: the marks, and the chosen one's art, place and finish."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.library.swatch_drag import dragged_wearable
from mat_shelf.app.marks.artwork_column import ArtworkColumn
from mat_shelf.app.marks.typeset import set_words
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.card import ListCard, card_of, column_of
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.widgets.plain_label import PlainLabel, literal, plain_text
from mat_shelf.app.widgets.reorder import Reorder
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import MarkWork
from mat_shelf.commands.marks import LINES, MARK_KINDS
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.recipe import Recipe
from mat_shelf.marks.codes import EAN_HEIGHT, EAN_WIDTH, CodeError, ean13, square_code
from mat_shelf.patterns.placement_edit import PlacementHit

_COLUMN, _FINISH_COLUMN = 116, 158
"""Width of a column of rows, pixels."""
_WEIGHTS = QFont.Weight.Normal, QFont.Weight.DemiBold
_ROW_MARGINS = 20
"""Pixels of a mark's row that its words leave free, left and right together."""
_ROW_TIP = "Drag it up or down to order it. Right-click to switch it off, duplicate or remove it"
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
    """A mark's name, as far as there is room for it, with what it is; it opens the mark."""

    def __init__(self, board: "MarksBoard", mark_id: str):
        super().__init__(checkable=True)
        self.setProperty("role", "choice")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._words = "", ""
        self.board, self.mark_id = board, mark_id
        self.clicked.connect(lambda: board.work.open(mark_id))
        board.order.take(mark_id, self)

    def follow(self) -> None:
        mark = self.board.workshop.project.mark(self.mark_id)
        kind = MARK_KINDS[mark.kind][0].lower()
        state = kind if mark.is_on else "off"
        self.setToolTip(plain_text(f"{mark.name}, {kind}\n{_ROW_TIP}"))
        self._words = mark.name, f"   {state}" + ("  ⚠" if self.board.work.problem(mark) else "")
        self.setText(literal("".join(self._words)))
        self.setChecked(self.board.work.mark is not None and self.board.work.mark.id == self.mark_id)

    def paintEvent(self, event) -> None:
        option = QStyleOptionButton()
        self.initStyleOption(option)
        measure, (name, rest) = QFontMetrics(font(13, _WEIGHTS[self.isChecked()])), self._words
        room = self.width() - _ROW_MARGINS - measure.horizontalAdvance(rest)
        option.text = literal(measure.elidedText(name, Qt.TextElideMode.ElideRight, room)) + rest
        QStylePainter(self).drawControl(QStyle.ControlElement.CE_PushButton, option)

    def contextMenuEvent(self, event) -> None:
        self.board.open_menu(self.mark_id, event.globalPos())


class MarksBoard(QFrame):
    """Cards from left to right: the marks, the art, the place, the finish."""

    def __init__(self, work: MarkWork):
        super().__init__()
        self.setObjectName("board")
        self.setAcceptDrops(True)
        self.work, self.workshop = work, work.workshop

        self.list = ListCard("Marks")
        self.order = Reorder(self.list, work.move_to)
        self.add_button = QPushButton("+ Add mark")
        self.add_button.setProperty("role", "add")
        self.add_button.setToolTip(
            "Puts it on the middle of the selected part, as seen; or drop artwork on the picture"
        )
        self.add_button.clicked.connect(lambda: self.kinds_menu().popup(self.add_button.mapToGlobal(QPoint(0, 0))))
        self.list.list.addWidget(self.add_button)
        self.list.list.addStretch(1)

        self.artwork = ArtworkColumn(work)
        self.rows = {name: row_of(self._of_mark(name), is_stacked=True) for name in _MARK_ROWS}
        self.material_rows = {name: row_of(self._of_recipe(name), is_stacked=True) for name in _RECIPE_ROWS}
        self.centre_button = small_button("Centre on part", "Centres it on its part from left to right")
        self.centre_button.clicked.connect(self.centre)
        self.square_button = small_button("View square-on", "Points the camera at it  (Q)")
        self.square_button.clicked.connect(work.square_on)
        moves = QWidget()
        line = QVBoxLayout(moves)
        line.setContentsMargins(0, 6, 8, 4)
        line.setSpacing(4)
        line.addWidget(self.centre_button)
        line.addWidget(self.square_button)
        self.problem = quiet_label()
        self.problem.setWordWrap(True)

        size = column_of([self.rows["width"], self.rows["height"], self.rows["turn"], moves, self.problem])
        lies = column_of([self.rows["way"], self.rows["seen"], self.rows["is_mirrored"]])
        own = column_of([self.rows[name] for names in _OWN_ROWS.values() for name in names])
        finish = column_of(list(self.material_rows.values()))
        self.finish_hint = quiet_label("Drop a swatch here to change its material.")
        self.finish_hint.setWordWrap(True)
        finish.layout().insertWidget(finish.layout().count() - 1, self.finish_hint)
        self.cards = [
            card_of("Artwork", [self.artwork]),
            card_of("Place", [size, lies]),
            card_of("Finish", [own, finish]),
        ]
        self.hint = PlainLabel(
            "Drop artwork onto the product in the picture, or select a part and add a mark.\n"
            "Labels, prints, foil, stamps and screens have their true size on the surface."
        )
        self.hint.setProperty("role", "quiet")
        self.hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        self.list.setFixedWidth(162)
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
        layout.addStretch(0)
        work.opened.connect(self.follow)
        self.workshop.project_changed.connect(Paced(self, self.workshop, self.follow).note)
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
        self.problem.setText(self.work.problem(mark) or self._stretch(mark))
        self.artwork.follow()

    def _stretch(self, mark: Mark) -> str:
        stretch = self.work.sheet(mark).stretch(mark.width, mark.height)
        return f"Stretched by up to {100 * stretch:.1f} %." if stretch >= 0.005 else "No stretch."

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
                ways = line_up.addMenu(literal(other.name))
                for way, words in LINES.items():
                    ways.addAction(words).triggered.connect(
                        lambda _, other=other, way=way: work.line_up(mark, other, way)
                    )
        menu.addSeparator()
        menu.addAction("Remove").triggered.connect(lambda: work.remove(mark))
        menu.popup(where)

    def dragEnterEvent(self, event) -> None:
        if dragged_wearable(event.mimeData()) and self.work.mark is not None:
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        what = dragged_wearable(event.mimeData())
        found = self.workshop.named_recipe(what) if what is not None and self.work.mark is not None else None
        if found is not None:
            event.acceptProposedAction()
            name, recipe = found
            self.work.put(f"Material {name}", self.work.mark.with_(recipe=recipe))


_PLACE_ROWS = ("width", "height", "turn", "way", "seen", "is_mirrored")
_MARK_ROWS = (*_PLACE_ROWS, *(name for names in _OWN_ROWS.values() for name in names))
_RECIPE_ROWS = tuple(dict.fromkeys(name for names in _MATERIAL_ROWS.values() for name in names))
