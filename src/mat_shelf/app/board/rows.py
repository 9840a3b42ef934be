"""The row that suits a field."""

from PyQt6.QtWidgets import QWidget

from mat_shelf.app.board.binding import Binding
from mat_shelf.app.board.choice_row import AXES, ChoiceRow
from mat_shelf.app.board.color_row import ColorRow
from mat_shelf.app.board.value_row import ValueRow

_CHOICES = {
    "brush_axis": AXES,
    "brush_way": {"round": "round the axis", "along": "along the axis"},
    "geometry_thin_walled": {False: "solid body", True: "thin sheet"},
    "nesting_priority": {k: str(k) for k in range(10)}
    | {0: "0, gives way to all", 3: "3, liquid", 5: "5, solid", 9: "9, before all"},
    "contact": {"dry": "dry, as solids are", "wet": "wet, as liquids are"},
    "way": {"along": "along it", "flat": "flat"},
    "seen": {"both": "both sides", "outside": "its side", "inside": "other side"},
    "is_displaced": {False: "bump", True: "true relief"},
    "is_mirrored": {False: "as it is", True: "mirrored"},
    "profile": {"flat-topped": "eased", "straight": "a ramp", "round": "a bulge"},
}
"""Words for the values of fields that have few."""


def row_of(binding: Binding, chip=None, is_stacked: bool = False) -> QWidget:
    """A row for a number, a colour or a choice; with the chip of what feeds it, if it takes patterns."""
    if binding.name in _CHOICES:
        return ChoiceRow(binding, _CHOICES[binding.name])
    return (ValueRow if binding.field.annotation is float else ColorRow)(binding, chip, is_stacked)
