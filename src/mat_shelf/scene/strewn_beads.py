"""Drops on the parts of a project, and bubbles in its liquids, kept from one build of a scene to the next."""

from collections.abc import Callable
from threading import RLock

import numpy as np
from scipy.spatial import cKDTree

from mat_shelf.document.fill import Beads, Bubbles, Fill, Foam
from mat_shelf.document.mark import Mark
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.bubbling import Amounts, bubbles, wetted_wall
from mat_shelf.fills.foaming import Head, foam
from mat_shelf.fills.modelled_liquid import modelled_liquid
from mat_shelf.fills.running import run_down
from mat_shelf.fills.strewing import Strewn, drops, strew
from mat_shelf.fills.vessel import VesselError, make_vessel
from mat_shelf.geometry.caps import NO_CAPS, Caps
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed
from mat_shelf.geometry.triangles import triangle_normals
from mat_shelf.marks.surface_map import SurfaceMapError, map_surface
from mat_shelf.scene.filled_cavities import cavities_of
from mat_shelf.scene.held_parts import shape_key, standing_mesh
from mat_shelf.scene.poured_liquids import PouredLiquid, poured_liquid
from mat_shelf.scene.smoothed_parts import smooth_surface_of, smoothing_key

_MOST_KEPT = 32
_SAME = 1e-4
"""Of the size of a vessel, within which a vertex is one of its own."""
_UP = 0.4
"""Of the normal of a face that looks up, at least, and of one that looks down."""
_COVERING = ("label", "print", "foil", "screen")
"""Kinds of marks that drops keep away from."""
_known: dict[tuple, tuple[Caps, object]] = {}
_lock = RLock()


def bead_caps(project: Project, part: Part, supplies) -> Caps:
    """The drops of a part that is beads; none where what they lie on is gone.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        A part with beads.
    supplies : Supplies
        Meshes, and faces of zones.

    Returns
    -------
    Caps
    """
    beads = part.beads
    host = next((p for p in project.product.parts if p.id == beads.host and not p.is_derived), None)
    if host is None:
        return NO_CAPS
    marks = tuple(m for m in project.marks if m.part == host.id and m.is_on and m.kind in _COVERING)
    marks = tuple(_outline(mark) for mark in marks) if beads.from_marks > 0 else ()
    zones = tuple((zone.id, zone.faces) for zone in host.zones)
    key = (beads, host.mesh, host.pose, smoothing_key(host), zones, marks)
    with _lock:
        if key not in _known:
            _known[key] = _strewn_caps(project, beads, host, supplies), None
            _shorten()
        return _known[key][0]


def _shorten() -> None:
    while len(_known) > _MOST_KEPT:
        del _known[next(iter(_known))]


def _outline(mark: Mark) -> tuple:
    """All of a mark that tells where it lies."""
    return mark.id, mark.way, mark.point, mark.facing, mark.turn, mark.width, mark.height


def _strewn_caps(project: Project, beads: Beads, host: Part, supplies) -> Caps:
    own, smooth = supplies.meshes[host.mesh], smooth_surface_of(host, supplies.meshes, supplies.faces)
    mesh = posed(own if smooth is None else smooth.mesh, host.pose)
    allowed = np.ones(len(mesh.triangles), bool)
    if beads.zone is not None:
        zone = next((zone for zone in host.zones if zone.id == beads.zone), None)
        inside = np.zeros(len(own.triangles), bool)
        if zone is not None:
            inside[supplies.faces[zone.faces]] = True
        allowed &= inside if smooth is None else inside[smooth.face]
    if beads.side != "both":
        wet = _in_cavities(project, host, mesh, supplies)
        allowed &= wet if beads.side == "inside" else ~wet
    if beads.faces != "all":
        y = triangle_normals(mesh.vertices[mesh.triangles].astype(np.float64))[:, 1]
        allowed &= {"up": y > _UP, "down": y < -_UP, "sides": np.abs(y) <= _UP}[beads.faces]
    places, step = _mark_places(project, host, own) if beads.from_marks > 0 else (None, 0.0)
    margin = beads.from_marks + step
    size, spread = beads.size, beads.spread / 100
    runs = run_down(mesh, allowed, beads.runs, beads.run_length, size, spread, beads.seed, places, margin)
    strewn: Strewn = strew(
        mesh,
        allowed,
        beads.density,
        size,
        spread,
        beads.spacing,
        beads.patches,
        beads.patch_size,
        beads.seed,
        places,
        margin,
        (runs.way, runs.reach),
    )
    strewn = Strewn(*(np.concatenate(pair) for pair in zip(runs.drops, strewn, strict=True)))
    return drops(mesh, strewn, beads.contact_angle, beads.sag, beads.seed)


