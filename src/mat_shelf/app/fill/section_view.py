"""The section of a vessel and its liquid; the level is dragged in it, and the wall of a solid that was hollowed."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from mat_shelf.app.fill.wall_handles import WallHandle, wall_handles
from mat_shelf.app.theme import THEME, font
from mat_shelf.app.wall.caption import paint_hint
from mat_shelf.app.workshop import FillWork
from mat_shelf.commands.fill_report import Section
from mat_shelf.document.product import Hollowing

_GESTURE = "section level"
_MARGIN, _ASIDE, _GRIP, _HANDLE = 12, 64, 9, 5
"""Pixels; room beside the vessel is for the words at its level."""
_OTHER = 0.45
"""Share of the accent in the tone of liquids that are not on the board."""
_KEY_STEP = 0.5
"""mm that an arrow key moves the level."""


class SectionView(QWidget):
    """Walls in a light tone, liquid in the accent's; a line with a handle at the level.

    A solid that was hollowed has handles on its wall and base; it is hollowed anew when one is let go.
    """

    def __init__(self, work: FillWork):
        super().__init__()
        self.work, self._is_held = work, False
        self._wall_held: tuple[WallHandle, float] | None = None
        """A handle of the wall, and the value that it is dragged to."""
        self._scaled: tuple = ((None, None), None)
        self._paths: dict[int, QPainterPath] = {}
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(150, 120)
        self.setAccessibleName("Section of the vessel")
        self.setToolTip(
            "Cut along the picture. Drag the level, or press the arrow keys up and down; of a solid that was hollowed, "
            "drag its wall, its base, the middle of that and the inner corner."
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        work.told.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(240, 190)

    def _scale(self, section: Section) -> tuple[np.ndarray, float]:
        """Point of the section, mm, in the middle of the widget, and pixels of a mm."""
        key = section, self.size()
        if self._scaled[0][0] is not section or self._scaled[0][1] != key[1]:
            self._scaled, self._paths = (key, self._fitted(section)), {}
        return self._scaled[1]

    def _fitted(self, section: Section) -> tuple[np.ndarray, float]:
        points = np.concatenate(section.vessel)
        low, high = points.min(axis=0), points.max(axis=0)
        room = self.width() - 2 * _MARGIN - _ASIDE, self.height() - 2 * _MARGIN
        scale = min(room[0] / max(high[0] - low[0], 1e-6), room[1] / max(high[1] - low[1], 1e-6))
        return (low + high) / 2, max(scale, 1e-6)

    def _place(self, section: Section, point) -> QPointF:
        middle, scale = self._scale(section)
        x, y = (np.asarray(point) - middle) * scale
        return QPointF((self.width() - _ASIDE) / 2 + x, self.height() / 2 - y)

    def _level(self, section: Section) -> float:
        now = self.work.now
        return section.level if now is None else now[0]

    def _down(self, section: Section) -> float:
        return self._place(section, (0.0, self._level(section))).y()

    def handle(self) -> QPointF | None:
        """Place of the level's handle."""
        section = self.work.section
        if section is None or not section.vessel or self.work.now is None:
            return None
        right = self._place(section, np.concatenate(section.vessel).max(axis=0)).x()
        return QPointF(right + 10, self._down(section))

    def _hollowing(self) -> Hollowing | None:
        """The way the vessel was hollowed; None where it is tilted, since the section is too."""
        vessel, fill = self.work.vessel, self.work.fill
        return vessel.hollowed if vessel is not None and fill is not None and fill.tilt == 0 else None

    def handles(self) -> dict[str, QPointF]:
        """Places of the handles of a hollowed solid, by the value that they change."""
        section, hollowing = self.work.section, self._hollowing()
        if section is None or not section.vessel or hollowing is None or self.work.now is None:
            return {}
        return {each.field: self._place(section, each.at) for each in wall_handles(section, hollowing)}

    def _take_wall(self, at: QPointF) -> bool:
        """Takes hold of a handle of the wall, if there is one at a place."""
        near = [((at - place).manhattanLength(), name) for name, place in self.handles().items()]
        if not near or min(near)[0] > _GRIP:
            return False
        hollowing = self._hollowing()
        held = next(each for each in wall_handles(self.work.section, hollowing) if each.field == min(near)[1])
        self._wall_held = held, getattr(hollowing, held.field)
        return True

    def _drag_wall(self, at: QPointF) -> None:
        held, hollowing = self._wall_held[0], self._hollowing()
        if hollowing is None or self.work.section is None:
            self._wall_held = None
            return
        middle, scale = self._scale(self.work.section)
        x, y = (at.x() - (self.width() - _ASIDE) / 2) / scale, -(at.y() - self.height() / 2) / scale
        low, high = Hollowing.limits(held.field)
        value = held.value(getattr(hollowing, held.field), middle + (x, y))
        self._wall_held = held, min(max(value, low), high)
        self.update()

    def _set_at(self, down: float) -> None:
        section = self.work.section
        middle, scale = self._scale(section)
        height = middle[1] - (down - self.height() / 2) / scale
        self.work.set_level(float(height - section.bottom), _GESTURE)

    def mousePressEvent(self, event) -> None:
        handle = self.handle()
        if handle is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if not self._take_wall(event.position()):
            self._is_held = abs(event.position().y() - handle.y()) <= _GRIP
        self.update()

    def mouseMoveEvent(self, event) -> None:
        if self._wall_held is not None:
            self._drag_wall(event.position())
            return
        handle = self.handle()
        near = handle is not None and abs(event.position().y() - handle.y()) <= _GRIP
        on_wall = any((event.position() - place).manhattanLength() <= _GRIP for place in self.handles().values())
        level = Qt.CursorShape.SizeVerCursor if near or self._is_held else Qt.CursorShape.ArrowCursor
        self.setCursor(Qt.CursorShape.SizeAllCursor if on_wall and not self._is_held else level)
        if self._is_held and handle is not None:
            self._set_at(event.position().y())

    def mouseReleaseEvent(self, event) -> None:
        if self._wall_held is not None:
            (held, value), self._wall_held = self._wall_held, None
            self.work.hollow_anew(**{held.field: value})
            self.update()
        if self._is_held:
            self._is_held = False
            self.work.workshop.history.end_gesture()
            self.update()

    def keyPressEvent(self, event) -> None:
        way = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(event.key())
        section = self.work.section
        if way is None or section is None:
            super().keyPressEvent(event)
            return
        self.work.set_level(self._level(section) - section.bottom + way * _KEY_STEP)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        section = self.work.section
        if section is None or not section.vessel or self.work.now is None:
            painter.setPen(QColor(THEME.quiet))
            painter.setFont(font(12))
            paint_hint(painter, self.rect(), self.work.fault.capitalize() or "Fill a vessel to see its section.")
            return
        wall = QColor(THEME.accent)
        wall.setAlpha(46)
        painter.setPen(QPen(QColor(THEME.accent), 1.0))
        painter.setBrush(wall)
        painter.drawPath(self._path(section, section.vessel))
        painter.setClipPath(self._inner(section))
        painter.setPen(Qt.PenStyle.NoPen)
        for outlines, is_own in section.liquids:  # each goes on through those below, which are painted over it
            painter.setBrush(QColor(THEME.accent) if is_own else _lighter(_OTHER))
            painter.drawPath(self._liquid(section, outlines) if is_own else self._path(section, outlines))
        painter.setClipping(False)
        handle = self.handle()
        left = self._place(section, np.concatenate(section.vessel).min(axis=0)).x()
        painter.setPen(QPen(QColor(THEME.text), 1.2))
        painter.drawLine(QPointF(left - 8, handle.y()), handle)
        painter.setBrush(QColor(THEME.accent if self._is_held or self.hasFocus() else THEME.field))
        painter.drawRect(QRectF(handle.x(), handle.y() - _HANDLE, 2 * _HANDLE, 2 * _HANDLE))
        painter.setPen(QColor(THEME.text))
        painter.setFont(font(12, tabular=True))
        room = QRectF(handle.x() + 2 * _HANDLE + 4, handle.y() - 10, self.width(), 20)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self._words())
        self._paint_walls(painter, section)

    def _paint_walls(self, painter: QPainter, section: Section) -> None:
        """The handles of the wall; that which is held where it is dragged to, with its value."""
        held, value = self._wall_held or (None, 0.0)
        for name, place in self.handles().items():
            painter.setPen(QPen(QColor(THEME.text), 1.2))
            painter.setBrush(QColor(THEME.field))
            if held is not None and held.field == name:
                before = getattr(self._hollowing(), name)
                to = self._place(section, held.at + held.way * (value - before))
                painter.drawLine(place, to)
                painter.drawEllipse(to, _HANDLE, _HANDLE)
                words = f"{Hollowing.field_label(name)} {value:.2f} mm"
                room = QRectF(painter.fontMetrics().boundingRect(words)).adjusted(-6, -3, 6, 3)
                left = min(max(to.x() - room.width() / 2, 0.0), self.width() - room.width())
                room.moveTo(left, max(to.y() - _HANDLE - 6 - room.height(), 0.0))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(THEME.text))
                painter.drawRoundedRect(room, 4, 4)
                painter.setPen(QColor(THEME.field))
                painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)
            else:
                painter.drawEllipse(place, _HANDLE - 1, _HANDLE - 1)

    def _words(self) -> str:
        return f"{self.work.now[1]:.3g} ml"

    def _liquid(self, section: Section, outlines) -> QPainterPath:
        """The liquid on the board; while its level is dragged without its edge."""
        level = self._level(section)
        if abs(level - section.level) < 1e-3:
            return self._path(section, outlines)
        left, right = section.across_cavity
        path = QPainterPath()
        path.addRect(
            QRectF(self._place(section, (left, level)), self._place(section, (right, section.bottom))).normalized()
        )
        return path

    def _path(self, section: Section, outlines) -> QPainterPath:
        middle, scale = self._scale(section)
        if id(outlines) in self._paths:
            return self._paths[id(outlines)]
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for line in outlines:
            at = (line - middle) * (scale, -scale) + ((self.width() - _ASIDE) / 2, self.height() / 2)
            path.addPolygon(QPolygonF([QPointF(x, y) for x, y in at.tolist()]))
            path.closeSubpath()
        self._paths[id(outlines)] = path
        return path

    def _inner(self, section: Section) -> QPainterPath:
        """All but the walls, into which liquid reaches by a hair."""
        walls = self._path(section, section.vessel)
        if "inner" not in self._paths:
            whole = QPainterPath()
            whole.addRect(QRectF(self.rect()))
            self._paths["inner"] = whole.subtracted(walls)
        return self._paths["inner"]


def _lighter(share: float) -> QColor:
    """The accent's tone by a share, over a card."""
    accent, ground = QColor(THEME.accent).getRgbF(), QColor(THEME.field).getRgbF()
    return QColor.fromRgbF(*(share * a + (1 - share) * g for a, g in zip(accent[:3], ground[:3], strict=True)))
