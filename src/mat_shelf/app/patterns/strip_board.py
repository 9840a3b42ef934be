"""The strip: a pattern's steps with a live picture each, the chosen step's values, how it lies, and what it feeds."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.patterns.histogram import Histogram
from mat_shelf.app.patterns.painter import Painter, PatternPicture
from mat_shelf.app.patterns.step_rows import placement_rows, step_rows
from mat_shelf.app.patterns.step_tile import STEP, StepTile
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.card import ListCard, sideways
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.workshop import PatternWork
from mat_shelf.commands.patterns import PLACING
from mat_shelf.document.parameter import shown_number
from mat_shelf.document.pattern import Feed
from mat_shelf.document.recipe import FEEDABLE, Recipe
from mat_shelf.patterns.sources import SOURCES
from mat_shelf.patterns.steps import STEPS

_SHOWN_PLACEMENT = {
    "solid": ("projection", "size", "axis", "stretch", "turn", "along", "across", "over", "shuffle", "shuffle_turn"),
    "uv": ("projection", "size", "turn", "stretch", "along", "across", "shuffle", "shuffle_turn"),
    "whole uv": ("projection", "turn", "repeat u", "repeat v", "along", "across"),
    "planar": ("projection", "size", "axis", "turn", "stretch", "along", "across", "over", "shuffle", "shuffle_turn"),
    "box": ("projection", "size", "turn", "stretch", "blend", "along", "across", "over", "shuffle", "shuffle_turn"),
    "cylinder": (
        "projection",
        "size",
        "axis",
        "stretch",
        "turn",
        "seam",
        "blend",
        "along",
        "across",
        "over",
        "shuffle",
    ),
    "sphere": ("projection", "size", "axis", "stretch", "turn", "seam", "blend", "along", "across", "over", "shuffle"),
}
"""What counts for each projection, most used first."""
_LINES = 3
"""Rows of a step's values one over another."""
_PLACEMENT_COLUMN = 144
_PLACEMENT_WIDTH = 2 * _PLACEMENT_COLUMN + 50
"""Width of the card of the placement, pixels: two columns of rows."""


