"""Selection: a part or zone, and the material or overlay on the board."""

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Zone
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Overlay, Recipe

Wearer = tuple[str, str | None]
"""Ids of a part and of a zone of it, or None for the part itself."""


class Selection:
    """Selection of a session: parts, a zone, and what is on the board."""

    @property
    def selected_part(self) -> Part | None:
        """The selected part."""
        return self.project.part(self.selected) if self.selected else None

    @property
    def selected_material(self) -> Material | None:
        """The material on the board: one that was opened by itself, or that of the selected part."""
        # Every row of the board asks for it at every edit.
        project, chosen = self.project, (self._opened_material, self.selected, self.selected_zone_id)
        if self._on_board[0] is not project or self._on_board[1] != chosen:
            self._on_board = project, chosen, self._find_material()
        return self._on_board[2]

    def _find_material(self) -> Material | None:
        if self._opened_material is not None:
            return self.project.material(self._opened_material)
        wearer = self.selected_zone or self.selected_part
        return self.project.material(wearer.material) if wearer and wearer.material else None

    @property
    def overlay(self) -> Overlay | None:
        """The overlay on the board, where that shows one rather than the material itself."""
        material = self.selected_material
        overlays = material.recipe.overlays if material else ()
        return next((overlay for overlay in overlays if overlay.id == self._overlay_id), None)

    def open_overlay(self, overlay_id: str | None) -> None:
        """Brings an overlay of the material on the board to the board; None goes back to the material.

        Parameters
        ----------
        overlay_id : str or None
            Id of the overlay; None for the material itself.
        """
        if overlay_id != self._overlay_id:
            self._overlay_id = overlay_id
            self.selection_changed.emit()

    @property
    def layer(self) -> Recipe | None:
        """The recipe on the board: the material's, or that of one of its overlays."""
        material, overlay = self.selected_material, self.overlay
        return overlay.recipe if overlay else material.recipe if material else None

    def with_layer(self, recipe: Recipe) -> Project:
        """The project with another recipe in place of the one on the board.

        Parameters
        ----------
        recipe : Recipe
            Recipe of the material.

        Returns
        -------
        Project
        """
        material, overlay = self.selected_material, self.overlay
        if overlay is not None:
            recipe = material.recipe.with_overlay(overlay.with_(recipe=recipe))
        return self.project.with_material(material.tuned(recipe))

    @property
    def selected_zone(self) -> Zone | None:
        """The zone that is selected, where it is not the whole part."""
        part = self.selected_part
        return part.zone(self.selected_zone_id) if part and self.selected_zone_id else None

    def select(self, part_id: str | None, zone_id: str | None = None) -> None:
        """Select a part or one of its zones, or nothing.

        Parameters
        ----------
        part_id : str or None
            Id of the part.
        zone_id : str or None
            Id of the zone; None for the part itself.
        """
        is_other = (part_id, zone_id) != (self.selected, self.selected_zone_id)
        if is_other or self.also_selected or self._opened_material is not None:
            self.selected, self.selected_zone_id = part_id, zone_id
            self.also_selected = ()
            self._opened_material = None
            self._overlay_id = None
            self.selection_changed.emit()

    def select_also(self, part_id: str) -> None:
        """Adds a part to what is selected, or takes it away from that.

        Parameters
        ----------
        part_id : str
            Id of the part.
        """
        if self.selected is None or part_id == self.selected:
            self.select(None if part_id == self.selected else part_id)
            return
        rest = tuple(other for other in self.also_selected if other != part_id)
        self.also_selected = rest if part_id in self.also_selected else (*self.also_selected, part_id)
        self.selected_zone_id = None
        self.selection_changed.emit()

    def select_group(self, name: str) -> None:
        """Selects all parts of a group.

        Parameters
        ----------
        name : str
            Name.
        """
        ids = [part.id for part in self.project.product.parts if part.group == name]
        if ids:
            self.select(ids[0])
            self.also_selected = tuple(ids[1:])
            self.selection_changed.emit()

    @property
    def selected_wearers(self) -> list[Wearer]:
        """The selected parts, or a zone of one."""
        if self.selected is None:
            return []
        return [(self.selected, self.selected_zone_id), *((other, None) for other in self.also_selected)]

    def name_of(self, wearer: Wearer) -> str:
        """Name of a part or zone.

        Parameters
        ----------
        wearer : (str, str or None)
            Ids of the part, and of the zone or None.

        Returns
        -------
        str
        """
        part_id, zone_id = wearer
        part = self.project.part(part_id)
        return part.zone(zone_id).name if zone_id else part.name

    def wearers_of(self, material_id: str) -> list[Wearer]:
        """Parts and zones that wear a material.

        Parameters
        ----------
        material_id : str
            Id of the material.

        Returns
        -------
        list of (str, str or None)
        """
        return [
            (part.id, zone.id if zone else None)
            for part in self.project.product.parts
            for zone in (None, *part.zones)
            if (zone or part).material == material_id
        ]

    def select_all_wearing(self, material_id: str) -> None:
        """Selects all visible parts that wear a material somewhere, which comes to the board.

        Parameters
        ----------
        material_id : str
            Id of the material.
        """
        parts = [p.id for p in self.project.product.parts if material_id in p.worn() and not p.is_hidden]
        if not parts:
            self.said.emit(f"No part that is shown wears {self.project.material(material_id).name}.")
            return
        first = self.selected if self.selected in parts else parts[0]
        self.select(first)
        self.also_selected = tuple(part for part in parts if part != first)
        is_on_board = self.selected_material is not None and self.selected_material.id == material_id
        self._opened_material = None if is_on_board else material_id
        self.selection_changed.emit()

    def select_next_wearer(self) -> None:
        """Selects the next part or zone that wears the material on the board."""
        places = self.wearers_of(self.selected_material.id) if self.selected_material is not None else []
        if places:
            here = (self.selected, self.selected_zone_id)
            self.select(*places[(places.index(here) + 1) % len(places) if here in places else 0])

    def open_material(self, material_id: str) -> None:
        """Brings a material to the board, whatever is selected.

        Parameters
        ----------
        material_id : str
            Id of the material.
        """
        self._opened_material = material_id
        self.selection_changed.emit()