def _in_cavities(project: Project, host: Part, mesh: Mesh, supplies) -> np.ndarray:
    """Faces of a part that liquid in it can wet, (T,) bool."""
    try:
        cavities = cavities_of(project, Fill(vessel=(host.id,)), supplies)
    except VesselError:
        return np.zeros(len(mesh.triangles), bool)
    found = np.zeros(len(mesh.triangles), bool)
    for cavity in cavities:
        wet = cavity.vessel.vertices[np.isfinite(cavity.reached)]
        away = cKDTree(wet).query(mesh.vertices, distance_upper_bound=_SAME * cavity.vessel.size)[0]
        found |= np.isfinite(away)[mesh.triangles].all(axis=1)
    return found


def _mark_places(project: Project, host: Part, own: Mesh) -> tuple[np.ndarray | None, float]:
    """Places all over the marks of a part that drops keep away from, and how far they lie apart at most, mm."""
    found, apart = [], 0.0
    for mark in project.marks:
        if mark.part != host.id or not mark.is_on or mark.kind not in _COVERING:
            continue
        try:
            sheet = map_surface(mark, own, host.pose)
        except SurfaceMapError:
            continue
        points, ways = sheet.points, [k for k in (0, 1) if sheet.points.shape[k] > 1]
        apart = max(apart, *(float(np.linalg.norm(np.diff(points, axis=k), axis=2).mean()) / 2 for k in ways))
        found.append(points[sheet.lies])
    return (np.concatenate(found).astype(np.float64), apart) if found else (None, 0.0)


def strewn_parts(project: Project, supplies, dragged: frozenset[str] = frozenset()) -> dict[str, Caps]:
    """The drops and bubbles of a project, by part.

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
    dict of Caps
    """
    found = {}
    for part in project.product.parts:
        if part.is_hidden:
            continue
        if part.beads is not None:
            found[part.id] = bead_caps(project, part, supplies)
        elif part.bubbles is not None:
            found[part.id] = bubble_caps(project, part, supplies, dragged)
        elif part.foam is not None:
            found[part.id] = foam_caps(project, part, supplies, dragged)
    return found


def bubble_caps(project: Project, part: Part, supplies, dragged: frozenset[str] = frozenset()) -> Caps:
    """The bubbles of a part that is some; none where their liquid, which may be a modelled one, is gone.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        A part with bubbles.
    supplies : Supplies
        Meshes, and faces of zones.
    dragged : frozenset of str
        Liquids, by part, whose surfaces may be coarse.

    Returns
    -------
    Caps
    """
    own = part.bubbles
    even = own.patches, own.patch_size, own.seed
    amounts = Amounts(own.density, own.wall, own.edge, own.trails, own.size, own.spread / 100, *even)
    liquid = next((p for p in project.product.parts if p.id == own.liquid), None)
    if liquid is None or not liquid.is_derived:
        return NO_CAPS if liquid is None else _in_modelled(liquid, own, amounts, supplies)

    def make(poured: PouredLiquid) -> Caps:
        """Let them rise.

        Parameters
        ----------
        poured : PouredLiquid
            The liquid.

        Returns
        -------
        Caps
        """
        return bubbles(poured.body, wetted_wall(poured.cavity, poured.body.level), amounts)

    return _in_liquid(project, own, supplies, dragged, make)


def _in_modelled(liquid: Part, own: Bubbles, amounts: Amounts, supplies) -> Caps:
    key = own, shape_key(liquid)
    with _lock:
        if key not in _known:
            try:
                made = bubbles(*modelled_liquid(make_vessel(standing_mesh(liquid, supplies))), amounts)
            except VesselError:
                made = NO_CAPS
            _known[key] = made, None
            _shorten()
        return _known[key][0]


def foam_caps(project: Project, part: Part, supplies, dragged: frozenset[str] = frozenset()) -> Caps:
    """The bubbles of a part that is foam; none where its liquid is gone.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        A part with foam.
    supplies : Supplies
        Meshes, and faces of zones.
    dragged : frozenset of str
        Liquids, by part, whose surfaces may be coarse.

    Returns
    -------
    Caps
    """
    own = part.foam
    head = Head(own.thickness, own.size, own.spread / 100, own.patches, own.patch_size, own.seed)
    return _in_liquid(project, own, supplies, dragged, lambda poured: foam(poured.cavity, poured.body, head))


def _in_liquid(
    project: Project, own: Bubbles | Foam, supplies, dragged: frozenset[str], make: Callable[[PouredLiquid], Caps]
) -> Caps:
    """Caps that stand by a liquid, as they stand in the scene."""
    liquid = next((p for p in project.product.parts if p.id == own.liquid and p.fill is not None), None)
    if liquid is None:
        return NO_CAPS
    try:
        poured = poured_liquid(project, liquid, supplies, dragged)
    except VesselError:
        return NO_CAPS
    key = (own, id(poured))
    with _lock:
        if key not in _known:
            made = make(poured)
            centre = np.ascontiguousarray(made.centre @ poured.to_world.T, np.float32)
            # The liquid goes along, so that no other one gets its id meanwhile.
            _known[key] = Caps(centre, made.axes, made.cut), poured
            _shorten()
        return _known[key][0]
