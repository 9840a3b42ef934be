"""Part and distance that each pixel of a picture sees first."""

from dataclasses import dataclass

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.geometry.triangles import triangle_normals
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.rendering.camera import CameraView, make_camera_view
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.geometry import Geometry


@dataclass(frozen=True, eq=False)
class FirstHits:
    """Seen through the middle of each pixel.

    Attributes
    ----------
    part : (H, W) int16
        Index into the product's parts, -1 where none is seen.
    depth : (H, W) float32
        Distance along the view, mm; infinite where nothing is seen.
    solid : (H, W) int16
        Which of the geometry's solids, -1 where nothing is seen.
    primitive : (H, W) int32
        Triangle, or cap, within that.
    faces : (H, W) int32
        Number of the face among those of the part's own mesh; of no meaning where no part is seen.
    geometry : Geometry
        What was looked at.
    visible : list of int
        The parts, by their places in the product, that its first geometries show.
    """

    part: np.ndarray
    depth: np.ndarray
    solid: np.ndarray
    primitive: np.ndarray
    faces: np.ndarray
    geometry: Geometry
    visible: list[int]

    def face(self, row: int, column: int) -> int:
        """Number, among its part's own, of the face seen in a pixel in which a part is seen.

        Parameters
        ----------
        row : int
            Row of the pixel.
        column : int
            Column of the pixel.

        Returns
        -------
        int
        """
        return int(self.faces[row, column])

    def shows(self, place: int, faces: np.ndarray) -> np.ndarray:
        """Pixels that show some faces, (T,) bool, of the part at this place in the product: (H, W) bool.

        Parameters
        ----------
        place : int
            Place of the part in the product.
        faces : (T,) bool
            Faces.

        Returns
        -------
        (T,) bool
        """
        mask = self.part == place
        if place in self.visible:
            local = self.faces[mask]
            mask[mask] = faces[local] if len(local) and local.max() < len(faces) else False
        return mask

    def facing(self, row: int, column: int) -> np.ndarray:
        """Outward normal of the triangle seen in a pixel, (3,) float64 of unit length.

        Parameters
        ----------
        row : int
            Row of the pixel.
        column : int
            Column of the pixel.

        Returns
        -------
        (3,) float64
        """
        corners = self.geometry.triangles.corners[self._triangle(row, column)].reshape(3, 3).astype(np.float64)
        if self._is_cap(row, column):
            return corners[2] / np.linalg.norm(corners[2])
        return triangle_normals(corners)

    def _is_cap(self, row: int, column: int) -> bool:
        return bool(self.geometry.triangles.is_caps[self.solid[row, column]])

    def _triangle(self, row: int, column: int) -> int:
        """Row of the geometry's triangles."""
        return int(self.geometry.triangles.first[self.solid[row, column]] + self.primitive[row, column])

    def shading_normal(self, row: int, column: int, place) -> np.ndarray:
        """Normal that the surface in a pixel is shaded with, but for rounded edges and relief.

        Parameters
        ----------
        row : int
            Row of the pixel.
        column : int
            Column of the pixel.
        place : (3,) float
            Point of the scene that the pixel shows, mm.

        Returns
        -------
        (3,) float64
            Of unit length.
        """
        triangle = self._triangle(row, column)
        corners = self.geometry.triangles.corners[triangle].reshape(3, 3).astype(np.float64)
        if self._is_cap(row, column):
            out = np.subtract(place, self.geometry.triangles.normals[triangle][:3])
            return out / max(float(np.linalg.norm(out)), 1e-12)
        normals = self.geometry.triangles.normals[triangle].reshape(3, 3).astype(np.float64)
        sides = (corners[1:] - corners[0]).T
        shares = np.clip(np.linalg.lstsq(sides, np.subtract(place, corners[0]), rcond=None)[0], 0, 1)
        normal = normals[0] * (1 - shares.sum()) + shares @ normals[1:]
        return normal / max(float(np.linalg.norm(normal)), 1e-12)


