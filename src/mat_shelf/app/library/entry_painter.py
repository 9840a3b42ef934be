"""Rows of swatches, materials and patterns: picture, name, and where it is worn."""

from PyQt6.QtCore import QEvent, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPainterPath
from PyQt6.QtWidgets import QLineEdit, QListView, QStyle, QStyledItemDelegate

from mat_shelf.app.theme import THEME, font

PICTURE, INDENT = 46, 18
HEADING_HEIGHT, ROW_HEIGHT = 30, 58
_STAR = 18
LIST, GRID, LARGE_GRID = "List", "Grid", "Large"
CELLS = {GRID: 66, LARGE_GRID: 100}
"""Narrowest cell of a grid, pixels; those of a row share its width."""


class EntryPainter(QStyledItemDelegate):
    """Paints the rows of a model that has `is_entry`, `picture`, `use`, `is_worn`, `is_favourite` and `depth` of a row.

    Attributes
    ----------
    arrangement : str
        `LIST`, `GRID` or `LARGE_GRID`.
    """

    def __init__(self, view: QListView):
        super().__init__(view)
        self._view, self.arrangement = view, LIST

    def sizeHint(self, option, index) -> QSize:
        is_entry = index.model().is_entry(_row(index))
        if self.arrangement == LIST:
            return QSize(180, ROW_HEIGHT if is_entry else HEADING_HEIGHT)
        if not is_entry:
            return QSize(self._view.viewport().width(), HEADING_HEIGHT)
        return QSize(self._cell, self._cell + 14)

    @property
    def _cell(self) -> int:
        """Width of a cell of the grid, pixels."""
        width, narrowest = self._view.viewport().width() - 2, CELLS[self.arrangement]
        return max(width // max(width // narrowest, 1), 40)

    @property
    def picture_width(self) -> int:
        """Width of a picture, pixels."""
        return PICTURE if self.arrangement == LIST else self._cell - 10

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
        is_lit = bool(option.state & QStyle.StateFlag.State_MouseOver)
        painter.setPen(QColor(THEME.accent if is_lit else THEME.quiet))
        painter.setFont(font(12, QFont.Weight.DemiBold))
        name = f"{index.data()}{'  …' if index.model().is_folded(_row(index)) else ''}"
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        painter.setFont(font(12, tabular=True))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, str(_row(index)[1]))

    def _paint_entry(self, painter, option, index) -> None:
        model, row = index.model(), _row(index)
        right = -4 if self.arrangement == LIST else -2
        body = option.rect.adjusted(INDENT * model.depth(row), 2, right, -2)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QColor(THEME.accent))
            painter.setBrush(QColor(THEME.field))
            painter.drawRoundedRect(body, 6, 6)
        elif option.state & QStyle.StateFlag.State_MouseOver:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(THEME.card))
            painter.drawRoundedRect(body, 6, 6)
        frame = QRect(body.x() + 4, body.y() + 4, self.picture_width, self.picture_width)
        paint_picture(painter, frame, model.picture(row))
        is_hovered = bool(option.state & QStyle.StateFlag.State_MouseOver)
        if self.arrangement != LIST:
            self._paint_name_under(painter, frame, index, model.is_worn(row))
            if model.is_favourite(row):
                place = QRect(frame.right() - _STAR - 1, frame.top() + 2, _STAR, _STAR)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(THEME.card))
                painter.drawEllipse(place)
                self._paint_star(painter, place, True)
            return
        if model.may_be_favourite(row) and (is_hovered or model.is_favourite(row)):
            self._paint_star(painter, star_place(option.rect), model.is_favourite(row))
        use = model.use(row)
        star = _STAR if model.may_be_favourite(row) and (is_hovered or model.is_favourite(row)) else 0
        words = QRect(frame.right() + 11, body.y() + (8 if use else 17), body.right() - frame.right() - 16 - star, 20)
        for text, type_, color in (
            (index.data(), font(13, QFont.Weight.Medium), THEME.text),
            (use, font(12), THEME.accent if model.is_worn(row) else THEME.quiet),
        ):
            painter.setFont(type_)
            painter.setPen(QColor(color))
            shown = QFontMetrics(type_).elidedText(text, Qt.TextElideMode.ElideRight, words.width())
            painter.drawText(words, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
            words.translate(0, 18)

    def _paint_name_under(self, painter, frame: QRect, index, is_worn: bool) -> None:
        type_ = font(11 if self.arrangement == GRID else 12)
        painter.setFont(type_)
        painter.setPen(QColor(THEME.accent if is_worn else THEME.text))
        words = QRect(frame.left() - 3, frame.bottom() + 3, frame.width() + 6, 18)
        shown = QFontMetrics(type_).elidedText(index.data(), Qt.TextElideMode.ElideRight, words.width())
        painter.drawText(words, Qt.AlignmentFlag.AlignCenter, shown)

    @staticmethod
    def _paint_star(painter, place: QRect, is_filled: bool) -> None:
        painter.setFont(font(14))
        painter.setPen(QColor(THEME.accent if is_filled else THEME.quiet))
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, "★" if is_filled else "☆")

    def editorEvent(self, event, model, option, index) -> bool:
        """A click on a star marks the swatch, one on a heading folds what is under it."""
        if event.type() != QEvent.Type.MouseButtonRelease or event.button() != Qt.MouseButton.LeftButton:
            return super().editorEvent(event, model, option, index)
        row = _row(index)
        if not model.is_entry(row):
            model.fold(index)
            return True
        is_star = self.arrangement == LIST and star_place(option.rect).contains(event.position().toPoint())
        if is_star and model.may_be_favourite(row):
            model.mark(row, not model.is_favourite(row))
            return True
        return super().editorEvent(event, model, option, index)

    def createEditor(self, parent, option, index) -> QLineEdit:
        editor = QLineEdit(parent, maxLength=120)
        editor.setAccessibleName("Name")
        return editor

    def updateEditorGeometry(self, editor, option, index) -> None:
        left = INDENT * index.model().depth(_row(index)) + PICTURE + 6
        editor.setGeometry(option.rect.adjusted(left, 12, -6, -14))


def star_place(row: QRect) -> QRect:
    """Place of the star in a row of the list."""
    return QRect(row.right() - _STAR - 8, row.top() + 6, _STAR, _STAR)


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
