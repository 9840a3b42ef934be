"""Legend of the input that is looked at, and its value under the pointer."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter

from mat_shelf.app.theme import EDGE, THEME, font
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.wall.tools.tool import Tool
from mat_shelf.optics.color import encode_srgb, hex_from_linear, luminance
from mat_shelf.rendering.input_picture import INPUT_VIEWS, material_colors

_UNDER_CAPTION = 28
_LINE, _MOST_LINES = 22, 14
USUAL = "base_color"
"""Looked at where nothing was looked at before."""


class InputLegend(Tool):
    """I looks at the last input again, or at the render; Escape ends it."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self._last = USUAL
        self._pointer: QPointF | None = None

    @property
    def key_shown(self) -> str:
        """Key of the input that the picture shows; empty for a render."""
        return self.workshop.input_shown

    def look_at(self, key: str) -> None:
        """Looks at an input, or with an empty key at the render."""
        self._last = key or self._last
        self.workshop.look_at_input(key)

    def toggle(self) -> None:
        """Looks at the last input, or ends that."""
        self.look_at("" if self.key_shown else self._last)

    def key(self, event) -> bool:
        if event.key() == Qt.Key.Key_I and not event.modifiers():
            self.toggle()
        elif event.key() == Qt.Key.Key_Escape and self.key_shown:
            self.look_at("")
        else:
            return False
        return True

    def move(self, event) -> bool:
        self._pointer = event.position()
        if self.key_shown:
            self.viewport.update()
        return False

    def point_at(self, place: QPointF) -> None:
        """Shows the value at a place, as under the pointer."""
        self._pointer = place
        self.viewport.update()

    def leave(self) -> None:
        self._pointer = None
        if self.key_shown:
            self.viewport.update()

    def words_here(self) -> str:
        """Value under the pointer, in words; empty where there is none."""
        values = self.viewport.frame.values
        pixel = self.picker.pixel(self._pointer) if self._pointer is not None else None
        if values is None or pixel is None or not np.isfinite(values[pixel]).all():
            return ""
        view, value = INPUT_VIEWS[self.key_shown], values[pixel]
        if view.kind in ("grey", "height"):
            return f"here {value[0]:.3f}{' ' + view.unit if view.unit else ''}"
        if view.kind == "color" and view.unit:
            return f"here {float(luminance(value)):.0f} {view.unit}"
        if view.kind == "color":
            return f"here {hex_from_linear(value)}"
        if view.kind == "normal":
            return "here " + ", ".join(f"{axis} {part:+.2f}" for axis, part in zip("XYZ", value, strict=True))
        return ""

    def paint(self, painter: QPainter) -> None:
        if not self.key_shown or self.viewport.frame.values is None:
            return
        rect, view = self.viewport.picture_rect, INPUT_VIEWS[self.key_shown]
        under = rect.adjusted(0, _UNDER_CAPTION, 0, 0)
        here = self.words_here()
        paint_caption(painter, under, TOP_LEFT, f"{view.label}  ·  {view.legend}{'  ·  ' + here if here else ''}")
        if view.kind in ("grey", "height"):
            strip = QRectF(rect.left() + 7, under.top() + _UNDER_CAPTION + 6, 160, 8)
            gradient = QLinearGradient(strip.topLeft(), strip.topRight())
            gradient.setColorAt(0, QColor(0, 0, 0))
            gradient.setColorAt(1, QColor(255, 255, 255))
            painter.setPen(QColor(EDGE))
            painter.setBrush(gradient)
            painter.drawRect(strip)
        elif view.kind == "material":
            self._paint_materials(painter, QRectF(rect.left() + 5, under.top() + _UNDER_CAPTION + 4, 0, 0))

    def _paint_materials(self, painter: QPainter, corner: QRectF) -> None:
        """The colour of each material that something wears, as far as there is room."""
        project = self.workshop.project
        worn = project.wearers()
        listed = [(row, m.name) for row, m in enumerate(project.materials, 1) if m.id in worn][:_MOST_LINES]
        if not listed:
            return
        colors = encode_srgb(material_colors(np.array([row for row, _ in listed], np.int32)))
        painter.setFont(font(12))
        width = max(painter.fontMetrics().horizontalAdvance(name) for _, name in listed) + 40
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(38, 38, 38, 170))
        painter.drawRoundedRect(QRectF(corner.left(), corner.top(), width, len(listed) * _LINE + 8), 4, 4)
        for number, ((_, name), color) in enumerate(zip(listed, colors, strict=True)):
            top = corner.top() + 4 + number * _LINE
            painter.setBrush(QColor(*(int(round(255 * float(part))) for part in color)))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawRoundedRect(QRectF(corner.left() + 8, top + 5, 12, 12), 2, 2)
            painter.setPen(QColor(THEME.on_surround))
            line = QRectF(corner.left() + 28, top, width, _LINE)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
