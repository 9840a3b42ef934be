"""Preferences, each of which takes effect as it is chosen."""

from dataclasses import fields
from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.preferences.preferences import PreferenceBook, Preferences
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import quiet_label
from mat_shelf.library.library import library_folder

_FIELD = 230
_GROUPS = {
    "Window": {
        "look": ("Look", "", ""),
        "size": ("Size of type and controls", " %", "from the next start on"),
        "surround": ("Lightness round the picture", " L*", ""),
    },
    "Picture": {
        "drag": ("A drag", "", ""),
        "orbit_about": ("It orbits about", "", ""),
        "wheel": ("The wheel", "", ""),
        "zoom_at": ("It zooms to", "", ""),
        "threads": ("Threads that render", "", "from the next project on"),
    },
    "Files": {
        "autosave_s": ("Keep unsaved work after", " s", ""),
    },
}
"""Preferences by heading: name, unit, and when it takes effect if not at once."""


class PreferencesDialog(QDialog):
    """Stays open beside the window."""

    def __init__(self, book: PreferenceBook, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self.book = book
        self.fields: dict[str, QComboBox | QSpinBox] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(8)
        for group, rows in _GROUPS.items():
            if grid.rowCount() > 1:
                grid.setRowMinimumHeight(grid.rowCount(), 8)
            title = PlainLabel(group)
            title.setProperty("role", "cardTitle")
            grid.addWidget(title, grid.rowCount(), 0, 1, 3)
            for name, (words, unit, note) in rows.items():
                self._add_row(grid, name, words, unit, note)
        self.folder = ElidedLabel()
        self.folder.setProperty("role", "quiet")
        self.folder_button = QPushButton("Choose…")
        self.folder_button.setAccessibleName("Choose the folder of the library")
        self.folder_button.clicked.connect(self.choose_folder)
        row = grid.rowCount()
        grid.addWidget(PlainLabel("Folder of the library"), row, 0)
        place = QHBoxLayout()
        place.addWidget(self.folder_button)
        place.addWidget(self.folder, 1)
        grid.addLayout(place, row, 1, 1, 2)
        grid.setColumnStretch(2, 1)
        self.reset_button = QPushButton("Reset all")
        self.reset_button.clicked.connect(book.reset)
        close = QPushButton("Close")
        for button in (self.folder_button, self.reset_button, close):
            button.setAutoDefault(False)  # Enter ends the typing of a number, not the dialog
        close.clicked.connect(self.close)
        buttons = QHBoxLayout()
        buttons.addWidget(self.reset_button)
        buttons.addStretch(1)
        buttons.addWidget(close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(22, 18, 22, 16)
        layout.setSpacing(16)
        layout.addLayout(grid)
        layout.addStretch(1)
        layout.addLayout(buttons)
        book.changed.connect(self.follow)
        self.follow()

    def _add_row(self, grid: QGridLayout, name: str, words: str, unit: str, note: str) -> None:
        about = {one.name: one for one in fields(Preferences)}[name]
        label, row = PlainLabel(words), grid.rowCount()
        if "words" in about.metadata:
            made = QComboBox()
            for value, text in about.metadata["words"].items():
                made.addItem(text, value)
            made.activated.connect(lambda _: self.book.change(**{name: made.currentData()}))
        else:
            made = QSpinBox()
            made.setRange(*about.metadata["range"])
            made.setSuffix(unit)
            made.setKeyboardTracking(False)
            made.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)  # arrow keys and the wheel step
            if name == "threads":
                made.setSpecialValueText("As many as processors")
            made.valueChanged.connect(lambda value: self.book.change(**{name: value}))
        made.setFixedWidth(_FIELD)
        made.setAccessibleName(words)
        label.setBuddy(made)
        self.fields[name] = made
        grid.addWidget(label, row, 0)
        grid.addWidget(made, row, 1)
        grid.addWidget(quiet_label(note), row, 2)

    def follow(self) -> None:
        """Shows the values that are in use."""
        for name, shown in self.fields.items():
            value = getattr(self.book.now, name)
            if isinstance(shown, QComboBox):
                shown.setCurrentIndex(shown.findData(value))
            else:
                shown.setValue(value)
        self.folder.setText(self.book.now.library or str(library_folder()))

    def choose_folder(self) -> None:
        """Asks for the folder that the library lies in."""
        before = self.book.now.library or str(library_folder())
        chosen = QFileDialog.getExistingDirectory(self, "Folder of the library", before)
        if chosen:
            usual = Path(chosen) == library_folder()
            self.book.change(library="" if usual else str(Path(chosen).absolute()))
