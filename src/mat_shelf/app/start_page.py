"""The start page: where to begin, in place of the picture while the product has no parts."""

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.recent import recent_projects
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.widgets.small_widgets import quiet_label

MOST_RECENT = 6
_SIZE = QSize(540, 272)


class StartPage(QFrame):
    """Stands over the middle of its parent.

    Signals
    -------
    model_wanted, project_wanted, demo_wanted, tour_wanted
    recent_wanted : Path
        A project that was opened or saved before.
    """

    model_wanted = pyqtSignal()
    project_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    tour_wanted = pyqtSignal()
    recent_wanted = pyqtSignal(Path)

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setObjectName("card")
        self.setFixedSize(_SIZE)
        self.setAccessibleName("Start page")
        title = PlainLabel("Mat Shelf")
        title.setFont(font(22, QFont.Weight.DemiBold))
        self.model_button = QPushButton("New from a model…")
        self.model_button.setProperty("role", "main")
        self.buttons = {}
        begin = QVBoxLayout()
        begin.setSpacing(8)
        begin.addWidget(self.model_button)
        for name, signal in (
            ("Open a project…", self.project_wanted),
            ("Open the demo", self.demo_wanted),
            ("Take the tour", self.tour_wanted),
        ):
            self.buttons[name] = QPushButton(name)
            self.buttons[name].clicked.connect(signal)
            begin.addWidget(self.buttons[name])
        self.model_button.clicked.connect(self.model_wanted)
        begin.addStretch(1)
        hint = quiet_label("Or drop a model or a project here.")
        begin.addWidget(hint)
        self.recent = QVBoxLayout()
        self.recent.setSpacing(2)
        lists = QHBoxLayout()
        lists.setSpacing(32)
        lists.addLayout(begin, 5)
        lists.addLayout(self.recent, 6)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 16, 28, 16)
        layout.setSpacing(4)
        layout.addWidget(title)
        layout.addWidget(quiet_label("Materials for renders of products"))
        layout.addSpacing(12)
        layout.addLayout(lists, 1)
        self.hide()

    def show_on(self, is_shown: bool) -> None:
        """Shows the page with the projects of late, or leaves the picture to the product."""
        if is_shown and self.isHidden():
            self._list_recent()
        self.setVisible(is_shown)
        self.place()

    def place(self) -> None:
        """Stands in the middle of the parent again."""
        room = self.parentWidget().rect()
        self.move((room.width() - self.width()) // 2, max((room.height() - self.height()) // 2, 0))

    def _list_recent(self) -> None:
        while self.recent.count():
            item = self.recent.takeAt(0)
            if item.widget() is not None:
                item.widget().deleteLater()
        title = PlainLabel("Recent projects")
        title.setProperty("role", "cardTitle")
        self.recent.addWidget(title)
        paths = recent_projects()[:MOST_RECENT]
        for path in paths:
            button = QPushButton(literal(self.fontMetrics().elidedText(path.stem, Qt.TextElideMode.ElideMiddle, 230)))
            button.setProperty("role", "name")
            button.setToolTip(str(path))
            button.clicked.connect(lambda _, path=path: self.recent_wanted.emit(path))
            self.recent.addWidget(button)
        if not paths:
            self.recent.addWidget(quiet_label("None yet."))
        self.recent.addStretch(1)
