"""The row that suits a field."""

from mat_shelf.app.board.binding import Binding
from mat_shelf.app.board.color_row import ColorRow
from mat_shelf.app.board.value_row import ValueRow


def row_of(binding: Binding, chip=None, is_stacked: bool = False) -> ValueRow | ColorRow:
    """A value row for a number, a colour row for a colour; with the chip of what feeds it, if it takes patterns."""
    kind = ValueRow if binding.field.annotation is float else ColorRow
    return kind(binding, chip, is_stacked)
