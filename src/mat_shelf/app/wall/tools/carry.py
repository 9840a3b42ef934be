"""A material carried from part to part in the picture."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDrag

from mat_shelf.app.library.swatch_drag import wearable_mime
from mat_shelf.app.wall.tools.tool import Tool, is_left
from mat_shelf.commands.materials import Wearable


class Carry(Tool):
    """While M is held, a drag takes the material under the pointer to where it is dropped."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self._is_held = False

    def key(self, event) -> bool:
        if event.key() != Qt.Key.Key_M or event.modifiers():
            return False
        self._is_held = True
        self.viewport.setCursor(Qt.CursorShape.OpenHandCursor)
        return True

    def key_release(self, event) -> bool:
        if event.key() != Qt.Key.Key_M or event.isAutoRepeat():
            return False
        self._is_held = False
        self.viewport.setCursor(Qt.CursorShape.ArrowCursor)
        return True

    def leave(self) -> None:
        self._is_held = False

    def press(self, event) -> bool:
        if not self._is_held or not is_left(event):
            return False
        place = event.position()
        part_id, zone_id = self.picker.part_at(place), self.picker.zone_at(place)
        if part_id is None:
            return True
        part = self.workshop.project.part(part_id)
        material = (part.zone(zone_id) if zone_id else part).material
        if material is None:
            self.workshop.said.emit(f"{part.name} has no material to carry.")
            return True
        drag = QDrag(self.viewport)
        drag.setMimeData(wearable_mime(Wearable("material", material)))
        drag.exec(Qt.DropAction.CopyAction)
        self._is_held = False  # letting go of the key during the drag is not told
        return True
