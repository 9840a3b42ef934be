"""The board of the Product station: size, parts, place, surface, zones, unassigned faces, UVs."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from mat_shelf.app.product.coverage_card import CoverageCard
from mat_shelf.app.product.parts_card import PartsCard
from mat_shelf.app.product.place_card import PlaceCard
from mat_shelf.app.product.size_card import SizeCard
from mat_shelf.app.product.surface_card import SurfaceCard
from mat_shelf.app.product.uv_card import UvCard
from mat_shelf.app.product.zones_card import ZonesCard
from mat_shelf.app.widgets.fold_row import FoldRow
from mat_shelf.app.widgets.small_widgets import quiet_label
from mat_shelf.app.workshop import ProductWork

CHECKS = "Coverage and UVs"


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
        self.place_card, self.surface_card, self.zones_card = PlaceCard(work), SurfaceCard(work), ZonesCard(work)
        self.coverage_card, self.uv_card = CoverageCard(work), UvCard(work)
        self.uv_card.view_wanted.connect(self.view_wanted)
        self.cards = (
            self.size_card,
            self.parts_card,
            self.place_card,
            self.surface_card,
            self.zones_card,
            self.coverage_card,
            self.uv_card,
        )
        self.size_card.measure_button.toggled.connect(self._measure)
        self.size_card.import_button.clicked.connect(self.import_wanted)
        self.zones_card.mode_changed.connect(self._faces)
        self.row = FoldRow(
            self,
            {
                "Size": ([self.size_card], 17),
                "Parts": ([self.parts_card], 26),
                "Place": ([self.place_card], 16),
                "Surface": ([self.surface_card], 16),
                "Zones": ([self.zones_card], 18),
                CHECKS: ([self._checks()], 16),
            },
            (CHECKS, "Size"),
        )
        for signal in (work.workshop.project_changed, work.workshop.selection_changed, work.faces_changed):
            signal.connect(self.follow)
        work.gap_changed.connect(self.coverage_card.follow)
        self.follow()

    def follow(self) -> None:
        if not self.isVisible():
            return
        for card in self.cards:
            card.follow()
        self.row.folds[CHECKS].tab.show_count(len(self.work.gaps))

    def _checks(self) -> QWidget:
        """Faces without a material and texture coordinates, one under the other."""
        checks, heading = QWidget(), quiet_label()
        heading.setText("UVs")
        column = QVBoxLayout(checks)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (self.coverage_card, heading, self.uv_card):
            column.addWidget(widget)
        column.addStretch(1)
        return checks

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.follow()
        self.row.follow_room()

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
