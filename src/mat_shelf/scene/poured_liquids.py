"""Liquids as they stand in the vessels of a project, kept from one build of a scene to the next."""

from contextlib import suppress
from threading import RLock
from typing import NamedTuple

import numpy as np

from mat_shelf.document.fill import Fill, Stream
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.cavity import MM3_PER_ML, Cavity
from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.liquid import LiquidBody, overfill, pour, wall_depths, wall_thickness
from mat_shelf.fills.pouring import Fall
from mat_shelf.fills.surface_mesh import COARSE, FINE, Fineness
from mat_shelf.fills.vessel import VesselError, frame_of
from mat_shelf.geometry.caps import NO_CAPS, Caps
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.scene.displacement import ReshapedPart
from mat_shelf.scene.filled_cavities import cavities_of, cavity_round, parts_in, up_of, vessel_key
from mat_shelf.scene.held_parts import shape_key

_MOST_VESSELS, _MOST_LIQUIDS = 12, 24
_LEAST_SHARE = 2e-4
"""Of its capacity, under which a vessel is as good as empty."""
_LEAST_REACH = 0.02
"""mm that a liquid reaches into its wall, however small the tolerance of contact is."""
_LESS_DEEP = 0.85
"""Depth to which a liquid on another reaches into the wall, of what that does."""
_HOME = np.float32([0, 0, 1, 0, 0, 1])
_walls: dict[int, tuple[Cavity, np.ndarray]] = {}
_liquids: dict[tuple, "PouredLiquid | VesselError"] = {}
_lock = RLock()


class PouredLiquid(NamedTuple):
    """Liquid in a vessel, and what there is to say about it.

    part : ReshapedPart, as it stands in the scene
    body : LiquidBody, in the frame of the vessel
    cavity : Cavity
    wall : (float, float), mm; thickness of the vessel's wall, but for the thinnest and thickest twentieth
    count : int, number of cavities of the vessel
    below : float, mm3; volume of the liquids that it lies on, which its body goes on through
    to_world : (3, 3) float64, the rotation from that frame
    """

    part: ReshapedPart
    body: LiquidBody
    cavity: Cavity
    wall: tuple[float, float]
    count: int
    to_world: np.ndarray
    below: float = 0.0

    @property
    def capacity_ml(self) -> float:
        """Volume that the vessel holds when full.

        Returns
        -------
        float
        """
        return self.cavity.capacity / MM3_PER_ML

    @property
    def volume_ml(self) -> float:
        """Volume of the liquid.

        Returns
        -------
        float
        """
        return (self.body.volume - self.below) / MM3_PER_ML

    @property
    def headspace_mm(self) -> float:
        """Height from the level to where it would run out.

        Returns
        -------
        float
        """
        return self.cavity.spill - self.body.level

    @property
    def level_mm(self) -> float:
        """Height of the level over the lowest point of the cavity.

        Returns
        -------
        float
        """
        return self.body.level - self.cavity.bottom

    @property
    def meniscus_mm(self) -> float:
        """Greatest height of the edge at the wall over the flattest of the surface; below 0 where it sinks.

        Returns
        -------
        float
        """
        low, high = self.body.edge
        return high if abs(high) >= abs(low) else low


def standing(project: Project, fill: Fill) -> Fill:
    """A fill in the cavity, and with the gravity, of the lowest liquid under it.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.

    Returns
    -------
    Fill
    """
    below = project.product.liquids_under(fill)
    if not below:
        return fill
    low = below[0].fill
    return fill.with_(vessel=low.vessel, near=low.near, tilt=low.tilt, direction=low.direction)


def volume_below(project: Project, fill: Fill, cavity: Cavity) -> float:
    """Volume of the liquids that one lies on, mm3.

    Parameters
    ----------
    project : Project
        The project.
    fill : Fill
        The fill.
    cavity : Cavity
        Their cavity.

    Returns
    -------
    float
    """
    volume = 0.0
    for each in project.product.liquids_under(fill):
        volume += wanted_volume(each.fill, cavity, volume)
    return volume


def wanted_volume(fill: Fill, cavity: Cavity, below: float = 0.0) -> float:
    """Volume that a fill asks for, mm3; at most what the cavity holds beside what is below.

    Parameters
    ----------
    fill : Fill
        The fill.
    cavity : Cavity
        Its cavity.
    below : float
        Volume of the liquids that it lies on, mm3.

    Returns
    -------
    float
    """
    if fill.measure == "volume":
        wanted = fill.volume * MM3_PER_ML
    elif fill.measure == "share":
        wanted = fill.share / 100 * cavity.capacity
    elif fill.measure == "overfill":
        wanted = cavity.capacity
    else:
        wanted = max(cavity.volume(max(cavity.spill - fill.headspace, cavity.bottom)) - below, 0.0)
    return min(wanted, cavity.capacity - below)