class StripBoard(QFrame):
    """The board while a pattern is open."""

    def __init__(self, work: PatternWork, painter: Painter, choose_picture: Callable[[], None]):
        super().__init__()
        self.setObjectName("board")
        self._choose_picture = choose_picture
        self.work, self._painter = work, painter
        self.back_button = QPushButton()
        self.back_button.setProperty("role", "plain")
        self.back_button.setToolTip("Back to the material  (Escape)")
        self.back_button.clicked.connect(lambda: work.open(None))
        self.name = QLineEdit(maxLength=120)
        self.name.setProperty("role", "title")
        self.name.setAccessibleName("Name of the pattern")
        self.name.editingFinished.connect(self._rename)
        self.feeds_tag = PlainLabel()
        self.feeds_tag.setProperty("role", "tag")
        self.feeds_tag.setFixedHeight(22)
        self.alone_button = QPushButton("Show alone", checkable=True)
        self.alone_button.setToolTip("Shows the pattern, up to the chosen step, by itself on the product. Or hold A.")
        self.alone_button.clicked.connect(lambda: work.show_alone(self.alone_button.isChecked()))
        self.duplicate_button = QPushButton("Duplicate")
        self.duplicate_button.clicked.connect(lambda: work.open(work.duplicate(work.pattern_id)))
        header = QHBoxLayout()
        header.setSpacing(8)
        for widget in (self.back_button, self.name, self.feeds_tag):
            header.addWidget(widget)
        header.addStretch(1)
        header.addWidget(self.duplicate_button)
        header.addWidget(self.alone_button)

        self.tiles: list[StepTile] = []
        self._tile_row = QHBoxLayout()
        self._tile_row.setSpacing(12)
        self._tile_row.setContentsMargins(0, 0, 0, 0)
        self.add_button = QPushButton("+ Add\nstep")
        self.add_button.setProperty("role", "slot")
        self.add_button.setFixedSize(70, STEP.height())
        self.add_button.clicked.connect(lambda: self.step_menu().popup(self._over(self.add_button)))
        self._tile_row.addWidget(self.add_button, 0, Qt.AlignmentFlag.AlignTop)
        self._tile_row.addStretch(1)
        tiles = QWidget()
        tiles.setLayout(self._tile_row)
        tile_area = sideways(tiles)
        tile_area.setFixedHeight(STEP.height() + 30)

        self.histogram = Histogram()
        self._before = PatternPicture(painter, QSize(96, 64))
        self._before.painted.connect(self._show_histogram)
        self._before.hide()
        self.rows: list[QWidget] = []
        self._rows_for: tuple = ()
        self._row_grid = QGridLayout()
        self._row_grid.setContentsMargins(0, 0, 0, 0)
        self._row_grid.setHorizontalSpacing(10)
        self._row_grid.setVerticalSpacing(0)
        values = QWidget()
        inside = QHBoxLayout(values)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.setSpacing(10)
        inside.addWidget(self.histogram, 0, Qt.AlignmentFlag.AlignTop)
        inside.addLayout(self._row_grid)
        inside.addStretch(1)
        steps_card = QFrame(objectName="card")
        card = QVBoxLayout(steps_card)
        card.setContentsMargins(14, 12, 14, 4)
        card.setSpacing(2)
        card.addWidget(tile_area)
        card.addWidget(sideways(values), 1)

        self.placement = placement_rows(work)
        placement_card = ListCard("Placement")
        placement_card.setFixedWidth(_PLACEMENT_WIDTH)
        self._placement_grid = QGridLayout()
        self._placement_grid.setHorizontalSpacing(14)
        self._placement_grid.setVerticalSpacing(0)
        for row in self.placement.values():
            row.setFixedWidth(_PLACEMENT_COLUMN)
        self.place_button = QPushButton("Drag on product", checkable=True)
        self.place_button.setToolTip(
            "Drag the pattern on the product; Shift rotates it, Control with the wheel sizes it"
        )
        self.place_button.clicked.connect(lambda: work.take_in_hand(PLACING if self.place_button.isChecked() else ""))
        self.away_button = QPushButton("Hide seam")
        self.away_button.setToolTip("Turns the seam away from the camera")
        self.away_button.clicked.connect(work.turn_seam_away)
        by_hand = QHBoxLayout()
        by_hand.setSpacing(6)
        for button in (self.place_button, self.away_button):
            button.setProperty("role", "small")
            by_hand.addWidget(button)
        self.copy_button = QPushButton("Copy")
        self.copy_button.setToolTip("Copies the placement, for another pattern of this or another material")
        self.copy_button.clicked.connect(work.copy_placement)
        self.paste_button = QPushButton("Paste")
        self.paste_button.setToolTip("Gives this pattern the copied placement")
        self.paste_button.clicked.connect(work.paste_placement)
        for button in (self.copy_button, self.paste_button):
            button.setProperty("role", "small")
            by_hand.addWidget(button)
        by_hand.addStretch(1)
        self._unplaced = PlainLabel("It follows the shape of the part; there is nothing to place.")
        self._unplaced.setProperty("role", "quiet")
        self._unplaced.setWordWrap(True)
        for item in (by_hand, self._placement_grid):
            placement_card.list.addLayout(item)
        placement_card.list.insertWidget(1, self._unplaced)
        placement_card.list.addStretch(1)
        self._placed_as: str | None = None
        feeds_card = ListCard("Feeds")
        feeds_card.setFixedWidth(182)
        self.feeds_list = feeds_card.list
        self.feeds_list.setSpacing(4)
        self.feed_button = QPushButton("+ Feed input")
        self.feed_button.setProperty("role", "add")
        self.feed_button.clicked.connect(lambda: self._feed_menu().popup(self._over(self.feed_button)))
        cards = QHBoxLayout()
        cards.setSpacing(12)
        cards.addWidget(steps_card, 1)
        cards.addWidget(placement_card)
        cards.addWidget(feeds_card)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 14)
        layout.setSpacing(8)
        layout.addLayout(header)
        layout.addLayout(cards, 1)
        work.opened.connect(self.follow)
        work.workshop.project_changed.connect(self.follow)

    @staticmethod
    def _over(button: QWidget) -> QPoint:
        return button.mapToGlobal(QPoint(0, 0))

    def follow(self) -> None:
        work, pattern = self.work, self.work.pattern
        if pattern is None:
            return
        material = work.workshop.selected_material
        self.back_button.setText(f"←  {literal(material.name)}")
        if not self.name.hasFocus() or not self.name.isModified():
            self.name.setText(pattern.name)
            width = QFontMetrics(font(15, QFont.Weight.DemiBold)).horizontalAdvance(pattern.name)
            self.name.setFixedWidth(min(width + 20, 260))
        uses = work.uses_of(pattern.id)
        self.feeds_tag.setText(f"feeds {len(uses)}" if uses else "feeds nothing yet")
        self.alone_button.setChecked(work.is_alone)
        self._follow_tiles()
        self._follow_rows()
        self._follow_placement()
        self._follow_feeds()

    def _follow_tiles(self) -> None:
        work, count = self.work, len(self.work.pattern.steps)
        while len(self.tiles) > count:
            tile = self.tiles.pop()
            self._tile_row.removeWidget(tile)
            tile.hide()
            tile.deleteLater()
        while len(self.tiles) < count:
            tile = StepTile(self._painter, len(self.tiles))
            tile.chosen.connect(work.choose_step)
            tile.moved.connect(work.move_step)
            tile.menu_wanted.connect(self._open_menu)
            self._tile_row.insertWidget(len(self.tiles), tile)
            self.tiles.append(tile)
        for tile in self.tiles:
            tile.follow(work)

    def _follow_rows(self) -> None:
        work, pattern = self.work, self.work.pattern
        key = (pattern.id, work.place, type(pattern.steps[work.place]))
        if key != self._rows_for:
            self._rows_for = key
            for row in self.rows:
                self._row_grid.removeWidget(row)
                row.hide()
                row.deleteLater()
            self.rows = step_rows(work, work.place, self._choose_picture)
            self._lay_rows()
        for row in self.rows:
            row.follow()
        self.histogram.setVisible(work.place > 0)
        if work.place > 0:
            self._before.show_pattern(pattern, work.context, work.place)
            self._show_histogram()

    def _lay_rows(self) -> None:
        line, column = 0, 0
        for row in self.rows:
            tall = getattr(row, "ROWS", 1)
            if tall == 1:
                row.setFixedWidth(136)
            if line + tall > _LINES:
                line, column = 0, column + 1
            self._row_grid.addWidget(row, line, column, tall, 1, Qt.AlignmentFlag.AlignTop)
            line += tall

    def _show_histogram(self) -> None:
        pattern = self.work.pattern
        if pattern is None or self._before.values is None:
            return
        step = pattern.steps[min(self.work.place, len(pattern.steps) - 1)]
        self.histogram.show_values(self._before.values, step.histogram_marks())

    def _follow_placement(self) -> None:
        pattern = self.work.pattern
        projection = pattern.placement.projection if pattern.steps[0].is_placed else ""
        self._unplaced.setVisible(not projection)
        if projection != self._placed_as:
            self._placed_as = projection
            shown = _SHOWN_PLACEMENT[projection] if projection else ()
            for row in self.placement.values():
                self._placement_grid.removeWidget(row)
                row.hide()
            for place, name in enumerate(shown):
                self._placement_grid.addWidget(self.placement[name], place // 2, place % 2)
                self.placement[name].show()
            self.away_button.setVisible("seam" in shown)
            self.place_button.setVisible(projection not in ("", "uv", "whole uv"))
        self.place_button.setChecked(self.work.hand == PLACING)
        self.copy_button.setVisible(bool(projection))
        self.paste_button.setVisible(bool(projection))
        self.paste_button.setEnabled(self.work.copied_placement not in (None, pattern.placement))
        for row in self.placement.values():
            row.follow()

    def _follow_feeds(self) -> None:
        work = self.work
        while self.feeds_list.count():
            item = self.feeds_list.takeAt(0)
            if item.widget() is not None and item.widget() is not self.feed_button:
                item.widget().hide()
                item.widget().deleteLater()
        recipe, pattern_id = work.recipe, work.pattern_id
        for feed in recipe.feeds:
            if feed.pattern == pattern_id:
                label = Recipe.field_label(feed.input)
                shown = "colour" if isinstance(feed.low, tuple) else _range_words(feed)
                self.feeds_list.addWidget(_use(label, shown, lambda name=feed.input: work.remove_feed(name)))
        for row in recipe.relief:
            if row.pattern == pattern_id:
                self.feeds_list.addWidget(_use("Relief", f"{row.height:g} mm", lambda i=row.id: work.remove_relief(i)))
        for pattern in recipe.patterns:
            if pattern_id in pattern.used():
                self.feeds_list.addWidget(_use(pattern.name, "pattern", None))
        self.feeds_list.addWidget(self.feed_button)
        self.feeds_list.addStretch(1)

    def step_menu(self) -> QMenu:
        """Every kind of step; the chosen one is added behind the step on the board."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.setToolTipsVisible(True)
        for kind in STEPS:
            action = menu.addAction(kind.label)
            action.setToolTip(kind.tip)
            action.triggered.connect(lambda _, kind=kind: self.work.add_step(kind()))
        return menu

    def _feed_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in FEEDABLE:
            feed = self.work.recipe.feed(name)
            if feed is None or feed.pattern != self.work.pattern_id:
                action = menu.addAction(Recipe.field_label(name))
                action.triggered.connect(lambda _, name=name: self.work.feed(name, self.work.pattern_id))
        menu.addSeparator()
        menu.addAction("Relief").triggered.connect(lambda: self.work.add_relief(self.work.pattern_id))
        return menu

    def _open_menu(self, place: int, where: QPoint) -> None:
        work, menu = self.work, QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if place == 0:
            for kind in SOURCES:
                menu.addAction(kind.label).triggered.connect(lambda _, kind=kind: work.replace_source(kind()))
        else:
            step = work.pattern.steps[place]
            menu.addAction("Switch off" if step.is_on else "Switch on").triggered.connect(
                lambda: work.switch_step(place)
            )
            menu.addAction("Duplicate").triggered.connect(lambda: work.duplicate_step(place))
            menu.addAction("Move left").triggered.connect(lambda: work.move_step(place, place - 1))
            menu.addAction("Move right").triggered.connect(lambda: work.move_step(place, place + 1))
            menu.addSeparator()
            menu.addAction("Remove").triggered.connect(lambda: work.remove_step(place))
        menu.popup(where)

    def _rename(self) -> None:
        if self.name.isModified():
            self.name.setModified(False)
            self.work.rename(self.name.text())
            self.follow()


def _range_words(feed: Feed) -> str:
    """Range of a feed, low to high."""
    field = Recipe.parameter(feed.input)
    low, high = sorted((feed.low, feed.high))
    return f"{shown_number(field, low)} – {shown_number(field, high)} {field.json_schema_extra['unit']}".strip()


def _use(name: str, shown: str, drop) -> QWidget:
    """One use of the pattern, with a small button that ends it."""
    row = QWidget()
    layout = QGridLayout(row)
    layout.setContentsMargins(0, 0, 0, 4)
    layout.setSpacing(0)
    layout.setColumnStretch(0, 1)
    layout.addWidget(ElidedLabel(name), 0, 0)
    value = PlainLabel(shown)
    value.setProperty("role", "quiet")
    value.setFont(font(12, tabular=True))
    layout.addWidget(value, 1, 0)
    if drop is not None:
        button = QPushButton("×")
        button.setProperty("role", "mini")
        button.setFixedSize(16, 18)
        button.setToolTip(f"Disconnect {name}")
        button.setAccessibleName(f"Disconnect {name}")
        button.clicked.connect(drop)
        layout.addWidget(button, 0, 1)
    return row
