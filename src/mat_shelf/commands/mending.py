"""Parts mended, divided and put together."""

from collections.abc import Callable, Sequence
from types import MappingProxyType

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.commands.command import command
from mat_shelf.document.ids import FreeNames, new_id
from mat_shelf.document.mark import Mark
from mat_shelf.document.product import MOST_HARD, Part, Zone
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.adjacency import connected_pieces
from mat_shelf.geometry.cad_faces import face_numbers, first_triangles
from mat_shelf.geometry.mending import some_faces, turned_over, with_holes_closed
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.offsetting import layers, thickened
from mat_shelf.geometry.pose import in_part_frame, posed, turn_matrix
from mat_shelf.geometry.solids import merged

MOST_PIECES = 500


class MendingCommands:
    """Edits of the meshes of parts; a part of `ProductCommands`."""

    @command
    def close_holes(self) -> None:
        """Closes the holes of the selected part with flat lids."""
        part, graph_of = self._part_to_mend(), self._graph
        if part is None:
            return
        mesh = self.session.assets.meshes[part.mesh]

        def finish(made: tuple[Mesh, int]) -> None:
            """Takes the closed mesh.

            Parameters
            ----------
            made : (Mesh, int)
                The mesh, and how many holes were closed.
            """
            closed, count = made
            lids = self._with_faces_added(part, len(mesh.triangles))
            self._exchange_mesh(part, lids.with_(mesh=self._keep(part.name, closed)), "Close holes")
            self.session.said.emit(f"{count} hole{'s' if count > 1 else ''} of {part.name} closed.")

        self._mend(part, lambda: with_holes_closed(mesh, graph_of(part.mesh)), finish)

    @command
    def flip(self) -> None:
        """Turns the faces of the selected parts over."""
        with self.session.as_one("Flip faces"):
            for part in self.picked():
                mesh = turned_over(self.session.assets.meshes[part.mesh])
                self._exchange_mesh(part, part.with_(mesh=self._keep(part.name, mesh)), "Flip faces")

    @command
    def thicken(self, thickness: float) -> None:
        """Makes a body of the selected part, an open sheet.

        Parameters
        ----------
        thickness : float
            mm, inwards.
        """
        part = self._part_to_mend()
        if part is None:
            return
        mesh = self.session.assets.meshes[part.mesh]

        def finish(made: Mesh) -> None:
            """Takes the body.

            Parameters
            ----------
            made : Mesh
                The body.
            """
            thick = self._with_faces_added(part, len(mesh.triangles))
            self._exchange_mesh(part, thick.with_(mesh=self._keep(part.name, made)), "Thicken")

        self._mend(part, lambda: thickened(mesh, thickness / part.pose.scale), finish)

    @command
    def split_layers(self, thickness: float, count: int) -> None:
        """Divides the selected part, or its selected faces, into layers that follow its outside.

        Parameters
        ----------
        thickness : float
            Of each layer, mm.
        count : int
            Number of layers.
        """
        part, graph_of = self._part_to_mend(), self._graph
        if part is None:
            return
        mesh, depth = self.session.assets.meshes[part.mesh], thickness / part.pose.scale
        chosen = self.chosen[1] if self.chosen is not None and self.chosen[0] == part.id else None

        def work() -> list[Mesh]:
            """Make the layers.

            Returns
            -------
            list of Mesh
            """
            if chosen is None:
                return layers(mesh, graph_of(part.mesh), depth, count)
            faces = np.flatnonzero(chosen)
            return [thickened(mesh, depth, faces, k * depth) for k in range(count)]

        def finish(made: list[Mesh]) -> None:
            """Makes parts of the layers.

            Parameters
            ----------
            made : list of Mesh
                The layers, and the core.
            """
            names = FreeNames({p.name for p in self.project.product.parts if chosen is not None or p.id != part.id})
            bare = part.with_(zones=(), cad_faces=None, hard_regions=())
            parts = [] if chosen is None else [part]
            for number, layer in enumerate(made, 1):
                is_core = chosen is None and number == len(made)
                name = names.take(f"{part.name} core" if is_core else f"{part.name} layer {number}")
                own = part.id if not parts else new_id("part")
                parts.append(bare.with_(id=own, name=name, mesh=self._keep(name, layer)))
            self.choose(None)
            self._put_in_place(part, parts, f"Layers of {part.name}")

        self._mend(part, work, finish)

    @command
    def split_pieces(self) -> None:
        """Divides the selected part into its connected pieces."""
        part, graph_of = self._part_to_mend(), self._graph
        if part is None:
            return

        def finish(piece: np.ndarray) -> None:
            """Divides the part.

            Parameters
            ----------
            piece : (T,) int32
                Piece of each triangle.
            """
            count = int(piece.max()) + 1
            if count == 1 or count > MOST_PIECES:
                why = "is all connected" if count == 1 else f"has {count:,} connected parts; {MOST_PIECES} are possible"
                self.session.said.emit(f"{part.name} {why}.")
                return
            order = np.argsort(-np.bincount(piece), kind="stable")
            self._split(part, [np.flatnonzero(piece == k) for k in order], f"Split {part.name}")

        self._mend(part, lambda: connected_pieces(graph_of(part.mesh)), finish)

    @command
    def split_faces(self) -> None:
        """Makes the selected faces a part of their own."""
        if self.chosen is None or self.chosen[1].all():
            self.session.said.emit("Select some faces of a part first, with a tool of the Zones card.")
            return
        part_id, mask = self.chosen
        self.choose(None)
        part = self.project.part(part_id)
        self._split(part, [np.flatnonzero(~mask), np.flatnonzero(mask)], f"Split {part.name}")

    @command
    def join(self) -> None:
        """Makes the selected parts one; what the others wear become zones of the first."""
        first, *others = self.picked()
        if not others or not self.session.also_selected:
            self.session.said.emit("Select the parts to join: click one, then Ctrl+click the others in the list.")
            return
        assets, turn = self.session.assets, turn_matrix(first.pose.turn)
        meshes, zones, marks, hard, at = [], [], [], [], 0
        names = FreeNames({zone.name for zone in first.zones})
        known = [p.cad_faces for p in (first, *others)]
        drawn = [] if all(known) else None
        for part in (first, *others):
            own = assets.meshes[part.mesh]
            if part is not first:
                world = posed(own, part.pose)
                moved = (world.vertices.astype(np.float64) - first.pose.shift) @ turn / first.pose.scale
                normals = (world.normals @ turn).astype(np.float32)
                own = Mesh(moved.astype(np.float32), own.triangles, normals, own.uv)
                if part.material != first.material:
                    bare = np.ones(len(own.triangles), bool)
                    for zone in part.zones:
                        bare[assets.faces[zone.faces]] = False
                    zones.append(self._zone(names.take(part.name), np.flatnonzero(bare) + at, part.material))
            for zone in part.zones:
                name = zone.name if part is first else names.take(zone.name)
                kept = zone if part is first else zone.with_(id=new_id("zone"), name=name)
                zones.append(kept.with_(faces=assets.add_faces(assets.faces[zone.faces] + at)))
            if drawn is not None:
                drawn.append(assets.faces[part.cad_faces] + at)
            hard += [assets.add_faces(assets.faces[region] + at) for region in part.hard_regions]
            marks += [self._mark_on(mark, part, first) for mark in self.project.marks if mark.part == part.id]
            meshes.append(own)
            at += len(own.triangles)
        joined = first.with_(
            mesh=self._keep(first.name, merged(meshes)),
            zones=tuple(zone for zone in zones if len(assets.faces[zone.faces])),
            cad_faces=None if drawn is None else assets.add_faces(np.concatenate(drawn)),
            hard_regions=tuple(hard[:MOST_HARD]),
        )
        gone = {part.id for part in others}
        parts = (joined if p.id == first.id else p for p in self.project.product.parts if p.id not in gone)
        project = self.project.with_parts(parts)
        moved_marks = {mark.id: mark for mark in marks}
        project = project.with_(marks=tuple(moved_marks.get(mark.id, mark) for mark in project.marks))
        self.session.select(first.id)
        self.session.edit(f"Join {first.name}", project)

    def _zone(self, name: str, faces: np.ndarray, material: str | None) -> Zone:
        return Zone(id=new_id("zone"), name=name, faces=self.session.assets.add_faces(faces), material=material)

    def _mark_on(self, mark: Mark, part: Part, other: Part) -> Mark:
        """A mark of one part, at the same place of the world on another."""
        if part.id == other.id:
            return mark
        turn = turn_matrix(part.pose.turn)
        world = np.array(mark.point) * part.pose.scale @ turn.T + np.array(part.pose.shift)
        point, facing = in_part_frame(world, turn @ np.array(mark.facing), other.pose)
        return mark.with_(part=other.id, point=point, facing=facing)

    def _regions_at(self, part: Part, place: np.ndarray) -> tuple[str, ...]:
        """Hard regions of a part, as far as its faces have new places; -1 for those that have none."""
        assets = self.session.assets
        moved = [place[assets.faces[region]] for region in part.hard_regions]
        return tuple(assets.add_faces(faces[faces >= 0]) for faces in moved if (faces >= 0).any())

    def _keep(self, name: str, mesh: Mesh) -> str:
        return self.session.assets.add(NamedMesh(name, mesh))

    def _with_faces_added(self, part: Part, count: int) -> Part:
        """A part whose CAD faces are followed by one more: what begins with a triangle."""
        if part.cad_faces is None:
            return part
        assets = self.session.assets
        return part.with_(cad_faces=assets.add_faces(np.append(assets.faces[part.cad_faces], count)))

    def _part_to_mend(self) -> Part | None:
        """The selected part; None where there is none, which is said."""
        part = self.session.selected_part
        if part is None:
            self.session.said.emit("Select a part first.")
        elif part.is_derived:
            self.session.said.emit(f"{part.name} has no mesh of its own; mend the part that it is in or on.")
            return None
        return part

    def _mend(self, part: Part, work: Callable[[], object], finish: Callable[[object], None]) -> None:
        """Makes a mesh aside; says why where it cannot be made, or the part was changed meanwhile."""

        def guarded() -> object:
            """Make it, or say why not.

            Returns
            -------
            object
            """
            try:
                return work()
            except MeshError as fault:
                return fault

        def take(made: object) -> None:
            """Hand over what was made, if it still fits.

            Parameters
            ----------
            made : object
                Result, or what is wrong.
            """
            present = next((p for p in self.project.product.parts if p.id == part.id), None)
            if isinstance(made, MeshError):
                self.session.said.emit(f"{part.name}: {made}.")
            elif present != part:
                self.session.said.emit(f"{part.name} was changed meanwhile, and stays as it is; try again.")
            else:
                finish(made)

        self._aside(guarded, take)

    def _exchange_mesh(self, part: Part, changed: Part, label: str) -> None:
        self.session.edit(label, self.project.with_part(changed))

    def _put_in_place(self, part: Part, parts: Sequence[Part], label: str, marks=MappingProxyType({})) -> None:
        """Puts parts where one was."""
        kept = [new for p in self.project.product.parts for new in (parts if p.id == part.id else (p,))]
        project = self.project.with_parts(kept)
        project = project.with_(marks=tuple(marks.get(mark.id, mark) for mark in project.marks))
        self.session.select(parts[0].id)
        self.session.edit(label, project)

    def _split(self, part: Part, groups: list[np.ndarray], label: str) -> None:
        """Divides a part by its faces; the first group keeps its id, its name and its place in the list."""
        assets = self.session.assets
        mesh = assets.meshes[part.mesh]
        drawn = None
        if part.cad_faces is not None:
            drawn = face_numbers(assets.faces[part.cad_faces], len(mesh.triangles))
        names, parts = FreeNames({p.name for p in self.project.product.parts}), []
        owner = np.empty(len(mesh.triangles), np.int64)
        for number, faces in enumerate(groups):
            owner[faces] = number
            name = names.take(part.name) if number else part.name
            place = np.full(len(mesh.triangles), -1)
            place[faces] = np.arange(len(faces))
            zones = []
            for zone in part.zones:
                inside = place[assets.faces[zone.faces]]
                inside = inside[inside >= 0]
                if len(inside):
                    own = zone.id if not number else new_id("zone")
                    zones.append(zone.with_(id=own, faces=assets.add_faces(inside)))
            parts.append(
                part.with_(
                    id=new_id("part") if number else part.id,
                    name=name,
                    mesh=self._keep(name, some_faces(mesh, faces)),
                    zones=tuple(zones),
                    cad_faces=None if drawn is None else assets.add_faces(first_triangles(drawn[faces])),
                    hard_regions=self._regions_at(part, place),
                )
            )
        middles = cKDTree(mesh.vertices[mesh.triangles].mean(axis=1))
        marks = {
            mark.id: mark.with_(part=parts[owner[middles.query(mark.point)[1]]].id)
            for mark in self.project.marks
            if mark.part == part.id
        }
        self._put_in_place(part, parts, label, marks)
