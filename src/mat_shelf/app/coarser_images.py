"""Pictures of a project that are shown coarser than they came, for want of memory: told once each."""

from PyQt6.QtCore import QObject

from mat_shelf.app.workshop import Workshop
from mat_shelf.exchange.picture_memory import coarser_pictures, words_for_coarser


class CoarserImages(QObject):
    """Tells of such pictures when a project was opened, and when one is taken into it."""

    def __init__(self, workshop: Workshop, parent):
        super().__init__(parent)
        self.workshop, self._told = workshop, set()
        workshop.project_replaced.connect(self._begin)
        workshop.project_changed.connect(self.tell)

    def _begin(self) -> None:
        self._told.clear()  # there may still be too little memory for what was opened again
        self.tell()

    def tell(self) -> None:
        pictures = self.workshop.assets.pictures
        new = [one for one in coarser_pictures(self.workshop.project, pictures) if one.digest not in self._told]
        if new:
            self._told |= {one.digest for one in new}
            self.workshop.said.emit(words_for_coarser(new, pictures))
