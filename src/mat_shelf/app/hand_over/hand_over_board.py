"""The board of the Hand over station: shots, the one that is chosen, and the finish."""

from PyQt6.QtWidgets import QFrame

from mat_shelf.app.hand_over.finish_card import CurveCard, EdgesCard, FinishCard
from mat_shelf.app.hand_over.shot_card import ShotCard
from mat_shelf.app.hand_over.shot_run import ShotRun
from mat_shelf.app.hand_over.shots_card import ShotsCard
from mat_shelf.app.widgets.fold_row import FoldRow
from mat_shelf.app.workshop import HandOverWork


class HandOverBoard(QFrame):
    """Cards from left to right: shots, shot, finish, its curve, bloom and edges."""

    def __init__(self, work: HandOverWork):
        super().__init__()
        self.setObjectName("board")
        self.work, self.run = work, ShotRun(work, self)
        self.shots_card, self.shot_card = ShotsCard(work, self.run), ShotCard(work)
        self.finish_card, self.curve_card, self.edges_card = FinishCard(work), CurveCard(work), EdgesCard(work)
        self.row = FoldRow(
            self,
            {
                "Shots": ([self.shots_card], 34, 2),
                "Shot": ([self.shot_card], 32, 2),
                "Finish": ([self.finish_card], 30, 2),
                "Curve": ([self.curve_card], 15),
                "Bloom and edges": ([self.edges_card], 15),
            },
            ("Bloom and edges", "Curve", "Shot", "Finish"),
        )
        self._had_table = False
        work.changed.connect(self.follow)
        self.shots_card.list.itemClicked.connect(lambda _: self.row.show("Shot", "Finish"))
        work.workshop.project_changed.connect(self._follow_project)
        work.workshop.selection_changed.connect(self.follow)
        self.follow()

    def _follow_project(self) -> None:
        if self.isVisible():
            self.run.look()
        self.follow()

    def follow(self) -> None:
        """Shows the shots and the finish; out of sight it waits."""
        if self.isVisible():
            has_table = self.work.finish.table is not None
            if has_table and not self._had_table:
                self.row.unfold("Bloom and edges")  # where its share is
            self._had_table = has_table
            for card in (self.shots_card, self.shot_card, self.finish_card, self.curve_card, self.edges_card):
                card.follow()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.run.look()
        self.follow()
        self.row.follow_room()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self.finish_card.leave()
