"""A part of the picture that alone is refined."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.theme import EDGE, THEME
from mat_shelf.app.wall.caption import paint_caption
from mat_shelf.app.wall.tools.tool import Tool, has_control, is_left
from mat_shelf.rendering.region import film_size


class Region(Tool):
    """A drag with Ctrl draws the region; Escape clears it."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self._start: QPointF | None = None
        self._end = QPointF()
        self.workshop.region_changed.connect(viewport.update)

    def press(self, event) -> bool:
        if not is_left(event) or not has_control(event) or self.viewport.mode:
            return False
        self._start = self._end = event.position()
        return True

    def move(self, event) -> bool:
        if self._start is None:
            return False
        self._end = event.position()
        self.viewport.update()
        return True

    def release(self, event) -> bool:
        if self._start is None:
            return False
        drawn, self._start = self._drawn(), None
        if min(drawn.width(), drawn.height()) >= QApplication.startDragDistance():
            corners = drawn.translated(-QRectF(self.viewport.picture_rect).center())
            mm = self._film_mm()
            self.workshop.refine_region(tuple(mm * x for x in corners.getCoords()))
        self.viewport.update()
        return True

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_Escape or self.workshop.region is None:
            return False
        self.workshop.refine_region(None)
        return True

    def _drawn(self) -> QRectF:
        """The rectangle that is being drawn, as far as it lies in the picture."""
        return QRectF(self._start, self._end).normalized() & QRectF(self.viewport.picture_rect)

    def _film_mm(self) -> float:
        """Width on the film of a pixel of the widget, mm."""
        rect = self.viewport.picture_rect
        return film_size(rect.width(), rect.height())[0] / rect.width()

    def paint(self, painter: QPainter) -> None:
        if self._start is not None:
            shown = self._drawn()
        elif self.workshop.region is not None:
            left, top, right, bottom = (x / self._film_mm() for x in self.workshop.region)
            shown = QRectF(left, top, right - left, bottom - top)
            shown.translate(QRectF(self.viewport.picture_rect).center())
        else:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, line in ((EDGE, Qt.PenStyle.SolidLine), (THEME.on_surround, Qt.PenStyle.DashLine)):
            painter.setPen(QPen(QColor(color), 1, line))
            painter.drawRect(shown)
        if self._start is None and shown.width() > 170 and shown.height() > 40:
            corner = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
            paint_caption(painter, shown.toRect(), corner, "Region, Escape clears")
