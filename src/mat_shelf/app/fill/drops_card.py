"""Drops on a part: how many, how large, where, and how they lie."""

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import Beads

_LEFT = ("density", "size", "spread", "spacing", "contact_angle", "sag")
_RIGHT = ("patches", "patch_size", "from_marks", "side", "faces", "seed")


class DropsCard(QWidget):
    """Values of the drops on the board, in two columns."""

    def __init__(self, work: FillWork):
        super().__init__()
        self.work = work
        self.rows = {name: row_of(self._of_beads(name), is_stacked=True) for name in (*_LEFT, *_RIGHT)}
        self.on_box = QCheckBox("On")
        self.on_box.setToolTip("Shows the drops, or leaves them out")
        self.on_box.clicked.connect(self._switch)
        self.count = quiet_label()
        self.material_button = small_button("Material", "Shows their material in the Materials station")
        self.remove_button = small_button("Remove", "Removes the drops", self._remove)
        foot = QHBoxLayout()
        foot.addWidget(self.on_box)
        foot.addWidget(self.count, 1)
        foot.addWidget(self.material_button)
        foot.addWidget(self.remove_button)
        columns = QHBoxLayout()
        columns.setSpacing(14)
        for names in (_LEFT, _RIGHT):
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addStrut(124)
            for name in names:
                column.addWidget(self.rows[name])
            column.addStretch(1)
            columns.addLayout(column, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(columns, 1)
        whole.addLayout(foot)

    def _of_beads(self, name: str) -> Binding:
        return Binding(
            self.work.workshop, Beads, name, lambda w: self.work.beads, lambda w, beads: self.work.with_beads(beads)
        )

    def _switch(self, is_on: bool) -> None:
        if self.work.beads_part is not None:
            self.work.switch(self.work.beads_part, is_on)

    def _remove(self) -> None:
        if self.work.beads_part is not None:
            self.work.remove(self.work.beads_part)

    def follow(self) -> None:
        """Shows the drops on the board."""
        part = self.work.beads_part
        self.setEnabled(part is not None)
        self.on_box.setChecked(part is not None and not part.is_hidden)
        for row in self.rows.values():
            row.follow()
        words = ""
        if part is not None:
            most = "" if self.work.are_all_drops_shown else ", the most there can be"
            words = f"{self.work.drop_count:,} drops{most}"
        self.count.setText(words)
