"""The row that suits a field."""

from mat_shelf.app.board.binding import Binding
from mat_shelf.app.board.color_row import ColorRow
from mat_shelf.app.board.value_row import ValueRow


def row_of(binding: Binding) -> ValueRow | ColorRow:
    """A value row for a number, a colour row for a colour."""
    return ValueRow(binding) if binding.field.annotation is float else ColorRow(binding)
