"""The viewport: the product through its camera, where pieces are picked and swatches dropped."""

import math
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QLinearGradient, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from mat_shelf.app.library.swatch_drag import dragged_swatch
from mat_shelf.app.product.uv_view import LEGENDS, VIEWS, coordinate_pixels, middle_texel
from mat_shelf.app.theme import THEME, font
from mat_shelf.app.wall.caption import BOTTOM_LEFT, BOTTOM_RIGHT, TOP_LEFT, paint_caption
from mat_shelf.app.wall.outline import outline_image
from mat_shelf.app.wall.render_worker import HERO, RenderWorker
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.commands.faces import LASSO
from mat_shelf.patterns.placement_edit import PlacementHit
from mat_shelf.rendering.camera import FRAME, make_camera_view
from mat_shelf.rendering.navigation import depth_from, dolly, framed, orbit, pan, square_on
from mat_shelf.rendering.session import REST_SAMPLES, Frame
from mat_shelf.scene.ball import Ball

MARGIN = 10
TURN = "turn"
HANDLES = {"across": (1, 0, 0), "up": (0, 1, 0), "near": (0, 0, 1), TURN: (-0.7, 0, 0.7)}
"""Handles of the selected part in the Product station, and where their knobs stand from its foot."""
BALL_SHARE = 0.07
"""Radius of the ball, in halves of the picture's height where it stands."""