def poured_liquid(project: Project, part: Part, supplies, dragged: frozenset[str] = frozenset()) -> PouredLiquid:
    """The liquid of a part that is a fill.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        A part with a fill.
    supplies : Supplies
        Meshes, and faces of zones.
    dragged : frozenset of str
        Liquids, by part, whose surfaces may be coarse.

    Returns
    -------
    PouredLiquid

    Raises
    ------
    VesselError
        If it cannot be poured.
    """
    fill, stream = standing(project, part.fill), _stream_onto(project, part)
    below = tuple(each.fill for each in project.product.liquids_under(part.fill))
    reach = max(2 * project.product.contact, _LEAST_REACH)
    fineness = COARSE if part.id in dragged else FINE
    key = (vessel_key(project, fill), fill, reach, below, stream, fineness)
    with _lock:
        with suppress(VesselError):
            key += (tuple(shape_key(each) for each in parts_in(project, fill, supplies)),)
        if key not in _liquids:
            _liquids[key] = _poured(project, fill, supplies, reach, stream, fineness)
            _shorten(_liquids, _MOST_LIQUIDS)
        found = _liquids[key]
    if isinstance(found, VesselError):
        raise found
    return found


def _stream_onto(project: Project, part: Part) -> Stream | None:
    """The stream that lands on a liquid, if any is seen."""
    parts = project.product.parts
    if any(each.fill is not None and each.fill.over == part.id for each in parts):
        return None
    found = (p.stream for p in parts if p.stream is not None and not p.is_hidden and p.stream.liquid == part.id)
    return next(found, None)


def fall_on(stream: Stream, cavity: Cavity) -> Fall:
    """The fall of a stream into a cavity, in the frame of the vessel.

    Parameters
    ----------
    stream : Stream
        The stream.
    cavity : Cavity
        The cavity.

    Returns
    -------
    Fall
    """
    own = {name: getattr(stream, name) for name in Fall._fields if name not in ("x", "z")}
    return Fall(cavity.middle[0] + stream.across, cavity.middle[2] + stream.ahead, **own)


def _poured(
    project: Project, fill: Fill, supplies, reach: float, stream: Stream | None, fineness: Fineness
) -> PouredLiquid | VesselError:
    try:
        cavity = cavity_round(project, fill, supplies)
        if id(cavity) not in _walls:
            _walls[id(cavity)] = cavity, wall_thickness(cavity)
            _shorten(_walls, _MOST_VESSELS)
        thickness = _walls[id(cavity)][1]
        fall = None if stream is None else fall_on(stream, cavity)
        wetting = Wetting(max(fill.tension, 1e-3), fill.density, fill.contact_angle, fill.ripples, fill.seed, fall)
        below = volume_below(project, fill, cavity)
        volume = wanted_volume(fill, cavity, below)
        if volume < _LEAST_SHARE * cavity.capacity:
            deep = cavity.spill - cavity.bottom
            raise VesselError(f"next to nothing is in it, which is {deep:.1f} mm deep; fill in more")
        # Walls of two liquids in one place would let rays miss one of them.
        depths = wall_depths(thickness, reach) * _LESS_DEEP ** len(project.product.liquids_under(fill))
        if fill.measure == "overfill" and fill.overfill > 0 and not below:
            if fill.tilt > 0:
                raise VesselError("it stands above the brim only where that is level; set the tilt to 0")
            body = overfill(cavity, depths, fill.overfill, wetting, fineness)
        else:
            body = pour(cavity, depths, below + volume, wetting, fineness)
    except VesselError as fault:
        return fault
    back = frame_of(up_of(fill)).T
    mesh = Mesh(
        np.ascontiguousarray(body.mesh.vertices @ back.T, np.float32),
        body.mesh.triangles,
        np.ascontiguousarray(body.mesh.normals @ back.T, np.float32),
    )
    part = stands_at_home(mesh)
    solid = thickness[np.isfinite(thickness)]
    wall = tuple(float(x) for x in np.quantile(solid, (0.05, 0.95))) if len(solid) else (0.0, 0.0)
    return PouredLiquid(part, body, cavity, wall, len(cavities_of(project, fill, supplies)), back, below)


def stands_at_home(mesh: Mesh) -> ReshapedPart:
    """A surface of which patterns are looked up where it is: it was in no other place before.

    Parameters
    ----------
    mesh : Mesh
        The surface.

    Returns
    -------
    ReshapedPart
    """
    count = len(mesh.triangles)
    corners = np.ascontiguousarray(mesh.vertices[mesh.triangles].reshape(-1, 9))
    return ReshapedPart(mesh, corners, np.zeros(count, np.int32), np.tile(_HOME, (count, 1)))


def _shorten(kept: dict, most: int) -> None:
    while len(kept) > most:
        del kept[next(iter(kept))]


def liquid_parts(project: Project, supplies, dragged: frozenset[str] = frozenset()) -> dict[str, ReshapedPart | Caps]:
    """The liquids of a project as they stand in the scene, by part.

    Nothing is seen of one that cannot be poured. One whose vessel is gone is left out: it stays as it was poured first.

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
        if part.fill is not None and not part.is_hidden:
            try:
                found[part.id] = poured_liquid(project, part, supplies, dragged).part
            except VesselError:  # the Fill station says why
                if vessel_key(project, standing(project, part.fill)) is not None:
                    found[part.id] = NO_CAPS
    return found
