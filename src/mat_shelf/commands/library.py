"""Swatches of the library: saved, described, varied, deleted."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType

from pydantic import ValidationError

from mat_shelf.commands.command import command
from mat_shelf.document.ids import FreeNames, free_name, name_of_copy, new_id
from mat_shelf.document.material import Material
from mat_shelf.document.parameter import explain
from mat_shelf.document.pattern import Feed, Pattern
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import OVERLAYS, OWN_PATTERNS, Swatch
from mat_shelf.exchange.materials.material_files import MaterialFileError, read_material_file, swatches_of
from mat_shelf.exchange.materials.material_source import source_stamp
from mat_shelf.exchange.models.mesh_glb import digest
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.swatch_file import SWATCH_ENDING, open_swatch, swatch_pictures
from mat_shelf.library.library import Library, LibraryEntry, LibraryError

_NONE: Mapping[str, bytes] = MappingProxyType({})


_MOST_NAMED = 5


class LibraryCommands:
    """Commands on the swatches of the library."""

    def use_library(self, library: Library) -> None:
        """Goes on with the library of another folder.

        Parameters
        ----------
        library : Library
            The library.
        """
        self.library = library
        self.library_changed.emit()

    @command
    def save_swatch(self, name: str, family: str, tags: tuple[str, ...] = ()) -> bool:
        """Keeps the selected material on the library as a new swatch.

        Parameters
        ----------
        name : str
            Name.
        family : str
            Family, one of `document.swatch.FAMILIES`.
        tags : tuple of str
            Tags.

        Returns
        -------
        bool
        """
        material = self.selected_material
        if material is None or not self._may_be_called(name, None):
            return False
        parent = self.project.material(material.parent).swatch if material.parent else None
        try:
            source = {"source": material.source, "source_modified": material.source_modified}
            swatch = Swatch(id=new_id("swatch"), name=name, family=family, tags=tags, recipe=material.recipe, **source)
            above = self.library.swatch(parent) if parent else None
            if above is not None:
                variant = swatch.with_(parent=parent, own=material.own)
                swatch = variant if variant.following(above.recipe) is variant else swatch
        except (ValidationError, LibraryError) as fault:
            self.said.emit(f"The swatch could not be saved: {_told(fault)}")
            return False
        if not self._put_in_library(swatch):
            return False
        kept = material.with_(name=swatch.name, family=family, swatch=swatch.id)
        self.edit(f"Save {swatch.name} to library", self.project.with_material(kept))
        return True

    @command
    def save_material(self, material_id: str) -> None:
        """Saves a material of the project as a new swatch, under its own name or the first free one after it.

        Parameters
        ----------
        material_id : str
            Id of the material.
        """
        self.open_material(material_id)
        material = self.project.material(material_id)
        name = free_name(material.name, {entry.name for entry in self.library_entries()})
        if self.save_swatch(name, material.family):
            self.said.emit(f"{name} saved to the library.")

    @command
    def save_overlay(self, overlay_id: str) -> None:
        """Saves an overlay of the material on the board to the library, by itself.

        Parameters
        ----------
        overlay_id : str
            Id of the overlay.
        """
        material = self.selected_material
        overlay = material.recipe.overlay(overlay_id)
        if overlay.mask_of == "material" and overlay.mask is not None:
            # Its mask comes with it: a pattern of the material becomes one of its own.
            recipe, ids = overlay.recipe.with_patterns_of(material.recipe, [overlay.mask])
            overlay = overlay.with_(recipe=recipe, mask=ids[overlay.mask], mask_of="overlay")
        self._keep(overlay.name, OVERLAYS, Recipe(overlays=(overlay,)), "overlay")

    @command
    def save_pattern(self, pattern_id: str) -> None:
        """Saves a pattern of the recipe on the board to the library, by itself.

        Parameters
        ----------
        pattern_id : str
            Id of the pattern.
        """
        self._keep(self.layer.pattern(pattern_id).name, OWN_PATTERNS, _shown_by(self.layer, pattern_id), "pattern")

    @command
    def save_images(self, images: Sequence[tuple[Pattern, bytes]]) -> None:
        """Saves images to the library, each as a pattern by itself.

        Parameters
        ----------
        images : sequence of (Pattern, bytes)
            A pattern of each image alone, and the image's file.
        """
        for pattern, data in images:
            recipe = _shown_by(Recipe().with_pattern(pattern), pattern.id)
            self._keep(pattern.name, OWN_PATTERNS, recipe, "pattern", {digest(data): data})

    def _keep(self, name: str, family: str, recipe: Recipe, kind: str, pictures: Mapping[str, bytes] = _NONE) -> None:
        """Adds an overlay or a pattern to the library, under the first free name after its own."""
        free = free_name(name, {entry.name for entry in self.library_entries()})
        swatch = Swatch(id=new_id("swatch"), name=free, family=family, recipe=recipe, kind=kind)
        if self._put_in_library(swatch, pictures=pictures):
            self.said.emit(f"{free} saved to the library.")

    def take_swatches(self, paths: Sequence[Path]) -> None:
        """Puts the materials of files into the library, under free names; says which could not be read, and why.

        Parameters
        ----------
        paths : sequence of Path
            Swatch packages, or files or folders that `material_files` reads.
        """

        def _work() -> list:
            return [one for path in paths for one in _read(path)]

        def _failed(fault: Exception) -> None:
            if not isinstance(fault, MemoryError):
                raise fault
            self.said.emit("Not taken: there is not enough memory for these materials.")

        self.aside(_work, self._add_swatches, _failed)

    def _add_swatches(self, read: list) -> None:
        """Adds swatches that were read to the library, and says what was not."""
        taken, faults, notes = [], [], []
        entries = self.library_entries()
        ids, names = {entry.id for entry in entries}, FreeNames({entry.name for entry in entries})
        for path, found in read:
            try:
                if isinstance(found, str):
                    notes.append(f"{path.name}: {found}")
                    continue
                if isinstance(found, Exception):
                    raise found
                swatch, pictures = found
                known = swatch.id in ids
                swatch = swatch.with_(id=new_id("swatch") if known else swatch.id, name=names.take(swatch.name))
                if swatch.parent is not None and swatch.parent not in ids:
                    swatch = swatch.with_(parent=None, own=())
                self.library.add(swatch, pictures)
            except (PackageError, MaterialFileError, LibraryError) as fault:
                about = "" if str(fault).startswith(path.name) else f"{path.name}: "
                faults.append(f"{about}{fault}")
                continue
            ids.add(swatch.id)
            taken.append(swatch.name)
        if taken:
            self.library_changed.emit()
            shown = ", ".join(taken[:_MOST_NAMED])
            more = f" and {len(taken) - _MOST_NAMED} more" if len(taken) > _MOST_NAMED else ""
            self.said.emit(f"In the library now: {shown}{more}.{f' {notes[0]}.' if notes else ''}")
        for note in notes[1:]:
            self.said.emit(f"{note}.")
        for fault in faults:
            self.said.emit(f"Not taken: {fault}")

    @command
    def update_swatch(self) -> bool:
        """Gives the selected material's recipe to the swatch it came from; variants of it follow.

        Returns
        -------
        bool
        """
        material = self.selected_material
        try:
            swatch = self.library.swatch(material.swatch) if material and material.swatch else None
        except LibraryError as fault:
            self.said.emit(str(fault))
            return False
        if swatch is None:
            self.said.emit("This material is not in the library yet; save it as a new swatch.")
            return False
        return self._put_in_library(swatch.tuned(material.recipe))

    def library_entries(self) -> list[LibraryEntry]:
        """Entries of the library; none where it cannot be read, which is said.

        Returns
        -------
        list of LibraryEntry
        """
        try:
            return self.library.entries()
        except LibraryError as fault:
            self.said.emit(str(fault))
            return []

    @command
    def describe_swatch(self, swatch: Swatch, name: str, family: str, tags: tuple[str, ...], note: str) -> bool:
        """Changes what a swatch is called, filed under and said about.

        Parameters
        ----------
        swatch : Swatch
            The swatch.
        name : str
            Name.
        family : str
            Family, one of `document.swatch.FAMILIES`.
        tags : tuple of str
            Tags.
        note : str
            Note.

        Returns
        -------
        bool
        """
        if not self._may_be_called(name, swatch.id):
            return False
        try:
            changed = swatch.with_(name=name, family=family, tags=tags, note=note)
        except ValidationError as fault:
            self.said.emit(f"The swatch cannot be saved so: {explain(fault)}")
            return False
        return self._put_in_library(changed)

    @command
    def duplicate_swatch(self, swatch: Swatch) -> None:
        """Add a copy of a swatch to the library.

        Parameters
        ----------
        swatch : Swatch
            The swatch.
        """
        name = name_of_copy(swatch.name, {entry.name for entry in self.library_entries()})
        self._put_in_library(swatch.with_(id=new_id("swatch"), name=name), swatch)

    @command
    def make_swatch_variant(self, swatch: Swatch) -> None:
        """Puts a variant of a swatch on the library, which differs in nothing yet.

        Parameters
        ----------
        swatch : Swatch
            The swatch.
        """
        name = free_name(f"{swatch.name}, variant", {entry.name for entry in self.library_entries()})
        self._put_in_library(swatch.with_(id=new_id("swatch"), name=name, parent=swatch.id, own=()), swatch)

    def remove_swatch(self, entry_id: str, name: str) -> None:
        """Takes a swatch off the library, and offers to put it back.

        Parameters
        ----------
        entry_id : str
            Id of the swatch.
        name : str
            Name.
        """
        try:
            self.library.remove(entry_id)
        except LibraryError as fault:
            self.said.emit(f"'{name}': {fault}")
            return
        self.library_changed.emit()
        self.asked.emit(
            f"'{name}' was deleted from the library. Projects that use it keep it.",
            "Restore",
            lambda: self._put_back(entry_id),
        )

    def _put_back(self, swatch_id: str) -> None:
        try:
            self.library.put_back(swatch_id)
        except LibraryError as fault:
            self.said.emit(str(fault))
        self.library_changed.emit()

    def _may_be_called(self, name: str, but_for: str | None) -> bool:
        if not name.strip():
            self.said.emit("Give the swatch a name before saving it.")
            return False
        try:
            is_free = self.library.name_is_free(name, but_for)
        except LibraryError as fault:
            self.said.emit(str(fault))
            return False
        if not is_free:
            self.said.emit(f"The library already has a swatch called '{name.strip()}'; choose another name.")
        return is_free

    def pictures_of(self, thing: Swatch | Material) -> dict[str, bytes]:
        """Pictures that the patterns of a material or swatch show, by SHA-256, out of the project and the library.

        Parameters
        ----------
        thing : Swatch or Material
            What has a recipe.

        Returns
        -------
        dict of bytes
        """
        found = self.library.pictures(thing) if isinstance(thing, Swatch) else {}
        wanted = {picture.digest for picture in thing.recipe.pictures()}
        return found | {key: self.assets.data(key) for key in wanted if self.assets.holds(key)}

    def _put_in_library(
        self, swatch: Swatch, origin: Swatch | None = None, pictures: Mapping[str, bytes] = _NONE
    ) -> bool:
        """Keeps a swatch; pictures of its patterns come from the project, or from the swatch it is a copy of."""
        try:
            copied = self.pictures_of(origin) if origin is not None else {}
            self.library.add(swatch, copied | self.pictures_of(swatch) | dict(pictures))
        except LibraryError as fault:
            self.said.emit(str(fault))
            return False
        self.library_changed.emit()
        return True


def _shown_by(recipe: Recipe, pattern_id: str) -> Recipe:
    """A plain recipe with a pattern of another in its base colour, as it is."""
    made, ids = Recipe().with_patterns_of(recipe, [pattern_id])
    feed = Feed(input="base_color", pattern=ids[pattern_id], low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0))
    return made.with_feed(feed)


def _read(path: Path) -> list[tuple[Path, object]]:
    """Swatches of a file, each with its images; notes, and what is wrong with it."""
    try:
        if path.suffix.lower() == SWATCH_ENDING:
            return [(path, (open_swatch(path), swatch_pictures(path)))]
        found = read_material_file(path)
    except (PackageError, MaterialFileError) as fault:
        return [(path, fault)]
    read: list[tuple[Path, object]] = []
    source = {"source": str(path.resolve()), "source_modified": source_stamp(path)}
    for swatch in swatches_of(found):
        swatch = swatch.with_(**source)
        shown = {image.digest for image in swatch.recipe.pictures()}
        read.append((path, (swatch, {key: found.images[key] for key in shown if key in found.images})))
    return [*read, *((path, note) for note in found.notes)]


def _told(fault: Exception) -> str:
    """Words of a fault, without the noise of the system's messages."""
    if isinstance(fault, ValidationError):
        return explain(fault)
    return fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
