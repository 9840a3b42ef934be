"""Render and reference compared: colours that are pointed at in either, and points that are the same in both: by these
the reference is laid over the render, or the camera is fitted to it.
"""

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, pyqtSignal
from PyQt6.QtGui import QTransform

from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.references import overlap_of
from mat_shelf.document.reference import Overlap
from mat_shelf.optics.color import color_difference, decode_srgb, hex_from_linear, lab_from_linear
from mat_shelf.rendering.camera import FRAME
from mat_shelf.rendering.camera_fitting import LEAST_POINTS
from mat_shelf.rendering.region import film_size

PATCH = 2
"""Pixels on each side of the one that is pointed at, over which its colour is averaged."""
Place = tuple[float, float]


class Comparison(QObject):
    """Colours and points of the render and of the reference.

    Attributes
    ----------
    is_reading : bool
        Whether colours are read by the eyedropper.
    colors : dict of (3,) float
        Linear Rec.709 that was pointed at last, of "Render" and "Reference".
    is_aligning : bool
        Whether clicks give points that are the same.
    fits_camera : bool
        Whether the camera is fitted to them, else the reference is laid over the render.
    pairs : list of (Place, Place)
        Points of the reference and of the render, as `Overlap` has lengths; of the product, mm, for the camera.
    waiting : Place or None
        A point of the reference whose like in the render is clicked next.

    Signals
    -------
    changed
    """

    changed = pyqtSignal()

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.is_reading = self.is_aligning = self.fits_camera = False
        self.colors: dict[str, tuple[float, float, float]] = {}
        self.pairs: list[tuple[Place, tuple[float, ...]]] = []
        self.waiting: Place | None = None

    def read(self, is_reading: bool) -> None:
        """Begins or ends to read colours."""
        self.is_reading, self.colors = is_reading, {}
        self.changed.emit()

    def point_at(self, whose: str, color: tuple[float, float, float] | None) -> None:
        """Takes the colour under the pointer, if there is one."""
        if self.is_reading and color is not None:
            self.colors[whose] = color
            self.changed.emit()

    def pick(self, color: tuple[float, float, float] | None) -> bool:
        """Gives a colour that was clicked to what waits for one; whether something did."""
        wanted = self.workshop.color_wanted
        if wanted is None or color is None:
            return False
        self.workshop.color_wanted = None
        wanted(color)
        self.changed.emit()
        return True

    def lines(self) -> list[tuple[str, tuple[float, float, float] | None]]:
        """Readings in words, each with its colour."""
        found = []
        for whose, color in self.colors.items():
            light, a, b = lab_from_linear(color)
            found.append((f"{whose}   {hex_from_linear(color)}   L {light:.1f}  a {a:.1f}  b {b:.1f}", color))
        if len(self.colors) == 2:
            one, other = (lab_from_linear(color) for color in self.colors.values())
            found.append((f"Difference   ΔE {float(color_difference(one, other)):.1f}", None))
        return found

    def align(self, is_aligning: bool, fits_camera: bool = False) -> None:
        """Begins or ends to take points."""
        self.is_aligning, self.fits_camera, self.pairs, self.waiting = is_aligning, fits_camera, [], None
        if is_aligning:
            seen, often = ("product", "four times") if fits_camera else ("render", "twice")
            self.workshop.said.emit(
                f"Click a point of the reference, then the same point of the {seen}; {often} or more. Escape ends."
            )
        self.workshop.history.end_gesture()
        self.changed.emit()

    def take_image_point(self, place: Place) -> None:
        """Takes a point of the reference."""
        self.waiting = place
        self.changed.emit()

    def take_picture_point(self, place: Place) -> None:
        """Takes the same point of the render; from the second on, the reference is laid over it so."""
        if self.waiting is None:
            self.workshop.said.emit("Click the point in the reference first, then the same one here.")
            return
        self.pairs.append((self.waiting, place))
        self.waiting = None
        if len(self.pairs) > 1:
            try:
                self.workshop.lay_reference(overlap_of(self.pairs), "align")
            except ValueError as fault:
                self.pairs.pop()
                self.workshop.said.emit(f"Not aligned: {fault}. Click others.")
        self.changed.emit()

    def take_product_point(self, point: tuple[float, float, float] | None) -> None:
        """Takes the same point of the product, mm; from the fourth on, the camera is fitted to them."""
        if self.waiting is None:
            self.workshop.said.emit("Click the point in the reference first, then the same one here.")
            return
        if point is None:
            self.workshop.said.emit("Nothing is there; click the same point on the product.")
            return
        self.pairs.append((self.waiting, point))
        self.waiting = None
        if len(self.pairs) >= LEAST_POINTS and not self.workshop.fit_camera(self.pairs, "align"):
            self.pairs.pop()
        self.changed.emit()


def patch_color(pixels: np.ndarray, x: int, y: int) -> tuple[float, float, float]:
    """Mean colour round a pixel of an (H, W, 3) uint8 sRGB picture, linear Rec.709."""
    patch = pixels[max(y - PATCH, 0) : y + PATCH + 1, max(x - PATCH, 0) : x + PATCH + 1].reshape(-1, 3)
    return tuple(float(v) for v in decode_srgb(patch / 255.0).mean(axis=0))


def placed(overlap: Overlap | None, picture: QRectF, aspect: float) -> QTransform:
    """From heights of the image, from its middle, to points of the widget; an aspect is width by height."""
    frame = frame_height(picture)
    if overlap is None:
        overlap = Overlap(scale=max(picture.height(), picture.width() / aspect) / frame)
    middle = picture.center()
    made = QTransform.fromTranslate(middle.x(), middle.y())
    made.scale(frame, frame)
    made.translate(overlap.right, overlap.down)
    made.rotateRadians(overlap.turn)
    made.scale(overlap.scale, overlap.scale)
    return made


def frame_height(picture: QRectF) -> float:
    """Height of the camera's frame in a picture, pixels of the widget."""
    return FRAME[1] / film_size(picture.width(), picture.height())[1] * picture.height()


def away_from(middle: QPointF, point: QPointF, height: float) -> Place:
    """A point of a widget from a middle, in heights."""
    away = point - middle
    return away.x() / height, away.y() / height
