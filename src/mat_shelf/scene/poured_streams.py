"""Streams that are poured onto the liquids of a project, kept from one build of a scene to the next."""

from threading import RLock
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.document.fill import Stream
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.cavity import Cavity
from mat_shelf.fills.pouring import Fall, stream_mesh
from mat_shelf.fills.surface_mesh import is_inside
from mat_shelf.fills.vessel import VesselError
from mat_shelf.geometry.caps import NO_CAPS, Caps
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.scene.displacement import ReshapedPart
from mat_shelf.scene.poured_liquids import PouredLiquid, fall_on, poured_liquid, stands_at_home

_MOST_KEPT = 12
_SUNK, _CLEAR = 1.0, 0.9
"""mm that a stream goes on below the surface, beside twice its radius; and at most, of the depth there."""
_SEGMENTS = 60
"""Parts of its way that are looked at for walls."""
_known: dict[tuple, tuple["PouredStream | VesselError", PouredLiquid]] = {}
_lock = RLock()


class PouredStream(NamedTuple):
    """A stream, and how it falls.

    part : ReshapedPart, as it stands in the scene
    fall : Fall, in the frame of the vessel
    """

    part: ReshapedPart
    fall: Fall


def poured_stream(project: Project, part: Part, supplies, dragged: frozenset[str] = frozenset()) -> PouredStream | None:
    """The stream of a part that is one; None where its liquid is gone, or another one lies on that.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        A part with a stream.
    supplies : Supplies
        Meshes, and faces of zones.
    dragged : frozenset of str
        Liquids, by part, whose surfaces may be coarse.

    Returns
    -------
    PouredStream or None

    Raises
    ------
    VesselError
        If it cannot be poured, or its liquid cannot.
    """
    liquid = next((p for p in project.product.parts if p.id == part.stream.liquid and p.fill is not None), None)
    if liquid is None or any(p.fill is not None and p.fill.over == liquid.id for p in project.product.parts):
        return None
    poured = poured_liquid(project, liquid, supplies, dragged)
    key = part.stream, id(poured)
    with _lock:
        if key not in _known:
            # The liquid goes along, so that no other one gets its id meanwhile.
            _known[key] = _made(part.stream, poured), poured
            while len(_known) > _MOST_KEPT:
                del _known[next(iter(_known))]
        found = _known[key][0]
    if isinstance(found, VesselError):
        raise found
    return found


def _made(stream: Stream, poured: PouredLiquid) -> PouredStream | VesselError:
    fall, cavity, level = fall_on(stream, poured.cavity), poured.cavity, poured.body.level
    lines = [points[:, [0, 2]] * (1, -1) for points, _ in poured.body.contact_lines]
    place = np.array([[fall.x, -fall.z]])
    if not is_inside(place, lines)[0] or cKDTree(np.concatenate(lines)).query(place)[0][0] < fall.foot:
        return VesselError("it would land beside the liquid; let it land nearer to the middle")
    if _meets_wall(fall, cavity, level):
        return VesselError("it would run through the wall; bring its mouth nearer, or let it begin higher")
    down = cavity.vessel.rays.intersect(np.float32([[fall.x, level, fall.z]]), np.float32([[0, -1, 0]]))
    depth = float(down[4][0]) if down[0][0] >= 0 else level - cavity.bottom
    sunk = max(min(2 * fall.foot + _SUNK, _CLEAR * depth - fall.foot), 0.05)
    mesh = stream_mesh(fall, level, sunk)
    turned = Mesh(
        np.ascontiguousarray(mesh.vertices @ poured.to_world.T, np.float32),
        mesh.triangles,
        np.ascontiguousarray(mesh.normals @ poured.to_world.T, np.float32),
    )
    return PouredStream(stands_at_home(turned), fall)


def _meets_wall(fall: Fall, cavity: Cavity, level: float) -> bool:
    """True if the middle of a stream runs through the vessel."""
    line = fall.line(np.linspace(0, fall.duration, _SEGMENTS + 1)) + (0, level, 0)
    way = np.diff(line, axis=0)
    length = np.linalg.norm(way, axis=1)
    hits = cavity.vessel.rays.intersect(np.float32(line[:-1]), np.float32(way / length[:, None]))
    return bool(((hits[0] >= 0) & (hits[4] < length)).any())


def stream_parts(project: Project, supplies, dragged: frozenset[str] = frozenset()) -> dict[str, ReshapedPart | Caps]:
    """The streams of a project as they stand in the scene, by part; nothing is seen of one that cannot be poured.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Meshes, and faces of zones.
    dragged : frozenset of str
        Liquids, by part, whose surfaces may be coarse.

    Returns
    -------
    dict of ReshapedPart or Caps
    """
    found = {}
    for part in project.product.parts:
        if part.stream is not None and not part.is_hidden:
            try:
                poured = poured_stream(project, part, supplies, dragged)
                found[part.id] = NO_CAPS if poured is None else poured.part
            except VesselError:  # the Fill station says why
                found[part.id] = NO_CAPS
    return found
