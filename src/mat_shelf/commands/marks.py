"""Marks: added, moved, sized, ordered, split, with artwork."""

import math

import numpy as np
from psygnal import Signal

from mat_shelf.commands.command import command
from mat_shelf.commands.session import Session
from mat_shelf.document.ids import free_name, name_from, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.project import Camera, Part
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.artwork_decoding import piece_images
from mat_shelf.exchange.image_reading import pixels_per_mm
from mat_shelf.geometry.pose import turn_matrix
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
SIDES = ("left", "right", "top", "bottom")
"""Of art, in the order of `Mark.crop`."""
LINES = {"middle": "Centres", "row": "Rows", "column": "Columns"}
"""Ways to line a mark up with another."""
_USUAL_PER_MM = 300 / 25.4
"""Pixels a millimetre of art as it is printed: 300 per inch, common practice."""
_MOST_OF_PART = 0.6
_FURTHEST = 1e6
"""Way along a surface, mm, beyond which no part reaches."""


class MarkCommands:
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
        pose = self.session.project.part(hit.part).pose
        turn = turn_matrix(pose.turn)
        point = np.subtract(hit.position, pose.shift) @ turn / pose.scale
        return tuple(float(x) for x in point), tuple(float(x) for x in np.asarray(hit.normal) @ turn)

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

    def cropped(self, mark: Mark) -> dict[str, float]:
        """Crop of a mark's artwork at each side, mm; below 0 it is padded.

        Parameters
        ----------
        mark : Mark
            The mark.

        Returns
        -------
        dict of float
        """
        across = mark.width / (1 - mark.crop[0] - mark.crop[1])
        tall = mark.height / (1 - mark.crop[2] - mark.crop[3])
        sizes = (across, across, tall, tall)
        return {side: share * size for side, share, size in zip(SIDES, mark.crop, sizes, strict=True)}

    @command
    def crop(self, mark: Mark, taken: dict[str, float]) -> None:
        """Takes so much, mm, off a mark's art at each side. What is left of it stays where it is.

        Parameters
        ----------
        mark : Mark
            The mark.
        taken : dict of float
            Millimetres taken off, by side.
        """
        left, right, top, bottom = mark.crop
        across, tall = mark.width / (1 - left - right), mark.height / (1 - top - bottom)
        crop = taken["left"] / across, taken["right"] / across, taken["top"] / tall, taken["bottom"] / tall
        if not (crop[0] + crop[1] <= 0.99 and crop[2] + crop[3] <= 0.99 and min(crop) >= -20):
            self.session.said.emit("That would leave nothing of the artwork, or almost nothing but clear ground.")
            return
        to_right = across * ((crop[0] - crop[1]) - (left - right)) / 2
        upwards = tall * ((crop[3] - crop[2]) - (bottom - top)) / 2
        changes: dict = {
            "crop": crop,
            "width": max(across * (1 - crop[0] - crop[1]), 0.1),
            "height": max(tall * (1 - crop[2] - crop[3]), 0.1),
        }
        part = self.part_of(mark)
        if part is not None:
            try:
                mesh = self.session.assets.meshes[part.mesh]
                aside = -to_right if mark.is_mirrored else to_right
                changes["point"], changes["facing"] = point_beside(mark, mesh, part.pose, aside, upwards)
            except SurfaceMapError:
                pass  # its middle would be off the part; it is cropped where it is
        self.put("Crop artwork", mark.with_(**changes), "crop")

    def trimmed(self, mark: Mark) -> dict[str, float] | None:
        """Crop, mm, that leaves nothing clear around a mark's artwork; None where all of it is clear.

        Parameters
        ----------
        mark : Mark
            The mark.

        Returns
        -------
        dict of float or None
        """
        picture = self.session.assets.pictures.get(mark.art.digest) if mark.art is not None else None
        if picture is None or picture.channels not in (2, 4):
            return None
        there = picture.levels[0][..., -1] > 0
        rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
        if not len(rows):
            return None
        across = mark.width / (1 - mark.crop[0] - mark.crop[1]) / there.shape[1]
        tall = mark.height / (1 - mark.crop[2] - mark.crop[3]) / there.shape[0]
        edges = columns[0], there.shape[1] - 1 - columns[-1], rows[0], there.shape[0] - 1 - rows[-1]
        sizes = (across, across, tall, tall)
        return {side: float(edge * size) for side, edge, size in zip(SIDES, edges, sizes, strict=True)}

    @command
    def replace_art(self, digest: str, picture: ImageRef) -> None:
        """Puts a newer picture wherever marks show an older one, as one step.

        Parameters
        ----------
        digest : str
            SHA-256.
        picture : ImageRef
            The image.
        """
        project = self.session.project
        for mark in project.marks:
            changes = {
                name: picture
                for name in ("art", "back")
                if getattr(mark, name) is not None and getattr(mark, name).digest == digest
            }
            if changes:
                project = project.with_mark(mark.with_(**changes))
        if project is not self.session.project:
            self.session.edit("Artwork updated", project)
            self.session.said.emit(f"'{picture.name}' changed on disk and was read again.")

    @command
    def cut_apart(self, mark: Mark) -> None:
        """Cuts a sheet of several labels apart by its alpha: a mark for each, where it lies now.

        Parameters
        ----------
        mark : Mark
            The mark.
        """
        assets, part = self.session.assets, self.part_of(mark)
        picture = assets.pictures.get(mark.art.digest) if mark.art is not None else None
        if picture is None or part is None or picture.levels[0].dtype == np.float32:
            self.session.said.emit("Only artwork with an alpha channel can be split.")
            return
        found = piece_images(picture.levels[0])
        if len(found) < 2:
            self.session.said.emit("Nothing in this artwork is separated by clear ground.")
            return
        names = {other.name for other in self.session.project.marks}
        left, off_right, top, off_bottom = mark.crop
        per_pixel = (
            mark.width / (1 - left - off_right) / picture.width,
            mark.height / (1 - top - off_bottom) / picture.height,
        )
        middle = picture.width * (1 + left - off_right) / 2, picture.height * (1 + top - off_bottom) / 2
        project = self.session.project
        for number, (data, (rows, columns)) in enumerate(found, 1):
            right = ((columns.start + columns.stop) / 2 - middle[0]) * per_pixel[0]
            down = ((rows.start + rows.stop) / 2 - middle[1]) * per_pixel[1]
            try:
                point, facing = point_beside(mark, assets.meshes[part.mesh], part.pose, right, -down)
            except SurfaceMapError:
                point, facing = mark.point, mark.facing
            key, kind = assets.add_map(data)
            name = free_name(f"{mark.name} {number}", names)
            names.add(name)
            made = mark.with_(
                id=new_id("mark"),
                name=name,
                point=point,
                facing=facing,
                width=max(round((columns.stop - columns.start) * per_pixel[0], 2), 0.1),
                height=max(round((rows.stop - rows.start) * per_pixel[1], 2), 0.1),
                art=ImageRef(name=name_from(f"{name}.png", "Image"), digest=key, kind=kind),
                crop=(0.0, 0.0, 0.0, 0.0),
            )
            project = project.with_mark(made)
        self.session.edit("Split artwork", project.without_mark(mark.id))
        self.open(made.id)

    @command
    def take_out(self, mark: Mark) -> None:
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
        name = free_name(mark.name, {m.name for m in self.session.project.marks})
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
    def lay_at(self, mark_id: str, place: int) -> None:
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
        if not len(sheet.triangles()):
            return f"It is too large for {part.name}. Make it smaller."
        missing = 1 - float(sheet.lies.mean())
        if missing > 0.02:
            return f"{100 * missing:.0f} % of it hangs over an edge of {part.name}. Make it smaller or move it."
        return ""

    def sharpness(self, mark: Mark, picture_width: int) -> tuple[float, int] | None:
        """Pixels of art for each pixel of a picture through the view in use, and the width of art it takes for one.

        None where there is nothing to say.

        Parameters
        ----------
        mark : Mark
            The mark.
        picture_width : int
            Pixels of the render.

        Returns
        -------
        tuple[float, int] or None
        """
        if mark.art is None or mark.art.digest not in self.session.assets.pictures or self.sheet(mark) is None:
            return None
        camera = self.session.camera
        sheet = self.sheet(mark)
        middle = sheet.points[sheet.lies].mean(axis=0)
        away = float(np.linalg.norm(middle - camera.position))
        per_mm = picture_width * camera.focal_length / 36.0 / away
        whole = mark.width / (1 - mark.crop[0] - mark.crop[1])
        art = self.session.assets.pictures[mark.art.digest].width / whole
        return art / per_mm, math.ceil(per_mm * whole)

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
