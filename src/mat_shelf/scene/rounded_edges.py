"""Rounded edges: shading normals near sharp edges, as a fillet of a radius would have them.

A fillet that touches two faces, whose normals are 2h apart, is an arc of the radius R that begins R tan h away from
the edge. Seen along the bisector of both normals, the point of a face at a distance x from the edge hides the point of
the arc whose normal is asin(x cos h / R) away from the bisector. Where several edges are near, what each leans the
normal by is added in the tangent plane, so that the corner of a box looks the same from all three of its faces.
"""

import math
from collections import namedtuple
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from weakref import WeakKeyDictionary

import numpy as np

from mat_shelf.document.product import Part, Pose
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.geometry.sharp_edges import SharpEdges, face_widths, sharp_edges
from mat_shelf.numerics.kernels import F, apart, inline, kernel
from mat_shelf.numerics.vectors import add, dot, mix, normalize, row3, scale, store3, sub
from mat_shelf.scene.smoothed_parts import smooth_surface_of, smoothing_key

EdgeTables = namedtuple("EdgeTables", "cell starts order owner segments")
"""Rounded edges of a scene, found by where they are.

cell : (G,) float32, mm, side of the cells that a geometry's edges lie in; 0 where it has none
starts : (B + 1,) int32; order : (N,) int32, edges in each bucket of cells; B is a power of two
owner : (E,) int32, geometry of each edge
segments : (E, 20) float32, its ends; normals of one side at both ends, and of the other; radius and reach, mm
"""
_ENDS, _ONE, _OTHER, _RADIUS, _REACH = 0, 6, 12, 18, 19
_CELLS_A_REACH = 4
_MOST_PLACES = 4_000_000
"""Entries of cells; cells of more would take more memory than they save time."""
_SLACK, _SLACK_SHARE = F(0.06), F(0.2)
"""mm, and share of the reach; bodies that touch are drawn back by as much."""
_SAME_SIDE, _ON_FACE = F(0.7), F(0.5)
_APART, _ASIDE = F(math.cos(math.radians(20))), F(math.cos(math.radians(45)))
"""Cosines between which what an edge adds beside the nearest one grows from nothing to all: edges that go on from each
other round the same rim lean the normal the same way, and count once."""
_STEEPEST = F(20)
_CLEAR = F(0.4)
"""How far above the face a mirrored ray leaves it at least, over how far above it came; what is rough needs room."""


@dataclass(frozen=True)
class RoundedEdges:
    """Rounded edges of a scene.

    Attributes
    ----------
    tables : EdgeTables
    keys : dict from geometry to tuple
        What those of a geometry depend on, to be compared with ``==``.
    """

    tables: EdgeTables
    keys: Mapping[int, tuple] = field(default_factory=dict)


_known: WeakKeyDictionary[Mesh, SharpEdges] = WeakKeyDictionary()


def sharp_edges_of(mesh: Mesh) -> SharpEdges:
    """Sharp edges of a mesh, found once.

    Parameters
    ----------
    mesh : Mesh
        Mesh, in its own units.

    Returns
    -------
    SharpEdges
    """
    if mesh not in _known:
        _known[mesh] = sharp_edges(mesh, adjacency(mesh))
    return _known[mesh]


def no_edges(geometries: int) -> RoundedEdges:
    """A scene without rounded edges.

    Parameters
    ----------
    geometries : int
        Number of geometries.

    Returns
    -------
    RoundedEdges
    """
    none = np.zeros(0, np.int32)
    return RoundedEdges(
        EdgeTables(np.zeros(geometries, F), np.zeros(2, np.int32), none, none, np.zeros((0, 20), F)),
    )


def edge_key(part: Part) -> tuple | None:
    """All that the rounded edges of a part depend on; None where it has none.

    Parameters
    ----------
    part : Part
        The part.

    Returns
    -------
    tuple or None
    """
    own = tuple((zone.faces, zone.edge_radius) for zone in part.zones if zone.edge_radius is not None)
    if not part.edge_radius and not any(radius for _, radius in own):
        return None
    return part.mesh, smoothing_key(part), part.pose, part.edge_radius, part.rounded_edges, own


def round_edges(
    parts: list[Part], meshes: Mapping[str, Mesh], faces: Mapping[str, np.ndarray], geometries: int
) -> RoundedEdges:
    """Rounded edges of parts.

    Parameters
    ----------
    parts : list of Part
        Those of the first geometries of the scene, in order; parts with true relief have no sharp edges any more and
        stand here as None.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    faces : mapping of array
        Faces of zones by SHA-256.
    geometries : int
        Number of geometries of the scene.

    Returns
    -------
    RoundedEdges
    """
    keys = {g: key for g, part in enumerate(parts) if part is not None and (key := edge_key(part)) is not None}
    sources = tuple((g, _Source(key, parts[g], meshes[parts[g].mesh], faces)) for g, key in keys.items())
    return RoundedEdges(_tables(sources, geometries), keys)


@dataclass(frozen=True)
class _Source:
    """A part whose edges are rounded; the same as any other with its key."""

    key: tuple
    part: Part = field(compare=False)
    mesh: Mesh = field(compare=False)
    faces: Mapping[str, np.ndarray] = field(compare=False)


