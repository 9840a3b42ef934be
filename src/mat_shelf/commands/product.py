"""The product: its size, where its parts stand, its zones, faces without a material, texture coordinates."""

from collections.abc import Callable, Iterable

import numpy as np
from psygnal import Signal

from mat_shelf.commands.command import command
from mat_shelf.commands.faces import SMOOTH, FaceCommands
from mat_shelf.commands.mending import MendingCommands
from mat_shelf.commands.poses import PoseCommands
from mat_shelf.commands.session import Session
from mat_shelf.commands.uvs import UvCommands
from mat_shelf.document.ids import FreeNames, free_name, name_of_copy, new_id
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.model_update import ModelUpdate, update_model
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.adjacency import Adjacency
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.geometry.unassigned_faces import UnassignedRegion
from mat_shelf.scene.bodies import has_inside
from mat_shelf.system.fault_log import log_fault


class ProductCommands(FaceCommands, UvCommands, PoseCommands, MendingCommands):
    """Edits of the product, and the faces that are selected for a zone.

    Parameters
    ----------
    session : Session
        The session.

    Attributes
    ----------
    faces_changed, gap_changed, unwrapping_changed
        Signals; read the new state.
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
        self._chosen: tuple[str, np.ndarray] | None = None
        self.way, self.degrees = SMOOTH, 18.0
        self.unwrapping, self._is_cancelled = "", False
        self.loop_start: tuple[str, int] | None = None
        self.gaps: list[UnassignedRegion] = []
        self.gap_shown: int | None = None
        self._graphs: dict[str, Adjacency] = {}
        self._looked_into: set[str] = set()
        self._known_gaps: dict[str, tuple[Part, list[UnassignedRegion]]] = {}
        session.project_replaced.connect(self._forget)
        session.project_changed.connect(self._follow)

    def _forget(self) -> None:
        self._known_gaps = {}
        self._looked_into = set()
        self._graphs = {}  # a thread may still be filling the old one
        self._chosen, self.gaps, self.gap_shown = None, [], None
        self.faces_changed.emit()
        self.gap_changed.emit()

    def _follow(self) -> None:
        """Faces chosen on a part that is gone or has another mesh are let go."""
        if self._chosen is not None and self.chosen is None:
            self.choose(None)

    @property
    def chosen(self) -> tuple[str, np.ndarray] | None:
        """Faces selected for a zone; None also where their part is gone or has another mesh."""
        if self._chosen is None:
            return None
        part_id, mask = self._chosen
        part = next((p for p in self.project.product.parts if p.id == part_id), None)
        is_there = part is not None and len(self.session.assets.meshes[part.mesh].triangles) == len(mask)
        return self._chosen if is_there else None

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
        meshes, product = self.session.assets.meshes, self.project.product
        if parts is not None:
            parts = [carrier for part in parts for carrier in product.carriers_of(part)]
        boxes = [posed_bounds(meshes[p.mesh], p.pose) for p in (product.modelled if parts is None else parts)]
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
        if project.product.parts:  # of two files neither can be put in place of the whole
            product = product.with_(source=None, source_modified=0)
        origin = {name: getattr(product, name) for name in ("source", "source_modified", "fineness")}
        parts = (*project.product.parts, *added)
        self.session.edit(f"Import {product.name}", project.with_(product=project.product.with_(parts=parts, **origin)))

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

    def picked(self) -> list[Part]:
        """The selected parts, the first of them first, or all there are; of a liquid its vessel.

        Returns
        -------
        list of Part
        """
        parts = {part.id: part for part in self.project.product.parts}
        chosen = (parts[i] for i in (self.session.selected, *self.session.also_selected) if i in parts)
        found = dict.fromkeys(c.id for part in chosen for c in self.project.product.carriers_of(part))
        return [parts[i] for i in found] or list(self.project.product.modelled)

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
    def duplicate(self) -> None:
        """Add a copy of the selected part beside it."""
        part = self.session.selected_part
        if part is None:
            return
        if part.is_derived:
            self.session.said.emit(f"{part.name} follows from other parts; add another one in the Fill station.")
            return
        name = name_of_copy(part.name, {p.name for p in self.project.product.parts})
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
            gone = {part.id}
            for each in (*self.project.product.parts, *self.project.product.parts):  # bubbles go with their liquid
                gone |= {each.id} if gone & set(each.stands_by) else set()
            rest = (p for p in self.project.product.parts if p.id not in gone)
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
