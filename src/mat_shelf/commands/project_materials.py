"""Materials of the project as a list: renamed, copied, moved from part to part, replaced, deleted."""

from collections.abc import Sequence
from pathlib import Path

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, name_of_copy, new_id
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.materials.material_files import MaterialFileError
from mat_shelf.exchange.materials.material_source import newer_recipe, source_stamp
from mat_shelf.exchange.package import PackageError


class ProjectMaterials:
    """Commands on materials that the project has already."""

    @command
    def rename_material(self, name: str, material_id: str | None = None) -> None:
        """Rename a material.

        Parameters
        ----------
        name : str
            New name; an empty one changes nothing.
        material_id : str or None
            Id of the material; None for that on the board.
        """
        material = self.selected_material if material_id is None else self.project.material(material_id)
        if material is not None and name.strip() and name.strip() != material.name:
            self.edit("Rename", self.project.with_material(material.with_(name=name.strip()[:120])))

    def update_from_source(self, material_ids: Sequence[str]) -> None:
        """Brings materials to the state that the files have by now that they came from.

        Parameters
        ----------
        material_ids : sequence of str
            Ids of the materials.
        """
        materials = [self.project.material(i) for i in material_ids]

        def _work() -> list:
            found = []
            for material in materials:
                path = Path(material.source or "")
                try:
                    stamp = source_stamp(path)
                    found.append((material, stamp, *newer_recipe(material.recipe, material.name, path)))
                except (MaterialFileError, PackageError, OSError) as fault:
                    found.append((material, 0, fault, {}))
            return found

        def _failed(fault: Exception) -> None:
            if not isinstance(fault, MemoryError):
                raise fault
            self.said.emit("Not updated: there is not enough memory for these materials.")

        self.aside(_work, self._take_newer, _failed)

    def _take_newer(self, found: list) -> None:
        """Takes recipes that were read anew, in one step."""
        project, names = self.project, []
        known = {material.id for material in project.materials}
        for material, stamp, recipe, images in found:
            if isinstance(recipe, Exception):
                self.said.emit(f"{material.name} was not updated: {recipe}.")
            elif material.id in known:
                try:
                    for data in images.values():
                        self.assets.add_map(data)
                except ImageError as fault:
                    self.said.emit(f"{material.name} was not updated: {fault}.")
                    continue
                newer = project.material(material.id).tuned(recipe).with_(source_modified=stamp)
                project = project.with_material(newer)
                names.append(material.name)
        if names:
            self.edit("Update from file", project)
            self.said.emit(f"Updated from file: {', '.join(names)}.")

    def copy_material(self) -> None:
        """Remembers the material on the board, to be pasted on other parts, also of another project."""
        material = self.selected_material
        if material is None:
            self.said.emit("Select a part with a material first; then that can be copied.")
            return
        self.copied = material, self.pictures_of(material), self.assets
        self.said.emit(f"{material.name} copied. Select other parts and paste it.")

    @command
    def paste_material(self) -> None:
        """Puts the material that was copied on what is selected, or into the project where nothing is."""
        if self.copied is None:
            self.said.emit("Copy a material first; then it can be pasted on other parts.")
            return
        copied, pictures, origin = self.copied
        project = self.project
        # In another project a material of the same id is another one, of the same swatch perhaps.
        is_own = origin is self.assets
        material = next((m for m in project.materials if m.id == copied.id and is_own), None)
        if material is None:
            try:
                for data in pictures.values():
                    self.assets.add_map(data)
            except ImageError as fault:
                self.said.emit(f"An image of '{copied.name}' cannot be used: {fault}.")
            name = free_name(copied.name, {m.name for m in project.materials})
            material = copied.with_(id=new_id("material"), name=name, parent=None, own=(), color_links=())
            project = project.with_material(material)
        wearers = self.selected_wearers
        if wearers:
            self.edit(f"Paste {material.name}", project.dressed(wearers, material.id))
        else:
            self.edit(f"Paste {material.name}", project)
            self.open_material(material.id)

    @command
    def duplicate_material(self, material_id: str | None = None) -> None:
        """Add a copy of a material; the board shows it, and what is selected wears it from then on.

        Parameters
        ----------
        material_id : str or None
            Id of a material, whose copy nothing wears; None for that on the board.
        """
        material = self.selected_material if material_id is None else self.project.material(material_id)
        if material is None:
            self.said.emit("Select a part with a material first; then that can be duplicated.")
            return
        name = name_of_copy(material.name, {m.name for m in self.project.materials})
        made = material.with_(id=new_id("material"), name=name, swatch=None)
        project, wearers = self.project.with_material(made), self.selected_wearers
        if material_id is None and self._opened_material is None and wearers:
            self.edit(f"Duplicate {material.name}", project.dressed(wearers, made.id))
            self.selection_changed.emit()
        else:
            self.edit(f"Duplicate {material.name}", project)
            self.open_material(made.id)

    @command
    def delete_materials(self, material_ids: Sequence[str]) -> None:
        """Deletes materials that nothing wears and nothing follows; says why where they are needed.

        Parameters
        ----------
        material_ids : sequence of str
            Ids of the materials.
        """
        gone, project = set(material_ids), self.project
        for material_id in material_ids:
            name = project.material(material_id).name
            wearers = project.wearers().get(material_id, [])
            variants = [m.name for m in project.variants_of(material_id) if m.id not in gone]
            if wearers:
                self.said.emit(f"{name} is worn by {_listed(wearers)}. Replace it there first, then delete it.")
                return
            if variants:
                self.said.emit(f"{_listed(variants)} follows {name} as a variant. Delete that first.")
                return
        materials = [project.material(material_id) for material_id in material_ids]
        if materials:
            if self._opened_material in gone:
                self.select(self.selected)
            count = materials[0].name if len(materials) == 1 else f"{len(materials)} materials"
            self.edit(f"Delete {count}", project.without(materials))


def _listed(names: Sequence[str]) -> str:
    """Names in a sentence, the first three of them."""
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
