"""Rows for the fields of a step, made from its model."""

from collections.abc import Callable
from typing import Literal, get_args, get_origin

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QWidget

from mat_shelf.app.patterns.brush_row import BrushRow
from mat_shelf.app.patterns.curve_row import CurveRow
from mat_shelf.app.patterns.image_row import ImageRow
from mat_shelf.app.patterns.ramp_row import RampRow
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.choice_row import AXES, ChoiceRow
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.row_label import RowLabel
from mat_shelf.app.widgets.value_row import ValueRow, lay_stacked
from mat_shelf.app.workshop import PatternWork
from mat_shelf.document.pattern import PatternRef, Placement, Step
from mat_shelf.patterns.sources.painted import Brush

_SKIPPED = ("kind", "is_on")


class SwitchRow(QWidget):
    """A field that is on or off."""

    def __init__(self, binding: Binding):
        super().__init__()
        self.binding = binding
        self.box = QCheckBox("On")
        self.box.setAccessibleName(binding.field.title)
        self.setToolTip(binding.field.description)
        lay_stacked(self, RowLabel(binding, is_stacked=True), PlainLabel(), self.box, None)
        self.box.clicked.connect(lambda: binding.set(self.box.isChecked()))

    def follow(self) -> None:
        self.box.setChecked(bool(self.binding.value()))


class OtherPatternRow(QWidget):
    """A field that names another pattern of the material."""

    def __init__(self, binding: Binding, work: PatternWork):
        super().__init__()
        self.binding, self.work = binding, work
        self.box = QComboBox()
        self.box.setAccessibleName(binding.field.title)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setMinimumContentsLength(6)
        self.box.setIconSize(QSize(20, 16))
        self.setToolTip(binding.field.description)
        lay_stacked(self, RowLabel(binding, is_stacked=True), PlainLabel(), self.box, None)
        self.box.activated.connect(lambda: binding.set(self.box.currentData()))

    def follow(self) -> None:
        self.box.blockSignals(True)
        self.box.clear()
        self.box.addItem("None", None)
        for pattern in self.work.recipe.patterns:
            if pattern.id != self.work.pattern_id:
                self.box.addItem(pattern.name, pattern.id)
        self.box.setCurrentIndex(max(self.box.findData(self.binding.value()), 0))
        self.box.blockSignals(False)


class StepBinding(Binding):
    """One field of the step, or the placement, on the strip."""

    def set(self, value, gesture: str | None = None) -> bool:
        owner = self.find(self.workshop)
        changed = None if owner is None else self.workshop.changed(owner, self.name, value)
        return changed is not None and self.put(changed, gesture and f"{gesture} {self.name}")


def step_rows(work: PatternWork, place: int, choose_picture: Callable[[], None]) -> list[QWidget]:
    """A row for each field of a step of the pattern on the strip."""
    model = type(work.pattern.steps[place])

    def find(workshop) -> Step | None:
        pattern = work.pattern
        if pattern is None or place >= len(pattern.steps) or type(pattern.steps[place]) is not model:
            return None
        return pattern.steps[place]

    def put(step: Step, gesture: str | None) -> bool:
        return work.put_step(place, step, gesture and f"{gesture} step {place}")

    names = [name for name in model.model_fields if name not in _SKIPPED]
    rows: list[QWidget] = []
    for name in names:
        if name == "strokes":
            rows += brush_rows(work)
        else:
            rows.append(_row(StepBinding(work.workshop, model, name, find, put), work, choose_picture))
    return rows


def brush_rows(work: PatternWork) -> list[QWidget]:
    """Rows of the brush of a painted pattern; the brush is no part of the project."""

    def binding(name: str) -> StepBinding:
        return StepBinding(work.workshop, Brush, name, lambda _: work.brush, work.set_brush)

    numbers = [ValueRow(binding(name), is_stacked=True) for name in ("width", "softness", "strength")]
    return [BrushRow(work), *numbers, SwitchRow(binding("fades"))]


PLACED = {
    "projection": {
        "solid": "Solid (3D)",
        "uv": "UV (mm)",
        "whole uv": "UV (0 to 1)",
        "planar": "Planar",
        "box": "Box",
        "cylinder": "Cylinder",
        "sphere": "Sphere",
    },
    "axis": AXES,
    "over": {"part": "Each part", "product": "Whole product"},
}


