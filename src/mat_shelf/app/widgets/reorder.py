"""Rows of a list dragged up and down to another place."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFrame, QWidget

from mat_shelf.app.theme import THEME
from mat_shelf.app.widgets.card import ListCard


class Reorder(QObject):
    """Lets rows of a list card be dragged by their grips.

    Parameters
    ----------
    card : ListCard
    moved : callable (id, place)
        Called when one was dropped at another place, counted from the top among the others.
    """

    def __init__(self, card: ListCard, moved: Callable[[str, int], None]):
        super().__init__(card)
        self._card, self._moved = card, moved
        self._grips: dict[QObject, str] = {}
        self._pressed: QPoint | None = None
        self._line: QFrame | None = None

    def take(self, row_id: str, grip: QWidget) -> None:
        """Lets a row be dragged by a widget of it."""
        grip.installEventFilter(self)
        self._grips[grip] = row_id
        grip.destroyed.connect(lambda _=None, grip=grip: self._grips.pop(grip, None))

    def eventFilter(self, grip: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind == QEvent.Type.MouseButtonPress and event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.globalPosition().toPoint()
        elif kind == QEvent.Type.MouseMove and self._pressed is not None:
            where = event.globalPosition().toPoint()
            far = (where - self._pressed).manhattanLength() >= QApplication.startDragDistance()
            if self._line is not None or far:
                self._show(self._gap(where))
                return True
        elif kind == QEvent.Type.MouseButtonRelease and self._pressed is not None:
            self._pressed = None
            if self._line is not None:
                self._line.deleteLater()
                self._line = None
                grip.setDown(False)
                self._drop(self._grips[grip], self._gap(event.globalPosition().toPoint()))
                return True
        return super().eventFilter(grip, event)

    def _gap(self, where: QPoint) -> int:
        """Rows above a place of the screen."""
        rows = list(self._card.rows.values())
        y = rows[0].parentWidget().mapFromGlobal(where).y()
        return sum(row.geometry().center().y() < y for row in rows)

    def _show(self, gap: int) -> None:
        rows = list(self._card.rows.values())
        if self._line is None:
            self._line = QFrame(rows[0].parentWidget())
            self._line.setStyleSheet(f"background: {THEME.accent};")
            self._line.show()
            self._line.raise_()
        y = rows[gap].y() if gap < len(rows) else rows[-1].geometry().bottom()
        self._line.setGeometry(0, max(y - 1, 0), rows[0].width(), 2)

    def _drop(self, row_id: str, gap: int) -> None:
        old = list(self._card.rows).index(row_id)
        place = gap - 1 if gap > old else gap
        if place != old:
            self._moved(row_id, place)
