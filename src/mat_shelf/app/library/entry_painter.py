"""Rows of swatches, materials and patterns: picture, name, and where it is worn."""

from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPainterPath
from PyQt6.QtWidgets import QLineEdit, QStyle, QStyledItemDelegate

from mat_shelf.app.theme import THEME, font

PICTURE, INDENT = 46, 18
HEADING_HEIGHT, ROW_HEIGHT = 30, 58


class EntryPainter(QStyledItemDelegate):
    """Paints the rows of a model that has `is_entry`, `picture`, `use`, `is_worn` and `depth` of a row."""

    def sizeHint(self, option, index) -> QSize:
        return QSize(180, ROW_HEIGHT if index.model().is_entry(_row(index)) else HEADING_HEIGHT)

    def paint(self, painter: QPainter, option, index) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if index.model().is_entry(_row(index)):
            self._paint_entry(painter, option, index)
        else:
            self._paint_heading(painter, option, index)
        painter.restore()

    def _paint_heading(self, painter, option, index) -> None:
        line = option.rect.adjusted(4, 8, -8, -2)
        painter.setPen(QColor(THEME.quiet))
        painter.setFont(font(12, QFont.Weight.DemiBold))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, index.data())
        painter.setFont(font(12, tabular=True))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, str(_row(index)[1]))

    def _paint_entry(self, painter, option, index) -> None:
        model, row = index.model(), _row(index)
        body = option.rect.adjusted(INDENT * model.depth(row), 2, -4, -2)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QColor(THEME.accent))
            painter.setBrush(QColor(THEME.field))
            painter.drawRoundedRect(body, 6, 6)
        elif option.state & QStyle.StateFlag.State_MouseOver:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(THEME.card))
            painter.drawRoundedRect(body, 6, 6)
        frame = QRect(body.x() + 4, body.y() + 4, PICTURE, PICTURE)
        paint_picture(painter, frame, model.picture(row))
        use = model.use(row)
        words = QRect(frame.right() + 11, body.y() + (8 if use else 17), body.right() - frame.right() - 16, 20)
        for text, type_, color in (
            (index.data(), font(13, QFont.Weight.Medium), THEME.text),
            (use, font(12), THEME.accent if model.is_worn(row) else THEME.quiet),
        ):
            painter.setFont(type_)
            painter.setPen(QColor(color))
            shown = QFontMetrics(type_).elidedText(text, Qt.TextElideMode.ElideRight, words.width())
            painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
            words.translate(0, 18)

    def createEditor(self, parent, option, index) -> QLineEdit:
        editor = QLineEdit(parent, maxLength=120)
        editor.setAccessibleName("Name")
        return editor

    def updateEditorGeometry(self, editor, option, index) -> None:
        left = INDENT * index.model().depth(_row(index)) + PICTURE + 6
        editor.setGeometry(option.rect.adjusted(left, 12, -6, -14))


def paint_picture(painter: QPainter, frame: QRect, picture) -> None:
    """Paints a picture with round corners, or the place of one that is not there yet."""
    shape = QPainterPath()
    shape.addRoundedRect(QRectF(frame), 5, 5)
    painter.save()
    painter.setClipPath(shape)
    painter.fillRect(frame, QColor(THEME.track))
    if picture is not None:
        painter.drawPixmap(frame, picture)
    painter.restore()


def _row(index):
    return index.data(Qt.ItemDataRole.UserRole)
