"""The bar over the panes: menus, stations, the project's name, undo, redo and render."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenuBar, QPushButton, QWidget

from mat_shelf.app.station_boards import StationBoards
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.workshop import Workshop

HEIGHT = 46


class Stations(QButtonGroup):
    """A button for each station.

    Parameters
    ----------
    boards : StationBoards
    shown : str
        The first one.

    Signals
    -------
    changed : str
        Another station is wanted.
    """

    changed = pyqtSignal(str)

    def __init__(self, boards: StationBoards, shown: str, parent: QWidget):
        super().__init__(parent)
        self._boards = boards
        for number, name in enumerate(boards.names, 1):
            station = QPushButton(name, parent, checkable=True, checked=name == shown)
            station.setProperty("role", "station")
            station.setFixedHeight(HEIGHT - 1)
            station.setShortcut(QKeySequence(f"Ctrl+{number}"))
            station.setToolTip(f"Ctrl+{number}")
            station.clicked.connect(lambda _, name=name: self.changed.emit(name))
            self.addButton(station)

    def show(self, board: QWidget) -> None:
        """Goes to the station of a board, as its button does."""
        self.buttons()[self._boards.names.index(self._boards.station_of(board))].click()


class TopBar(QFrame):
    """Follows the name of the project and its history."""

    def __init__(self, workshop: Workshop, menus: QMenuBar, stations: Stations):
        super().__init__(objectName="topBar")
        self.setFixedHeight(HEIGHT)
        self.workshop = workshop
        self.project_label = ElidedLabel()
        self.project_label.setProperty("role", "quiet")
        self.project_label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.undo_button, self.redo_button = QPushButton("Undo"), QPushButton("Redo")
        self.undo_button.clicked.connect(workshop.undo)
        self.redo_button.clicked.connect(workshop.redo)
        for button in (self.undo_button, self.redo_button):
            button.setProperty("role", "plain")
        self.render_button = QPushButton("Render")
        self.render_button.setProperty("role", "main")
        self.render_button.setToolTip("Render to a file  (Ctrl+R)")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 0, 16, 0)
        layout.setSpacing(4)
        layout.addWidget(menus, 0, Qt.AlignmentFlag.AlignVCenter)
        layout.addSpacing(22)
        for station in stations.buttons():
            layout.addWidget(station)
            layout.addSpacing(18)
        layout.addWidget(self.project_label, 1)
        layout.addSpacing(12)
        layout.addWidget(self.undo_button)
        layout.addWidget(self.redo_button)
        layout.addSpacing(12)
        layout.addWidget(self.render_button)
        workshop.project_changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Shows the project's name, with a dot where it is not saved, and what can be undone."""
        history = self.workshop.history
        self.project_label.setText(f"{self.workshop.project.name}{'  •' if history.is_changed else ''}")
        for button, keys, label in (
            (self.undo_button, "Ctrl+Z", history.undo_label),
            (self.redo_button, "Ctrl+Shift+Z", history.redo_label),
        ):
            button.setEnabled(label is not None)
            button.setToolTip(plain_text(f"{button.text()}: {label}  ({keys})" if label else ""))
