"""Drops on parts, and bubbles in liquids."""

from mat_shelf.commands.command import command
from mat_shelf.document.fill import Beads, Bubbles, Foam
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.solids import lathe, moved


class StrewnCommands:
    """Edits of beads and bubbles; a part of `FillCommands`."""

    @property
    def beads_part(self) -> Part | None:
        """The drops on the board: the selected ones, or the first on the selected part."""
        part, vessel = self.session.selected_part, self.vessel
        if part is not None and part.beads is not None:
            return part
        lying = (p for p in self.project.product.parts if p.beads is not None and vessel and vessel.id == p.beads.host)
        return next(lying, None)

    @property
    def beads(self) -> Beads | None:
        """The beads on the board."""
        part = self.beads_part
        return part.beads if part is not None else None

    @property
    def bubbling(self) -> Part | None:
        """The liquid on the board in which bubbles can rise: a fill, or a part that was modelled as one."""
        vessel = self.vessel
        if self.fill_part is not None or vessel is None:
            return self.fill_part
        worn = next((m for m in self.project.materials if m.id == vessel.material), None)
        has_bubbles = any(p.bubbles is not None and p.bubbles.liquid == vessel.id for p in self.project.product.parts)
        return vessel if has_bubbles or (worn is not None and worn.recipe.contact == "wet") else None

    @property
    def bubbles_part(self) -> Part | None:
        """The bubbles of the liquid on the board."""
        return self._standing_by_liquid("bubbles", self.bubbling)

    def _standing_by_liquid(self, kind: str, liquid: Part | None) -> Part | None:
        """The bubbles, the foam or the stream of a liquid."""
        found = ((part, getattr(part, kind)) for part in self.project.product.parts)
        return next((p for p, own in found if own is not None and liquid is not None and own.liquid == liquid.id), None)

    @property
    def bubbles(self) -> Bubbles | None:
        """Their values."""
        part = self.bubbles_part
        return part.bubbles if part is not None else None

    @command
    def add_beads(self) -> None:
        """Strews drops of water over the selected part or zone, or the vessel of the selected liquid."""
        host = self.vessel
        if host is None:
            self.session.said.emit("Select the part that the drops lie on first.")
            return
        bead = moved(lathe([(0, 0), (0.45, 0), (0.4, 0.2), (0.2, 0.33), (0, 0.36)], 24), host.pose.shift)
        name = free_name(f"Drops on {host.name}", {p.name for p in self.project.product.parts})
        mesh = self.session.assets.add(NamedMesh(name, bead))
        part = Part(
            id=new_id("beads"), name=name, mesh=mesh, beads=Beads(host=host.id, zone=self.session.selected_zone_id)
        )
        self._add(f"Drops on {host.name}", part, "water")

    @command
    def add_bubbles(self) -> None:
        """Lets bubbles rise in the liquid on the board."""
        liquid = self.bubbling
        if liquid is None:
            self.session.said.emit("Fill a vessel, or dress a part with a liquid, first; then bubbles can rise in it.")
            return
        name = free_name(f"Bubbles in {liquid.name}", {p.name for p in self.project.product.parts})
        part = Part(id=new_id("bubbles"), name=name, mesh=liquid.mesh, bubbles=Bubbles(liquid=liquid.id))
        self._add(f"Bubbles in {liquid.name}", part, "air")

    def with_bubbles(self, bubbles: Bubbles) -> Project:
        """The project with other bubbles on the board.

        Parameters
        ----------
        bubbles : Bubbles
            The bubbles.

        Returns
        -------
        Project
        """
        part = self.bubbles_part
        return self.project if part is None else self.project.with_part(part.with_(bubbles=bubbles))

    @property
    def foam_part(self) -> Part | None:
        """The foam on the liquid on the board."""
        return self._standing_by_liquid("foam", self.fill_part)

    @property
    def foam(self) -> Foam | None:
        """Its values."""
        part = self.foam_part
        return part.foam if part is not None else None

    @command
    def add_foam(self) -> None:
        """Lays a head of foam on the liquid on the board."""
        liquid = self.fill_part
        if liquid is None:
            self.session.said.emit("Fill a vessel first; then foam can stand on it.")
            return
        name = free_name(f"Foam on {liquid.name}", {p.name for p in self.project.product.parts})
        part = Part(id=new_id("foam"), name=name, mesh=liquid.mesh, foam=Foam(liquid=liquid.id))
        self._add(f"Foam on {liquid.name}", part, "foam-film")

    def with_foam(self, foam: Foam) -> Project:
        """The project with other foam on the board.

        Parameters
        ----------
        foam : Foam
            The foam.

        Returns
        -------
        Project
        """
        part = self.foam_part
        return self.project if part is None else self.project.with_part(part.with_(foam=foam))

    @command
    def switch(self, part: Part, is_on: bool) -> None:
        """Shows drops, bubbles or a liquid, or leaves them out.

        Parameters
        ----------
        part : Part
            The part that is one.
        is_on : bool
            Whether it is shown.
        """
        label = f"{'Show' if is_on else 'Hide'} {part.name}"
        self.session.edit(label, self.project.with_part(part.with_(is_hidden=not is_on)))

    def with_beads(self, beads: Beads) -> Project:
        """The project with other beads on the board.

        Parameters
        ----------
        beads : Beads
            The beads.

        Returns
        -------
        Project
        """
        part = self.beads_part
        return self.project if part is None else self.project.with_part(part.with_(beads=beads))

    def remove(self, part: Part) -> None:
        """Removes a liquid, or drops.

        Parameters
        ----------
        part : Part
            The part that is one.
        """
        if self.session.selected == part.id:
            self.session.select(self.vessel.id if self.vessel is not None else None)
        if part.fill is not None:  # what lies on it sinks to what it lay on
            lying = [p for p in self.project.product.parts if p.fill is not None and p.fill.over == part.id]
        else:
            lying = []
        sunk = {p.id: p.with_(fill=p.fill.with_(over=part.fill.over)) for p in lying}
        left = (sunk.get(p.id, p) for p in self.project.product.parts)
        rest = (p for p in left if part.id not in (p.id, *p.stands_by))
        self.session.edit(f"Remove {part.name}", self.project.with_parts(rest))
