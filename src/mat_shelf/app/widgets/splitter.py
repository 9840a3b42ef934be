"""Panes beside each other, with borders that are dragged."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from mat_shelf.app.theme import THEME

BORDER = 7
"""Width of a border, pixels."""
_GRIP = 34


class _Border(QSplitterHandle):
    """A border with a grip in its middle, lit under the pointer."""

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(THEME.surround))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(THEME.on_surround if self.underMouse() else THEME.grip))
        middle = QRectF(self.rect()).center()
        along, across = (3, _GRIP) if self.orientation() == Qt.Orientation.Horizontal else (_GRIP, 3)
        painter.drawRoundedRect(QRectF(middle.x() - along / 2, middle.y() - across / 2, along, across), 1.5, 1.5)

    def enterEvent(self, event) -> None:
        self.update()

    def leaveEvent(self, event) -> None:
        self.update()


class PaneSplitter(QSplitter):
    """Panes beside each other, none of which vanishes by dragging."""

    def __init__(self, orientation: Qt.Orientation, *panes: QWidget):
        super().__init__(orientation)
        self.setChildrenCollapsible(False)
        self.setHandleWidth(BORDER)
        for pane in panes:
            self.addWidget(pane)

    def createHandle(self) -> QSplitterHandle:
        return _Border(self.orientation(), self)
