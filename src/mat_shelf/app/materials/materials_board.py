"""The board of the Materials station: the selected material, laid out left to right, or one of its patterns' strip."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QMimeData, QPoint, Qt
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.image_file import PICTURE_ENDINGS
from mat_shelf.app.materials.image_import import ImageImport
from mat_shelf.app.materials.kinds import CARDS, MATERIAL_KINDS, cards_in_use, is_brushed, kind_of
from mat_shelf.app.materials.material_header import MaterialHeader
from mat_shelf.app.materials.overlays_card import OverlaysCard
from mat_shelf.app.patterns.feed_chip import CHIP, FeedChip
from mat_shelf.app.patterns.painter import Painter
from mat_shelf.app.patterns.pattern_choice import FeedPopover, NewPatternPopover
from mat_shelf.app.patterns.patterns_card import PatternsCard
from mat_shelf.app.patterns.relief_card import ReliefCard
from mat_shelf.app.patterns.strip_board import StripBoard
from mat_shelf.app.widgets.binding import of_material
from mat_shelf.app.widgets.card import CARD_MARGIN, WIDEST, bound, card_of, column_of, sideways
from mat_shelf.app.widgets.fold import TAB, CardTitle, Fold
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.value_row import CHIP_GAP
from mat_shelf.app.workshop import PatternWork, Workshop
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.recipe import FEEDABLE
from mat_shelf.rendering.input_picture import INPUT_VIEWS

COLUMN = 228
"""Narrowest column of rows, pixels."""
ROOMY = 1500
"""Width from which cards without rows stay open, pixels."""
_GAP, _TAB_GAP, _MARGIN = 8, 4, 16


class MaterialsBoard(QFrame):
    """Header and cards; a hint while nothing is selected."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setObjectName("board")
        self.workshop = workshop
        self.patterns = PatternWork(workshop)
        self.images = ImageImport(self.patterns, self._begin, self)
        self.painter = Painter()
        workshop.project_changed.connect(self.painter.note_edit)
        self.feed_popover = FeedPopover(self.patterns, self.painter, self, self.begin_feeding)
        self.rows = {name: self._row(name) for card in CARDS.values() for column in card for name in column}
        self._chosen_kinds: dict[str, str] = {}
        self._turned: dict[str, dict[str, bool]] = {}
        self.header = MaterialHeader(workshop)
        self.header.kind_box.activated.connect(self._choose_kind)
        titles = {name: CardTitle(name) for name in (*CARDS, "Relief", "Overlays", "Patterns")}
        self.relief_card = ReliefCard(titles["Relief"], self.patterns, self.painter, self.choose_relief)
        self.overlays_card = OverlaysCard(titles["Overlays"], workshop)
        self.patterns_card = PatternsCard(titles["Patterns"], self.patterns, self.painter, self.choose_pattern)
        cards = {name: self._input_card(name, titles[name]) for name in CARDS}
        cards |= {"Relief": self.relief_card, "Overlays": self.overlays_card, "Patterns": self.patterns_card}
        self.folds = {name: Fold(name, card, titles[name]) for name, card in cards.items()}
        for card in (self.relief_card, self.overlays_card, self.patterns_card):
            card.setMinimumWidth(COLUMN)
            card.setMaximumWidth(WIDEST)
        for name, fold in self.folds.items():
            fold.turned.connect(lambda is_open, name=name: self._turn(name, is_open))
        self.new_popover = NewPatternPopover(self._begin, self.images.choose, self)
        self._begun_for: Callable[[str], None] = self.patterns.open
        self.strip = StripBoard(self.patterns, self.painter, self.images.choose_other)
        self.setAcceptDrops(True)
        opened, tabs = QHBoxLayout(), QHBoxLayout()
        for line, gap in ((opened, _GAP), (tabs, _TAB_GAP)):
            line.setSpacing(gap)
            line.setContentsMargins(0, 0, 0, 0)
        for name, fold in self.folds.items():
            opened.addWidget(fold.card, len(CARDS.get(name, (1,))))
            tabs.addWidget(fold.tab)
        opened.addStretch(1)
        tuned = QWidget()
        layout = QVBoxLayout(tuned)
        layout.setContentsMargins(_MARGIN, 8, _MARGIN, 8)
        layout.setSpacing(8)
        layout.addWidget(self.header)
        inside = QWidget()
        inside.setLayout(opened)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(sideways(inside), 1)
        line.addLayout(tabs)
        layout.addLayout(line, 1)

        self._hint = PlainLabel()
        self._hint.setProperty("role", "quiet")
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._stack = QStackedWidget()
        self._stack.addWidget(self._hint)
        self._stack.addWidget(tuned)
        self._stack.addWidget(self.strip)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._stack)
        self._is_behind = True
        self._followed: dict[str, tuple] = {}
        workshop.project_changed.connect(Paced(self, workshop, self._follow_if_seen).note)
        for signal in (workshop.selection_changed, self.patterns.opened):
            signal.connect(self._follow_if_seen)
        self.follow()

    def _row(self, name: str) -> QWidget:
        chip = FeedChip(self.patterns, self.painter, name, self.feed_popover.open_for) if name in FEEDABLE else None
        row = row_of(of_material(self.workshop, name), chip, is_stacked=True)
        row.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        row.customContextMenuRequested.connect(lambda at: self.row_menu(name).popup(row.mapToGlobal(at)))
        if chip is None:
            row.layout().setColumnMinimumWidth(1, CHIP + CHIP_GAP)  # sliders and colours without a chip keep its room
        return row

    def row_menu(self, name: str) -> QMenu:
        """Commands for an input."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        key = "emission" if name.startswith("emission") else name
        look = menu.addAction("Look at it on the product")
        look.setEnabled(key in INPUT_VIEWS)
        look.triggered.connect(lambda: self.workshop.look_at_input(key))
        if name in FEEDABLE:
            menu.addSeparator()
            menu.addAction("Feed with a new pattern…").triggered.connect(lambda: self.begin_feeding(name))
            cut = menu.addAction("Disconnect the pattern")
            cut.setEnabled(self.workshop.layer.feed(name) is not None)
            cut.triggered.connect(lambda: self.patterns.remove_feed(name))
        menu.addSeparator()
        usual = menu.addAction("Reset to default")
        binding = of_material(self.workshop, name)
        usual.setEnabled(binding.value() != binding.field.default)
        usual.triggered.connect(lambda: binding.set(binding.field.default))
        return menu

    def _input_card(self, name: str, title: CardTitle) -> QFrame:
        columns = [column_of([self.rows[row] for row in names]) for names in CARDS[name]]
        if name == "Specular":
            self._brushing = columns[1]
        for column in columns:
            column.setMinimumWidth(COLUMN)
        return card_of(title, columns)

    def close_threads(self) -> None:
        """Ends the threads that draw patterns and read pictures."""
        self.painter.close()
        self.header.measurements_popover.close_thread()
        self.images.close()

    def choose_pattern(self, anchor: QWidget) -> None:
        """Offers what a new pattern can begin as, and opens its strip."""
        self._begun_for = self.patterns.open
        self.new_popover.open_over(anchor)

    def choose_relief(self, anchor: QWidget) -> None:
        """Offers the material's patterns, and new ones, as a row of relief."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for pattern in self.patterns.recipe.patterns:
            menu.addAction(literal(pattern.name)).triggered.connect(lambda _, i=pattern.id: self.patterns.add_relief(i))
        menu.addSeparator()
        menu.addAction("New pattern…").triggered.connect(lambda: self._begin_with(anchor, self.patterns.add_relief))
        menu.popup(anchor.mapToGlobal(QPoint(0, 0)))

    def begin_feeding(self, name: str) -> None:
        """Offers what a new pattern can begin as, and feeds an input with it."""
        self._begin_with(self.rows[name], lambda pattern_id: self.patterns.feed(name, pattern_id))

    def _begin_with(self, anchor: QWidget, use: Callable[[str], None]) -> None:
        self._begun_for = use
        self.new_popover.open_over(anchor)

    def dragEnterEvent(self, event) -> None:
        if self._dropped_pictures(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        paths = self._dropped_pictures(event.mimeData())
        if paths:
            event.acceptProposedAction()
            self.images.read(paths, self._input_at(event.position().toPoint()) if len(paths) == 1 else "")

    def _input_at(self, place: QPoint) -> str:
        """The input whose row is at a place of the board, if it takes patterns; else an empty word."""
        child = self.childAt(place)
        while child is not None and child is not self:
            name = next((name for name, row in self.rows.items() if row is child), None)
            if name is not None:
                return name if name in FEEDABLE else ""
            child = child.parentWidget()
        return ""

    @staticmethod
    def _dropped_pictures(data: QMimeData) -> list[Path]:
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        return [path for path in paths if path.suffix.lower() in PICTURE_ENDINGS]

    def _begin(self, pattern: Pattern) -> None:
        with self.workshop.as_one(f"New pattern {pattern.name}"):
            self._begun_for(self.patterns.begin(pattern.steps, pattern.name, pattern.placement))

    @property
    def _layer_id(self) -> str:
        """Id of the material or the overlay on the board."""
        return (self.workshop.overlay or self.workshop.selected_material).id

    @property
    def words(self) -> str:
        """One line in place of the board: what it shows, or how it comes to show anything."""
        part, material = self.workshop.selected_part, self.workshop.selected_material
        if material is not None:
            return material.name
        if part is not None:
            return f"{part.name} has no material yet. Drag a swatch from the library onto it."
        return "Click a part to edit its material, or drag a swatch from the library onto the picture."

    def _choose_kind(self) -> None:
        if self.workshop.selected_material is not None:
            self._chosen_kinds[self._layer_id] = self.header.kind_box.currentText()
            self._turned.pop(self._layer_id, None)
            self._follow_kind()

    def _turn(self, name: str, is_open: bool) -> None:
        """Opens or folds a card, for this material and this session."""
        self._turned.setdefault(self._layer_id, {})[name] = is_open
        self._follow_kind()
        fold = self.folds[name]
        (fold.title if is_open else fold.tab).setFocus()

    def _follow_kind(self) -> None:
        recipe = self.workshop.layer
        kind = self._chosen_kinds.get(self._layer_id) or kind_of(recipe)
        self.header.kind_box.setCurrentText(kind)
        self._brushing.setVisible(is_brushed(kind, recipe))
        bound(self.folds["Specular"].card, len(CARDS["Specular"]) - self._brushing.isHidden())
        lists = {"Relief": recipe.relief, "Overlays": recipe.overlays, "Patterns": recipe.patterns}
        listed = {name for name, rows in lists.items() if rows or self.width() >= ROOMY}
        shown = set(MATERIAL_KINDS[kind]) | cards_in_use(recipe) | listed
        turned = self._turned.get(self._layer_id, {})
        shown = {name for name in self.folds if turned.get(name, name in shown)}
        for name in ("Patterns", "Overlays", "Relief"):  # what has no room waits as a tab
            if turned.get(name) is None and not self._has_room(shown):
                shown.discard(name)
        for name, fold in self.folds.items():
            fold.show_open(name in shown, name != "Overlays" or self.workshop.overlay is None)
        for name, rows in lists.items():
            self.folds[name].tab.show_count(len(rows))

    def _has_room(self, shown: set[str]) -> bool:
        """True if these cards and the tabs of the others stand beside each other."""
        cards = sum(self._narrowest(name) + _GAP for name in shown)
        return cards + (len(self.folds) - len(shown)) * (TAB + _TAB_GAP) + 2 * _MARGIN <= self.width()

    def _narrowest(self, name: str) -> int:
        """Least width of a card. Size hints would be those of before what is in it changed."""
        if name not in CARDS:
            return COLUMN
        columns = len(CARDS[name]) - (name == "Specular" and self._brushing.isHidden())
        return columns * (COLUMN + CARD_MARGIN)

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.parentWidget().installEventFilter(self)  # the room may shrink further than the board itself
        self.header.follow_room(self.parentWidget().width())
        if self._is_behind:
            self.follow()

    def eventFilter(self, watched, event) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.header.follow_room(self.parentWidget().width())
        return False

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        if self.workshop.selected_material is not None:
            self._follow_kind()

    def _follow_if_seen(self) -> None:
        """Follows now, or when it is shown: other stations' drags must not wait for it."""
        self._is_behind = True
        if self.isVisible():
            self.follow()

    def follow(self) -> None:
        self._is_behind = False
        material = self.workshop.selected_material
        if material is None:
            self._hint.setText(self.words)
            self._stack.setCurrentIndex(0)
            return
        self._stack.setCurrentIndex(2 if self.patterns.pattern is not None else 1)
        self.header.follow()
        self._follow_kind()
        states = self._states()
        for name, row in self.rows.items():
            if states.get(name) is None or states[name] != self._followed.get(name):
                row.follow()
        self._followed = states
        for card in (self.relief_card, self.overlays_card, self.patterns_card):
            card.follow()

    def _states(self) -> dict[str, tuple]:
        """All that the row of each constant input shows; those that patterns feed follow at every edit."""
        workshop, recipe = self.workshop, self.workshop.layer
        material, is_overlay = workshop.selected_material, workshop.overlay is not None
        fed = {feed.input for feed in recipe.feeds}
        linked = {link.input for link in material.color_links}
        return {
            name: (
                getattr(recipe, name),
                not is_overlay and material.owns(name),
                workshop.linked_color(name) if name in linked else None,
            )
            for name in self.rows
            if name not in fed
        }
