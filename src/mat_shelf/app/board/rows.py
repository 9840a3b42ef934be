"""The row that suits a field."""

from typing import Literal, get_args, get_origin

from PyQt6.QtWidgets import QWidget

from mat_shelf.app.board.binding import Binding
from mat_shelf.app.board.choice_row import AXES, ChoiceRow
from mat_shelf.app.board.color_row import ColorRow
from mat_shelf.app.board.value_row import ValueRow

_PRIORITIES = {0: "0, gives way to all", 3: "3, liquid", 5: "5, solid", 9: "9, before all"}
_WORDS = AXES | {False: "solid body", True: "thin sheet", "round": "round the axis", "along": "along the axis"}


def row_of(binding: Binding, chip=None, is_stacked: bool = False) -> QWidget:
    """A row for a number, a colour or a choice; with the chip of what feeds it, if it takes patterns."""
    kind = binding.field.annotation
    if get_origin(kind) is Literal:
        return ChoiceRow(binding, {value: _WORDS[value] for value in get_args(kind)})
    if kind is bool:
        return ChoiceRow(binding, {value: _WORDS[value] for value in (False, True)})
    if kind is int:
        return ChoiceRow(binding, {value: _PRIORITIES.get(value, str(value)) for value in range(10)})
    return (ValueRow if kind is float else ColorRow)(binding, chip, is_stacked)
