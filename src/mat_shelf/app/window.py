"""The main window: shelf down the left, wall above, board below."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QMimeData, QSettings, QSize, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.autosave import Autosave, unsaved_words
from mat_shelf.app.library.library_panel import LibraryPanel
from mat_shelf.app.marks.marks_board import MarksBoard
from mat_shelf.app.materials.materials_board import MaterialsBoard
from mat_shelf.app.missing_images import MissingImages
from mat_shelf.app.notice import Notice
from mat_shelf.app.panes import BoardPane, LibraryPane, Panes
from mat_shelf.app.patterns.shape_keeper import ShapeKeeper
from mat_shelf.app.product.model_import import ModelImport
from mat_shelf.app.product.product_board import ProductBoard
from mat_shelf.app.project_files import ProjectFiles
from mat_shelf.app.recent import note_recent, recent_projects
from mat_shelf.app.render_dialog import RenderDialog
from mat_shelf.app.set.set_board import SetBoard
from mat_shelf.app.shortcuts_dialog import ShortcutsDialog
from mat_shelf.app.theme import apply_theme, is_dark
from mat_shelf.app.wall.tools.brush import BrushTool
from mat_shelf.app.wall.tools.mark import MarkTool
from mat_shelf.app.wall.tools.pattern_placement import PatternPlacement
from mat_shelf.app.wall.wall import Wall
from mat_shelf.app.workshop import MarkWork, ProductWork, Workshop
from mat_shelf.exchange.models.importer import MODEL_ENDINGS
from mat_shelf.exchange.project_file import (
    PROJECT_ENDING,
)
from mat_shelf.exchange.recovery import Recovery

MODEL_FILES = f"Models ({' '.join(f'*{ending}' for ending in MODEL_ENDINGS)})"
ARRANGEMENTS = (("Picture alone", "picture"), ("Compare side by side", "compare"), ("Board and library", "board"))
DROPPED = (PROJECT_ENDING, ".exr", ".hdr", *MODEL_ENDINGS)


class Window(QMainWindow):
    """Follows one workshop."""

    def __init__(self, workshop: Workshop, recovery: Recovery | None = None):
        super().__init__()
        self.workshop = workshop
        self.autosave = Autosave(workshop, recovery) if recovery else None
        self.resize(QSize(1280, 800))
        self.setMinimumSize(1040, 640)
        self.setAcceptDrops(True)
        self.work = ProductWork(workshop)
        self.wall = Wall(workshop, self.work)
        self.viewport = self.wall.viewport
        self.board = MaterialsBoard(workshop)
        self.library = LibraryPanel(workshop)
        self.library.pattern_wanted.connect(self._begin_ready)
        self.set_board = SetBoard(workshop)
        self.set_board.focus_wanted.connect(self.viewport.focus.want)
        self.viewport.material_wanted.connect(lambda: self.stations.buttons()[1].click())
        self.viewport.focused.connect(lambda: self.set_board.focus_button.setChecked(False))
        self.board_pane = BoardPane()
        self.product_board = ProductBoard(self.work)
        self.product_board.mode_wanted.connect(self.viewport.set_mode)
        self.product_board.parts_card.menu_wanted.connect(
            lambda part, zone, where: self.viewport.part_menu.menu(part, zone).popup(where)
        )
        self.product_board.view_wanted.connect(self.viewport.uv_overlay.show)
        self.product_board.import_wanted.connect(self._choose_model)
        self.viewport.measured.connect(self.product_board.size_card.show_distance)
        self.board_pane.add(self.product_board)
        self.board_pane.add(self.board)
        self.board_pane.add(self.set_board)
        self.shapes = ShapeKeeper(workshop)
        self.shapes.told.connect(self._tell_shapes)
        self.pattern_placement = PatternPlacement(self.viewport, self.board.patterns)
        self.brush = BrushTool(self.viewport, self.board.patterns)
        self.marks = MarkWork(workshop)
        self.marks_board = MarksBoard(self.marks)
        self.board_pane.add(self.marks_board)
        self.mark_tool = MarkTool(self.viewport, self.marks, self.marks_board)
        self.notice = Notice()
        self.notice.shown.connect(self._place_notice)
        self.files = ProjectFiles(workshop, self.notice, self)
        self.missing = MissingImages(workshop, self.notice.ask, self)
        self.render_dialog: RenderDialog | None = None
        self.model_import = ModelImport(self.work, self.notice, self.files.may_leave, self)
        self.model_import.arrived.connect(lambda: self.stations.buttons()[0].click())
        self.board_pane.show_board(self.board)
        self.panes = Panes(LibraryPane(self.library), self.wall, self.board_pane)
        self._make_actions()

        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._top_bar())
        layout.addWidget(self.panes.whole, 1)
        self.setCentralWidget(whole)
        self.notice.setParent(whole)
        self.notice.hide()

        workshop.said.connect(self.say)
        workshop.asked.connect(self.offer)
        workshop.project_changed.connect(self._note_recent)
        workshop.project_changed.connect(self._follow)
        workshop.project_changed.connect(self._follow_board)
        workshop.selection_changed.connect(self._follow_board)
        self.panes.changed.connect(self._follow_panes)
        self._follow()
        self._follow_board()
        self.panes.recall(self)
        self.viewport.setFocus()
        self._say_library_problems()
        self._offer_what_was_left_behind()

    def _make_actions(self) -> None:
        def action(text, keys, run) -> QAction:
            made = QAction(text, self)
            made.setShortcut(QKeySequence(keys))
            made.triggered.connect(run)
            self.addAction(made)
            return made

        self.open_action = action("Open…", "Ctrl+O", self.files.choose)
        self.import_action = action("Import model…", "Ctrl+I", self._choose_model)
        self.save_action = action("Save", "Ctrl+S", self.files.save)
        self.save_as_action = action("Save as…", "Ctrl+Shift+S", self.files.save_as)
        self.render_action = action("Render…", "Ctrl+R", self.open_render)
        self.undo_action = action("Undo", "Ctrl+Z", self.workshop.undo)
        self.redo_action = action("Redo", "Ctrl+Shift+Z", self.workshop.redo)
        self.save_to_library_action = action("Save to library", "Ctrl+K", self.board.open_save)
        self.search_action = action("Search the library", "Ctrl+F", self.library.search.setFocus)
        self.dark_action = action("Dark look", "Ctrl+Shift+D", self._change_look)
        self.dark_action.setCheckable(True)
        self.dark_action.setChecked(is_dark())
        self.unused_action = action("Remove unused materials", "", self.workshop.remove_unused)
        self.library_action = action("Show library", "F8", lambda shown: self.panes.fold_library(not shown))
        self.board_action = action("Show board", "F9", lambda shown: self.panes.fold_board(not shown))
        self.fill_action = action("Fill the window with a pane", "F10", self._fill)
        self.full_screen_action = action("Full screen", "F11", self._show_full_screen)
        self.arrangements = [
            action(name, f"Alt+{number}", lambda _, key=key: self.panes.take(key))
            for number, (name, key) in enumerate(ARRANGEMENTS, 1)
        ]
        self.keys_action = action("Keys and gestures", "F1", self.open_shortcuts)
        self.quit_action = action("Quit", "Ctrl+Q", self.close)

    def _top_bar(self) -> QFrame:
        bar = QFrame(objectName="topBar")
        bar.setFixedHeight(46)
        self.project_button = QPushButton()
        self.project_button.setProperty("role", "project")
        self.project_button.setToolTip("Open, save, render")
        menu = QMenu(self.project_button)
        menu.addAction(self.open_action)
        self.recent_menu = menu.addMenu("Open recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        menu.addActions([self.save_action, self.save_as_action, self.import_action])
        menu.addSeparator()
        menu.addActions([self.render_action, self.unused_action])
        menu.addSeparator()
        panes = menu.addMenu("Panes")
        panes.addActions([*self.arrangements, self.fill_action, self.full_screen_action])
        panes.addSeparator()
        for shown in (self.library_action, self.board_action):
            shown.setCheckable(True)
        self.empty_board_action = QAction("Fold the empty board", self, checkable=True)
        self.empty_board_action.triggered.connect(self._fold_empty_board)
        panes.addActions([self.library_action, self.board_action, self.empty_board_action])
        menu.addActions([self.keys_action, self.dark_action])
        menu.addSeparator()
        menu.addAction(self.quit_action)
        self.project_button.setMenu(menu)
        self.undo_button, self.redo_button = QPushButton("Undo"), QPushButton("Redo")
        self.undo_button.clicked.connect(self.workshop.undo)
        self.redo_button.clicked.connect(self.workshop.redo)
        for button in (self.undo_button, self.redo_button):
            button.setProperty("role", "plain")
        self.render_button = QPushButton("Render")
        self.render_button.setProperty("role", "main")
        self.render_button.setToolTip("Render to a file  (Ctrl+R)")
        self.render_button.clicked.connect(self.open_render)
        layout = QHBoxLayout(bar)
        layout.setContentsMargins(8, 0, 16, 0)
        layout.setSpacing(4)
        self.project_button.setFixedWidth(224)
        layout.addWidget(self.project_button)
        layout.addSpacing(8)
        self.stations = QButtonGroup(self)
        stations = (
            ("Product", self.product_board),
            ("Materials", self.board),
            ("Marks", self.marks_board),
            ("Set", self.set_board),
        )
        for number, (name, board) in enumerate(stations):
            station = QPushButton(name, checkable=True, checked=board is self.board)
            station.setProperty("role", "station")
            station.setFixedHeight(45)
            station.setShortcut(QKeySequence(f"Ctrl+{number + 1}"))
            station.setToolTip(f"Ctrl+{number + 1}")
            station.clicked.connect(lambda _, board=board: self._show_board(board))
            self.stations.addButton(station)
            layout.addWidget(station)
            layout.addSpacing(18)
        layout.addStretch(1)
        layout.addWidget(self.undo_button)
        layout.addWidget(self.redo_button)
        layout.addSpacing(12)
        layout.addWidget(self.render_button)
        return bar

    def _begin_ready(self, ready_id: str) -> None:
        """Begins a pattern from the library on the material of the selected piece, and opens its strip."""
        begun = self.board.patterns.begin_with_ready(ready_id)
        if begun is None:
            self.workshop.said.emit("Select a part with a material first; then the pattern can be added there.")
            return
        self.stations.buttons()[1].click()
        self.board.patterns.open(begun)

    def _show_board(self, board: QWidget) -> None:
        self.board_pane.show_board(board)
        if self.panes.is_board_folded or self.panes.filled is not None:
            self.panes.fold_board(False)
        self._follow_board()
        self.viewport.move_handles.is_shown = board is self.product_board
        self.mark_tool.is_active = board is self.marks_board
        self.viewport.update()

    def _follow_board(self) -> None:
        """Tells the panes what the board shows."""
        station = self.stations.checkedButton().text()
        is_materials = self.board_pane.shown is self.board
        words = self.board.words if is_materials else ""
        is_empty = is_materials and self.workshop.selected_material is None
        self.panes.show_board(is_empty, words if is_empty else f"{station}  ·  {words}" if words else station)

    def _follow_panes(self) -> None:
        self.library_action.setChecked(not self.panes.is_library_folded)
        self.board_action.setChecked(not self.panes.is_board_folded)
        self.empty_board_action.setChecked(self.panes.folds_empty_board)
        if self.notice.isVisible():
            self._place_notice()

    def _fill(self) -> None:
        """Lets the pane under the pointer, or with the focus, fill the window; or ends that."""
        panes = (self.wall.close_up, self.wall.reference)
        pane = next((pane for pane in panes if pane.hasFocus() or pane.underMouse()), self.viewport)
        self.panes.fill(self.panes.filled or pane)

    def _fold_empty_board(self, folds: bool) -> None:
        self.panes.folds_empty_board = folds
        self.panes.fold_board(False)

    def _show_full_screen(self) -> None:
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def _follow(self) -> None:
        history = self.workshop.history
        name = self.workshop.project.name
        changed = history.is_changed
        self.project_button.setText(f"{name}{'  •' if changed else ''}  ▾")
        self.setWindowTitle(f"{name}{' (not saved)' if changed else ''} – Mat Shelf")
        for button, action, label in (
            (self.undo_button, self.undo_action, history.undo_label),
            (self.redo_button, self.redo_action, history.redo_label),
        ):
            button.setEnabled(label is not None)
            action.setEnabled(label is not None)
            button.setToolTip(f"{action.text()}: {label}  ({action.shortcut().toString()})" if label else "")

    def _change_look(self) -> None:
        dark = not is_dark()
        apply_theme(QApplication.instance(), dark)
        self.dark_action.setChecked(dark)
        QSettings().setValue("dark", dark)

    def say(self, text: str) -> None:
        """Shows a message over the lower edge of the wall."""
        self.notice.show_text(text)

    def offer(self, text: str, name: str, run: Callable[[], None]) -> None:
        """Shows a message with something that can be done about it."""
        self.notice.show_text(text, (name, run))

    def open_shortcuts(self) -> None:
        self.shortcuts_dialog = ShortcutsDialog(self.actions(), self)
        self.shortcuts_dialog.show()

    def _note_recent(self) -> None:
        if self.workshop.path is not None:
            note_recent(self.workshop.path)

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in recent_projects():
            shown = self.recent_menu.addAction(f"{path.stem}    {path.parent}")
            shown.triggered.connect(lambda _, path=path: self.files.may_leave() and self.files.open(path))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("No recent projects").setEnabled(False)

    def dragEnterEvent(self, event) -> None:
        if self._dropped_file(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        path = self._dropped_file(event.mimeData())
        if path is None:
            return
        event.acceptProposedAction()
        ending = path.suffix.lower()
        if ending in MODEL_ENDINGS:
            self.model_import.start(path)
        elif ending != PROJECT_ENDING:
            self.workshop.set_room(path)
        elif self.files.may_leave():
            self.files.open(path)

    @staticmethod
    def _dropped_file(data: QMimeData) -> Path | None:
        """A project, model or room picture that is dragged, if one is."""
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        return next((path for path in paths if path.suffix.lower() in DROPPED), None)

    def _choose_model(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Import model", self.files.folder(), MODEL_FILES)
        if chosen:
            self.model_import.start(Path(chosen))

    def _tell_shapes(self, text: str) -> None:
        if text:
            self.notice.ask(f"{text}…", ("Cancel", self.shapes.cancel))
        else:
            self.notice.settle()

    def _say_library_problems(self) -> None:
        """Says once what of the library cannot be used; after that it is passed over."""
        problems = self.workshop.library.problems
        if problems:
            more = f" And {len(problems) - 1} more." if len(problems) > 1 else ""
            self.say(f"Library: {problems[0]}.{more}")

    def _offer_what_was_left_behind(self) -> None:
        found = self.autosave.left_behind() if self.autosave else []
        if found:
            newest = found[0]
            self.notice.ask(
                unsaved_words(newest),
                ("Restore", lambda: self.autosave.restore(newest)),
                ("Delete", lambda: self.autosave.discard(newest)),
            )

    def _place_notice(self) -> None:
        self.notice.adjustSize()
        area = self.viewport.geometry()
        width = min(self.notice.sizeHint().width(), area.width() - 60)
        height = self.notice.heightForWidth(width) if self.notice.hasHeightForWidth() else self.notice.height()
        top = self.viewport.mapTo(self.centralWidget(), self.viewport.rect().bottomLeft()).y() - height - 44
        left = self.viewport.mapTo(self.centralWidget(), self.viewport.rect().topLeft()).x()
        self.notice.setGeometry(left + (area.width() - width) // 2, top, width, height)
        self.notice.raise_()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        if self.notice.isVisible():
            self._place_notice()

    def open_render(self) -> None:
        if self.render_dialog is None:
            self.render_dialog = RenderDialog(self.workshop, self)
            self.render_dialog.is_running.connect(self.wall.pause)
        self.render_dialog.show()
        self.render_dialog.raise_()

    def keyPressEvent(self, event) -> None:
        patterns = self.board.patterns
        if event.key() == Qt.Key.Key_A and not event.modifiers() and patterns.pattern is not None:
            if not event.isAutoRepeat():
                patterns.show_alone(True)
        elif event.key() == Qt.Key.Key_Escape and self.panes.filled is not None:
            self.panes.fill(None)
        elif event.key() == Qt.Key.Key_Escape and patterns.hand:
            patterns.take_in_hand("")
        elif event.key() == Qt.Key.Key_Escape and patterns.pattern is not None:
            patterns.open(None)
        elif event.key() == Qt.Key.Key_Escape and self.workshop.overlay is not None:
            self.workshop.open_overlay(None)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_A and not event.isAutoRepeat() and self.board.patterns.is_alone:
            self.board.patterns.show_alone(False)
        else:
            super().keyReleaseEvent(event)

    def closeEvent(self, event) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        self.panes.keep(self)
        if self.render_dialog is not None:
            self.render_dialog.close()
            self.render_dialog.close_thread()
        self.model_import.close_thread()
        self.work.close()
        if self.autosave is not None:
            self.autosave.close()
        self.library.model.worker.close()
        self.board.close_threads()
        self.marks_board.artwork.close_thread()
        self.shapes.close()
        self.missing.close()
        self.files.close()
        self.workshop.wait()
        self.wall.close_worker()
        event.accept()
