"""Local coordinates of a mark on a surface: a net of points over the mark, each mapped along straightest geodesics.

From the middle of the mark one goes straight ahead over the surface, in every direction and as far as the place on
the mark is away. On a plane, a cylinder or a cone that is how paper lies, without stretch.

References
----------
Polthier and Schmies 1998, Straightest Geodesics on Polyhedral Surfaces.
"""

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from trimesh.triangles import closest_point

from mat_shelf.document.mark import Mark
from mat_shelf.document.product import Pose
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh, places
from mat_shelf.geometry.pose import in_part_frame, posed, turn_matrix
from mat_shelf.geometry.triangles import area_vectors, triangle_normals
from mat_shelf.numerics.kernels import kernel

SHARP_EDGE = 62.0
"""Degrees at which an edge ends the surface that a mark lies on."""
_NET = 72
"""Meshes of the net along a mark's longer side."""
_MOST_CROSSED = 4000
"""Edges that a way may cross."""


_AT_HOME = Pose()


class SurfaceMapError(ValueError):
    """A mark that has no place; the message says why and what to do."""


@dataclass(frozen=True, eq=False)
class SurfaceMap:
    """A mark's net on its surface.

    Attributes
    ----------
    points : (R, C, 3) float32, mm, of the world; the rows from the mark's lower edge up, columns from its left
    normals : (R, C, 3) float32
        Of the surface, on the mark's side.
    lies : (R, C) bool
        Whether the surface goes on as far as there.
    """

    points: np.ndarray
    normals: np.ndarray
    lies: np.ndarray

    @cached_property
    def triangles(self) -> np.ndarray:
        """Two for each mesh of the net that lies whole, (T, 3) int32, counter-clockwise seen from the mark's side.

        Returns
        -------
        (T, 3) int32
        """
        rows, columns = self.lies.shape
        index = np.arange(rows * columns, dtype=np.int32).reshape(rows, columns)
        a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
        whole = self.lies[:-1, :-1] & self.lies[:-1, 1:] & self.lies[1:, 1:] & self.lies[1:, :-1]
        both = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], axis=2)
        return np.ascontiguousarray(both[whole].reshape(-1, 3))

    def middle_point(self) -> np.ndarray:
        """Middle of the mark on the surface, (3,) float32, mm.

        Returns
        -------
        (3,) float32
        """
        rows, columns = self.lies.shape
        return self.points[rows // 2, columns // 2]

    def directions(self) -> tuple[np.ndarray, np.ndarray]:
        """Unit vectors at the middle to the mark's right and upwards, (3,) each.

        Returns
        -------
        (3,)
        """
        rows, columns = self.lies.shape
        i, j = rows // 2, columns // 2
        right, up = self.points[i, j + 1] - self.points[i, j - 1], self.points[i + 1, j] - self.points[i - 1, j]
        return right / np.linalg.norm(right), up / np.linalg.norm(up)

    def stretch(self, width: float, height: float) -> float:
        """Largest change of length along the net, as a share: 0 on what can be unrolled.

        Parameters
        ----------
        width, height : float, mm
            Of the mark.

        Returns
        -------
        float
        """
        rows, columns = self.lies.shape
        across = np.linalg.norm(np.diff(self.points, axis=1), axis=-1) * (columns - 1) / width
        upward = np.linalg.norm(np.diff(self.points, axis=0), axis=-1) * (rows - 1) / height
        lies_across, lies_up = self.lies[:, 1:] & self.lies[:, :-1], self.lies[1:] & self.lies[:-1]
        found = np.concatenate([across[lies_across], upward[lies_up]])
        # The chord between two points of a bend is a little shorter than the way over it; that is no stretch.
        return float(np.percentile(np.abs(found - 1), 99)) if len(found) else 0.0


def map_surface(mark: Mark, mesh: Mesh, pose: Pose = _AT_HOME) -> SurfaceMap:
    """The net of a mark on its part.

    Parameters
    ----------
    mark : Mark
    mesh : Mesh
        Of its part, in the part's own frame.
    pose : Pose
        How the part stands; a mark keeps its size whatever the part's scale.

    Returns
    -------
    SurfaceMap

    Raises
    ------
    SurfaceMapError
        If no surface faces its side there.
    """
    return _laid(_Held(mesh), pose, mark.point, mark.facing, mark.way, mark.width, mark.height, mark.turn)


def point_beside(mark: Mark, mesh: Mesh, pose: Pose, right: float, up: float):
    """Point that a mark's middle reaches when it is moved along the surface, in its own directions.

    Parameters
    ----------
    mark : Mark
        The mark.
    mesh : Mesh
        Mesh, mm.
    pose : Pose
        Pose of the part.
    right, up : float, mm

    Returns
    -------
    point, facing : tuple of three float
        As in `Mark`.

    Raises
    ------
    SurfaceMapError
        If the surface ends before.
    """
    corners, beyond, normal, start, middle, across, upward = _about(
        _Held(mesh), pose, mark.point, mark.facing, math.hypot(right, up) + 1.0, mark.turn
    )
    points, over = np.zeros((1, 3)), np.zeros(1, np.int64)
    straight_kernel(corners, beyond, start, middle, (right * across + up * upward)[None], points, over)
    if over[0] < 0:
        raise SurfaceMapError("the surface ends there")
    return in_part_frame(points[0], normal[over[0]], pose)


class _Held:
    """A mesh as a key: the same only for the same object."""

    def __init__(self, mesh: Mesh):
        self.mesh = mesh

    def __hash__(self) -> int:
        return id(self.mesh)

    def __eq__(self, other) -> bool:
        return self.mesh is other.mesh


def _about(held: _Held, pose: Pose, point, facing, reach: float, turned: float):
    """The surface near a mark's middle, and the mark's directions on it."""
    mesh, turn = posed(held.mesh, pose), turn_matrix(pose.turn)
    middle = turn @ np.multiply(point, pose.scale) + np.array(pose.shift)
    side = turn @ np.array(facing) / np.linalg.norm(facing)
    corners, beyond, start, middle = _around(mesh, middle, side, reach)
    normal = triangle_normals(corners)
    return corners, beyond, normal, start, middle, *_directions(normal[start], turn, math.radians(turned))


@lru_cache(maxsize=64)
def _laid(held: _Held, pose: Pose, point, facing, way: str, width: float, height: float, turned: float) -> SurfaceMap:
    reach = 0.5 * math.hypot(width, height)
    corners, beyond, normal, start, middle, right, up = _about(held, pose, point, facing, reach, turned)
    columns = max(round(_NET * min(width / height, 1)), 8) + 1
    rows = max(round(_NET * min(height / width, 1)), 8) + 1
    x, y = np.meshgrid((np.linspace(-0.5, 0.5, columns)) * width, np.linspace(-0.5, 0.5, rows) * height)
    points, over = np.zeros((rows, columns, 3)), np.zeros((rows, columns), np.int64)
    if way == "flat":
        ahead = middle + x[..., None] * right + y[..., None] * up
        project_kernel(corners, normal, ahead.reshape(-1, 3), normal[start], points.reshape(-1, 3), over.reshape(-1))
    else:
        ways = x[..., None] * right + y[..., None] * up
        straight_kernel(corners, beyond, start, middle, ways.reshape(-1, 3), points.reshape(-1, 3), over.reshape(-1))
    return SurfaceMap(points.astype(np.float32), normal[over].astype(np.float32), over >= 0)


def _around(mesh: Mesh, middle: np.ndarray, side: np.ndarray, reach: float):
    """The mesh's triangles near a point, and how they hang together.

    Returns
    -------
    corners : (T, 3, 3) float64
    beyond : (T, 3) int64
        The triangle beyond each side, corner k to corner k + 1; -1 where the surface ends or breaks at a sharp edge.
    start : int
        The triangle that the point is on.
    middle : (3,) float64
        The point, put onto it.
    """
    corners = mesh.vertices[mesh.triangles].astype(np.float64)
    away = np.maximum(np.maximum(corners.min(axis=1) - middle, middle - corners.max(axis=1)), 0)
    near = np.flatnonzero((away**2).sum(axis=1) <= (1.02 * reach) ** 2)
    cross = area_vectors(corners[near])
    size = np.linalg.norm(cross, axis=1)
    near, cross = near[size > 5e-13], cross[size > 5e-13] / size[size > 5e-13, None]
    facing = np.flatnonzero(cross @ side > 0.3)
    if not len(facing):
        raise SurfaceMapError("no surface faces it there; drag it onto the part again")
    nearest = closest_point(corners[near[facing]], np.broadcast_to(middle, (len(facing), 3)))
    gap = ((nearest - middle) ** 2).sum(axis=1)
    start = facing[gap.argmin()]
    cut = Mesh(mesh.vertices, mesh.triangles[near], mesh.normals)
    return corners[near], _beyond(cut), int(start), nearest[gap.argmin()]


def _beyond(mesh: Mesh) -> np.ndarray:
    meets = adjacency(mesh)
    triangles = places(mesh.vertices)[mesh.triangles].astype(np.int64)
    beyond = np.full(triangles.shape, -1, np.int64)
    smooth = meets.bend < SHARP_EDGE
    pairs, edges = meets.pairs[smooth], np.sort(meets.edges[smooth].astype(np.int64), axis=1)
    for own, other in ((0, 1), (1, 0)):
        mine = triangles[pairs[:, own]]
        for k in range(3):
            side = np.sort(np.stack([mine[:, k], mine[:, (k + 1) % 3]], axis=-1), axis=1)
            same = (side == edges).all(axis=1)
            beyond[pairs[same, own], k] = pairs[same, other]
    return beyond


def _directions(normal: np.ndarray, turn: np.ndarray, angle: float) -> tuple[np.ndarray, np.ndarray]:
    """To the right and up on the mark: up is the part's own, or away from the viewer on what lies flat."""
    up = turn[:, 1] if abs(normal @ turn[:, 1]) < 0.94 else -turn[:, 2] * np.sign(normal @ turn[:, 1])
    up = up - normal * (normal @ up)
    up /= np.linalg.norm(up)
    right = np.cross(up, normal)
    c, s = math.cos(angle), math.sin(angle)
    return c * right + s * up, c * up - s * right


@kernel
def straight_kernel(corners, beyond, start, middle, ways, points, over):
    """Goes straight ahead over a surface from one point, many ways.

    Parameters
    ----------
    corners, beyond, start, middle
        As from `_around`.
    ways : (N, 3) float64
        Directions in the plane of the first triangle, as long as the way is to be, mm.
    points : (N, 3) float64
        Becomes where each ends.
    over : (N,) int64
        Becomes the triangle that it ends in; -1 where the surface ends before.
    """
    for i in range(ways.shape[0]):
        px, py, pz = middle[0], middle[1], middle[2]
        left = math.sqrt(ways[i, 0] ** 2 + ways[i, 1] ** 2 + ways[i, 2] ** 2)
        t = start
        over[i] = t
        if left > 1e-12:
            dx, dy, dz = ways[i, 0] / left, ways[i, 1] / left, ways[i, 2] / left
            came = -1
            for _ in range(_MOST_CROSSED):
                # The side that is met first, by how fast each comes nearer in the plane of the triangle.
                best, side = 1e300, -1
                for k in range(3):
                    if beyond[t, k] == came and came >= 0:
                        continue
                    a, b, c = k, (k + 1) % 3, (k + 2) % 3
                    ex = corners[t, b, 0] - corners[t, a, 0]
                    ey = corners[t, b, 1] - corners[t, a, 1]
                    ez = corners[t, b, 2] - corners[t, a, 2]
                    ee = ex * ex + ey * ey + ez * ez
                    ox = corners[t, c, 0] - corners[t, a, 0]
                    oy = corners[t, c, 1] - corners[t, a, 1]
                    oz = corners[t, c, 2] - corners[t, a, 2]
                    along = (ox * ex + oy * ey + oz * ez) / ee
                    ox, oy, oz = ox - along * ex, oy - along * ey, oz - along * ez  # inwards from the side
                    speed = -(dx * ox + dy * oy + dz * oz)
                    if speed <= 0.0:
                        continue
                    qx, qy, qz = px - corners[t, a, 0], py - corners[t, a, 1], pz - corners[t, a, 2]
                    far = max((qx * ox + qy * oy + qz * oz) / speed, 0.0)
                    if far < best:
                        best, side = far, k
                if side < 0 or best >= left:
                    px, py, pz = px + left * dx, py + left * dy, pz + left * dz
                    break
                left -= best
                px, py, pz = px + best * dx, py + best * dy, pz + best * dz
                after = beyond[t, side]
                if after < 0:
                    t = -1
                    break
                a, b, c = side, (side + 1) % 3, (side + 2) % 3
                ex = corners[t, b, 0] - corners[t, a, 0]
                ey = corners[t, b, 1] - corners[t, a, 1]
                ez = corners[t, b, 2] - corners[t, a, 2]
                length = math.sqrt(ex * ex + ey * ey + ez * ez)
                ex, ey, ez = ex / length, ey / length, ez / length
                along = dx * ex + dy * ey + dz * ez
                across = math.sqrt(max(1.0 - along * along, 0.0))
                # Into the next triangle at the same angle with the side: towards its corner that is off the side.
                wx, wy, wz = 0.0, 0.0, 0.0
                most = 0.0
                for k in range(3):
                    ox = corners[after, k, 0] - corners[t, a, 0]
                    oy = corners[after, k, 1] - corners[t, a, 1]
                    oz = corners[after, k, 2] - corners[t, a, 2]
                    on = ox * ex + oy * ey + oz * ez
                    ox, oy, oz = ox - on * ex, oy - on * ey, oz - on * ez
                    off = ox * ox + oy * oy + oz * oz
                    if off > most:
                        most = off
                        wx, wy, wz = ox, oy, oz
                most = math.sqrt(max(most, 1e-300))
                dx = along * ex + across * wx / most
                dy = along * ey + across * wy / most
                dz = along * ez + across * wz / most
                came, t = t, after
            over[i] = t
        points[i, 0], points[i, 1], points[i, 2] = px, py, pz


@kernel
def project_kernel(corners, normal, ahead, side, points, over):
    """Puts points onto a surface along a direction, onto the nearest triangle that faces it.

    Parameters
    ----------
    corners : (T, 3, 3) float64
    normal : (T, 3) float64
    ahead : (N, 3) float64
    side : (3,) float64
        Direction from the surface.
    points, over
        As for `straight_kernel`.
    """
    for i in range(ahead.shape[0]):
        over[i] = -1
        best = 1e300
        for t in range(corners.shape[0]):
            slant = normal[t, 0] * side[0] + normal[t, 1] * side[1] + normal[t, 2] * side[2]
            if slant < 0.05:
                continue
            far = 0.0
            for k in range(3):
                far += (corners[t, 0, k] - ahead[i, k]) * normal[t, k]
            far /= slant
            if abs(far) >= abs(best):
                continue
            x, y, z = ahead[i, 0] + far * side[0], ahead[i, 1] + far * side[1], ahead[i, 2] + far * side[2]
            is_inside = True
            for k in range(3):
                b = (k + 1) % 3
                ex = corners[t, b, 0] - corners[t, k, 0]
                ey = corners[t, b, 1] - corners[t, k, 1]
                ez = corners[t, b, 2] - corners[t, k, 2]
                qx, qy, qz = x - corners[t, k, 0], y - corners[t, k, 1], z - corners[t, k, 2]
                turn = (
                    (ey * qz - ez * qy) * normal[t, 0]
                    + (ez * qx - ex * qz) * normal[t, 1]
                    + (ex * qy - ey * qx) * normal[t, 2]
                )
                if turn < -1e-9:
                    is_inside = False
                    break
            if is_inside:
                best, over[i] = far, t
                points[i, 0], points[i, 1], points[i, 2] = x, y, z