@lru_cache(4)  # a material table is made at every edit of a material
def _tables(sources: tuple[tuple[int, _Source], ...], geometries: int) -> EdgeTables:
    cell, owners, segments = np.zeros(geometries, F), [], []
    for g, source in sources:
        made = _segments(source)
        if len(made):
            owners.append(np.full(len(made), g, np.int32))
            segments.append(made)
            cell[g] = _cell(made)
    if not segments:
        return no_edges(geometries).tables
    owner, rows = np.concatenate(owners), np.concatenate(segments)
    return EdgeTables(cell, *_buckets(rows, owner, cell), owner, rows.astype(F))


@lru_cache(64)
def _segments(source: _Source) -> np.ndarray:
    """Rows of the rounded edges of a part, (E, 20) float64, of the world."""
    part, mesh, pose = source.part, source.mesh, source.part.pose
    radii = np.full(len(mesh.triangles), part.edge_radius)
    for zone in part.zones:
        if zone.edge_radius is not None:
            radii[source.faces[zone.faces]] = zone.edge_radius
    smooth = smooth_surface_of(part, {part.mesh: mesh}, source.faces)
    if smooth is not None:
        mesh, radii = smooth.mesh, radii[smooth.face]
    found = sharp_edges_of(mesh)
    radius = radii[found.faces].max(axis=1, initial=0) / pose.scale
    wanted = {"convex": found.is_convex, "concave": ~found.is_convex}.get(part.rounded_edges, True)
    tangent = np.tan(np.minimum(found.half_angles, np.radians(85)))
    widest = float(np.linalg.norm(np.ptp(mesh.bounds.astype(np.float64), axis=0)))
    widths = face_widths(found, np.clip(2 * radius * tangent, 1e-9, widest))
    radius = np.minimum(radius, widths / (2 * tangent))
    shown = (radius > 0) & wanted
    made = np.empty((int(shown.sum()), 20))
    turn = turn_matrix(pose.turn)
    made[:, _ENDS:_ONE] = _posed(found.ends[shown], turn, pose).reshape(-1, 6)
    made[:, _ONE:_RADIUS] = (found.normals[shown] @ turn.T).reshape(-1, 12)
    made[:, _RADIUS] = radius[shown] * pose.scale
    made[:, _REACH] = made[:, _RADIUS] * tangent[shown]
    return made


def _posed(points: np.ndarray, turn: np.ndarray, pose: Pose) -> np.ndarray:
    return (points * pose.scale) @ turn.T + np.array(pose.shift)


def _cell(rows: np.ndarray) -> float:
    """Side of the cells that edges of a part are entered in, mm."""
    length = float(np.linalg.norm(rows[:, 3:6] - rows[:, :3], axis=1).sum())
    side = _CELLS_A_REACH * float(rows[:, _REACH].max())
    return max(side, 2 * 8 * length / _MOST_PLACES)


