"""Image files dropped on the picture: a mark, a pattern, a texture set, the environment or the reference."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QMenu, QWidget

from mat_shelf.app.image_file import PICTURE_ENDINGS, ROOM_ENDINGS, dropped_files
from mat_shelf.app.wall.tools.tool import LEAVE, Tool
from mat_shelf.app.workshop import MarkWork
from mat_shelf.commands.marks import MARK_KINDS
from mat_shelf.patterns.placement_edit import PlacementHit


class FileDrop(Tool):
    """Lights the part that images are dragged over, and asks after the drop what they are.

    Parameters
    ----------
    show_station : callable (str) -> QWidget
        Goes to a station, and gives its board.
    """

    def __init__(
        self,
        viewport,
        marks: MarkWork,
        show_station: Callable[[str], QWidget],
    ):
        super().__init__(viewport)
        self._marks, self._show_station = marks, show_station

    def drag(self, event) -> bool:
        if event.type() == LEAVE:
            return False
        paths = dropped_files(event.mimeData(), *PICTURE_ENDINGS, *ROOM_ENDINGS)
        if not paths:
            return False
        if event.type() == QEvent.Type.DragEnter:
            event.acceptProposedAction()
            return True
        part = self.picker.part_at(event.position())
        self.viewport.select.light_up(*(((part, None),) if part is not None else ()))
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            self.viewport.select.light_up()
            menu = self.menu(paths, self.picker.hit_at(event.position()))
            menu.popup(self.viewport.mapToGlobal(event.position().toPoint()))
        return True

    def menu(self, paths: list[Path], hit: PlacementHit | None) -> QMenu:
        """Uses of the images, on the part where they were dropped and elsewhere."""
        menu = QMenu(self.viewport)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        first, workshop = paths[0], self.workshop

        def add(text: str, run: Callable[[], object]) -> None:
            menu.addAction(text.replace("&", "&&")).triggered.connect(lambda: run())

        if hit is not None:
            part = workshop.project.part(hit.part)
            material = workshop.project.material(part.material) if part.material else None
            if material is not None:
                what = "Texture set" if len(paths) > 1 else "Pattern"
                add(f"{what} for {material.name}", lambda: self._feed(part.id, paths))
            if len(paths) == 1:
                for kind, (words, _) in MARK_KINDS.items():
                    add(f"{words} on {part.name}", lambda kind=kind: self._mark(kind, first, hit))
            menu.addSeparator()
        if first.suffix.lower() in ROOM_ENDINGS:
            add("Environment", lambda: workshop.set_room(first))
        if first.suffix.lower() != ".hdr":
            add("Reference", lambda: workshop.set_reference(first))
        menu.addSeparator()
        add("Cancel", lambda: None)
        return menu

    def _feed(self, part_id: str, paths: list[Path]) -> None:
        self.workshop.select(part_id)
        self._show_station("Materials").images.read(paths)

    def _mark(self, kind: str, path: Path, hit: PlacementHit) -> None:
        self._show_station("Marks").artwork.read_art(path, lambda picture: self._marks.add(kind, hit, picture))
