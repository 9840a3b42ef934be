"""Two recipes side by side: their pictures, and the parameters in which they differ."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QWidget

from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.document.recipe import Recipe
from mat_shelf.library.thumbnails import THUMBNAIL_SIZE, recipe_key, thumbnail_path
from mat_shelf.sheets.words import value_in_words

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
            picture = PlainLabel()
            picture.setFixedSize(SIDE, SIDE)
            picture.setProperty("key", recipe_key(recipe))
            self.pictures[recipe_key(recipe)] = picture
            worker.want(recipe_key(recipe), recipe, pictures)
            self._show(recipe_key(recipe))
            title = PlainLabel(name)
            title.setProperty("role", "cardTitle")
            grid.addWidget(picture, 0, column)
            grid.addWidget(title, 1, column)
        worker.made.connect(self._show, Qt.ConnectionType.QueuedConnection)
        self.differences = differences(one[1], other[1])
        for row, (label, *values) in enumerate(self.differences, 2):
            heading = PlainLabel(label)
            heading.setProperty("role", "quiet")
            grid.addWidget(heading, row, 0)
            for column, value in enumerate(values, 1):
                grid.addWidget(_value_label(value), row, column)
        if not self.differences:
            grid.addWidget(PlainLabel("They have the same values."), 2, 1, 1, 2)

    def _show(self, key: str) -> None:
        picture = self.pictures.get(key)
        pixmap = QPixmap(str(thumbnail_path(key)))
        if picture is not None and not pixmap.isNull():
            smooth = Qt.TransformationMode.SmoothTransformation
            picture.setPixmap(pixmap.scaled(SIDE, SIDE, transformMode=smooth) if THUMBNAIL_SIZE != SIDE else pixmap)


def differences(one: Recipe, other: Recipe) -> list[tuple[str, str, str]]:
    """Label and both values of every parameter in which two recipes differ, and of patterns and relief."""
    found = []
    for name in Recipe.model_fields:
        if name in ("patterns", "feeds", "relief", "overlays"):
            continue
        values = tuple((getattr(recipe, name), recipe.feed(name)) for recipe in (one, other))
        if values[0] != values[1]:
            found.append((Recipe.field_label(name), *(value_in_words(recipe, name) for recipe in (one, other))))
    for label, words in (("Patterns", _pattern_words), ("Relief", _relief_words), ("Overlays", _overlay_words)):
        if words(one) != words(other):
            found.append((label, words(one), words(other)))
    return found


def _pattern_words(recipe: Recipe) -> str:
    return ", ".join(pattern.name for pattern in recipe.patterns) or "none"


def _relief_words(recipe: Recipe) -> str:
    return ", ".join(f"{recipe.pattern(row.pattern).name} {row.height:g} mm" for row in recipe.relief) or "none"


def _overlay_words(recipe: Recipe) -> str:
    return ", ".join(f"{overlay.name} {overlay.amount:g}" for overlay in recipe.overlays) or "none"


def _value_label(text: str) -> QLabel:
    label = PlainLabel(text)
    label.setFont(font(13, tabular=True))
    if text.startswith("#"):
        label.setTextFormat(Qt.TextFormat.RichText)
        label.setText(f'<span style="background-color: {text}">&nbsp;&nbsp;&nbsp;&nbsp;&nbsp;</span>&nbsp; {text}')
    return label
