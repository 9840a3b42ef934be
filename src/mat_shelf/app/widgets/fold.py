"""A card that folds to a narrow tab with its name upright."""

from PyQt6.QtCore import QObject, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QFrame, QSizePolicy

from mat_shelf.app.theme import THEME, font

TAB = 24
"""Width of a tab, pixels."""


class CardTab(QAbstractButton):
    """Stands for a folded card; a click opens it, and so does what is dragged over it."""

    def __init__(self, name: str):
        super().__init__()
        self.setText(name)
        self.setFont(font(12))
        self.setAccessibleName(f"Open card {name}")
        self.setToolTip(f"Open {name}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setAcceptDrops(True)

    def show_count(self, count: int) -> None:
        """Says how many rows the folded card has, if any."""
        name = self.text().split("  ")[0]
        self.setText(f"{name}  {count}" if count else name)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(TAB, self.fontMetrics().horizontalAdvance(self.text()) + 24)

    def dragEnterEvent(self, event) -> None:
        # Later: a widget must not be hidden inside its own event.
        QTimer.singleShot(0, self.click)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        is_lit = self.underMouse() or self.hasFocus()
        painter.setPen(QPen(QColor(THEME.accent if self.hasFocus() else THEME.line), 1))
        painter.setBrush(QColor(THEME.card))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        painter.setPen(QColor(THEME.accent if is_lit else THEME.quiet))
        painter.translate(self.width() / 2, self.height() - 12)
        painter.rotate(-90)
        painter.drawText(0, round(self.fontMetrics().capHeight() / 2), self.text())


class CardTitle(QAbstractButton):
    """Name of a card at its head; a click folds it."""

    def __init__(self, name: str):
        super().__init__()
        self.setText(name)
        self.setFont(font(13, QFont.Weight.DemiBold))
        self.setAccessibleName(f"Fold card {name}")
        self.setToolTip(f"Fold {name}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 4, 22)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setPen(QColor(THEME.accent if self.hasFocus() or self.underMouse() else THEME.text))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self.text())


class Fold(QObject):
    """The two states of a card: the card itself, and its tab, which stands elsewhere.

    Signals
    -------
    turned : bool
        The user opened (True) or folded it.
    """

    turned = pyqtSignal(bool)

    def __init__(self, name: str, card: QFrame, title: CardTitle):
        super().__init__()
        self.card, self.tab, self.title = card, CardTab(name), title
        title.clicked.connect(lambda: self.turned.emit(False))
        self.tab.clicked.connect(lambda: self.turned.emit(True))

    def show_open(self, is_open: bool, is_offered: bool = True) -> None:
        """Shows the card or its tab; neither where it is not offered."""
        self.card.setVisible(is_open and is_offered)
        self.tab.setVisible(not is_open and is_offered)
