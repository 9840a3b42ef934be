"""Measurements of the material on the board."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from mat_shelf.app.job import Job
from mat_shelf.app.patterns.pattern_choice import Popover
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.measurements import Measurements, measure
from mat_shelf.sheets.words import readings_in_words
from mat_shelf.system.processors import lower_priority

_LINES = (
    (
        "gloss",
        "Gloss 20° · 60° · 85°",
        "Gloss units (ISO 2813): polished black glass is 100, satin 20 to 40.",
    ),
    ("lab", "CIELAB, D65", "Lightness, red-green and yellow-blue, gloss included, at 8°."),
    (
        "f0",
        "Reflectance at normal incidence",
        "Of the boundary, or of the metal: plastics 4 %, glass 4 %, diamond 17 %.",
    ),
    ("albedo", "Albedo at 0° · 60° · 85°", "Share of the light that is reflected, by angle of incidence."),
    ("through", "Transmittance at 1 mm · 10 mm", "Share of the light that passes through this thickness."),
    ("energy", "Energy", "No material reflects more light than it receives."),
)


class MeasurementsPopover(Popover):
    """A table of readings; it fills when they are there."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.job: Job | None = None
        self.title = PlainLabel()
        self.title.setProperty("role", "cardTitle")
        self.values: dict[str, QLabel] = {}
        self._names: dict[str, QLabel] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(6)
        for place, (key, name, tip) in enumerate(_LINES):
            said, value = PlainLabel(name), PlainLabel()
            said.setProperty("role", "quiet")
            value.setFont(font(13, tabular=True))
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            for label in (said, value):
                label.setToolTip(tip)
            grid.addWidget(said, place, 0)
            grid.addWidget(value, place, 1)
            self._names[key], self.values[key] = said, value
        self.note = PlainLabel(
            "Measured on the constant values; inputs fed by patterns count by the value beside their chips."
        )
        self.note.setProperty("role", "quiet")
        self.note.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setSpacing(8)
        layout.addWidget(self.title)
        layout.addLayout(grid)
        layout.addWidget(self.note)
        self.setFixedWidth(470)

    def open_for(self, name: str, recipe: Recipe, anchor: QWidget) -> None:
        """Opens above a widget and begins to read."""
        self.close_thread()
        self.title.setText(f"Measurements of {name}")
        for value in self.values.values():
            value.setText("…")
        self.note.setVisible(bool(recipe.feeds))
        self._show_line("through", recipe.transmission_weight > 0)
        self.job = Job(lambda _: (lower_priority(), measure(recipe))[1], self._show, parent=self)
        self.job.start()
        self.open_over(anchor)

    def close_thread(self) -> None:
        """Waits for a reading that is under way; it takes a second."""
        if self.job is not None:
            self.job.close()
            self.job = None

    def _show_line(self, key: str, is_shown: bool) -> None:
        for label in (self._names[key], self.values[key]):
            label.setVisible(is_shown)

    def _show(self, found: Measurements) -> None:
        for key, words in readings_in_words(found).items():
            self.values[key].setText(words)
