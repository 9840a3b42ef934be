"""A copy of what the station is about: a part, a mark or a material."""

from typing import TYPE_CHECKING

from mat_shelf.document.mark import Mark
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part

if TYPE_CHECKING:
    from mat_shelf.app.window import Window


class Duplication:
    """The command, which is another one in each station."""

    def __init__(self, window: "Window"):
        self._window = window

    def _thing(self) -> Part | Mark | Material | None:
        window = self._window
        station = window.boards.station_of(window.board_pane.shown)
        if station == "Product":
            return window.workshop.selected_part
        if station == "Marks" and window.marks.mark is not None:
            return window.marks.mark
        return window.workshop.selected_material

    def words(self) -> str:
        """The name of what would be copied, in a command's words."""
        thing = self._thing()
        return f"Duplicate {thing.name}" if thing is not None else "Duplicate"

    def is_possible(self) -> bool:
        """True if something is selected that can be copied."""
        return self._thing() is not None

    def run(self) -> None:
        """Copies it."""
        thing = self._thing()
        if isinstance(thing, Part):
            self._window.work.duplicate()
        elif isinstance(thing, Mark):
            self._window.marks.copy(thing)
        else:
            self._window.workshop.duplicate_material()
