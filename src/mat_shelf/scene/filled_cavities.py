"""Cavities of the vessels of a project, without the room of what is in them, kept from one pouring to the next."""

from threading import RLock

import numpy as np

from mat_shelf.document.fill import Fill
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.cavity import Cavity, find_cavities
from mat_shelf.fills.vessel import VesselError, frame_of, joined_vessel, make_vessel
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.scene.held_parts import held_parts, shape_key, standing_mesh

_MOST_VESSELS, _MOST_PARTS = 12, 2000
_vessels: dict[tuple, "list[Cavity] | VesselError"] = {}
_closed: dict[tuple, bool] = {}
_lock = RLock()


def up_of(fill: Fill) -> tuple[float, float, float]:
    """Direction against gravity.

    Parameters
    ----------
    fill : Fill
        The fill.

    Returns
    -------
    (3,) float
    """
    tilt, way = np.radians(fill.tilt), np.radians(fill.direction)
    return (-float(np.sin(tilt) * np.cos(way)), float(np.cos(tilt)), float(np.sin(tilt) * np.sin(way)))


def vessel_key(project: Project, fill: Fill) -> tuple | None:
    """All that decides on a vessel's cavities; None where it is gone.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.

    Returns
    -------
    tuple or None
    """
    parts = {part.id: part for part in project.product.parts}
    if any(i not in parts or parts[i].is_derived for i in fill.vessel):
        return None
    return tuple(shape_key(parts[i]) for i in fill.vessel), up_of(fill)


def cavities_of(project: Project, fill: Fill, supplies) -> list[Cavity]:
    """The cavities of a fill's vessel, the largest first.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    list of Cavity

    Raises
    ------
    VesselError
        If it has none, or its vessel is gone.
    """
    key = vessel_key(project, fill)
    if key is None:
        raise VesselError("its vessel is not there any more; choose another part to fill")
    return _cavities(key, [project.part(i) for i in fill.vessel], up_of(fill), supplies)


def _cavities(key: tuple, parts: list[Part], up, supplies) -> list[Cavity]:
    """Cavities of some parts together, kept by a key. Raises VesselError."""
    with _lock:
        if key not in _vessels:
            try:
                _vessels[key] = find_cavities(joined_vessel([standing_mesh(part, supplies) for part in parts], up))
            except VesselError as fault:
                _vessels[key] = fault
            while len(_vessels) > _MOST_VESSELS:
                del _vessels[next(iter(_vessels))]
        found = _vessels[key]
    if isinstance(found, VesselError):
        raise found
    return found


def cavity_of(project: Project, fill: Fill, supplies) -> Cavity:
    """The cavity that a fill is in. Raises VesselError.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    Cavity
    """
    found = cavities_of(project, fill, supplies)
    if fill.near is None or len(found) == 1:
        return found[0]
    pose = project.part(fill.vessel[0]).pose
    place = np.array(fill.near) * pose.scale @ turn_matrix(pose.turn).T + np.array(pose.shift)
    return _nearest(found, frame_of(up_of(fill)) @ place)


def _nearest(found: list[Cavity], place: np.ndarray) -> Cavity:
    """The cavity whose wall is nearest to a place."""

    def away(cavity: Cavity) -> float:
        """Distance of its wall from the place, mm.

        Parameters
        ----------
        cavity : Cavity
            The cavity.

        Returns
        -------
        float
        """
        wet = cavity.vessel.vertices[np.isfinite(cavity.reached)]
        return float(np.linalg.norm(wet - place, axis=1).min())

    return min(found, key=away)


def cavity_round(project: Project, fill: Fill, supplies, without: str | None = None) -> Cavity:
    """The cavity that a fill is in, without the room that other parts in it take.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    supplies : Supplies
        Meshes, and faces of zones.
    without : str, optional
        Id of a part that takes no room.

    Returns
    -------
    Cavity
        Parts that are not closed take no room.

    Raises
    ------
    VesselError
        If its vessel has none, or is gone.
    """
    plain = cavity_of(project, fill, supplies)
    solids = [part for part in parts_in(project, fill, supplies) if part.id != without and _is_closed(part, supplies)]
    if not solids:
        return plain
    turn, vessel = frame_of(up_of(fill)), [project.part(i) for i in fill.vessel]
    wet = np.where(np.isfinite(plain.reached), plain.vessel.vertices[:, 1], np.inf)
    lowest = plain.vessel.vertices[wet.argmin()]

    def lies_below(part: Part) -> bool:
        """True if all of a part is below the brim.

        Parameters
        ----------
        part : Part
            The part.

        Returns
        -------
        bool
        """
        return float((standing_mesh(part, supplies).vertices @ turn[1]).max()) < plain.spill

    # A stopper would make it a closed space, with no brim to measure from.
    for narrowed in (lambda: solids, lambda: [part for part in solids if lies_below(part)]):
        parts = narrowed()
        if not parts:
            break
        key = vessel_key(project, fill), tuple(shape_key(part) for part in parts)
        try:
            found = _nearest(_cavities(key, [*vessel, *parts], up_of(fill), supplies), lowest)
        except VesselError:
            continue
        if plain.is_closed or not found.is_closed:
            return found
    return plain


def parts_in(project: Project, fill: Fill, supplies) -> tuple[Part, ...]:
    """The visible parts in the cavity of a fill. Raises VesselError.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    tuple of Part
    """
    return held_parts(project, fill, cavity_of(project, fill, supplies), up_of(fill), supplies)


def open_parts(project: Project, fill: Fill, supplies) -> tuple[Part, ...]:
    """The parts in the cavity of a fill that take no room, since they enclose none. Raises VesselError.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    tuple of Part
    """
    return tuple(part for part in parts_in(project, fill, supplies) if not _is_closed(part, supplies))


def _is_closed(part: Part, supplies) -> bool:
    key = shape_key(part)
    with _lock:
        if key not in _closed:
            try:
                make_vessel(standing_mesh(part, supplies))
                _closed[key] = True
            except VesselError:
                _closed[key] = False
            while len(_closed) > _MOST_PARTS:
                del _closed[next(iter(_closed))]
        return _closed[key]
