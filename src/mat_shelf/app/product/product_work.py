"""What is done to the product: its size, where its parts stand, its zones, what it does not wear yet."""

import threading
from collections.abc import Callable, Iterable

import numpy as np
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from mat_shelf.app.command import command
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.ids import FreeNames, free_name, new_id
from mat_shelf.document.project import Material, Part, Pose, Product, Project, Zone
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.model_update import ModelUpdate, update_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.adjacency import Adjacency, adjacency, face_areas
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.pose import Z_UP_TURN, posed, posed_bounds, scaled_about, turn_matrix, turned_about
from mat_shelf.geometry.selecting import (
    connected_faces,
    coplanar_region,
    edge_loop,
    grown,
    inside_loop,
    inside_polygon,
    shrunk,
    smooth_region,
)
from mat_shelf.geometry.size import UNITS
from mat_shelf.geometry.unassigned_faces import UnassignedRegion, unassigned_regions
from mat_shelf.geometry.unwrap import unwrap
from mat_shelf.rendering.navigation import framed, looking_at
from mat_shelf.scene.drop_test import clearance_below
from mat_shelf.scene.material_table import has_inside
from mat_shelf.system.fault_log import log_fault

SMOOTH, ALIKE, PIECE, LASSO, LOOP = "smooth", "alike", "piece", "lasso", "loop"
FACE_TOOLS = {
    SMOOTH: ("By angle", "Up to the next edge sharper than the angle"),
    ALIKE: ("Coplanar", "Faces in the plane of the clicked one, within the angle"),
    PIECE: ("Connected", "All faces connected to the clicked one"),
    LOOP: ("Edge loop", "Two clicks make a loop of edges around the part; the smaller side is selected"),
    LASSO: ("Lasso", "Draw around faces; those visible inside are selected"),
}


