"""Faces selected by tools, the zones made of them, and faces without a material."""

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.commands.materials import Wearable
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.product import MOST_HARD, Part, Zone
from mat_shelf.document.swatch import Swatch
from mat_shelf.geometry.adjacency import Adjacency, adjacency, face_areas
from mat_shelf.geometry.cad_faces import face_numbers, faces_alike
from mat_shelf.geometry.mesh import Mesh
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
from mat_shelf.geometry.unassigned_faces import UnassignedRegion, unassigned_regions
from mat_shelf.rendering.navigation import framed, looking_at

_QUICKLY_FOUND = 20_000
"""Triangles whose neighbours are found at once."""
SMOOTH, ALIKE, PIECE, LASSO, LOOP, DRAWN = "smooth", "alike", "piece", "lasso", "loop", "drawn"
FACE_TOOLS = {
    DRAWN: ("CAD face", "The face that was drawn in the CAD model; for parts of STEP files"),
    SMOOTH: ("By angle", "Up to the next edge sharper than the angle"),
    ALIKE: ("Coplanar", "Faces in the plane of the clicked one, within the angle"),
    PIECE: ("Connected", "All faces connected to the clicked one"),
    LOOP: ("Edge loop", "Two clicks make a loop of edges around the part; the smaller side is selected"),
    LASSO: ("Lasso", "Draw around faces; those visible inside are selected"),
}


