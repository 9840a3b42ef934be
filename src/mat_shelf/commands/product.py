"""The product: its size, where its parts stand, its zones, faces without a material, texture coordinates."""

from collections.abc import Callable, Iterable

import numpy as np
from psygnal import Signal

from mat_shelf.commands.command import command
from mat_shelf.commands.faces import SMOOTH, FaceCommands
from mat_shelf.commands.session import Session
from mat_shelf.commands.uvs import UvCommands
from mat_shelf.document.ids import FreeNames, free_name, new_id
from mat_shelf.document.project import Material, Part, Pose, Product, Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.model_update import ModelUpdate, update_model
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.pose import Z_UP_TURN, posed, posed_bounds, scaled_about, turn_matrix, turned_about
from mat_shelf.geometry.size import UNITS
from mat_shelf.geometry.unassigned_faces import UnassignedRegion
from mat_shelf.scene.drop_test import clearance_below
from mat_shelf.scene.material_table import has_inside
from mat_shelf.system.fault_log import log_fault


class ProductCommands(FaceCommands, UvCommands):
    """Edits of the product, and the faces that are selected for a zone.

    Parameters
    ----------
    session : Session
        The session.

    Attributes
    ----------
    faces_changed, gap_changed, unwrapping_changed
        Signals; read the new state.
    chosen : (part id, (T,) bool) or None
        Faces selected for a zone.
    way : str
        Tool of a click, a key of `faces.FACE_TOOLS`.
    degrees : float
        Its angle.
    unwrapping : str
        Part that is being unwrapped, in words; empty where nothing is.
    """

    faces_changed = Signal()
    gap_changed = Signal()
    unwrapping_changed = Signal()

    def __init__(self, session: Session):
        self.session = session
        self.chosen: tuple[str, np.ndarray] | None = None
        self.way, self.degrees = SMOOTH, 18.0
        self.unwrapping, self._is_cancelled = "", False
        self.loop_start: tuple[str, int] | None = None
        self.gaps: list[UnassignedRegion] = []
        self.gap_shown: int | None = None
        self._graphs: dict[str, Adjacency] = {}
        self._known_gaps: dict[str, tuple[Part, list[UnassignedRegion]]] = {}
        session.project_replaced.connect(self._forget)
        session.project_changed.connect(self._follow)

    def _forget(self) -> None:
        self._known_gaps = {}
        self._graphs = {}  # a thread may still be filling the old one
        self.chosen, self.gaps, self.gap_shown = None, [], None
        self.faces_changed.emit()
        self.gap_changed.emit()

    def _follow(self) -> None:
        """Faces chosen on a part that is gone or has another mesh are let go."""
        if self.chosen is not None:
            part = next((p for p in self.project.product.parts if p.id == self.chosen[0]), None)
            if part is None or len(self.session.assets.meshes[part.mesh].triangles) != len(self.chosen[1]):
                self.choose(None)

    @property
    def project(self) -> Project:
        """The project."""
        return self.session.project

    def _aside(self, work: Callable[[], object], then: Callable[[object], None]) -> None:
        """Does something aside; what came of it counts if the project is still the same."""
        assets = self.session.assets

        def take(result: object) -> None:
            if assets is self.session.assets:
                then(result)
            else:
                self._give_up()

        def failed(fault: Exception) -> None:
            log_fault(fault, "product")
            self.session.said.emit(f"That failed: {fault or type(fault).__name__}")
            self._give_up()

        self.session.aside(work, take, failed)

    def _give_up(self) -> None:
        if self.unwrapping:
            self.unwrapping = ""
            self.unwrapping_changed.emit()

    def close(self) -> None:
        """Cancels what is under way."""
        self._is_cancelled = True

    def bounds(self, parts: Iterable[Part] | None = None) -> np.ndarray:
        """Lowest and highest corner of parts, or of the whole product, (2, 3), mm.

        Parameters
        ----------
        parts : iterable of Part or None
            Parts.

        Returns
        -------
        (2, 3)
        """
        meshes = self.session.assets.meshes
        boxes = [posed_bounds(meshes[p.mesh], p.pose) for p in (self.project.product.parts if parts is None else parts)]
        if not boxes:
            return np.zeros((2, 3))
        return np.stack([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])

    @staticmethod
    def bounds_of(product: Product, assets: Assets) -> np.ndarray:
        """The same for a product that is not in the project yet.

        Parameters
        ----------
        product : Product
            The product.
        assets : Assets
            Files of the project.

        Returns
        -------
        array
        """
        boxes = [posed_bounds(assets.meshes[part.mesh], part.pose) for part in product.parts]
        return np.stack([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])

    @command
    def add(self, product: Product, materials: tuple[Material, ...], assets: Assets) -> None:
        """Adds what was imported to the product, to the right of what stands there.

        Parameters
        ----------
        product : Product
            The product.
        materials : tuple of Material
            Materials.
        assets : Assets
            Files of the project.
        """
        project = self.project
        self.session.assets.take(assets)
        names = FreeNames({part.name for part in project.product.parts})
        right = self.bounds()[1, 0] if project.product.parts else 0.0
        low, high = self.bounds_of(product, assets)
        away = (float(right - low[0] + 0.1 * (high[0] - low[0])), 0.0, 0.0) if project.product.parts else (0, 0, 0)
        added = []
        for part in product.parts:
            name = names.take(part.name)
            shift = tuple(float(x) for x in np.add(part.pose.shift, away))
            added.append(part.with_(name=name, pose=part.pose.with_(shift=shift)))
        taken = FreeNames({material.name for material in project.materials})
        fresh = tuple(material.with_(name=taken.take(material.name)) for material in materials)
        project = project.with_(materials=(*project.materials, *fresh))
        self.session.edit(f"Import {product.name}", project.with_parts((*project.product.parts, *added)))

    @command
    def exchange(self, product: Product, materials: tuple[Material, ...], assets: Assets) -> ModelUpdate | None:
        """Puts the next version of the product in place of the present one; None where that was refused.

        Parameters
        ----------
        product : Product
            The product.
        materials : tuple of Material
            Materials.
        assets : Assets
            Files of the project.

        Returns
        -------
        ModelUpdate or None
        """
        self.session.assets.take(assets)
        project, told = update_model(self.project, self.session.assets, product, materials)
        self.session.select(None)
        self.session.edit(f"Update to {product.name}", project)
        return told

    @command
    def refit(self) -> None:
        """Gives a product whose size was wrong the sets and the first view that suit it."""
        low, high = self.bounds()
        project = self.project
        fresh = new_project(project.product, project.materials, high - low)
        view = project.views[0].with_(camera=fresh.views[0].camera)
        self.session.edit("Size", project.with_view(view).with_(sets=fresh.sets))
        self.session.explore(None)

    @command
    def rescale(self, part_ids: list[str], was: str, unit: str) -> None:
        """Takes the numbers of some parts, which were read in one unit, for another.

        Parameters
        ----------
        part_ids : list of str
            Ids of the parts.
        was : str
            Unit that the numbers were read in.
        unit : str
            Unit, a key of `geometry.size.UNITS`.
        """
        parts = [part for part in self.project.product.parts if part.id in part_ids]
        low, high = self.bounds(parts)
        foot = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        factor = UNITS[unit] / UNITS[was]
        self._pose(f"Read as {unit}", parts, lambda pose: scaled_about(pose, factor, foot))

    def picked(self) -> list[Part]:
        """The selected parts, the first of them first, or all there are.

        Returns
        -------
        list of Part
        """
        parts = {part.id: part for part in self.project.product.parts}
        ids = [self.session.selected, *self.session.also_selected]
        return [parts[i] for i in ids if i in parts] or list(parts.values())

    @command
    def group(self) -> None:
        """Makes a group of the selected parts."""
        parts = self.picked()
        if len(parts) < 2 or not self.session.also_selected:
            self.session.said.emit("Select two or more parts first: click one, Ctrl+click others in the list.")
            return
        taken = {part.group for part in self.project.product.parts}
        name = free_name(f"{parts[0].name} group", taken)
        self._change(f"Group {len(parts)} parts", parts, lambda part: part.with_(group=name))
        self.session.select_group(name)

    @command
    def ungroup(self) -> None:
        """Takes the selected parts out of their groups."""
        self._change("Ungroup", self.picked(), lambda part: part.with_(group=None))

    @command
    def rename_group(self, name: str, new: str) -> None:
        """Rename a group of parts.

        Parameters
        ----------
        name : str
            Name.
        new : str
            New name.
        """
        new = new.strip()[:120]
        if new and new != name:
            parts = [part for part in self.project.product.parts if part.group == name]
            self._change("Rename group", parts, lambda part: part.with_(group=new))

    def has_inside(self, part: Part) -> bool:
        """True if light enters a part, so that it may lie in another.

        Parameters
        ----------
        part : Part
            The part.

        Returns
        -------
        bool
        """
        return any(has_inside(self.project.material(worn).recipe) for worn in part.worn())

    @command
    def prioritise(self, priority: int | None) -> None:
        """Says which of the selected parts counts where bodies overlap; None leaves it to their materials.

        Parameters
        ----------
        priority : int or None
            Priority; None for that of the material.
        """
        self._change("Priority", self.picked(), lambda part: part.with_(priority=priority))

    @command
    def align(self, axis: int, at: float) -> None:
        """Aligns the selected parts with the first of them.

        Parameters
        ----------
        axis : int
            0 across, 1 up, 2 near.
        at : float
            0 aligns their lowest ends along the axis, 0.5 their middles, 1 their highest.
        """
        first, *others = self.picked()
        if not others or not self.session.also_selected:
            self.session.said.emit("Select the part to align with, then Ctrl+click the others in the list.")
            return

        def place(part: Part) -> float:
            """Place of a part along the axis, mm.

            Parameters
            ----------
            part : Part
                The part.

            Returns
            -------
            float
            """
            low, high = self.bounds([part])
            return float(low[axis] + at * (high[axis] - low[axis]))

        wanted = place(first)
        with self.session.as_one("Align"):
            for part in others:
                self.shift([part], np.eye(3)[axis] * (wanted - place(part)))

    def _change(self, label: str, parts: Iterable[Part], change: Callable[[Part], Part], gesture=None) -> None:
        changed = {part.id: change(part) for part in parts}
        kept = (changed.get(part.id, part) for part in self.project.product.parts)
        self.session.edit(label, self.project.with_parts(kept), gesture)

    def _pose(self, label: str, parts: Iterable[Part], change: Callable[[Pose], Pose], gesture=None) -> None:
        self._change(label, parts, lambda part: part.with_(pose=change(part.pose)), gesture)

    @command
    def scale_to(self, factor: float, label: str = "Size") -> None:
        """Scales the whole product about the middle of its foot.

        Parameters
        ----------
        factor : float
            Factor of all lengths.
        label : str
            Undo text.
        """
        low, high = self.bounds()
        if not (1e-6 < factor < 1e6) or not 1e-3 < float((high - low).max()) * factor < 1e7:
            self.session.said.emit("That would make the product impossibly large or small; nothing was changed.")
            return
        self.session.edit(label, self._scaled(factor))

    def _scaled(self, factor: float) -> Project:
        low, high = self.bounds()
        foot = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        parts = (part.with_(pose=scaled_about(part.pose, factor, foot)) for part in self.project.product.parts)
        return self.project.with_parts(parts)

    @command
    def read_as(self, unit: str) -> None:
        """Takes the numbers of the model's file for another unit.

        Parameters
        ----------
        unit : str
            Unit, a key of `geometry.size.UNITS`.
        """
        factor = UNITS[unit] / UNITS[self.project.product.unit]
        if factor != 1:
            scaled = self._scaled(factor)
            self.session.edit(f"Read as {unit}", scaled.with_(product=scaled.product.with_(unit=unit)))

    @command
    def shift(self, parts: list[Part], by, label: str = "Move") -> None:
        """Move parts by millimetres.

        Parameters
        ----------
        parts : list of Part
            Parts.
        by : (3,) float
            Shift, mm.
        label : str
            Undo text.
        """
        by = np.asarray(by, np.float64)
        self._pose(label, parts, lambda pose: pose.with_(shift=tuple(float(x) for x in np.add(pose.shift, by))))

    @command
    def stand_on_floor(self) -> None:
        """Move the selected parts onto the floor."""
        parts = self.picked()
        self.shift(parts, (0, -self.bounds(parts)[0, 1], 0), "Move onto floor")

    @command
    def set_down(self) -> None:
        """Lets the selected part sink until it touches what stands below it."""
        part = self.session.selected_part
        if part is None:
            self.stand_on_floor()
            return
        meshes = self.session.assets.meshes
        others = [p for p in self.project.product.parts if p.id != part.id and not p.is_hidden]

        def room() -> float:
            """Distance to what is below, mm.

            Returns
            -------
            float
            """
            return clearance_below(posed(meshes[part.mesh], part.pose), [posed(meshes[p.mesh], p.pose) for p in others])

        def sink(by: float) -> None:
            """Lower the part.

            Parameters
            ----------
            by : float
                Millimetres.
            """
            present = next((p for p in self.project.product.parts if p.id == part.id), None)
            if present is None:
                return
            if (present.pose, present.mesh) != (part.pose, part.mesh):
                self.session.said.emit(f"{part.name} was moved meanwhile and was not dropped; try again.")
            elif by:
                self.shift([present], (0, -by, 0), f"Drop {part.name} to floor")

        self._aside(room, sink)

    @command
    def centre(self) -> None:
        """Move the selected parts over the middle of the set."""
        parts = self.picked()
        low, high = self.bounds(parts)
        self.shift(parts, (-(low[0] + high[0]) / 2, 0, -(low[2] + high[2]) / 2), "Centre")

    @command
    def turn(self, axis: int, degrees: float) -> None:
        """Turns what is picked about the middle of its box.

        Parameters
        ----------
        axis : int
            Axis: 0, 1, 2 for x, y, z.
        degrees : float
            Angle.
        """
        parts = self.picked()
        middle = self.bounds(parts).mean(axis=0)
        by = turn_matrix(np.eye(3)[axis] * degrees)
        self._pose("Rotate", parts, lambda pose: turned_about(pose, by, middle))

    def upright(self) -> None:
        """Stands a model up that was made with z upward."""
        self.set_up_axis(self.picked(), "z")

    @command
    def set_up_axis(self, parts: list[Part], up: str) -> None:
        """Turns parts so that another axis points up, and puts them on the floor.

        Parameters
        ----------
        parts : list of Part
            Parts.
        up : {"z", "y"}
            "z" turns them from z-up to y-up; "y" takes that back.
        """
        low, high = self.bounds(parts)
        middle = (low + high) / 2
        by = turn_matrix(np.array(Z_UP_TURN) * (1 if up == "z" else -1))
        with self.session.as_one("Z-up to Y-up" if up == "z" else "Y-up"):
            self._pose("Rotate", parts, lambda pose: turned_about(pose, by, middle))
            parts = [self.project.part(part.id) for part in parts]
            self.shift(parts, (0, -self.bounds(parts)[0, 1], 0))

    @command
    def duplicate(self) -> None:
        """Add a copy of the selected part beside it."""
        part = self.session.selected_part
        if part is None:
            return
        name = free_name(f"{part.name}, copy", {p.name for p in self.project.product.parts})
        low, high = self.bounds([part])
        shift = tuple(float(x) for x in np.add(part.pose.shift, (float(high[0] - low[0]) * 1.1, 0, 0)))
        copy = part.with_(id=new_id("part"), name=name, pose=part.pose.with_(shift=shift))
        self.session.edit(f"Duplicate {part.name}", self.project.with_parts((*self.project.product.parts, copy)))
        self.session.select(copy.id)

    @command
    def remove(self) -> None:
        """Remove the selected part."""
        part = self.session.selected_part
        if part is not None:
            self.session.select(None)
            rest = (p for p in self.project.product.parts if p.id != part.id)
            self.session.edit(f"Remove {part.name}", self.project.with_parts(rest))

    @command
    def rename(self, part_id: str, zone_id: str | None, name: str) -> None:
        """Rename a part or one of its zones.

        Parameters
        ----------
        part_id : str
            Id of the part.
        zone_id : str or None
            Id of the zone; None for the part itself.
        name : str
            Name.
        """
        name = name.strip()[:120]
        part = self.project.part(part_id)
        if name:
            named = part.with_zone(part.zone(zone_id).with_(name=name)) if zone_id else part.with_(name=name)
            self.session.edit("Rename", self.project.with_part(named))

    @command
    def hide(self, hidden: set[str], label: str) -> None:
        """Hides these parts and shows all others.

        Parameters
        ----------
        hidden : set of str
            Ids of the parts that are hidden.
        label : str
            Undo text.
        """
        parts = (
            part if part.is_hidden == (part.id in hidden) else part.with_(is_hidden=part.id in hidden)
            for part in self.project.product.parts
        )
        self.session.edit(label, self.project.with_parts(parts))

    def toggle_hidden(self, part_id: str) -> None:
        """Hide a part, or show it again.

        Parameters
        ----------
        part_id : str
            Id of the part.
        """
        hidden = {part.id for part in self.project.product.parts if part.is_hidden} ^ {part_id}
        self.hide(hidden, "Hide" if part_id in hidden else "Show")

    def isolate(self) -> None:
        """Shows the selected part alone, or all again."""
        picked = {part.id for part in self.picked()} if self.session.selected else set()
        others = {p.id for p in self.project.product.parts if picked and p.id not in picked}
        hidden = {p.id for p in self.project.product.parts if p.is_hidden}
        self.hide(set() if not others or hidden == others else others, "Isolate" if hidden != others else "Show all")