class ProductWork(QObject):
    """Edits of the product, and the faces that are chosen for a zone.

    Signals
    -------
    faces_changed, gap_changed, unwrapping_changed
        Read the new state.

    Attributes
    ----------
    chosen : (part id, (T,) bool) or None
        Faces chosen for a zone.
    way : str
        What a click chooses, a key of `FACE_TOOLS`.
    degrees : float
        The angle for it.
    unwrapping : str
        What is being unwrapped; empty where nothing is.
    """

    faces_changed = pyqtSignal()
    gap_changed = pyqtSignal()
    unwrapping_changed = pyqtSignal()
    _finished = pyqtSignal(object, object, object)

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.chosen: tuple[str, np.ndarray] | None = None
        self.way, self.degrees = SMOOTH, 18.0
        self.unwrapping, self._is_cancelled = "", False
        self.loop_start: tuple[str, int] | None = None
        self.gaps: list[UnassignedRegion] = []
        self.gap_shown: int | None = None
        self._graphs: dict[str, Adjacency] = {}
        self._known_gaps: dict[str, tuple[Part, list[UnassignedRegion]]] = {}
        self._threads: list[threading.Thread] = []
        self._finished.connect(self._take, Qt.ConnectionType.QueuedConnection)
        workshop.project_replaced.connect(self._forget)
        workshop.project_changed.connect(self._follow)

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
            if part is None or len(self.workshop.assets.meshes[part.mesh].triangles) != len(self.chosen[1]):
                self.choose(None)

    @property
    def project(self) -> Project:
        return self.workshop.project

    # Size and place

    def bounds(self, parts: Iterable[Part] | None = None) -> np.ndarray:
        """Lowest and highest corner of parts, or of the whole product, (2, 3), mm."""
        meshes = self.workshop.assets.meshes
        boxes = [posed_bounds(meshes[p.mesh], p.pose) for p in (self.project.product.parts if parts is None else parts)]
        if not boxes:
            return np.zeros((2, 3))
        return np.stack([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])

    @staticmethod
    def bounds_of(product: Product, assets: Assets) -> np.ndarray:
        """The same for a product that is not in the project yet."""
        boxes = [posed_bounds(assets.meshes[part.mesh], part.pose) for part in product.parts]
        return np.stack([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])

    @command
    def add(self, product: Product, materials: tuple[Material, ...], assets: Assets) -> None:
        """Adds what was imported to the product, to the right of what stands there."""
        project = self.project
        self.workshop.assets.take(assets)
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
        self.workshop.edit(f"Import {product.name}", project.with_parts((*project.product.parts, *added)))

    @command
    def exchange(self, product: Product, materials: tuple[Material, ...], assets: Assets) -> ModelUpdate | None:
        """Puts the next version of the product in place of the present one; None where that was refused."""
        self.workshop.assets.take(assets)
        project, told = update_model(self.project, self.workshop.assets, product, materials)
        self.workshop.select(None)
        self.workshop.edit(f"Update to {product.name}", project)
        return told

    @command
    def refit(self) -> None:
        """Gives a product whose size was wrong the sets and the first view that suit it."""
        low, high = self.bounds()
        project = self.project
        fresh = new_project(project.product, project.materials, high - low)
        view = project.views[0].with_(camera=fresh.views[0].camera)
        self.workshop.edit("Size", project.with_view(view).with_(sets=fresh.sets))
        self.workshop.explore(None)

    @command
    def rescale(self, part_ids: list[str], was: str, unit: str) -> None:
        """Takes the numbers of some parts, which were read in one unit, for another."""
        parts = [part for part in self.project.product.parts if part.id in part_ids]
        low, high = self.bounds(parts)
        foot = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        factor = UNITS[unit] / UNITS[was]
        self._pose(f"Read as {unit}", parts, lambda pose: scaled_about(pose, factor, foot))

    def picked(self) -> list[Part]:
        """The selected parts, the first of them first, or all there are."""
        parts = {part.id: part for part in self.project.product.parts}
        ids = [self.workshop.selected, *self.workshop.also_selected]
        return [parts[i] for i in ids if i in parts] or list(parts.values())

    @command
    def group(self) -> None:
        """Makes a group of the selected parts."""
        parts = self.picked()
        if len(parts) < 2 or not self.workshop.also_selected:
            self.workshop.said.emit("Select two or more parts first: click one, Ctrl+click others in the list.")
            return
        taken = {part.group for part in self.project.product.parts}
        name = free_name(f"{parts[0].name} group", taken)
        self._change(f"Group {len(parts)} parts", parts, lambda part: part.with_(group=name))
        self.workshop.select_group(name)

    @command
    def ungroup(self) -> None:
        """Takes the selected parts out of their groups."""
        self._change("Ungroup", self.picked(), lambda part: part.with_(group=None))

    @command
    def rename_group(self, name: str, new: str) -> None:
        new = new.strip()[:120]
        if new and new != name:
            parts = [part for part in self.project.product.parts if part.group == name]
            self._change("Rename group", parts, lambda part: part.with_(group=new))

    def has_inside(self, part: Part) -> bool:
        """Whether light goes into a part, so that it may lie in another."""
        return any(has_inside(self.project.material(worn).recipe) for worn in part.worn())

    @command
    def prioritise(self, priority: int | None) -> None:
        """Says which of the selected parts counts where bodies overlap; None leaves it to their materials."""
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
        if not others or not self.workshop.also_selected:
            self.workshop.said.emit("Select the part to align with, then Ctrl+click the others in the list.")
            return

        def place(part: Part) -> float:
            low, high = self.bounds([part])
            return float(low[axis] + at * (high[axis] - low[axis]))

        wanted = place(first)
        with self.workshop.as_one("Align"):
            for part in others:
                self.shift([part], np.eye(3)[axis] * (wanted - place(part)))

    def _change(self, label: str, parts: Iterable[Part], change: Callable[[Part], Part], gesture=None) -> None:
        changed = {part.id: change(part) for part in parts}
        kept = (changed.get(part.id, part) for part in self.project.product.parts)
        self.workshop.edit(label, self.project.with_parts(kept), gesture)

    def _pose(self, label: str, parts: Iterable[Part], change: Callable[[Pose], Pose], gesture=None) -> None:
        self._change(label, parts, lambda part: part.with_(pose=change(part.pose)), gesture)

    @command
    def scale_to(self, factor: float, label: str = "Size") -> None:
        """Scales the whole product about the middle of its foot."""
        low, high = self.bounds()
        if not (1e-6 < factor < 1e6) or not 1e-3 < float((high - low).max()) * factor < 1e7:
            self.workshop.said.emit("That would make the product impossibly large or small; nothing was changed.")
            return
        self.workshop.edit(label, self._scaled(factor))

    def _scaled(self, factor: float) -> Project:
        low, high = self.bounds()
        foot = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        parts = (part.with_(pose=scaled_about(part.pose, factor, foot)) for part in self.project.product.parts)
        return self.project.with_parts(parts)

    @command
    def read_as(self, unit: str) -> None:
        """Takes the numbers of the model's file for another unit."""
        factor = UNITS[unit] / UNITS[self.project.product.unit]
        if factor != 1:
            scaled = self._scaled(factor)
            self.workshop.edit(f"Read as {unit}", scaled.with_(product=scaled.product.with_(unit=unit)))

    @command
    def shift(self, parts: list[Part], by, label: str = "Move") -> None:
        by = np.asarray(by, np.float64)
        self._pose(label, parts, lambda pose: pose.with_(shift=tuple(float(x) for x in np.add(pose.shift, by))))

    @command
    def stand_on_floor(self) -> None:
        parts = self.picked()
        self.shift(parts, (0, -self.bounds(parts)[0, 1], 0), "Move onto floor")

    @command
    def set_down(self) -> None:
        """Lets the selected part sink until it touches what stands below it."""
        part = self.workshop.selected_part
        if part is None:
            self.stand_on_floor()
            return
        meshes = self.workshop.assets.meshes
        others = [p for p in self.project.product.parts if p.id != part.id and not p.is_hidden]

        def room() -> float:
            return clearance_below(posed(meshes[part.mesh], part.pose), [posed(meshes[p.mesh], p.pose) for p in others])

        def sink(by: float) -> None:
            present = next((p for p in self.project.product.parts if p.id == part.id), None)
            if present is None:
                return
            if (present.pose, present.mesh) != (part.pose, part.mesh):
                self.workshop.said.emit(f"{part.name} was moved meanwhile and was not dropped; try again.")
            elif by:
                self.shift([present], (0, -by, 0), f"Drop {part.name} to floor")

        self._aside(room, sink)

    @command
    def centre(self) -> None:
        parts = self.picked()
        low, high = self.bounds(parts)
        self.shift(parts, (-(low[0] + high[0]) / 2, 0, -(low[2] + high[2]) / 2), "Centre")

    @command
    def turn(self, axis: int, degrees: float) -> None:
        """Turns what is picked about the middle of its box."""
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
        up : {"z", "y"}
            "z" turns them from z-up to y-up; "y" takes that back.
        """
        low, high = self.bounds(parts)
        middle = (low + high) / 2
        by = turn_matrix(np.array(Z_UP_TURN) * (1 if up == "z" else -1))
        with self.workshop.as_one("Z-up to Y-up" if up == "z" else "Y-up"):
            self._pose("Rotate", parts, lambda pose: turned_about(pose, by, middle))
            parts = [self.project.part(part.id) for part in parts]
            self.shift(parts, (0, -self.bounds(parts)[0, 1], 0))

    @command
    def duplicate(self) -> None:
        part = self.workshop.selected_part
        if part is None:
            return
        name = free_name(f"{part.name}, copy", {p.name for p in self.project.product.parts})
        low, high = self.bounds([part])
        shift = tuple(float(x) for x in np.add(part.pose.shift, (float(high[0] - low[0]) * 1.1, 0, 0)))
        copy = part.with_(id=new_id("part"), name=name, pose=part.pose.with_(shift=shift))
        self.workshop.edit(f"Duplicate {part.name}", self.project.with_parts((*self.project.product.parts, copy)))
        self.workshop.select(copy.id)

    @command
    def remove(self) -> None:
        part = self.workshop.selected_part
        if part is not None:
            self.workshop.select(None)
            rest = (p for p in self.project.product.parts if p.id != part.id)
            self.workshop.edit(f"Remove {part.name}", self.project.with_parts(rest))

    @command
    def rename(self, part_id: str, zone_id: str | None, name: str) -> None:
        name = name.strip()[:120]
        part = self.project.part(part_id)
        if name:
            named = part.with_zone(part.zone(zone_id).with_(name=name)) if zone_id else part.with_(name=name)
            self.workshop.edit("Rename", self.project.with_part(named))

    @command
    def hide(self, hidden: set[str], label: str) -> None:
        """Hides these parts and shows all others."""
        parts = (
            part if part.is_hidden == (part.id in hidden) else part.with_(is_hidden=part.id in hidden)
            for part in self.project.product.parts
        )
        self.workshop.edit(label, self.project.with_parts(parts))

    def toggle_hidden(self, part_id: str) -> None:
        hidden = {part.id for part in self.project.product.parts if part.is_hidden} ^ {part_id}
        self.hide(hidden, "Hide" if part_id in hidden else "Show")

    def isolate(self) -> None:
        """Shows the selected part alone, or all again."""
        picked = {part.id for part in self.picked()} if self.workshop.selected else set()
        others = {p.id for p in self.project.product.parts if picked and p.id not in picked}
        hidden = {p.id for p in self.project.product.parts if p.is_hidden}
        self.hide(set() if not others or hidden == others else others, "Isolate" if hidden != others else "Show all")

    # Coordinates

    def unwrap(self, texel_mm: float) -> None:
        """Gives what is picked coordinates with a texel of this size, on a thread; `unwrapping` says how far it is."""
        if self.unwrapping:
            self.workshop.said.emit("Another part is being unwrapped; wait for it or cancel it.")
            return
        parts = [part for part in self.picked() if not part.is_hidden]
        if not parts:
            return
        self.unwrapping, self._is_cancelled = f"{len(parts)} left", False
        meshes = self.workshop.assets.meshes

        def work() -> dict[str, Mesh]:
            made: dict[str, Mesh] = {}
            faults = []
            for number, part in enumerate(parts):
                if part.mesh not in made:
                    self.unwrapping = f"{part.name}, {len(parts) - number} left"
                    self.unwrapping_changed.emit()
                    try:
                        size = texel_mm / part.pose.scale
                        made[part.mesh] = unwrap(meshes[part.mesh], size, lambda: not self._is_cancelled)[0]
                    except (MeshError, OSError, ValueError) as fault:
                        faults.append(f"{part.name}: {fault}")
                    except InterruptedError:
                        return {}
            if faults:
                self.workshop.said.emit("Not unwrapped: " + "; ".join(faults[:2]))
            return made

        self.unwrapping_changed.emit()
        self._aside(work, lambda made: self._lay(made, [part.id for part in parts]))

    def cancel_unwrap(self) -> None:
        self._is_cancelled = True

    def _lay(self, made: dict[str, Mesh], part_ids: list[str]) -> None:
        """Exchanges meshes for the same ones with coordinates."""
        self.unwrapping = ""
        self.unwrapping_changed.emit()
        if not made:
            return
        keys = {old: self.workshop.assets.add(NamedMesh("part", mesh)) for old, mesh in made.items()}
        parts = (
            part.with_(mesh=keys[part.mesh]) if part.id in part_ids and part.mesh in keys else part
            for part in self.project.product.parts
        )
        self.workshop.edit("Unwrap", self.project.with_parts(parts))

    # Faces and zones

    def choose(self, chosen: tuple[str, np.ndarray] | None) -> None:
        self.chosen = chosen if chosen is not None and chosen[1].any() else None
        self.faces_changed.emit()

    def _aside(self, work: Callable[[], object], then: Callable[[object], None]) -> None:
        """Does something on a thread, and hands over what it returned on this one."""

        assets = self.workshop.assets

        def run() -> None:
            try:
                result = work()
            except Exception as fault:  # whatever ends the thread must be said
                log_fault(fault, "product work")
                self.workshop.said.emit(f"That failed: {fault or type(fault).__name__}")
                self._finished.emit(lambda _: self._give_up(), None, assets)
            else:
                self._finished.emit(then, result, assets)

        self._threads = [thread for thread in self._threads if thread.is_alive()]
        self._threads.append(threading.Thread(target=run, name="faces", daemon=True))
        self._threads[-1].start()

    def _give_up(self) -> None:
        if self.unwrapping:
            self.unwrapping = ""
            self.unwrapping_changed.emit()

    def _take(self, then: Callable[[object], None], result: object, assets: Assets) -> None:
        if assets is self.workshop.assets:  # else another project was opened meanwhile
            then(result)
        else:
            self._give_up()

    def close(self) -> None:
        """Ends what is under way; a thread that outlived this object would destroy it from where it must not be."""
        self._is_cancelled = True
        for thread in self._threads:
            thread.join(timeout=60)

    def _graph(self, mesh: str) -> Adjacency:
        if mesh not in self._graphs:
            self._graphs[mesh] = adjacency(self.workshop.assets.meshes[mesh])
        return self._graphs[mesh]

    def pick(self, part_id: str, face: int, add: bool = False, take: bool = False) -> None:
        """Chooses the region of a clicked face; with `add` beside what is chosen, with `take` out of it."""
        key = self.project.part(part_id).mesh
        mesh, way, degrees = self.workshop.assets.meshes[key], self.way, self.degrees
        if face >= len(mesh.triangles):
            return  # the picture still shows an older mesh
        start = None
        if way == LOOP:
            start, self.loop_start = self.loop_start, None
            if start is None or start[0] != part_id or start[1] == face:
                self.loop_start = (part_id, face)
                self.workshop.said.emit("Now click a second point of the loop.")
                return

        def region() -> np.ndarray | None:
            graph = self._graph(key)
            if way == PIECE:
                return connected_faces(graph, face)
            if way == ALIKE:
                return coplanar_region(mesh, graph, face, degrees)
            if way == LOOP:
                return _smaller_side(mesh, graph, edge_loop(mesh, graph, start[1], face))
            return smooth_region(graph, face, degrees)

        self._aside(region, lambda found: self._combine(part_id, found, add, take))

    def _combine(self, part_id: str, region: np.ndarray | None, add: bool, take: bool) -> None:
        if region is None:
            self.workshop.said.emit("No loop passes through these points; try others.")
            return
        part = next((part for part in self.project.product.parts if part.id == part_id), None)
        if part is None or len(self.workshop.assets.meshes[part.mesh].triangles) != len(region):
            return  # taken out or given another mesh meanwhile
        before = self.chosen[1] if self.chosen and self.chosen[0] == part_id else np.zeros_like(region)
        self.choose((part_id, before & ~region if take else before | region if add else region))

    def lasso(self, part_id: str, first_hits, polygon: np.ndarray, add: bool, take: bool) -> None:
        """Chooses the faces of a part that are seen inside a line drawn over the picture.

        Parameters
        ----------
        polygon : (M, 2) float
            Shares of the picture's width and height.
        """
        place = [p.id for p in self.project.product.parts].index(part_id)
        rows, columns = np.nonzero(first_hits.part == place)
        height, width = first_hits.part.shape
        inside = inside_polygon(np.stack([(columns + 0.5) / width, (rows + 0.5) / height], axis=1), polygon)
        region = np.zeros(len(self.workshop.assets.meshes[self.project.part(part_id).mesh].triangles), bool)
        faces = first_hits.faces[rows[inside], columns[inside]]
        region[faces[faces < len(region)]] = True  # the picture may still show an older mesh
        self._combine(part_id, region, add, take)

    def change_chosen(self, how: str) -> None:
        """Grows, shrinks or inverts the chosen faces."""
        if self.chosen is None:
            return
        part_id, mask = self.chosen
        if how == "invert":
            self.choose((part_id, ~mask))
        else:
            step = grown if how == "grow" else shrunk
            key = self.project.part(part_id).mesh

            def take(found: np.ndarray) -> None:
                if self.chosen is not None and self.chosen[1] is mask:  # else something else was chosen meanwhile
                    self.choose((part_id, found))

            self._aside(lambda: step(self._graph(key), mask), take)

    @command
    def make_zone(self) -> None:
        """Makes the chosen faces a zone, which takes them out of other zones, and selects it."""
        if self.chosen is None:
            self.workshop.said.emit("Select some faces first: click the product with one of the tools above.")
            return
        part_id, mask = self.chosen
        part, assets = self.project.part(part_id), self.workshop.assets
        zones = self._zones_without(part, mask)
        name = free_name("Zone 1" if not zones else f"Zone {len(zones) + 1}", {zone.name for zone in zones})
        new = Zone(id=new_id("zone"), name=name, faces=assets.add_faces(np.flatnonzero(mask)), material=part.material)
        self.workshop.edit(f"Zone of {part.name}", self.project.with_part(part.with_(zones=(*zones, new))))
        self.choose(None)
        self.workshop.select(part_id, new.id)

    def _zones_without(self, part: Part, mask: np.ndarray) -> list[Zone]:
        """The zones of a part without some of its faces; what is left empty is gone."""
        assets, zones = self.workshop.assets, []
        for zone in part.zones:
            faces = assets.faces[zone.faces]
            rest = faces[~mask[faces]]
            if len(rest):
                zones.append(zone if len(rest) == len(faces) else zone.with_(faces=assets.add_faces(rest)))
        return zones

    @command
    def add_to_zone(self) -> None:
        """Adds the selected faces to the selected zone, taking them out of other zones."""
        part, zone = self.workshop.selected_part, self.workshop.selected_zone
        if self.chosen is None or zone is None or self.chosen[0] != part.id:
            self.workshop.said.emit("Select a zone and some faces of the same part first.")
            return
        mask, assets = self.chosen[1].copy(), self.workshop.assets
        mask[assets.faces[zone.faces]] = True
        grown = zone.with_(faces=assets.add_faces(np.flatnonzero(mask)))
        zones = {z.id: z for z in self._zones_without(part, mask)} | {zone.id: grown}
        kept = tuple(zones[z.id] for z in part.zones if z.id in zones)
        self.workshop.edit(f"Add to {zone.name}", self.project.with_part(part.with_(zones=kept)))
        self.choose(None)
        self.workshop.select(part.id, zone.id)

    @command
    def subtract_faces(self) -> None:
        """Takes the selected faces out of the zones that they are in."""
        if self.chosen is None:
            return
        part_id, mask = self.chosen
        part = self.project.part(part_id)
        zones = tuple(self._zones_without(part, mask))
        selected = self.workshop.selected_zone
        if zones != part.zones:
            self.workshop.edit(f"Subtract from zones of {part.name}", self.project.with_part(part.with_(zones=zones)))
        self.choose(None)
        still = selected is not None and selected.id in {zone.id for zone in zones}
        self.workshop.select(part_id, selected.id if still else None)

    @command
    def dissolve_zone(self) -> None:
        """Gives the selected zone's faces back to its part."""
        part, zone = self.workshop.selected_part, self.workshop.selected_zone
        if part is not None and zone is not None:
            self.workshop.select(part.id)
            rest = tuple(z for z in part.zones if z.id != zone.id)
            self.workshop.edit(f"Remove {zone.name}", self.project.with_part(part.with_(zones=rest)))

    # What wears nothing

    def find_gaps(self) -> list[UnassignedRegion]:
        """Looks for bare faces anew."""
        assets = self.workshop.assets
        self.gaps = unassigned_regions(self.project, assets.meshes, assets.faces, self._graph, self._known_gaps)
        return self.gaps

    def show_gap(self, step: int) -> None:
        """Walks the camera to the next or the previous bare piece."""
        if not self.find_gaps():
            self.gap_shown = None
        else:
            start = -1 if step > 0 else 0
            self.gap_shown = ((start if self.gap_shown is None else self.gap_shown) + step) % len(self.gaps)
            gap = self.gaps[self.gap_shown]
            self.workshop.select(gap.part_id)
            camera = self.workshop.camera
            away = framed(camera, gap.bounds, 0.4) if gap.normal is None else looking_at(camera, gap.bounds, gap.normal)
            self.workshop.explore(away)
            mask = np.zeros(len(self.workshop.assets.meshes[self.project.part(gap.part_id).mesh].triangles), bool)
            mask[gap.faces] = True
            self.choose((gap.part_id, mask))
        self.gap_changed.emit()


def _smaller_side(mesh: Mesh, graph: Adjacency, cut: np.ndarray) -> np.ndarray | None:
    """The smaller of the two sides of a loop; None where it does not part the mesh."""
    if not len(cut):
        return None
    one, other = (inside_loop(graph, cut, int(face)) for face in graph.pairs[cut[0]])
    if (one & other).any():
        return None
    areas = face_areas(mesh)
    return one if areas[one].sum() <= areas[other].sum() else other