class Viewport(QWidget):
    """Shows the newest frame. A click selects the part under it, a drag goes round the product.

    The view in use stays where it is: moving about is done with a free camera.

    Signals
    -------
    focused
        What is to be sharp was clicked.
    measured : float
        Distance between two points that were clicked, mm; 0 after the first.
    """

    focused = pyqtSignal()
    measured = pyqtSignal(float)

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.setObjectName("viewport")
        self.setAccessibleName("Picture")
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 220)
        self.setToolTip(
            "Click a part to edit its material. Drag to orbit, Shift+drag to pan, turn the wheel to zoom;\n"
            "double-click or F frames the part, Home returns to the view.\n"
            "Right-click moves the close-up to a point; with Shift it puts a coloured ball there.\n"
            "Alt+A and Alt+B take snapshots, A and B show them."
        )
        self.workshop, self.work = workshop, work
        self.mode = ""
        self.coordinate_view, self.texture_pixels = "", 2048
        self._coordinates: tuple[tuple, QImage, float] | None = None
        self.points: list[tuple[float, float, float]] = []
        self.shows_handles = False
        self.paints: list[Callable[[QPainter], None]] = []
        self._handle: str | None = None
        self._handle_from, self._handle_by = QPointF(), 0.0
        self._lasso: list[QPointF] = []
        self._under_pointer: str | None = None
        self._hovered: tuple = ()
        self._hover_image: QImage | None = None
        self._last_click: QPointF | None = None
        self.frame: Frame | None = None
        self.revision = 0
        self._image: QImage | None = None
        self._outline: QImage | None = None
        self._outlined: tuple = (None,)
        self._under_drop: tuple[str, str | None] | None = None
        self._pressed: QPointF | None = None
        self._last = QPointF()
        self._is_dragging = False
        self._wants_focus = False
        self._reference: QImage | None = None
        self.wipe: float | None = None
        self._is_wiping = False
        self.snapshots: dict[str, QImage] = {}
        self.shown_snapshot: str | None = None
        self._worker: RenderWorker | None = None
        self._size = (0, 0)
        self._resized = QTimer(self, singleShot=True, interval=60)
        self._resized.timeout.connect(self._ask_for_size)
        workshop.project_changed.connect(self._follow)
        workshop.camera_changed.connect(self._follow)
        workshop.selection_changed.connect(self.update)
        workshop.close_up_changed.connect(self.update)
        workshop.ball_changed.connect(self._follow)
        workshop.shown_changed.connect(self._follow)
        work.faces_changed.connect(self.update)

    def use(self, worker: RenderWorker) -> None:
        """Shows the pictures of another worker from now on."""
        self._worker = worker
        self.frame = None
        self._image = None
        self.snapshots = {}
        if self._size != (0, 0):
            worker.resize(HERO, *self._size)
            self._follow()

    def _follow(self) -> None:
        self.shown_snapshot = None
        if self._worker is not None and self._size != (0, 0):
            self.revision = self._worker.update(
                HERO, self.workshop.shown_project, self.workshop.free_camera, self.workshop.ball
            )
        self.update()

    def show_frame(self, frame: Frame) -> None:
        self.frame = frame
        height, width = frame.pixels.shape[:2]
        self._image = QImage(frame.pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
        self.update()

    @property
    def picture_rect(self) -> QRect:
        return self.rect().adjusted(MARGIN, MARGIN, -MARGIN, -MARGIN)

    def resizeEvent(self, event) -> None:
        self._resized.start()
        super().resizeEvent(event)

    def _ask_for_size(self) -> None:
        rect, ratio = self.picture_rect, self.devicePixelRatioF()
        size = (round(rect.width() * ratio), round(rect.height() * ratio))
        if size == self._size or self._worker is None:
            return
        is_first = self._size == (0, 0)
        self._size = size
        self.revision = self._worker.resize(HERO, *size)
        if is_first:
            self._follow()

    def _pixel(self, point: QPointF) -> tuple[int, int] | None:
        """Row and column of the newest frame's sight under a point of the widget."""
        if self.frame is None:
            return None
        rect, seen = self.picture_rect, self.frame.first_hits.part
        x = int((point.x() - rect.x()) / max(rect.width(), 1) * seen.shape[1])
        y = int((point.y() - rect.y()) / max(rect.height(), 1) * seen.shape[0])
        return (y, x) if 0 <= y < seen.shape[0] and 0 <= x < seen.shape[1] else None

    def part_at(self, point: QPointF) -> str | None:
        """Id of the part seen at a point of the widget."""
        pixel = self._pixel(point)
        if pixel is None:
            return None
        index, parts = self.frame.first_hits.part[pixel], self.workshop.project.product.parts
        return parts[index].id if 0 <= index < len(parts) else None

    def zone_at(self, point: QPointF) -> str | None:
        """Id of the zone seen at a point of the widget; None where it is the part itself."""
        pixel, part_id = self._pixel(point), self.part_at(point)
        if part_id is None:
            return None
        part, face = self.workshop.project.part(part_id), self.frame.first_hits.face(*pixel)
        for zone in part.zones:
            faces = self.workshop.assets.faces[zone.faces]
            k = int(np.searchsorted(faces, face))
            if k < len(faces) and faces[k] == face:
                return zone.id
        return None

    def parts_behind(self, point: QPointF) -> list[str]:
        """Ids of all parts under a point of the widget, the nearest first."""
        pixel = self._pixel(point)
        if pixel is None:
            return []
        first_hits = self.frame.first_hits
        height, width = first_hits.depth.shape
        view = make_camera_view(self.workshop.camera, width, height)
        right = ((pixel[1] + 0.5) / width * 2 - 1) * view.half_width
        up = (1 - (pixel[0] + 0.5) / height * 2) * view.half_height
        way = np.array([right, up, 1.0]) @ np.array([view.right, view.up, view.forward], np.float64)
        way = (way / np.linalg.norm(way)).astype(np.float32)[None]
        at = np.array([view.position], np.float32)
        parts, found = self.workshop.project.product.parts, []
        for _ in range(64):
            geometry, _, _, _, distance = first_hits.geometry.intersect(at, way)
            if geometry[0] < 0:
                break
            place = first_hits.visible[int(geometry[0])] if geometry[0] < len(first_hits.visible) else len(parts)
            if place < len(parts):
                part = parts[place].id
                if part not in found:
                    found.append(part)
            at = at + way * (distance[0] * np.float32(1.00001) + np.float32(1e-3))
        return found

    def show_coordinates(self, view: str) -> None:
        """Shows how texture coordinates lie on the product (a key of `coordinate_view.VIEWS`), not the picture."""
        self.coordinate_view = view
        self.update()

    def _coordinate_image(self) -> tuple[QImage, float]:
        """The picture of the coordinates, and the texel size that it shows grey, mm."""
        project, first_hits = self.workshop.project, self.frame.first_hits
        key = (self.coordinate_view, id(first_hits), project.product, self.texture_pixels)
        if self._coordinates is None or self._coordinates[0] != key:
            middle = middle_texel(project, self.workshop.assets, self.texture_pixels)
            pixels = coordinate_pixels(
                self.coordinate_view,
                first_hits,
                project,
                self.workshop.assets,
                self.workshop.camera,
                self.texture_pixels,
                middle,
            )
            height, width = pixels.shape[:2]
            kind = QImage.Format.Format_ARGB32_Premultiplied
            self._coordinates = key, QImage(pixels.tobytes(), width, height, width * 4, kind).copy(), middle
        return self._coordinates[1:]

    def _paint_coordinates(self, painter: QPainter, rect: QRect) -> None:
        image, middle = self._coordinate_image()
        painter.drawImage(rect, image)
        words, stops = LEGENDS[self.coordinate_view]
        paint_caption(painter, rect, BOTTOM_LEFT, f"{VIEWS[self.coordinate_view]}  ·  {words}")
        if stops is None:
            return
        strip = QRectF(rect.left() + 14, rect.bottom() - 62, 180, 10)
        gradient = QLinearGradient(strip.topLeft(), strip.topRight())
        for k, (color, _) in enumerate(stops):
            gradient.setColorAt(k / 2, QColor(*(int(c) for c in color)))
        painter.setPen(QColor("#262626"))
        painter.setBrush(gradient)
        painter.drawRect(strip)
        for k, (_, text) in enumerate(stops):
            shown = text.format(middle=f"{middle:.3g} mm" if middle else "none")
            where = QRect(int(strip.left() + (k / 2) * strip.width()) - 46, int(strip.top()) - 36, 92, 40)
            paint_caption(painter, where, Qt.AlignmentFlag.AlignCenter, shown)

    def set_mode(self, mode: str) -> None:
        """What a click does: "" selects, "faces" chooses faces, "measure" measures."""
        self.mode = mode
        self.points, self._lasso = [], []
        self.update()

    def _measure_at(self, point: QPointF) -> None:
        place = self._place_at(point)
        if place is None:
            self.workshop.said.emit("Nothing to measure there; click a point of the product.")
            return
        self.points = [place] if len(self.points) != 1 else [self.points[0], place]
        two = len(self.points) == 2
        self.measured.emit(math.dist(*self.points) if two else 0.0)
        self.update()

    def _choose_faces_at(self, point: QPointF, modifiers) -> None:
        part_id = self.part_at(point)
        add = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        take = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if part_id is None:
            if not add and not take:
                self.work.choose(None)
            return
        self.workshop.select(part_id)
        self.work.pick(part_id, self.frame.first_hits.face(*self._pixel(point)), add, take)

    def _end_lasso(self, modifiers) -> None:
        rect, line = self.picture_rect, self._lasso
        self._lasso = []
        part_id = self.workshop.selected or self.part_at(line[0])
        if part_id is None or len(line) < 3 or self.frame is None:
            self.workshop.said.emit("Select a part first, then draw around some of its faces.")
        else:
            polygon = np.array([((p.x() - rect.x()) / rect.width(), (p.y() - rect.y()) / rect.height()) for p in line])
            add = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
            take = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
            self.work.lasso(part_id, self.frame.first_hits, polygon, add, take)
        self.update()

    def _select_at(self, point: QPointF) -> None:
        """Selects what is under a point; the same place clicked again, what is behind that."""
        part, zone = self.part_at(point), self.zone_at(point)
        again = self._last_click is not None and (point - self._last_click).manhattanLength() <= 3
        self._last_click = point
        if again and self.workshop.selected is not None:
            line = self.parts_behind(point)
            if self.workshop.selected in line and len(line) > 1:
                after = line[(line.index(self.workshop.selected) + 1) % len(line)]
                part, zone = after, zone if after == part else None
        self.workshop.select(part, zone)

    def handles(self) -> dict[str, tuple[QPointF, QPointF]]:
        """Lines, from the foot of the selected part to their knobs, by what dragging these does; mm become pixels."""
        part = self.workshop.selected_part
        is_busy = bool(self.mode) or self.work.chosen is not None
        if not self.shows_handles or is_busy or part is None or part.is_hidden or self.frame is None:
            return {}
        low, high = self.work.bounds([part]).astype(np.float64)
        foot = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
        reach = self._handle_reach(foot)
        found = {}
        for name, direction in HANDLES.items():
            ends = self.seen_place(foot), self.seen_place(foot + np.array(direction) * reach)
            if None not in ends:
                found[name] = ends
        return found

    def pixel_width(self, place) -> float:
        """mm that a pixel of the widget covers where a point of the scene lies."""
        height = max(self.picture_rect.height(), 1)
        view = make_camera_view(self.workshop.camera, max(self.picture_rect.width(), 1), height)
        depth = float(np.subtract(place, view.position) @ np.array(view.forward, np.float64))
        return max(depth, 1e-3) * float(view.half_height) * 2 / height

    def _handle_reach(self, foot) -> float:
        """mm that make a handle a sixth of the picture's height."""
        return self.pixel_width(foot) * self.picture_rect.height() / 6

    def _press_handle(self, point: QPointF) -> bool:
        for name, (_, knob) in self.handles().items():
            if (point - knob).manhattanLength() <= 12:
                self._handle, self._handle_from, self._handle_by = name, point, 0.0
                return True
        return False

    def _drag_handle(self, point: QPointF) -> None:
        ends = self.handles().get(self._handle)
        if ends is None:  # the part was let go meanwhile
            return
        foot, knob = ends
        line, moved = knob - foot, point - self._handle_from
        length = math.hypot(line.x(), line.y())
        share = (moved.x() * line.x() + moved.y() * line.y()) / max(length * length, 25.0)
        low, high = self.work.bounds([self.workshop.selected_part])
        at = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        self._handle_by = moved.x() * 0.5 if self._handle == TURN else share * self._handle_reach(at)
        self.update()

    def _end_handle(self) -> None:
        name, by = self._handle, self._handle_by
        self._handle, self._handle_by = None, 0.0
        if self.workshop.selected_part is None:
            return
        if name == TURN and abs(by) >= 0.5:
            self.work.turn(1, round(by))
        elif name != TURN and abs(by) > 1e-4:
            self.work.shift(self.work.picked(), np.array(HANDLES[name]) * round(by, 3))
        self.update()

    def compare_with(self, picture: QImage | None) -> None:
        """The picture that a wipe shows."""
        self._reference = picture
        if picture is None:
            self.wipe = None
        self.update()

    def toggle_wipe(self) -> None:
        """Shows the reference over the left half of the render, or the render alone again."""
        if self._reference is None:
            self.workshop.said.emit("There is no reference to wipe against; drop one on its pane.")
            return
        self.wipe = None if self.wipe is not None else 0.5
        self.update()

    def keep_snapshot(self, name: str) -> None:
        """Keeps the picture as it is now, to flip back to."""
        if self._image is not None:
            self.snapshots[name] = self._image.copy()
            self.workshop.said.emit(f"Snapshot {name} taken. {name} shows it, {name} or Escape returns to the render.")

    def flip(self, name: str | None) -> None:
        """Shows a snapshot, or the render again."""
        if name is not None and name not in self.snapshots:
            self.workshop.said.emit(
                f"There is no snapshot {name} yet; Alt+{name} takes one of the picture as it is now."
            )
            return
        self.shown_snapshot = None if name == self.shown_snapshot else name
        self.update()

    def _wipe_x(self) -> float:
        rect = self.picture_rect
        return rect.x() + self.wipe * rect.width()

    def want_focus(self, is_wanted: bool) -> None:
        """The next click says what is to be sharp."""
        self._wants_focus = is_wanted

    def _focus_at(self, point: QPointF) -> None:
        place, view = self._place_at(point), self.workshop.project.view
        # Measured from the view's own camera: while exploring, another one is looked through.
        depth = depth_from(view.camera, place) if place is not None else 0.0
        if depth <= 0:
            self.workshop.said.emit("Nothing to focus on there; click the product or the backdrop.")
            return
        camera = view.camera.with_(focus=round(depth, 2))
        self.workshop.edit("Focus", self.workshop.project.with_view(view.with_(camera=camera)))
        self.focused.emit()
        if camera.f_stop == 0:
            self.workshop.said.emit("Everything is sharp while the f-stop is off; set it, for example to 11.")

    def place_close_up_at(self, point: QPointF) -> None:
        """Puts the close-up on what is seen at a point of the widget."""
        place = self._place_at(point)
        if place is not None:
            self.workshop.place_close_up(place)

    def stand_ball_at(self, point: QPointF) -> None:
        """Stands the coloured ball on the surface that is seen at a point of the widget."""
        place, pixel = self._place_at(point), self._pixel(point)
        if place is None:
            return
        first_hits = self.frame.first_hits
        normal = first_hits.facing(*pixel)
        if normal @ np.subtract(self.workshop.camera.position, place) < 0:
            normal = -normal
        view = make_camera_view(self.workshop.camera, *first_hits.depth.shape[::-1])
        radius = BALL_SHARE * float(first_hits.depth[pixel]) * float(view.half_height)
        self.workshop.stand_ball(Ball(place, tuple(float(x) for x in normal), round(radius, 3)))
        self.workshop.said.emit("A ball for judging reflections. It is in no render; Delete removes it.")

    def hit_at(self, point: QPointF) -> PlacementHit | None:
        """The place on a part seen at a point of the widget."""
        part, place = self.part_at(point), self._place_at(point)
        if part is None or place is None:
            return None
        normal = self.frame.first_hits.facing(*self._pixel(point))
        return PlacementHit(part, place, tuple(float(x) for x in normal))

    def _place_at(self, point: QPointF) -> tuple[float, float, float] | None:
        """The point of the scene (mm) seen at a point of the widget."""
        pixel = self._pixel(point)
        depth = float(self.frame.first_hits.depth[pixel]) if pixel else math.inf
        if not math.isfinite(depth):
            return None
        height, width = self.frame.first_hits.depth.shape
        view = make_camera_view(self.workshop.camera, width, height)
        right = ((pixel[1] + 0.5) / width * 2 - 1) * view.half_width * depth
        up = (1 - (pixel[0] + 0.5) / height * 2) * view.half_height * depth
        axes = np.array([view.right, view.up, view.forward], np.float64)
        place = np.array(view.position, np.float64) + np.array([right, up, depth]) @ axes
        return tuple(float(x) for x in place)

    def seen_place(self, point) -> QPointF | None:
        """Where in the widget a point of the scene (mm) appears."""
        rect = self.picture_rect
        view = make_camera_view(self.workshop.camera, max(rect.width(), 1), max(rect.height(), 1))
        to = np.subtract(point, view.position)
        depth = float(to @ np.array(view.forward))
        if depth <= 0:
            return None
        x = float(to @ np.array(view.right)) / depth / view.half_width
        y = float(to @ np.array(view.up)) / depth / view.half_height
        return QPointF(rect.x() + (x + 1) / 2 * rect.width(), rect.y() + (1 - y) / 2 * rect.height())

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.RightButton:
            is_shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            (self.stand_ball_at if is_shift else self.place_close_up_at)(event.position())
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self.setFocus()
            if event.button() == Qt.MouseButton.LeftButton and self._press_handle(event.position()):
                return
            if self.wipe is not None and abs(event.position().x() - self._wipe_x()) < 8:
                self._is_wiping = True
                return
            if self.mode == "faces" and self.work.way == LASSO and event.button() == Qt.MouseButton.LeftButton:
                self._lasso = [event.position()]
                return
            self._pressed = self._last = event.position()
            self._is_dragging = event.button() == Qt.MouseButton.MiddleButton

    def mouseMoveEvent(self, event) -> None:
        if self._is_wiping:
            rect = self.picture_rect
            self.wipe = min(max((event.position().x() - rect.x()) / rect.width(), 0.0), 1.0)
            self.update()
            return
        if self._handle is not None:
            self._drag_handle(event.position())
            return
        if self._lasso:
            self._lasso.append(event.position())
            self.update()
            return
        if self._pressed is None:
            over = self.part_at(event.position())
            if over != self._under_pointer:
                self._under_pointer = over
                self.update()
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
            return
        if not self._is_dragging:
            away = (event.position() - self._pressed).manhattanLength()
            self._is_dragging = away >= QApplication.startDragDistance()
        if self._is_dragging:
            step, self._last = event.position() - self._last, event.position()
            is_shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            if is_shift or event.buttons() & Qt.MouseButton.MiddleButton:
                scale = FRAME[1] / self.workshop.camera.focal_length / max(self.height(), 1)
                self.workshop.explore(pan(self.workshop.camera, -step.x() * scale, step.y() * scale))
            else:
                self.workshop.explore(orbit(self.workshop.camera, -step.x() * 0.008, step.y() * 0.008))

    def mouseReleaseEvent(self, event) -> None:
        self._is_wiping = False
        if self._handle is not None:
            self._end_handle()
            return
        if self._lasso:
            self._end_lasso(event.modifiers())
            return
        was_click = self._pressed is not None and not self._is_dragging
        self._pressed, self._is_dragging = None, False
        if was_click and event.button() == Qt.MouseButton.LeftButton:
            if self._wants_focus:
                self._focus_at(event.position())
            elif self.mode == "measure":
                self._measure_at(event.position())
            elif self.mode == "faces":
                self._choose_faces_at(event.position(), event.modifiers())
            else:
                self._select_at(event.position())

    def mouseDoubleClickEvent(self, event) -> None:
        part = self.part_at(event.position())
        if part is not None:
            self.frame_part(part)

    def wheelEvent(self, event) -> None:
        turns = event.angleDelta().y() / 120
        if turns:
            self.workshop.explore(dolly(self.workshop.camera, 0.9**turns))

    def frame_part(self, part_id: str) -> None:
        """Fills the view with a part."""
        bounds = self.work.bounds([self.workshop.project.part(part_id)])
        self.workshop.explore(framed(self.workshop.camera, bounds))

    def leaveEvent(self, event) -> None:
        self._under_pointer = None
        self.update()

    def keyPressEvent(self, event) -> None:
        steps = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1}
        letters = {Qt.Key.Key_A: "A", Qt.Key.Key_B: "B"}
        sides = dict(zip(range(Qt.Key.Key_1, Qt.Key.Key_6), ("front", "right", "back", "left", "above"), strict=True))
        if event.key() in letters:
            is_keeping = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            (self.keep_snapshot if is_keeping else self.flip)(letters[event.key()])
        elif event.key() in sides:
            self.workshop.explore(square_on(self.workshop.camera, sides[event.key()]))
        elif event.key() == Qt.Key.Key_H and self.workshop.selected:
            self.work.toggle_hidden(self.workshop.selected)
        elif event.key() == Qt.Key.Key_Escape and self.work.chosen is not None:
            self.work.choose(None)
        elif event.key() == Qt.Key.Key_Escape and self.shown_snapshot:
            self.flip(None)
        elif event.key() == Qt.Key.Key_Escape and self.workshop.overlay is not None:
            self.workshop.open_overlay(None)
        elif event.key() == Qt.Key.Key_Escape:
            self.workshop.select(None)
        elif event.key() == Qt.Key.Key_F and self.workshop.selected:
            self.frame_part(self.workshop.selected)
        elif event.key() == Qt.Key.Key_Delete and self.workshop.ball is not None:
            self.workshop.stand_ball(None)
        elif event.key() == Qt.Key.Key_W:
            self.toggle_wipe()
        elif event.key() == Qt.Key.Key_Home:
            self.workshop.explore(None)
        elif event.key() in steps and self.workshop.project.product.parts:
            ids = [part.id for part in self.workshop.project.product.parts]
            step = steps[event.key()]
            at = ids.index(self.workshop.selected) + step if self.workshop.selected else min(step, 0)
            self.workshop.select(ids[at % len(ids)])
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event) -> None:
        if dragged_swatch(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:
        self._light_up(self.part_at(event.position()), self.zone_at(event.position()))
        if self._under_drop:
            event.acceptProposedAction()
        else:
            event.ignore()

    def dragLeaveEvent(self, event) -> None:
        self._light_up(None)

    def dropEvent(self, event) -> None:
        part, swatch = self.part_at(event.position()), dragged_swatch(event.mimeData())
        zone = self.zone_at(event.position())
        self._light_up(None)
        if part and swatch:
            event.acceptProposedAction()
            self.workshop.wear(part, swatch, zone)

    def _light_up(self, part: str | None, zone: str | None = None) -> None:
        lit = (part, zone) if part else None
        if lit != self._under_drop:
            self._under_drop = lit
            self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(THEME.surround))
        rect = self.picture_rect
        if self._image is None:
            painter.setPen(QColor(THEME.on_surround))
            painter.setFont(font(14))
            painter.drawText(
                rect,
                Qt.AlignmentFlag.AlignCenter,
                "Preparing the picture.\nThe first start compiles the renderer and takes up to a minute.",
            )
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self.shown_snapshot is not None:
            painter.drawImage(rect, self.snapshots[self.shown_snapshot])
            paint_caption(painter, rect, TOP_LEFT, f"Snapshot {self.shown_snapshot}")
            return
        painter.drawImage(rect, self._image)
        if self.coordinate_view:
            self._paint_coordinates(painter, rect)
        if self.wipe is not None and self._reference is not None:
            self._paint_wipe(painter, rect)
            painter.setClipRect(QRectF(rect).adjusted(self._wipe_x() - rect.x(), 0, 0, 0))
        hover = self._hover_outline()
        if hover is not None:
            painter.drawImage(rect, hover)
        outline = self._outline_now()
        if outline is not None:
            painter.drawImage(rect, outline)
        self._paint_lines(painter, rect)
        self._paint_handles(painter)
        for paint in self.paints:
            paint(painter)
        self._paint_close_up_ring(painter)
        painter.setClipping(False)
        self._paint_words(painter, rect)
        if self.hasFocus():
            painter.setPen(QColor(THEME.on_surround))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(rect).adjusted(-1.5, -1.5, 0.5, 0.5))

    def _paint_wipe(self, painter: QPainter, rect: QRect) -> None:
        """The reference, filling the picture's shape, left of the line."""
        picture, x = self._reference, self._wipe_x()
        scale = max(rect.width() / picture.width(), rect.height() / picture.height())
        whole = QRectF(0, 0, picture.width() * scale, picture.height() * scale)
        whole.moveCenter(QRectF(rect).center())
        painter.save()
        painter.setClipRect(QRectF(rect.x(), rect.y(), x - rect.x(), rect.height()))
        painter.drawImage(whole, picture)
        painter.restore()
        painter.fillRect(QRectF(x - 1.5, rect.y(), 3, rect.height()), QColor("#262626"))
        painter.fillRect(QRectF(x - 0.5, rect.y(), 1, rect.height()), QColor(THEME.on_surround))

    def _paint_close_up_ring(self, painter: QPainter) -> None:
        place = self.seen_place(self.workshop.close_up_point) if self.workshop.close_up_point else None
        if place is None or not self.picture_rect.contains(place.toPoint()):
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for color, thickness in (("#262626", 3.0), (THEME.on_surround, 1.5)):
            painter.setPen(QPen(QColor(color), thickness))
            painter.drawEllipse(place, 9, 9)

    def _outline_now(self) -> QImage | None:
        """The line round what would take a drop, what is chosen, or what is selected."""
        workshop, chosen = self.workshop, self.work.chosen
        if self._under_drop:
            what, fill = self._under_drop, 0.28
        elif chosen is not None:
            what, fill = chosen, 0.4
        elif workshop.selected:
            what, fill = (workshop.selected, workshop.selected_zone_id), 0.0
        else:
            return None
        key = (
            id(self.frame.first_hits),
            what[0],
            id(what[1]) if chosen is what else what[1],
            workshop.also_selected,
            fill,
            workshop.project.product,
        )
        if self._outlined[:-1] != key[:-1] or self._outlined[-1] is not key[-1]:
            mask = self._mask_of(*what)
            if what[0] == workshop.selected and mask is not None:
                for other in workshop.also_selected:
                    more = self._mask_of(other, None)
                    mask = mask | more if more is not None else mask
            has_any = mask is not None and mask.any()
            self._outline = outline_image(mask, QColor("#16A394"), fill) if has_any else None
            self._outlined = key
        return self._outline

    def _hover_outline(self) -> QImage | None:
        """A faint line round the part under the pointer, if that is not the selected one."""
        part = self._under_pointer
        if part is None or part == self.workshop.selected or self._under_drop or self._pressed is not None:
            return None
        key = (id(self.frame.first_hits), part)
        if self._hovered != key:
            mask = self._mask_of(part, None)
            has_any = mask is not None and mask.any()
            self._hover_image = outline_image(mask, QColor(255, 255, 255), 0.0, strength=0.55) if has_any else None
            self._hovered = key
        return self._hover_image

    def _mask_of(self, part_id: str, faces: str | np.ndarray | None) -> np.ndarray | None:
        """Where a part, one of its zones, or some of its faces are seen, (H, W) bool."""
        parts, first_hits = self.workshop.project.product.parts, self.frame.first_hits
        place = next((k for k, part in enumerate(parts) if part.id == part_id), None)
        if place is None:
            return None
        if faces is None:
            return first_hits.part == place
        count = len(self.workshop.assets.meshes[parts[place].mesh].triangles)
        if isinstance(faces, str):
            listed = next((self.workshop.assets.faces[z.faces] for z in parts[place].zones if z.id == faces), None)
            if listed is None:
                return None
            faces = np.zeros(count, bool)
            faces[listed] = True
        return first_hits.shows(place, faces) if len(faces) == count else None

    def _paint_handles(self, painter: QPainter) -> None:
        handles = self.handles()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(11))
        for name, (foot, knob) in handles.items():
            shown = knob
            if name == self._handle and name != TURN:
                low, high = self.work.bounds([self.workshop.selected_part])
                at = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
                shown = knob + (knob - foot) * (self._handle_by / self._handle_reach(at))
            for color, thickness in (("#262626", 3.0), (THEME.on_surround, 1.4)):
                painter.setPen(QPen(QColor(color), thickness))
                if name != TURN:
                    painter.drawLine(foot, shown)
                painter.setBrush(QColor("#16A394") if name == self._handle else QColor("#262626"))
                painter.drawEllipse(shown, 5.5, 5.5)
            painter.setPen(QColor(THEME.on_surround))
            if name == TURN:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawArc(QRectF(shown.x() - 10, shown.y() - 10, 20, 20), 30 * 16, 240 * 16)
            if name == self._handle:
                words = f"{self._handle_by:+.0f}°" if name == TURN else f"{self._handle_by:+.2f} mm"
                place = QRect(int(shown.x()) - 50, int(shown.y()) - 42, 100, 40)
                paint_caption(painter, place, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_lines(self, painter: QPainter, rect: QRect) -> None:
        """What is measured, and the lasso while it is drawn."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        seen = [place for point in self.points if (place := self.seen_place(point)) is not None]
        for color, thickness in (("#262626", 3.0), (THEME.on_surround, 1.4)):
            painter.setPen(QPen(QColor(color), thickness))
            if len(self._lasso) > 1:
                painter.drawPolygon(QPolygonF(self._lasso))
            for place in seen:
                painter.drawEllipse(place, 4, 4)
            if len(seen) == 2:
                painter.drawLine(*seen)
        if len(seen) == 2:
            middle = (seen[0] + seen[1]) / 2
            words = QRect(int(middle.x()) - 80, int(middle.y()) - 34, 160, 40)
            paint_caption(painter, words, Qt.AlignmentFlag.AlignCenter, f"{math.dist(*self.points):.2f} mm")

    def _paint_words(self, painter: QPainter, rect: QRect) -> None:
        studio = self.workshop.project.set
        camera, is_free = self.workshop.camera, self.workshop.free_camera is not None
        aperture = f" f/{camera.f_stop:g}" if camera.f_stop else ""
        looking = "Free camera, Home returns" if is_free else self.workshop.project.view.name
        frame = self.frame
        progress = min(frame.samples / REST_SAMPLES, 1.0) if not frame.is_coarse else 0.0
        words = f"{looking}  ·  {camera.focal_length:g} mm{aperture}  ·  {studio.name}"
        paint_caption(painter, rect, TOP_LEFT, words)
        paint_caption(painter, rect, BOTTOM_RIGHT, f"{frame.samples} samples   {frame.seconds:.1f} s")
        painter.fillRect(QRectF(rect.left(), rect.bottom() - 1, rect.width() * progress, 2), QColor("#16A394"))
