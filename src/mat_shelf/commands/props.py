"""Props of the set: added, placed, dressed and removed."""

from pathlib import Path

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, name_from, new_id
from mat_shelf.document.prop import PROP_KINDS, Prop
from mat_shelf.document.set import MOST_PROPS
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import standing_mesh
from mat_shelf.geometry.mesh import MeshError

_BETWEEN = 45.0
"""mm from one prop to the next."""


class PropCommands:
    """Commands on the props of the set in use; a part of `Session`."""

    _prop_place = 0

    @property
    def prop_place(self) -> int:
        """Place of the selected prop in the set, the last one where there are fewer; -1 where there is none."""
        return min(self._prop_place, len(self.project.set.props) - 1)

    @property
    def prop(self) -> Prop | None:
        """The selected prop."""
        return self.project.set.props[self.prop_place] if self.prop_place >= 0 else None

    def select_prop(self, place: int) -> None:
        """Selects a prop.

        Parameters
        ----------
        place : int
            Its place in the set.
        """
        self._prop_place = place
        self.prop_changed.emit()

    def with_prop(self, prop: Prop):
        """The set in use, with another prop in place of the selected one.

        Parameters
        ----------
        prop : Prop
            The prop.

        Returns
        -------
        Set
        """
        props = list(self.project.set.props)
        props[self.prop_place] = prop
        return self.project.set.with_(props=tuple(props))

    @command
    def put_prop(self, label: str, prop: Prop, gesture: str | None = None) -> None:
        """Puts another prop in the place of the selected one.

        Parameters
        ----------
        label : str
            Text of the edit.
        prop : Prop
            The prop.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.prop is not None:
            self.edit(label, self.project.with_set(self.with_prop(prop)), gesture)

    @command
    def add_prop(self, kind: str, bounds) -> None:
        """Stands a prop that comes with the program beside the product, and selects it.

        Parameters
        ----------
        kind : str
            A key of `PROP_KINDS`.
        bounds : (2, 3) float
            Lowest and highest corner of the product, mm.
        """
        low, high = np.asarray(bounds, np.float64)
        beside = 30.0 + _BETWEEN * len(self.project.set.props)
        place = {"x": float(high[0]) + beside, "z": float(high[2])}
        if kind == "ruler":
            place = {"x": float(low[0] + high[0]) / 2, "z": float(high[2]) + 30.0}
        elif kind == "curtain":
            place = {"x": float(low[0] + high[0]) / 2, "z": float(low[2]) - 120.0}
        self._add_prop(Prop(id=new_id("prop"), name=PROP_KINDS[kind], kind=kind, **_rounded(place)))

    @command
    def add_model_prop(self, path: Path, bounds) -> None:
        """Stands a model beside the product as a prop, and selects it; it is read aside.

        Parameters
        ----------
        path : Path
            Model file.
        bounds : (2, 3) float
            Lowest and highest corner of the product, mm.
        """
        assets, name, high = self.assets, name_from(path.stem, "Prop"), np.asarray(bounds, np.float64)[1]

        def work() -> tuple[str, float]:
            """Read the model.

            Returns
            -------
            (str, float)
            """
            mesh = standing_mesh(import_model(path))
            return assets.add(NamedMesh(name, mesh)), float(np.ptp(mesh.bounds, axis=0)[0])

        def done(kept: tuple[str, float]) -> None:
            """Stand it there.

            Parameters
            ----------
            kept : (str, float)
                SHA-256 of its mesh, and its width.
            """
            if self.assets is assets:
                place = {"x": float(high[0]) + 30.0 + kept[1] / 2, "z": float(high[2])}
                self._add_prop(Prop(id=new_id("prop"), name=name, kind="model", mesh=kept[0], **_rounded(place)))

        def failed(fault: Exception) -> None:
            """Say why it cannot be used.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            if not isinstance(fault, OSError | MeshError):
                raise fault
            self.said.emit(f"{path.name} was not added as a prop: {fault}.")

        self.aside(work, done, failed)

    @command
    def remove_prop(self) -> None:
        """Removes the selected prop."""
        prop, props = self.prop, list(self.project.set.props)
        if prop is not None:
            del props[self.prop_place]
            self.edit(f"Remove {prop.name}", self.project.with_set(self.project.set.with_(props=tuple(props))))

    @command
    def switch_prop(self, place: int, is_on: bool) -> None:
        """Shows or hides a prop.

        Parameters
        ----------
        place : int
            Its place in the set.
        is_on : bool
            Whether it is shown.
        """
        props = list(self.project.set.props)
        props[place] = props[place].with_(is_on=is_on)
        label = f"{'Show' if is_on else 'Hide'} {props[place].name}"
        self.edit(label, self.project.with_set(self.project.set.with_(props=tuple(props))))

    def _add_prop(self, prop: Prop) -> None:
        props = self.project.set.props
        if len(props) >= MOST_PROPS:
            self.said.emit(f"A set holds {MOST_PROPS} props at most; remove one first.")
            return
        prop = prop.with_(name=free_name(prop.name, {each.name for each in props}))
        self._prop_place = len(props)
        self.edit(f"Add {prop.name}", self.project.with_set(self.project.set.with_(props=(*props, prop))))
        self.prop_changed.emit()


def _rounded(place: dict[str, float]) -> dict[str, float]:
    return {name: round(min(max(value, -1e5), 1e5), 2) for name, value in place.items()}
