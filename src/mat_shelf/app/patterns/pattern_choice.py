"""Popovers in which patterns, sources and steps are chosen."""

from collections.abc import Callable
from functools import cached_property

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.patterns.painter import Painter, PatternPicture, paint_picture
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.value_row import Slider
from mat_shelf.app.workshop import PatternWork
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.ready import READY, SOURCE_STARTS, Ready, thumbnail_file

TILE = QSize(96, 64)
COLUMNS = 5


class Popover(QFrame):
    """A card over the window that goes away when one clicks beside it."""

    def __init__(self, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")

    def open_over(self, anchor: QWidget) -> None:
        """Opens above a widget, inside the window."""
        self.adjustSize()
        corner = anchor.mapToGlobal(QPoint(0, -self.height() - 6))
        window = anchor.window().frameGeometry()
        x = min(max(corner.x(), window.left() + 8), window.right() - self.width() - 8)
        self.move(x, max(corner.y(), window.top() + 8))
        self.show()


class Tile(QToolButton):
    """A picture with a name under it."""

    def __init__(self, ready: Ready, tip: str):
        super().__init__()
        pattern = ready.pattern
        self.setToolTip(tip)
        self.setAccessibleName(pattern.name)
        self.setAutoRaise(True)
        self.setProperty("role", "tile")
        self.picture = PlainLabel()
        self.picture.setPixmap(_rounded(QPixmap(str(thumbnail_file(ready)))))
        self.picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        name = PlainLabel(pattern.name)
        name.setFont(font(12))
        name.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 4, 4, 2)
        layout.setSpacing(2)
        layout.addWidget(self.picture)
        layout.addWidget(name)
        self.setFixedSize(TILE.width() + 8, TILE.height() + 26)


def _rounded(pixmap: QPixmap) -> QPixmap:
    """A thumbnail at twice the pixels of a tile, with round corners."""
    made = QPixmap(TILE * 2)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    paint_picture(painter, made.rect().toRectF(), pixmap, 10)
    painter.end()
    made.setDevicePixelRatio(2)
    return made


