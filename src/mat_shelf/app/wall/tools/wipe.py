"""The reference against the render: beside a line that is dragged, or seen through."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from mat_shelf.app.theme import EDGE, OUTLINE, THEME
from mat_shelf.app.wall.comparison import placed
from mat_shelf.app.wall.tools.tool import Tool, has_shift, is_left

_REACH = 8
"""Pixels beside the line that take it."""
_SLIDER, _ABOVE = 180, 26
"""Width of the slider that blends, and its distance from the lower edge, pixels."""
WIPE, BLEND = "wipe", "blend"


class Wipe(Tool):
    """Shows the reference left of a line that can be dragged, or all of it, as opaque as a slider says.

    Attributes
    ----------
    mode : str
        `WIPE` or `BLEND`.
    share : float or None
        Place of the line, a share of the picture's width, or the opacity; None while there is none.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.mode = WIPE
        self.share: float | None = None
        self._reference: QImage | None = None
        self._is_held = False

    def compare_with(self, picture: QImage | None) -> None:
        """Takes another reference, or none."""
        self._reference = picture
        if picture is None:
            self.share = None
        self.viewport.update()

    def toggle(self, mode: str = WIPE) -> None:
        """Shows the reference over the left half of the render or half through it, or the render alone again."""
        if self._reference is None:
            self.workshop.said.emit("There is no reference to wipe against; drop one on its pane.")
            return
        is_shown = self.share is not None and self.mode == mode
        self.mode, self.share = mode, None if is_shown else 0.5
        self.viewport.update()

    def _place(self) -> QPointF:
        """Place of the line, or of the knob of the slider."""
        rect = QRectF(self.viewport.picture_rect)
        if self.mode == WIPE:
            return QPointF(rect.x() + self.share * rect.width(), rect.center().y())
        return QPointF(rect.center().x() + (self.share - 0.5) * _SLIDER, rect.bottom() - _ABOVE)

    def press(self, event) -> bool:
        if self.share is None or not is_left(event):
            return False
        away = event.position() - self._place()
        is_near = abs(away.x()) < _REACH and (self.mode == WIPE or abs(away.y()) < 2 * _REACH)
        self._is_held = is_near
        return is_near

    def move(self, event) -> bool:
        if self._is_held:
            rect = QRectF(self.viewport.picture_rect)
            x = event.position().x()
            share = (x - rect.x()) / rect.width() if self.mode == WIPE else (x - rect.center().x()) / _SLIDER + 0.5
            self.share = min(max(share, 0.0), 1.0)
            self.viewport.update()
        return self._is_held

    def release(self, event) -> bool:
        was_held, self._is_held = self._is_held, False
        return was_held

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_W:
            return False
        self.toggle(BLEND if has_shift(event) else WIPE)
        return True

    def image_place(self, point: QPointF) -> QPointF | None:
        """Pixel of the reference that lies over a point of the widget; None where none does."""
        picture = self._reference
        if picture is None:
            return None
        aspect = picture.width() / picture.height()
        reference = self.workshop.project.reference
        back, is_invertible = placed(reference.overlap, QRectF(self.viewport.picture_rect), aspect).inverted()
        if not is_invertible:
            return None
        at = back.map(point)
        place = QPointF((at.x() / aspect + 0.5) * picture.width(), (at.y() + 0.5) * picture.height())
        inside = QRectF(0, 0, picture.width(), picture.height()).contains(place)
        return place if inside else None

    def paint(self, painter: QPainter) -> None:
        reference = self.workshop.project.reference
        if self.share is None or self._reference is None or reference is None:
            return
        rect, picture = QRectF(self.viewport.picture_rect), self._reference
        aspect = picture.width() / picture.height()
        x = self._place().x()
        painter.save()
        painter.setClipRect(QRectF(rect.x(), rect.y(), x - rect.x(), rect.height()) if self.mode == WIPE else rect)
        painter.setOpacity(1.0 if self.mode == WIPE else self.share)
        painter.setTransform(placed(reference.overlap, rect, aspect), True)
        painter.drawImage(QRectF(-aspect / 2, -0.5, aspect, 1.0), picture)
        painter.restore()
        if self.mode == BLEND:
            self._paint_slider(painter)
            return
        painter.fillRect(QRectF(x - 1.5, rect.y(), 3, rect.height()), QColor(EDGE))
        painter.fillRect(QRectF(x - 0.5, rect.y(), 1, rect.height()), QColor(THEME.on_surround))
        # What later tools draw belongs to the render.
        painter.setClipRect(rect.adjusted(x - rect.x(), 0, 0, 0))

    def _paint_slider(self, painter: QPainter) -> None:
        knob = self._place()
        middle = QRectF(self.viewport.picture_rect).center().x()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(38, 38, 38, 170))
        painter.drawRoundedRect(QRectF(middle - _SLIDER / 2 - 14, knob.y() - 12, _SLIDER + 28, 24), 12, 12)
        painter.setBrush(QColor(THEME.on_surround))
        painter.drawRoundedRect(QRectF(middle - _SLIDER / 2, knob.y() - 1.5, _SLIDER, 3), 1.5, 1.5)
        painter.setBrush(QColor(OUTLINE))
        painter.drawEllipse(knob, 7, 7)
