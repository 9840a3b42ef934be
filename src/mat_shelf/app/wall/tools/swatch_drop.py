"""Swatches dropped on parts and zones."""

from mat_shelf.app.library.swatch_drag import dragged_swatch
from mat_shelf.app.wall.tools.tool import DROP, LEAVE, Tool


class SwatchDrop(Tool):
    """The part under a dragged swatch lights up before the drop."""

    def drag(self, event) -> bool:
        select = self.viewport.select
        if event.type() == LEAVE:
            select.light_up(None)
            return True
        swatch = dragged_swatch(event.mimeData())
        if not swatch:
            return False
        if event.type() == event.Type.DragEnter:
            event.acceptProposedAction()
            return True
        part, zone = self.picker.part_at(event.position()), self.picker.zone_at(event.position())
        if event.type() == DROP:
            select.light_up(None)
            if part:
                event.acceptProposedAction()
                self.workshop.wear(part, swatch, zone)
            return True
        select.light_up(part, zone)
        if part:
            event.acceptProposedAction()
        else:
            event.ignore()
        return True
