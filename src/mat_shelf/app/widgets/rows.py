"""The row that suits a field."""

from PyQt6.QtWidgets import QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.choice_row import AXES, ChoiceRow
from mat_shelf.app.widgets.color_row import ColorRow
from mat_shelf.app.widgets.value_row import ValueRow

_CHOICES = {
    "brush_axis": AXES,
    "brush_way": {"round": "Around", "along": "Along"},
    "geometry_thin_walled": {False: "Solid", True: "Thin-walled"},
    "nesting_priority": {k: str(k) for k in range(10)}
    | {0: "0, lowest", 3: "3, liquid", 5: "5, solid", 9: "9, highest"},
    "contact": {"dry": "Dry (solids)", "wet": "Wet (liquids)"},
    "way": {"along": "Conform", "flat": "Flat"},
    "seen": {"both": "Both", "outside": "Front", "inside": "Back"},
    "is_displaced": {False: "Bump", True: "True relief"},
    "is_mirrored": {False: "No", True: "Mirrored"},
    "side": {"outside": "Outside", "inside": "Inside", "both": "Both"},
    "faces": {"all": "All", "up": "Facing up", "sides": "Upright", "down": "Facing down"},
    "profile": {"flat-topped": "Smooth", "straight": "Straight", "round": "Round"},
}
"""Words for the values of fields that have few."""


def row_of(binding: Binding, chip=None, is_stacked: bool = False) -> QWidget:
    """A row for a number, a colour or a choice; with the chip of what feeds it, if it takes patterns."""
    if binding.name in _CHOICES:
        return ChoiceRow(binding, _CHOICES[binding.name])
    return (ValueRow if binding.field.annotation in (float, int) else ColorRow)(binding, chip, is_stacked)
