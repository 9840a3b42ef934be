"""The reference: a photograph beside the render, to compare with."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QFileDialog, QSizePolicy, QWidget

from mat_shelf.app.theme import THEME
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption
from mat_shelf.app.workshop import Workshop
from mat_shelf.optics.color import decode_srgb, lab_from_linear
from mat_shelf.system.user_folders import home_folder

PICTURES = "Images (*.png *.jpg *.jpeg *.tif *.tiff *.webp)"


class ReferenceView(QWidget):
    """A picture that can be zoomed and shifted; the colour under the pointer is read.

    Signals
    -------
    picture_changed
        Another picture, or none, is the reference.
    fill_wanted
        The caption was double-clicked.
    """

    picture_changed = pyqtSignal()
    fill_wanted = pyqtSignal()

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setAccessibleName("Reference")
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 120)
        self.setToolTip(
            "Drop a photograph here, or click. The wheel zooms, a drag shifts, a double click fits,\n"
            "Delete removes it. W in the picture wipes it against the render.\n"
            "A double click on the caption lets it fill the window."
        )
        self.workshop = workshop
        self.image: QImage | None = None
        self.caption = QRect()
        self._pixels: np.ndarray | None = None
        self._shown_digest: str | None = None
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self._last: QPointF | None = None
        self._read = ""
        workshop.project_changed.connect(self._follow)
        self._follow()

    def _follow(self) -> None:
        reference = self.workshop.project.reference
        digest = reference.digest if reference else None
        if digest == self._shown_digest:
            return
        self._shown_digest = digest
        self.image = self._pixels = None
        self._read = ""
        if reference is not None:
            self._pixels = self.workshop.assets.references[digest]
            height, width = self._pixels.shape[:2]
            self.image = QImage(self._pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
        self._fit()
        self.picture_changed.emit()

    def _fit(self) -> None:
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self.update()

    def _picture_rect(self) -> QRectF:
        """Rectangle of the whole image in the widget."""
        scale = min(self.width() / self.image.width(), self.height() / self.image.height()) * self._zoom
        width, height = self.image.width() * scale, self.image.height() * scale
        middle = QPointF(self.width() / 2, self.height() / 2) + self._shift
        return QRectF(middle.x() - width / 2, middle.y() - height / 2, width, height)

    def color_at(self, point: QPointF) -> tuple[float, float, float] | None:
        """CIELAB (D65) of the picture under a point, over 5 x 5 of its pixels."""
        if self._pixels is None:
            return None
        rect = self._picture_rect()
        if not rect.contains(point):
            return None
        height, width = self._pixels.shape[:2]
        x = min(int((point.x() - rect.x()) / rect.width() * width), width - 1)
        y = min(int((point.y() - rect.y()) / rect.height() * height), height - 1)
        patch = self._pixels[max(y - 2, 0) : y + 3, max(x - 2, 0) : x + 3].reshape(-1, 3)
        return tuple(float(v) for v in lab_from_linear(decode_srgb(patch / 255.0).mean(axis=0)))

    def mousePressEvent(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.image is None and not self.caption.contains(event.position().toPoint()):
            chosen, _ = QFileDialog.getOpenFileName(self, "Reference", str(home_folder()), PICTURES)
            if chosen:
                self.workshop.set_reference(Path(chosen))
            return
        self._last = event.position()

    def mouseMoveEvent(self, event) -> None:
        if self._last is not None:
            self._shift += event.position() - self._last
            self._last = event.position()
        lab = self.color_at(event.position())
        self._read = "L {:.0f}  a {:.0f}  b {:.0f}".format(*lab) if lab else ""
        self.update()

    def mouseReleaseEvent(self, event) -> None:
        self._last = None

    def mouseDoubleClickEvent(self, event) -> None:
        if self.caption.contains(event.position().toPoint()):
            self.fill_wanted.emit()
        else:
            self._fit()

    def leaveEvent(self, event) -> None:
        self._read = ""
        self.update()

    def wheelEvent(self, event) -> None:
        if self.image is None:
            return
        factor = 1.15 ** (event.angleDelta().y() / 120)
        zoom = min(max(self._zoom * factor, 0.2), 40.0)
        # What is under the pointer stays there.
        away = event.position() - QPointF(self.width() / 2, self.height() / 2)
        self._shift = away - (away - self._shift) * (zoom / self._zoom)
        self._zoom = zoom
        self.update()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Delete and self.image is not None:
            self.workshop.set_reference(None)
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            event.acceptProposedAction()
            self.workshop.set_reference(Path(files[0]))

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(THEME.pane))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(QColor(THEME.on_surround))
        if self.image is None:
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Drop a photograph\nto compare with")
            caption = "Reference"
        else:
            painter.drawImage(self._picture_rect(), self.image)
            caption = f"Reference  ·  {self._read}" if self._read else "Reference"
        self.caption = paint_caption(painter, self.rect(), TOP_LEFT, caption)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
