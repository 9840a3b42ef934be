"""Distance that a part can be lowered until it touches what is below it."""

from collections.abc import Sequence

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.scene.geometry import Geometry

MOST_RAYS = 200_000


def clearance_below(mesh: Mesh, others: Sequence[Mesh]) -> float:
    """Distance, mm, to the floor at y = 0 or the nearest surface under a mesh, measured from its vertices and theirs.

    Negative where its foot is under the floor. Meshes that overlap already are not told apart from such that touch.

    Parameters
    ----------
    mesh : Mesh
        Mesh, mm.
    others : sequence of Mesh
        Other meshes, where they stand.

    Returns
    -------
    float
    """
    floor = float(mesh.vertices[:, 1].min())
    if not others or floor <= 0:
        return floor
    down = _nearest(mesh.vertices, Geometry(others), -1)
    low, high = mesh.bounds
    theirs = np.concatenate([other.vertices for other in others])
    under = (theirs[:, [0, 2]] >= low[[0, 2]]).all(axis=1) & (theirs[:, [0, 2]] <= high[[0, 2]]).all(axis=1)
    up = _nearest(theirs[under & (theirs[:, 1] < high[1])], Geometry([mesh]), 1)
    return min(floor, down, up)


def _nearest(points: np.ndarray, geometry: Geometry, way: int) -> float:
    if not len(points):
        return np.inf
    points = points[:: max(len(points) // MOST_RAYS, 1)]
    directions = np.tile(np.float32([0, way, 0]), (len(points), 1))
    hit, _, _, _, distance = geometry.intersect(np.ascontiguousarray(points, np.float32), directions)
    return float(distance[hit >= 0].min()) if (hit >= 0).any() else np.inf
