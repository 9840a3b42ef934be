"""Moving a camera about a product. Each function returns another camera."""

import math

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.rendering.camera import FRAME

STEEPEST = math.radians(88)
NEAREST = 5.0
"""mm from the camera to what it looks at."""
_FURTHEST = 1e7
"""mm, along each axis."""


def _polar(camera: Camera) -> tuple[float, float, float]:
    away = np.subtract(camera.position, camera.target)
    distance = float(np.linalg.norm(away))
    return math.atan2(away[0], away[2]), math.asin(np.clip(away[1] / distance, -1, 1)), distance


def _within(target, away) -> dict:
    """Target and position of a camera, no further out than a camera may stand."""
    target = np.clip(np.nan_to_num(np.asarray(target, np.float64)), -_FURTHEST / 2, _FURTHEST / 2)
    away = np.nan_to_num(np.asarray(away, np.float64))
    away = away * min(_FURTHEST / 2 / max(float(np.linalg.norm(away)), 1e-9), 1.0)
    return {
        "position": tuple(round(float(x), 4) for x in target + away),
        "target": tuple(round(float(x), 4) for x in target),
    }


def _placed(camera: Camera, target, around: float, above: float, distance: float) -> Camera:
    away = np.array([math.sin(around) * math.cos(above), math.sin(above), math.cos(around) * math.cos(above)])
    return camera.with_(**_within(target, away * distance))


def _axes(around: float, above: float) -> np.ndarray:
    """Rows: to the right, up, and away from what is looked at, of a camera that stands so."""
    sin_a, cos_a, sin_h, cos_h = math.sin(around), math.cos(around), math.sin(above), math.cos(above)
    return np.array(
        [[cos_a, 0.0, -sin_a], [-sin_a * sin_h, cos_h, -cos_a * sin_h], [sin_a * cos_h, sin_h, cos_a * cos_h]]
    )


def orbit(camera: Camera, around: float, above: float, about=None) -> Camera:
    """Carries the camera round a point, by radians; it never tips over.

    Parameters
    ----------
    camera : Camera
        The camera.
    around : float
        Angle around the vertical axis, radians.
    above : float
        Angle above the horizon, radians.
    about : (3,) float, optional
        The point, mm, which stays where it is in the picture; what the camera looks at by default.

    Returns
    -------
    Camera
    """
    now, height, distance = _polar(camera)
    turned = now + around, min(max(height + above, -STEEPEST), STEEPEST)
    if about is None:
        return _placed(camera, camera.target, *turned, distance)
    turn = _axes(*turned).T @ _axes(now, height)
    return _placed(camera, np.add(about, turn @ np.subtract(camera.target, about)), *turned, distance)


def pan(camera: Camera, right: float, up: float) -> Camera:
    """Shifts camera and target together, by parts of the distance between them, in the picture's plane.

    Parameters
    ----------
    camera : Camera
        The camera.
    right, up : float
        Share of the distance to the target.

    Returns
    -------
    Camera
    """
    around, above, distance = _polar(camera)
    across, upward, _ = _axes(around, above)
    c, s = math.cos(math.radians(camera.roll)), math.sin(math.radians(camera.roll))
    across, upward = c * across + s * upward, c * upward - s * across
    return _placed(camera, np.add(camera.target, (across * right + upward * up) * distance), around, above, distance)


def dolly(camera: Camera, factor: float, to=None) -> Camera:
    """Multiplies the distance to a point.

    Parameters
    ----------
    camera : Camera
        The camera.
    factor : float
        Factor of the distance.
    to : (3,) float, optional
        The point, mm, which stays where it is in the picture; what the camera looks at by default.

    Returns
    -------
    Camera
    """
    around, above, distance = _polar(camera)
    nearer = min(max(distance * factor, NEAREST), 50_000.0)
    target = camera.target if to is None else np.add(to, np.subtract(camera.target, to) * (nearer / distance))
    return _placed(camera, target, around, above, nearer)


def depth_from(camera: Camera, point) -> float:
    """Distance of a point (mm) along the view of a camera; negative behind it.

    Parameters
    ----------
    camera : Camera
        The camera.
    point : (3,) float
        Point, mm.

    Returns
    -------
    float
    """
    toward = np.subtract(camera.target, camera.position)
    return float(np.subtract(point, camera.position) @ toward / np.linalg.norm(toward))


