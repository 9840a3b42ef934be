"""The card of a material's patterns."""

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.patterns.feed_chip import PatternButton
from mat_shelf.app.patterns.painter import Painter
from mat_shelf.app.patterns.pattern_mime import PATTERN_MIME, dropped_pattern
from mat_shelf.app.widgets.card import ListCard
from mat_shelf.app.widgets.plain_label import PlainLabel, plain_text
from mat_shelf.app.workshop import PatternWork

NAME_WIDTH = 96


class PatternEntry(QWidget):
    """A pattern's picture and name, and how many inputs it feeds. A click opens its strip; the picture is dragged."""

    def __init__(self, work: PatternWork, painter: Painter, pattern_id: str):
        super().__init__()
        self.work, self.pattern_id = work, pattern_id
        self.button = PatternButton(work, painter, QSize(44, 34))
        self.button.setToolTip("Click to open its strip. Drag onto a chip, onto relief, or onto another material.")
        self.button.clicked.connect(lambda: work.open(pattern_id))
        self.name = PlainLabel()
        self.uses = PlainLabel()
        self.uses.setProperty("role", "quiet")
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.name)
        words.addWidget(self.uses)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(8)
        layout.addWidget(self.button)
        layout.addLayout(words, 1)

    def follow(self) -> None:
        recipe = self.work.recipe
        pattern = recipe.pattern(self.pattern_id)
        self.button.show_pattern(pattern)
        self.button.setAccessibleName(pattern.name)
        self.name.setText(self.name.fontMetrics().elidedText(pattern.name, Qt.TextElideMode.ElideRight, NAME_WIDTH))
        uses = self.work.uses_of(self.pattern_id)
        self.uses.setText(f"feeds {len(uses)}" if uses else "feeds nothing")
        self.setToolTip(
            plain_text(f"{pattern.name} feeds {', '.join(uses)}" if uses else f"{pattern.name} feeds nothing yet")
        )

    def mouseReleaseEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.work.open(self.pattern_id)

    def contextMenuEvent(self, event) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Open strip").triggered.connect(lambda: self.work.open(self.pattern_id))
        menu.addAction("Duplicate").triggered.connect(lambda: self.work.duplicate(self.pattern_id))
        keep = self.work.workshop.save_pattern
        menu.addAction("Save to library").triggered.connect(lambda: keep(self.pattern_id))
        menu.addAction("Use as relief").triggered.connect(lambda: self.work.add_relief(self.pattern_id))
        menu.addSeparator()
        menu.addAction("Remove").triggered.connect(lambda: self.work.remove(self.pattern_id))
        menu.popup(event.globalPos())


class PatternsCard(ListCard):
    """The material's patterns, and where a new one begins; one that is dropped from another material is copied."""

    def __init__(self, title: QWidget, work: PatternWork, painter: Painter, choose):
        super().__init__(title)
        self.work, self._painter = work, painter
        self.setAcceptDrops(True)
        self.list.setSpacing(2)
        self.add_button = QPushButton("+ New pattern")
        self.add_button.setProperty("role", "add")
        self.add_button.setToolTip("A map that feeds inputs: noise, scratches, grain, wood, leather…")
        self.add_button.clicked.connect(lambda: choose(self))
        self.list.addWidget(self.add_button)
        self.list.addStretch(1)

    def follow(self) -> None:
        ids = [pattern.id for pattern in self.work.recipe.patterns]
        self.show_rows(ids, lambda pattern_id: PatternEntry(self.work, self._painter, pattern_id))

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasFormat(PATTERN_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        if dropped_pattern(self.work, event.mimeData()) is not None:
            event.acceptProposedAction()
