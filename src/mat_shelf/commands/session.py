"""A session: one open project, what is selected in it, and its history."""

from collections.abc import Callable
from contextlib import contextmanager
from pathlib import Path

from psygnal import Signal
from pydantic import ValidationError

from mat_shelf.commands.aside import Aside, at_once
from mat_shelf.commands.colors import ColorCommands
from mat_shelf.commands.files import FileCommands
from mat_shelf.commands.kept_cameras import KeptCameras
from mat_shelf.commands.kept_files import KeptFiles
from mat_shelf.commands.kept_sets import KeptSets
from mat_shelf.commands.library import LibraryCommands
from mat_shelf.commands.light_aiming import LightAiming
from mat_shelf.commands.light_files import LightFiles
from mat_shelf.commands.lights import LightCommands
from mat_shelf.commands.materials import MaterialCommands, Wearable
from mat_shelf.commands.part_lights import PartLightCommands
from mat_shelf.commands.project_materials import ProjectMaterials
from mat_shelf.commands.props import PropCommands
from mat_shelf.commands.references import ReferenceCommands
from mat_shelf.commands.selection import Selection
from mat_shelf.commands.sets import SetCommands
from mat_shelf.commands.views import ViewCommands
from mat_shelf.document.camera import Camera
from mat_shelf.document.history import History
from mat_shelf.document.material import Material
from mat_shelf.document.parameter import Frozen, explain
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.library.library import Library
from mat_shelf.rendering.pattern_preview import pattern_preview
from mat_shelf.scene.ball import Ball
from mat_shelf.system.file_writer import Stamp, stamp_of


