"""Marks: added, moved, sized, ordered, split, with artwork."""

import math

import numpy as np
from psygnal import Signal

from mat_shelf.commands.command import command
from mat_shelf.commands.mark_artwork import ArtworkCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.camera import Camera
from mat_shelf.document.ids import free_name, name_of_copy, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.image_reading import pixels_per_mm
from mat_shelf.geometry.pose import in_part_frame
from mat_shelf.marks.surface_map import SurfaceMap, SurfaceMapError, map_surface, point_beside
from mat_shelf.patterns.placement_edit import PlacementHit

MARK_KINDS = {
    "label": ("Label", "A sticker with artwork; the surface shows where the artwork is clear"),
    "print": ("Print", "Ink on the surface itself"),
    "foil": ("Foil", "Metal leaf where the artwork is dark or opaque"),
    "stamp": ("Stamp", "Raised or sunk relief of the surface itself"),
    "screen": ("Screen", "A glowing picture"),
}
MATERIALS = {
    "label": Recipe(base_color=(1.0, 1.0, 1.0), base_diffuse_roughness=0.3, specular_roughness=0.45),
    "print": Recipe(base_color=(1.0, 1.0, 1.0), specular_roughness=0.35),
    "foil": Recipe(
        base_color=(1.0, 0.782, 0.343),
        base_metalness=1.0,
        specular_color=(0.974, 0.999, 0.973),
        specular_roughness=0.16,
    ),
    "stamp": Recipe(),
    "screen": Recipe(base_color=(0.004, 0.004, 0.004), specular_roughness=0.15),
}
"""What a new mark of each kind is made of."""
LINES = {"middle": "Centres", "row": "Rows", "column": "Columns"}
"""Ways to line a mark up with another."""
_USUAL_PER_MM = 300 / 25.4
"""Pixels a millimetre of art as it is printed: 300 per inch, common practice."""
_MOST_OF_PART = 0.6
_FURTHEST = 1e6
"""Way along a surface, mm, beyond which no part reaches."""