def framed(camera: Camera, bounds, fill: float = 0.8) -> Camera:
    """Looks at a box from the same side, so that it fills a share of the 36 x 24 frame.

    Parameters
    ----------
    camera : Camera
        The camera.
    bounds : (2, 3) float, mm
        Lowest and highest corner.
    fill : float
        Share of the frame that the box fills.

    Returns
    -------
    Camera
    """
    low, high = np.asarray(bounds, np.float64)
    around, above, _ = _polar(camera)
    radius = max(float(np.linalg.norm(high - low)) / 2, 1.0)
    distance = radius * 2 * camera.focal_length / (FRAME[1] * fill)
    return _placed(camera, (low + high) / 2, around, above, max(distance, NEAREST))


def fitted(camera: Camera, bounds, fill: float = 0.8, frame: tuple[float, float] = (FRAME[0], FRAME[1])) -> Camera:
    """Looks at a box from the same side, as near as all of it stays within a share of the frame.

    Parameters
    ----------
    camera : Camera
        The camera.
    bounds : (2, 3) float, mm
        Lowest and highest corner.
    fill : float
        Share of the frame's width and height that the box may take.
    frame : (width, height) of float, mm
        Part of the film that is seen.

    Returns
    -------
    Camera
    """
    low, high = np.asarray(bounds, np.float64)
    around, above, _ = _polar(camera)
    across, upward, away = _axes(around, above)
    corners = np.array([[(low, high)[k >> axis & 1][axis] for axis in range(3)] for k in range(8)])
    middle = (low + high) / 2
    half = np.array(frame) / 2 * fill / camera.focal_length
    seen = (corners - middle) @ np.stack([across, upward, away], axis=1)
    # A corner that lies nearer by w appears within the half frame h if the distance is at least its height / h + w.
    distance = float(np.max(np.abs(seen[:, :2]) / half + seen[:, 2:]))
    return _placed(camera, middle, around, above, max(distance, NEAREST))


def looking_at(camera: Camera, bounds, normal, fill: float = 0.35) -> Camera:
    """Looks at a box against a normal, so near that the box is seen well with something round it.

    Parameters
    ----------
    camera : Camera
        The camera.
    bounds : (2, 3) float, mm
    normal : (3,) float
    fill : float
        Share of the frame that the box fills.

    Returns
    -------
    Camera
    """
    low, high = np.asarray(bounds, np.float64)
    radius = max(float(np.linalg.norm(high - low)) / 2, 0.5)
    distance = max(radius * 2 * camera.focal_length / (FRAME[1] * fill), NEAREST)
    above = math.asin(np.clip(normal[1], -1, 1))
    return _placed(
        camera, (low + high) / 2, math.atan2(normal[0], normal[2]), min(max(above, -STEEPEST), STEEPEST), distance
    )


def square_on(camera: Camera, side: str) -> Camera:
    """Looks at the same point from straight before it, from the left, the right, behind or above.

    Parameters
    ----------
    camera : Camera
        The camera.
    side : str
        Side.

    Returns
    -------
    Camera
    """
    around = {"front": 0.0, "right": math.pi / 2, "back": math.pi, "left": -math.pi / 2}.get(side)
    distance = _polar(camera)[2]
    if around is None:
        return _placed(camera, camera.target, 0.0, STEEPEST, distance)
    return _placed(camera, camera.target, around, 0.0, distance)


CLOSE_UP_LENS = 300.0
"""mm: long, so that a few millimetres look flat, yet never so far away that something stands between."""


def close_up_camera(camera: Camera, point, width_mm: float) -> Camera:
    """Looks at a point from where `camera` sees it, so near that `width_mm` fill a square picture.

    Parameters
    ----------
    camera : Camera
        The camera.
    point : (3,) float, mm
    width_mm : float
        Width of what is seen, mm.

    Returns
    -------
    Camera
    """
    toward = np.subtract(point, camera.position)
    reach = float(np.linalg.norm(toward))
    # A square picture shows the frame's whole width.
    distance = min(width_mm * CLOSE_UP_LENS / FRAME[0], reach * 0.98)
    lens = min(max(distance * FRAME[0] / width_mm, 10.0), 800.0)
    balance = {"white": camera.white, "white_tint": camera.white_tint}
    return Camera(**_within(point, toward / reach * -distance), focal_length=lens, **balance)
