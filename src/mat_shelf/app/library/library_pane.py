"""The pane down the left edge: swatches of the library and materials of the project, or its tab while it is folded."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from mat_shelf.app.library.library_panel import LibraryPanel
from mat_shelf.app.library.materials_panel import MaterialsPanel
from mat_shelf.app.widgets.fold import TAB, CardTab

FOLDED = TAB + 12
"""Width of a folded library, pixels."""
_HOVER_MS = 350


class _PageButton(QPushButton):
    """Shows a page; so does what is dragged over it for a moment."""

    def __init__(self, name: str, tip: str):
        super().__init__(name, checkable=True)
        self.setProperty("role", "page")
        self.setToolTip(tip)
        self.setAcceptDrops(True)
        self._hovered = QTimer(self, singleShot=True, interval=_HOVER_MS)
        self._hovered.timeout.connect(self.click)

    def dragEnterEvent(self, event) -> None:
        event.accept()  # else its leaving is not told
        self._hovered.start()

    def dragLeaveEvent(self, event) -> None:
        self._hovered.stop()


class LibraryPane(QFrame):
    """One page at a time.

    Signals
    -------
    unfold_wanted
    """

    unfold_wanted = pyqtSignal()

    def __init__(self, library: LibraryPanel, materials: MaterialsPanel):
        super().__init__(objectName="library")
        self.library, self.materials, self.tab = library, materials, CardTab("Library")
        self.tab.clicked.connect(self.unfold_wanted)
        self.pages = QStackedWidget()
        self.whole = QWidget()
        self._buttons = QButtonGroup(self)
        heads = QHBoxLayout()
        heads.setContentsMargins(12, 4, 8, 0)
        heads.setSpacing(16)
        for name, tip, page in (
            ("Library", "Swatches and patterns for every project  (Ctrl+F)", library),
            ("Project", "Materials of this project, worn or not  (Ctrl+M)", materials),
        ):
            button = _PageButton(name, tip)
            button.clicked.connect(lambda _, page=page: self.show_page(page))
            self._buttons.addButton(button)
            heads.addWidget(button)
            self.pages.addWidget(page)
        heads.addStretch(1)
        self._buttons.buttons()[0].setChecked(True)
        inner = QVBoxLayout(self.whole)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(0)
        inner.addLayout(heads)
        inner.addWidget(self.pages, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.whole)
        beside = QVBoxLayout()
        beside.setContentsMargins(6, 8, 6, 8)
        beside.addWidget(self.tab)
        layout.addLayout(beside)
        self.fold(False)

    def show_page(self, page: QWidget) -> None:
        """Shows the library or the materials, and unfolds the pane for it."""
        self.pages.setCurrentWidget(page)
        self._buttons.buttons()[self.pages.indexOf(page)].setChecked(True)
        if self.whole.isHidden():
            self.unfold_wanted.emit()

    def begin_search(self) -> None:
        """Lets words be typed by which swatches are found."""
        self.show_page(self.library)
        self.library.begin_search()

    def show_materials(self) -> None:
        """Shows the materials of the project, to go through them by key."""
        self.show_page(self.materials)
        self.materials.list.setFocus()

    def fold(self, is_folded: bool) -> None:
        """Shows the tab in place of the pages."""
        self.whole.setVisible(not is_folded)
        self.tab.setVisible(is_folded)
        self.layout().itemAt(1).layout().setContentsMargins(*((6, 8, 6, 8) if is_folded else (0, 0, 0, 0)))
        self.setMinimumWidth(FOLDED if is_folded else 200)
        self.setMaximumWidth(FOLDED if is_folded else 520)
