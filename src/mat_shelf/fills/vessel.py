"""Vessels: closed surfaces of parts, alone or joined, in a frame in which liquid stands level."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import manifold3d
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh, places
from mat_shelf.geometry.triangles import area_vectors, sums_at

_HAIR = 2e-4
"""Of the vessel's size: open edges that lie nearer to each other are one."""


class VesselError(ValueError):
    """A vessel that cannot be filled; the message says why and what to do."""


@dataclass(frozen=True, eq=False)
class Vessel:
    """The closed surface of a vessel in a frame in which liquid stands level and y points up.

    Attributes
    ----------
    vertices : (V, 3) float64, mm
    triangles : (T, 3) int32
        Counter-clockwise seen from outside of its walls; vertices in the same place are one.
    edges : (E, 2) int32
    """

    vertices: np.ndarray
    triangles: np.ndarray
    edges: np.ndarray

    @property
    def size(self) -> float:
        """Length of its diagonal, mm.

        Returns
        -------
        float
        """
        return float(np.linalg.norm(np.ptp(self.vertices, axis=0)))

    @cached_property
    def normals(self) -> np.ndarray:
        """Unit normals out of its walls at the vertices, (V, 3) float64.

        Returns
        -------
        (V, 3) float64
        """
        facing = area_vectors(self.vertices[self.triangles])
        normals = sums_at(self.triangles.reshape(-1), np.repeat(facing, 3, axis=0), len(self.vertices))
        return normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)

    @cached_property
    def rays(self) -> Scene:
        """Its surface, for rays.

        Returns
        -------
        Scene
        """
        return Scene([(self.vertices, self.triangles)], is_robust=True)


def joined_vessel(meshes: Sequence[Mesh], up=(0.0, 1.0, 0.0)) -> Vessel:
    """The vessel that some closed meshes are together.

    Parameters
    ----------
    meshes : sequence of Mesh
        Meshes as they stand, mm.
    up : (3,) float
        Direction against gravity, of unit length.

    Returns
    -------
    Vessel

    Raises
    ------
    VesselError
        If one of them does not enclose a solid, or they cannot be joined.
    """
    vessels = [make_vessel(mesh, up) for mesh in meshes]
    if len(vessels) == 1:
        return vessels[0]
    solids = []
    for vessel in vessels:
        solid = manifold3d.Manifold(
            manifold3d.Mesh64(np.ascontiguousarray(vessel.vertices), vessel.triangles.astype(np.uint64))
        )
        if solid.status() != manifold3d.Error.NoError:
            raise VesselError("one of its parts has faces that do not fit together; mend it in the Product station")
        solids.append(solid)
    whole = manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add).to_mesh64()
    return vessel_of(np.array(whole.vert_properties[:, :3]), np.array(whole.tri_verts, np.int32))


def make_vessel(mesh: Mesh, up=(0.0, 1.0, 0.0)) -> Vessel:
    """A vessel from a closed mesh.

    Parameters
    ----------
    mesh : Mesh
        Mesh as it stands, mm.
    up : (3,) float
        Direction against gravity, of unit length.

    Returns
    -------
    Vessel

    Raises
    ------
    VesselError
        If the mesh does not enclose a solid.
    """
    place = places(mesh.vertices)
    first = np.unique(place, return_index=True)[1]
    vertices = mesh.vertices[first].astype(np.float64) @ frame_of(up).T
    triangles = _not_collapsed(place[mesh.triangles].astype(np.int32))
    alone = _open_runs(triangles, len(vertices))
    if len(alone):  # modellers leave hairlines where edges of almost no length were dropped
        triangles = _not_collapsed(_welded(vertices, np.unique(alone))[triangles])
        alone = _open_runs(triangles, len(vertices))
    if len(alone):
        at = vertices[alone[:, 0]].mean(axis=0) @ frame_of(up)
        where = ", ".join(f"{x:.0f}" for x in at)
        raise VesselError(
            f"its surface is open along {len(alone)} edges, near ({where}) mm; close the holes in the Product station, "
            "or give an open sheet a thickness there"
        )
    corners = vertices[triangles]
    if np.einsum("ij,ij->i", area_vectors(corners), corners[:, 0]).sum() <= 0:
        raise VesselError("its faces look inwards; flip them in the Product station")
    return vessel_of(vertices, triangles)


def vessel_of(vertices: np.ndarray, triangles: np.ndarray) -> Vessel:
    """A vessel from a surface that is closed and looks outwards.

    Parameters
    ----------
    vertices : (V, 3) float64
        Vertices, mm, each place once; y points up.
    triangles : (T, 3) int32
        Triangles.

    Returns
    -------
    Vessel
    """
    runs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    return Vessel(vertices, triangles, np.ascontiguousarray(runs[runs[:, 0] < runs[:, 1]]))


def _not_collapsed(triangles: np.ndarray) -> np.ndarray:
    a, b, c = triangles.T
    return np.ascontiguousarray(triangles[(a != b) & (b != c) & (c != a)])


def _open_runs(triangles: np.ndarray, count: int) -> np.ndarray:
    """Edges along which not as many faces run one way as the other, (N, 2)."""
    runs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    forth, times = np.unique(np.sort(runs[:, 0] * count + runs[:, 1]), return_counts=True)
    back, others = np.unique(np.sort(runs[:, 1] * count + runs[:, 0]), return_counts=True)
    at = np.minimum(np.searchsorted(back, forth), len(back) - 1)
    alone = forth[(back[at] != forth) | (others[at] != times)]
    return np.stack([alone // count, alone % count], axis=1)


def _welded(vertices: np.ndarray, loose: np.ndarray) -> np.ndarray:
    """For each vertex the one that stands for it, some of them being joined to the others within a hair, (V,) int32."""
    hair = _HAIR * float(np.linalg.norm(np.ptp(vertices, axis=0)))
    pairs = loose[cKDTree(vertices[loose]).query_pairs(hair, output_type="ndarray")]
    joins = coo_matrix((np.ones(len(pairs)), pairs.T), shape=(len(vertices), len(vertices)))
    _, groups = connected_components(joins, directed=False)
    _, first = np.unique(groups, return_index=True)
    return first[groups].astype(np.int32)


def frame_of(up) -> np.ndarray:
    """The shortest rotation that takes a direction to y, (3, 3) float64.

    Parameters
    ----------
    up : (3,) float
        Direction, of unit length.

    Returns
    -------
    (3, 3) float64
    """
    x, y, z = np.asarray(up, np.float64)
    if y < -0.999999:
        return np.diag([1.0, -1.0, -1.0])
    share = 1 / (1 + y)
    return np.array([[1 - x * x * share, -x, -x * z * share], [x, y, z], [-x * z * share, -z, 1 - z * z * share]])
