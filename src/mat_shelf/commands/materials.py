"""Materials of the project: put on parts, varied, renamed, removed."""

from collections.abc import Sequence
from typing import NamedTuple

from mat_shelf.commands.command import command
from mat_shelf.commands.selection import Wearer
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.material import Material
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.library.library import LibraryError


def _count(parts: Sequence) -> str:
    return "1 part" if len(parts) == 1 else f"{len(parts)} parts"


def _with_overlay(recipe: Recipe, overlay: Overlay) -> Recipe:
    """A recipe with one more overlay on top, of a name and an id of its own."""
    name = free_name(overlay.name, {other.name for other in recipe.overlays})
    return recipe.with_overlay(overlay.with_(id=new_id("overlay"), name=name))


class Wearable(NamedTuple):
    """A swatch of the library or a material of the project, to be put on parts.

    Attributes
    ----------
    kind : str
        "swatch" or "material".
    id : str
        Its id.
    """

    kind: str
    id: str


class MaterialCommands:
    """Commands on the materials of the project."""

    @command
    def put_on(self, wearers: Sequence[Wearer], what: Wearable, clear_zones: bool = False) -> None:
        """Puts a swatch or a material on parts and zones; a single one is selected.

        Parameters
        ----------
        wearers : sequence of (str, str or None)
            Ids of parts, and of zones or None for the parts themselves.
        what : Wearable
            What they wear from then on.
        clear_zones : bool
            Whether the zones of the parts go; else those keep what they wear.
        """
        found = self.find(what)
        if found is None or not wearers:
            return
        if isinstance(found, Swatch) and found.kind != "material":
            self._put_kept(wearers, found)
            return
        project, material = self._project_with(found)
        project = project.dressed(wearers, material.id)
        if clear_zones:
            bare = {part_id for part_id, _ in wearers}
            project = project.with_parts(p.with_(zones=()) if p.id in bare else p for p in project.product.parts)
        self.worn_last = what
        name = self.name_of(wearers[0]) if len(wearers) == 1 else _count(wearers)
        self.edit(f"{material.name} on {name}", project)
        if len(wearers) == 1:
            self.select(*wearers[0])

    def _put_kept(self, wearers: Sequence[Wearer], kept: Swatch) -> None:
        """Lays an overlay of the library over what parts wear; says what a pattern of it is for."""
        if kept.kind == "pattern":
            self.said.emit("A pattern feeds inputs: drop it on the ring at the end of a row.")
            return
        parts = ((self.project.part(part_id), zone_id) for part_id, zone_id in wearers)
        worn = {(part.zone(zone_id) if zone_id else part).material for part, zone_id in parts} - {None}
        if not worn:
            self.said.emit("Give the part a material first; then an overlay can lie over it.")
            return
        self.take_images(kept)
        project = self.project
        for material in (project.material(material_id) for material_id in sorted(worn)):
            project = project.with_material(material.tuned(_with_overlay(material.recipe, kept.overlay)))
        self.edit(f"Overlay {kept.name}", project)

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
        self.put_on([(part_id, zone_id)], Wearable("swatch", swatch_id))

    def find(self, what: Wearable) -> Swatch | Material | None:
        """The swatch or material itself; says why where there is none.

        Parameters
        ----------
        what : Wearable
            The swatch or material.

        Returns
        -------
        Swatch, Material or None
        """
        if what.kind == "swatch":
            return self._swatch(what.id)
        material = next((m for m in self.project.materials if m.id == what.id), None)
        if material is None:
            self.said.emit("That material is no longer in the project.")
        return material

    def _project_with(self, swatch: Swatch | Material) -> tuple[Project, Material]:
        """The project with a swatch among its materials, and that material."""
        project = self.project
        if isinstance(swatch, Material):
            return project, swatch
        material = next((m for m in project.materials if m.swatch == swatch.id and m.recipe == swatch.recipe), None)
        if material is None:
            self.take_images(swatch)
            material = self._material_of(swatch)
            project = project.with_material(material)
        return project, material

    def take_images(self, swatch: Swatch) -> None:
        """Takes the images of a swatch's patterns into the project; says why where one cannot be used.

        Parameters
        ----------
        swatch : Swatch
            The swatch.
        """
        try:
            for data in self.library.pictures(swatch).values():
                self.assets.add_map(data)
        except (LibraryError, ImageError) as fault:
            self.said.emit(f"An image of '{swatch.name}' cannot be used: {fault}.")

    def _swatch(self, swatch_id: str) -> Swatch | None:
        """A swatch of the library; says why where there is none."""
        try:
            swatch = self.library.swatch(swatch_id)
        except LibraryError as fault:
            self.said.emit(str(fault))
            return None
        if swatch is None:
            self.said.emit("That swatch is no longer in the library.")
        return swatch

    def named_recipe(self, what: Wearable) -> tuple[str, Recipe] | None:
        """Name and recipe of a swatch or a material, for what takes a recipe of its own; None where it is gone.

        Images of a swatch's patterns come into the project.

        Parameters
        ----------
        what : Wearable
            The swatch or material.

        Returns
        -------
        (str, Recipe) or None
        """
        found = self.find(what)
        if found is None:
            return None
        if isinstance(found, Material):
            return found.name, found.recipe
        self.take_images(found)
        return found.name, found.overlay.recipe if found.kind == "overlay" else found.recipe

    def dress_next(self) -> None:
        """Puts what was put on last, a swatch or material, on the next visible part, and selects it."""
        ids = [part.id for part in self.project.product.parts if not part.is_hidden]
        if self.worn_last is None or not ids:
            self.said.emit("Put a swatch or a material on a part first; then this puts it on the next one.")
            return
        at = ids.index(self.selected) + 1 if self.selected in ids else 0
        self.put_on([(ids[at % len(ids)], None)], self.worn_last)

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
    def lay_over(self, what: Wearable) -> None:
        """Lays a swatch or a material over the material on the board, as an overlay that lets half of it through.

        Parameters
        ----------
        what : Wearable
            The swatch or material; its own overlays are left behind.
        """
        material, found = self.selected_material, self.find(what)
        if material is None or found is None:
            return
        if isinstance(found, Swatch):
            self.take_images(found)
        if isinstance(found, Swatch) and found.kind == "overlay":
            overlay = found.overlay
        else:
            overlay = Overlay(id="new", name=found.name, recipe=found.recipe.with_(overlays=()), amount=0.5)
        changed = material.tuned(_with_overlay(material.recipe, overlay))
        self.edit(f"Overlay {found.name}", self.project.with_material(changed))

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

    def replace_everywhere(self, old_id: str, what: Wearable) -> None:
        """Puts a swatch or a material wherever a material of the project is worn.

        Parameters
        ----------
        old_id : str
            Id of the material that is replaced.
        what : Wearable
            What is worn from then on.
        """
        wearers = self.wearers_of(old_id)
        if not wearers:
            self.said.emit(f"No part wears {self.project.material(old_id).name}.")
            return
        with self.as_one(f"Replace {self.project.material(old_id).name}"):
            self.put_on(wearers, what)

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
            source=swatch.source,
            source_modified=swatch.source_modified,
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
