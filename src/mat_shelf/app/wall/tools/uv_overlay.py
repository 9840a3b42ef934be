"""Texture coordinates drawn on the product."""

from PyQt6.QtCore import QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QLinearGradient, QPainter

from mat_shelf.app.product.uv_view import LEGENDS, VIEWS, coordinate_pixels, middle_texel
from mat_shelf.app.theme import EDGE
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.wall.tools.tool import Tool

TEXTURE_PIXELS = 2048
"""Width of the image that texel sizes are told for."""
_UNDER_CAPTION = 28


class UvOverlay(Tool):
    """Covers the product with a checker, its stretch or its texel size.

    Attributes
    ----------
    shown : str
        A key of `uv_view.VIEWS`; empty where the picture is seen.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.shown = ""
        self._made: tuple[tuple, QImage, float] | None = None

    def show(self, view: str) -> None:
        """Shows something else, or the picture."""
        self.shown = view
        self.viewport.update()

    def _image(self) -> tuple[QImage, float]:
        """The overlay, and the texel size that it shows grey, mm."""
        project, first_hits = self.workshop.project, self.viewport.frame.first_hits
        key = (self.shown, id(first_hits), project.product)
        if self._made is None or self._made[0] != key:
            assets = self.workshop.assets
            middle = middle_texel(project, assets, TEXTURE_PIXELS)
            pixels = coordinate_pixels(
                self.shown, first_hits, project, assets, self.workshop.camera, TEXTURE_PIXELS, middle
            )
            height, width = pixels.shape[:2]
            kind = QImage.Format.Format_ARGB32_Premultiplied
            self._made = key, QImage(pixels.tobytes(), width, height, width * 4, kind).copy(), middle
        return self._made[1:]

    def paint(self, painter: QPainter) -> None:
        if not self.shown or self.workshop.input_shown:
            return
        rect = self.viewport.picture_rect
        image, middle = self._image()
        painter.drawImage(rect, image)
        words, stops = LEGENDS[self.shown]
        under = rect.adjusted(0, _UNDER_CAPTION, 0, 0)  # up there the product seldom is
        paint_caption(painter, under, TOP_LEFT, f"{VIEWS[self.shown]}  ·  {words}")
        if stops is None:
            return
        strip = QRectF(rect.left() + 22, under.top() + 66, 180, 10)
        gradient = QLinearGradient(strip.topLeft(), strip.topRight())
        for k, (color, _) in enumerate(stops):
            gradient.setColorAt(k / 2, QColor(*(int(c) for c in color)))
        painter.setPen(QColor(EDGE))
        painter.setBrush(gradient)
        painter.drawRect(strip)
        for k, (_, text) in enumerate(stops):
            shown = text.format(middle=f"{middle:.3g} mm" if middle else "none")
            where = QRect(int(strip.left() + (k / 2) * strip.width()) - 46, int(strip.top()) - 36, 92, 40)
            paint_caption(painter, where, Qt.AlignmentFlag.AlignCenter, shown)
