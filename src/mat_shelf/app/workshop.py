"""What the window works on: a project with its history and meshes, the shelf, and what is selected."""

from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.document.history import History
from mat_shelf.document.parameter import Frozen, explain
from mat_shelf.document.project import Camera, Material, Part, Picture, Project, View, new_id
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import LARGEST_ENTRY, PackageError
from mat_shelf.exchange.pictures import PictureError
from mat_shelf.exchange.project_file import ENDING, open_project, save_project
from mat_shelf.shelf.library import Shelf, ShelfError


class Workshop(QObject):
    """The one thing that views read and that edits go through.

    Signals
    -------
    project_changed, selection_changed, shelf_changed, camera_changed, loupe_changed
        Read the new state from the workshop.
    project_replaced
        Another project, with other meshes, is open.
    said : str
        Something the user must know.
    """

    project_changed = pyqtSignal()
    project_replaced = pyqtSignal()
    selection_changed = pyqtSignal()
    shelf_changed = pyqtSignal()
    camera_changed = pyqtSignal()
    loupe_changed = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, project: Project, assets: Assets, shelf: Shelf, path: Path | None = None):
        super().__init__()
        self.history = History(project)
        self.assets = assets
        self.shelf = shelf
        self.path = path
        self.selected: str | None = None
        self.free_camera: Camera | None = None
        self.loupe_point: tuple[float, float, float] | None = None
        self.loupe_width = 12.0

    @property
    def project(self) -> Project:
        return self.history.present

    @property
    def selected_part(self) -> Part | None:
        return self.project.part(self.selected) if self.selected else None

    @property
    def selected_material(self) -> Material | None:
        part = self.selected_part
        return self.project.material(part.material) if part and part.material else None

    def select(self, part_id: str | None) -> None:
        if part_id != self.selected:
            self.selected = part_id
            self.selection_changed.emit()

    @property
    def camera(self) -> Camera:
        """What the hero view looks through: a free camera while exploring, else that of the view in use."""
        return self.free_camera or self.project.view.camera

    def explore(self, camera: Camera | None) -> None:
        """Looks through a free camera, which no edit keeps; None returns to the view in use."""
        self.free_camera = camera
        self.camera_changed.emit()

    def place_loupe(self, point: tuple[float, float, float] | None) -> None:
        """Puts the loupe on a point of the product, mm; None takes it away."""
        self.loupe_point = point
        self.loupe_changed.emit()

    def set_loupe_width(self, width: float) -> None:
        """How many millimetres the loupe shows, from 1 to 100."""
        self.loupe_width = min(max(width, 1.0), 100.0)
        self.loupe_changed.emit()

    def look_through(self, view_id: str) -> None:
        """Puts a view in use."""
        self.free_camera = None
        self.edit("Change of view", self.project.with_(current_view=view_id))
        self.camera_changed.emit()

    def keep_view(self, name: str) -> None:
        """Keeps what the hero view looks through as a new view, in use from now on."""
        name = _free_name(name.strip() or "View", {view.name for view in self.project.views})
        view = View(id=new_id("view"), name=name, camera=self.camera)
        self.free_camera = None
        self.edit(f"Keep view {name}", self.project.with_view(view).with_(current_view=view.id))
        self.camera_changed.emit()

    def move_view_here(self) -> None:
        """Gives the view in use the free camera."""
        if self.free_camera is not None:
            view = self.project.view.with_(camera=self.free_camera)
            self.free_camera = None
            self.edit(f"Move view {view.name}", self.project.with_view(view))
            self.camera_changed.emit()

    def drop_view(self) -> None:
        """Throws out the view in use; the final one stays."""
        view = self.project.view
        if view.id == self.project.views[0].id:
            self.said.emit("The final view stays: move it instead.")
            return
        rest = tuple(v for v in self.project.views if v.id != view.id)
        self.edit(f"Throw out view {view.name}", self.project.with_(views=rest, current_view=rest[0].id))
        self.camera_changed.emit()

    def use_set(self, set_id: str) -> None:
        """Puts a set in use."""
        self.edit("Change of set", self.project.with_(current_set=set_id))

    def edit(self, label: str, project: Project, gesture: str | None = None) -> None:
        self.history.edit(label, project, gesture)
        self.project_changed.emit()

    def changed(self, thing: Frozen, name: str, value) -> Frozen | None:
        """A copy of a value of the project with one field changed; says why where the value cannot be."""
        try:
            return thing.with_(**{name: value})
        except ValidationError as fault:
            self.said.emit(_refusal(type(thing), name, fault))
            return None

    def wear(self, part_id: str, swatch_id: str) -> None:
        """Puts a swatch on a part, and selects the part."""
        swatch = next((s for s in self.shelf.swatches() if s.id == swatch_id), None)
        if swatch is None:
            self.said.emit("That swatch is no longer on the shelf.")
            return
        project, part = self.project, self.project.part(part_id)
        material = next((m for m in project.materials if m.recipe == swatch.recipe and m.name == swatch.name), None)
        if material is None:
            taken = {m.id for m in project.materials}
            material = Material(
                id=swatch.id if swatch.id not in taken else new_id("material"),
                name=_free_name(swatch.name, {m.name for m in project.materials}),
                family=swatch.family,
                recipe=swatch.recipe,
            )
            project = project.with_material(material)
        self.edit(f"{swatch.name} on {part.name}", project.with_part(part.with_(material=material.id)))
        self.select(part_id)

    def keep(self, name: str, family: str) -> bool:
        """Keeps the selected material on the shelf as a new swatch."""
        material = self.selected_material
        name = name.strip()
        if material is None:
            return False
        if not name:
            self.said.emit("Give the swatch a name before keeping it.")
            return False
        if not self.shelf.name_is_free(name):
            self.said.emit(f"The shelf already has a swatch called '{name}'; choose another name.")
            return False
        try:
            swatch = Swatch(id=new_id("swatch"), name=name, family=family, recipe=material.recipe)
            self.shelf.add(swatch)
        except ValidationError as fault:
            self.said.emit(f"The swatch could not be kept: {explain(fault)}")
            return False
        except ShelfError as fault:
            self.said.emit(str(fault))
            return False
        self.edit(f"Keep {name}", self.project.with_material(material.with_(name=name, family=family)))
        self.shelf_changed.emit()
        return True

    def set_reference(self, path: Path | None) -> None:
        """Puts a picture file beside the render; None takes it away. Says why where it cannot be read."""
        if path is None:
            self.edit("Take the reference away", self.project.with_(reference=None))
            return
        try:
            if path.stat().st_size > LARGEST_ENTRY:
                raise PictureError("it is larger than half a gigabyte")
            key, kind = self.assets.add_picture(path.read_bytes())
        except (OSError, PictureError) as fault:
            reason = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
            self.said.emit(f"{path.name} cannot be a reference: {reason}.")
            return
        picture = Picture(name=path.name[:120], digest=key, kind=kind)
        self.edit("Reference picture", self.project.with_(reference=picture))

    def undo(self) -> None:
        self.history.undo()
        self._after_jump()

    def redo(self) -> None:
        self.history.redo()
        self._after_jump()

    def _after_jump(self) -> None:
        if self.selected and self.selected not in {part.id for part in self.project.product.parts}:
            self.select(None)
        self.project_changed.emit()

    def save(self, path: Path) -> bool:
        """Saves to a path; says why where that fails, and changes nothing."""
        path = path if path.suffix == ENDING else path.with_name(path.name + ENDING)
        try:
            save_project(path, self.project, self.assets)
        except OSError as fault:
            self.said.emit(f"Not saved: {fault}")
            return False
        self.path = path
        self.history.saved = self.project
        self.project_changed.emit()
        return True

    def open(self, path: Path) -> bool:
        """Opens a project; says why where that fails, and keeps the present one."""
        try:
            project, assets = open_project(path)
        except PackageError as fault:
            self.said.emit(f"Not opened: {fault}")
            return False
        self.replace(project, assets, path)
        return True

    def replace(self, project: Project, assets: Assets, path: Path | None) -> None:
        self.history = History(project)
        self.assets = assets
        self.path = path
        self.selected = None
        self.free_camera = None
        self.loupe_point = None
        self.project_replaced.emit()
        self.selection_changed.emit()
        self.project_changed.emit()


def _refusal(model: type[Frozen], name: str, fault: ValidationError) -> str:
    field = model.parameter(name)
    if field.annotation is float:
        low, high = model.limits(name)
        return f"{field.title} must be a number from {low:g} to {high:g}."
    return f"{field.title} cannot be that: {explain(fault)}"


def _free_name(wanted: str, taken: set[str]) -> str:
    name, count = wanted, 2
    while name in taken:
        name, count = f"{wanted} {count}", count + 1
    return name
