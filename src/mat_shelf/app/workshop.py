"""What the window works on: a project with its history and meshes, the library, and what is selected."""

from collections.abc import Callable
from contextlib import contextmanager
from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.app.command import command
from mat_shelf.app.image_take_job import ImageTakeJob
from mat_shelf.document.history import History
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Frozen, explain
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.project import Camera, Material, Part, Project, View, Zone
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import open_project, project_path, save_project
from mat_shelf.library.library import Library, LibraryEntry, LibraryError
from mat_shelf.rendering.pattern_preview import pattern_preview
from mat_shelf.scene.ball import Ball
from mat_shelf.system.file_writer import Stamp, stamp_of


class Workshop(QObject):
    """The one thing that views read and that edits go through.

    Signals
    -------
    project_changed, selection_changed, shelf_changed, camera_changed, loupe_changed, ball_changed, shown_changed
        Read the new state from the workshop.
    project_replaced
        Another project, with other meshes, is open.
    said : str
        Something the user must know.
    asked : str, str, callable
        The same, with what they may do about it: its name, and what does it.
    """

    project_changed = pyqtSignal()
    project_replaced = pyqtSignal()
    selection_changed = pyqtSignal()
    library_changed = pyqtSignal()
    picture_width_changed = pyqtSignal()
    camera_changed = pyqtSignal()
    close_up_changed = pyqtSignal()
    ball_changed = pyqtSignal()
    shown_changed = pyqtSignal()
    said = pyqtSignal(str)
    asked = pyqtSignal(str, str, object)

    def __init__(self, project: Project, assets: Assets, library: Library, path: Path | None = None):
        super().__init__()
        self.history = History(project)
        self.assets = assets
        self.library = library
        self.path = path
        self.selected: str | None = None
        self.selected_zone_id: str | None = None
        self.also_selected: tuple[str, ...] = ()
        self._together: str | None = None
        self.free_camera: Camera | None = None
        self.picture_width = 1920
        """Pixels of the next render: whether art is sharp enough is told for it."""
        self.close_up_point: tuple[float, float, float] | None = None
        self.close_up_width = 12.0
        self.close_up_light: tuple[float, float, float] | None = None
        self.ball: Ball | None = None
        self._opened_material: str | None = None
        self._alone: tuple[str, Recipe, Pattern] | None = None
        self._overlay_id: str | None = None
        self._on_board: tuple = (None, (), None)
        self._commands = 0
        self.stamp: Stamp | None = stamp_of(path) if path else None
        """Of the file at `path` as it was last read or written here."""
        self._taking: list[ImageTakeJob] = []

    def begin_command(self) -> tuple | None:
        """Enters a command; what `take_back` needs, or None inside another command."""
        self._commands += 1
        return self.history.state() if self._commands == 1 else None

    def end_command(self) -> None:
        self._commands -= 1

    def take_back(self, state: tuple) -> None:
        """Leaves a command that was refused as if it had not begun."""
        self._together = None
        if self.history.present is state[0]:
            self.history.end_gesture()
            return
        self.history.restore(state)
        self._after_jump()

    @property
    def project(self) -> Project:
        return self.history.present

    @property
    def shown_project(self) -> Project:
        """What the wall shows: the project, or one of its patterns by itself on the product."""
        if self._alone is None or self._alone[0] not in {m.id for m in self.project.materials}:
            return self.project
        return pattern_preview(self.project, *self._alone)

    def show_alone(self, pattern: Pattern | None) -> None:
        """Shows a pattern of the material on the board by itself on the product; None ends that."""
        material = self.selected_material
        alone = (material.id, self.layer, pattern) if pattern is not None and material is not None else None
        if alone != self._alone:
            self._alone = alone
            self.shown_changed.emit()

    @property
    def selected_part(self) -> Part | None:
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
        """Brings an overlay of the material on the board to the board; None goes back to the material."""
        if overlay_id != self._overlay_id:
            self._overlay_id = overlay_id
            self.selection_changed.emit()

    @property
    def layer(self) -> Recipe | None:
        """The recipe on the board: the material's, or that of one of its overlays."""
        material, overlay = self.selected_material, self.overlay
        return overlay.recipe if overlay else material.recipe if material else None

    def with_layer(self, recipe: Recipe) -> Project:
        """The project with another recipe in place of the one on the board."""
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
        is_other = (part_id, zone_id) != (self.selected, self.selected_zone_id)
        if is_other or self.also_selected or self._opened_material is not None:
            self.selected, self.selected_zone_id = part_id, zone_id
            self.also_selected = ()
            self._opened_material = None
            self._overlay_id = None
            self.selection_changed.emit()

    def select_also(self, part_id: str) -> None:
        """Adds a part to what is selected, or takes it away from that."""
        if self.selected is None or part_id == self.selected:
            self.select(None if part_id == self.selected else part_id)
            return
        rest = tuple(other for other in self.also_selected if other != part_id)
        self.also_selected = rest if part_id in self.also_selected else (*self.also_selected, part_id)
        self.selected_zone_id = None
        self.selection_changed.emit()

    def select_group(self, name: str) -> None:
        """Selects all parts of a group."""
        ids = [part.id for part in self.project.product.parts if part.group == name]
        if ids:
            self.select(ids[0])
            self.also_selected = tuple(ids[1:])
            self.selection_changed.emit()

    def select_next_wearer(self) -> None:
        """Selects the next piece that wears the material on the board."""
        material = self.selected_material
        if material is None:
            return
        places = [
            (part.id, zone.id if zone else None)
            for part in self.project.product.parts
            for zone in (None, *part.zones)
            if (zone or part).material == material.id
        ]
        if places:
            here = (self.selected, self.selected_zone_id)
            self.select(*places[(places.index(here) + 1) % len(places) if here in places else 0])

    def open_material(self, material_id: str) -> None:
        """Brings a material to the board, whatever is selected."""
        self._opened_material = material_id
        self.selection_changed.emit()

    @property
    def camera(self) -> Camera:
        """What the viewport looks through: a free camera while exploring, else that of the view in use."""
        return self.free_camera or self.project.view.camera

    def explore(self, camera: Camera | None) -> None:
        """Looks through a free camera, which no edit keeps; None returns to the view in use."""
        self.free_camera = camera
        self.camera_changed.emit()

    def place_close_up(self, point: tuple[float, float, float] | None) -> None:
        """Puts the close-up on a point of the product, mm; None takes it away."""
        self.close_up_point = point
        self.close_up_changed.emit()

    def set_close_up_width(self, width: float) -> None:
        """How many millimetres the close-up shows, from 1 to 100."""
        self.close_up_width = min(max(width, 1.0), 100.0)
        self.close_up_changed.emit()

    def light_close_up(self, direction: tuple[float, float, float] | None) -> None:
        """Lights what the close-up shows with a lamp of its own from a direction; None leaves it in the set's light."""
        self.close_up_light = direction
        self.close_up_changed.emit()

    def stand_ball(self, ball: Ball | None) -> None:
        """Stands a coloured ball beside a surface; None takes it away. No picture that is rendered has it."""
        self.ball = ball
        self.ball_changed.emit()

    @command
    def look_through(self, view_id: str) -> None:
        """Puts a view in use."""
        project = self.project.with_(current_view=view_id)
        self.free_camera = None
        self.edit("Change view", project)
        self.camera_changed.emit()

    @command
    def keep_view(self, name: str) -> None:
        """Keeps what the viewport looks through as a new view, in use from now on."""
        name = free_name(name.strip() or "View", {view.name for view in self.project.views})
        view = View(id=new_id("view"), name=name, camera=self.camera)
        project = self.project.with_view(view).with_(current_view=view.id)
        self.free_camera = None
        self.edit(f"Save view {name}", project)
        self.camera_changed.emit()

    @command
    def move_view_here(self) -> None:
        """Gives the view in use the free camera."""
        if self.free_camera is not None:
            view = self.project.view.with_(camera=self.free_camera)
            project = self.project.with_view(view)
            self.free_camera = None
            self.edit(f"Update view {view.name}", project)
            self.camera_changed.emit()

    @command
    def drop_view(self) -> None:
        """Throws out the view in use; the final one stays."""
        view = self.project.view
        if view.id == self.project.views[0].id:
            self.said.emit("The final view cannot be removed; update it instead.")
            return
        rest = tuple(v for v in self.project.views if v.id != view.id)
        self.edit(f"Remove view {view.name}", self.project.with_(views=rest, current_view=rest[0].id))
        self.camera_changed.emit()

    @command
    def use_set(self, set_id: str) -> None:
        """Puts a set in use."""
        self.edit("Change set", self.project.with_(current_set=set_id))

    def edit(self, label: str, project: Project, gesture: str | None = None) -> None:
        if self._together is not None:
            label, gesture = self._together, f"together {self._together}"
        self.history.edit(label, project, gesture)
        self.project_changed.emit()

    @contextmanager
    def as_one(self, label: str):
        """Makes all edits inside one step of the history."""
        before = self.history.state()
        self._together = label
        try:
            yield
        except BaseException:
            self.history.restore(before)  # half of it would be no step that anyone asked for
            self.project_changed.emit()
            raise
        finally:
            self._together = None
            self.history.end_gesture()

    def changed(self, thing: Frozen, name: str, value) -> Frozen | None:
        """A copy of a value of the project with one field changed; says why where the value cannot be."""
        try:
            return thing.with_(**{name: value})
        except ValidationError as fault:
            self.said.emit(_refusal(type(thing), name, fault))
            return None

    @command
    def wear(self, part_id: str, swatch_id: str, zone_id: str | None = None) -> None:
        """Puts a swatch on a part or one of its zones, and selects that."""
        try:
            swatch = self.library.swatch(swatch_id)
        except LibraryError as fault:
            self.said.emit(str(fault))
            return
        if swatch is None:
            self.said.emit("That swatch is no longer in the library.")
            return
        project, part = self.project, self.project.part(part_id)
        material = next((m for m in project.materials if m.swatch == swatch.id and m.recipe == swatch.recipe), None)
        if material is None:
            try:
                for data in self.library.pictures(swatch).values():
                    self.assets.add_map(data)
            except (LibraryError, ImageError) as fault:
                self.said.emit(f"An image of '{swatch.name}' cannot be used: {fault}.")
            material = self._material_of(swatch)
            project = project.with_material(material)
        wearer = part.zone(zone_id) if zone_id else part
        dressed = wearer.with_(material=material.id)
        part = part.with_zone(dressed) if zone_id else dressed
        self.edit(f"{swatch.name} on {wearer.name}", project.with_part(part))
        self.select(part_id, zone_id)

    def wear_instead(self, old_id: str, swatch_id: str) -> None:
        """Puts a swatch wherever a material of the project is worn."""
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
    def give_back(self, name: str) -> None:
        """Lets the variant on the board follow its parent in one parameter again."""
        material = self.selected_material
        if material is not None and material.parent is not None:
            followed = material.given_back(name, self.project.material(material.parent).recipe)
            self.edit(f"Follow parent in {Recipe.field_label(name)}", self.project.with_material(followed))

    @command
    def rename_material(self, name: str) -> None:
        material = self.selected_material
        if material is not None and name.strip() and name.strip() != material.name:
            self.edit("Rename", self.project.with_material(material.with_(name=name.strip()[:120])))

    @command
    def throw_out_unused(self) -> None:
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

    @command
    def keep(self, name: str, family: str, tags: tuple[str, ...] = ()) -> bool:
        """Keeps the selected material on the library as a new swatch."""
        material = self.selected_material
        if material is None or not self._may_be_called(name, None):
            return False
        parent = self.project.material(material.parent).swatch if material.parent else None
        try:
            swatch = Swatch(id=new_id("swatch"), name=name, family=family, tags=tags, recipe=material.recipe)
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
    def keep_changes(self) -> bool:
        """Gives the selected material's recipe to the swatch it came from; variants of it follow."""
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
        """What is on the library; nothing where it cannot be read, and says why."""
        try:
            return self.library.entries()
        except LibraryError as fault:
            self.said.emit(str(fault))
            return []

    @command
    def describe_swatch(self, swatch: Swatch, name: str, family: str, tags: tuple[str, ...], note: str) -> bool:
        """Changes what a swatch is called, filed under and said about."""
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
        name = free_name(f"{swatch.name}, copy", {entry.name for entry in self.library_entries()})
        self._put_in_library(swatch.with_(id=new_id("swatch"), name=name), swatch)

    @command
    def vary_swatch(self, swatch: Swatch) -> None:
        """Puts a variant of a swatch on the library, which differs in nothing yet."""
        name = free_name(f"{swatch.name}, variant", {entry.name for entry in self.library_entries()})
        self._put_in_library(swatch.with_(id=new_id("swatch"), name=name, parent=swatch.id, own=()), swatch)

    def throw_out_swatch(self, entry_id: str, name: str) -> None:
        """Takes a swatch off the library, and offers to put it back."""
        try:
            self.library.throw_out(entry_id)
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
        """Pictures that the patterns of a material or swatch show, by SHA-256, out of the project and the library."""
        found = self.library.pictures(thing) if isinstance(thing, Swatch) else {}
        wanted = {picture.digest for picture in thing.recipe.pictures()}
        return found | {key: self.assets.data(key) for key in wanted if self.assets.holds(key)}

    def _put_in_library(self, swatch: Swatch, origin: Swatch | None = None) -> bool:
        """Keeps a swatch; pictures of its patterns come from the project, or from the swatch it is a copy of."""
        try:
            pictures = self.pictures_of(origin) if origin is not None else {}
            self.library.add(swatch, pictures | self.pictures_of(swatch))
        except LibraryError as fault:
            self.said.emit(str(fault))
            return False
        self.library_changed.emit()
        return True

    @command
    def set_room(self, path: Path | None) -> None:
        """Lights the set in use with a room picture from an EXR or HDR file; None takes it away."""
        studio = self.project.set
        if path is None:
            self.edit("Remove environment", self.project.with_set(studio.with_(room=None)))
            return

        def light(picture: ImageRef) -> None:
            present = next((each for each in self.project.sets if each.id == studio.id), None)
            if present is None:
                self.said.emit(f"{picture.name} was not used: the set '{studio.name}' was removed.")
                return
            self.edit("Environment", self.project.with_set(present.with_(room=picture)))

        self._take_in(path, self.assets.add_room, "an environment", light)

    @command
    def set_reference(self, path: Path | None) -> None:
        """Puts a picture file beside the render; None takes it away. Says why where it cannot be read."""
        if path is None:
            self.edit("Remove reference", self.project.with_(reference=None))
            return

        def compare(picture: ImageRef) -> None:
            self.edit("Reference", self.project.with_(reference=picture))

        self._take_in(path, self.assets.add_picture, "a reference", compare)

    def _take_in(self, path: Path, add, use: str, then: Callable[[ImageRef], None]) -> None:
        """Takes a picture file into the assets on a thread, then uses it in the project that is open by then."""
        job, assets = ImageTakeJob(path, add, use, self), self.assets
        job.failed.connect(self.said)
        job.taken.connect(lambda picture: then(picture) if self.assets is assets else None)
        job.finished.connect(lambda: self._taking.remove(job))
        self._taking.append(job)
        job.start()

    def wait(self) -> None:
        """Ends what is read for the project on threads."""
        for job in self._taking:
            job.wait()

    def undo(self) -> None:
        self.history.undo()
        self._after_jump()

    def redo(self) -> None:
        self.history.redo()
        self._after_jump()

    def _after_jump(self) -> None:
        parts = {part.id: part for part in self.project.product.parts}
        self.also_selected = tuple(other for other in self.also_selected if other in parts)
        if self.selected and self.selected not in parts:
            self.select(None)
        if self.selected_zone_id and self.selected_zone_id not in {z.id for z in parts[self.selected].zones}:
            self.select(self.selected)
        if self._opened_material not in {None, *(m.id for m in self.project.materials)}:
            self.select(self.selected)
        self.project_changed.emit()

    def save(self, path: Path) -> bool:
        """Saves to a path; says why where that fails, and changes nothing."""
        path = project_path(path)
        try:
            stamp = save_project(path, self.project, self.assets)
        except OSError as fault:
            self.said.emit(f"Not saved: {fault}")
            return False
        self.note_saved(path, self.project, stamp)
        return True

    def note_saved(self, path: Path, project: Project, stamp: Stamp) -> None:
        """Takes note of what was written where; the project may have gone on since."""
        self.path, self.stamp = path, stamp
        self.history.saved = project
        self.project_changed.emit()

    def open(self, path: Path) -> bool:
        """Opens a project; says why where that fails, and keeps the present one."""
        stamp = stamp_of(path)
        try:
            project, assets = open_project(path)
        except PackageError as fault:
            self.said.emit(f"Not opened: {fault}")
            return False
        self.replace(project, assets, path, stamp)
        return True

    def replace(self, project: Project, assets: Assets, path: Path | None, stamp: Stamp | None = None) -> None:
        """Goes on with another project; `stamp` is that of its file when it was read."""
        self.history = History(project)
        self.assets = assets
        self.path, self.stamp = path, stamp
        self.selected = self.selected_zone_id = None
        self.also_selected = ()
        self.free_camera = None
        self.close_up_point = self.close_up_light = self.ball = None
        self._opened_material = self._alone = None
        self.project_replaced.emit()
        self.selection_changed.emit()
        self.project_changed.emit()


def _told(fault: Exception) -> str:
    """What went wrong, without the noise of the system's messages."""
    if isinstance(fault, ValidationError):
        return explain(fault)
    return fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)


def _refusal(model: type[Frozen], name: str, fault: ValidationError) -> str:
    field = model.parameter(name)
    if field.annotation is float:
        low, high = model.limits(name)
        low, high = (f"{end * field.json_schema_extra['scale']:g}" for end in (low, high))
        return f"{model.field_label(name)} must be a number from {low} to {high}."
    return f"{model.field_label(name)} cannot be that: {explain(fault)}"
