"""Materials of the project: put on parts, varied, renamed, removed."""

from collections.abc import Sequence

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.material import Material
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.library.library import LibraryError


def _count(part_ids: Sequence[str]) -> str:
    return "1 part" if len(part_ids) == 1 else f"{len(part_ids)} parts"


class MaterialCommands:
    """Commands on the materials of the project."""

    @command
    def wear(self, part_id: str, swatch_id: str, zone_id: str | None = None) -> None:
        """Puts a swatch on a part or one of its zones, and selects that.

        Parameters
        ----------
        part_id : str
            Id of the part.
        swatch_id : str
            Id of the swatch.
        zone_id : str or None
            Id of the zone; None for the part itself.
        """
        found = self._project_with(swatch_id)
        if found is None:
            return
        project, material = found
        part = project.part(part_id)
        wearer = part.zone(zone_id) if zone_id else part
        dressed = wearer.with_(material=material.id)
        part = part.with_zone(dressed) if zone_id else dressed
        self.worn_last = swatch_id
        self.edit(f"{material.name} on {wearer.name}", project.with_part(part))
        self.select(part_id, zone_id)

    def _project_with(self, swatch_id: str) -> tuple[Project, Material] | None:
        """The project with a swatch among its materials, and that material; None where it cannot be used."""
        try:
            swatch = self.library.swatch(swatch_id)
        except LibraryError as fault:
            self.said.emit(str(fault))
            return None
        if swatch is None:
            self.said.emit("That swatch is no longer in the library.")
            return None
        project = self.project
        material = next((m for m in project.materials if m.swatch == swatch.id and m.recipe == swatch.recipe), None)
        if material is None:
            try:
                for data in self.library.pictures(swatch).values():
                    self.assets.add_map(data)
            except (LibraryError, ImageError) as fault:
                self.said.emit(f"An image of '{swatch.name}' cannot be used: {fault}.")
            material = self._material_of(swatch)
            project = project.with_material(material)
        return project, material

    @command
    def dress(self, part_ids: Sequence[str], swatch_id: str, clear_zones: bool = False) -> None:
        """Puts a swatch on several parts at once.

        Parameters
        ----------
        part_ids : sequence of str
            Ids of the parts.
        swatch_id : str
            Id of the swatch.
        clear_zones : bool
            Whether their zones go; else those keep what they wear.
        """
        found = self._project_with(swatch_id)
        if found is None or not part_ids:
            return
        project, material = found
        for part_id in part_ids:
            part = project.part(part_id).with_(material=material.id)
            project = project.with_part(part.with_(zones=()) if clear_zones else part)
        self.worn_last = swatch_id
        self.edit(f"{material.name} on {_count(part_ids)}", project)

    def dress_next(self) -> None:
        """Puts the swatch that was put on last on the next visible part, and selects it."""
        ids = [part.id for part in self.project.product.parts if not part.is_hidden]
        if self.worn_last is None or not ids:
            self.said.emit("Put a swatch on a part first; then this puts it on the next one.")
            return
        at = ids.index(self.selected) + 1 if self.selected in ids else 0
        self.wear(ids[at % len(ids)], self.worn_last)

    def parts_beside(self, part_id: str) -> list[tuple[str, list[str]]]:
        """Parts that are dressed together with one: the selection, its group, those of its shape, of its material, all.

        Parameters
        ----------
        part_id : str
            Id of the part.

        Returns
        -------
        list of (str, list of str)
            What they are, in words, and their ids; only where they are more than the one.
        """
        parts, part = self.project.product.parts, self.project.part(part_id)
        selected = (self.selected, *self.also_selected) if self.also_selected else ()
        found = [("the selected parts", [p.id for p in parts if p.id in selected and part_id in selected])]
        if part.group is not None:
            found.append((f"the group {part.group}", [p.id for p in parts if p.group == part.group]))
        found.append(("all of this shape", [p.id for p in parts if p.mesh == part.mesh]))
        if part.material is not None:
            name = self.project.material(part.material).name
            found.append((f"all that wear {name}", [p.id for p in parts if p.material == part.material]))
        found.append(("the whole product", [p.id for p in parts]))
        return [(f"{words}, {_count(ids)}", ids) for words, ids in found if len(ids) > 1]

    @command
    def tune(self, material_id: str, **inputs) -> None:
        """Sets inputs of a material; its variants follow.

        Parameters
        ----------
        material_id : str
        **inputs : float, str, bool or (3,) float
            Inputs by name.

        Raises
        ------
        KeyError
            If the project has no such material, or a material has no such input.
        """
        material = self.project.material(material_id)
        for name in inputs:
            Recipe.parameter(name)
        self.edit(f"Edit {material.name}", self.project.with_material(material.tuned(material.recipe.with_(**inputs))))

    def wear_instead(self, old_id: str, swatch_id: str) -> None:
        """Puts a swatch wherever a material of the project is worn.

        Parameters
        ----------
        old_id : str
            Id of the material that is replaced.
        swatch_id : str
            Id of the swatch.
        """
        with self.as_one(f"Replace {self.project.material(old_id).name}"):
            for part in self.project.product.parts:
                if part.material == old_id:
                    self.wear(part.id, swatch_id)
                for zone in part.zones:
                    if zone.material == old_id:
                        self.wear(part.id, swatch_id, zone.id)

    def _material_of(self, swatch: Swatch) -> Material:
        """A new material from a swatch; a variant goes on following if the project has its parent."""
        materials = self.project.materials
        taken = {m.id for m in materials}
        material = Material(
            id=swatch.id if swatch.id not in taken else new_id("material"),
            name=free_name(swatch.name, {m.name for m in materials}),
            family=swatch.family,
            recipe=swatch.recipe,
            swatch=swatch.id,
        )
        for parent in materials:
            if swatch.parent is not None and parent.swatch == swatch.parent:
                variant = material.with_(parent=parent.id, own=swatch.own)
                if variant.following(parent.recipe) is variant:
                    return variant
        return material

    @command
    def make_variant(self) -> None:
        """Puts a new variant of the selected part's material on it."""
        part, material = self.selected_part, self.selected_material
        if part is None or material is None:
            return
        name = free_name(f"{material.name}, variant", {m.name for m in self.project.materials})
        variant_id = new_id("material")
        project, zone = self.project.with_variant(material.id, variant_id, name), self.selected_zone
        dressed = (zone or part).with_(material=variant_id)
        self.edit(f"Variant of {material.name}", project.with_part(part.with_zone(dressed) if zone else dressed))
        self.select(part.id, zone.id if zone else None)
        self.selection_changed.emit()

    @command
    def reset_to_parent(self, name: str) -> None:
        """Lets the variant on the board follow its parent in one parameter again.

        Parameters
        ----------
        name : str
            Name.
        """
        material = self.selected_material
        if material is not None and material.parent is not None:
            followed = material.given_back(name, self.project.material(material.parent).recipe)
            self.edit(f"Follow parent in {Recipe.field_label(name)}", self.project.with_material(followed))

    @command
    def rename_material(self, name: str) -> None:
        """Rename the material on the board.

        Parameters
        ----------
        name : str
            Name.
        """
        material = self.selected_material
        if material is not None and name.strip() and name.strip() != material.name:
            self.edit("Rename", self.project.with_material(material.with_(name=name.strip()[:120])))

    @command
    def remove_unused(self) -> None:
        """Throws out the materials that nothing in the project uses."""
        unused = self.project.unused_materials()
        if not unused:
            self.said.emit("Every material of the project is used.")
            return
        if self._opened_material in {m.id for m in unused}:
            self.select(self.selected)
        count = "1 material" if len(unused) == 1 else f"{len(unused)} materials"
        self.edit(f"Remove {count}", self.project.without(unused))
        self.said.emit(f"{count} removed, which nothing used: {', '.join(m.name for m in unused)}.")
