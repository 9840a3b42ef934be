"""Words over a picture, on a dark ground so that they can be read on any."""

import math

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QColor, QPainter

from mat_shelf.app.theme import THEME, font

TOP_LEFT = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft
TOP_RIGHT = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight
BOTTOM_RIGHT = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight

_HINT, _SPARE = 208, 26
"""Widest line of a hint, and what a line has more than its share of the words, pixels."""


def paint_caption(painter: QPainter, pane: QRect, where: Qt.AlignmentFlag, text: str) -> QRect:
    """Writes a line into a corner of a pane; the ground that it stands on."""
    inner = pane.adjusted(12, 9, -12, -9)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(font(12, tabular=True))
    painter.setPen(QColor(THEME.on_surround))
    ground = painter.boundingRect(inner, where, text).adjusted(-7, -3, 7, 3)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(38, 38, 38, 170))
    painter.drawRoundedRect(ground, 4, 4)
    painter.setPen(QColor(THEME.on_surround))
    painter.drawText(inner, where, text)
    painter.restore()
    return ground


def paint_hint(painter: QPainter, pane: QRect, text: str) -> None:
    """Writes words into the middle of an empty pane, in as many lines as they need."""
    room = min(pane.width() - 24, _HINT)
    total = painter.fontMetrics().horizontalAdvance(text)
    lines = max(math.ceil(total / max(room, 1)), 1)
    width = min(room, round(total / lines) + _SPARE)  # lines of about one length
    place = QRect(pane.center().x() - width // 2, pane.top(), width, pane.height())
    painter.drawText(place, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, text)