class FaceCommands:
    """Faces selected for a zone, and what becomes of them."""

    def choose(self, chosen: tuple[str, np.ndarray] | None) -> None:
        """Select faces, or none.

        Parameters
        ----------
        chosen : tuple[str, array] or None
            Part and its selected faces; None for none.
        """
        self._chosen = chosen if chosen is not None and chosen[1].any() else None
        self.faces_changed.emit()

    def _graph(self, mesh: str) -> Adjacency:
        if mesh not in self._graphs:
            self._graphs[mesh] = adjacency(self.session.assets.meshes[mesh])
        return self._graphs[mesh]

    def pick(self, part_id: str, face: int, add: bool = False, take: bool = False) -> None:
        """Chooses the region of a clicked face; with `add` beside what is chosen, with `take` out of it.

        Parameters
        ----------
        part_id : str
            Id of the part.
        face : int
            Number of the face.
        add : bool
            Whether the faces are added to the selection.
        take : bool
            Whether the faces are taken out of the selection.
        """
        if self.project.part(part_id).is_derived:
            self.session.said.emit(f"{self.project.part(part_id).name} has no faces of its own.")
            return
        key = self.project.part(part_id).mesh
        mesh, way, degrees = self.session.assets.meshes[key], self.way, self.degrees
        if face >= len(mesh.triangles):
            return  # the picture still shows an older mesh
        start = None
        numbers = self._face_numbers(part_id)
        if way == DRAWN and numbers is None:
            self.session.said.emit("This part brought no CAD faces along. Use By angle instead.")
            return
        if way == LOOP:
            start, self.loop_start = self.loop_start, None
            if start is None or start[0] != part_id or start[1] == face:
                self.loop_start = (part_id, face)
                self.session.said.emit("Now click a second point of the loop.")
                return

        def region() -> np.ndarray | None:
            """Faces of the region that was clicked.

            Returns
            -------
            array or None
            """
            if way == DRAWN:
                return numbers == numbers[face]
            graph = self._graph(key)
            if way == PIECE:
                return connected_faces(graph, face)
            if way == ALIKE:
                return coplanar_region(mesh, graph, face, degrees)
            if way == LOOP:
                return _smaller_side(mesh, graph, edge_loop(mesh, graph, start[1], face))
            return smooth_region(graph, face, degrees)

        self._aside(region, lambda found: self._combine(part_id, found, add, take))

    def _face_numbers(self, part_id: str) -> np.ndarray | None:
        """Number of the CAD face of each triangle of a part; None where none are known."""
        part, assets = self.project.part(part_id), self.session.assets
        if part.cad_faces is None:
            return None
        return face_numbers(assets.faces[part.cad_faces], len(assets.meshes[part.mesh].triangles))

    @property
    def may_find_alike(self) -> bool:
        """True where faces are selected on a part whose CAD faces are known."""
        return self.chosen is not None and self.project.part(self.chosen[0]).cad_faces is not None

    def choose_alike(self) -> None:
        """Selects all CAD faces that have the size and shape of selected ones."""
        if self.may_find_alike:
            part_id, mask = self.chosen
            mesh = self.session.assets.meshes[self.project.part(part_id).mesh]
            self.choose((part_id, faces_alike(mesh, self._face_numbers(part_id), mask)))

    def _combine(self, part_id: str, region: np.ndarray | None, add: bool, take: bool) -> None:
        if region is None:
            self.session.said.emit("No loop passes through these points; try others.")
            return
        part = next((part for part in self.project.product.parts if part.id == part_id), None)
        if part is None or len(self.session.assets.meshes[part.mesh].triangles) != len(region):
            return  # taken out or given another mesh meanwhile
        before = self.chosen[1] if self.chosen and self.chosen[0] == part_id else np.zeros_like(region)
        self.choose((part_id, before & ~region if take else before | region if add else region))

    def lasso(self, part_id: str, first_hits, polygon: np.ndarray, add: bool, take: bool) -> None:
        """Chooses the faces of a part that are seen inside a line drawn over the picture.

        Parameters
        ----------
        part_id : str
            Id of the part.
        first_hits : FirstHits
            First hits of the picture.
        polygon : (M, 2) float
            Shares of the picture's width and height.
        add : bool
            Whether the faces are added to the selection.
        take : bool
            Whether the faces are taken out of the selection.
        """
        if self.project.part(part_id).is_derived:
            return
        place = [p.id for p in self.project.product.parts].index(part_id)
        rows, columns = np.nonzero(first_hits.part == place)
        height, width = first_hits.part.shape
        inside = inside_polygon(np.stack([(columns + 0.5) / width, (rows + 0.5) / height], axis=1), polygon)
        region = np.zeros(len(self.session.assets.meshes[self.project.part(part_id).mesh].triangles), bool)
        faces = first_hits.faces[rows[inside], columns[inside]]
        region[faces[faces < len(region)]] = True  # the picture may still show an older mesh
        self._combine(part_id, region, add, take)

    def change_chosen(self, how: str) -> None:
        """Grows, shrinks or inverts the chosen faces.

        Parameters
        ----------
        how : str
            One of grow, shrink, invert.
        """
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

    def region_at(self, part_id: str, face: int) -> np.ndarray | None:
        """The CAD face of a face, or where none is known those up to the next sharp edge round it.

        Parameters
        ----------
        part_id : str
            Id of the part.
        face : int
            Number of the face.

        Returns
        -------
        (T,) bool or None
            None where the part has no such face, or is still looked into.
        """
        key = self.project.part(part_id).mesh
        if self.project.part(part_id).is_derived:
            return None
        if not 0 <= face < len(self.session.assets.meshes[key].triangles):
            return None
        numbers = self._face_numbers(part_id)
        if numbers is not None:
            return numbers == numbers[face]
        if key not in self._graphs and key not in self._looked_into:
            self._looked_into.add(key)
            self._aside(lambda: self._graph(key), lambda _: self._looked_into.discard(key))
        if key not in self._graphs:
            return None
        return smooth_region(self._graph(key), face, self.degrees)

    def dress_region(self, part_id: str, region: np.ndarray, what: Wearable) -> None:
        """Makes faces a zone that wears something; where they are a whole part, or just a zone, that wears it.

        Parameters
        ----------
        part_id : str
            Id of the part.
        region : (T,) bool
            The faces.
        what : Wearable
            A swatch or a material.
        """
        part, assets, found = self.project.part(part_id), self.session.assets, self.session.find(what)
        if found is None:
            return
        if isinstance(found, Swatch) and found.kind != "material":
            self.session.said.emit("An overlay lies over all that wears a material. Give these faces their own first.")
            return
        same = next((z for z in part.zones if np.array_equal(np.flatnonzero(region), assets.faces[z.faces])), None)
        if region.all() or same is not None:
            self.session.put_on([(part_id, same.id if same else None)], what)
            return
        with self.session.as_one(f"Zone of {part.name}"):
            self.choose((part_id, region))
            self.make_zone()
            self.session.put_on([(part_id, self.session.selected_zone_id)], what)

    @command
    def make_zone(self) -> None:
        """Makes the chosen faces a zone, which takes them out of other zones, and selects it."""
        if self.chosen is None:
            self.session.said.emit("Select some faces first: click the product with one of the tools above.")
            return
        part_id, mask = self.chosen
        part, assets = self.project.part(part_id), self.session.assets
        zones = self._zones_without(part, mask)
        name = free_name("Zone 1" if not zones else f"Zone {len(zones) + 1}", {zone.name for zone in zones})
        new = Zone(id=new_id("zone"), name=name, faces=assets.add_faces(np.flatnonzero(mask)), material=part.material)
        self.session.edit(f"Zone of {part.name}", self.project.with_part(part.with_(zones=(*zones, new))))
        self.choose(None)
        self.session.select(part_id, new.id)

    def _zones_without(self, part: Part, mask: np.ndarray) -> list[Zone]:
        """The zones of a part without some of its faces; what is left empty is gone."""
        assets, zones = self.session.assets, []
        for zone in part.zones:
            faces = assets.faces[zone.faces]
            rest = faces[~mask[faces]]
            if len(rest):
                zones.append(zone if len(rest) == len(faces) else zone.with_(faces=assets.add_faces(rest)))
        return zones

    @command
    def keep_border_hard(self) -> None:
        """Lets the border of the selected faces stay hard where their part is smoothed."""
        if self.chosen is None:
            self.session.said.emit("Select the faces on one side of the edges first, with a tool of the Zones card.")
            return
        part_id, mask = self.chosen
        part = self.project.part(part_id)
        if len(part.hard_regions) >= MOST_HARD:
            self.session.said.emit(f"A part keeps {MOST_HARD} borders hard at most; soften them first.")
            return
        region = self.session.assets.add_faces(np.flatnonzero(mask))
        hard = tuple(dict.fromkeys((*part.hard_regions, region)))
        self.session.edit("Hard edges", self.project.with_part(part.with_(hard_regions=hard)))
        self.choose(None)

    @command
    def soften_borders(self) -> None:
        """Lets no border of the selected part stay hard, but for those of its zones."""
        part = self.session.selected_part
        if part is not None and part.hard_regions:
            self.session.edit("Soften edges", self.project.with_part(part.with_(hard_regions=())))

    @command
    def add_to_zone(self) -> None:
        """Adds the selected faces to the selected zone, taking them out of other zones."""
        part, zone = self.session.selected_part, self.session.selected_zone
        if self.chosen is None or zone is None or self.chosen[0] != part.id:
            self.session.said.emit("Select a zone and some faces of the same part first.")
            return
        mask, assets = self.chosen[1].copy(), self.session.assets
        mask[assets.faces[zone.faces]] = True
        grown = zone.with_(faces=assets.add_faces(np.flatnonzero(mask)))
        zones = {z.id: z for z in self._zones_without(part, mask)} | {zone.id: grown}
        kept = tuple(zones[z.id] for z in part.zones if z.id in zones)
        self.session.edit(f"Add to {zone.name}", self.project.with_part(part.with_(zones=kept)))
        self.choose(None)
        self.session.select(part.id, zone.id)

    @command
    def subtract_faces(self) -> None:
        """Takes the selected faces out of the zones that they are in."""
        if self.chosen is None:
            return
        part_id, mask = self.chosen
        part = self.project.part(part_id)
        zones = tuple(self._zones_without(part, mask))
        selected = self.session.selected_zone
        if zones != part.zones:
            self.session.edit(f"Subtract from zones of {part.name}", self.project.with_part(part.with_(zones=zones)))
        self.choose(None)
        still = selected is not None and selected.id in {zone.id for zone in zones}
        self.session.select(part_id, selected.id if still else None)

    @command
    def dissolve_zone(self) -> None:
        """Gives the selected zone's faces back to its part."""
        part, zone = self.session.selected_part, self.session.selected_zone
        if part is not None and zone is not None:
            self.session.select(part.id)
            rest = tuple(z for z in part.zones if z.id != zone.id)
            self.session.edit(f"Remove {zone.name}", self.project.with_part(part.with_(zones=rest)))

    def find_gaps(self) -> list[UnassignedRegion]:
        """Looks for bare faces anew.

        Returns
        -------
        list of UnassignedRegion
        """
        assets = self.session.assets
        self.gaps = unassigned_regions(
            self.project, assets.meshes, assets.faces, self._graph, self._known_gaps, self._graph_at_hand
        )
        return self.gaps

    def _graph_at_hand(self, mesh: str) -> Adjacency | None:
        """Neighbours of faces where they are known, or quickly found; else they are found aside."""
        if mesh in self._graphs or len(self.session.assets.meshes[mesh].triangles) <= _QUICKLY_FOUND:
            return self._graph(mesh)

        def take(_: object) -> None:
            """Look again, at the parts that have waited for it.

            Parameters
            ----------
            _ : object
                The neighbours.
            """
            self._looked_into.discard(mesh)
            self._known_gaps = {key: found for key, found in self._known_gaps.items() if found[0].mesh != mesh}
            self.find_gaps()
            self.gap_changed.emit()

        if mesh not in self._looked_into:
            self._looked_into.add(mesh)
            self._aside(lambda: self._graph(mesh), take)
        return self._graphs.get(mesh)

    def show_gap(self, step: int) -> None:
        """Walks the camera to the next or the previous bare piece.

        Parameters
        ----------
        step : int
            1 for the next one, -1 for the previous.
        """
        if not self.find_gaps():
            self.gap_shown = None
        else:
            start = -1 if step > 0 else 0
            self.gap_shown = ((start if self.gap_shown is None else self.gap_shown) + step) % len(self.gaps)
            gap = self.gaps[self.gap_shown]
            self.session.select(gap.part_id)
            camera = self.session.camera
            away = framed(camera, gap.bounds, 0.4) if gap.normal is None else looking_at(camera, gap.bounds, gap.normal)
            self.session.explore(away)
            mask = np.zeros(len(self.session.assets.meshes[self.project.part(gap.part_id).mesh].triangles), bool)
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
