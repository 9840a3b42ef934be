"""The board of the Product station: size, parts, place, zones, unassigned faces, UVs."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from mat_shelf.app.product.coverage_card import CoverageCard
from mat_shelf.app.product.parts_card import PartsCard
from mat_shelf.app.product.place_card import PlaceCard
from mat_shelf.app.product.size_card import SizeCard
from mat_shelf.app.product.uv_card import UvCard
from mat_shelf.app.product.zones_card import ZonesCard
from mat_shelf.app.widgets.card import titled_card
from mat_shelf.app.workshop import ProductWork


class ProductBoard(QFrame):
    """Cards from left to right, in the order of the work.

    Signals
    -------
    mode_wanted : str
        What a click in the viewport does from now on: "" selects, "faces" chooses faces, "measure" measures.
    import_wanted
    view_wanted : str
        How the coordinates are to be shown, a key of `coordinate_view.VIEWS`.
    """

    mode_wanted = pyqtSignal(str)
    import_wanted = pyqtSignal()
    view_wanted = pyqtSignal(str)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.setObjectName("board")
        self.work = work
        self.size_card, self.parts_card = SizeCard(work), PartsCard(work)
        self.place_card, self.zones_card = PlaceCard(work), ZonesCard(work)
        self.coverage_card, self.uv_card = CoverageCard(work), UvCard(work)
        self.uv_card.view_wanted.connect(self.view_wanted)
        self.cards = (
            self.size_card,
            self.parts_card,
            self.place_card,
            self.zones_card,
            self.coverage_card,
            self.uv_card,
        )
        self.size_card.measure_button.toggled.connect(self._measure)
        self.size_card.import_button.clicked.connect(self.import_wanted)
        self.zones_card.mode_changed.connect(self._faces)
        cards = QHBoxLayout(self)
        cards.setContentsMargins(16, 14, 16, 14)
        cards.setSpacing(8)
        for title, card, share in (
            ("Size", self.size_card, 19),
            ("Parts", self.parts_card, 28),
            ("Place", self.place_card, 17),
            ("Zones", self.zones_card, 20),
        ):
            cards.addWidget(titled_card(title, [[card]]), share)
        last = QVBoxLayout()
        last.setSpacing(8)
        last.addWidget(titled_card("Unassigned faces", [[self.coverage_card]]), 1)
        last.addWidget(titled_card("UVs", [[self.uv_card]]), 1)
        cards.addLayout(last, 16)
        cards.addStretch(1)
        for signal in (work.workshop.project_changed, work.workshop.selection_changed, work.faces_changed):
            signal.connect(self.follow)
        work.gap_changed.connect(self.coverage_card.follow)
        self.follow()

    def follow(self) -> None:
        if not self.isVisible():
            return
        for card in self.cards:
            card.follow()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.follow()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self.size_card.measure_button.setChecked(False)
        self.zones_card.let_go()
        self.uv_card.show_view("")

    def _measure(self, is_on: bool) -> None:
        if is_on:
            self.zones_card.let_go()
        self.mode_wanted.emit("measure" if is_on else "")

    def _faces(self, is_on: bool) -> None:
        if is_on:
            self.size_card.measure_button.setChecked(False)
        self.mode_wanted.emit("faces" if is_on else "")
