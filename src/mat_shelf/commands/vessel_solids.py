"""Solids that are hollowed, so as to be filled."""

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.product import Hollowing, Part
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.fills.hollowing import Hollow, hollowed
from mat_shelf.fills.vessel import VesselError
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.part_matching import transfer_labels
from mat_shelf.geometry.pose import in_part_frame


class SolidCommands:
    """Edits of solids that hold liquid; a part of `FillCommands`."""

    @command
    def hollow(self, wall: float, base: float, corner: float, raised: float = 0.0, follows: float = 0.0) -> None:
        """Takes the inside out of the part on the board, a solid, so that it can be filled; it is made aside.

        One that was hollowed before is hollowed anew.

        Parameters
        ----------
        wall, base : float
            Thickness of the sides and of the bottom, mm.
        corner : float
            Radius between the inner wall and the bottom, mm.
        raised : float
            Height of the middle of the bottom over its edge, mm; below 0 it lies deeper.
        follows : float
            Share by which the bottom rises as the outside's does, from 0 to 1.
        """
        part, assets = self.vessel, self.session.assets
        if part is None:
            self.session.said.emit("Select the solid that is to be hollowed first.")
            return
        before = part.hollowed
        solid = part.mesh if before is None else before.solid
        lengths = {"wall": wall, "base": base, "corner": corner, "raised": raised, "follows": 100 * follows}
        wanted: Hollowing | None = Hollowing(solid=solid, made=solid)
        for name, value in lengths.items():
            wanted = self.session.changed(wanted, name, value)
            if wanted is None:
                return
        mesh, scale = assets.meshes[solid], part.pose.scale
        _, up = in_part_frame((0, 0, 0), (0, 1, 0), part.pose)

        def work() -> Hollow:
            """Hollow it.

            Returns
            -------
            Hollow
            """
            return hollowed(mesh, wall / scale, base / scale, corner / scale, up, raised / scale, follows)

        def done(made: Hollow) -> None:
            """Put it in the place of the solid; what wears its faces stays there.

            Parameters
            ----------
            made : Hollow
                The hollowed solid.
            """
            self._show_working("")
            if next((p for p in self.project.product.parts if p.id == part.id), None) != part:
                self.session.said.emit(f"{part.name} was changed meanwhile, and stays as it is; try again.")
                return

            lists = [*(zone.faces for zone in part.zones), *part.hard_regions]
            kept = [assets.faces[faces] for faces in lists]
            if before is None:
                kept = [np.flatnonzero(np.isin(made.faces, faces)) for faces in kept]
            else:
                kept = _carried(assets.meshes[part.mesh], kept, made.mesh)
            count = len(part.zones)
            zones = tuple(
                zone.with_(faces=assets.add_faces(faces))
                for zone, faces in zip(part.zones, kept, strict=False)
                if len(faces)
            )
            hard = tuple(assets.add_faces(faces) for faces in kept[count:] if len(faces))
            key = assets.add(NamedMesh(part.name, made.mesh))
            changed = part.with_(
                mesh=key,
                zones=zones,
                hard_regions=hard,
                cad_faces=None,
                hollowing=wanted.with_(made=key),
            )
            label = f"Hollow {part.name}" if before is None else f"Wall of {part.name}"
            self.session.edit(label, self.project.with_part(changed))
            if mesh.uv is not None and before is None:
                self.session.said.emit(f"{part.name} has no UVs any more; unwrap it again in the Product station.")

        self._show_working(f"Hollowing {part.name}")
        self.session.aside(work, done, lambda fault: self._refuse(part, "cannot be hollowed", fault))

    @command
    def hollow_anew(self, **values) -> None:
        """Hollows the part on the board anew, from the solid that it was.

        Parameters
        ----------
        **values
            Fields of its `Hollowing` that are others than now.
        """
        now = self.vessel.hollowed if self.vessel is not None else None
        if now is None:
            return
        wanted = now
        for name, value in values.items():
            wanted = self.session.changed(wanted, name, round(float(value), 2))
            if wanted is None:
                return
        if wanted != now:
            self.hollow(wanted.wall, wanted.base, wanted.corner, wanted.raised, wanted.follows / 100)

    def _refuse(self, part: Part, what: str, fault: Exception) -> None:
        """Says why a deed that was done aside fails."""
        self._show_working("")
        if not isinstance(fault, VesselError):
            raise fault
        self.session.said.emit(f"{part.name} {what}: {fault}.")


def _carried(before: Mesh, lists: list[np.ndarray], after: Mesh) -> list[np.ndarray]:
    """Lists of faces of a mesh on another one, where it lies nearest to them."""
    carried = []
    for faces in lists:  # one by one, since they may overlap
        labels = np.zeros(len(before.triangles), int)
        labels[faces] = 1
        carried.append(np.flatnonzero(transfer_labels(before, labels, after) == 1))
    return carried
