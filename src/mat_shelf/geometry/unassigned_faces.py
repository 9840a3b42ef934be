"""Faces that wear no material of their own: found, measured, down to slivers."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.geometry.adjacency import Adjacency, connected_pieces, face_areas, face_normals
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, posed_bounds, turn_matrix
from mat_shelf.geometry.triangles import area_vectors

SLIVER = 0.002
"""Share of its part's area below which a bare piece is easily overlooked."""


@dataclass(frozen=True, eq=False)
class UnassignedRegion:
    """A connected piece of a part that wears nothing.

    Attributes
    ----------
    faces : (N,) int64
    area : float, mm2
    share : float, of its part's area
    bounds : (2, 3) float, mm
    normal : (3,) float or None
        Where it looks on the whole, of unit length; None where it looks every way.
    """

    part_id: str
    faces: np.ndarray
    area: float
    share: float
    bounds: np.ndarray
    normal: np.ndarray | None

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
) -> list[UnassignedRegion]:
    """Every bare piece of the product, the largest first.

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

    Returns
    -------
    list of UnassignedRegion
    """
    known = {} if known is None else known
    found: list[UnassignedRegion] = []
    for part in project.product.parts:
        if part.id not in known or known[part.id][0] is not part:
            known[part.id] = part, _part_gaps(part, meshes[part.mesh], faces, neighbours)
        found += known[part.id][1]
    return sorted(found, key=lambda gap: -gap.area)


def _part_gaps(part: Part, mesh: Mesh, faces, neighbours) -> list[UnassignedRegion]:
    if part.material is not None and all(zone.material is not None for zone in part.zones):
        return []
    bare = unassigned_faces(part, len(mesh.triangles), faces)
    if not bare.any():
        return []
    if bare.all():  # common, and of many parts at once when a model comes in: no neighbours are needed
        across = area_vectors(mesh.vertices[mesh.triangles])
        area, toward = float(np.sqrt((across**2).sum(1)).sum()), turn_matrix(part.pose.turn) @ across.sum(0)
        length = float(np.sqrt((toward**2).sum()))
        normal = toward / length if length > 0.3 * area else None
        bounds = posed_bounds(mesh, part.pose)
        return [UnassignedRegion(part.id, np.arange(len(bare)), area * part.pose.scale**2, 1.0, bounds, normal)]
    standing = posed(mesh, part.pose)
    areas, normals = face_areas(standing), face_normals(standing)
    graph = neighbours(part.mesh)
    piece = connected_pieces(graph, bare[graph.pairs].all(axis=1))
    order = np.flatnonzero(bare)[np.argsort(piece[bare], kind="stable")]
    groups = np.split(order, np.flatnonzero(np.diff(piece[order])) + 1)
    whole = float(areas.sum())
    found = []
    for group in groups:
        corners = standing.vertices[standing.triangles[group]].reshape(-1, 3)
        toward = (normals[group] * areas[group, None]).sum(axis=0)
        length = float(np.linalg.norm(toward))
        area = float(areas[group].sum())
        normal = toward / length if length > 0.3 * area else None
        bounds = np.stack([corners.min(axis=0), corners.max(axis=0)])
        found.append(UnassignedRegion(part.id, group, area, area / max(whole, 1e-12), bounds, normal))
    return found
