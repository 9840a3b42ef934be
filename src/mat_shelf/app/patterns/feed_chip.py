"""The chip at the end of a row: what feeds it."""

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDrag, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QAbstractButton

from mat_shelf.app.patterns.painter import Painter, PatternPicture, paint_picture
from mat_shelf.app.patterns.pattern_mime import PATTERN_MIME, dropped_pattern, pattern_mime
from mat_shelf.app.theme import THEME
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.workshop import PatternWork
from mat_shelf.document.pattern import Feed, Pattern
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.evaluation import is_colored

CHIP = 22


class PatternButton(QAbstractButton):
    """A pattern's picture that is clicked and dragged; patterns may be dropped on it.

    Parameters
    ----------
    on_drop : callable (str), optional
        Is given the id of a pattern that was dropped.

    Signals
    -------
    painted
        There is a new picture.
    """

    painted = pyqtSignal()

    def __init__(self, work: PatternWork, painter: Painter, size: QSize, on_drop=None):
        super().__init__()
        self.work = work
        self.setFixedSize(size)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAcceptDrops(on_drop is not None)
        self._on_drop = on_drop
        self._picture = PatternPicture(painter, size)
        self._picture.painted.connect(self.update)
        self._picture.painted.connect(self.painted)
        self._picture.setParent(self)
        self._picture.hide()
        self.pattern: Pattern | None = None
        self._pressed: QPoint | None = None
        self._is_target = False

    @property
    def pixmap(self) -> QPixmap | None:
        return self._picture.pixmap

    def show_pattern(self, pattern: Pattern | None) -> None:
        self.pattern = pattern
        self._picture.show_pattern(pattern, self.work.context)
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        edge = THEME.accent if self.hasFocus() or self._is_target else None
        if self.pattern is not None:
            paint_picture(painter, self.rect().toRectF(), self.pixmap, 5, edge)
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(edge or (THEME.quiet if self.underMouse() else THEME.faint)), 2 if edge else 1.4))
        ring = self.rect().toRectF().adjusted(4, 4, -4, -4)
        painter.drawEllipse(ring)

    def mousePressEvent(self, event) -> None:
        self._pressed = event.position().toPoint()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event) -> None:
        far = self._pressed is not None and (event.position().toPoint() - self._pressed).manhattanLength() > 8
        if far and self.pattern is not None:
            self._pressed = None
            self.setDown(False)
            self.drag()
            return
        super().mouseMoveEvent(event)

    def drag(self) -> None:
        """Takes the pattern along with the pointer."""
        drag = QDrag(self)
        drag.setMimeData(pattern_mime(self.work, self.pattern.id))
        if self.pixmap is not None:
            drag.setPixmap(self.pixmap)
        drag.exec(Qt.DropAction.CopyAction)

    def enterEvent(self, event) -> None:
        self.update()

    def leaveEvent(self, event) -> None:
        self.update()

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasFormat(PATTERN_MIME):
            self._is_target = True
            self.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event) -> None:
        self._is_target = False
        self.update()

    def dropEvent(self, event) -> None:
        self._is_target = False
        self.update()
        pattern_id = dropped_pattern(self.work, event.mimeData())
        if pattern_id is not None:
            event.acceptProposedAction()
            self._on_drop(pattern_id)


class FeedChip(PatternButton):
    """An empty ring while an input is constant, the pattern's picture while it is fed. Click to feed or change."""

    def __init__(self, work: PatternWork, painter: Painter, name: str, open_popover):
        super().__init__(work, painter, QSize(CHIP, CHIP), on_drop=lambda pattern_id: work.feed(name, pattern_id))
        self.name = name
        title = Recipe.field_label(name)
        self.setToolTip(f"Feed {title.lower()} with a pattern: click, or drop one here")
        self.clicked.connect(lambda: open_popover(self))

    @property
    def feed(self) -> Feed | None:
        return self.work.recipe.feed(self.name)

    def follow(self) -> None:
        feed = self.feed
        self.show_pattern(self.work.recipe.pattern(feed.pattern) if feed else None)
        fed = f"fed by {self.pattern.name}" if feed is not None else "not fed"
        self.setAccessibleName(f"{Recipe.field_label(self.name)}, {fed}")
        if feed is not None:
            self.setToolTip(plain_text(f"Fed by {self.pattern.name}. Click to change, drag to share."))

    def set_range(self, low: float, high: float, gesture: str | None = None) -> None:
        allowed = (self.work.workshop.changed(self.work.recipe, self.name, end) for end in (low, high))
        if all(allowed):
            self.work.set_feed(self.feed.with_(low=low, high=high), gesture)

    @property
    def gives_colors(self) -> bool:
        """True if the pattern brings its own colours, so that the input's does not count."""
        return self.pattern is not None and is_colored(self.pattern, self.work.context)

    def set_color(self, color: tuple, gesture: str | None = None) -> None:
        """Gives the white end of a range of colours another one; its black end keeps its distance."""
        feed = self.feed
        low = tuple(
            round(min(new * old / end, 1.0) if end > 0 else old, 5)
            for new, old, end in zip(color, feed.low, feed.high, strict=True)
        )
        self.work.set_feed(feed.with_(low=low, high=color), gesture)

    def picture(self) -> QPixmap | None:
        """Picture for a colour bar while it is fed."""
        return self.pixmap if self.pattern is not None else None
