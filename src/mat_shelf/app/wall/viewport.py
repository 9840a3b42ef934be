"""The viewport: the product through its camera, with tools for the mouse, the keys and drops."""

from PyQt6.QtCore import QEvent, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from mat_shelf.app.theme import OUTLINE, THEME, font
from mat_shelf.app.wall.caption import BOTTOM_RIGHT, TOP_LEFT, paint_caption
from mat_shelf.app.wall.picker import Picker
from mat_shelf.app.wall.render_worker import MAIN, RenderWorker
from mat_shelf.app.wall.tools.aim_light import AimLight
from mat_shelf.app.wall.tools.carry import Carry
from mat_shelf.app.wall.tools.close_up_point import CloseUpPoint
from mat_shelf.app.wall.tools.crop_frame import CropFrame
from mat_shelf.app.wall.tools.faces import Faces
from mat_shelf.app.wall.tools.finish_split import FinishSplit
from mat_shelf.app.wall.tools.focus import Focus
from mat_shelf.app.wall.tools.horizon_lines import HorizonLines
from mat_shelf.app.wall.tools.input_legend import InputLegend
from mat_shelf.app.wall.tools.light_handles import LightHandles
from mat_shelf.app.wall.tools.light_meter import LightMeter
from mat_shelf.app.wall.tools.measure import Measure
from mat_shelf.app.wall.tools.move_handles import MoveHandles
from mat_shelf.app.wall.tools.navigate import Navigate
from mat_shelf.app.wall.tools.part_menu import PartMenu
from mat_shelf.app.wall.tools.region import Region
from mat_shelf.app.wall.tools.select import Select
from mat_shelf.app.wall.tools.sharp_zone import SharpZone
from mat_shelf.app.wall.tools.snapshots import Snapshots
from mat_shelf.app.wall.tools.swatch_drop import SwatchDrop
from mat_shelf.app.wall.tools.tool import Tool
from mat_shelf.app.wall.tools.turn_lights import TurnLights
from mat_shelf.app.wall.tools.uv_overlay import UvOverlay
from mat_shelf.app.wall.tools.wipe import Wipe
from mat_shelf.app.widgets.paced import HAND_MS, Paced
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.rendering.frame import Frame
from mat_shelf.rendering.navigation import framed
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.session import REST_SAMPLES

MARGIN = 6
PREPARING = "Preparing the picture.\nThe first start compiles the renderer and takes up to a minute."


