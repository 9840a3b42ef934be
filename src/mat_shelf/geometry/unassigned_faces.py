"""Faces that wear no material, or were left in an old one: found, measured, down to slivers."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.geometry.adjacency import Adjacency, connected_pieces, face_areas, face_normals
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, posed_bounds, turn_matrix
from mat_shelf.geometry.triangles import area_vectors

_MOST_LOOKED_AT = 300_000
"""Faces of a part whose slivers in an old material are looked for at every edit."""
SLIVER = 0.002
"""Share of its part's area below which a bare piece is easily overlooked."""


@dataclass(frozen=True, eq=False)
class UnassignedRegion:
    """A connected piece of a part that wears nothing, or was left in the material that the part had before.

    Attributes
    ----------
    faces : (N,) int64
    area : float, mm2
    share : float, of its part's area
    bounds : (2, 3) float, mm
    normal : (3,) float or None
        Where it looks on the whole, of unit length; None where it looks every way.
    left_in : str or None
        Material of the part itself that it still wears, a sliver between zones that all wear the same other one.
    """

    part_id: str
    faces: np.ndarray
    area: float
    share: float
    bounds: np.ndarray
    normal: np.ndarray | None
    left_in: str | None = None

    @property
    def is_sliver(self) -> bool:
        """True if the region is too thin to be seen."""
        return self.share < SLIVER


def unassigned_faces(part: Part, count: int, faces: Mapping[str, np.ndarray]) -> np.ndarray:
    """Which of a part's faces wear no material, (count,) bool.

    Parameters
    ----------
    part : Part
        The part.
    count : int
        Number of faces of the part.
    faces : mapping of array
        Faces.

    Returns
    -------
    array
    """
    bare = np.full(count, part.material is None)
    for zone in part.zones:
        bare[faces[zone.faces]] = zone.material is None
    return bare


def unassigned_regions(
    project: Project,
    meshes: Mapping[str, Mesh],
    faces: Mapping[str, np.ndarray],
    neighbours: Callable[[str], Adjacency],
    known: dict[str, tuple[Part, list[UnassignedRegion]]] | None = None,
    at_hand: Callable[[str], Adjacency | None] | None = None,
) -> list[UnassignedRegion]:
    """Every bare piece of the product, and every sliver that was left in an old material, the largest first.

    Parameters
    ----------
    project : Project
        The project.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    faces : mapping of array
        Faces.
    neighbours : callable (SHA-256 of a mesh) -> Adjacency
    known : dict, optional
        What was found on each part the last time; parts that are the same objects are not looked at again.
    at_hand : callable (SHA-256 of a mesh) -> Adjacency or None, optional
        Neighbours for slivers in an old material, which are not looked for where it gives none; `neighbours` by
        default.

    Returns
    -------
    list of UnassignedRegion
    """
    known = {} if known is None else known
    found: list[UnassignedRegion] = []
    for part in project.product.parts:
        if part.id not in known or known[part.id][0] is not part:
            known[part.id] = part, _part_gaps(part, meshes[part.mesh], faces, neighbours, at_hand or neighbours)
        found += known[part.id][1]
    return sorted(found, key=lambda gap: -gap.area)


def _part_gaps(part: Part, mesh: Mesh, faces, neighbours, at_hand) -> list[UnassignedRegion]:
    if part.material is not None and not part.zones:
        return []
    bare = unassigned_faces(part, len(mesh.triangles), faces)
    if bare.all():  # common, and of many parts at once when a model comes in: no neighbours are needed
        across = area_vectors(mesh.vertices[mesh.triangles])
        area, toward = float(np.sqrt((across**2).sum(1)).sum()), turn_matrix(part.pose.turn) @ across.sum(0)
        length = float(np.sqrt((toward**2).sum()))
        normal = toward / length if length > 0.3 * area else None
        bounds = posed_bounds(mesh, part.pose)
        return [UnassignedRegion(part.id, np.arange(len(bare)), area * part.pose.scale**2, 1.0, bounds, normal)]
    groups: list[tuple[np.ndarray, str | None]] = []
    if bare.any():
        groups += [(group, None) for group in _pieces(neighbours(part.mesh), bare)]
    if part.material is not None and len(bare) <= _MOST_LOOKED_AT:
        graph = at_hand(part.mesh)
        if graph is not None:
            groups += [(group, part.material) for group in _left_over(part, graph, mesh, faces)]
    if not groups:
        return []
    standing = posed(mesh, part.pose)
    areas, normals = face_areas(standing), face_normals(standing)
    whole = max(float(areas.sum()), 1e-12)
    found = []
    for group, left_in in groups:
        corners = standing.vertices[standing.triangles[group]].reshape(-1, 3)
        toward = (normals[group] * areas[group, None]).sum(axis=0)
        length = float(np.linalg.norm(toward))
        area = float(areas[group].sum())
        normal = toward / length if length > 0.3 * area else None
        bounds = np.stack([corners.min(axis=0), corners.max(axis=0)])
        found.append(UnassignedRegion(part.id, group, area, area / whole, bounds, normal, left_in))
    return found


def _pieces(graph: Adjacency, among: np.ndarray) -> list[np.ndarray]:
    """Connected pieces among some faces."""
    if not among.any():
        return []
    piece = connected_pieces(graph, among[graph.pairs].all(axis=1))
    order = np.flatnonzero(among)[np.argsort(piece[among], kind="stable")]
    return np.split(order, np.flatnonzero(np.diff(piece[order])) + 1)


def _left_over(part: Part, graph: Adjacency, mesh: Mesh, faces) -> list[np.ndarray]:
    """Slivers in no zone, all whose neighbours are in zones of one and the same other material.

    What is in a zone was put there on purpose, however small it is.
    """
    materials, count = {part.material: 0}, len(mesh.triangles)
    worn = np.zeros(count, np.int32)
    for zone in part.zones:
        worn[faces[zone.faces]] = materials.setdefault(zone.material, len(materials))
    in_zone = np.zeros(count, bool)
    for zone in part.zones:
        in_zone[faces[zone.faces]] = True
    if in_zone.all():
        return []
    piece = np.full(count, -1, np.int64)
    groups = _pieces(graph, ~in_zone)
    for number, group in enumerate(groups):
        piece[group] = number
    pairs = np.concatenate([graph.pairs, graph.pairs[:, ::-1]])
    pairs = pairs[(piece[pairs[:, 0]] >= 0) & (piece[pairs[:, 0]] != piece[pairs[:, 1]])]
    beside = np.unique(np.stack([piece[pairs[:, 0]], worn[pairs[:, 1]]], axis=1), axis=0)
    number, kinds = np.unique(beside[:, 0], return_counts=True)
    alone = set(number[kinds == 1].tolist())
    other = {int(k): int(material) for k, material in beside}
    bare = materials.get(None)
    areas = face_areas(mesh)
    largest = SLIVER * float(areas.sum())
    return [
        group
        for k, group in enumerate(groups)
        if k in alone and other[k] not in (0, bare) and areas[group].sum() < largest
    ]
