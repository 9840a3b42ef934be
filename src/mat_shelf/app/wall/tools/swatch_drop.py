"""Swatches and materials dropped on parts, zones and faces."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt

from mat_shelf.app.library.swatch_drag import dragged_wearable
from mat_shelf.app.wall.tools.tool import DROP, LEAVE, Tool
from mat_shelf.commands.materials import Wearable


class SwatchDrop(Tool):
    """The piece under a dragged swatch lights up before the drop.

    That is the part or zone under the pointer, or the whole selection it belongs to; with Shift all parts that wear the
    same material, with Control the faces up to the next edge, which become a zone.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self._region: tuple[tuple, np.ndarray | None] = ((), None)

    def drag(self, event) -> bool:
        select = self.viewport.select
        if event.type() == LEAVE:
            select.light_up()
            return True
        what = dragged_wearable(event.mimeData())
        if what is None:
            return False
        if event.type() == event.Type.DragEnter:
            event.acceptProposedAction()
            return True
        takers = self._takers(event.position(), event.modifiers())
        if event.type() == DROP:
            select.light_up()
            if takers:
                event.acceptProposedAction()
                self._dress(takers, what)
            elif self.picker.part_at(event.position()) is not None:
                self.workshop.said.emit("The faces of this part are still being looked at; drop it again.")
            return True
        select.light_up(*takers)
        if takers:
            event.acceptProposedAction()
        else:
            event.ignore()
        return True

    def _takers(self, place: QPointF, modifiers) -> tuple[tuple[str, str | np.ndarray | None], ...]:
        """Parts, and which zone or faces of each, that a swatch would be put on."""
        part, workshop = self.picker.part_at(place), self.workshop
        if part is None:
            return ()
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            region = self._region_at(part, place)
            return () if region is None else ((part, region),)
        material = workshop.project.part(part).material
        if modifiers & Qt.KeyboardModifier.ShiftModifier and material is not None:
            others = (other.id for other in workshop.project.product.parts if other.material == material)
            return ((part, None), *((other, None) for other in others if other != part))
        if workshop.also_selected and part in (workshop.selected, *workshop.also_selected):
            return tuple((other, None) for other in (workshop.selected, *workshop.also_selected))
        return ((part, self.picker.zone_at(place)),)

    def _region_at(self, part: str, place: QPointF) -> np.ndarray | None:
        """Smooth region under the pointer; the same array for the same, so that it is outlined once."""
        face = self.viewport.frame.first_hits.face(*self.picker.pixel(place))
        known, region = self._region
        key = (part, self.workshop.project.part(part).mesh)
        if known != key or region is None or not (face < len(region) and region[face]):
            self._region = key, self.work.region_at(part, face)
        return self._region[1]

    def _dress(self, takers, what: Wearable) -> None:
        (part, faces), *others = takers
        if isinstance(faces, np.ndarray):
            self.work.dress_region(part, faces, what)
        else:
            self.workshop.put_on([(part, faces), *others], what)
