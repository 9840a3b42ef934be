"""Places, sizes and directions of parts."""

from collections.abc import Callable, Iterable

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.product import Part, Pose
from mat_shelf.document.project import Project
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import Z_UP_TURN, posed, scaled_about, turn_matrix, turned_about
from mat_shelf.geometry.size import UNITS
from mat_shelf.scene.drop_test import clearance_below
from mat_shelf.scene.smoothed_parts import smooth_surface_of


class PoseCommands:
    """Edits of poses; a part of `ProductCommands`."""

    @command
    def rescale(self, part_ids: list[str], was: str, unit: str) -> None:
        """Takes the numbers of some parts, which were read in one unit, for another.

        Parameters
        ----------
        part_ids : list of str
            Ids of the parts.
        was : str
            Unit that the numbers were read in.
        unit : str
            Unit, a key of `geometry.size.UNITS`.
        """
        parts = [part for part in self.project.product.parts if part.id in part_ids]
        low, high = self.bounds(parts)
        foot = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        factor = UNITS[unit] / UNITS[was]
        self._pose(f"Read as {unit}", parts, lambda pose: scaled_about(pose, factor, foot))

    @command
    def align(self, axis: int, at: float) -> None:
        """Aligns the selected parts with the first of them.

        Parameters
        ----------
        axis : int
            0 across, 1 up, 2 near.
        at : float
            0 aligns their lowest ends along the axis, 0.5 their middles, 1 their highest.
        """
        first, *others = self.picked()
        if not others or not self.session.also_selected:
            self.session.said.emit("Select the part to align with, then Ctrl+click the others in the list.")
            return

        def place(part: Part) -> float:
            """Place of a part along the axis, mm.

            Parameters
            ----------
            part : Part
                The part.

            Returns
            -------
            float
            """
            low, high = self.bounds([part])
            return float(low[axis] + at * (high[axis] - low[axis]))

        wanted = place(first)
        with self.session.as_one("Align"):
            for part in others:
                self.shift([part], np.eye(3)[axis] * (wanted - place(part)))

    def _change(self, label: str, parts: Iterable[Part], change: Callable[[Part], Part], gesture=None) -> None:
        changed = {part.id: change(part) for part in parts}
        kept = (changed.get(part.id, part) for part in self.project.product.parts)
        self.session.edit(label, self.project.with_parts(kept), gesture)

    def _pose(self, label: str, parts: Iterable[Part], change: Callable[[Pose], Pose], gesture=None) -> None:
        self._change(label, parts, lambda part: part.with_(pose=change(part.pose)), gesture)

    @command
    def scale_to(self, factor: float, label: str = "Size") -> None:
        """Scales the whole product about the middle of its foot.

        Parameters
        ----------
        factor : float
            Factor of all lengths.
        label : str
            Undo text.
        """
        low, high = self.bounds()
        if not (1e-6 < factor < 1e6) or not 1e-3 < float((high - low).max()) * factor < 1e7:
            self.session.said.emit("That would make the product impossibly large or small; nothing was changed.")
            return
        self.session.edit(label, self._scaled(factor))

    def _scaled(self, factor: float) -> Project:
        low, high = self.bounds()
        foot = ((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2)
        parts = (part.with_(pose=scaled_about(part.pose, factor, foot)) for part in self.project.product.parts)
        return self.project.with_parts(parts)

    @command
    def read_as(self, unit: str) -> None:
        """Takes the numbers of the model's file for another unit.

        Parameters
        ----------
        unit : str
            Unit, a key of `geometry.size.UNITS`.
        """
        factor = UNITS[unit] / UNITS[self.project.product.unit]
        if factor != 1:
            scaled = self._scaled(factor)
            self.session.edit(f"Read as {unit}", scaled.with_(product=scaled.product.with_(unit=unit)))

    @command
    def shift(self, parts: list[Part], by, label: str = "Move", gesture: str | None = None) -> None:
        """Move parts by millimetres.

        Parameters
        ----------
        parts : list of Part
            Parts.
        by : (3,) float
            Shift, mm.
        label : str
            Undo text.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        by = np.asarray(by, np.float64)
        self._pose(label, parts, lambda pose: pose.with_(shift=tuple((by + pose.shift).tolist())), gesture)

    @command
    def stand_on_floor(self) -> None:
        """Move the selected parts onto the floor."""
        parts = self.picked()
        if not any(part.smoothing for part in parts):
            self.shift(parts, (0, -self.bounds(parts)[0, 1], 0), "Move onto floor")
            return

        def lowest() -> float:
            """Height of the lowest point, mm.

            Returns
            -------
            float
            """
            return min(float(self._as_it_stands(part).bounds[0, 1]) for part in parts)

        self._aside(lowest, lambda low: self.shift(parts, (0, -low, 0), "Move onto floor"))

    def _as_it_stands(self, part: Part) -> Mesh:
        """Surface of a part in the scene, but for true relief."""
        assets = self.session.assets
        smooth = smooth_surface_of(part, assets.meshes, assets.faces)
        return posed(assets.meshes[part.mesh] if smooth is None else smooth.mesh, part.pose)

    @command
    def set_down(self) -> None:
        """Lets the selected part sink until it touches what stands below it."""
        part = self.session.selected_part
        if part is None:
            self.stand_on_floor()
            return
        others = [p for p in self.project.product.parts if p.id != part.id and not p.is_hidden]

        def room() -> float:
            """Distance to what is below, mm.

            Returns
            -------
            float
            """
            return clearance_below(self._as_it_stands(part), [self._as_it_stands(p) for p in others])

        def sink(by: float) -> None:
            """Lower the part.

            Parameters
            ----------
            by : float
                Millimetres.
            """
            present = next((p for p in self.project.product.parts if p.id == part.id), None)
            if present is None:
                return
            if (present.pose, present.mesh) != (part.pose, part.mesh):
                self.session.said.emit(f"{part.name} was moved meanwhile and was not dropped; try again.")
            elif by:
                self.shift([present], (0, -by, 0), f"Drop {part.name} to floor")

        self._aside(room, sink)

    @command
    def centre(self) -> None:
        """Move the selected parts over the middle of the set."""
        parts = self.picked()
        low, high = self.bounds(parts)
        self.shift(parts, (-(low[0] + high[0]) / 2, 0, -(low[2] + high[2]) / 2), "Centre")

    @command
    def turn(self, axis: int, degrees: float, about=None, gesture: str | None = None) -> None:
        """Turns what is picked.

        Parameters
        ----------
        axis : int
            Axis: 0, 1, 2 for x, y, z.
        degrees : float
            Angle.
        about : (3,) float or None
            Point that stays, mm; the middle of the box by default.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        parts = self.picked()
        middle = self.bounds(parts).mean(axis=0) if about is None else about
        by = turn_matrix(np.eye(3)[axis] * degrees)
        self._pose("Rotate", parts, lambda pose: turned_about(pose, by, middle), gesture)

    def upright(self) -> None:
        """Stands a model up that was made with z upward."""
        self.set_up_axis(self.picked(), "z")

    @command
    def set_up_axis(self, parts: list[Part], up: str) -> None:
        """Turns parts so that another axis points up, and puts them on the floor.

        Parameters
        ----------
        parts : list of Part
            Parts.
        up : {"z", "y"}
            "z" turns them from z-up to y-up; "y" takes that back.
        """
        low, high = self.bounds(parts)
        middle = (low + high) / 2
        by = turn_matrix(np.array(Z_UP_TURN) * (1 if up == "z" else -1))
        with self.session.as_one("Z-up to Y-up" if up == "z" else "Y-up"):
            self._pose("Rotate", parts, lambda pose: turned_about(pose, by, middle))
            parts = [self.project.part(part.id) for part in parts]
            self.shift(parts, (0, -self.bounds(parts)[0, 1], 0))
