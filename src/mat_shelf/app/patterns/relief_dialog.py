"""Makes pictures of height and of normals from each other and from photographs, with a live preview."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.job import Job
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.value_row import Slider
from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_writing import png_bytes
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.relief_images import (
    flattened,
    grey_of,
    height_of_normals,
    height_of_photograph,
    normals_of_height,
)
from mat_shelf.system.file_writer import words_of

PHOTOGRAPH, NORMALS, HEIGHT = "height of a photograph", "normals of a height", "height of normals"
CONVERSIONS = {
    PHOTOGRAPH: "Height from a photograph",
    NORMALS: "Normals from a height",
    HEIGHT: "Height from normals",
}
_VALUES = {
    "even": ("Even light over", 0.0, 0.5, 0.15, PHOTOGRAPH, "Share of the image's width; 0 leaves it as it is"),
    "broad": ("Broad forms", 0.0, 2.0, 1.0, PHOTOGRAPH, "Amount of large detail"),
    "fine": ("Fine detail", 0.0, 3.0, 1.0, PHOTOGRAPH, "Amount of small detail"),
    "level": ("Ground level", 0.0, 1.0, 0.5, PHOTOGRAPH, "Heights near this value become flat"),
    "within": ("Ground tolerance", 0.0, 0.5, 0.0, PHOTOGRAPH, "Range that becomes flat; 0 flattens nothing"),
    "rise": ("Height over width", 0.001, 0.2, 0.02, NORMALS, "From black to white; 0.02 is 1 mm at a size of 50 mm"),
}
_PREVIEW = 280
_MOST = 4096
"""Pixels across of what is made; larger pictures are made from their halves."""


def made_relief(way: str, pixels: np.ndarray, values: dict[str, float], is_green_down: bool):
    """The picture, (H, W) or (H, W, 3) float32 in [0, 1], and of heights their rise in widths, or None."""
    if way == PHOTOGRAPH:
        height = height_of_photograph(pixels, values["even"], values["fine"], values["broad"])
        return (flattened(height, values["level"], values["within"]) if values["within"] > 0 else height), None
    if way == NORMALS:
        return normals_of_height(grey_of(pixels), values["rise"]), None
    return height_of_normals(pixels, is_green_down)


def _level(pyramid: Mipmap, most: int) -> np.ndarray:
    return next((level for level in pyramid.levels if level.shape[1] <= most), pyramid.levels[-1])


class ReliefDialog(QDialog):
    """Choice of a conversion and its numbers, beside a preview.

    Parameters
    ----------
    done : callable (ImageRef, way, rise or None)
        Is given what was made.
    said : callable (str)
        Is told what went wrong.
    """

    def __init__(self, picture: ImageRef, pyramid: Mipmap, assets: Assets, done, said, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Make relief from an image")
        self._picture, self._pyramid, self._assets, self._done, self._said = picture, pyramid, assets, done, said
        self.job: Job | None = None
        self.way = QComboBox()
        self.way.setAccessibleName("Result")
        for way, words in CONVERSIONS.items():
            if way != HEIGHT or pyramid.channels >= 3:
                self.way.addItem(words, way)
        self.before, self.after = PlainLabel(), PlainLabel()
        for label in (self.before, self.after):
            label.setFixedSize(_PREVIEW, _PREVIEW)
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.sliders: dict[str, Slider] = {}
        self._numbers: dict[str, QLabel] = {}
        self._labels: dict[str, QLabel] = {}
        rows = QGridLayout()
        rows.setHorizontalSpacing(12)
        for line, (name, (title, low, high, start, _, tip)) in enumerate(_VALUES.items()):
            slider, number, label = Slider(low, high, default=start), PlainLabel(), PlainLabel(title)
            slider.set_value(start)
            slider.setAccessibleName(title)
            slider.setToolTip(tip)
            number.setFont(font(13, tabular=True))
            number.setFixedWidth(48)
            slider.moved.connect(lambda value, slider=slider: (slider.set_value(value), self.follow()))
            self.sliders[name], self._numbers[name], self._labels[name] = slider, number, label
            for column, widget in enumerate((label, slider, number)):
                rows.addWidget(widget, line, column)
        self.green_down = QCheckBox("Green down")
        self.green_down.setToolTip("Convention of the normal map; the wrong one looks inside out")
        self.green_down.clicked.connect(self.follow)
        rows.addWidget(self.green_down, len(_VALUES), 0, 1, 3)
        self.told = PlainLabel()
        self.told.setProperty("role", "quiet")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.make_button = buttons.addButton("Make pattern", QDialogButtonBox.ButtonRole.AcceptRole)
        self.make_button.setProperty("role", "main")
        buttons.rejected.connect(self.reject)
        self.make_button.clicked.connect(self.make)
        pictures = QHBoxLayout()
        pictures.setSpacing(12)
        pictures.addWidget(self.before)
        pictures.addWidget(self.after)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 14)
        layout.setSpacing(12)
        for part in (self.way, pictures, rows, self.told, buttons):
            (layout.addLayout if isinstance(part, QHBoxLayout | QGridLayout) else layout.addWidget)(part)
        self.way.currentIndexChanged.connect(self.follow)
        self._small = _level(pyramid, 512)
        self.before.setPixmap(_shown(self._small.astype(np.float32) / _whole(self._small)))
        self.follow()

    def _values(self) -> dict[str, float]:
        return {name: slider.values()[0] for name, slider in self.sliders.items()}

    def follow(self) -> None:
        way = self.way.currentData()
        for name, (*_, of, _) in _VALUES.items():
            for widget in (self.sliders[name], self._numbers[name], self._labels[name]):
                widget.setVisible(of == way)
            self._numbers[name].setText(f"{self.sliders[name].values()[0]:.3f}".rstrip("0").rstrip("."))
        self.green_down.setVisible(way == HEIGHT)
        made, rise = made_relief(way, self._small, self._values(), self.green_down.isChecked())
        self.after.setPixmap(_shown(made))
        self.told.setText(f"From its lowest to its highest: {rise:.3f} of its width" if rise is not None else "")

    def make(self) -> None:
        """Makes it aside from the window, then closes."""
        way, values, is_down = self.way.currentData(), self._values(), self.green_down.isChecked()
        stem = self._picture.name.rsplit(".", 1)[0]
        name = f"{stem}, {'normals' if way == NORMALS else 'height'}.png"
        self.make_button.setEnabled(False)
        self.told.setText("Making it…")

        def work(_: Job) -> tuple[ImageRef, float | None]:
            made, rise = made_relief(way, _level(self._pyramid, _MOST), values, is_down)
            key, kind = self._assets.add_map(png_bytes(np.round(np.clip(made, 0, 1) * 65535).astype(np.uint16)))
            return ImageRef(name=name_from(name, "Image"), digest=key, kind=kind), rise

        self.job = Job(work, lambda made: self._finish(way, *made), self._fail, (OSError, ImageError, MemoryError))
        self.job.start()

    def _finish(self, way: str, picture: ImageRef, rise: float | None) -> None:
        self.accept()
        self._done(picture, way, rise)

    def _fail(self, fault: Exception) -> None:
        self.reject()
        self._said(f"The image cannot be made: {words_of(fault)}.")

    def done(self, result: int) -> None:
        if self.job is not None:
            self.job.wait()
        super().done(result)


def _whole(pixels: np.ndarray) -> float:
    return {"uint8": 255.0, "uint16": 65535.0}.get(pixels.dtype.name, 1.0)


def _shown(pixels: np.ndarray) -> QPixmap:
    """Values in [0, 1] as a picture for the dialog."""
    pixels = pixels.reshape(*pixels.shape[:2], -1)
    color = np.repeat(pixels[..., :1], 3, axis=2) if pixels.shape[2] < 3 else pixels[..., :3]
    color = np.ascontiguousarray(np.clip(np.nan_to_num(color), 0, 1) * 255, np.uint8)
    height, width = color.shape[:2]
    image = QImage(color.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
    keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return QPixmap.fromImage(image).scaled(_PREVIEW, _PREVIEW, keep, smooth)
