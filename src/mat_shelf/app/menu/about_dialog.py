"""Version, and the licences of what the program is made of."""

import re
from importlib.metadata import PackageNotFoundError, metadata, requires

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QDialog, QGridLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from mat_shelf import __version__
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import quiet_label

_LONGEST = 60
"""Characters of a licence; some packages give its whole text where its name belongs."""
_NOT_A_PACKAGE = (("Inter, the typeface", "SIL OFL 1.1"),)


class AboutDialog(QDialog):
    """Version and licences, to be read and closed."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("About Mat Shelf")
        title = PlainLabel("Mat Shelf")
        title.setFont(font(20, QFont.Weight.DemiBold))
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setContentsMargins(12, 8, 12, 8)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(4)
        for row, words in enumerate([*licences(), *_NOT_A_PACKAGE]):
            for column, text in enumerate(words):
                label = ElidedLabel(text) if column else PlainLabel(text)
                label.setProperty("role", "quiet" if column else "")
                grid.addWidget(label, row, column)
        grid.setColumnStretch(1, 1)
        grid.setAlignment(Qt.AlignmentFlag.AlignTop)
        area = QScrollArea(widgetResizable=True)
        area.setWidget(inner)
        area.setAccessibleName("Licences")
        close = QPushButton("Close")
        close.setDefault(True)
        close.clicked.connect(self.close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(22, 18, 22, 16)
        layout.setSpacing(8)
        layout.addWidget(title)
        layout.addWidget(quiet_label(f"Version {__version__}. Physically based materials for renders of products."))
        layout.addSpacing(6)
        layout.addWidget(PlainLabel("It is made with these, under their licences:"))
        layout.addWidget(area, 1)
        layout.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)
        self.resize(480, 460)


def licences() -> list[tuple[str, str]]:
    """Packages that the program is installed with, by name, with version and licence."""
    found = []
    for requirement in requires("mat-shelf") or []:
        if "extra ==" in requirement:
            continue
        try:
            told = metadata(re.match(r"[\w.-]+", requirement).group())
        except PackageNotFoundError:
            continue
        found.append((f"{told['Name']} {told['Version']}", _licence_of(told)))
    return sorted(found, key=lambda row: row[0].casefold())


def _licence_of(told) -> str:
    classified = [line.split(" :: ")[-1] for line in told.get_all("Classifier", []) if line.startswith("License ::")]
    # By `get`: where another package reads metadata in place of Python's own, an item that is missing is an error.
    stated = (told.get("License-Expression") or told.get("License") or "").splitlines()
    short = stated[0].strip() if stated else ""
    return short if 0 < len(short) <= _LONGEST else ", ".join(classified) or "see its own files"
