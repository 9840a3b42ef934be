"""Parts and places seen at points of the viewport, and points of the scene projected to it."""

import math

import numpy as np
from PyQt6.QtCore import QPointF

from mat_shelf.document.product import Part
from mat_shelf.patterns.placement_edit import PlacementHit
from mat_shelf.rendering.camera import CameraView, make_camera_view, pixel_size, project_point, ray_through

_MOST_BEHIND = 64
"""Surfaces that are looked through at most."""


class Picker:
    """Answers by the newest frame and the camera that is looked through."""

    def __init__(self, viewport):
        self._viewport = viewport
        self._workshop = viewport.workshop

    def pixel(self, point: QPointF) -> tuple[int, int] | None:
        """Row and column of the newest frame's first hits under a point of the widget."""
        frame = self._viewport.frame
        if frame is None:
            return None
        rows, columns = frame.first_hits.part.shape
        x, y = self._share(point)
        row, column = int(y * rows), int(x * columns)
        return (row, column) if 0 <= y < 1 and 0 <= x < 1 else None

    def _share(self, point: QPointF) -> tuple[float, float]:
        """A point of the widget as shares of the picture's width and height, from its top left."""
        rect = self._viewport.picture_rect
        return (point.x() - rect.x()) / max(rect.width(), 1), (point.y() - rect.y()) / max(rect.height(), 1)

    def _view(self) -> CameraView:
        height, width = self._viewport.frame.first_hits.depth.shape
        return make_camera_view(self._workshop.camera, width, height)

    def part_at(self, point: QPointF) -> str | None:
        """Id of the part seen at a point of the widget."""
        pixel = self.pixel(point)
        if pixel is None:
            return None
        index, parts = self._viewport.frame.first_hits.part[pixel], self._workshop.project.product.parts
        return parts[index].id if 0 <= index < len(parts) else None

    def zone_at(self, point: QPointF) -> str | None:
        """Id of the zone seen at a point of the widget; None where it is the part itself."""
        pixel, part_id = self.pixel(point), self.part_at(point)
        if part_id is None:
            return None
        part, face = self._workshop.project.part(part_id), self._viewport.frame.first_hits.face(*pixel)
        for zone in part.zones:
            faces = self._workshop.assets.faces[zone.faces]
            k = int(np.searchsorted(faces, face))
            if k < len(faces) and faces[k] == face:
                return zone.id
        return None

    def parts_behind(self, point: QPointF) -> list[str]:
        """Ids of all parts under a point of the widget, the nearest first."""
        pixel = self.pixel(point)
        if pixel is None:
            return []
        first_hits = self._viewport.frame.first_hits
        height, width = first_hits.depth.shape
        origin, way = ray_through(self._view(), (pixel[1] + 0.5) / width, (pixel[0] + 0.5) / height)
        at, way = origin.astype(np.float32)[None], way.astype(np.float32)[None]
        parts, found = self._workshop.project.product.parts, []
        for _ in range(_MOST_BEHIND):
            geometry, _, _, _, distance = first_hits.geometry.intersect(at, way)
            if geometry[0] < 0:
                break
            place = first_hits.visible[int(geometry[0])] if geometry[0] < len(first_hits.visible) else len(parts)
            if place < len(parts) and parts[place].id not in found:
                found.append(parts[place].id)
            at = at + way * (distance[0] * np.float32(1.00001) + np.float32(1e-3))
        return found

    def place_at(self, point: QPointF) -> tuple[float, float, float] | None:
        """Point of the scene seen at a point of the widget, mm."""
        pixel = self.pixel(point)
        depth = float(self._viewport.frame.first_hits.depth[pixel]) if pixel else math.inf
        if not math.isfinite(depth):
            return None
        height, width = self._viewport.frame.first_hits.depth.shape
        view = self._view()
        origin, way = ray_through(view, (pixel[1] + 0.5) / width, (pixel[0] + 0.5) / height)
        place = origin + way * (depth / float(way @ np.array(view.forward, np.float64)))
        return tuple(float(x) for x in place)

    def ray_at(self, point: QPointF) -> tuple[np.ndarray, np.ndarray]:
        """Origin (mm) and unit direction of the ray through a point of the widget."""
        return ray_through(self._view(), *self._share(point))

    def hit_at(self, point: QPointF) -> PlacementHit | None:
        """Place on a part seen at a point of the widget."""
        part, place = self.part_at(point), self.place_at(point)
        if part is None or place is None:
            return None
        normal = self._viewport.frame.first_hits.facing(*self.pixel(point))
        return PlacementHit(part, place, tuple(float(x) for x in normal))

    def seen_place(self, point) -> QPointF | None:
        """Point of the widget at which a point of the scene (mm) is seen; None behind the camera."""
        rect = self._viewport.picture_rect
        view = make_camera_view(self._workshop.camera, max(rect.width(), 1), max(rect.height(), 1))
        seen = project_point(view, point)
        if seen is None:
            return None
        return QPointF(rect.x() + seen[0] * rect.width(), rect.y() + seen[1] * rect.height())

    def pixel_width(self, place) -> float:
        """mm that a pixel of the widget covers where a point of the scene lies."""
        rect = self._viewport.picture_rect
        height = max(rect.height(), 1)
        view = make_camera_view(self._workshop.camera, max(rect.width(), 1), height)
        return pixel_size(view, place, height)

    def mask_of(self, part_id: str, faces: str | np.ndarray | None) -> np.ndarray | None:
        """Pixels that show a part, one of its zones, or some of its faces, (H, W) bool; None where there is none."""
        parts, first_hits = self._workshop.project.product.parts, self._viewport.frame.first_hits
        place = next((k for k, part in enumerate(parts) if part.id == part_id), None)
        if place is None:
            return None
        part_id = _lies_on(parts[place]) or part_id
        if faces is None:
            return np.isin(first_hits.part, [k for k, part in enumerate(parts) if part_id in (part.id, _lies_on(part))])
        count = len(self._workshop.assets.meshes[parts[place].mesh].triangles)
        if isinstance(faces, str):
            listed = next((self._workshop.assets.faces[z.faces] for z in parts[place].zones if z.id == faces), None)
            if listed is None:
                return None
            faces = np.zeros(count, bool)
            faces[listed] = True
        return first_hits.shows(place, faces) if len(faces) == count else None


def _lies_on(part: Part) -> str | None:
    """Id of the part that drops lie on, whose outline is theirs."""
    return part.beads.host if part.beads is not None else None
