"""Turns: the project at each moment of one, whether product, camera or lights go round."""

import numpy as np

from mat_shelf.document.ids import by_id
from mat_shelf.document.project import Project
from mat_shelf.document.turn import Turn
from mat_shelf.geometry.pose import posed_bounds, turn_matrix, turned_about
from mat_shelf.rendering.camera_path import between
from mat_shelf.rendering.navigation import orbit
from mat_shelf.scene.supplies import Supplies


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


def at_time(project: Project, seconds: float) -> Project:
    """The project with the frames of clips at a time.

    Parameters
    ----------
    project : Project
        The project.
    seconds : float
        From the beginning.

    Returns
    -------
    Project
        Itself, where nothing has a clip.
    """
    runs = {mark.id for mark in project.marks if mark.clip is not None and mark.kind == "screen"}
    if not runs:
        return project
    marks = (mark.with_(art=mark.clip.at(seconds)) if mark.id in runs else mark for mark in project.marks)
    return project.with_(marks=tuple(marks))


def turned(project: Project, supplies: Supplies, turn: Turn, frame: int) -> Project:
    """The project at one frame of a turn, with what its screens show then.

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
    project = at_time(project, turn.seconds * frame / turn.frames)
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
