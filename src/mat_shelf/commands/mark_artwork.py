"""Artwork of marks: cropped, trimmed, replaced, and cut apart."""

import math

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, name_from, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Clip, Mark
from mat_shelf.exchange.artwork_decoding import piece_images
from mat_shelf.exchange.picture_memory import words_for_coarser
from mat_shelf.marks.surface_map import SurfaceMapError, point_beside

SIDES = ("left", "right", "top", "bottom")
"""Of art, in the order of `Mark.crop`."""


class ArtworkCommands:
    """Edits of artwork; a part of `MarkCommands`."""

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
        if picture.left_out:
            self.session.said.emit(f"The artwork was not split. {words_for_coarser([mark.art], assets.pictures)}")
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
    def set_clip(self, mark: Mark, clip: Clip | None) -> None:
        """Runs a clip on a screen while the product turns, or no longer.

        Parameters
        ----------
        mark : Mark
            The screen.
        clip : Clip or None
            The clip, whose frames are pictures of the project.
        """
        if clip is None:
            self.put("No clip", mark.with_(clip=None))
            return
        changes: dict = {"clip": clip, "art": clip.frames[0]}
        if mark.art is None:
            shown = self.session.assets.pictures[clip.frames[0].digest]
            changes["height"] = round(mark.width * shown.height / shown.width, 2)
        self.put("Clip", mark.with_(**changes))
        self.session.said.emit(
            f"{len(clip.frames)} frames, {clip.seconds:.1f} s; they run in turns, from the one seen now."
        )

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
