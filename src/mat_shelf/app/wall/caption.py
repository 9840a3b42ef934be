"""Words over a picture, on a dark ground so that they can be read on any."""

import math
from functools import lru_cache

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QImage, QPainter
from PyQt6.QtWidgets import QStyle

from mat_shelf.app.theme import THEME, font

TOP_LEFT = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft
TOP_RIGHT = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight
BOTTOM_RIGHT = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight

_ROOM, _AROUND = (5, 6, -5, -6), (-7, -3, 7, 3)
"""Of a pane, where grounds may lie; and round the words of one: left, top, right and bottom, pixels."""
_KEPT = 64
"""Lines that were written last."""
_HINT, _SPARE = 208, 26
"""Widest line of a hint, and what a line has more than its share of the words, pixels."""


def paint_caption(painter: QPainter, pane: QRect, where: Qt.AlignmentFlag, text: str) -> QRect:
    """Writes a line into a corner of a pane; the ground that it stands on."""
    room, ratio = pane.adjusted(*_ROOM), painter.device().devicePixelRatioF()
    picture = _written(text, THEME.on_surround, font(12, tabular=True), ratio)
    size = (picture.size().toSizeF() / ratio).toSize()
    ground = QStyle.alignedRect(Qt.LayoutDirection.LeftToRight, where, size, room)
    painter.drawImage(ground.topLeft(), picture)
    return ground


@lru_cache(_KEPT)
def _written(text: str, color: str, letters: QFont, ratio: float) -> QImage:
    """A line on its ground, which is laid out once and painted many times."""
    size = QFontMetrics(letters).boundingRect(text).adjusted(*_AROUND).size()
    picture = QImage(size * ratio, QImage.Format.Format_ARGB32_Premultiplied)
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(38, 38, 38, 170))
    place = QRect(QPoint(0, 0), size)
    painter.drawRoundedRect(place, 4, 4)
    painter.setFont(letters)
    painter.setPen(QColor(color))
    painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)
    painter.end()
    return picture


def paint_hint(painter: QPainter, pane: QRect, text: str) -> None:
    """Writes words into the middle of an empty pane, in as many lines as they need."""
    room = min(pane.width() - 24, _HINT)
    total = painter.fontMetrics().horizontalAdvance(text)
    lines = max(math.ceil(total / max(room, 1)), 1)
    width = min(room, round(total / lines) + _SPARE)  # lines of about one length
    place = QRect(pane.center().x() - width // 2, pane.top(), width, pane.height())
    painter.drawText(place, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, text)
