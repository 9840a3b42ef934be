"""Panes of the window: the borders that are dragged between them, and what is folded away or fills the window."""

from PyQt6.QtCore import QByteArray, QObject, QSettings, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.library.library_pane import FOLDED, LibraryPane
from mat_shelf.app.wall.wall import Wall
from mat_shelf.app.widgets.card import sideways
from mat_shelf.app.widgets.plain_label import literal
from mat_shelf.app.widgets.splitter import BORDER, PaneSplitter

LINE = 40
"""Height of a folded board, pixels."""
LIBRARY_WIDTH, BOARD_HEIGHT, SIDE_WIDTH = 232, 316, 232
"""Sizes at a first start, pixels."""
_NARROWEST, _LOWEST = 600, 200
_NO_LIMIT = 16777215  # Qt's QWIDGETSIZE_MAX


class BoardPane(QFrame):
    """The boards of all stations; one line in their place where they are folded, or there is nothing to show.

    Signals
    -------
    wanted
        The line was clicked.
    """

    wanted = pyqtSignal()

    def __init__(self):
        super().__init__(objectName="board")
        self.boards = QStackedWidget()
        self._areas: dict[QWidget, QScrollArea] = {}
        self.line = QPushButton()
        self.line.setProperty("role", "line")
        self.line.setFixedHeight(LINE)
        self.line.clicked.connect(self.wanted)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.line)
        layout.addWidget(self.boards, 1)
        self.fold(False, "")

    def add(self, board: QWidget) -> None:
        """Takes the board of a station; where the window is too narrow for it, it scrolls."""
        board.setMinimumHeight(_LOWEST)
        self._areas[board] = area = sideways()
        self.boards.addWidget(area)
        self.destroyed.connect(board.deleteLater)  # also one that was never shown, which has no parent

    def show_board(self, board: QWidget) -> None:
        """Shows the board of another station; only now it gets its place, since styling a board takes a while."""
        area = self._areas[board]
        if area.widget() is None:
            area.setWidget(board)
        self.boards.setCurrentWidget(area)

    @property
    def shown(self) -> QWidget:
        """The board of the present station."""
        return self.boards.currentWidget().widget()

    @property
    def is_folded(self) -> bool:
        return self.boards.isHidden()

    def fold(self, is_folded: bool, words: str) -> None:
        """Shows a line of words in place of the board."""
        self.line.setText(literal(words))
        self.line.setVisible(is_folded)
        self.boards.setVisible(not is_folded)
        self.setMinimumSize(_NARROWEST, LINE if is_folded else _LOWEST)
        self.setMaximumHeight(LINE if is_folded else _NO_LIMIT)


