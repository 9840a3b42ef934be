"""Role of each image of a texture set, before it is applied."""

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
)

from mat_shelf.app.patterns.painter import image_of
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.document.pattern import Placement
from mat_shelf.exchange.texture_set import ROLES, Taken, picture_size
from mat_shelf.optics.color import encode_srgb
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.thumbnail import pixels_of

THUMBNAIL = QSize(72, 72)


class TextureSetDialog(QDialog):
    """The files of a set, what they are, and how they lie on the part.

    Parameters
    ----------
    taken : list of Taken
    pictures : mapping from SHA-256 to Mipmap
    has_uv : bool
        Whether the part has coordinates of its own.
    """

    def __init__(self, taken: list[Taken], pictures, has_uv: bool, parent=None):
        super().__init__(parent)
        self.setWindowTitle("Texture set")
        self.setMinimumWidth(640)
        self._taken = taken
        self.boxes: list[QComboBox] = []
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        for row, found in enumerate(taken):
            picture = PlainLabel()
            picture.setFixedSize(THUMBNAIL)
            picture.setPixmap(_thumbnail(pictures[found.picture.digest]))
            pyramid = pictures[found.picture.digest]
            words = PlainLabel(
                f"{found.picture.name}\n{pyramid.width} × {pyramid.height} pixels, matched {found.reason}"
            )
            words.setProperty("role", "quiet")
            words.setWordWrap(True)
            box = QComboBox()
            box.setAccessibleName(f"{found.picture.name} is")
            for role, name in ROLES.items():
                box.addItem(name, role)
            box.setCurrentIndex(box.findData(found.role))
            self.boxes.append(box)
            grid.addWidget(picture, row, 0)
            grid.addWidget(words, row, 1)
            grid.addWidget(box, row, 2)
        self.lies = QComboBox()
        self.lies.setAccessibleName("Projection")
        for name, projection in (
            ("UV (0 to 1)", "whole uv"),
            ("Box", "box"),
            ("Cylinder", "cylinder"),
        ):
            if projection != "whole uv" or has_uv:
                self.lies.addItem(name, projection)
        self.size = QDoubleSpinBox(minimum=0.1, maximum=10_000, decimals=1, value=50, suffix=" mm wide")
        self.size.setAccessibleName("Width of the images on the product")
        self.per_inch = QDoubleSpinBox(minimum=1, maximum=20_000, decimals=0, suffix=" per inch")
        self.per_inch.setAccessibleName("Pixels per inch")
        for number in (self.size, self.per_inch):
            number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self._widest = max((pictures[t.picture.digest] for t in taken), key=lambda p: p.width)
        self.size.valueChanged.connect(self._show_per_inch)
        self.per_inch.valueChanged.connect(self._show_size)
        self.lies.currentIndexChanged.connect(self._follow)
        self._show_per_inch()
        placed = QHBoxLayout()
        for widget in (self.lies, self.size, self.per_inch):
            placed.addWidget(widget)
        placed.addStretch(1)
        self.apply_button, buttons = answers(self, self.accept, "Feed the material")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(16)
        layout.addLayout(grid)
        layout.addLayout(placed)
        layout.addLayout(buttons)
        self._follow()

    def taken(self) -> list[Taken]:
        """The files with what they are now said to be."""
        return [
            Taken(found.picture, box.currentData(), found.reason)
            for found, box in zip(self._taken, self.boxes, strict=True)
        ]

    def placement(self) -> Placement:
        projection = self.lies.currentData()
        size = 1.0 if projection == "whole uv" else self.size.value()
        return Placement(projection=projection, size=size)

    def _follow(self) -> None:
        covers = self.lies.currentData() == "whole uv"
        self.size.setEnabled(not covers)
        self.per_inch.setEnabled(not covers)

    def _show_per_inch(self) -> None:
        self.per_inch.blockSignals(True)
        self.per_inch.setValue(self._widest.width / (self.size.value() / 25.4))
        self.per_inch.blockSignals(False)

    def _show_size(self) -> None:
        self.size.blockSignals(True)
        self.size.setValue(picture_size(self._widest, self.per_inch.value()))
        self.size.blockSignals(False)


def _thumbnail(pyramid: Mipmap) -> QPixmap:
    level = next((p for p in pyramid.levels if max(p.shape[:2]) <= 256), pyramid.levels[-1])
    scale = {"uint8": 255, "uint16": 65535}.get(level.dtype.name)
    values = level.astype("float32") / scale if scale else encode_srgb(level.clip(0, 1))
    values = values[..., 0] if values.shape[2] < 3 else values[..., :3]
    shown = (values.clip(0, 1) * 255).astype("uint8") if values.ndim == 3 else pixels_of(values)
    keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return QPixmap.fromImage(image_of(shown)).scaled(THUMBNAIL, keep, smooth)