def pixel_rays(
    view: CameraView, width: int, height: int, pixels: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Rays through the middle of each pixel.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    width : int
        Pixels across.
    height : int
        Pixels from top to bottom.
    pixels : (N,) int32, optional
        Numbers of those that are wanted; all by default.

    Returns
    -------
    origins, directions : (N, 3) float32
        mm, and of unit length.
    cosines : (N,) float32
        Of the directions with the view.
    """
    x = ((np.arange(width, dtype=np.float32) + 0.5) / width * 2 - 1) * view.half_width
    y = (1 - (np.arange(height, dtype=np.float32) + 0.5) / height * 2) * view.half_height + view.shift_up
    right, up, forward = (np.array(v, np.float32) for v in (view.right, view.up, view.forward))
    if pixels is None:
        aside = (y[:, None, None] * up + x[None, :, None] * right).reshape(-1, 3)
    else:
        aside = y[pixels // width, None] * up + x[pixels % width, None] * right
    position = np.array(view.position, np.float32)
    if view.is_parallel:
        directions = np.ascontiguousarray(np.broadcast_to(forward, aside.shape))
        return np.ascontiguousarray(position + aside, np.float32), directions, np.ones(len(aside), np.float32)
    directions = forward + aside
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    origins = np.ascontiguousarray(np.broadcast_to(position, directions.shape))
    return origins, np.ascontiguousarray(directions, np.float32), directions @ forward


def find_first_hits(project: Project, geometry: Geometry, camera: Camera, width: int, height: int) -> FirstHits:
    """Looks at a project's geometry through a camera.

    Parameters
    ----------
    project : Project
        The project.
    geometry : Geometry
        Geometry of the scene.
    camera : Camera
        The camera.
    width : int
        Pixels across.
    height : int
        Pixels from top to bottom.

    Returns
    -------
    FirstHits
    """
    visible, shape = visible_parts(project), (height, width)
    seen = _look(geometry, visible, make_camera_view(camera, width, height), shape, None)
    return FirstHits(*(each.reshape(shape) for each in seen), geometry, visible)


def renewed_first_hits(before: FirstHits, geometry: Geometry, camera: Camera, pixels: np.ndarray) -> FirstHits:
    """First hits of geometry that differs in the shape of some parts, where at most some pixels see others.

    Parameters
    ----------
    before : FirstHits
        Through the same camera.
    geometry : Geometry
        With the same parts.
    camera : Camera
        The camera.
    pixels : (N,) int32
        Numbers of the pixels, in reading order.

    Returns
    -------
    FirstHits
    """
    height, width = before.part.shape
    seen_before = before.part, before.depth, before.solid, before.primitive, before.faces
    view, others = make_camera_view(camera, width, height), geometry.others_than(before.geometry)
    is_other = np.zeros(geometry.count + 1, bool)  # the last one stands for pixels that see nothing
    is_other[others] = True
    spans = np.array([_span(view, width, height, *box) for box in geometry.boxes[others]], np.float32).reshape(-1, 5)
    chosen = np.empty(len(pixels), np.int32)
    count = _choose(pixels, width, before.depth.ravel(), before.solid.ravel(), is_other, spans, chosen)
    pixels = chosen[:count]
    arrays = [array.copy() for array in seen_before]
    for array, seen in zip(arrays, _look(geometry, before.visible, view, (height, width), pixels), strict=True):
        array.flat[pixels] = seen
    return FirstHits(*arrays, geometry, before.visible)


class KeptFirstHits:
    """First hits of a picture, found once for the same shapes, camera and size."""

    def __init__(self):
        self._key: tuple = ()
        self._kept: FirstHits | None = None

    def known(self, geometry: Geometry, camera: Camera, size: tuple[int, int]) -> FirstHits | None:
        """Those that were found last; None where they are of something else.

        Parameters
        ----------
        geometry : Geometry
            Geometry of the scene.
        camera : Camera
            The camera.
        size : (int, int)
            Pixels across, and from top to bottom.

        Returns
        -------
        FirstHits or None
        """
        return self._kept if self._key == (geometry, camera, size) else None

    def find(self, project: Project, geometry: Geometry, camera: Camera, size: tuple[int, int]) -> FirstHits:
        """First hits of a picture, as `find_first_hits` has them.

        Parameters
        ----------
        project : Project
            The project.
        geometry : Geometry
            Geometry of the scene.
        camera : Camera
            The camera.
        size : (int, int)
            Pixels across, and from top to bottom.

        Returns
        -------
        FirstHits
        """
        if self.known(geometry, camera, size) is None:
            self._key, self._kept = (geometry, camera, size), find_first_hits(project, geometry, camera, *size)
        return self._kept

    def renew(self, geometry: Geometry, pixels: np.ndarray) -> None:
        """Takes over to geometry that differs in the shape of some parts, as `renewed_first_hits` does.

        Parameters
        ----------
        geometry : Geometry
            With the same parts.
        pixels : (N,) int32
            Numbers of the pixels that may see others, in reading order.
        """
        _, camera, size = self._key
        self._key, self._kept = (geometry, camera, size), renewed_first_hits(self._kept, geometry, camera, pixels)


def _span(view: CameraView, width: int, height: int, low, high) -> tuple[float, float, float, float, float]:
    """Place of a box in the picture: least depth, mm, first and last column, and first and last row."""
    corners = np.where(np.indices((2, 2, 2)).reshape(3, 8).T, high, low) - np.array(view.position)
    along, aside, up = (corners @ np.array(way, np.float64) for way in (view.forward, view.right, view.up))
    nearest = float(along.min())
    if nearest <= 0:
        return nearest, -1, width, -1, height
    scale = 1.0 if view.is_parallel else along
    x = (aside / scale / view.half_width + 1) / 2 * width
    y = (1 - (up / scale - view.shift_up) / view.half_height) / 2 * height
    return nearest, x.min() - 1, x.max() + 1, y.min() - 1, y.max() + 1


@kernel
def _choose(pixels, width, depth, solid, is_other, spans, chosen):
    """Writes those of some pixels that see one of some solids, or may see something within spans; how many."""
    count = 0
    for i in range(pixels.shape[0]):
        pixel = pixels[i]
        column, row = F(pixel % width), F(pixel // width)
        may_see = is_other[solid[pixel]]
        for k in range(spans.shape[0]):
            is_inside = spans[k, 1] < column < spans[k, 2] and spans[k, 3] < row < spans[k, 4]
            may_see = may_see or (is_inside and depth[pixel] > spans[k, 0])
        if may_see:
            chosen[count] = pixel
            count += 1
    return count


def _look(geometry: Geometry, visible: list[int], view: CameraView, shape: tuple[int, int], pixels: np.ndarray | None):
    """Part, depth, solid, primitive and face that pixels see first."""
    origins, directions, cosines = pixel_rays(view, shape[1], shape[0], pixels)
    solid, primitive, _, _, distance = geometry.intersect(origins, directions)
    depth = np.where(solid >= 0, distance * cosines, np.inf).astype(np.float32)
    places = np.full(geometry.count + 1, -1, np.int16)  # the last one stands for rays that hit nothing
    places[: len(visible)] = visible
    return places[solid], depth, solid.astype(np.int16), primitive, geometry.own_faces(solid, primitive)