class MarkCommands(ArtworkCommands):
    """Edits of marks, and which one is on the board.

    Parameters
    ----------
    session : Session
        The session.

    Attributes
    ----------
    opened
        Another mark, or none, is on the board.
    """

    opened = Signal()

    def __init__(self, session: Session):
        self.session = session
        self._mark_id: str | None = None

    @property
    def mark(self) -> Mark | None:
        """The mark on the board."""
        return next((m for m in self.session.project.marks if m.id == self._mark_id), None)

    def open(self, mark_id: str | None) -> None:
        """Bring a mark to the board.

        Parameters
        ----------
        mark_id : str or None
            Id of the mark; None for none.
        """
        if mark_id != self._mark_id:
            self._mark_id = mark_id
            self.opened.emit()

    @command
    def put(self, label: str, mark: Mark, gesture: str | None = None) -> None:
        """Changes a mark, or lays it on top.

        Parameters
        ----------
        label : str
            Undo text.
        mark : Mark
            The mark.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        self.session.edit(label, self.session.project.with_mark(mark), gesture and f"{gesture} {mark.id}")

    @command
    def add(
        self, kind: str, hit: PlacementHit, art: ImageRef | None = None, size: tuple[float, float] | None = None
    ) -> None:
        """Puts a new mark on a place of a part, at the size its art is printed at, or as large as the part allows.

        Parameters
        ----------
        kind : str
            One of `MARK_KINDS`.
        hit : PlacementHit
            Place on a part.
        art : ImageRef or None
            Artwork.
        size : (width, height), mm, optional
            What must have a certain size has it, whether or not it fits.
        """
        part = next((part for part in self.session.project.product.parts if part.id == hit.part), None)
        if part is None:
            self.session.said.emit("The part that it was dropped on was removed; drop it again.")
            return
        if part.is_derived:
            self.session.said.emit(f"{part.name} carries no marks; put it on the part that they lie on.")
            return
        mesh = self.session.assets.meshes[part.mesh]
        box = (mesh.bounds[1] - mesh.bounds[0]) * part.pose.scale
        room = float(np.sort(box)[1]) * _MOST_OF_PART
        width, height = 30.0, 20.0
        if art is not None and art.digest in self.session.assets.pictures:
            picture = self.session.assets.pictures[art.digest]
            per_mm = pixels_per_mm(self.session.assets.data(art.digest)) or _USUAL_PER_MM
            width, height = picture.width / per_mm, picture.height / per_mm
        scale = min(room / max(width, height), 1.0)
        if size is not None:
            (width, height), scale = size, 1.0
        point, facing = self._in_part(hit)
        names = {mark.name for mark in self.session.project.marks}
        name = art.name.rsplit(".", 1)[0] if art else MARK_KINDS[kind][0]
        mark = Mark(
            id=new_id("mark"),
            name=free_name(name or MARK_KINDS[kind][0], names),
            kind=kind,
            part=hit.part,
            point=point,
            facing=facing,
            width=max(round(width * scale, 2), 0.5),
            height=max(round(height * scale, 2), 0.5),
            art=art,
            recipe=MATERIALS[kind],
        )
        self.put(f"New {MARK_KINDS[kind][0].lower()}", mark)
        self.open(mark.id)

    def _in_part(self, hit: PlacementHit):
        """A place and its side in its part's own frame."""
        return in_part_frame(hit.position, hit.normal, self.session.project.part(hit.part).pose)

    @command
    def carry(self, mark: Mark, hit: PlacementHit) -> None:
        """Puts a mark's middle to a place, on whatever part that is.

        Parameters
        ----------
        mark : Mark
            The mark.
        hit : PlacementHit
            Place on a part.
        """
        point, facing = self._in_part(hit)
        self.put("Move mark", mark.with_(part=hit.part, point=point, facing=facing), "carry")

    @command
    def nudge(self, right: float, up: float) -> None:
        """Moves the mark on the board along the surface, mm in its own directions.

        Parameters
        ----------
        right : float
            Millimetres to the right.
        up : float
            Millimetres upwards.
        """
        mark = self.mark
        part = self.part_of(mark)
        if part is None:
            return
        if not math.hypot(right, up) < _FURTHEST:
            self.session.said.emit(f"'{mark.name}' cannot go further: the surface ends there.")
            return
        try:
            point, facing = point_beside(mark, self.session.assets.meshes[part.mesh], part.pose, right, up)
        except SurfaceMapError as fault:
            self.session.said.emit(f"'{mark.name}' cannot go further: {fault}.")
            return
        self.put("Nudge mark", mark.with_(point=point, facing=facing), "nudge")

    def centre(self) -> None:
        """Puts the mark on the board to the middle of its part, from left to right as it faces."""
        mark, part = self.mark, self.part_of(self.mark)
        if part is None:
            return
        mesh = self.session.assets.meshes[part.mesh]
        middle = (mesh.bounds[0] + mesh.bounds[1]) / 2
        across = np.cross((0, 1, 0), mark.facing)
        if np.linalg.norm(across) < 1e-3:
            across = np.array([1.0, 0, 0])
        across = across / np.linalg.norm(across)
        self.nudge(float((middle - mark.point) @ across) * part.pose.scale, 0.0)

    def line_up(self, mark: Mark, other: Mark, way: str) -> None:
        """Moves a mark along the surface so that its middle is level with, over or on that of another (`LINES`).

        Parameters
        ----------
        mark : Mark
            The mark.
        other : Mark
            Mark to align with.
        way : str
            A key of `LINES`.
        """
        own, theirs = self.sheet(mark), self.sheet(other)
        if own is None or theirs is None:
            self.session.said.emit("A mark without a place cannot be aligned.")
            return
        middle = own.middle_point()
        apart = theirs.middle_point() - middle
        right, up = own.directions()
        self.open(mark.id)
        self.nudge(
            float(apart @ right) if way != "row" else 0.0,
            float(apart @ up) if way != "column" else 0.0,
        )

    @command
    def remove(self, mark: Mark) -> None:
        """Remove a mark.

        Parameters
        ----------
        mark : Mark
            The mark.
        """
        self.session.edit(f"Remove {mark.name}", self.session.project.without_mark(mark.id))
        if mark.id == self._mark_id:
            self.open(None)

    @command
    def copy(self, mark: Mark) -> None:
        """Lays a second one beside it.

        Parameters
        ----------
        mark : Mark
            The mark.
        """
        name = name_of_copy(mark.name, {m.name for m in self.session.project.marks})
        made = mark.with_(id=new_id("mark"), name=name)
        self.put(f"Duplicate {mark.name}", made)
        self.open(made.id)

    @command
    def move(self, mark: Mark, by: int) -> None:
        """Lays a mark further up (1) or down (-1) among the others.

        Parameters
        ----------
        mark : Mark
            The mark.
        by : int
            1 for up, -1 for down.
        """
        marks = list(self.session.project.marks)
        place = marks.index(mark)
        to = min(max(place + by, 0), len(marks) - 1)
        if to != place:
            marks.insert(to, marks.pop(place))
            self.session.edit("Order of marks", self.session.project.with_(marks=tuple(marks)))

    @command
    def move_to(self, mark_id: str, place: int) -> None:
        """Lays a mark at a place among the others, counted from the uppermost.

        Parameters
        ----------
        mark_id : str
            Id of the mark; None for none.
        place : int
            New place, 0 for the uppermost.
        """
        marks = [mark for mark in self.session.project.marks if mark.id != mark_id]
        marks.insert(len(marks) - place, self.session.project.mark(mark_id))
        self.session.edit("Order of marks", self.session.project.with_(marks=tuple(marks)))

    def part_of(self, mark: Mark) -> Part | None:
        """The part that a mark is on; None where that is gone.

        Parameters
        ----------
        mark : Mark
            The mark.

        Returns
        -------
        Part or None
        """
        return next((p for p in self.session.project.product.parts if p.id == mark.part), None)

    def sheet(self, mark: Mark) -> SurfaceMap | None:
        """Surface map of a mark; None where it has no place.

        Parameters
        ----------
        mark : Mark
            The mark.

        Returns
        -------
        SurfaceMap or None
        """
        part = self.part_of(mark)
        if part is None:
            return None
        try:
            return map_surface(mark, self.session.assets.meshes[part.mesh], part.pose)
        except SurfaceMapError:
            return None

    def problem(self, mark: Mark) -> str:
        """Problem of a mark, in words; empty where there is none.

        Parameters
        ----------
        mark : Mark
            The mark.

        Returns
        -------
        str
        """
        part = self.part_of(mark)
        if part is None:
            return "Its part was removed. Select another part and press 'Centre on part'."
        try:
            sheet = map_surface(mark, self.session.assets.meshes[part.mesh], part.pose)
        except SurfaceMapError as fault:
            return f"It has no place: {fault}."
        if mark.art is not None and mark.art.digest not in self.session.assets.pictures:
            return f"'{mark.art.name}' is missing. Choose its artwork again."
        if not len(sheet.triangles):
            return f"It is too large for {part.name}. Make it smaller."
        missing = 1 - float(sheet.lies.mean())
        if missing > 0.02:
            return f"{100 * missing:.0f} % of it hangs over an edge of {part.name}. Make it smaller or move it."
        return ""

    def square_on(self) -> None:
        """Looks straight at the mark on the board, so that it fills half of the picture."""
        sheet = self.sheet(self.mark) if self.mark else None
        if sheet is None:
            return
        middle = sheet.points[sheet.lies].mean(axis=0).astype(float)
        normal = sheet.normals[sheet.lies].mean(axis=0).astype(float)
        normal /= np.linalg.norm(normal)
        camera: Camera = self.session.camera
        away = max(self.mark.width, self.mark.height * 1.6) * 2 * camera.focal_length / 36.0
        # Straight up and down there is no way that is up; a hair beside it there is.
        aside = np.array([0, 0, 0.02]) if abs(normal[1]) > 0.999 else np.zeros(3)
        eye = middle + (normal + aside) * away
        self.session.explore(
            camera.with_(position=tuple(float(x) for x in eye), target=tuple(float(x) for x in middle), focus=0.0)
        )
