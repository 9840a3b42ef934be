"""Texture coordinates: shown on the product, and unwrapped."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QGridLayout, QWidget

from mat_shelf.app.product.uv_view import VIEWS
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import ProductWork


class UvCard(QWidget):
    view_wanted = pyqtSignal(str)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.view_box = QComboBox()
        self.view_box.setAccessibleName("Texture coordinates shown in the picture")
        self.view_box.setToolTip("Shows the texture coordinates on the product")
        for view, name in VIEWS.items():
            self.view_box.addItem(name, view)
        self.view_box.currentIndexChanged.connect(lambda: self.view_wanted.emit(self.view_box.currentData()))
        self.texel = QDoubleSpinBox(minimum=0.005, maximum=50.0, value=0.1, decimals=3, suffix=" mm")
        self.texel.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.texel.setAccessibleName("Side of a texel")
        self.texel.setToolTip("Side of a texel on the surface; the same for all parts unwrapped with it")
        self.unwrap_button = small_button(
            "Unwrap", "Gives the selected part, or all, UVs without overlap", self._unwrap
        )
        self.words = quiet_label()
        self.words.setWordWrap(True)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(5)
        grid.addWidget(self.view_box, 0, 0, 1, 2)
        grid.addWidget(self.texel, 1, 0)
        grid.addWidget(self.unwrap_button, 1, 1)
        grid.addWidget(self.words, 2, 0, 1, 2)
        work.unwrapping_changed.connect(self.follow, Qt.ConnectionType.QueuedConnection)

    def show_view(self, view: str) -> None:
        """Shows coordinates in the picture, or with an empty view the render."""
        self.view_box.setCurrentIndex(self.view_box.findData(view))

    def _unwrap(self) -> None:
        if self.work.unwrapping:
            self.work.cancel_unwrap()
        else:
            self.work.unwrap(self.texel.value())

    def follow(self) -> None:
        busy, parts = self.work.unwrapping, self.work.picked()
        self.unwrap_button.setText("Cancel" if busy else "Unwrap")
        self.unwrap_button.setEnabled(bool(parts))
        meshes = self.work.workshop.assets.meshes
        have = sum(meshes[part.mesh].uv is not None for part in parts)
        self.words.setText(
            busy or (f"{have} of {len(parts)} parts have UVs" if len(parts) != 1 else "Has UVs" if have else "No UVs")
        )
