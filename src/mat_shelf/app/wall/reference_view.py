"""The reference: a photograph beside the render, to compare with."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QIcon, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QSizePolicy, QWidget

from mat_shelf.app.theme import THEME, font
from mat_shelf.app.wall.caption import TOP_LEFT, paint_caption, paint_hint
from mat_shelf.app.wall.comparison import Comparison, away_from, patch_color
from mat_shelf.app.wall.tools.eyedropper import paint_point
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.reference import Reference
from mat_shelf.optics.color import lab_from_linear
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

    def __init__(self, workshop: Workshop, comparison: Comparison):
        super().__init__()
        self.setAccessibleName("Reference")
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 120)
        self.setToolTip(
            "Drop photographs here, or click. The wheel zooms, a drag shifts, a double click fits.\n"
            "Page Down and Page Up show the next and the previous one, Delete removes it. Right-click for more.\n"
            "W in the picture wipes it against the render, Shift+W blends it in."
        )
        self.workshop, self.comparison = workshop, comparison
        self.image: QImage | None = None
        self.caption = QRect()
        self._pixels: np.ndarray | None = None
        self._shown: tuple[str, str] | None = None
        self._looks: dict[str, tuple[float, QPointF]] = {}  # zoom and shift of each reference
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self._last: QPointF | None = None
        self._read = ""
        self._listed: tuple[Reference, ...] = ()
        workshop.project_changed.connect(self._follow)
        comparison.changed.connect(self.update)
        self._follow()

    def _follow(self) -> None:
        reference = self.workshop.project.reference
        shown = (reference.id, reference.image.digest) if reference else None
        listed, self._listed = self._listed, self.workshop.project.references
        if shown == self._shown:
            if listed is not self._listed:  # another name, or one more
                self.update()
            return
        if self._shown is not None:
            self._looks[self._shown[0]] = self._zoom, self._shift
        self._shown = shown
        self.image = self._pixels = None
        self._read = ""
        if reference is not None:
            self._pixels = self.workshop.assets.references[reference.image.digest]
            height, width = self._pixels.shape[:2]
            self.image = QImage(self._pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
            self._zoom, self._shift = self._looks.get(reference.id, (1.0, QPointF(0, 0)))
        self.update()
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

    def _pixel(self, point: QPointF) -> QPointF | None:
        """Pixel of the image under a point of the widget."""
        if self.image is None:
            return None
        rect = self._picture_rect()
        if not rect.contains(point):
            return None
        x = (point.x() - rect.x()) / rect.width() * self.image.width()
        y = (point.y() - rect.y()) / rect.height() * self.image.height()
        return QPointF(min(x, self.image.width() - 1), min(y, self.image.height() - 1))

    def color_of(self, pixel: QPointF | None) -> tuple[float, float, float] | None:
        """Colour of the image round one of its pixels, linear Rec.709."""
        if self._pixels is None or pixel is None:
            return None
        return patch_color(self._pixels, int(pixel.x()), int(pixel.y()))

    def color_at(self, point: QPointF) -> tuple[float, float, float] | None:
        """CIELAB (D65) of the image under a point, over 5 x 5 of its pixels."""
        color = self.color_of(self._pixel(point))
        return tuple(float(v) for v in lab_from_linear(color)) if color is not None else None

    def mousePressEvent(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        place = event.position()
        if self.image is None and not self.caption.contains(place.toPoint()):
            self.choose_file()
        elif self.workshop.color_wanted is not None:
            self.comparison.pick(self.color_of(self._pixel(place)))
        elif self.comparison.is_aligning:
            if self._pixel(place) is not None:
                rect = self._picture_rect()
                self.comparison.take_image_point(away_from(rect.center(), place, rect.height()))
        else:
            self._last = place

    def choose_file(self) -> None:
        """Asks for a photograph."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Reference", str(home_folder()), PICTURES)
        if chosen:
            self.workshop.set_reference(Path(chosen))

    def show_beside(self, step: int) -> None:
        """Shows the next reference, or with -1 the previous one."""
        references = [reference.id for reference in self.workshop.project.references]
        if references:
            at = references.index(self.workshop.project.current_reference) if self._shown else -1
            self.workshop.choose_reference(references[(at + step) % len(references)])

    def contextMenuEvent(self, event) -> None:
        self.menu().popup(event.globalPos())

    def menu(self) -> QMenu:
        """The references, and what can be done with the one that is shown."""
        workshop, shown = self.workshop, self.workshop.project.reference
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def add(text: str, run, is_enabled: bool = True):
            action = menu.addAction(text.replace("&", "&&"))
            action.triggered.connect(lambda: run())
            action.setEnabled(is_enabled)
            return action

        for reference in workshop.project.references:
            action = add(reference.name, lambda r=reference: workshop.choose_reference(r.id))
            action.setIcon(QIcon(self._thumbnail(reference.image.digest)))
            action.setIconVisibleInMenu(True)
            if reference is shown:
                action.setFont(font(13, QFont.Weight.DemiBold))
        menu.addSeparator()
        add("Add…", self.choose_file)
        add("Rename…", self._rename, shown is not None)
        add("Remove\tDel", lambda: workshop.set_reference(None), shown is not None)
        menu.addSeparator()
        add("Align with the render", lambda: self.comparison.align(True), shown is not None)
        add("Fit the camera to it", lambda: self.comparison.align(True, fits_camera=True), shown is not None)
        add("Fill the picture", lambda: workshop.lay_reference(None), shown is not None and shown.overlap is not None)
        return menu

    def _thumbnail(self, digest: str) -> QPixmap:
        pixels = self.workshop.assets.references[digest]
        height, width = pixels.shape[:2]
        image = QImage(pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
        return QPixmap.fromImage(image.scaled(64, 44, Qt.AspectRatioMode.KeepAspectRatio))

    def _rename(self) -> None:
        shown = self.workshop.project.reference
        name, is_given = QInputDialog.getText(self, "Rename reference", "Name", text=shown.name)
        if is_given:
            self.workshop.rename_reference(shown.id, name)

    def mouseMoveEvent(self, event) -> None:
        if self._last is not None:
            self._shift += event.position() - self._last
            self._last = event.position()
        self.comparison.point_at("Reference", self.color_of(self._pixel(event.position())))
        lab = self.color_at(event.position())
        self._read = "L {:.0f}  a {:.0f}  b {:.0f}".format(*lab) if lab else ""
        is_taking = self.workshop.color_wanted is not None or self.comparison.is_aligning
        self.setCursor(Qt.CursorShape.CrossCursor if is_taking else Qt.CursorShape.ArrowCursor)
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
        elif event.key() in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.show_beside(1 if event.key() == Qt.Key.Key_PageDown else -1)
        elif event.key() == Qt.Key.Key_Escape and self.comparison.is_aligning:
            self.comparison.align(False)
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            event.acceptProposedAction()
            for file in files:
                self.workshop.set_reference(Path(file))

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(THEME.pane))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(QColor(THEME.on_surround))
        if self.image is None:
            paint_hint(painter, self.rect(), "Drop a photograph to compare with")
            caption = "Reference"
        else:
            painter.drawImage(self._picture_rect(), self.image)
            self._paint_points(painter)
            references = self.workshop.project.references
            name = self.workshop.project.reference.name
            if len(references) > 1:
                place = [r.id for r in references].index(self.workshop.project.current_reference) + 1
                name = f"{name}, {place} of {len(references)}"
            caption = f"{name}  ·  {self._read}" if self._read else name
        self.caption = paint_caption(painter, self.rect(), TOP_LEFT, caption)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _paint_points(self, painter: QPainter) -> None:
        """Points that were clicked to align the image."""
        if not self.comparison.is_aligning:
            return
        rect = self._picture_rect()
        points = [place for place, _ in self.comparison.pairs]
        points += [self.comparison.waiting] if self.comparison.waiting is not None else []
        for number, (x, y) in enumerate(points, 1):
            paint_point(painter, rect.center() + QPointF(x, y) * rect.height(), number)
