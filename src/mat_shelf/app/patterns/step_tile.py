"""A step on the strip: its picture, and what drags and keys do with it."""

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter
from PyQt6.QtWidgets import (
    QWidget,
)

from mat_shelf.app.patterns.painter import Painter, PatternPicture, paint_picture
from mat_shelf.app.theme import THEME, font
from mat_shelf.app.workshop import PatternWork
from mat_shelf.document.pattern import Step

STEP = QSize(104, 70)


class StepTile(QWidget):
    """One step: what the pattern is after it, and its name. Dragged sideways it changes places."""

    chosen = pyqtSignal(int)
    moved = pyqtSignal(int, int)
    menu_wanted = pyqtSignal(int, QPoint)

    def __init__(self, painter: Painter, place: int):
        super().__init__()
        self.place = place
        self.picture = PatternPicture(painter, STEP)
        self.picture.setParent(self)
        self.picture.hide()
        self.picture.painted.connect(self.update)
        self.step: Step | None = None
        self.is_chosen = False
        self.setFixedSize(STEP.width(), STEP.height() + 20)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._pressed_at: float | None = None
        self._drift = 0.0

    def follow(self, work: PatternWork) -> None:
        self.step = work.pattern.steps[self.place]
        self.is_chosen = work.place == self.place
        self.picture.show_pattern(work.pattern, work.context, self.place + 1)
        state = "" if self.step.is_on else ", off"
        self.setAccessibleName(f"{self.step.label}{state}")
        self.setToolTip(self.step.tip)
        self.update()

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed_at = event.globalPosition().x()
            self.chosen.emit(self.place)

    def mouseMoveEvent(self, event) -> None:
        if self._pressed_at is not None and self.place > 0:
            self._drift = event.globalPosition().x() - self._pressed_at
            self.raise_()

    def mouseReleaseEvent(self, event) -> None:
        steps = round(self._drift / (STEP.width() + 12))
        self._pressed_at, self._drift = None, 0.0
        if steps:
            self.moved.emit(self.place, self.place + steps)

    def keyPressEvent(self, event) -> None:
        key, shift = event.key(), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            way = 1 if key == Qt.Key.Key_Right else -1
            if shift:
                self.moved.emit(self.place, self.place + way)
            else:
                (self.nextInFocusChain() if way > 0 else self.previousInFocusChain()).setFocus()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.place)
        elif key == Qt.Key.Key_Menu:
            self.menu_wanted.emit(self.place, self.mapToGlobal(self.rect().center()))
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event) -> None:
        self.menu_wanted.emit(self.place, event.globalPos())

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setOpacity(1.0 if self.step is None or self.step.is_on else 0.35)
        box = QRectF(0, 0, STEP.width(), STEP.height())
        edge = THEME.accent if self.is_chosen or self.hasFocus() else None
        paint_picture(painter, box, self.picture.pixmap, 5, edge)
        if self.step is not None:
            painter.setPen(QColor(THEME.text if self.is_chosen else THEME.quiet))
            painter.setFont(font(12, QFont.Weight.DemiBold if self.is_chosen else QFont.Weight.Normal))
            text = painter.fontMetrics().elidedText(self.step.label, Qt.TextElideMode.ElideRight, STEP.width())
            painter.drawText(QRectF(0, STEP.height() + 2, STEP.width(), 18), Qt.AlignmentFlag.AlignLeft, text)
