"""Surface of the selected parts: edges rounded, facets smoothed."""

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.choice_row import ChoiceRow
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.widgets.value_row import ValueRow
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.geometry.smoothing import levels_that_fit

WHICH = {"convex": "Outer", "concave": "Inner", "both": "All"}


class SurfaceCard(QWidget):
    """Rows for all selected parts; of a selected zone the radius is its own."""

    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work

        def bound(name: str) -> Binding:
            return Binding(work.workshop, Part, name, _shown, _put)

        self.radius = ValueRow(bound("edge_radius"), is_stacked=True)
        self.rounded = ChoiceRow(bound("rounded_edges"), WHICH)
        self.smoothing = ValueRow(bound("smoothing"), is_stacked=True)
        self.hard = ValueRow(bound("hard_angle"), is_stacked=True)
        self.as_part = small_button("As its part", "Gives the zone's edges the radius of its part", self._follow_part)
        self.keep_button = small_button(
            "Keep hard", "The border of the selected faces stays hard where the part is smoothed", work.keep_border_hard
        )
        self.soften_button = small_button("Soften", "No border stays hard but those of zones", work.soften_borders)
        borders = QHBoxLayout()
        borders.setSpacing(6)
        borders.addWidget(self.keep_button)
        borders.addWidget(self.soften_button)
        self.words = quiet_label()
        self.words.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for row in (self.radius, self.as_part, self.rounded, self.smoothing, self.hard):
            layout.addWidget(row)
        layout.addLayout(borders)
        layout.addWidget(self.words)
        layout.addStretch(1)

    def follow(self) -> None:
        part, zone = self.work.workshop.selected_part, self.work.workshop.selected_zone
        for row in (self.radius, self.rounded, self.smoothing, self.hard):
            row.follow()
        self.rounded.setEnabled(part is not None)
        self.hard.setEnabled(part is not None and part.smoothing > 0)
        self.keep_button.setEnabled(self.work.chosen is not None)
        self.soften_button.setEnabled(part is not None and bool(part.hard_regions))
        self.as_part.setVisible(zone is not None and zone.edge_radius is not None)
        self.words.setText(self._said(part))

    def _said(self, part: Part | None) -> str:
        if part is None:
            return "Select a part."
        count = len(self.work.workshop.assets.meshes[part.mesh].triangles)
        level = levels_that_fit(count, part.smoothing)
        if level == part.smoothing:
            return ""
        return f"Too fine for {count:,} faces: {level} of {part.smoothing} levels are used."

    def _follow_part(self) -> None:
        workshop = self.work.workshop
        part, zone = workshop.selected_part, workshop.selected_zone
        workshop.edit("Edge radius", workshop.project.with_part(part.with_zone(zone.with_(edge_radius=None))))


def _shown(workshop: Workshop) -> Part | None:
    """The selected part, with the radius of its selected zone."""
    part, zone = workshop.selected_part, workshop.selected_zone
    if part is None or zone is None or zone.edge_radius is None:
        return part
    return part.with_(edge_radius=zone.edge_radius)


def _put(workshop: Workshop, changed: Part) -> Project:
    """The project with what was changed on all selected parts; a radius on the selected zone, where there is one."""
    before, zone, project = _shown(workshop), workshop.selected_zone, workshop.project
    if zone is not None and changed.edge_radius != before.edge_radius:
        part = workshop.selected_part
        return project.with_part(part.with_zone(zone.with_(edge_radius=changed.edge_radius)))
    names = ("edge_radius", "rounded_edges", "smoothing", "hard_angle")
    values = {name: getattr(changed, name) for name in names if getattr(changed, name) != getattr(before, name)}
    chosen = {workshop.selected, *workshop.also_selected}
    return project.with_parts(p.with_(**values) if p.id in chosen else p for p in project.product.parts)
