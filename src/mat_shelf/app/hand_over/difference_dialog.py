"""Two pictures compared: the render, kept ones, references and files, their difference as a map and as numbers."""

from functools import partial
from pathlib import Path
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QLinearGradient, QPainter, QPalette
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.job import Job
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.picture_comparison import MAPS, at_one_size, read_picture, shown_map, write_map
from mat_shelf.rendering.picture_difference import PictureDifference, difference_map, picture_difference
from mat_shelf.system.file_writer import words_of

_FILE = "A file…"
_FILES = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.webp *.exr *.psd)"
_SHOWN = ("First picture", "Second picture", *(words for words, _ in MAPS.values()))


class _Choice(NamedTuple):
    """A picture to choose: pixels that are there, or a file."""

    pixels: np.ndarray | None = None
    path: Path | None = None


class DifferenceDialog(QDialog):
    """Stays open beside the window; what it shows is read anew when it is opened or another picture is chosen."""

    def __init__(self, workshop: Workshop, viewport, parent=None):
        super().__init__(parent)
        self.setWindowTitle("Compare pictures")
        self.setModal(False)
        self.workshop, self.viewport = workshop, viewport
        self._files: list[Path] = []
        self._job: Job | None = None
        self._pictures: tuple[np.ndarray, ...] = ()  # as `_SHOWN` names them
        self.difference: PictureDifference | None = None
        self.boxes = QComboBox(), QComboBox()
        for box, name in zip(self.boxes, _SHOWN, strict=False):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.activated.connect(lambda _, box=box: self._choose(box))
        self.shown_box = QComboBox()
        self.shown_box.setAccessibleName("Shown")
        self.shown_box.addItems(_SHOWN)
        self.shown_box.setCurrentIndex(2)
        self.shown_box.currentIndexChanged.connect(self._show)
        self.again_button = QPushButton("Compare again")
        self.again_button.setToolTip("Takes the render as it is now, and reads files anew")
        self.again_button.clicked.connect(self.compare)
        self.save_button = QPushButton("Save map…")
        self.save_button.clicked.connect(self._save)
        self.picture = _Picture()
        self.picture.pointed.connect(self._tell_value)
        self.legend = _Legend()
        self.numbers, self.value = PlainLabel(), PlainLabel()
        for label in (self.numbers, self.value):
            label.setFont(font(12, tabular=True))
            label.setProperty("role", "quiet")
        self.numbers.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.numbers.setWordWrap(True)
        self.numbers.setMinimumHeight(2 * self.numbers.fontMetrics().lineSpacing() + 2)
        self._lay_out()

    def _lay_out(self) -> None:
        head, foot = QGridLayout(), QHBoxLayout()
        head.setHorizontalSpacing(10)
        head.setVerticalSpacing(6)
        for column, (words, box) in enumerate(
            (("Picture", self.boxes[0]), ("Compared with it", self.boxes[1]), ("Shown", self.shown_box))
        ):
            head.addWidget(PlainLabel(words), 0, column)
            head.addWidget(box, 1, column)
            head.setColumnStretch(column, 1)
        for widget in (self.legend, self.value):
            foot.addWidget(widget)
        foot.addStretch(1)
        foot.addWidget(self.again_button)
        foot.addWidget(self.save_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addWidget(self.picture, 1)
        layout.addWidget(self.numbers)
        layout.addLayout(foot)
        self.resize(900, 720)

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._offer()
        self.compare()

    def _offer(self) -> None:
        """Offers the render, snapshots, references and files, the newest snapshot or reference chosen."""
        project, assets = self.workshop.project, self.workshop.assets
        choices = [("The render as it is now", _Choice())]
        for letter, image in self.viewport.snapshots.taken.items():
            choices.append((f"Snapshot {letter}", _Choice(_pixels_of(image))))
        for reference in project.references:
            pixels = assets.references.get(reference.image.digest)
            if pixels is not None:
                choices.append((reference.name, _Choice(pixels)))
        choices += [(path.name, _Choice(path=path)) for path in self._files]
        for place, box in enumerate(self.boxes):
            before = box.currentText()
            box.clear()
            for words, choice in choices:
                box.addItem(words, choice)
            box.addItem(_FILE)
            found = box.findText(before) if before and before != _FILE else -1
            other = min(1, len(choices) - 1)  # what was, and then what is
            box.setCurrentIndex(found if found >= 0 else (other, 0)[place])

    def _choose(self, box: QComboBox) -> None:
        if box.currentText() != _FILE:
            self.compare()
            return
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Picture", str(self._files[-1].parent if self._files else ""), _FILES
        )
        if chosen and Path(chosen) not in self._files:
            self._files.append(Path(chosen))
        self._offer()
        if chosen:
            box.setCurrentText(Path(chosen).name)
        self.compare()

    def compare(self) -> None:
        """Compares the chosen pictures, on a thread."""
        if self._job is not None:
            self._job.cancel()  # it ends by itself; nobody waits for it
        chosen = [box.currentData() or _Choice() for box in self.boxes]
        frame = self.viewport.frame
        render = None if frame is None else frame.pixels
        if render is None and any(each.pixels is None and each.path is None for each in chosen):
            self._refuse("there is no render yet; wait a moment")
            return
        self.numbers.setText("Comparing…")

        def work(job: Job):
            read = []
            for each in chosen:
                try:
                    read.append(read_picture(each.path) if each.path is not None else _or(each.pixels, render))
                except ImageError as fault:
                    raise ImageError(f"{each.path.name}: {fault}") from fault
            pictures = at_one_size(*read)
            difference = picture_difference(*pictures, lambda: job.is_cancelled)
            return (*pictures, *(shown_map(difference, kind) for kind in MAPS)), difference, difference.numbers()

        self._job = Job(work, self._take, lambda fault: self._refuse(words_of(fault)), (ImageError, OSError), self)
        self._job.over.connect(self._job.deleteLater)
        self._job.over.connect(partial(self._let_go, self._job))
        self._job.start()

    def _let_go(self, job: Job) -> None:
        if self._job is job:
            self._job = None

    def _take(self, made) -> None:
        self._pictures, self.difference, found = made
        height, width = self.difference.colors.shape
        self.numbers.setText(
            f"Colour difference (CIEDE2000): {found['ciede2000_mean']:.2f} on average, 95 % below "
            f"{found['ciede2000_95']:.2f}, at most {found['ciede2000_most']:.1f}; above 1 in "
            f"{100 * found['share_just_seen']:.0f} % of the picture, above 3 in "
            f"{100 * found['share_clearly_seen']:.0f} %.   "
            f"Seen difference (FLIP): {found['flip_mean']:.3f}.   At {width} × {height} pixels"
        )
        self._show()

    def _refuse(self, words: str) -> None:
        self._pictures, self.difference = (), None
        self.numbers.setText(f"{words[0].upper()}{words[1:]}.")
        self._show()

    def _kind(self) -> str | None:
        """Key of the map that is shown; None for a picture."""
        place = self.shown_box.currentIndex()
        return None if place < 2 else list(MAPS)[place - 2]

    def _show(self) -> None:
        kind = self._kind()
        self.save_button.setEnabled(self.difference is not None and kind is not None)
        self.legend.show_up_to(None if kind is None else MAPS[kind][1])
        self.value.clear()
        self.picture.show_pixels(self._pictures[self.shown_box.currentIndex()] if self._pictures else None)

    def _tell_value(self, x: int, y: int) -> None:
        if self.difference is None or x < 0:
            self.value.clear()
            return
        colors, seen = self.difference.colors[y, x], self.difference.seen[y, x]
        self.value.setText(f"At {x}, {y}:   CIEDE2000 {colors:.1f}   FLIP {seen:.2f}")

    def _save(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Save map", "Difference.png", "PNG (*.png)")
        if chosen:
            try:
                write_map(Path(chosen), self.difference, self._kind())
            except (ImageError, OSError) as fault:
                self.workshop.said.emit(f"The map was not saved: {words_of(fault)}.")

    def close_thread(self) -> None:
        """Cancels comparisons that are under way, and waits for their end."""
        for job in self.findChildren(Job):
            job.close()


class _Picture(QWidget):
    """A picture, as large as there is room for; tells the pixel under the pointer."""

    pointed = pyqtSignal(int, int)

    def __init__(self):
        super().__init__()
        self._image: QImage | None = None
        self._pixels: np.ndarray | None = None
        self.setMouseTracking(True)
        self.setMinimumHeight(260)
        self.setAccessibleName("Comparison")

    def show_pixels(self, pixels: np.ndarray | None) -> None:
        """Shows a picture, or none."""
        self._pixels = None if pixels is None else np.ascontiguousarray(pixels)
        self._image = None
        if pixels is not None:
            height, width = pixels.shape[:2]
            self._image = QImage(self._pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888)
        self.update()

    def _room(self) -> QRectF:
        width, height = self._image.width(), self._image.height()
        scale = min(self.width() / width, self.height() / height)
        size = width * scale, height * scale
        return QRectF((self.width() - size[0]) / 2, (self.height() - size[1]) / 2, *size)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.palette().color(QPalette.ColorRole.Mid))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self._room(), self._image)

    def mouseMoveEvent(self, event) -> None:
        if self._image is None:
            return
        room, at = self._room(), event.position()
        x = int((at.x() - room.x()) / room.width() * self._image.width())
        y = int((at.y() - room.y()) / room.height() * self._image.height())
        inside = 0 <= x < self._image.width() and 0 <= y < self._image.height()
        self.pointed.emit(*((x, y) if inside else (-1, -1)))

    def leaveEvent(self, event) -> None:
        self.pointed.emit(-1, -1)


