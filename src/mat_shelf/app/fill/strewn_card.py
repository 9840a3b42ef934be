"""A card of what is strewn, drops or bubbles: rows in columns, a switch, how many there are, and buttons."""

from collections.abc import Callable

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.product import Part

_COLUMN = 124


class StrewnCard(QWidget):
    """Values of the drops, or the bubbles, on the board.

    Parameters
    ----------
    name : str
        What they are called, such as "drops".
    columns : tuple of (tuple of str)
        Fields of the rows, by column.
    bind : callable (str) -> Binding
        Binding of a field.
    part_of : callable () -> Part or None
        The part that they are.
    count_of : callable () -> int or str
        Their number, or all that there is to say.
    add_button : QPushButton, optional
        Shown where there are none.
    liquid_of : callable () -> Part or None, optional
        The liquid that they can be added to; the fill on the board by default.
    """

    def __init__(
        self,
        work: FillWork,
        name: str,
        columns: tuple[tuple[str, ...], ...],
        bind: Callable[[str], Binding],
        part_of: Callable[[], Part | None],
        count_of: Callable[[], int | str],
        add_button: QPushButton | None = None,
        liquid_of: Callable[[], Part | None] | None = None,
    ):
        super().__init__()
        self.work, self._name = work, name
        self.part_of, self._count_of, self.add_button = part_of, count_of, add_button
        self._liquid_of = liquid_of or (lambda: work.fill_part)
        self._is_empty = False
        self.rows = {field: row_of(bind(field), is_stacked=True) for fields in columns for field in fields}
        self.on_box = QCheckBox("On")
        self.on_box.setToolTip(f"Shows the {name}, or leaves them out")
        self.on_box.clicked.connect(self._switch)
        self.count = quiet_label()
        self.material_button = small_button("Material", "Shows their material in the Materials station")
        self.remove_button = small_button("Remove", f"Removes the {name}", self._remove)
        side_by_side, foot, whole = QHBoxLayout(), QHBoxLayout(), QVBoxLayout(self)
        side_by_side.setSpacing(14)
        for fields in columns:
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addStrut(_COLUMN)
            for field in fields:
                column.addWidget(self.rows[field])
            if add_button is not None and fields is columns[-1]:
                column.addSpacing(6)
                column.addWidget(add_button)
            column.addStretch(1)
            side_by_side.addLayout(column, 1)
        foot.addWidget(self.on_box)
        foot.addWidget(self.count, 1)
        foot.addWidget(self.material_button)
        foot.addWidget(self.remove_button)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(side_by_side, 1)
        whole.addLayout(foot)

    def _switch(self, is_on: bool) -> None:
        if (part := self.part_of()) is not None:
            self.work.switch(part, is_on)

    def _remove(self) -> None:
        if (part := self.part_of()) is not None:
            self.work.remove(part)

    def follow(self) -> None:
        """Shows what is on the board."""
        part, was_empty = self.part_of(), self._is_empty
        self._is_empty = part is None
        if not (was_empty and self._is_empty):  # most vessels have no bubbles, foam or stream
            for widget in (self.on_box, self.material_button, self.remove_button, *self.rows.values()):
                widget.setEnabled(part is not None)
            for row in self.rows.values():
                row.follow()
        if self.add_button is not None:
            self.add_button.setVisible(part is None)
            self.add_button.setEnabled(self._liquid_of() is not None)
        self.on_box.setChecked(part is not None and not part.is_hidden)
        count, words = self._count_of(), ""
        if isinstance(count, str):
            words = count
        elif part is not None:
            words = f"{count:,} {self._name}" + (", the most there can be" if self.work.is_most(count) else "")
        self.count.setText(words)
