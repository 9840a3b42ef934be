"""Solids that float in the liquids of their vessels, and follow the level of these."""

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.floating import rise_to_float
from mat_shelf.fills.vessel import VesselError, make_vessel
from mat_shelf.scene.filled_cavities import cavity_round, parts_in, up_of
from mat_shelf.scene.held_parts import standing_mesh
from mat_shelf.scene.poured_liquids import poured_liquid, standing

_AT_REST = 2e-3
"""mm that a solid moves by at most where it floats already."""
_MOST_TURNS = 8
"""Times that all solids are moved after one edit, since each lifts the level for the others."""


class FloatingCommands:
    """Edits of solids that float; a part of `FillCommands`."""

    def __init__(self):
        self._is_settling, self._turns = False, 0
        self._aground: set[str] = set()
        self._settled = _around(self.project)
        self.session.project_replaced.connect(self._take_as_settled)
        self.session.project_changed.connect(self._follow_levels)

    @command
    def float_part(self, density: float) -> None:
        """Lets the selected part float in the liquid that it is in, from now on; how deep is found aside.

        Parameters
        ----------
        density : float
            Its density, g/cm3.
        """
        part, project, assets = self.session.selected_part, self.project, self.session.assets
        if part is None or part.is_derived:
            self.session.said.emit("Select a solid that lies in a liquid first.")
            return
        wanted = self.session.changed(part, "floats", density)
        if wanted is None:
            return

        def done(rise: np.ndarray) -> None:
            """Move it there.

            Parameters
            ----------
            rise : (3,) float64
                Way that it goes, mm.
            """
            self._show_working("")
            if next((p for p in self.project.product.parts if p.id == part.id), None) != part:
                self.session.said.emit(f"{part.name} was changed meanwhile, and stays where it is; try again.")
                return
            self.session.edit(f"Float {part.name}", self.project.with_part(_moved(wanted, rise)))

        self._show_working(f"Floating {part.name}")
        self.session.aside(
            lambda: rise_of(project, wanted, assets), done, lambda fault: self._refuse(part, "does not float", fault)
        )

    @command
    def let_stay(self) -> None:
        """Lets the selected part stay where it is, whatever the level does."""
        part = self.session.selected_part
        if part is not None and part.floats is not None:
            self.session.edit(f"Let {part.name} stay", self.project.with_part(part.with_(floats=None)))

    def _take_as_settled(self) -> None:
        self._settled = _around(self.project)

    def _follow_levels(self) -> None:
        """Moves what floats after an edit of what it floats in; it is part of the same step of the history."""
        around = _around(self.project)
        if around is None or self._is_settling or around == self._settled:
            return
        self._settled, self._turns = around, 0
        self._settle()

    def _settle(self) -> None:
        project, assets = self.project, self.session.assets
        floating = [part for part in project.product.parts if part.floats is not None and not part.is_hidden]
        self._is_settling = True

        def work() -> tuple[list[tuple[Part, np.ndarray]], dict[str, str]]:
            """Find out where they float.

            Returns
            -------
            list of (Part, (3,) float64), dict of str
                Those that move, and their ways, mm; and why others stay where they are, by id.
            """
            found, aground = [], {}
            for part in floating:
                try:
                    rise = rise_of(project, part, assets)
                except VesselError as fault:
                    aground[part.id] = f"{part.name} stays where it is: {fault}."
                    continue
                if np.abs(rise).max() > _AT_REST:
                    found.append((part, rise))
            return found, aground

        def done(result: tuple[list[tuple[Part, np.ndarray]], dict[str, str]]) -> None:
            """Move them.

            Parameters
            ----------
            result : tuple
                Result of the work.
            """
            self._is_settling = False
            (found, aground), changed = result, self.project
            for part_id in aground.keys() - self._aground:  # said once, not at each stroke of a drag
                self.session.said.emit(aground[part_id])
            self._aground = set(aground)
            # While a level is dragged they come after it; after an undo they are where they were.
            is_of_now = _around(changed) == self._settled or self.session.history.is_in_gesture
            for part, rise in found if is_of_now else ():
                if part in changed.product.parts:  # it may have been carried elsewhere meanwhile
                    changed = changed.with_part(_moved(part, rise))
            self._turns += 1
            if changed is not self.project:
                self.session.amend(changed)
                if _around(changed) == self._settled and self._turns < _MOST_TURNS and not self._is_settling:
                    self._settle()
                    return
            self._follow_levels()

        def failed(fault: Exception) -> None:
            """Let them be asked for again.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            self._is_settling = False
            raise fault

        self.session.aside(work, done, failed)


def rise_of(project: Project, part: Part, assets) -> np.ndarray:
    """Way to where a solid floats.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        A part that floats.
    assets : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    (3,) float64
        mm.

    Raises
    ------
    VesselError
        If it is in no liquid, sinks, or stands on the bottom.
    """
    liquid = _liquid_round(project, part, assets)
    whole, below = poured_liquid(project, liquid, assets), standing(project, liquid.fill)
    up = np.array(up_of(below))
    solid = make_vessel(standing_mesh(part, assets), up)
    cavity = cavity_round(project, below, assets, without=part.id)
    ratio = part.floats / max(liquid.fill.density, 1e-6)
    return up * rise_to_float(solid, cavity, whole.body.volume, ratio)


def _liquid_round(project: Project, part: Part, assets) -> Part:
    """The uppermost liquid of the cavity that a part is in. Raises VesselError."""
    fills = [p for p in project.product.parts if p.fill is not None and not p.is_hidden]
    under = {p.fill.over for p in fills}
    for liquid in fills:
        if liquid.id in under or part.id in liquid.fill.vessel:
            continue
        try:
            held = parts_in(project, standing(project, liquid.fill), assets)
        except VesselError:
            continue
        if any(each.id == part.id for each in held):
            return liquid
    raise VesselError("it is in no liquid; carry it into a filled vessel first")


def _moved(part: Part, way: np.ndarray) -> Part:
    shift = tuple(round(float(a + b), 5) for a, b in zip(part.pose.shift, way, strict=True))
    return part.with_(pose=part.pose.with_(shift=shift))


def _around(project: Project) -> tuple | None:
    """All that decides on where solids float, but for where they are; None where none does."""
    parts = project.product.parts
    if all(part.floats is None for part in parts):
        return None
    return tuple(
        (part.id, part.mesh, part.fill, part.is_hidden, part.floats, part.pose if part.floats is None else None)
        for part in parts
    )
