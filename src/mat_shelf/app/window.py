"""The main window: shelf down the left, wall above, board below."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QMainWindow,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.autosave import Autosave, unsaved_words
from mat_shelf.app.coarser_images import CoarserImages
from mat_shelf.app.duplication import Duplication
from mat_shelf.app.fill.fill_board import FillBoard
from mat_shelf.app.hand_over.hand_over_board import HandOverBoard
from mat_shelf.app.library.library_pane import LibraryPane
from mat_shelf.app.library.library_panel import LibraryPanel
from mat_shelf.app.library.materials_panel import MaterialsPanel
from mat_shelf.app.marks.marks_board import MarksBoard
from mat_shelf.app.materials.material_watch import MaterialWatch
from mat_shelf.app.menu.dialogs import Dialogs
from mat_shelf.app.menu.menu_bar import MenuBar
from mat_shelf.app.missing_images import MissingImages
from mat_shelf.app.notice import Notice
from mat_shelf.app.panes import BoardPane, Panes
from mat_shelf.app.patterns.shape_keeper import ShapeKeeper
from mat_shelf.app.preferences.effects import Effects
from mat_shelf.app.preferences.preferences import preferences
from mat_shelf.app.product.model_import import MODEL_FILES, ModelImport
from mat_shelf.app.product.model_watch import ModelWatch
from mat_shelf.app.product.product_board import ProductBoard
from mat_shelf.app.project_files import ProjectFiles
from mat_shelf.app.recent import note_recent
from mat_shelf.app.render_dialog import RenderDialog
from mat_shelf.app.set.set_board import SetBoard
from mat_shelf.app.start_page import StartPage
from mat_shelf.app.station_boards import StationBoards
from mat_shelf.app.theme import is_dark
from mat_shelf.app.top_bar import Stations, TopBar
from mat_shelf.app.wall.tools.brush import BrushTool
from mat_shelf.app.wall.tools.file_drop import FileDrop
from mat_shelf.app.wall.tools.level_handle import LevelHandle
from mat_shelf.app.wall.tools.mark import MarkTool
from mat_shelf.app.wall.tools.pattern_placement import PatternPlacement
from mat_shelf.app.wall.tools.retouch import Retouch
from mat_shelf.app.wall.tools.stream_handles import StreamHandles
from mat_shelf.app.wall.wall import Wall
from mat_shelf.app.window_drop import dropped_file, take_dropped
from mat_shelf.app.workshop import FillWork, HandOverWork, MarkWork, ProductWork, Workshop
from mat_shelf.commands.exports import export_subjects, swatch_subjects
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.materials.material_files import MATERIAL_ENDINGS
from mat_shelf.exchange.product_import import empty_project
from mat_shelf.exchange.recovery import Recovery


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
        self.library = LibraryPanel(workshop)
        self.library.pattern_wanted.connect(self._begin_ready)
        self.materials = MaterialsPanel(workshop, self.library.model.worker)
        self.library_pane = LibraryPane(self.library, self.materials)
        self.board_pane = BoardPane()
        self.panes = Panes(self.library_pane, self.wall, self.board_pane)
        self._lay_out()  # before the boards come: Qt styles what it holds anew each time a widget gets a parent
        self.boards = StationBoards(self)
        self.board = self.boards["Materials"]
        self.viewport.material_wanted.connect(lambda: self.stations.show(self.board))
        self.viewport.export_wanted.connect(lambda: self.dialogs.open_export())
        self.library.export_wanted.connect(lambda chosen: self.dialogs.open_export(swatch_subjects(workshop, chosen)))
        self.materials.export_wanted.connect(lambda chosen: self.dialogs.open_export(export_subjects(workshop, chosen)))
        self.shapes = ShapeKeeper(workshop)
        self.shapes.told.connect(self._tell_shapes)
        self.pattern_placement = PatternPlacement(self.viewport, self.board.patterns)
        self.brush = BrushTool(self.viewport, self.board.patterns)
        self.marks = MarkWork(workshop)
        self.fills = FillWork(workshop)
        self.hand_over = HandOverWork(workshop)
        self.level_handle = LevelHandle(self.viewport, self.fills)
        self.stream_handles = StreamHandles(self.viewport, self.fills)
        self.retouch = Retouch(self.viewport, self.hand_over)
        self.file_drop = FileDrop(self.viewport, self.marks, self._show_station)
        self.mark_tool = MarkTool(self.viewport, self.marks, self._read_art)
        self.notice = Notice()
        self.notice.shown.connect(self._place_notice)
        self.files = ProjectFiles(workshop, self.notice, self)
        self.missing = MissingImages(workshop, self.notice, self)
        self.coarser = CoarserImages(workshop, self)
        self.render_dialog: RenderDialog | None = None
        self.model_import = ModelImport(
            self.work, self.notice, self.files.may_leave, lambda: self.dialogs.open_messages(), self
        )
        self.model_import.arrived.connect(lambda: self.stations.show(self.product_board))
        self.material_watch = MaterialWatch(workshop, self.notice, self)
        self.model_watch = ModelWatch(workshop, self.notice, self.model_import.read_again, self)
        self.board_pane.show_board(self.board)
        self.stations = Stations(self.boards, "Materials", self)
        self.stations.changed.connect(self._show_board)
        self.duplication = Duplication(self)
        self.menus = MenuBar(self)
        self.top_bar = TopBar(workshop, self.menus, self.stations)
        self.top_bar.render_button.clicked.connect(self.open_render)
        self.dialogs = Dialogs(self)
        self.start_page = StartPage(self.viewport)
        self.start_page.model_wanted.connect(self.choose_model)
        self.start_page.project_wanted.connect(self.files.choose)
        self.start_page.recent_wanted.connect(self.files.open)
        self.start_page.demo_wanted.connect(self.files.open_demo)
        self.start_page.tour_wanted.connect(self.begin_tour)
        self.viewport.resized.connect(self.start_page.place)
        self.effects = Effects(preferences(), workshop, self.autosave, self)
        self.effects.taken.connect(self._show_effects)
        self.centralWidget().layout().insertWidget(0, self.top_bar)
        self.notice.setParent(self.centralWidget())
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
        self.missing.tell()
        self.coarser.tell()

    def _lay_out(self) -> None:
        whole = QWidget()
        self.setCentralWidget(whole)
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.panes.whole, 1)

    @property
    def product_board(self) -> ProductBoard:
        """The board of the Product station."""
        return self.boards["Product"]

    @property
    def marks_board(self) -> MarksBoard:
        """The board of the Marks station."""
        return self.boards["Marks"]

    @property
    def fill_board(self) -> FillBoard:
        """The board of the Fill station."""
        return self.boards["Fill"]

    @property
    def set_board(self) -> SetBoard:
        """The board of the Set station."""
        return self.boards["Set"]

    @property
    def hand_over_board(self) -> HandOverBoard:
        """The board of the Hand over station."""
        return self.boards["Hand over"]

    def _begin_ready(self, ready_id: str) -> None:
        """Begins a pattern from the library on the material of the selected piece, and opens its strip."""
        begun = self.board.patterns.copy_from("", "", ready_id)
        if begun is None:
            self.workshop.said.emit("Select a part with a material first; then the pattern can be added there.")
            return
        self.stations.show(self.board)
        self.board.patterns.open(begun)

    def _show_station(self, station: str) -> QWidget:
        """Goes to a station, and gives its board."""
        self.stations.show(self.boards[station])
        return self.boards[station]

    def _read_art(self, path: Path, take: Callable) -> None:
        self.marks_board.artwork.read_art(path, take)

    def _show_board(self, station: str) -> None:
        self.board_pane.show_board(self.boards[station])
        if self.panes.is_board_folded or self.panes.filled is not None:
            self.panes.fold_board(False)
        self._follow_board()
        self.viewport.move_handles.is_shown = station == "Product"
        self.mark_tool.is_active = station == "Marks"
        self.viewport.select.is_light_judged = self.viewport.aim_light.is_shown = station == "Set"
        self.viewport.light_handles.is_shown = station == "Set"
        self.level_handle.is_shown = self.stream_handles.is_shown = station == "Fill"
        self.viewport.update()

    def _follow_board(self) -> None:
        """Tells the panes what the board shows."""
        station = self.stations.checkedButton().text()
        is_materials = self.board_pane.shown is self.board
        words = self.board.words if is_materials else ""
        is_empty = is_materials and self.workshop.selected_material is None
        self.panes.show_board(is_empty, words if is_empty else f"{station}  ·  {words}" if words else station)

    def _follow_panes(self) -> None:
        if self.notice.isVisible():
            self._place_notice()

    def fill_pane(self) -> None:
        """Lets the pane under the pointer, or with the focus, fill the window; or ends that."""
        panes = (self.wall.close_up, self.wall.reference)
        pane = next((pane for pane in panes if pane.hasFocus() or pane.underMouse()), self.viewport)
        self.panes.fill(self.panes.filled or pane)

    def go_to_region(self, step: int) -> None:
        """Takes the focus to the next region that is shown: library, picture, close-up, reference, board."""
        wall, page = self.wall, self.library_pane.pages.currentWidget()
        board = self.board_pane.line if self.board_pane.is_folded else self.board_pane.shown
        regions = [page, wall.viewport, wall.close_up, wall.reference, board]
        shown = [region for region in regions if region.isVisible()]
        focus = self.focusWidget()
        here = next(
            (k for k, r in enumerate(shown) if focus is not None and (r is focus or r.isAncestorOf(focus))), -step
        )
        region = shown[(here + step) % len(shown)]
        if region.focusPolicy() & Qt.FocusPolicy.TabFocus:
            region.setFocus(Qt.FocusReason.TabFocusReason)
            return
        inside = (w for w in region.findChildren(QWidget) if w.isVisible() and w.isEnabled())
        first = next((w for w in inside if w.focusPolicy() & Qt.FocusPolicy.TabFocus), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)

    def fold_empty_board(self, folds: bool) -> None:
        """Chooses if the board makes room where nothing is selected."""
        self.panes.folds_empty_board = folds
        self.panes.fold_board(False)

    def show_full_screen(self) -> None:
        """Fills the screen, or ends that."""
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def _follow(self) -> None:
        state = " (not saved)" if self.workshop.history.is_changed else ""
        self.setWindowTitle(f"{self.workshop.project.name}{state} – Mat Shelf")
        self.start_page.show_on(not self.workshop.project.product.parts)

    def change_look(self) -> None:
        """Changes between the light and the dark look."""
        preferences().change(look="light" if is_dark() else "dark")

    def say(self, text: str) -> None:
        """Shows a message over the lower edge of the wall."""
        self.notice.show_text(text)

    def offer(self, text: str, name: str, run: Callable[[], None]) -> None:
        """Shows a message with something that can be done about it."""
        self.notice.show_text(text, (name, run))

    def _note_recent(self) -> None:
        if self.workshop.path is not None:
            note_recent(self.workshop.path)

    def dragEnterEvent(self, event) -> None:
        if dropped_file(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        path = dropped_file(event.mimeData())
        if path is not None:
            event.acceptProposedAction()
            take_dropped(self, event.mimeData(), path)

    def _show_effects(self) -> None:
        self.menus.follow()
        self.viewport.update()

    def begin_tour(self) -> None:
        """Opens the demo and goes through it in six steps."""
        self.files.open_demo(self.dialogs.begin_tour)

    def begin_project(self) -> None:
        """Goes on with an empty project, in the Product station."""
        if self.files.may_leave():
            self.workshop.replace(empty_project(), Assets(), None)
            self.stations.show(self.product_board)

    def keep_snapshot(self) -> None:
        """Keeps the render as it is now among the references of the project."""
        if self.viewport.frame is not None:
            self.workshop.keep_snapshot(self.viewport.frame.pixels)

    def begin_pattern(self) -> None:
        """Offers what a new pattern of the material on the board can begin as."""
        self.stations.show(self.board)
        self.board.choose_pattern(self.board.header.save_button)

    def rename_material(self) -> None:
        """Lets the name of the material on the board be typed, on the board or where the list of materials is used."""
        if self.materials.list.hasFocus():
            self.materials.rename()
            return
        self.stations.show(self.board)
        self.board.header.name.setFocus()
        self.board.header.name.selectAll()

    def begin_light(self) -> SetBoard:
        """Goes to the station of the lights, and gives its board."""
        return self._show_station("Set")

    def add_shots(self) -> None:
        """Asks for views, sets and variants that become shots."""
        self.stations.show(self.hand_over_board)
        self.hand_over_board.shots_card.add_button.click()

    def render_shots(self) -> None:
        """Renders the ticked shots."""
        self.stations.show(self.hand_over_board)
        if not self.hand_over_board.run.runs:
            self.hand_over_board.shots_card.start_or_stop()

    def choose_model(self) -> None:
        """Asks for a model, and imports it."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Import model", self.files.folder(), MODEL_FILES)
        if chosen:
            self.model_import.start(Path(chosen))

    def choose_materials(self) -> None:
        """Asks for files of materials, and puts what is in them into the library."""
        kinds = f"Materials ({' '.join(f'*{ending}' for ending in MATERIAL_ENDINGS)})"
        chosen, _ = QFileDialog.getOpenFileNames(self, "Import materials", self.files.folder(), kinds)
        if chosen:
            self.workshop.take_swatches([Path(name) for name in chosen])

    def _tell_shapes(self, text: str) -> None:
        if text:
            self.notice.show_progress(f"{text}…", ("Cancel", self.shapes.cancel))
        else:
            self.notice.end_progress()

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
            self.render_dialog.is_running.connect(lambda runs: self.wall.give_way("render", runs))
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
        self.dialogs.close_threads()
        self.model_import.close_thread()
        self.work.close()
        if self.autosave is not None:
            self.autosave.close()
        self.library.close_threads()
        self.boards.close()
        self.shapes.close()
        self.missing.close()
        self.files.close()
        self.workshop.wait()
        self.wall.close_worker()
        event.accept()
