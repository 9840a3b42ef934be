"""Bubbles in a liquid: how many of each kind, how large, and where."""

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import Bubbles

_LEFT = ("density", "wall", "edge", "trails", "size")
_RIGHT = ("spread", "patches", "patch_size", "seed")


class BubblesCard(QWidget):
    """Values of the bubbles of the liquid on the board, in two columns."""

    def __init__(self, work: FillWork):
        super().__init__()
        self.work = work
        self.rows = {name: row_of(self._of_bubbles(name), is_stacked=True) for name in (*_LEFT, *_RIGHT)}
        self.add_button = small_button("Add bubbles", "Lets bubbles of air rise in the liquid", work.add_bubbles)
        self.on_box = QCheckBox("On")
        self.on_box.setToolTip("Shows the bubbles, or leaves them out")
        self.on_box.clicked.connect(self._switch)
        self.count = quiet_label()
        self.remove_button = small_button("Remove", "Removes the bubbles", self._remove)
        columns = QHBoxLayout()
        columns.setSpacing(14)
        for names in (_LEFT, _RIGHT):
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addStrut(124)
            for name in names:
                column.addWidget(self.rows[name])
            if names is _RIGHT:
                column.addSpacing(6)
                column.addWidget(self.add_button)
            column.addStretch(1)
            columns.addLayout(column, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.on_box)
        foot.addWidget(self.count, 1)
        foot.addWidget(self.remove_button)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(columns, 1)
        whole.addLayout(foot)

    def _of_bubbles(self, name: str) -> Binding:
        work = self.work
        return Binding(work.workshop, Bubbles, name, lambda w: work.bubbles, lambda w, own: work.with_bubbles(own))

    def _switch(self, is_on: bool) -> None:
        if self.work.bubbles_part is not None:
            self.work.switch(self.work.bubbles_part, is_on)

    def _remove(self) -> None:
        if self.work.bubbles_part is not None:
            self.work.remove(self.work.bubbles_part)

    def follow(self) -> None:
        """Shows the bubbles on the board."""
        part = self.work.bubbles_part
        self.setEnabled(self.work.fill_part is not None)
        for widget in (self.on_box, self.count, self.remove_button, *self.rows.values()):
            widget.setEnabled(part is not None)
        self.add_button.setVisible(part is None)
        self.on_box.setChecked(part is not None and not part.is_hidden)
        for row in self.rows.values():
            row.follow()
        self.count.setText(f"{self.work.bubble_count:,} bubbles" if part is not None else "")