def _buckets(rows: np.ndarray, owner: np.ndarray, cell: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Edges by the cells that anything within their reach may lie in.

    An edge is entered at places half a cell apart; the box round each has a side of a cell, so its corners lie in all
    cells that it touches.
    """
    side = cell[owner].astype(np.float64)
    lengths = np.linalg.norm(rows[:, 3:6] - rows[:, :3], axis=1)
    counts = np.ceil(lengths / (side / 2)).astype(np.int64) + 1
    edge = np.repeat(np.arange(len(rows)), counts)
    step = np.arange(len(edge)) - np.repeat(np.cumsum(counts) - counts, counts)
    share = (step / np.maximum(counts[edge] - 1, 1))[:, None]
    places = rows[edge, :3] * (1 - share) + rows[edge, 3:6] * share
    corners = np.stack(np.meshgrid(*[(-0.5, 0.5)] * 3), axis=-1).reshape(-1, 3)
    cells = np.floor((places[:, None] / side[edge, None, None]) + corners).astype(np.int64)
    count = 1 << int(np.ceil(np.log2(max(2 * len(edge), 2))))
    bucket = _bucket.py_func(*np.moveaxis(cells, -1, 0), owner[edge, None].astype(np.int64), count - 1)
    entered = np.unique(bucket.reshape(-1) << np.int64(32) | np.repeat(edge, 8))
    starts = np.zeros(count + 1, np.int32)
    np.cumsum(np.bincount(entered >> np.int64(32), minlength=count), out=starts[1:])
    return starts, (entered & np.int64(0xFFFFFFFF)).astype(np.int32)


@inline
def _bucket(x, y, z, geometry, mask):
    return ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791) ^ (geometry * 2654435761)) & mask


@inline
def _triple(rows, s, column):
    return (rows[s, column], rows[s, column + 1], rows[s, column + 2])


@inline
def _between(rows, s, column, t):
    """Normal of a side of an edge at a place along it."""
    return normalize(
        add(scale(_triple(rows, s, column), F(1) - t), scale(_triple(rows, s, column + 3), t)),
    )


@apart
def _lean(rows, s, point, facing):
    """Lean that an edge gives the normal of a face, in the tangent plane of that; nothing where it is too far away."""
    nothing = (F(0), F(0), F(0))
    start = _triple(rows, s, _ENDS)
    along = sub(_triple(rows, s, _ENDS + 3), start)
    off = sub(point, start)
    t = min(max(dot(off, along) / max(dot(along, along), F(1e-20)), F(0)), F(1))
    off = sub(off, scale(along, t))
    away = math.sqrt(dot(off, off))
    if away >= rows[s, _REACH]:
        return nothing
    slack = min(_SLACK, _SLACK_SHARE * rows[s, _REACH])
    one, other = _between(rows, s, _ONE, t), _between(rows, s, _OTHER, t)
    if dot(facing, other) > dot(facing, one):
        one, other = other, one
    if dot(facing, one) < _SAME_SIDE or abs(dot(off, one)) > _ON_FACE * away + slack:
        return nothing
    cosine = min(max(dot(one, other), F(-1)), F(1))
    towards = sub(other, scale(one, cosine))
    length = math.sqrt(dot(towards, towards))
    if length < F(1e-4):
        return nothing
    half = F(0.5) * math.acos(cosine)
    beside = min(away * math.cos(half) / rows[s, _RADIUS], F(1))
    angle = half - math.asin(beside)
    if angle <= F(0):
        return nothing
    return scale(towards, min(math.tan(angle), _STEEPEST) / length)


@inline
def _mirrors(direction, facing, normal):
    """True if a ray that is mirrored by a normal stays on its side of the face."""
    along = dot(direction, facing)
    mirrored = along - F(2) * dot(direction, normal) * dot(normal, facing)
    return mirrored * along < F(0) and abs(mirrored) > _CLEAR * abs(along)


@inline
def _upright(direction, facing, normal, leant):
    """As much of a lean as lets the face still be seen, and mirror what is before it.

    A fillet turns away where the face ends; a face that is shaded as one would show its dark inside there.
    """
    if _mirrors(direction, facing, leant):
        return leant
    low, high = F(0), F(1)
    for _ in range(7):
        middle = F(0.5) * (low + high)
        if _mirrors(direction, facing, normalize(mix(normal, leant, middle))):
            low = middle
        else:
            high = middle
    return normalize(mix(normal, leant, low))


@apart
def rounded_normal(edges, geometry, point, facing, normal, direction):
    """Shading normal of a point, leant by the rounded edges that are near.

    Parameters
    ----------
    edges : EdgeTables
        Rounded edges of the scene.
    geometry : int
        Geometry that the point lies on.
    point : float32 triple
        The point, mm, before true relief moved it.
    facing, normal : float32 triple
        Geometric and shading normal there.
    direction : float32 triple
        Direction of the ray that came upon it; zeros for none.

    Returns
    -------
    float32 triple
        Of unit length where an edge is near, else `normal` as it is.
    """
    side = edges.cell[geometry]
    x, y, z = (np.int64(math.floor(point[0] / side)), np.int64(math.floor(point[1] / side)),
               np.int64(math.floor(point[2] / side)))  # fmt: skip
    bucket = _bucket(x, y, z, np.int64(geometry), np.int64(edges.starts.shape[0] - 2))
    first, stop = edges.starts[bucket], edges.starts[bucket + 1]
    best, most = (F(0), F(0), F(0)), F(0)
    for k in range(first, stop):
        s = edges.order[k]
        if edges.owner[s] == geometry:
            lean = _lean(edges.segments, s, point, facing)
            strength = dot(lean, lean)
            if strength > most:
                best, most = lean, strength
    if most == F(0):
        return normal
    unit = scale(best, F(1) / math.sqrt(most))
    second, most = (F(0), F(0), F(0)), F(0)
    for k in range(first, stop):
        s = edges.order[k]
        if edges.owner[s] == geometry:
            lean = _lean(edges.segments, s, point, facing)
            strength = dot(lean, lean)
            if strength > F(0):
                cosine = dot(lean, unit) / math.sqrt(strength)
                share = min(max((_APART - cosine) / (_APART - _ASIDE), F(0)), F(1))
                rest = scale(sub(lean, scale(unit, max(dot(lean, unit), F(0)))), share)
                strength = dot(rest, rest)
                if strength > most:
                    second, most = rest, strength
    normal = normalize(normal)
    leant = normalize(add(normal, add(best, second)))
    return leant if dot(direction, direction) == F(0) else _upright(direction, facing, normal, leant)


@kernel
def round_normals(edges, geometry, position, facing, normal):
    """Leans the shading normals of points by the rounded edges that are near, whoever looks at them.

    Parameters
    ----------
    edges : EdgeTables
        Rounded edges of the scene.
    geometry : int
        Geometry that the points lie on.
    position : (N, 3) float32
        The points, mm.
    facing : (N, 3) float32
        Geometric normals.
    normal : (N, 3) float32
        Shading normals, which are changed.
    """
    for i in range(position.shape[0]):
        nowhere = (F(0), F(0), F(0))
        point, side, before = row3(position, i), row3(facing, i), row3(normal, i)
        store3(normal, i, rounded_normal(edges, geometry, point, side, before, nowhere))