class Session(
    Selection,
    ViewCommands,
    SetCommands,
    ReferenceCommands,
    ColorCommands,
    MaterialCommands,
    ProjectMaterials,
    LightCommands,
    PartLightCommands,
    LightAiming,
    LightFiles,
    KeptSets,
    KeptCameras,
    KeptFiles,
    PropCommands,
    LibraryCommands,
    FileCommands,
):
    """The one thing that views read and that edits go through.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Files of the project.
    library : Library
        The library.
    path : Path or None
        File.
    aside : Aside
        How work that takes a while is done; at once by default.

    Attributes
    ----------
    project_changed, selection_changed, library_changed, camera_changed, close_up_changed, ball_changed, shown_changed,
    region_changed, light_changed, prop_changed
        Read the new state from the session.
    project_replaced
        Another project, with other meshes, is open.
    said : str
        A message for the user.
    asked : str, str, callable
        A message with something that can be done about it: its name, and what does it.
    """

    project_changed = Signal()
    project_replaced = Signal()
    selection_changed = Signal()
    library_changed = Signal()
    picture_size_changed = Signal()
    camera_changed = Signal()
    close_up_changed = Signal()
    ball_changed = Signal()
    shown_changed = Signal()
    region_changed = Signal()
    light_changed = Signal()
    prop_changed = Signal()
    said = Signal(str)
    asked = Signal(str, str, object)

    def __init__(
        self, project: Project, assets: Assets, library: Library, path: Path | None = None, aside: Aside = at_once
    ):
        self.history = History(project)
        self.assets = assets
        self.library = library
        self.path = path
        self.selected: str | None = None
        self.selected_zone_id: str | None = None
        self.also_selected: tuple[str, ...] = ()
        self.worn_last: Wearable | None = None
        self.copied: tuple[Material, dict[str, bytes], Assets] | None = None
        """The material that was copied, the images of its patterns, and the files of the project it is from."""
        self._together: str | None = None
        self.free_camera: Camera | None = None
        self.color_wanted: Callable[[tuple[float, float, float]], None] | None = None
        """Takes the colour, linear Rec.709, that is clicked next in the render or the reference."""
        self.input_shown = ""
        """Key of the input that the picture shows in place of the render, see `rendering.input_picture`."""
        self.picture_size = (1920, 1080)
        """Pixels of the next render: whether art is sharp enough is told for it, and what it crops."""
        self.close_up_point: tuple[float, float, float] | None = None
        self.close_up_width = 12.0
        self.close_up_light: tuple[float, float, float] | None = None
        self.ball: Ball | None = None
        self.region: tuple[float, float, float, float] | None = None
        """The only part of the picture that is refined: left, top, right, bottom on the film, mm from its middle."""
        self._opened_material: str | None = None
        self._alone: tuple[str, Recipe, Pattern] | None = None
        self._overlay_id: str | None = None
        self._on_board: tuple = (None, (), None)
        self._commands = 0
        self.stamp: Stamp | None = stamp_of(path) if path else None
        """Of the file at `path` as it was last read or written here."""
        self.aside = aside

    def begin_command(self) -> tuple | None:
        """Enters a command; what `roll_back` needs, or None inside another command.

        Returns
        -------
        tuple or None
        """
        self._commands += 1
        return self.history.state() if self._commands == 1 else None

    def end_command(self) -> None:
        """Leave a command."""
        self._commands -= 1

    def roll_back(self, state: tuple) -> None:
        """Leaves a command that was refused as if it had not begun.

        Parameters
        ----------
        state : tuple
            State of the random stream.
        """
        self._together = None
        if self.history.present is state[0]:
            self.history.end_gesture()
            return
        self.history.restore(state)
        self._after_jump()

    @property
    def project(self) -> Project:
        """The project as it is now."""
        return self.history.present

    @property
    def shown_project(self) -> Project:
        """Project that the panes show: the project itself, or one of its patterns alone on the product."""
        if self._alone is None or self._alone[0] not in {m.id for m in self.project.materials}:
            return self.project
        return pattern_preview(self.project, *self._alone)

    def show_alone(self, pattern: Pattern | None) -> None:
        """Shows a pattern of the material on the board by itself on the product; None ends that.

        Parameters
        ----------
        pattern : Pattern or None
            The pattern.
        """
        material = self.selected_material
        alone = (material.id, self.layer, pattern) if pattern is not None and material is not None else None
        if alone != self._alone:
            self._alone = alone
            self.shown_changed.emit()

    def edit(self, label: str, project: Project, gesture: str | None = None) -> None:
        """Go on with another project value, as a step of the history.

        Parameters
        ----------
        label : str
            Undo text.
        project : Project
            The project.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self._together is not None:
            label, gesture = self._together, f"together {self._together}"
        self.history.edit(label, project, gesture)
        self.project_changed.emit()

    def amend(self, project: Project) -> None:
        """Go on with another project value as part of the last step of the history, from which it follows.

        Parameters
        ----------
        project : Project
            The project.
        """
        self.history.amend(project)
        self.project_changed.emit()

    @contextmanager
    def as_one(self, label: str):
        """Makes all edits inside one step of the history.

        Parameters
        ----------
        label : str
            Undo text.
        """
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
        """A copy of a value of the project with one field changed; says why where the value cannot be.

        Parameters
        ----------
        thing : Frozen
            Value of the project.
        name : str
            Name of the field.
        value : object
            New value of the field.

        Returns
        -------
        Frozen or None
        """
        try:
            return thing.with_(**{name: value})
        except ValidationError as fault:
            self.said.emit(_refusal(type(thing), name, fault))
            return None

    def undo(self) -> None:
        """Take the last edit back."""
        self.history.undo()
        self._after_jump()

    def redo(self) -> None:
        """Make the last edit that was taken back again."""
        self.history.redo()
        self._after_jump()

    def go_to_step(self, position: int) -> None:
        """Go to a place of the history, back or forth.

        Parameters
        ----------
        position : int
            Number of steps that are in the project then.
        """
        self.history.go_to(position)
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


def _refusal(model: type[Frozen], name: str, fault: ValidationError) -> str:
    field = model.parameter(name)
    if field.annotation is float:
        low, high = model.limits(name)
        low, high = (f"{end * field.json_schema_extra['scale']:g}" for end in (low, high))
        return f"{model.field_label(name)} must be a number from {low} to {high}."
    return f"{model.field_label(name)} cannot be that: {explain(fault)}"
