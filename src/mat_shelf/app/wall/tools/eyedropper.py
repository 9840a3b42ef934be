"""The eyedropper: colours of render and reference side by side, and a colour for an input."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from mat_shelf.app.theme import OUTLINE, THEME, font
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.wall.comparison import Comparison, away_from, frame_height, patch_color
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.optics.color import hex_from_linear

_LINE, _WIDTH = 22, 330


class Eyedropper(Tool):
    """E begins and ends reading. It also takes the clicks that align the reference or fit the camera, and those that
    pick a colour.
    """

    def __init__(self, viewport, comparison: Comparison):
        super().__init__(viewport)
        self.comparison = comparison
        self.reference_view = None
        comparison.changed.connect(viewport.update)

    def color_at(self, point: QPointF) -> tuple[float, float, float] | None:
        """Colour of the render under a point of the widget, linear Rec.709."""
        frame, pixel = self.viewport.frame, self.picker.pixel(point)
        if frame is None or pixel is None:
            return None
        rows, columns = frame.first_hits.part.shape
        height, width = frame.pixels.shape[:2]
        return patch_color(frame.pixels, pixel[1] * width // columns, pixel[0] * height // rows)

    def toggle(self) -> None:
        """Begins or ends reading."""
        self.comparison.read(not self.comparison.is_reading)

    @property
    def _is_picking(self) -> bool:
        return self.workshop.color_wanted is not None

    def press(self, event) -> bool:
        if not is_left(event):
            return False
        if self._is_picking:
            return self.comparison.pick(self.color_at(event.position()))
        if self.comparison.is_aligning and self.comparison.fits_camera:
            self.comparison.take_product_point(self.picker.place_at(event.position()))
            return True
        if self.comparison.is_aligning:
            rect = QRectF(self.viewport.picture_rect)
            place = away_from(rect.center(), event.position(), frame_height(rect))
            self.comparison.take_picture_point(place)
            return True
        return False

    def move(self, event) -> bool:
        if self._is_picking or self.comparison.is_aligning:
            self.viewport.setCursor(Qt.CursorShape.CrossCursor)
            return True
        if self.comparison.is_reading and not event.buttons():
            self.comparison.point_at("Render", self.color_at(event.position()))
            place = self.viewport.wipe.image_place(event.position())
            if place is not None and self.viewport.wipe.share is not None:
                self.comparison.point_at("Reference", self.reference_view.color_of(place))
            self.viewport.setCursor(Qt.CursorShape.CrossCursor)
            return True
        return False

    def key(self, event) -> bool:
        if event.key() == Qt.Key.Key_E and not event.modifiers():
            self.toggle()
        elif event.key() == Qt.Key.Key_Escape and self._is_picking:
            self.workshop.color_wanted = None
            self.viewport.update()
        elif event.key() == Qt.Key.Key_Escape and self.comparison.is_aligning:
            self.comparison.align(False)
        elif event.key() == Qt.Key.Key_Escape and self.comparison.is_reading:
            self.comparison.read(False)
        else:
            return False
        return True

    def paint(self, painter: QPainter) -> None:
        rect = self.viewport.picture_rect
        painter.setClipping(False)
        if self._is_picking:
            paint_caption(painter, rect.adjusted(0, 28, 0, 0), TOP_LEFT, "Click the colour here or in the reference")
        if self.comparison.is_aligning:
            for number, (_, place) in enumerate(self.comparison.pairs, 1):
                seen = self._seen(place)
                if seen is not None:
                    paint_point(painter, seen, number)
        lines = self.comparison.lines() if self.comparison.is_reading else []
        if self.comparison.is_reading and not lines:
            paint_caption(painter, rect.adjusted(0, 28, 0, 0), TOP_LEFT, "Point at the render and at the reference")
        if not lines:
            return
        top = rect.bottom() - len(lines) * _LINE - 18
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(38, 38, 38, 200))
        painter.drawRoundedRect(QRectF(rect.left() + 8, top, _WIDTH, len(lines) * _LINE + 8), 4, 4)
        painter.setFont(font(12, tabular=True))
        for number, (words, color) in enumerate(lines):
            line = QRectF(rect.left() + 42, top + 4 + number * _LINE, _WIDTH - 40, _LINE)
            if color is not None:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(hex_from_linear(color)))
                painter.drawRoundedRect(QRectF(rect.left() + 16, line.top() + 3, 18, 16), 3, 3)
            painter.setPen(QColor(THEME.on_surround))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)

    def _seen(self, place: tuple[float, ...]) -> QPointF | None:
        """Point of the widget where one that was clicked lies now."""
        if self.comparison.fits_camera:
            return self.picker.seen_place(place)
        rect = QRectF(self.viewport.picture_rect)
        return rect.center() + QPointF(*place) * frame_height(rect)


def paint_point(painter: QPainter, place: QPointF, number: int) -> None:
    """Paints a numbered point that was clicked."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QColor(THEME.on_surround))
    painter.setBrush(QColor(OUTLINE))
    painter.drawEllipse(place, 8, 8)
    painter.setFont(font(11))
    painter.drawText(QRectF(place.x() - 8, place.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, str(number))
