"""Fills and beads: liquid in vessels, and drops on parts."""

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.commands.fill_report import FillReport
from mat_shelf.commands.floating import FloatingCommands
from mat_shelf.commands.materials import Wearable
from mat_shelf.commands.session import Session
from mat_shelf.commands.streams import StreamCommands
from mat_shelf.commands.strewn import StrewnCommands
from mat_shelf.commands.vessel_solids import SolidCommands
from mat_shelf.document.fill import MOST_STACKED, MOST_VESSELS, Fill
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.fills.cavity import MM3_PER_ML
from mat_shelf.fills.liquids import LIQUIDS, Liquid
from mat_shelf.fills.vessel import VesselError, frame_of
from mat_shelf.geometry.pose import in_part_frame
from mat_shelf.scene.filled_cavities import cavities_of, up_of
from mat_shelf.scene.poured_liquids import PouredLiquid, poured_liquid, standing, volume_below
from mat_shelf.system.newest import Newest

_FULL_SHARE = 75.0
_LEAST_ROOM = 0.01
"""Of what a vessel holds, below which it counts as full."""


class FillCommands(FillReport, SolidCommands, FloatingCommands, StrewnCommands, StreamCommands):
    """Edits of fills and beads, and what there is to say about the one on the board.

    Parameters
    ----------
    session : Session
        The session.
    """

    def __init__(self, session: Session):
        self.session = session
        self._boards = Newest(1)
        FillReport.__init__(self)
        FloatingCommands.__init__(self)

    @property
    def project(self) -> Project:
        """The project."""
        return self.session.project

    @property
    def vessel(self) -> Part | None:
        """The part that is filled, or would be: the selected one, or what the selected liquid or drops are in or on."""
        return self._on_board()[0]

    @property
    def fill_part(self) -> Part | None:
        """The liquid on the board: the selected one, or the first in the selected vessel."""
        return self._on_board()[1]

    def _on_board(self) -> tuple[Part | None, Part | None]:
        """Vessel and liquid on the board, which many ask for after each edit."""
        return self._boards((self.project,), (self.session.selected,), self._found_on_board)

    def _found_on_board(self) -> tuple[Part | None, Part | None]:
        part = self.session.selected_part
        vessel = next(iter(self.project.product.carriers_of(part)), None) if part is not None else None
        return vessel, self._liquid_of(part, vessel)

    def _liquid_of(self, part: Part | None, vessel: Part | None) -> Part | None:
        if part is not None and part.fill is not None:
            return part
        if part is not None and any((part.bubbles, part.foam, part.stream)):
            return next((p for p in self.project.product.parts if p.id in part.stands_by and p.fill is not None), None)
        held = [p for p in self.project.product.parts if p.fill is not None and vessel and vessel.id in p.fill.vessel]
        gone = self.project.view.hides
        return min(held, key=lambda p: p.is_hidden or p.id in gone, default=None)

    @property
    def fill(self) -> Fill | None:
        """The fill on the board, in the cavity and with the gravity of what it lies on."""
        part = self.fill_part
        return standing(self.project, part.fill) if part is not None else None

    @property
    def has_fills(self) -> bool:
        """True if any vessel of the project is filled."""
        return any(p.fill is not None for p in self.project.product.parts)

    @property
    def stacked(self) -> tuple[Part, ...]:
        """The liquids in the cavity of the one on the board, the lowest first."""
        part = self.fill_part
        if part is None:
            return ()
        found = [*self.project.product.liquids_under(part.fill), part]
        while above := next((p for p in self.project.product.parts if p.fill and p.fill.over == found[-1].id), None):
            if above in found:
                break
            found.append(above)
        return tuple(found)

    @command
    def add_fill(self, liquid: Liquid = LIQUIDS[0], **values) -> None:
        """Fills the selected parts, as one vessel; what becomes of it is found aside.

        Parameters
        ----------
        liquid : Liquid
            The liquid; water by default.
        **values
            Fields of the fill that are others than by default.
        """
        chosen = [self.session.selected, *self.session.also_selected]
        parts = [p for p in self.project.product.parts if p.id in chosen and not p.is_derived]
        if not parts:
            self.session.said.emit("Select the vessel first, or several parts that hold the liquid together.")
            return
        if len(parts) > MOST_VESSELS:
            self.session.said.emit(f"{MOST_VESSELS} parts can be one vessel at most.")
            return
        vessel_ids = tuple(p.id for p in parts)
        fill = Fill(**{"vessel": vessel_ids, "share": _FULL_SHARE} | self._physics(liquid, parts[0]) | values)
        self._pour_new(liquid, fill, parts[0])

    @command
    def pour_on_top(self, liquid: Liquid, **values) -> None:
        """Pours another liquid onto those in the vessel on the board.

        Parameters
        ----------
        liquid : Liquid
            The liquid.
        **values
            Fields of the fill that are others than by default.
        """
        stacked, poured = self.stacked, self.liquid
        if not stacked:
            self.session.said.emit("Fill a vessel first; then another liquid can lie on that.")
            return
        if poured is None or self.is_unknown:
            self.session.said.emit(f"{stacked[-1].name} is not poured yet; try again when its values are shown.")
            return
        if len(stacked) >= MOST_STACKED:
            self.session.said.emit(f"{MOST_STACKED} liquids can lie on each other at most.")
            return
        low, top, vessel = stacked[0].fill, stacked[-1], self.project.part(stacked[0].fill.vessel[0])
        cavity = poured.cavity
        full = volume_below(self.project, Fill(vessel=low.vessel, over=top.id), cavity)
        room = (cavity.capacity - full) / MM3_PER_ML
        if room < _LEAST_ROOM * poured.capacity_ml:
            self.session.said.emit(f"{vessel.name} is full; take some of {top.name} out first.")
            return
        amount = {"measure": "volume", "volume": round(min(0.5 * room, 0.25 * poured.capacity_ml), 3)}
        place = {name: getattr(low, name) for name in ("vessel", "near", "tilt", "direction")}
        fill = Fill(**place | amount | self._physics(liquid, vessel) | values | {"over": top.id})
        self._pour_new(liquid, fill, vessel)

    def _pour_new(self, liquid: Liquid, fill: Fill, vessel: Part) -> None:
        """Adds a liquid as a part, once it is poured aside."""
        part = Part(id=new_id("fill"), name=liquid.name, mesh=vessel.mesh, fill=fill)
        project, assets = self.project, self.session.assets

        def work() -> PouredLiquid:
            """Pour it.

            Returns
            -------
            PouredLiquid
            """
            return poured_liquid(project, part, assets)

        def done(poured: PouredLiquid) -> None:
            """Keep it as a part.

            Parameters
            ----------
            poured : PouredLiquid
                The liquid.
            """
            self._show_working("")
            ids = {p.id for p in self.project.product.parts}
            if assets is not self.session.assets or any(i not in ids for i in part.stands_by):
                return
            name = free_name(liquid.name, {p.name for p in self.project.product.parts})
            made = part.with_(name=name, mesh=assets.add(NamedMesh(name, poured.part.mesh)))
            self._add(f"Fill {vessel.name}", made, liquid.swatch)
            if fill.over is not None:
                self.session.select(made.id)

        self._show_working(f"Looking for the cavity of {vessel.name}")
        self.session.aside(work, done, lambda fault: self._refuse(vessel, "cannot be filled", fault))

    def _add(self, label: str, part: Part, swatch: str) -> None:
        with self.session.as_one(label):
            self.session.edit(label, self.project.with_parts((*self.project.product.parts, part)))
            self.session.put_on([(part.id, None)], Wearable("swatch", swatch))
            self.session.select(
                self.project.product.carriers_of(part)[0].id
            )  # what is put in and on it is on the board with it

    def _physics(self, liquid: Liquid, vessel: Part) -> dict[str, float]:
        worn = next((m for m in self.project.materials if m.id == vessel.material), None)
        angle = liquid.angle_on(worn.family if worn is not None else "")
        return {"tension": liquid.tension, "density": liquid.density, "contact_angle": angle}

    @command
    def set_liquid(self, liquid: Liquid) -> None:
        """Changes what stands in the vessel: its look and how it behaves.

        Parameters
        ----------
        liquid : Liquid
            One of `LIQUIDS`.
        """
        part, vessel = self.fill_part, self.vessel
        if part is None or vessel is None:
            return
        with self.session.as_one(f"{liquid.name} in {vessel.name}"):
            self.put("Liquid", part.fill.with_(**self._physics(liquid, vessel)))
            poured = (part, *(each for each in (self.stream_part,) if each is not None))
            self.session.put_on([(each.id, None) for each in poured], Wearable("swatch", liquid.swatch))
            self.session.select(vessel.id)

    @command
    def put(self, label: str, fill: Fill, gesture: str | None = None) -> None:
        """Puts another fill in the place of the one on the board.

        Parameters
        ----------
        label : str
            Undo text.
        fill : Fill
            The fill.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        self.session.edit(label, self.with_fill(fill), gesture)

    def with_fill(self, fill: Fill) -> Project:
        """The project with another fill on the board; where it asks for more than there is room for, that is said.

        Parameters
        ----------
        fill : Fill
            The fill.

        Returns
        -------
        Project
        """
        part, poured = self.fill_part, self.liquid
        if part is None:
            return self.project
        now = self.fill
        is_same = poured is not None and (fill.vessel, fill.near) == (now.vessel, now.near)
        if is_same and fill.measure == "volume" and fill.tilt == now.tilt:
            most = poured.capacity_ml - poured.below / MM3_PER_ML
            if fill.volume > most:
                beside = " beside what is below" if poured.below else ""
                self.session.said.emit(f"{self.vessel.name} holds {most:.1f} ml{beside}; more would run out.")
                fill = fill.with_(volume=round(max(most, 1e-4), 3))
        project = self.project.with_part(part.with_(fill=fill))
        for low in self.project.product.liquids_under(part.fill)[:1]:  # which decides how all of them stand
            stands = {name: getattr(fill, name) for name in ("near", "tilt", "direction")}
            project = project.with_part(low.with_(fill=low.fill.with_(**stands)))
        return project

    @command
    def set_measure(self, measure: str) -> None:
        """Says how full the vessel is by another value, as full as it is now.

        Parameters
        ----------
        measure : str
            A key of `document.fill.MEASURES`.
        """
        fill, poured = self.fill, self.liquid
        if fill is None or measure == fill.measure:
            return
        now = {} if poured is None else self._full_as(measure, poured.body.volume - poured.below, poured)
        self.put("Measure", fill.with_(measure=measure, **now))

    @staticmethod
    def _full_as(measure: str, volume: float, poured: PouredLiquid) -> dict[str, float]:
        """The value by which a vessel is as full as by a volume, mm3."""
        if measure == "volume":
            return {"volume": round(max(volume / MM3_PER_ML, 1e-4), 4)}
        if measure == "share":
            return {"share": round(min(max(100 * volume / poured.cavity.capacity, 0.01), 100.0), 3)}
        if measure == "overfill":
            return {"overfill": 1.0}
        level = poured.cavity.level_of(poured.below + volume)
        return {"headspace": round(max(poured.cavity.spill - level, 0.0), 3)}

    @command
    def set_level(self, height: float, gesture: str | None = None) -> None:
        """Fills the vessel up to a height.

        Parameters
        ----------
        height : float
            Over the lowest point of the cavity, mm.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        fill, poured = self.fill, self.liquid
        if fill is None or poured is None:
            return
        cavity = poured.cavity
        least = cavity.level_of(poured.below) if poured.below else cavity.bottom
        level = min(max(cavity.bottom + height, least + 0.01 * (cavity.spill - cavity.bottom)), cavity.spill)
        if fill.measure in ("headspace", "overfill"):
            full = {"measure": "headspace", "headspace": round(cavity.spill - level, 3)}
        else:
            full = self._full_as(fill.measure, cavity.volume(level) - poured.below, poured)
        self.put("Level", fill.with_(**full), gesture)

    @command
    def take_next_cavity(self) -> None:
        """Puts the liquid into the next cavity of its vessel."""
        fill, assets = self.fill, self.session.assets
        if fill is None or self.liquid is None:
            return
        try:
            found = cavities_of(self.project, fill, assets)
        except VesselError as fault:
            self._refuse(self.vessel, "cannot be filled", fault)
            return
        if len(found) < 2:
            self.session.said.emit(f"{self.vessel.name} has one cavity only.")
            return
        now = next((k for k, cavity in enumerate(found) if cavity is self.liquid.cavity), 0)
        cavity = found[(now + 1) % len(found)]
        lowest = cavity.vessel.vertices[
            np.where(np.isfinite(cavity.reached), cavity.vessel.vertices[:, 1], np.inf).argmin()
        ]
        world = frame_of(up_of(fill)).T @ lowest
        near, _ = in_part_frame(world, (0, 1, 0), self.project.part(fill.vessel[0]).pose)
        self.put("Cavity", fill.with_(near=near))