def placement_rows(work: PatternWork) -> dict[str, QWidget]:
    """Rows of the placement of the pattern on the strip, by field."""

    def find(workshop) -> Placement | None:
        return work.pattern.placement if work.pattern else None

    def put(placement: Placement, gesture: str | None) -> bool:
        return work.put_placement(placement, gesture)

    rows: dict[str, QWidget] = {name: ShiftRow(work, place) for place, name in enumerate(("along", "across"))}
    rows |= {name: RepeatRow(work, place) for place, name in enumerate(("repeat u", "repeat v"))}
    for name in Placement.model_fields:
        if name not in ("shift", "repeat"):
            binding = StepBinding(work.workshop, Placement, name, find, put)
            rows[name] = ChoiceRow(binding, PLACED[name]) if name in PLACED else ValueRow(binding, is_stacked=True)
    return rows


class _PairRow(QWidget):
    """One of a pair of numbers of the placement.

    Attributes
    ----------
    field, titles, tip
        Field of the placement, the names of both numbers, and what they do.
    """

    field, titles, tip = "", ("", ""), ""

    def __init__(self, work: PatternWork, place: int, most: float, suffix: str):
        super().__init__()
        self.work, self.place = work, place
        title = self.titles[place]
        label = PlainLabel(title)
        self.number = QDoubleSpinBox(minimum=-most, maximum=most, decimals=2, suffix=suffix)
        self.number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.number.setProperty("role", "row")
        self.number.setAccessibleName(title)
        self.setToolTip(self.tip)
        lay_stacked(self, label, PlainLabel(), self.number, None)
        self.number.valueChanged.connect(self._set)
        self.number.editingFinished.connect(work.end_gesture)

    def unit(self) -> float:
        """Number that the field holds for a 1 in the box."""
        return 1.0

    def follow(self) -> None:
        if self.work.pattern is not None and not self.number.hasFocus():
            self.number.blockSignals(True)
            self.number.setValue(getattr(self.work.pattern.placement, self.field)[self.place] / self.unit())
            self.number.blockSignals(False)

    def _set(self, value: float) -> None:
        placement = self.work.pattern.placement
        values = list(getattr(placement, self.field))
        values[self.place] = round(value * self.unit(), 4)
        self.work.put_placement(placement.with_(**{self.field: tuple(values)}), self.field)


class ShiftRow(_PairRow):
    """Shift of the pattern along or across itself: mm, or shares of it where it covers all of the UVs."""

    field, titles = "shift", ("Shift along", "Shift across")
    tip = "Moves the pattern on the surface. Or switch on 'Drag on product'."

    def __init__(self, work: PatternWork, place: int):
        super().__init__(work, place, 1e5, " mm")

    def unit(self) -> float:
        placement = self.work.pattern.placement
        return placement.size if placement.projection == "whole uv" else 1.0

    def follow(self) -> None:
        if self.work.pattern is not None:
            self.number.setSuffix("" if self.work.pattern.placement.projection == "whole uv" else " mm")
        super().follow()


class RepeatRow(_PairRow):
    """Number of times that the pattern repeats along u or v."""

    field, titles = "repeat", ("Repeat along u", "Repeat along v")
    tip = "Times that the pattern fits into the UVs from 0 to 1. Negative mirrors it."

    def __init__(self, work: PatternWork, place: int):
        super().__init__(work, place, 1000.0, "")


def _row(binding: Binding, work: PatternWork, choose_picture) -> QWidget:
    kind = binding.field.annotation
    if binding.name == "picture":
        return ImageRow(binding, work, choose_picture)
    if kind == PatternRef:
        return OtherPatternRow(binding, work)
    if get_origin(kind) is Literal:
        words = (binding.field.json_schema_extra or {}).get("words", {})
        return ChoiceRow(binding, {value: words.get(value, value.capitalize()) for value in get_args(kind)})
    if kind is bool:
        return SwitchRow(binding)
    if binding.name == "nodes":
        return CurveRow(binding)
    if binding.name == "stops":
        return RampRow(binding)
    return ValueRow(binding, is_stacked=True)
