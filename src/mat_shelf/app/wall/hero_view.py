"""The hero view: the product through its camera, where pieces are picked and swatches dropped."""

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from mat_shelf.app.shelf.swatch_drag import dragged_swatch
from mat_shelf.app.theme import THEME, font
from mat_shelf.app.wall.outline import outline_image
from mat_shelf.app.wall.render_worker import RenderWorker
from mat_shelf.app.workshop import Workshop
from mat_shelf.rendering.session import REST_SAMPLES, Frame

MARGIN = 10


class HeroView(QWidget):
    """Shows the newest frame; a click selects the part under it."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setObjectName("hero")
        self.setAccessibleName("Hero view")
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 220)
        self.setToolTip("Click a piece to tune its material. Page Up and Page Down go from piece to piece.")
        self.workshop = workshop
        self.frame: Frame | None = None
        self.revision = 0
        self._image: QImage | None = None
        self._outline: QImage | None = None
        self._outlined: tuple | None = None
        self._under_drop: str | None = None
        self._worker: RenderWorker | None = None
        self._size = (0, 0)
        self._resized = QTimer(self, singleShot=True, interval=60)
        self._resized.timeout.connect(self._ask_for_size)
        workshop.project_replaced.connect(self._new_worker)
        workshop.project_changed.connect(self._follow)
        workshop.selection_changed.connect(self.update)
        self._new_worker()

    def close_worker(self) -> None:
        if self._worker is not None:
            self._worker.close()
            self._worker = None

    def pause(self, paused: bool) -> None:
        if self._worker is not None:
            self._worker.pause(paused)

    def _new_worker(self) -> None:
        self.close_worker()
        self._worker = RenderWorker(self.workshop.meshes)
        self._worker.frame_ready.connect(self._show, Qt.ConnectionType.QueuedConnection)
        self._worker.failed.connect(self.workshop.said)
        self.frame = None
        self._image = None
        if self._size != (0, 0):
            self._worker.resize(*self._size)
            self._follow()

    def _follow(self) -> None:
        if self._worker is not None and self._size != (0, 0):
            self.revision = self._worker.update(self.workshop.project)
        self.update()

    def _show(self, frame: Frame) -> None:
        if self.sender() is not self._worker:
            return
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
        self.revision = self._worker.resize(*size)
        if is_first:
            self._follow()

    def part_at(self, point: QPointF) -> str | None:
        """Id of the part seen at a point of the widget."""
        if self.frame is None:
            return None
        rect, seen = self.picture_rect, self.frame.part_at
        x = int((point.x() - rect.x()) / max(rect.width(), 1) * seen.shape[1])
        y = int((point.y() - rect.y()) / max(rect.height(), 1) * seen.shape[0])
        if not (0 <= y < seen.shape[0] and 0 <= x < seen.shape[1]) or seen[y, x] < 0:
            return None
        parts = self.workshop.project.product.parts
        return parts[seen[y, x]].id if seen[y, x] < len(parts) else None

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            self.workshop.select(self.part_at(event.position()))

    def mouseMoveEvent(self, event) -> None:
        over = self.part_at(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event) -> None:
        steps = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1}
        if event.key() == Qt.Key.Key_Escape:
            self.workshop.select(None)
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
        self._light_up(self.part_at(event.position()))
        if self._under_drop:
            event.acceptProposedAction()
        else:
            event.ignore()

    def dragLeaveEvent(self, event) -> None:
        self._light_up(None)

    def dropEvent(self, event) -> None:
        part, swatch = self.part_at(event.position()), dragged_swatch(event.mimeData())
        self._light_up(None)
        if part and swatch:
            event.acceptProposedAction()
            self.workshop.wear(part, swatch)

    def _light_up(self, part: str | None) -> None:
        if part != self._under_drop:
            self._under_drop = part
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
                "Getting the picture ready.\nThe very first start prepares the renderer and takes up to a minute.",
            )
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(rect, self._image)
        lit = self._under_drop or self.workshop.selected
        if lit:
            outline = self._outline_of(lit, fill=0.28 if self._under_drop else 0.0)
            if outline is not None:
                painter.drawImage(rect, outline)
        self._paint_words(painter, rect)
        if self.hasFocus():
            painter.setPen(QColor(THEME.on_surround))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(rect).adjusted(-1.5, -1.5, 0.5, 0.5))

    def _outline_of(self, part_id: str, fill: float) -> QImage | None:
        ids = [part.id for part in self.workshop.project.product.parts]
        if part_id not in ids:
            return None
        key = (id(self.frame.part_at), part_id, fill)
        if self._outlined != key:
            mask: np.ndarray = self.frame.part_at == ids.index(part_id)
            self._outline = outline_image(mask, QColor("#16A394"), fill) if mask.any() else None
            self._outlined = key
        return self._outline

    def _paint_words(self, painter: QPainter, rect: QRect) -> None:
        studio = self.workshop.project.set
        aperture = f" f/{studio.camera.f_stop:g}" if studio.camera.f_stop else ""
        frame = self.frame
        progress = min(frame.samples / REST_SAMPLES, 1.0) if not frame.is_coarse else 0.0
        painter.setFont(font(12, tabular=True))
        inner = rect.adjusted(12, 9, -12, -9)
        for text, where in (
            (
                f"Hero  ·  {studio.camera.focal_length:g} mm{aperture}  ·  {studio.name}",
                Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
            ),
            (
                f"{frame.samples} samples   {frame.seconds:.1f} s",
                Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight,
            ),
        ):
            box = painter.boundingRect(inner, where, text).adjusted(-7, -3, 7, 3)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(38, 38, 38, 150))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(QColor(THEME.on_surround))
            painter.drawText(inner, where, text)
        painter.fillRect(QRectF(rect.left(), rect.bottom() - 1, rect.width() * progress, 2), QColor("#16A394"))
