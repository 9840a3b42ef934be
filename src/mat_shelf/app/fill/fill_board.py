"""The board of the Fill station: the vessel, its section, the liquid, bubbles, foam, a stream, and drops."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame

from mat_shelf.app.fill.bubbles_card import BubblesCard
from mat_shelf.app.fill.drops_card import DropsCard
from mat_shelf.app.fill.foam_card import FoamCard
from mat_shelf.app.fill.liquid_card import LiquidCard
from mat_shelf.app.fill.section_view import SectionView
from mat_shelf.app.fill.stream_card import StreamCard
from mat_shelf.app.fill.vessel_card import VesselCard
from mat_shelf.app.widgets.fold_row import FoldRow
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.product import Part

_REST_MS = 160
"""After the last edit, from which on the report is worked out: while a level is dragged the picture needs the time."""


class FillBoard(QFrame):
    """Cards from left to right, in the order of the work.

    Signals
    -------
    material_wanted
        The material of what is selected is to be shown.
    """

    material_wanted = pyqtSignal()

    def __init__(self, work: FillWork):
        super().__init__()
        self.setObjectName("board")
        self.work = work
        self.vessel_card, self.section_view = VesselCard(work), SectionView(work)
        self.liquid_card, self.drops_card, self.bubbles_card = LiquidCard(work), DropsCard(work), BubblesCard(work)
        self.foam_card, self.stream_card = FoamCard(work), StreamCard(work)
        self.row = FoldRow(
            self,
            {
                "Vessel": ([self.vessel_card], 17),
                "Section": ([self.section_view], 24),
                "Liquid": ([self.liquid_card], 28, 2),
                "Bubbles": ([self.bubbles_card], 28, 2),
                "Foam": ([self.foam_card], 28, 2),
                "Stream": ([self.stream_card], 28, 2),
                "Drops": ([self.drops_card], 40, 3),
            },
            ("Stream", "Foam", "Bubbles", "Drops", "Section"),
        )
        self.liquid_card.material_button.clicked.connect(lambda: self._want_material(work.fill_part))
        self._strewn = {
            "Drops": self.drops_card,
            "Bubbles": self.bubbles_card,
            "Foam": self.foam_card,
            "Stream": self.stream_card,
        }
        self._held: tuple[str | None, set[str]] = None, set()
        self._newest = ""
        for card in self._strewn.values():
            card.material_button.clicked.connect(lambda _, card=card: self._want_material(card.part_of()))
        self._asked = QTimer(self, singleShot=True, interval=_REST_MS)
        self._asked.timeout.connect(work.tell)
        work.workshop.project_changed.connect(Paced(self, work.workshop, self.follow).note)
        for signal in (work.workshop.selection_changed, work.workshop.camera_changed):
            signal.connect(self.follow)
        work.told.connect(self.follow)  # what changed meanwhile is asked for once the hand rests
        self.follow()

    def follow(self) -> None:
        """Shows what is on the board; what has to be worked out follows."""
        if self.isVisible():
            self._asked.start(0 if self.work.is_unknown else _REST_MS)
            self._show()
            self.section_view.update()

    def _want_material(self, part: Part | None) -> None:
        if part is not None:
            self.work.workshop.select(part.id)
            self.material_wanted.emit()

    def _front(self) -> str:
        """The card of what is selected, or was just put into the vessel; of drops that are seen, or of the liquid."""
        parts = {name: card.part_of() for name, card in self._strewn.items()}
        selected = self.work.session.selected
        vessel = self.work.vessel
        before, self._held = self._held, (vessel and vessel.id, {name for name, part in parts.items() if part})
        if before[0] != self._held[0]:
            self._newest = ""
        elif new := self._held[1] - before[1]:
            self._newest = next(iter(new))
        chosen = (name for name, part in parts.items() if part is not None and part.id == selected)
        kept = self._newest if self._newest in self._held[1] else ""
        drops, gone = parts["Drops"], self.work.project.view.hides
        are_seen = drops is not None and not drops.is_hidden and drops.id not in gone
        if (found := next(chosen, kept)) or are_seen:
            return found or "Drops"
        return "Bubbles" if self.work.fill_part is None and self.work.bubbling is not None else "Liquid"

    def _show(self) -> None:
        if self.isVisible():
            front, is_poured = self._front(), self.work.fill_part is not None
            beside = ("Drops", "Section") if front == "Liquid" or not is_poured else ("Section", "Liquid")
            self.row.show(front, *beside)
            for card in (self.vessel_card, self.liquid_card, *self._strewn.values()):
                card.follow()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.follow()
        self.row.follow_room()
