"""The head of the Materials board: whose recipe is on it, and what is done with the whole of it."""

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QFont, QFontMetrics
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QWidget

from mat_shelf.app.materials.kinds import MATERIAL_KINDS
from mat_shelf.app.materials.measurements_popover import MeasurementsPopover
from mat_shelf.app.materials.save_popover import SavePopover
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.command import command
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.geometry.size import depth_warning

_WITH_MEASUREMENTS = 900
"""Width of the board from which there is room for a button that the menu has too, pixels."""


class MaterialHeader(QWidget):
    """Name, wearers and parent of a material, or mask and marks of an overlay; kind, measurements, variant, library."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.kind_box = QComboBox()
        self.kind_box.setProperty("role", "small")
        self.kind_box.setAccessibleName("Kind of material")
        self.kind_box.setToolTip("Cards that are open. It changes nothing in the material; cards in use open too.")
        for kind in MATERIAL_KINDS:
            self.kind_box.addItem(kind)
        self.name = QLineEdit(maxLength=120)
        self.name.setProperty("role", "title")
        self.name.setAccessibleName("Name of the material")
        self.name.setToolTip("Name of the material in this project. Click to change it.")
        self.name.editingFinished.connect(self._rename)
        self._family = PlainLabel()
        self._family.setProperty("role", "tag")
        self.wearers_button = QPushButton()
        self.wearers_button.setProperty("role", "tag")
        self.wearers_button.setToolTip("Parts that wear the material. Click to go from part to part.")
        self.wearers_button.clicked.connect(workshop.select_next_wearer)
        self.parent_button = QPushButton()
        self.parent_button.setProperty("role", "tag")
        self.parent_button.setToolTip("A variant follows its parent in all but its overrides. Click for the parent.")
        self.parent_button.clicked.connect(self._open_parent)
        self.warning = PlainLabel()
        self.warning.setProperty("role", "tag")
        self.variants_label = PlainLabel()
        self.variants_label.setProperty("role", "tag")
        self.back_button = QPushButton()
        self.back_button.setProperty("role", "plain")
        self.back_button.setToolTip("Back to the material  (Escape)")
        self.back_button.clicked.connect(lambda: workshop.open_overlay(None))
        self.mask_box = QComboBox()
        self.mask_box.setAccessibleName("Mask")
        self.mask_box.setToolTip("Pattern that limits the overlay: white shows it, black hides it")
        self.mask_box.activated.connect(self._choose_mask)
        self.over_box = QComboBox()
        self.over_box.setAccessibleName("Relief of the overlay")
        self.over_box.setToolTip("Relief of the overlay: added to that of the material, or in its place")
        for way, words in (("adds", "Relief: add"), ("replaces", "Relief: replace")):
            self.over_box.addItem(words, way)
        self.over_box.activated.connect(lambda: self._set_overlay("Relief", relief=self.over_box.currentData()))
        self.marks_box = QComboBox()
        self.marks_box.setAccessibleName("Overlay and marks")
        self.marks_box.setToolTip(
            "Whether the overlay lies over labels and other marks too, as frost does, or under them"
        )
        for is_over, words in ((False, "Under marks"), (True, "Over marks")):
            self.marks_box.addItem(words, is_over)
        self.marks_box.activated.connect(
            lambda: self._set_overlay("Over or under marks", is_over_marks=self.marks_box.currentData())
        )
        for box in (self.mask_box, self.over_box, self.marks_box):
            box.setProperty("role", "small")
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        tags = (self._family, self.wearers_button, self.parent_button, self.variants_label, self.warning)
        for tag in tags:
            tag.setFixedHeight(22)
        self.vary_button = QPushButton("Make a variant")
        self.vary_button.setToolTip(
            "Puts a variant on the selected part: what you change is overridden, the rest follows this material"
        )
        self.vary_button.clicked.connect(workshop.make_variant)
        self.measurements_button = QPushButton("Measurements")
        self.measurements_button.setToolTip(
            "Gloss units, colour and reflectance of the material, as instruments measure them"
        )
        self.measurements_popover = MeasurementsPopover(self)
        self.measurements_button.clicked.connect(self.open_measurements)
        self.save_button = QPushButton("Save to library")
        self.save_button.setToolTip("Save this material as a swatch, for this and other projects  (Ctrl+K)")
        self.save_popover = SavePopover(workshop, self)
        self.save_button.clicked.connect(self.open_save)

        header = QHBoxLayout(self)
        header.setContentsMargins(0, 0, 0, 0)
        header.setSpacing(8)
        for widget in (self.back_button, self.name, self.mask_box, self.over_box, self.marks_box, *tags):
            header.addWidget(widget)
        header.addStretch(1)
        for widget in (self.kind_box, self.measurements_button, self.vary_button, self.save_button):
            header.addWidget(widget)

    def follow(self) -> None:
        """Says what is on the board."""
        part, material = self.workshop.selected_part, self.workshop.selected_material
        if material is None:
            return
        if not self.name.hasFocus() or not self.name.isModified():
            shown = self.workshop.overlay or material
            self.name.setText(shown.name)
            width = QFontMetrics(font(15, QFont.Weight.DemiBold)).horizontalAdvance(shown.name)
            self.name.setFixedWidth(min(width + 20, 320))
        self._family.setText(material.family)
        project = self.workshop.project
        wearers = project.wearers().get(material.id, [])
        shown = ", ".join(wearers[:3]) + (f" and {len(wearers) - 3} more" if len(wearers) > 3 else "")
        self.wearers_button.setText(f"on {literal(shown)}" if wearers else "not worn")
        is_whole = self.workshop.overlay is None
        self.parent_button.setVisible(material.parent is not None and is_whole)
        if material.parent is not None:
            own = (
                f"{len(material.own)} override{'s' if len(material.own) > 1 else ''}"
                if material.own
                else "no overrides"
            )
            self.parent_button.setText(f"variant of {literal(project.material(material.parent).name)} · {own}")
        variants = len(project.variants_of(material.id))
        self.variants_label.setVisible(variants > 0 and is_whole)
        self.variants_label.setText(f"{variants} variant{'s' if variants > 1 else ''}")
        self.vary_button.setEnabled(part is not None)
        warning = self._depth_warning(part, material) if part is not None else None
        self.warning.setVisible(warning is not None and is_whole)
        self.warning.setText(f"⚠ {warning}")
        self._follow_overlay(material)

    def _depth_warning(self, part, material) -> str | None:
        recipe = material.recipe
        if recipe.transmission_weight == 0:
            return None
        low, high = posed_bounds(self.workshop.assets.meshes[part.mesh], part.pose)
        return depth_warning(recipe.transmission_color, recipe.transmission_depth, float((high - low).min()))

    def _rename(self) -> None:
        if self.name.isModified():
            self.name.setModified(False)
            if self.workshop.overlay is not None:
                self._set_overlay("Rename overlay", name=self.name.text().strip()[:120] or self.workshop.overlay.name)
            else:
                self.workshop.rename_material(self.name.text())
            self.follow()

    @command
    def _set_overlay(self, label: str, **changes) -> None:
        overlay = self.workshop.overlay
        if overlay is not None:
            material = self.workshop.selected_material
            recipe = material.recipe.with_overlay(overlay.with_(**changes))
            self.workshop.edit(label, self.workshop.project.with_material(material.tuned(recipe)))

    def _choose_mask(self) -> None:
        whose, _, pattern = self.mask_box.currentData().partition("/")
        self._set_overlay("Mask", mask=pattern or None, mask_of=whose or "overlay")

    def _follow_overlay(self, material) -> None:
        """Says whose recipe is on the board: the material's, or that of one of its overlays."""
        overlay = self.workshop.overlay
        for widget in (self.back_button, self.mask_box, self.over_box, self.marks_box):
            widget.setVisible(overlay is not None)
        for widget in (self.wearers_button, self.vary_button, self.save_button):
            widget.setVisible(overlay is None)
        # The parent's name says more, in the same room.
        self._family.setVisible(overlay is None and material.parent is None)
        if overlay is None:
            return
        self.back_button.setText(f"←  {literal(material.name)}")
        self.mask_box.clear()
        self.mask_box.addItem("No mask", "")
        for whose, recipe in (("overlay", overlay.recipe), ("material", material.recipe)):
            if whose == "material" and overlay.recipe.patterns and recipe.patterns:
                self.mask_box.insertSeparator(self.mask_box.count())
            for pattern in recipe.patterns:
                of = "" if whose == "overlay" else f" of {material.name}"
                self.mask_box.addItem(f"Mask: {pattern.name}{of}", f"{whose}/{pattern.id}")
        self.mask_box.setCurrentIndex(max(self.mask_box.findData(f"{overlay.mask_of}/{overlay.mask}"), 0))
        self.marks_box.setCurrentIndex(self.marks_box.findData(overlay.is_over_marks))
        self.over_box.setCurrentIndex(self.over_box.findData(overlay.relief))

    def _open_parent(self) -> None:
        material = self.workshop.selected_material
        if material is not None and material.parent is not None:
            self.workshop.open_material(material.parent)

    def open_measurements(self) -> None:
        """Shows gloss, colour and reflectance of what is on the board."""
        shown = self.workshop.overlay or self.workshop.selected_material
        if shown is not None:
            self.measurements_popover.open_for(shown.name, shown.recipe, self.measurements_button)

    def open_save(self) -> None:
        """Asks for the name and family of a new swatch."""
        if self.workshop.selected_material is not None:
            self.save_popover.open_at(self.save_button.mapToGlobal(QPoint(self.save_button.width(), 0)))

    def follow_room(self, width: int) -> None:
        """Leaves out what the menu has too, where a board of this width has no room for it."""
        self.measurements_button.setVisible(width >= _WITH_MEASUREMENTS)