class Viewport(QWidget):
    """Shows the newest frame, and passes events on to its tools.

    The view in use stays where it is: moving about is done with a free camera.

    Attributes
    ----------
    tools : list of Tool
        Events go to the last one first, see `Tool`.
    mode : str
        What a click does: "" selects, "faces" selects faces, "measure" measures.

    Signals
    -------
    focused
        What is to be sharp was clicked.
    aimed
        Lights are no longer aimed by clicks.
    measured : float
        Distance between two points that were clicked, mm; 0 after the first.
    fill_wanted
        The caption was double-clicked.
    resized
        It has another size.
    material_wanted, export_wanted
        The board is to show the material of what is selected.
    """

    focused = pyqtSignal()
    aimed = pyqtSignal()
    measured = pyqtSignal(float)
    fill_wanted = pyqtSignal()
    material_wanted = pyqtSignal()
    export_wanted = pyqtSignal()
    resized = pyqtSignal()

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.setObjectName("viewport")
        self.setAccessibleName("Picture")
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(320, 220)
        self.setToolTip(
            "Click a part to edit its material. Drag to orbit, Shift+drag to pan, turn the wheel to zoom;\n"
            "double-click or F frames the part, Home returns to the view.\n"
            "Right-click for more. C moves the close-up to the pointer; Shift+C puts a coloured ball there.\n"
            "Double-click the caption and the picture fills the window. "
            "Alt+A and Alt+B take snapshots, A and B show them. Ctrl+drag draws a region; only that is refined then."
        )
        self.workshop, self.work = workshop, work
        self.mode = ""
        self.frame: Frame | None = None
        self.caption = QRect()
        self.image: QImage | None = None
        self.revision = 0
        self._is_held = False
        self._worker: RenderWorker | None = None
        self._size = (0, 0)
        self._resized = QTimer(self, singleShot=True, interval=60)
        self._resized.timeout.connect(self._ask_for_size)
        self.picker = Picker(self)
        self.tools: list[Tool] = []
        self._holder: Tool | None = None  # it took the button that is held
        self._untold: QMouseEvent | None = None
        self._pace = QTimer(self, singleShot=True, interval=HAND_MS)
        self._pace.timeout.connect(self._catch_up)
        self._overlaid = Paced(self, workshop, self.update)
        self.navigate, self.uv_overlay, self.wipe = Navigate(self), UvOverlay(self), Wipe(self)
        self.select, self.snapshots, self.swatch_drop = Select(self), Snapshots(self), SwatchDrop(self)
        self.region, self.input_legend = Region(self), InputLegend(self)
        self.measure, self.faces, self.focus = Measure(self), Faces(self), Focus(self)
        self.move_handles, self.close_up_point = MoveHandles(self), CloseUpPoint(self)
        self.part_menu, self.carry = PartMenu(self), Carry(self)
        self.turn_lights, self.crop_frame = TurnLights(self), CropFrame(self)
        self.light_handles, self.aim_light = LightHandles(self), AimLight(self)
        self.finish_split = FinishSplit(self)
        self.light_meter, self.horizon_lines, self.sharp_zone = LightMeter(self), HorizonLines(self), SharpZone(self)
        workshop.project_changed.connect(self._follow)
        workshop.camera_changed.connect(self._follow)
        workshop.selection_changed.connect(self.update)
        workshop.close_up_changed.connect(self.update)
        workshop.ball_changed.connect(self._follow)
        workshop.shown_changed.connect(self._follow)
        workshop.region_changed.connect(self._refine_region)
        work.faces_changed.connect(self.update)

    def use(self, worker: RenderWorker) -> None:
        """Shows the pictures of another worker from now on."""
        self._worker = worker
        self.frame = self.image = None
        self.snapshots.taken = {}
        if self._size != (0, 0):
            worker.resize(MAIN, *self._size)
            worker.compare_finish(MAIN, self.finish_split.share is not None)
            self._follow()
            self._refine_region()

    def _follow(self) -> None:
        self.snapshots.shown = None
        if self._worker is not None and self._size != (0, 0):
            self._worker.look_at(MAIN, self.workshop.input_shown)
            self.revision = self._worker.update(
                MAIN, self.workshop.shown_project, self.workshop.free_camera, self.workshop.ball
            )
        if self._holder is not None:
            self.update()
        else:  # what is dragged elsewhere shows when its picture comes
            self._overlaid.note()

    def compare_finish(self, compares: bool) -> None:
        """Asks for the picture as rendered too, or no longer."""
        if self._worker is not None:
            self.revision = self._worker.compare_finish(MAIN, compares)
        self.update()

    def _refine_region(self) -> None:
        if self._worker is not None and self._size != (0, 0):
            place = self.workshop.region
            self._worker.refine_region(MAIN, place and PictureRegion.of_film(place, *self._size))

    def show_frame(self, frame: Frame) -> None:
        """Takes the newest picture."""
        self.frame = frame
        height, width = frame.pixels.shape[:2]
        self.image = QImage(frame.pixels.data, width, height, width * 3, QImage.Format.Format_RGB888)
        self.update()

    def show_held(self, is_held: bool) -> None:
        """Says that the picture waits, or goes on."""
        self._is_held = is_held
        self.update()

    @property
    def picture_rect(self) -> QRect:
        """Rectangle of the picture in the widget."""
        return self.rect().adjusted(MARGIN, MARGIN, -MARGIN, -MARGIN)

    def resizeEvent(self, event) -> None:
        self._resized.start()
        super().resizeEvent(event)
        self.resized.emit()

    def _ask_for_size(self) -> None:
        rect, ratio = self.picture_rect, self.devicePixelRatioF()
        size = (round(rect.width() * ratio), round(rect.height() * ratio))
        if size == self._size or self._worker is None:
            return
        is_first = self._size == (0, 0)
        self._size = size
        self.revision = self._worker.resize(MAIN, *size)
        self._refine_region()
        if is_first:
            self._follow()

    def set_mode(self, mode: str) -> None:
        """Changes what a click does."""
        self.mode = mode
        self.measure.reset()
        self.faces.reset()
        self.update()

    def frame_part(self, part_id: str) -> None:
        """Fills the view with a part."""
        bounds = self.work.bounds([self.workshop.project.part(part_id)])
        self.workshop.explore(framed(self.workshop.camera, bounds))

    def pass_on(self, what: str, event) -> bool:
        """Passes an event to the tools, by the name of their method; whether one took it."""
        return self._taker(what, event) is not None

    def _taker(self, what: str, event) -> Tool | None:
        return next((tool for tool in reversed(self.tools) if getattr(tool, what)(event)), None)

    def mousePressEvent(self, event) -> None:
        self._catch_up()
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self.setFocus()
        self._holder = self._taker("press", event)

    def mouseMoveEvent(self, event) -> None:
        if self._holder is not None and self._holder.makes_edits and event.buttons():
            if self._pace.isActive():
                self._untold = event.clone()
                return
            self._pace.start()
        self._untold = None
        self.pass_on("move", event)

    def _catch_up(self) -> None:
        """Tells where the hand came to since the last move that was told."""
        event, self._untold = self._untold, None
        self._pace.stop()
        if event is not None:
            self.mouseMoveEvent(event)

    def mouseReleaseEvent(self, event) -> None:
        self._catch_up()
        self._holder = None
        self.pass_on("release", event)

    def mouseDoubleClickEvent(self, event) -> None:
        if self.caption.contains(event.position().toPoint()):
            self.fill_wanted.emit()
            return
        self.pass_on("double_click", event)

    def event(self, event) -> bool:
        if event.type() == QEvent.Type.NativeGesture:
            if event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture:
                self.navigate.zoom(1 / max(1 + event.value(), 0.1), event.position())
            return True
        return super().event(event)

    def wheelEvent(self, event) -> None:
        self.pass_on("wheel", event)

    def keyPressEvent(self, event) -> None:
        if self.pass_on("key", event):
            event.accept()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event) -> None:
        if self.pass_on("key_release", event):
            event.accept()
        else:
            super().keyReleaseEvent(event)

    def leaveEvent(self, event) -> None:
        for tool in self.tools:
            tool.leave()

    def dragEnterEvent(self, event) -> None:
        self.pass_on("drag", event)

    def dragMoveEvent(self, event) -> None:
        self.pass_on("drag", event)

    def dragLeaveEvent(self, event) -> None:
        self.pass_on("drag", event)

    def dropEvent(self, event) -> None:
        self.pass_on("drag", event)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(THEME.surround))
        rect = self.picture_rect
        if self.image is None:
            painter.setPen(QColor(THEME.on_surround))
            painter.setFont(font(14))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, PREPARING)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        shown = self.snapshots.shown
        painter.drawImage(rect, self.image if shown is None else self.snapshots.taken[shown])
        if shown is not None:
            paint_caption(painter, rect, TOP_LEFT, f"Snapshot {shown}")
            return
        for tool in self.tools:
            tool.paint(painter)
        painter.setClipping(False)
        self._paint_captions(painter, rect)
        if self.hasFocus():
            painter.setPen(QColor(THEME.on_surround))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(rect).adjusted(-1.5, -1.5, 0.5, 0.5))

    def _paint_captions(self, painter: QPainter, rect: QRect) -> None:
        camera, frame = self.workshop.camera, self.frame
        is_free = self.workshop.free_camera is not None
        looking = "Free camera, Home returns" if is_free else self.workshop.project.view.name
        aperture = f" f/{camera.f_stop:g}" if camera.f_stop else ""
        words = f"{looking}  ·  {round(camera.focal_length, 1):g} mm{aperture}  ·  {self.workshop.project.set.name}"
        self.caption = paint_caption(painter, rect, TOP_LEFT, words)
        state = "Paused, Ctrl+P goes on   " if self._is_held else ""
        counted = f"{frame.samples} sample{'s' * (frame.samples != 1)}   {frame.seconds:.1f} s"
        paint_caption(painter, rect, BOTTOM_RIGHT, state + counted)
        progress = min(frame.samples / REST_SAMPLES, 1.0) if not frame.is_coarse else 0.0
        painter.fillRect(QRectF(rect.left(), rect.bottom() - 1, rect.width() * progress, 2), QColor(OUTLINE))
