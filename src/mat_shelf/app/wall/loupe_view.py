"""The loupe: a few millimetres of the product, close up."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from mat_shelf.app.theme import THEME
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.wall.render_worker import HERO, LOUPE, RenderWorker
from mat_shelf.app.workshop import Workshop
from mat_shelf.rendering.navigation import loupe_camera
from mat_shelf.rendering.session import Frame


class LoupeView(QWidget):
    """A square pane; the wheel, or plus and minus, changes how many millimetres it shows."""

    SIDE = 232

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setAccessibleName("Loupe")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setFixedSize(self.SIDE, self.SIDE)
        self.setToolTip("Right-click the product to put the loupe there. The wheel changes its width.")
        self.workshop = workshop
        self.frame: Frame | None = None
        self.revision = 0
        self._image: QImage | None = None
        self._worker: RenderWorker | None = None
        for signal in (workshop.project_changed, workshop.camera_changed, workshop.loupe_changed):
            signal.connect(self._follow)

    def use(self, worker: RenderWorker) -> None:
        """Shows the pictures of another worker from now on."""
        self._worker = worker
        self.frame = self._image = None
        side = round(self.SIDE * self.devicePixelRatioF())
        worker.resize(LOUPE, side, side)
        self._follow()

    def _follow(self) -> None:
        point = self.workshop.loupe_point
        if self._worker is not None and point is not None:
            camera = loupe_camera(self.workshop.camera, point, self.workshop.loupe_width)
            self.revision = self._worker.update(LOUPE, self.workshop.project, camera)
        elif point is None:
            self.frame = self._image = None
        self.update()

    def show_frame(self, frame: Frame) -> None:
        if self.workshop.loupe_point is None:
            return
        self.frame = frame
        height, width = frame.pixels.shape[:2]
        self._image = QImage(frame.pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
        self.update()

    def wheelEvent(self, event) -> None:
        self.workshop.set_loupe_width(self.workshop.loupe_width * 0.9 ** (event.angleDelta().y() / 120))

    def keyPressEvent(self, event) -> None:
        factors = {Qt.Key.Key_Plus: 0.9, Qt.Key.Key_Minus: 1 / 0.9}
        if event.key() in factors:
            self.workshop.set_loupe_width(self.workshop.loupe_width * factors[event.key()])
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event) -> None:
        if self._worker is not None and self.frame is not None:
            self._worker.looked_at = LOUPE

    def leaveEvent(self, event) -> None:
        if self._worker is not None:
            self._worker.looked_at = HERO

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor("#686868"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is None:
            painter.setPen(QColor(THEME.on_surround))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "Right-click the product\nto look at it close up"
            )
        else:
            painter.drawImage(self.rect(), self._image)
        paint_caption(painter, self.rect(), TOP_LEFT, f"Loupe  ·  {self.workshop.loupe_width:.3g} mm")
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
