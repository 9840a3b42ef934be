"""A plan of the set from above or the side; camera, lights, props and parts are dragged on it."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from mat_shelf.app.theme import THEME
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.document.light import Light
from mat_shelf.document.product import Part
from mat_shelf.rendering.camera import sharp_zone
from mat_shelf.scene.light_table import axes_of
from mat_shelf.scene.lights import carried_round
from mat_shelf.scene.props import prop_bounds

ABOVE, SIDE = "above", "side"
_GESTURE = "plan"
_MARGIN, _GRIP, _CAMERA = 16, 10, 8
"""Pixels."""
_FRAME_HALF = 18.0
"""Half the width of a full frame, mm."""


class PlanView(QWidget):
    """The plan. A click selects what it meets, a drag moves it.

    Parts are moved with all that are selected with them, or with their group. What is seen of them follows once they
    are let go: a picture of other shapes takes longer to begin than one of other lights.

    Attributes
    ----------
    side : str
        `ABOVE` or `SIDE`, which looks from the right.
    """

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.workshop, self.work, self.side = workshop, work, ABOVE
        self._held: int | str | tuple[str, int] | None = None
        self._carried: list[Part] = []
        self._from, self._by = QPointF(), np.zeros(3)
        self._frame: tuple[np.ndarray, float] | None = None
        self._parts: tuple[object, list[Part]] = (None, [])
        self._boxes: tuple[object, list[np.ndarray]] = (None, [])
        self._rects: tuple = (None, (), [])
        self._props: tuple[object, list[np.ndarray | None]] = (None, [])
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Plan of the set")
        self.setToolTip("Drag lights, the ring on what the selected one faces, props, parts, or the camera.")
        self.setMouseTracking(True)
        self._paced = Paced(self, workshop, self._follow)
        for changed in (
            workshop.project_changed,
            workshop.camera_changed,
            workshop.light_changed,
            workshop.prop_changed,
        ):
            changed.connect(self._note)

    def _note(self) -> None:
        """Follows at once what is dragged here."""
        if self._held is None:
            self._paced.note()
        else:
            self._follow()

    def _follow(self) -> None:
        """Shows what changed; the frame rests while something is dragged."""
        if self._held is None:
            self._frame = None
        self.update()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._frame = None

    def sizeHint(self) -> QSize:
        return QSize(210, 210)

    def minimumSizeHint(self) -> QSize:
        return QSize(138, 150)

    def look_from(self, side: str) -> None:
        """Shows the plan from another side."""
        self.side, self._frame = side, None
        self.update()

    def _standing(self) -> list[Light]:
        """The lights as they stand in the world."""
        studio = self.workshop.project.set
        return [carried_round(light, studio.turn) for light in studio.lights]

    def _flat(self, point) -> np.ndarray:
        """A point of the world in the plane of the plan, mm: to the right, and down."""
        x, y, z = point
        return np.array([x, z] if self.side == ABOVE else [-z, -y], np.float64)

    def _shown_parts(self) -> list[Part]:
        product = self.workshop.project.as_seen().product
        if self._parts[0] is not product:
            self._parts = product, [part for part in product.parts if not part.is_hidden]
        return self._parts[1]

    def _part_boxes(self) -> list[np.ndarray]:
        """Bounds of the parts that are shown, (2, 3) each."""
        parts = self._shown_parts()
        if self._boxes[0] is not parts:
            self._boxes = parts, [self.work.bounds([part]).astype(np.float64) for part in parts]
        return self._boxes[1]

    def _part_rects(self) -> list[QRectF]:
        """The same in the plan."""
        boxes, (middle, scale) = self._part_boxes(), self.frame()
        looked_at = self.side, self.width(), self.height(), *middle, scale
        if self._rects[0] is not boxes or self._rects[1] != looked_at:
            self._rects = boxes, looked_at, [self._rect(box) for box in boxes]
        return self._rects[2]

    def _part_at(self, at: QPointF) -> Part | None:
        """The smallest part that lies under a point of the widget."""
        sizes = {}
        for part, box in zip(self._shown_parts(), self._part_boxes(), strict=True):
            rect = self._rect(box)
            if rect.contains(at):
                sizes[part] = rect.width() * rect.height()
        return min(sizes, key=sizes.get, default=None)

    def _rect(self, box: np.ndarray) -> QRectF:
        return QRectF(self.place_of(box[0]), self.place_of(box[1])).normalized()

    def _take_parts(self, at: QPointF) -> None:
        """Takes hold of what lies under a point: all that is selected, or a part with its group."""
        part = self._part_at(at)
        if part is None:
            return
        workshop = self.workshop
        if part.id not in (workshop.selected, *workshop.also_selected):
            workshop.select(part.id)
            if part.group:
                workshop.select_group(part.group)
        self._held, self._carried, self._from, self._by = "parts", self.work.picked(), at, np.zeros(3)

    def _prop_boxes(self) -> list[np.ndarray | None]:
        """Bounds of the props, (2, 3) each; None for those that are hidden."""
        props, meshes = self.workshop.project.set.props, self.workshop.assets.meshes
        if self._props[0] is not props:
            boxes = [prop_bounds(prop, meshes).astype(np.float64) if prop.is_on else None for prop in props]
            self._props = props, boxes
        return self._props[1]

    def frame(self) -> tuple[np.ndarray, float]:
        """Middle of the plan, mm, and pixels of a mm."""
        if self._frame is not None:
            return self._frame
        points = [self.workshop.camera.position]
        points += [corner for box in self._part_boxes() for corner in box]
        for light in self._standing():
            points += list(_corners(light)) if light.kind != "distant" else []
        flat = np.array([self._flat(point) for point in points])
        low, high = flat.min(axis=0), flat.max(axis=0)
        room = self.width() - 2 * _MARGIN, self.height() - 2 * _MARGIN
        scale = min(room[0] / max(high[0] - low[0], 1.0), room[1] / max(high[1] - low[1], 1.0))
        self._frame = (low + high) / 2, scale
        return self._frame

    def place_of(self, point) -> QPointF:
        """Point of the widget for a point of the world."""
        middle, scale = self.frame()
        flat = (self._flat(point) - middle) * scale
        return QPointF(self.width() / 2 + flat[0], self.height() / 2 + flat[1])

    def _world(self, at: QPointF, like) -> tuple[float, float, float]:
        """Point of the world at a point of the widget, as far from the viewer as another one."""
        middle, scale = self.frame()
        right = (at.x() - self.width() / 2) / scale + middle[0]
        down = (at.y() - self.height() / 2) / scale + middle[1]
        return (right, like[1], down) if self.side == ABOVE else (like[0], -down, -right)

    def shown_at(self, light: Light) -> QPointF:
        """Point at which a light is drawn; one from afar lies at the rim, on its side."""
        if light.kind != "distant":
            return self.place_of(light.position)
        target = self.place_of(light.target)
        way = self._flat(light.position) - self._flat(light.target)
        length = float(np.hypot(*way))
        if length < 1e-6:
            return target
        reach = min(self.width(), self.height()) / 2 - _MARGIN
        return target + QPointF(*(way / length * reach))

    def mousePressEvent(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        found = [
            ((event.position() - self.shown_at(light)).manhattanLength(), place)
            for place, light in enumerate(self._standing())
        ]
        selected = self.workshop.light_place
        if selected >= 0:
            aim = self.place_of(self._standing()[selected].target)
            found.append(((event.position() - aim).manhattanLength() + 1, "target"))
        for place, box in enumerate(self._prop_boxes()):
            if box is not None:
                away = (event.position() - self.place_of(box.mean(axis=0))).manhattanLength()
                found.append((away + 1, ("prop", place)))
        camera = self.place_of(self.workshop.camera.position)
        found.append(((event.position() - camera).manhattanLength(), "camera"))
        distance, held = min(found, key=lambda each: each[0])
        self.frame()
        if distance > _GRIP:
            self._take_parts(event.position())
            return

        if isinstance(held, int):
            self.workshop.select_light(held)
        elif isinstance(held, tuple):
            self.workshop.select_prop(held[1])
        self._held = held

    def mouseMoveEvent(self, event) -> None:
        if self._held is None:
            return
        at = event.position()
        if self._held == "parts":
            start = np.zeros(3)
            self._by = np.subtract(self._world(at, start), self._world(self._from, start))
            self.update()
        elif self._held == "camera":
            camera = self.workshop.camera
            position = self._world(at, camera.position)
            if math.dist(position, camera.target) > 1:
                self.workshop.explore(camera.with_(position=position))
        elif self._held == "target":
            light = self._standing()[self.workshop.light_place]
            self.workshop.aim_light(self._world(at, light.target), _GESTURE)
        elif isinstance(self._held, tuple):
            prop = self.workshop.prop
            x, y, z = self._world(at, (prop.x, prop.y, prop.z))
            moved = prop.with_(x=round(x, 2), y=round(max(y, 0.0), 2), z=round(z, 2))
            self.workshop.put_prop("Move prop", moved, _GESTURE)
        elif self._held < len(self._standing()):
            self._move(self._standing()[self._held], at)

    def _move(self, light: Light, at: QPointF) -> None:
        if light.kind != "distant":
            self.workshop.move_light(self._world(at, light.position), _GESTURE)
            return
        # Its distance says nothing: it goes round what it faces.
        way = at - self.place_of(light.target)
        length = math.hypot(way.x(), way.y())
        offset = np.subtract(light.position, light.target)
        flat = self._flat(light.position) - self._flat(light.target)
        reach = max(float(np.hypot(*flat)), 0.05 * float(np.linalg.norm(offset)))
        if length < 4:
            return
        x, y = way.x() / length * reach, way.y() / length * reach
        moved = (x, offset[1], y) if self.side == ABOVE else (offset[0], -y, -x)
        self.workshop.move_light(np.add(light.target, moved), _GESTURE)

    def mouseReleaseEvent(self, event) -> None:
        if self._held is None:
            return
        carried, self._carried = self._carried, []
        self._held = None
        if carried and self._by.any():
            self.work.shift(carried, self._by.round(2))
        self.workshop.history.end_gesture()
        self._follow()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_backdrop(painter)
        self._draw_parts(painter)
        self._draw_camera(painter)
        lights, selected = self._standing(), self.workshop.light_place
        for place, light in enumerate(lights):
            if place != selected:
                self._draw_light(painter, light, False)
        if selected >= 0:
            self._draw_light(painter, lights[selected], True)

    def _draw_backdrop(self, painter: QPainter) -> None:
        backdrop = self.workshop.project.set.backdrop
        if backdrop is None:
            return
        half, depth, height = backdrop.width / 2, backdrop.depth, backdrop.height
        painter.setPen(QPen(QColor(THEME.line), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.side == ABOVE:
            painter.drawLine(self.place_of((-half, 0, -depth)), self.place_of((half, 0, -depth)))
            return
        radius = min(backdrop.radius, depth, height)
        angle = np.linspace(0, np.pi / 2, 16)
        curve = [(0, radius - radius * math.cos(a), -depth + radius - radius * math.sin(a)) for a in angle]
        line = [(0, 0, 3 * depth), *curve, (0, height, -depth)]
        painter.drawPolyline(QPolygonF([self.place_of(point) for point in line]))

    def _draw_parts(self, painter: QPainter) -> None:
        ground = QColor(THEME.track)
        ground.setAlpha(120)
        painter.setBrush(ground)
        carried = {part.id for part in self._carried}
        for part, box, rect in zip(self._shown_parts(), self._part_boxes(), self._part_rects(), strict=True):
            is_carried = part.id in carried
            painter.setPen(QPen(QColor(THEME.accent if is_carried else THEME.quiet), 1.2))
            painter.drawRoundedRect(self._rect(box + self._by) if is_carried else rect, 2, 2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place, box in enumerate(self._prop_boxes()):
            if box is not None:
                is_held = self._held == ("prop", place)
                painter.setPen(QPen(QColor(THEME.accent if is_held else THEME.faint), 1.2))
                painter.drawRect(self._rect(box))

    def _draw_camera(self, painter: QPainter) -> None:
        camera = self.workshop.camera
        at, target = self.place_of(camera.position), self.place_of(camera.target)
        way = target - at
        length = max(math.hypot(way.x(), way.y()), 1e-6)
        way = way / length
        aside = QPointF(-way.y(), way.x())
        painter.setPen(QPen(QColor(THEME.faint), 1))
        half = _FRAME_HALF if self.side == ABOVE else _FRAME_HALF * 2 / 3
        spread = half / camera.focal_length
        for sign in (-1, 1):
            painter.drawLine(at, at + (way + aside * sign * spread) * length * 1.25)
        painter.setPen(Qt.PenStyle.NoPen)
        self._draw_sharp_zone(painter, at, target, spread)
        painter.setBrush(QColor(THEME.text if self._held != "camera" else THEME.accent))
        painter.drawPolygon(
            QPolygonF([at + way * 2, at - way * _CAMERA + aside * _CAMERA, at - way * _CAMERA - aside * _CAMERA])
        )

    def _draw_sharp_zone(self, painter: QPainter, at: QPointF, target: QPointF, spread: float) -> None:
        """The band in which the picture is sharp, where it is not all of it."""
        camera = self.workshop.camera
        near, far = sharp_zone(camera)
        whole = math.dist(camera.position, camera.target)
        if near <= 0 or whole <= 0:
            return
        band = QColor(THEME.accent)
        band.setAlpha(60)
        painter.setBrush(band)
        way = (target - at) / whole
        aside = QPointF(-way.y(), way.x()) * spread
        ends = [min(distance, 2 * whole) for distance in (near, far)]
        corners = [
            at + (way + aside * sign) * d for d, sign in ((ends[0], -1), (ends[0], 1), (ends[1], 1), (ends[1], -1))
        ]
        painter.drawPolygon(QPolygonF(corners))

    def _draw_light(self, painter: QPainter, light: Light, is_selected: bool) -> None:
        color = QColor(THEME.accent if is_selected else THEME.quiet if light.is_on else THEME.faint)
        at, target = self.shown_at(light), self.place_of(light.target)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if is_selected:
            painter.setPen(QPen(color, 1))
            painter.drawLine(at, target)
            painter.drawEllipse(target, 5.0, 5.0)
        if light.kind in ("spot", "distant"):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(color)
            painter.drawEllipse(at, 5.0, 5.0)
            if light.kind == "distant":
                painter.setPen(QPen(color, 1.4))
                for k in range(8):
                    way = QPointF(math.cos(k * math.pi / 4), math.sin(k * math.pi / 4))
                    painter.drawLine(at + way * 7, at + way * 9.5)
            return
        painter.setPen(QPen(color, 2.0 if light.is_on else 1.0))
        filled = QColor(color)
        filled.setAlpha(90 if light.is_on else 0)
        painter.setBrush(filled)
        painter.drawPolygon(QPolygonF([self.place_of(corner) for corner in _corners(light)]))


def _corners(light: Light) -> np.ndarray:
    """Corners of a light, (4, 3) mm; of a round one, of the rectangle around it."""
    across, up, _ = axes_of(light)
    size = {"tube": (light.length, light.diameter), "spot": (light.diameter, light.diameter)}
    width, height = size.get(light.kind, (light.width, light.height))
    signs = ((-1, -1), (1, -1), (1, 1), (-1, 1))
    return np.array([np.array(light.position) + (i * width * across + j * height * up) / 2 for i, j in signs])