class NewPatternPopover(Popover):
    """Ready patterns and plain sources, with a search over names and tags.

    Parameters
    ----------
    chosen : callable (Pattern)
        Is given what a new pattern begins as.
    pictures : callable ()
        Asks for picture files instead.
    """

    def __init__(self, chosen: Callable[[Pattern], None], pictures: Callable, parent: QWidget):
        super().__init__(parent)
        self._chosen = chosen
        self.pictures_button = QPushButton("Image files…")
        self.pictures_button.setToolTip("One image as a pattern, or several as a texture set")
        self.pictures_button.clicked.connect(self.hide)
        self.pictures_button.clicked.connect(pictures)
        self.search = QLineEdit(
            placeholderText=f"Search {len(READY) + len(SOURCE_STARTS)} patterns: wood, scratches, grip…"
        )
        self.search.setAccessibleName("Search patterns")
        self.search.textChanged.connect(self._lay_out)
        self._headings = [PlainLabel("Ready"), PlainLabel("Sources")]
        self._sections = [(self._headings[0], len(READY)), (self._headings[1], len(SOURCE_STARTS))]
        for heading in self._headings:
            heading.setProperty("role", "cardTitle")
        self._inside = QWidget()
        self._grid = QGridLayout(self._inside)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(4)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self._inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 8, 10)
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 6, 0)
        head.addWidget(self.search, 1)
        head.addWidget(self.pictures_button)
        layout.addLayout(head)
        layout.addWidget(area)
        self.setFixedSize(COLUMNS * (TILE.width() + 12) + 34, 430)

    @cached_property
    def tiles(self) -> list[tuple[Tile, Ready]]:
        """A tile for each, made when they are asked for: their pictures take a while, and every window would wait."""
        made = []
        for ready in (*READY, *SOURCE_STARTS):
            tile = Tile(ready, ready.pattern.steps[0].tip if ready in SOURCE_STARTS else ", ".join(ready.tags))
            tile.clicked.connect(lambda _, pattern=ready.pattern: self._choose(pattern))
            made.append((tile, ready))
        return made

    def _lay_out(self) -> None:
        words = self.search.text().lower().split()
        for tile, _ in self.tiles:
            self._grid.removeWidget(tile)
            tile.hide()
        row = 0
        start = 0
        for heading, count in self._sections:
            found = [
                tile
                for tile, ready in self.tiles[start : start + count]
                if all(any(word in text for text in (ready.pattern.name.lower(), *ready.tags)) for word in words)
            ]
            start += count
            self._grid.removeWidget(heading)
            heading.setVisible(bool(found))
            if not found:
                continue
            self._grid.addWidget(heading, row, 0, 1, COLUMNS)
            row += 1
            for place, tile in enumerate(found):
                self._grid.addWidget(tile, row + place // COLUMNS, place % COLUMNS)
                tile.show()
            row += -(-len(found) // COLUMNS)
        self._grid.setRowStretch(row, 1)

    def _choose(self, pattern: Pattern) -> None:
        self.hide()
        self._chosen(pattern)

    def open_over(self, anchor: QWidget) -> None:
        self.search.clear()
        self._lay_out()
        super().open_over(anchor)
        self.search.setFocus()


class FeedPopover(Popover):
    """Feed of an input: its amount, the material's patterns to choose from, a new one, or none."""

    def __init__(self, work: PatternWork, painter: Painter, parent: QWidget, begin_new: Callable):
        super().__init__(parent)
        self.work, self._painter, self._begin_new = work, painter, begin_new
        self.name: str | None = None
        self.title = PlainLabel()
        self.title.setProperty("role", "cardTitle")
        self.amount = Slider(0, 1, default=1.0)
        self.amount.setAccessibleName("Amount")
        self.amount_number = PlainLabel()
        self.amount_number.setFont(font(12, tabular=True))
        self.amount.moved.connect(self._set_amount)
        self.amount.released.connect(work.end_gesture)
        self.amount_row = QWidget()
        amount = QHBoxLayout(self.amount_row)
        amount.setContentsMargins(0, 0, 0, 0)
        amount.addWidget(PlainLabel("Amount"))
        amount.addWidget(self.amount, 1)
        amount.addWidget(self.amount_number)
        self.choices = QVBoxLayout()
        self.choices.setSpacing(2)
        self.new_button = QPushButton("New pattern…")
        self.open_button = QPushButton("Open strip")
        self.constant_button = QPushButton("Disconnect")
        self.new_button.clicked.connect(self._new)
        self.open_button.clicked.connect(self._open)
        self.constant_button.clicked.connect(self._let_go)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(8)
        layout.addWidget(self.title)
        layout.addWidget(self.amount_row)
        layout.addLayout(self.choices)
        for button in (self.new_button, self.open_button, self.constant_button):
            layout.addWidget(button)
        self.setFixedWidth(260)

    def open_for(self, chip) -> None:
        """Opens over a chip."""
        self.name, feed = chip.name, chip.feed
        self.title.setText(f"Feed {Recipe.field_label(chip.name).lower()}")
        self.amount_row.setVisible(feed is not None)
        self.open_button.setVisible(feed is not None)
        self.constant_button.setVisible(feed is not None)
        if feed is not None:
            self._show_amount(feed.amount)
        while self.choices.count():
            self.choices.takeAt(0).widget().deleteLater()
        for pattern in self.work.recipe.patterns:
            self.choices.addWidget(self._choice(pattern, feed is not None and feed.pattern == pattern.id))
        self.open_over(chip)

    def _choice(self, pattern: Pattern, is_used: bool) -> QPushButton:
        button = QPushButton(checkable=True, checked=is_used)
        button.setProperty("role", "choice")
        button.setAccessibleName(pattern.name)
        picture = PatternPicture(self._painter, QSize(34, 26))
        picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        picture.show_pattern(pattern, self.work.context)
        name = PlainLabel(pattern.name)
        name.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout = QHBoxLayout(button)
        layout.setContentsMargins(6, 3, 6, 3)
        layout.addWidget(picture)
        layout.addWidget(name, 1)
        button.setFixedHeight(34)
        button.clicked.connect(lambda: self._feed_with(pattern.id))
        return button

    def _feed_with(self, pattern_id: str) -> None:
        self.hide()
        self.work.feed(self.name, pattern_id)

    def _set_amount(self, value: float) -> None:
        feed = self.work.recipe.feed(self.name)
        if feed is not None:
            self.work.set_feed(feed.with_(amount=round(value, 3)), gesture="amount")
            self._show_amount(value)

    def _show_amount(self, value: float) -> None:
        self.amount.set_value(value)
        self.amount_number.setText(f"{value:.2f}")

    def _new(self) -> None:
        self.hide()
        self._begin_new(self.name)

    def _open(self) -> None:
        self.hide()
        self.work.open(self.work.recipe.feed(self.name).pattern)

    def _let_go(self) -> None:
        self.hide()
        self.work.remove_feed(self.name)
