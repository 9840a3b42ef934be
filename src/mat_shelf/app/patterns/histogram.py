"""Histogram of the values that a step gets."""

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QWidget,
)

from mat_shelf.app.theme import THEME, font


class Histogram(QWidget):
    """Histogram of the values before the chosen step."""

    def __init__(self):
        super().__init__()
        self.setFixedSize(112, 84)
        self._bins = np.zeros(40)
        self.marks: tuple[float, ...] = ()

    def show_values(self, values, marks=()) -> None:
        if values is None:
            return
        flat = values.mean(axis=2) if values.ndim == 3 else values
        bins = np.histogram(np.nan_to_num(flat), bins=40, range=(0, 1))[0].astype(float)
        self._bins = np.sqrt(bins / max(bins.max(), 1))
        self.marks = tuple(marks)
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        box = QRectF(0, 0, self.width(), 66)
        painter.fillRect(box, QColor(THEME.panel))
        wide = box.width() / len(self._bins)
        for k, share in enumerate(self._bins):
            tall = share * (box.height() - 4)
            painter.fillRect(QRectF(k * wide, box.bottom() - tall, wide + 0.5, tall), QColor(THEME.track))
        for mark in self.marks:
            painter.fillRect(QRectF(min(max(mark, 0), 1) * (box.width() - 2), 0, 2, box.height()), QColor(THEME.accent))
        painter.setPen(QColor(THEME.quiet))
        painter.setFont(font(11))
        painter.drawText(QRectF(0, 68, self.width(), 16), Qt.AlignmentFlag.AlignLeft, "Input histogram")