class _Legend(QWidget):
    """Colours of a map, with the differences at their ends."""

    def __init__(self):
        super().__init__()
        self._most: float | None = None
        self.setFixedSize(220, 26)

    def show_up_to(self, most: float | None) -> None:
        """Shows the colours of a map whose lightest is this difference; none for pictures."""
        self._most = most
        self.setAccessibleName("" if most is None else f"From 0 to {most:g}")
        self.update()

    def paintEvent(self, event) -> None:
        if self._most is None:
            return
        painter = QPainter(self)
        painter.setFont(font(11, tabular=True))
        bar = QRectF(16, 6, 160, 14)
        ramp = QLinearGradient(bar.topLeft(), QPointF(bar.right(), bar.top()))
        for place, color in zip(
            np.linspace(0, 1, 17), difference_map(np.linspace(0, 1, 17)[None], 1.0)[0], strict=True
        ):
            ramp.setColorAt(float(place), QColor(*(int(each) for each in color)))
        painter.fillRect(bar, ramp)
        painter.setPen(self.palette().color(QPalette.ColorRole.WindowText))
        painter.drawText(QRectF(0, 0, 12, self.height()), Qt.AlignmentFlag.AlignVCenter, "0")
        painter.drawText(
            QRectF(bar.right() + 6, 0, 40, self.height()), Qt.AlignmentFlag.AlignVCenter, f"{self._most:g}"
        )


def _pixels_of(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    data = image.constBits().asarray(image.sizeInBytes())
    rows = np.frombuffer(data, np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).copy()


def _or(pixels: np.ndarray | None, render: np.ndarray) -> np.ndarray:
    return render if pixels is None else pixels