class Panes(QObject):
    """The room that each pane has; it is remembered from one start to the next.

    Parameters
    ----------
    library : LibraryPane
    wall : Wall
    board : BoardPane

    Attributes
    ----------
    whole : QWidget
        All panes.
    folds_empty_board : bool
        Whether the board makes room where nothing is selected.

    Signals
    -------
    changed
        Something was folded, unfolded or filled.
    """

    changed = pyqtSignal()

    def __init__(self, library: LibraryPane, wall: Wall, board: BoardPane):
        super().__init__()
        self.library, self.wall, self.board = library, wall, board
        self.down = PaneSplitter(Qt.Orientation.Vertical, wall, board)
        self.whole = PaneSplitter(Qt.Orientation.Horizontal, library, self.down)
        self.folds_empty_board = True
        self.is_library_folded = self.is_board_folded = False
        self._is_board_empty, self._words = False, ""
        self._filled: QWidget | None = None
        self._shared: tuple[list[int], list[int]] | None = None
        self._board_height, self._library_width = BOARD_HEIGHT, LIBRARY_WIDTH
        for splitter, shares in ((self.whole, (0, 1)), (self.down, (1, 0)), (wall.across, (2, 1))):
            for place, share in enumerate(shares):
                splitter.setStretchFactor(place, share)
        for pane in (wall.viewport, wall.close_up, wall.reference):
            pane.fill_wanted.connect(lambda pane=pane: self.fill(pane))
        self.library.unfold_wanted.connect(lambda: self.fold_library(False))
        self.board.wanted.connect(lambda: self.fold_board(False))
        self.down.splitterMoved.connect(self._note_sizes)
        self.whole.splitterMoved.connect(self._note_sizes)

    def start(self, width: int) -> None:
        """Takes the sizes of a first start, in a window of such a width."""
        self.is_library_folded = self.is_board_folded = False
        self._board_height, self._library_width = BOARD_HEIGHT, LIBRARY_WIDTH
        side = max(SIDE_WIDTH, round((width - LIBRARY_WIDTH) * 0.33)) if width > 1600 else SIDE_WIDTH
        self.wall.across.setSizes([width - LIBRARY_WIDTH - side, side])
        self.wall.side.setSizes([1000, 1000])
        self._lay_out()

    def show_board(self, is_empty: bool, words: str) -> None:
        """Tells what the board has: nothing, and why, or what the words say."""
        if (is_empty, words) != (self._is_board_empty, self._words):
            self._is_board_empty, self._words = is_empty, words
            self._lay_out()

    def fold_library(self, is_folded: bool) -> None:
        """Folds the library to a tab, or unfolds it."""
        self.is_library_folded, self._filled = is_folded, None
        self._lay_out()

    def fold_board(self, is_folded: bool) -> None:
        """Folds the board to a line, or unfolds it."""
        self.is_board_folded, self._filled = is_folded, None
        self._lay_out()

    @property
    def filled(self) -> QWidget | None:
        """The pane that fills the window, if one does."""
        return self._filled

    def fill(self, pane: QWidget | None) -> None:
        """Lets a pane fill the window; the same again, or None, gives the others their room back."""
        if self._filled is None and pane is not None:
            self._shared = self.wall.across.sizes(), self.wall.side.sizes()
        self._filled = None if pane is self._filled else pane
        self._lay_out()

    def take(self, preset: str) -> None:
        """Takes one of the ready arrangements: "picture", "compare" or "board"."""
        wall = self.wall
        self.fill(None)
        if preset == "board":
            self.start(self.whole.width())
            return
        if preset == "picture":
            self.fill(wall.viewport)
            return
        self.is_library_folded = self.is_board_folded = True
        self._lay_out()
        half = wall.across.width() // 2
        wall.across.setSizes([half, half])
        wall.side.setSizes([1000, 1000])

    def _lay_out(self) -> None:
        filled, wall = self._filled, self.wall
        self.library.fold(self.is_library_folded)
        self.library.setVisible(filled is None)
        is_folded = self.is_board_folded or (self._is_board_empty and self.folds_empty_board)
        self.board.fold(is_folded, self._words)
        self.board.setVisible(filled is None)
        for pane in (wall.viewport, wall.close_up, wall.reference):
            pane.setVisible(filled in (None, pane))
        wall.side.setVisible(filled in (None, wall.close_up, wall.reference))
        board = LINE if is_folded else self._board_height
        self.down.setSizes([self.down.height() - BORDER - board, board])
        library = FOLDED if self.is_library_folded else self._library_width
        self.whole.setSizes([library, self.whole.width() - BORDER - library])
        if filled is None and self._shared is not None:
            for splitter, sizes in zip((wall.across, wall.side), self._shared, strict=True):
                splitter.setSizes(sizes)
            self._shared = None
        self.changed.emit()

    def _note_sizes(self) -> None:
        if not self.board.is_folded:
            self._board_height = self.down.sizes()[1]
        if not self.is_library_folded:
            self._library_width = self.whole.sizes()[0]

    def keep(self, window: QWidget) -> None:
        """Remembers the arrangement for the next start; that of before a pane filled the window."""
        self.fill(None)
        settings = QSettings()
        settings.beginGroup("panes")
        settings.setValue("geometry", window.saveGeometry())
        settings.setValue("wall", self.wall.across.saveState())
        settings.setValue("side", self.wall.side.saveState())
        settings.setValue("library_folded", self.is_library_folded)
        settings.setValue("board_folded", self.is_board_folded)
        settings.setValue("board_height", self._board_height)
        settings.setValue("library_width", self._library_width)
        settings.setValue("folds_empty_board", self.folds_empty_board)

    def recall(self, window: QWidget) -> None:
        """Takes the arrangement of the last end; what is not there, or damaged, stays as at a first start."""
        settings = QSettings()
        settings.beginGroup("panes")
        self.start(window.width())
        geometry = settings.value("geometry")
        if isinstance(geometry, QByteArray):
            window.restoreGeometry(geometry)  # one of a screen that is gone comes onto one that is there
        window.layout().activate()  # so that the panes have their true sizes to share
        for name, splitter in (("wall", self.wall.across), ("side", self.wall.side)):
            state = settings.value(name)
            if isinstance(state, QByteArray):
                splitter.restoreState(state)
        self.is_library_folded = settings.value("library_folded", False) in (True, "true")
        self.is_board_folded = settings.value("board_folded", False) in (True, "true")
        self.folds_empty_board = settings.value("folds_empty_board", True) in (True, "true")
        self._board_height = _number(settings.value("board_height"), BOARD_HEIGHT)
        self._library_width = _number(settings.value("library_width"), LIBRARY_WIDTH)
        self._lay_out()


def _number(value, usual: int) -> int:
    """A kept size, pixels; the usual one in place of what is none."""
    try:
        return min(max(int(value), 200), 2000)
    except (TypeError, ValueError):
        return usual
