"""The boards of the stations, each made when it is first asked for: half of a start would be spent on them."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from mat_shelf.app.fill.fill_board import FillBoard
from mat_shelf.app.hand_over.hand_over_board import HandOverBoard
from mat_shelf.app.marks.marks_board import MarksBoard
from mat_shelf.app.materials.materials_board import MaterialsBoard
from mat_shelf.app.product.product_board import ProductBoard
from mat_shelf.app.set.set_board import SetBoard

if TYPE_CHECKING:
    from mat_shelf.app.window import Window


class StationBoards:
    """Makes boards, and connects them with the picture."""

    def __init__(self, window: "Window"):
        self._window = window
        self._made: dict[str, QWidget] = {}
        self._makers: dict[str, Callable[[], QWidget]] = {
            "Product": self._product,
            "Materials": lambda: MaterialsBoard(window.workshop),
            "Marks": self._marks,
            "Fill": self._fill,
            "Set": self._set,
            "Hand over": self._hand_over,
        }

    @property
    def names(self) -> tuple[str, ...]:
        """Names of the stations, in the order of the work."""
        return tuple(self._makers)

    def __getitem__(self, station: str) -> QWidget:
        """The board of a station."""
        if station not in self._made:
            self._made[station] = self._makers[station]()
            self._window.board_pane.add(self._made[station])
        return self._made[station]

    def station_of(self, board: QWidget) -> str:
        """The station of a board."""
        return next(name for name, made in self._made.items() if made is board)

    def _product(self) -> ProductBoard:
        window, board = self._window, ProductBoard(self._window.work)
        viewport = window.viewport
        board.mode_wanted.connect(viewport.set_mode)
        board.parts_card.menu_wanted.connect(lambda part, zone, where: viewport.part_menu.menu(part, zone).popup(where))
        board.view_wanted.connect(viewport.uv_overlay.show)
        board.import_wanted.connect(window.choose_model)
        viewport.measured.connect(board.size_card.show_distance)
        return board

    def _marks(self) -> MarksBoard:
        board = MarksBoard(self._window.marks)
        board.find_place = self._window.mark_tool.middle_of_selected
        return board

    def _fill(self) -> FillBoard:
        window, board = self._window, FillBoard(self._window.fills)
        board.material_wanted.connect(lambda: window.stations.show(window.board))
        return board

    def _set(self) -> SetBoard:
        window = self._window
        board, viewport = SetBoard(window.workshop, window.work), window.viewport
        board.light_card.way_wanted.connect(viewport.aim_light.want)
        viewport.aimed.connect(board.light_card.let_go)
        board.camera_card.focus_wanted.connect(viewport.focus.want)
        board.camera_card.grey_wanted.connect(viewport.light_meter.want)
        board.camera_card.zone_wanted.connect(viewport.sharp_zone.show)
        board.camera_card.meter_wanted.connect(viewport.light_meter.expose)
        board.backdrop_card.lines_wanted.connect(viewport.horizon_lines.show)
        viewport.focused.connect(board.camera_card.let_go)
        return board

    def _hand_over(self) -> HandOverBoard:
        window, board = self._window, HandOverBoard(self._window.hand_over)
        board.run.is_running.connect(lambda runs: window.wall.give_way("shots", runs))
        board.shots_card.wanted.connect(lambda name: window.dialogs.open_more(name))
        board.finish_card.compare_wanted.connect(window.viewport.finish_split.show)
        return board

    def close(self) -> None:
        """Ends the work of those that were made."""
        if "Hand over" in self._made:
            self._made["Hand over"].run.close()
        if "Set" in self._made:
            self._made["Set"].sets_card.thumbnails.close()
        if "Marks" in self._made:
            self._made["Marks"].artwork.close_thread()
        self._made["Materials"].close_threads()
