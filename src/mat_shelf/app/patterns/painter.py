"""The thread that draws patterns, and the pictures of them on the board."""

import threading
import time
from itertools import count

import numpy as np
from PyQt6.QtCore import QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from mat_shelf.app.fault_report import report
from mat_shelf.app.theme import THEME
from mat_shelf.document.pattern import Pattern, needed
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.thumbnail import pixels_of, values_of
from mat_shelf.system.processors import lower_priority

PAUSE_S, EDITING_S = 0.07, 0.3
"""While edits come in the wall goes first: a rest after each picture, and for how long after an edit."""


class Painter(QObject):
    """Draws patterns, what was asked for last first, aside from everything else; of each asker only the newest wish.

    Signals
    -------
    painted : int, QImage, ndarray
        Number of the asker, the picture, and the values it shows.
    """

    painted = pyqtSignal(int, QImage, object)

    def __init__(self):
        super().__init__()
        self._numbers = count()
        self._wanted: dict[int, tuple] = {}
        self._is_closing = False
        self._editing_until = 0.0
        self._changed = threading.Condition()
        self._thread = threading.Thread(target=self._run, name="painter", daemon=True)
        self._thread.start()

    def note_edit(self) -> None:
        """Leaves more of the machine to the picture on the wall for a moment."""
        self._editing_until = time.monotonic() + EDITING_S

    def new_asker(self) -> int:
        return next(self._numbers)

    def want(self, asker: int, pattern: Pattern, context: PatternContext, size: QSize, until: int | None) -> None:
        """Asks for a picture of a pattern after some of its steps."""
        with self._changed:
            self._wanted.pop(asker, None)
            self._wanted[asker] = (pattern, context, size, until)
            self._changed.notify()

    def forget(self, asker: int) -> None:
        with self._changed:
            self._wanted.pop(asker, None)

    def close(self) -> None:
        with self._changed:
            self._is_closing = True
            self._changed.notify()
        self._thread.join(timeout=30)

    def _run(self) -> None:
        lower_priority()
        while True:
            with self._changed:
                while not self._wanted and not self._is_closing:
                    self._changed.wait()
                if self._is_closing:
                    return
                asker, (pattern, context, size, until) = self._wanted.popitem()  # what is looked at now comes last
            try:
                values = values_of(pattern, context, size.width(), size.height(), until)
                self.painted.emit(asker, image_of(pixels_of(values)), values)
            except Exception as fault:  # one pattern that cannot be drawn leaves the others their pictures
                report(fault)
            if time.monotonic() < self._editing_until:
                time.sleep(PAUSE_S)


def image_of(pixels: np.ndarray) -> QImage:
    """A picture, (H, W, 3) uint8, for Qt."""
    height, width = pixels.shape[:2]
    return QImage(np.ascontiguousarray(pixels).data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class PatternPicture(QWidget):
    """A small picture of a pattern that keeps up with it.

    Attributes
    ----------
    pixmap : QPixmap or None
    values : ndarray or None
        What it shows, as values.

    Signals
    -------
    painted
        There is a new picture.
    """

    painted = pyqtSignal()

    def __init__(self, painter: Painter, size: QSize):
        super().__init__()
        self.setFixedSize(size)
        self._painter, self._asker = painter, painter.new_asker()
        self._shown: tuple = ()
        self.pixmap: QPixmap | None = None
        self.values: np.ndarray | None = None
        painter.painted.connect(self._take, Qt.ConnectionType.QueuedConnection)

    def show_pattern(self, pattern: Pattern | None, context: PatternContext, until: int | None = None) -> None:
        """Shows a pattern after some of its steps."""
        if pattern is None:
            self._shown, self.pixmap, self.values = (), None, None
            self._painter.forget(self._asker)
            self.update()
            return
        key = (tuple(needed([pattern.id], dict(context.patterns) | {pattern.id: pattern})), until)
        if key != self._shown:
            self._shown = key
            self._painter.want(self._asker, pattern, context, self.size() * self.devicePixelRatioF(), until)

    def let_be(self) -> None:
        """Asks no more for a picture that is not there yet."""
        if self.pixmap is None:
            self._shown = ()
            self._painter.forget(self._asker)

    def _take(self, asker: int, image: QImage, values) -> None:
        if asker == self._asker and self._shown:
            self.pixmap, self.values = QPixmap.fromImage(image), values
            self.pixmap.setDevicePixelRatio(self.devicePixelRatioF())
            self.painted.emit()
            self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        paint_picture(painter, self.rect().toRectF(), self.pixmap, 5)


def paint_picture(painter: QPainter, box, pixmap: QPixmap | None, radius: float, edge: str | None = None) -> None:
    """Paints a picture with round corners, or its empty place."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    shape = QPainterPath()
    inner = box.adjusted(1, 1, -1, -1)
    shape.addRoundedRect(inner, radius, radius)
    if pixmap is not None:
        painter.save()
        painter.setClipPath(shape)
        painter.drawPixmap(inner, pixmap, pixmap.rect().toRectF())
        painter.restore()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(edge or THEME.line), 2 if edge else 1))
    painter.drawPath(shape)
