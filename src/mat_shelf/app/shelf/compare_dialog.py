"""Two recipes side by side: their pictures, and the parameters in which they differ."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QWidget

from mat_shelf.app.shelf.thumbnail_worker import ThumbnailWorker
from mat_shelf.app.theme import font
from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.color import hex_from_linear
from mat_shelf.shelf.thumbnails import SIZE, recipe_key, thumbnail_path

SIDE = 160


class CompareDialog(QDialog):
    """Stays open beside the window, so that other swatches can be compared with it too."""

    def __init__(
        self,
        one: tuple[str, Recipe],
        other: tuple[str, Recipe],
        pictures: dict[str, bytes],
        worker: ThumbnailWorker,
        parent: QWidget,
    ):
        super().__init__(parent)
        self.setWindowTitle(f"{one[0]} and {other[0]}")
        self.setModal(False)
        self.pictures: dict[str, QLabel] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(20, 18, 20, 18)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(6)
        for column, (name, recipe) in enumerate((one, other), 1):
            picture = QLabel()
            picture.setFixedSize(SIDE, SIDE)
            picture.setProperty("key", recipe_key(recipe))
            self.pictures[recipe_key(recipe)] = picture
            worker.want(recipe_key(recipe), recipe, pictures)
            self._show(recipe_key(recipe))
            title = QLabel(name)
            title.setProperty("role", "cardTitle")
            grid.addWidget(picture, 0, column)
            grid.addWidget(title, 1, column)
        worker.made.connect(self._show, Qt.ConnectionType.QueuedConnection)
        self.differences = differences(one[1], other[1])
        for row, (label, *values) in enumerate(self.differences, 2):
            heading = QLabel(label)
            heading.setProperty("role", "quiet")
            grid.addWidget(heading, row, 0)
            for column, value in enumerate(values, 1):
                grid.addWidget(_value_label(value), row, column)
        if not self.differences:
            grid.addWidget(QLabel("They are the same in every value."), 2, 1, 1, 2)

    def _show(self, key: str) -> None:
        picture = self.pictures.get(key)
        pixmap = QPixmap(str(thumbnail_path(key)))
        if picture is not None and not pixmap.isNull():
            smooth = Qt.TransformationMode.SmoothTransformation
            picture.setPixmap(pixmap.scaled(SIDE, SIDE, transformMode=smooth) if SIZE != SIDE else pixmap)


def differences(one: Recipe, other: Recipe) -> list[tuple[str, str, str]]:
    """Label and both values of every parameter in which two recipes differ."""
    found = []
    for name, field in Recipe.model_fields.items():
        values = getattr(one, name), getattr(other, name)
        if values[0] != values[1]:
            unit = (field.json_schema_extra or {}).get("unit", "")
            found.append((field.title, *(_words(value, unit) for value in values)))
    return found


def _words(value, unit: str) -> str:
    return hex_from_linear(value) if isinstance(value, tuple) else f"{value:.4g} {unit}".strip()


def _value_label(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(font(13, tabular=True))
    if text.startswith("#"):
        label.setText(f'<span style="background-color: {text}">&nbsp;&nbsp;&nbsp;&nbsp;&nbsp;</span>&nbsp; {text}')
    return label
