"""Values of a part that glows, as a light of the set."""

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.light import PartLight

_FIELDS = ("strength", "color")
_WIDEST = 340


class PartLightCard(QWidget):
    """Light of the selected part in this set, beside the way to its materials."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.words = quiet_label()
        self.words.setWordWrap(True)
        self.rows = {name: row_of(_of_part_light(workshop, name), is_stacked=True) for name in _FIELDS}
        tip = "Selects the part, whose materials and marks say how bright it is"
        self.select_button = small_button("Select the part", tip, self._select_part)
        inside = QWidget()
        inside.setMaximumWidth(_WIDEST)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (self.words, *self.rows.values(), self.select_button):
            column.addWidget(widget)
        column.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(inside, 1)
        layout.addStretch(0)

    def follow(self) -> None:
        """Shows the selected part."""
        light = self.workshop.part_light
        self.setVisible(light is not None)
        if light is not None:
            name = self.workshop.project.part(light.part).name
            self.words.setText(f"{name} glows by its materials and marks; this is how much of it the set lets out.")
            for row in self.rows.values():
                row.follow()

    def _select_part(self) -> None:
        if (light := self.workshop.part_light) is not None:
            self.workshop.select(light.part)


def _of_part_light(workshop: Workshop, name: str) -> Binding:
    def put(w: Workshop, changed: PartLight):
        return w.project.with_set(w.with_part_light(changed))

    return Binding(workshop, PartLight, name, lambda w: w.part_light, put)
