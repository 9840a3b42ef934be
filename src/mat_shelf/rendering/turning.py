"""Turns: the project at each moment of one, whether product, camera or lights go round."""

from typing import Literal, NamedTuple

import numpy as np

from mat_shelf.document.ids import by_id
from mat_shelf.document.project import Project
from mat_shelf.geometry.pose import posed_bounds, turn_matrix, turned_about
from mat_shelf.rendering.camera_path import between
from mat_shelf.rendering.navigation import orbit
from mat_shelf.scene.material_table import Supplies

Going = Literal["product", "camera", "lights", "view"]
GOING: dict[Going, str] = {
    "product": "Product goes round",
    "camera": "Camera goes round",
    "lights": "Lights go round",
    "view": "Camera goes to a view",
}


class Turn(NamedTuple):
    """A turn about the upright axis through the product's middle, or a move of the camera to another view.

    Attributes
    ----------
    going : str
        What goes round: product, camera or lights; or ``view`` where the camera moves.
    frames : int
        Pictures; of a whole turn the last one is a step before the first.
    degrees : float
        Angle of the whole turn; below 0 the other way round.
    is_eased : bool
        Whether it starts and ends slowly, where it is no whole turn.
    to : str
        Id of the view that the camera moves to.
    """

    going: Going = "product"
    frames: int = 36
    degrees: float = 360.0
    is_eased: bool = False
    to: str = ""

    @property
    def is_whole(self) -> bool:
        """True if it ends where it began.

        Returns
        -------
        bool
        """
        return self.going != "view" and abs(self.degrees) % 360 == 0

    def angle(self, frame: int) -> float:
        """Angle of a frame, degrees.

        Parameters
        ----------
        frame : int
            From 0.

        Returns
        -------
        float
        """
        return self.degrees * self.share(frame)

    def share(self, frame: int) -> float:
        """Share of the way that a frame has gone.

        Parameters
        ----------
        frame : int
            From 0.

        Returns
        -------
        float
        """
        steps = self.frames if self.is_whole else max(self.frames - 1, 1)
        share = frame / steps
        if self.is_eased and not self.is_whole:
            share = share * share * (3 - 2 * share)
        return share


def middle_of(project: Project, supplies: Supplies) -> tuple[float, float, float]:
    """Middle of all that shows of a product, mm.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Meshes.

    Returns
    -------
    (3,) float
    """
    parts = [part for part in project.product.parts if not part.is_hidden and not part.is_derived]
    if not parts:
        return 0.0, 0.0, 0.0
    bounds = np.array([posed_bounds(supplies.meshes[part.mesh], part.pose) for part in parts])
    middle = (bounds[:, 0].min(axis=0) + bounds[:, 1].max(axis=0)) / 2
    return tuple(float(x) for x in middle)


def turned(project: Project, supplies: Supplies, turn: Turn, frame: int) -> Project:
    """The project at one frame of a turn.

    Parameters
    ----------
    project : Project
        The project, at its beginning.
    supplies : Supplies
        Meshes.
    turn : Turn
        The turn.
    frame : int
        From 0.

    Returns
    -------
    Project

    Raises
    ------
    KeyError
        If there is no view that the camera could go to.
    """
    if turn.going == "view":
        view, end = project.view, by_id(project.views, turn.to)
        return project.with_view(view.with_(camera=between(view.camera, end.camera, turn.share(frame))))
    angle = turn.angle(frame)
    if angle == 0:
        return project
    middle, by = middle_of(project, supplies), turn_matrix((0.0, angle, 0.0))
    if turn.going == "product":
        parts = (
            part if part.is_derived else part.with_(pose=turned_about(part.pose, by, middle))
            for part in project.product.parts
        )
        return project.with_parts(parts)
    if turn.going == "camera":
        view = project.view
        camera = orbit(view.camera, float(np.radians(angle)), 0.0, middle)
        return project.with_view(view.with_(camera=camera))

    studio = project.set
    return project.with_set(studio.with_(turn=(studio.turn + angle + 180) % 360 - 180))
