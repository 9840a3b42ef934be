"""The close-up: a few millimetres of the product, close up."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from mat_shelf.app.theme import EDGE, LAMP, THEME
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption, paint_hint
from mat_shelf.app.wall.render_worker import CLOSE_UP, MAIN, RenderWorker
from mat_shelf.app.workshop import Workshop
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.frame import Frame
from mat_shelf.rendering.navigation import close_up_camera
from mat_shelf.scene.lights import lamp_lights


class CloseUpView(QWidget):
    """The wheel, or plus and minus, changes how many millimetres it shows across.

    A drag holds a lamp to what it shows: from the middle for light from the front, from the rim for light that grazes.

    Signals
    -------
    fill_wanted
        The caption was double-clicked.
    """

    fill_wanted = pyqtSignal()

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setAccessibleName("Close-up")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 120)
        self.setToolTip(
            "Point at the product and press C to move the close-up there. The wheel changes its width.\n"
            "Drag to light it with a lamp from that side, double-click or L to switch the lamp off.\n"
            "A double click on the caption lets it fill the window."
        )
        self.workshop = workshop
        self.frame: Frame | None = None
        self.revision = 0
        self._image: QImage | None = None
        self._pressed: QPointF | None = None
        self._worker: RenderWorker | None = None
        self.caption = QRect()
        self._resized = QTimer(self, singleShot=True, interval=60)
        self._resized.timeout.connect(self._ask_for_size)
        for signal in (
            workshop.project_changed,
            workshop.camera_changed,
            workshop.close_up_changed,
            workshop.ball_changed,
            workshop.shown_changed,
        ):
            signal.connect(self._follow)
        workshop.close_up_changed.connect(self.update)

    def use(self, worker: RenderWorker) -> None:
        """Shows the pictures of another worker from now on."""
        self._worker = worker
        self.frame = self._image = None
        self._ask_for_size()
        self._follow()

    def resizeEvent(self, event) -> None:
        self._resized.start()
        super().resizeEvent(event)

    def _ask_for_size(self) -> None:
        if self._worker is not None:
            ratio = self.devicePixelRatioF()
            self._worker.resize(CLOSE_UP, round(self.width() * ratio), round(self.height() * ratio))

    def _follow(self) -> None:
        point = self.workshop.close_up_point
        if self._worker is not None and point is not None:
            project, light = self.workshop.shown_project, self.workshop.close_up_light
            if light is not None:
                project = project.with_set(lamp_lights(project.set, point, light))
            camera = close_up_camera(self.workshop.camera, point, self.workshop.close_up_width)
            self.revision = self._worker.update(CLOSE_UP, project, camera, self.workshop.ball)
        elif point is None:
            if self.frame is None:
                return  # only words are shown
            self.frame = self._image = None
        self.update()

    def show_frame(self, frame: Frame) -> None:
        if self.workshop.close_up_point is None:
            return
        self.frame = frame
        height, width = frame.pixels.shape[:2]
        self._image = QImage(frame.pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
        self.update()

    def wheelEvent(self, event) -> None:
        self.workshop.set_close_up_width(self.workshop.close_up_width * 0.9 ** (event.angleDelta().y() / 120))

    def _axes(self) -> np.ndarray:
        """Right, up and towards the viewer of what the close-up shows, (3, 3)."""
        view = make_camera_view(
            close_up_camera(self.workshop.camera, self.workshop.close_up_point, self.workshop.close_up_width), 1, 1
        )
        return np.array([view.right, view.up, np.negative(view.forward)], np.float64)

    def _light_from(self, place: QPointF) -> None:
        """Holds the lamp where a half ball over the pane would have this place."""
        middle, reach = QRectF(self.rect()).center(), min(self.width(), self.height()) / 2
        x, y = (place.x() - middle.x()) / reach, (middle.y() - place.y()) / reach
        reach = math.hypot(x, y)
        if reach > 0.98:
            x, y, reach = x / reach * 0.98, y / reach * 0.98, 0.98
        direction = np.array([x, y, math.sqrt(1 - reach * reach)]) @ self._axes()
        self.workshop.light_close_up(tuple(float(v) for v in direction))

    def _lamp_place(self) -> QPointF:
        x, y, _ = self._axes() @ np.array(self.workshop.close_up_light)
        middle, reach = QRectF(self.rect()).center(), min(self.width(), self.height()) / 2
        return QPointF(middle.x() + float(x) * reach, middle.y() - float(y) * reach)

    def toggle_light(self) -> None:
        """The lamp from the upper left, or the set's own light."""
        if self.workshop.close_up_point is None:
            return
        if self.workshop.close_up_light is None:
            reach = min(self.width(), self.height()) / 2
            self._light_from(QRectF(self.rect()).center() - QPointF(reach * 0.76, reach * 0.5))
        else:
            self.workshop.light_close_up(None)

    def mousePressEvent(self, event) -> None:
        self._pressed = event.position() if event.button() == Qt.MouseButton.LeftButton else None

    def mouseMoveEvent(self, event) -> None:
        if self._pressed is None or self.workshop.close_up_point is None:
            return
        if (event.position() - self._pressed).manhattanLength() >= QApplication.startDragDistance():
            self._light_from(event.position())

    def mouseReleaseEvent(self, event) -> None:
        self._pressed = None

    def mouseDoubleClickEvent(self, event) -> None:
        if self.caption.contains(event.position().toPoint()):
            self.fill_wanted.emit()
        else:
            self.toggle_light()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_L:
            self.toggle_light()
            return
        factors = {Qt.Key.Key_Plus: 0.9, Qt.Key.Key_Minus: 1 / 0.9}
        if event.key() in factors:
            self.workshop.set_close_up_width(self.workshop.close_up_width * factors[event.key()])
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event) -> None:
        if self._worker is not None and self.frame is not None:
            self._worker.looked_at = CLOSE_UP

    def leaveEvent(self, event) -> None:
        if self._worker is not None:
            self._worker.looked_at = MAIN

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(THEME.pane))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is None:
            painter.setPen(QColor(THEME.on_surround))
            paint_hint(painter, self.rect(), "Point at the product and press C to look at it close up")
        else:
            painter.drawImage(self.rect(), self._image)
        words = f"Close-up  ·  {self.workshop.close_up_width:.3g} mm"
        if self.workshop.close_up_light is not None and self._image is not None:
            words += "  ·  lamp"
            painter.setPen(QColor(EDGE))
            painter.setBrush(QColor(LAMP))
            painter.drawEllipse(self._lamp_place(), 5, 5)
            painter.setPen(QColor(THEME.on_surround))
        self.caption = paint_caption(painter, self.rect(), TOP_LEFT, words)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
