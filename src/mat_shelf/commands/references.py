"""References: added, chosen, named, laid over the render, kept as snapshots."""

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.reference import Overlap, Reference
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.image_writing import png_bytes
from mat_shelf.rendering.camera import FRAME
from mat_shelf.rendering.region import film_size
from mat_shelf.system.file_writer import words_of


class ReferenceCommands:
    """Commands on what the render is compared with."""

    def set_reference(self, path: Path | None) -> None:
        """Adds an image file to the references, and shows it; None removes the one that is shown.

        Parameters
        ----------
        path : Path or None
            Image file; says why where it cannot be read.
        """
        if path is None:
            if self.project.reference is not None:
                self.remove_reference(self.project.reference.id)
            return
        self._take_in(
            path,
            self.assets.add_picture,
            "a reference",
            lambda name, kept: self._add_reference(ImageRef(name=name, digest=kept[0], kind=kept[1])),
        )

    @command
    def _add_reference(self, image: ImageRef, taken: str = "", overlap: Overlap | None = None) -> None:
        """Show one more reference."""
        project = self.project
        name = free_name(image.name, {reference.name for reference in project.references})
        made = Reference(id=new_id("reference"), name=name, image=image, taken=taken, overlap=overlap)
        self.edit(
            "Snapshot" if taken else "Reference",
            project.with_(references=(*project.references, made), current_reference=made.id),
        )

    def keep_snapshot(self, pixels: np.ndarray) -> None:
        """Keeps the render as it is now among the references.

        Parameters
        ----------
        pixels : (H, W, 3) uint8
            The picture, sRGB.
        """
        now = datetime.now()
        assets = self.assets

        def work() -> ImageRef:
            """Keep the pixels as an image file.

            Returns
            -------
            ImageRef
            """
            key, kind = assets.add_picture(png_bytes(pixels))
            return ImageRef(name=f"Snapshot {now:%d %b %H:%M}", digest=key, kind=kind)

        def take(image: ImageRef) -> None:
            """Show the image, if the project is still open.

            Parameters
            ----------
            image : ImageRef
                The image.
            """
            if self.assets is assets:
                height, width = pixels.shape[:2]
                scale = round(film_size(width, height)[1] / FRAME[1], 6)
                self._add_reference(image, now.isoformat(timespec="seconds"), Overlap(scale=scale))

        def failed(fault: Exception) -> None:
            """Say why it cannot be kept.

            Parameters
            ----------
            fault : Exception
                What happened.
            """
            if not isinstance(fault, ImageError | MemoryError):
                raise fault
            self.said.emit(f"The snapshot cannot be kept: {words_of(fault)}.")

        self.aside(work, take, failed)

    @command
    def choose_reference(self, reference_id: str) -> None:
        """Show another reference.

        Parameters
        ----------
        reference_id : str
            Id of the reference.
        """
        self.edit("Show reference", self.project.with_(current_reference=reference_id))

    @command
    def rename_reference(self, reference_id: str, name: str) -> None:
        """Rename a reference.

        Parameters
        ----------
        reference_id : str
            Id of the reference.
        name : str
            New name; an empty one changes nothing.
        """
        found = next((r for r in self.project.references if r.id == reference_id), None)
        if found is not None and name.strip():
            self.edit("Rename reference", self.project.with_reference(found.with_(name=name.strip()[:120])))

    @command
    def remove_reference(self, reference_id: str) -> None:
        """Removes a reference; the one before it is shown.

        Parameters
        ----------
        reference_id : str
            Id of the reference.
        """
        project = self.project
        ids = [reference.id for reference in project.references]
        if reference_id not in ids:
            return
        rest = tuple(r for r in project.references if r.id != reference_id)
        shown = project.current_reference
        if shown == reference_id:
            shown = rest[max(ids.index(reference_id) - 1, 0)].id if rest else None
        self.edit("Remove reference", project.with_(references=rest, current_reference=shown))

    @command
    def lay_reference(self, overlap: Overlap | None, gesture: str | None = None) -> None:
        """Lays the reference that is shown over the render in another way.

        Parameters
        ----------
        overlap : Overlap or None
            None fills the picture.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        reference = self.project.reference
        if reference is not None:
            self.edit("Align reference", self.project.with_reference(reference.with_(overlap=overlap)), gesture)


def overlap_of(pairs: Sequence[tuple[tuple[float, float], tuple[float, float]]]) -> Overlap:
    """Turn, scale and shift that bring points of an image nearest to points of the picture.

    Parameters
    ----------
    pairs : sequence of ((float, float), (float, float))
        A point of the image and the same one in the picture, as `Overlap` has lengths; two or more.

    Returns
    -------
    Overlap

    Raises
    ------
    ValueError
        If the points of the image, or of the picture, are all one.

    References
    ----------
    S. Umeyama, Least-squares estimation of transformation parameters between two point patterns, 1991; in the plane,
    as a division of complex numbers.
    """
    image, picture = (np.array([complex(*pair[k]) for pair in pairs]) for k in (0, 1))
    about, onto = image - image.mean(), picture - picture.mean()
    spread = float(np.sum(np.abs(about) ** 2))
    factor = np.sum(np.conj(about) * onto) / spread if spread > 1e-12 else 0
    if abs(factor) < 1e-4:
        raise ValueError("the points are too near each other")
    middle = picture.mean() - factor * image.mean()
    return Overlap(
        scale=round(float(abs(factor)), 6),
        turn=round(float(np.angle(factor)), 6),
        right=round(float(middle.real), 6),
        down=round(float(middle.imag), 6),
    )
