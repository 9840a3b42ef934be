"""A free curve that is drawn by its nodes."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from mat_shelf.app.theme import THEME
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.numerics.interpolation import curve_table

_APART = 0.02
_NEAR = 9


class CurveRow(QWidget):
    """Drag a node; click beside the curve for another one; right-click takes a node out."""

    ROWS = 2

    def __init__(self, binding: Binding):
        super().__init__()
        self.binding = binding
        self.setFixedSize(170, 90)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Curve")
        self.setToolTip("Drag a node. Click to add one, right-click to remove one.")
        self._held: int | None = None

    def follow(self) -> None:
        self.update()

    @property
    def _nodes(self) -> list[tuple[float, float]]:
        return list(self.binding.value() or ())

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(6, 6, -6, -6)

    def _at(self, node) -> QPointF:
        box = self._box()
        return QPointF(box.left() + node[0] * box.width(), box.bottom() - node[1] * box.height())

    def _from(self, point: QPointF) -> tuple[float, float]:
        box = self._box()
        x, y = (point.x() - box.left()) / box.width(), (box.bottom() - point.y()) / box.height()
        return min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)

    def mousePressEvent(self, event) -> None:
        nodes, point = self._nodes, event.position()
        near = [k for k, node in enumerate(nodes) if (self._at(node) - point).manhattanLength() < _NEAR]
        if event.button() == Qt.MouseButton.RightButton:
            if near and len(nodes) > 2:
                del nodes[near[0]]
                self.binding.set(tuple(nodes))
            return
        if not near:
            made = self._from(point)
            if any(abs(made[0] - x) < _APART for x, _ in nodes):
                return
            nodes = sorted([*nodes, made])
            self.binding.set(tuple(nodes), gesture="curve")
            near = [nodes.index(made)]
        self._held = near[0]

    def mouseMoveEvent(self, event) -> None:
        if self._held is None:
            return
        nodes = self._nodes
        x, y = self._from(event.position())
        low = nodes[self._held - 1][0] + _APART if self._held > 0 else 0.0
        high = nodes[self._held + 1][0] - _APART if self._held < len(nodes) - 1 else 1.0
        nodes[self._held] = (min(max(x, low), high), y)
        self.binding.set(tuple((round(a, 4), round(b, 4)) for a, b in nodes), gesture="curve")

    def mouseReleaseEvent(self, event) -> None:
        self._held = None
        self.binding.end_gesture()

    def paintEvent(self, event) -> None:
        nodes = self._nodes
        if not nodes:
            return
        painter, box = QPainter(self), self._box()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(THEME.accent if self.hasFocus() else THEME.line), 1))
        painter.setBrush(QColor(THEME.panel))
        painter.drawRect(box)
        table = curve_table(tuple(nodes), 64)
        line = QPolygonF([self._at((k / 63, float(v))) for k, v in enumerate(table)])
        painter.setPen(QPen(QColor(THEME.accent), 2))
        painter.drawPolyline(line)
        painter.setPen(QPen(QColor(THEME.quiet), 1.4))
        painter.setBrush(QColor(THEME.field))
        for node in nodes:
            painter.drawEllipse(self._at(node), 4.5, 4.5)
