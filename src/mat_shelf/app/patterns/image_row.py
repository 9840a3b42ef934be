"""The file of a picture pattern, and its size by its pixels per inch."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.patterns.relief_dialog import NORMALS, ReliefDialog
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import PatternWork
from mat_shelf.exchange.texture_set import picture_size


class ImageRow(QWidget):
    """The picture's name and pixels; a button for another file; pixels per inch, which set the placement's size."""

    ROWS = 2

    def __init__(self, binding: Binding, work: PatternWork, choose: Callable[[], None]):
        super().__init__()
        self.binding, self.work = binding, work
        self.setMinimumWidth(330)
        self.name = PlainLabel()
        self.pixels = PlainLabel()
        self.pixels.setProperty("role", "quiet")
        self.choose_button = QPushButton("Choose file…")
        self.choose_button.setProperty("role", "small")
        self.choose_button.clicked.connect(choose)
        self.per_inch = QDoubleSpinBox(minimum=0.1, maximum=100_000, decimals=1, suffix=" per inch")
        self.per_inch.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.per_inch.setAccessibleName("Pixels per inch")
        self.per_inch.setToolTip("Sets the size from the image: 300 pixels at 300 per inch are 25.4 mm")
        self.per_inch.valueChanged.connect(self._set_size)
        self.per_inch.editingFinished.connect(work.end_gesture)
        self.make_button = QPushButton("Make relief…")
        self.make_button.setProperty("role", "small")
        self.make_button.setToolTip("Height from a photograph, normals from a height, or height from normals")
        self.make_button.clicked.connect(self.open_dialog)
        self.dialog: ReliefDialog | None = None
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(self.choose_button)
        line.addWidget(self.make_button)
        line.addWidget(self.per_inch)
        line.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        for widget in (self.name, self.pixels):
            layout.addWidget(widget)
        layout.addLayout(line)

    def _pyramid(self):
        picture = self.binding.value()
        return self.work.context.pictures.get(picture.digest) if picture else None

    def follow(self) -> None:
        picture, pyramid = self.binding.value(), self._pyramid()
        name = picture.name if picture else "no file yet"
        self.name.setText(self.name.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, 320))
        self.per_inch.setEnabled(pyramid is not None)
        self.per_inch.setVisible(self.work.pattern.placement.projection != "whole uv")  # its size is that of the UVs
        self.make_button.setEnabled(pyramid is not None)
        if pyramid is None:
            self.pixels.setText("missing: choose it again" if picture else "choose an image")
            return
        height, width = pyramid.levels[0].shape[:2]
        coarser = f", shown at {width} × {height}" if pyramid.left_out else ""
        self.pixels.setText(f"{pyramid.width} × {pyramid.height} pixels{coarser}")
        self.per_inch.blockSignals(True)
        self.per_inch.setValue(pyramid.width / (self.work.pattern.placement.size / 25.4))
        self.per_inch.blockSignals(False)

    def open_dialog(self) -> None:
        """Asks what relief is to be made of the picture; it becomes a pattern beside this one."""
        work, origin = self.work, self.work.pattern

        def done(picture, way: str, rise: float | None) -> None:
            kind = "normals" if way == NORMALS else "height"
            shown = "colour" if way == NORMALS else "grey"
            source = origin.steps[0].with_(picture=picture, space="plain", shown=shown)
            work.open(work.begin((source,), f"{origin.name}, {kind}", origin.placement))
            if rise is not None:
                height = rise * origin.placement.size
                work.workshop.said.emit(f"At the slope of its normals, it is {height:.3g} mm from black to white.")

        self.dialog = ReliefDialog(
            self.binding.value(), self._pyramid(), work.workshop.assets, done, work.workshop.said.emit, self.window()
        )
        self.dialog.open()

    def _set_size(self, per_inch: float) -> None:
        size = round(picture_size(self._pyramid(), per_inch), 4)
        pattern = self.work.pattern
        self.work.put(
            pattern.with_(placement=pattern.placement.with_(size=size)), "Size by pixels per inch", "per inch"
        )
